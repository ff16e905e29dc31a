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

// Parse reads policy.json. It names every problem it finds, in the order of the text, and gives the policy only when there is
// none; notices are keys it does not know, and texts that lack the school's language.
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
	r.top(top)
	if len(r.problems) > 0 {
		sort.SliceStable(r.problems, func(i, j int) bool { return r.problems[i].Line < r.problems[j].Line })
		return nil, r.problems, nil
	}
	notices = r.notices
	known := map[string]bool{"schoolYear": true, "periods": true, "days": true, "firstGrade": true, "groups": true, "rules": true,
		"audits": true, "placement": true, "settings": true, "marks": true, "lastGrade": true, "holidays": true, "commitments": true, "welcome": true, "fill": true}
	for _, key := range sortedKeys(top) {
		if !known[key] {
			notices = append(notices, Problem{r.line(top[key]), key, "is not a key of the policy; it is kept and not used"})
		}
	}
	return r.out, nil, notices
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

// get decodes o[key] into target and tells whether it was there (null counts as absent).
func (r *reader) get(o object, line int, path, key string, target any, what string) bool {
	raw, there := o[key]
	if !there || string(raw) == "null" {
		return false
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
		r.bad(r.line(o["schoolYear"]), "schoolYear", "“%s” %v", p.SchoolYear, errYear)
	}
	if !r.get(o, 1, "", "periods", &p.Periods, "a whole number") {
		r.missing(o, 1, "", "periods")
	} else if p.Periods < 1 || p.Periods > 40 {
		r.bad(r.line(o["periods"]), "periods", "must lie between 1 and 40")
	}
	if r.get(o, 1, "", "days", &p.Days, "a whole number") && (p.Days < 1 || p.Days > 40) {
		r.bad(r.line(o["days"]), "days", "must lie between 1 and 40")
	}
	r.hasFirstGrade = r.get(o, 1, "", "firstGrade", &p.FirstGrade, "a whole number")
	var placement struct{ Seniority bool }
	r.get(o, 1, "", "placement", &placement, "an object such as {\"seniority\": true}")
	p.Seniority = placement.Seniority

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

// marks reads the names of marks.
func (r *reader) marks(top object) {
	var o object
	if !r.get(top, 1, "", "marks", &o, "an object of names and numbers") {
		return
	}
	line := r.line(top["marks"])
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

func (r *reader) rules(top object) {
	seen := map[string]bool{}
	for i, raw := range r.list(top, "rules", MaxRules) {
		if rule, ok := r.rule(raw, "rules", i, seen); ok {
			r.out.Rules = append(r.out.Rules, rule)
		}
	}
}

// rule reads the rule at a place of a list of that name.
func (r *reader) rule(raw json.RawMessage, list string, place int, seen map[string]bool) (rule Rule, ok bool) {
	line, path := r.line(raw), fmt.Sprintf("%s.%d", list, place+1)
	var o object
	if json.Unmarshal(raw, &o) != nil {
		r.bad(line, path, "must be an object")
		return rule, false
	}
	rule.Stance = Block
	if r.get(o, line, path+".", "id", &rule.ID, "a text"); rule.ID == "" {
		r.bad(line, path+".id", "is missing")
	} else {
		path = list + "." + rule.ID
	}
	if seen[rule.ID] {
		r.bad(line, path, "the id is used twice")
	}
	seen[rule.ID] = true
	rule.Label, rule.Labels = r.label(o, line, path, rule.ID)
	rule.Count = r.count(o, line, path)
	r.get(o, line, path+".", "grades", &rule.Grades, "a list of whole numbers")
	r.get(o, line, path+".", "programs", &rule.Programs, "a list of texts")
	if r.get(o, line, path+".", "stance", &rule.Stance, "block, acknowledge or advise") {
		switch rule.Stance {
		case Block, Acknowledge, Advise:
		default:
			r.bad(line, path+".stance", "“%s” is not one of block, acknowledge, advise", rule.Stance)
		}
	}
	rule.When = r.when(o, line, path)
	return rule, true
}

// fillOf reads what a choice of sections must come to.
func (r *reader) fillOf(top object) {
	var o object
	if !r.get(top, 1, "", "fill", &o, "an object with periods and rules") {
		return
	}
	r.fill = true
	defer func() { r.fill = false }()
	line := r.line(top["fill"])
	r.only(o, line, "fill.", "periods", "rules")
	fill := &Fill{Periods: r.periods(o, line, "fill")}
	slices.Sort(fill.Periods)
	fill.Periods = slices.Compact(fill.Periods)
	var list []json.RawMessage
	if r.get(o, line, "fill.", "rules", &list, "a list"); len(list) > MaxRules {
		r.bad(line, "fill.rules", "has %d items; at most %d are allowed", len(list), MaxRules)
		list = nil
	}
	seen := map[string]bool{}
	for i, raw := range list {
		rule, ok := r.rule(raw, "fill.rules", i, seen)
		if ok && rule.On != Sections {
			r.bad(r.line(raw), "fill.rules."+rule.ID+".on", "must be sections, or left out; a when may be on something else")
		}
		fill.Rules = append(fill.Rules, rule)
	}
	r.out.Fill = fill
}

// periods reads a list of periods of the day.
func (r *reader) periods(o object, line int, path string) (list []int) {
	if r.get(o, line, path+".", "periods", &list, "a list of whole numbers") {
		for _, period := range list {
			if period < 1 || period > r.out.Periods {
				r.bad(line, path+".periods", "%d is not a period from 1 to %d", period, r.out.Periods)
			}
		}
	}
	return list
}

// when reads the count on which something depends; nil: it always holds.
func (r *reader) when(o object, line int, path string) *Count {
	var when object
	if !r.get(o, line, path+".", "when", &when, "an object") {
		return nil
	}
	count := r.count(when, line, path+".when")
	if count.Min == nil && count.Max == nil {
		r.bad(line, path+".when", "needs a min or a max")
	}
	return &count
}

// label reads what something is called; without a label that is its id.
func (r *reader) label(o object, line int, path, id string) (own string, by map[string]string) {
	var t Text
	if r.words(o, line, path+".", "label", &t); t.Own == "" {
		t.Own = id
	}
	return t.Own, t.By
}

func (r *reader) count(o object, line int, path string) Count {
	c := Count{On: Requests, Measure: Courses}
	if r.fill {
		c.On = Sections
	}
	c.Of = r.selection(o["of"], line, path+".of")
	if r.get(o, line, path+".", "on", &c.On, "a text") {
		switch c.On {
		case Requests, Alternates, Both, Earned, Taken, Summer:
		case Sections:
			if !r.fill {
				r.bad(line, path+".on", "sections can only be counted in fill")
			}
		default:
			r.bad(line, path+".on", "“%s” is not one of requests, alternates, both, earned, taken, summer", c.On)
		}
	}
	if r.get(o, line, path+".", "measure", &c.Measure, "a text") {
		switch c.Measure {
		case Courses, InCred, Load:
		default:
			r.bad(line, path+".measure", "“%s” is not one of courses, credits, load", c.Measure)
		}
	}
	if r.get(o, line, path+".", "term", &c.Term, "a term's title") && c.Term == "" {
		r.bad(line, path+".term", "is empty; leave it out to count the whole year")
	}
	if c.On == Earned || c.On == Taken || c.On == Summer || c.On == Sections {
		if c.Measure == Load {
			r.bad(line, path+".measure", "load cannot be counted on %s", c.On)
		}
		if c.Term != "" && c.On != Sections {
			r.bad(line, path+".term", "cannot be given with on %s", c.On)
		}
	}
	var low, high credit.Amount
	if r.get(o, line, path+".", "min", &low, "a number") {
		c.Min = &low
	}
	if r.get(o, line, path+".", "max", &high, "a number") {
		c.Max = &high
	}
	return c
}

func (r *reader) audits(top object) {
	seen := map[string]bool{}
	for i, raw := range r.list(top, "audits", MaxAudits) {
		line, path := r.line(raw), fmt.Sprintf("audits.%d", i+1)
		var o object
		if json.Unmarshal(raw, &o) != nil {
			r.bad(line, path, "must be an object")
			continue
		}
		audit := Audit{}
		if r.get(o, line, path+".", "id", &audit.ID, "a text"); audit.ID == "" {
			r.bad(line, path+".id", "is missing")
		} else {
			path = "audits." + audit.ID
		}
		if seen[audit.ID] {
			r.bad(line, path, "the id is used twice")
		}
		seen[audit.ID] = true
		audit.Label, audit.Labels = r.label(o, line, path, audit.ID)
		var entries []json.RawMessage
		r.get(o, line, path+".", "entries", &entries, "a list")
		if len(entries) > MaxEntries {
			r.bad(line, path+".entries", "has %d items; at most %d are allowed", len(entries), MaxEntries)
			entries = nil
		}
		inList := map[string]bool{}
		for j, raw := range entries {
			if entry, ok := r.entry(raw, fmt.Sprintf("%s.%d", path, j+1), path, inList); ok {
				audit.Entries = append(audit.Entries, entry)
			}
		}
		r.out.Audits = append(r.out.Audits, audit)
	}
}

func (r *reader) entry(raw json.RawMessage, path, parent string, seen map[string]bool) (e Requirement, ok bool) {
	line := r.line(raw)
	var o object
	if json.Unmarshal(raw, &o) != nil {
		r.bad(line, path, "must be an object")
		return e, false
	}
	if r.get(o, line, path+".", "id", &e.ID, "a text"); e.ID == "" {
		r.bad(line, path+".id", "is missing")
	} else {
		path = parent + "." + e.ID
	}
	if seen[e.ID] {
		r.bad(line, path, "the id is used twice")
	}
	seen[e.ID] = true
	e.Label, e.Labels = r.label(o, line, path, e.ID)
	if !r.get(o, line, path+".", "credits", &e.Credits, "a number") {
		r.missing(o, line, path+".", "credits")
	}
	if e.Credits < 0 {
		r.bad(line, path+".credits", "must not be negative")
	}
	e.Of = r.selection(o["of"], line, path+".of")
	var each credit.Amount
	if r.get(o, line, path+".", "each", &each, "a number") {
		if e.Each = &each; !r.hasFirstGrade {
			r.bad(line, path+".each", "needs the policy's firstGrade, the grade in which the years begin")
		}
	}
	var by int
	if r.get(o, line, path+".", "by", &by, "a whole number, a grade") {
		e.By = &by
	}
	return e, true
}
