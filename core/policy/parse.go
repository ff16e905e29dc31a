package policy

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"

	"rubricon/core/condition"
	"rubricon/core/credit"
)

// Schema is the JSON Schema (draft 2020-12) of policy.json.
//
//go:embed policy.schema.json
var Schema []byte

var errYear = errors.New("is not a school year; write it like 2027-28")

func validYear(text string) bool {
	if len(text) != 7 || text[4] != '-' {
		return false
	}
	for i := 0; i < 7; i++ {
		if i != 4 && (text[i] < '0' || text[i] > '9') {
			return false
		}
	}
	return true
}

// Problem is one thing wrong with a policy: where, by line and by the path of keys, and what.
type Problem struct {
	Line int    // from 1
	Path string // such as rules.credits.min
	What string
}

func (p Problem) Error() string { return fmt.Sprintf("%d: %s: %s", p.Line, p.Path, p.What) }

type reader struct {
	text     []byte
	tops     map[string]int // by key of the policy itself, its line
	problems []Problem
	notices  []Problem
	groups   map[string]*groupState
	out      *Policy
	fill     bool // within fill, where sections are counted

	hasFirstGrade bool
}

type groupState struct {
	selection Selection
	path      string
	line      int
}

type object map[string]json.RawMessage

// topKeys are the keys of a policy.
var topKeys = []string{"schoolYear", "periods", "days", "firstGrade", "groups", "rules", "audits", "placement",
	"settings", "marks", "lastGrade", "holidays", "commitments",
	"welcome", "fill"}

// Parse reads policy.json. It names every problem it finds, in the order of the text, and gives the policy
// only when there is none; notices are texts that lack the school's language. A key that it does not know is
// a problem: misspelled, it would take away what it should have said.
func Parse(text []byte) (p *Policy, problems []Problem, notices []Problem) {
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	var top object
	if err := json.Unmarshal(text, &top); err != nil {
		line := 1
		var syntax *json.SyntaxError
		if errors.As(err, &syntax) {
			line += bytes.Count(text[:min(int(syntax.Offset), len(text))], []byte("\n"))
		}
		return nil, []Problem{{line, "policy", "is not a JSON object: " + err.Error()}}, nil
	}
	r := &reader{text: text, out: &Policy{Groups: map[string]Selection{}, Days: 1}}
	r.keys()
	for _, key := range sortedKeys(top) {
		if !slices.Contains(topKeys, key) {
			r.bad(r.tops[key], key, "is not a key of the policy")
		}
	}
	r.top(top)
	if len(r.problems) > 0 {
		sort.SliceStable(r.problems, func(i, j int) bool { return r.problems[i].Line < r.problems[j].Line })
		return nil, r.problems, nil
	}
	return r.out, nil, r.notices
}

// keys finds at which line each key of the policy itself is, and names those that an object has twice: the
// first would be lost.
func (r *reader) keys() {
	type open struct {
		object bool
		key    bool // a key comes next
		seen   map[string]bool
	}
	r.tops = map[string]int{}
	var stack []open
	in := json.NewDecoder(bytes.NewReader(r.text))
	value := func() { // one has ended
		if n := len(stack); n > 0 && stack[n-1].object {
			stack[n-1].key = true
		}
	}
	for {
		token, err := in.Token()
		if err != nil {
			return
		}
		n := len(stack)
		switch delim, _ := token.(json.Delim); {
		case delim == '{', delim == '[':
			stack = append(stack, open{delim == '{', delim == '{', map[string]bool{}})
		case delim == '}', delim == ']':
			stack = stack[:n-1]
			value()
		case n > 0 && stack[n-1].object && stack[n-1].key:
			key := token.(string)
			line := 1 + bytes.Count(r.text[:in.InputOffset()], []byte("\n"))
			if stack[n-1].seen[key] {
				r.bad(line, key, "is there twice")
			}
			if stack[n-1].seen[key], stack[n-1].key = true, false; n == 1 {
				r.tops[key] = line
			}
		default:
			value()
		}
	}
}

func sortedKeys(o object) []string {
	keys := make([]string, 0, len(o))
	for k := range o {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// line finds where a value stands; json.RawMessage is a copy of the text, so the first equal run of bytes is taken.
func (r *reader) line(raw json.RawMessage) int {
	at := bytes.Index(r.text, raw)
	if at < 0 || len(raw) == 0 {
		return 1
	}
	return 1 + bytes.Count(r.text[:at], []byte("\n"))
}

func (r *reader) bad(line int, path, format string, args ...any) {
	r.problems = append(r.problems, Problem{line, path, fmt.Sprintf(format, args...)})
}

// get decodes o[key] into target and reports whether it was there (null counts as absent).
func (r *reader) get(o object, line int, path, key string, target any, what string) bool {
	raw, there := o[key]
	if !there || string(raw) == "null" {
		return false
	}
	if path == "" {
		line = r.tops[key]
	}
	if err := json.Unmarshal(raw, target); err != nil {
		var number *credit.NumberError
		if errors.As(err, &number) {
			r.bad(line, path+key, "%v", number)
		} else {
			r.bad(line, path+key, "must be %s", what)
		}
		return false
	}
	return true
}

func (r *reader) top(o object) {
	p := r.out
	if !r.get(o, 1, "", "schoolYear", &p.SchoolYear, "a text like \"2027-28\"") {
		r.missing(o, 1, "", "schoolYear")
	} else if !validYear(p.SchoolYear) {
		r.bad(r.tops["schoolYear"], "schoolYear", "“%s” %v", p.SchoolYear, errYear)
	}
	if !r.get(o, 1, "", "periods", &p.Periods, "a whole number") {
		r.missing(o, 1, "", "periods")
	} else if p.Periods < 1 || p.Periods > 40 {
		r.bad(r.tops["periods"], "periods", "must lie between 1 and 40")
	}
	if r.get(o, 1, "", "days", &p.Days, "a whole number") && (p.Days < 1 || p.Days > 40) {
		r.bad(r.tops["days"], "days", "must lie between 1 and 40")
	}
	r.hasFirstGrade = r.get(o, 1, "", "firstGrade", &p.FirstGrade, "a whole number")
	r.placement(o)
	r.marks(o)
	r.settings(o)
	var groups object
	r.get(o, 1, "", "groups", &groups, "an object of named selections")
	r.groups = map[string]*groupState{}
	for _, name := range sortedKeys(groups) {
		r.groups[name] = &groupState{path: "groups." + name, line: r.line(groups[name])}
	}
	for _, name := range sortedKeys(groups) {
		g := r.groups[name]
		g.selection = r.selection(groups[name], g.line, g.path)
		p.Groups[name] = g.selection
	}
	for _, name := range sortedKeys(groups) {
		if r.cyclic(&r.groups[name].selection, map[string]bool{name: true}) {
			r.bad(r.groups[name].line, r.groups[name].path, "refers back to itself; take the cycle out")
		}
	}
	r.rules(o)
	r.audits(o)
	r.fillOf(o)
	r.year(o)
}

// placement reads how requests are placed, and whose.
func (r *reader) placement(top object) {
	var o object
	if !r.get(top, 1, "", "placement", &o, "an object such as {\"seniority\": true}") {
		return
	}
	line, take := r.tops["placement"], takes[TakeApproved]
	r.only(o, line, "placement.", "seniority", "take")
	r.get(o, line, "placement.", "seniority", &r.out.Seniority, "true or false")
	if r.get(o, line, "placement.", "take", &take, "a text") {
		at := slices.Index(takes, take)
		if at < 0 {
			r.bad(line, "placement.take", "“%s” is not one of %s", take, strings.Join(takes, ", "))
			return
		}
		r.out.Take = Take(at)
	}
}

// marks reads the names of marks.
func (r *reader) marks(top object) {
	var o object
	if !r.get(top, 1, "", "marks", &o, "an object of names and numbers") {
		return
	}
	line := r.tops["marks"]
	r.out.Marks = map[string]credit.Amount{}
	for _, name := range sortedKeys(o) {
		var value credit.Amount
		switch {
		case strings.TrimSpace(name) == "":
			r.bad(line, "marks", "a mark's name is empty")
		case condition.IsNumber(name):
			r.bad(line, "marks."+name, "is a number; a mark's name must not be one")
		case !r.get(o, line, "marks.", name, &value, "a number from 0 to 100"):
			r.missing(o, line, "marks.", name)
		case value < 0 || value > 100*credit.One:
			r.bad(line, "marks."+name, "must lie between 0 and 100")
		default:
			r.out.Marks[name] = value
		}
	}
}

func (r *reader) missing(o object, line int, path, key string) {
	if raw, there := o[key]; !there || string(raw) == "null" {
		r.bad(line, path+key, "is missing")
	}
}

func (r *reader) cyclic(s *Selection, open map[string]bool) bool {
	if s == nil {
		return false
	}
	if s.Group != "" {
		if open[s.Group] {
			return true
		}
		g := r.groups[s.Group]
		if g == nil {
			return false
		}
		open[s.Group] = true
		defer delete(open, s.Group)
		return r.cyclic(&g.selection, open)
	}
	return r.cyclic(s.Not, open)
}

func (r *reader) selection(raw json.RawMessage, line int, path string) (s Selection) {
	if len(raw) == 0 || string(raw) == "null" {
		return s
	}
	var text string
	if json.Unmarshal(raw, &text) == nil {
		name, isGroup := strings.CutPrefix(text, "group:")
		switch {
		case text == "all":
		case isGroup && name != "" && r.groups[name] != nil:
			s.Group = name
		case isGroup:
			r.bad(line, path, "the group “%s” is not in groups", name)
		default:
			r.bad(line, path, "“%s” is not a selection; write \"all\", \"group:NAME\" or an object with subjects, tags, courses, not", text)
		}
		return s
	}
	var o object
	if json.Unmarshal(raw, &o) != nil {
		r.bad(line, path, "must be \"all\", \"group:NAME\" or an object with subjects, tags, courses, not")
		return s
	}
	for _, key := range sortedKeys(o) {
		switch key {
		case "subjects", "tags", "courses", "not":
		case "periods":
			if r.fill {
				s.Periods = r.periods(o, line, path)
				break
			}
			r.bad(line, path+"."+key, "can only be given in fill")
		default:
			r.bad(line, path+"."+key, "is not known here; a selection has subjects, tags, courses, not")
		}
	}
	r.get(o, line, path+".", "subjects", &s.Subjects, "a list of texts")
	r.get(o, line, path+".", "tags", &s.Tags, "a list of texts")
	r.get(o, line, path+".", "courses", &s.Courses, "a list of texts")
	if not, there := o["not"]; there && string(not) != "null" {
		inner := r.selection(not, line, path+".not")
		s.Not = &inner
	}
	return s
}

func (r *reader) list(o object, key string, limit int) []json.RawMessage {
	var all []json.RawMessage
	r.get(o, 1, "", key, &all, "a list")
	if len(all) > limit {
		r.bad(r.line(o[key]), key, "has %d items; at most %d are allowed", len(all), limit)
		return nil
	}
	return all
}
