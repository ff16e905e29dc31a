package main

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// plain reads a bundle as docs/bundle.md says, in the plainest way and without any of the program's packages: everything is
// looked for in the rows each time, and what is defined as the best of many is found by trying all. Numbers are in hundredths.
type plain struct {
	tables map[string][]row
	policy plainPolicy
	terms  []string          // titles
	termID map[string][]int  // by sourcedId: the terms it stands for
	course map[string]row    // by code
	codeOf map[string]string // by sourcedId
	entry  map[string]*plainCondition
	settle []*plainCondition // by row of errands.csv
}

type row = map[string]string

type plainPolicy struct {
	SchoolYear                string
	Periods, Days, FirstGrade int
	LastGrade                 *int
	Holidays                  []string
	Marks                     map[string]float64
	Settings                  struct{ SummerCounts bool }
	Fill                      *struct {
		Periods []int
		Rules   []plainRule
	}
	Groups map[string]any
	Rules  []plainRule
	Audits []struct {
		ID      string
		Entries []struct {
			ID      string
			Credits float64
			Of      any
			Each    *float64
			By      *int
		}
	}
}

type plainRule struct {
	plainCount
	ID, Stance string
	Grades     *[]int
	Programs   *[]string
	When       *plainCount
}

type plainCount struct {
	Of                any
	On, Measure, Term string
	Min, Max          *float64
}

func readPlain(t *testing.T, files map[string]string, entries map[string]*plainCondition) *plain {
	t.Helper()
	p := &plain{tables: map[string][]row{}, termID: map[string][]int{}, course: map[string]row{}, codeOf: map[string]string{}, entry: entries}
	for name, text := range files {
		if name == "policy.json" {
			if err := json.Unmarshal([]byte(text), &p.policy); err != nil {
				t.Fatal(err)
			}
			continue
		}
		records, err := csv.NewReader(strings.NewReader(text)).ReadAll()
		if err != nil {
			t.Fatal(name, err)
		}
		p.tables[name] = []row{}
		for _, record := range records[1:] {
			r := row{}
			for i, column := range records[0] {
				r[column] = record[i]
			}
			p.tables[name] = append(p.tables[name], r)
		}
	}
	for _, r := range p.tables["academicSessions.csv"] { // the generator writes the year first and the terms in order
		if r["type"] == "schoolYear" {
			continue
		}
		p.termID[r["sourcedId"]] = []int{len(p.terms)}
		p.termID["y"] = append(p.termID["y"], len(p.terms))
		p.terms = append(p.terms, r["title"])
	}
	for _, r := range p.tables["courses.csv"] {
		p.course[r["courseCode"]], p.codeOf[r["sourcedId"]] = r, r["courseCode"]
	}
	return p
}

func split(list string) (items []string) {
	for _, item := range strings.Split(list, ",") {
		if item = strings.TrimSpace(item); item != "" {
			items = append(items, item)
		}
	}
	return items
}

func hundredths(text string, empty int) int {
	if text == "" {
		return empty
	}
	n, err := strconv.ParseFloat(text, 64)
	if err != nil {
		panic(err)
	}
	return int(math.Round(n * 100))
}

func whole(x float64) int { return int(math.Round(x * 100)) }

// rows of a file that are this student's.
func (p *plain) of(file, student string) (list []row) {
	for _, r := range p.tables[file] {
		if r["student"] == student {
			list = append(list, r)
		}
	}
	return list
}

// sheet lists a student's requests or alternates by rank.
func (p *plain) sheet(student, kind string) (codes []string, ranks []int, standsFor []string) {
	list := p.of("requests.csv", student)
	slices.SortStableFunc(list, func(a, b row) int { return cmp.Compare(hundredths(a["rank"], 0), hundredths(b["rank"], 0)) })
	for _, r := range list {
		if r["kind"] == kind && !p.summer(r["courseCode"]) {
			codes, ranks, standsFor = append(codes, r["courseCode"]), append(ranks, hundredths(r["rank"], 0)/100), append(standsFor, r["standsFor"])
		}
	}
	return codes, ranks, standsFor
}

func (p *plain) summer(code string) bool { return p.course[code]["metadata.round"] == "summer" }

// mark returns a mark's number, of a name too.
func (p *plain) mark(text string) int {
	if n, ok := p.policy.Marks[text]; ok {
		return whole(n)
	}
	return hundredths(text, 0)
}

// spans lists the alternatives for when a course meets, each its terms.
func (p *plain) spans(code string) (list [][]int) {
	text := p.course[code]["metadata.span"]
	for _, alternative := range strings.Split(text, "|") {
		switch alternative {
		case "", "year":
			list = append(list, p.termID["y"])
		case "any":
			for term := range p.terms {
				list = append(list, []int{term})
			}
		default:
			var terms []int
			for _, title := range strings.Split(alternative, "+") {
				terms = append(terms, slices.Index(p.terms, title))
			}
			slices.Sort(terms)
			list = append(list, terms)
		}
	}
	return list
}

func (p *plain) number(code, column string) int {
	empty := 0
	if column == "metadata.load" {
		empty = 100
	}
	return hundredths(p.course[code][column], empty)
}

// excludes lists what a course's own column excludes, its variants and what it is a variant of among them.
func (p *plain) excludes(code string) []string {
	list := split(p.course[code]["metadata.excludes"])
	head := func(c string) string { return cmp.Or(p.course[c]["metadata.variantOf"], c) }
	for other := range p.course {
		if other != code && head(other) == head(code) && !slices.Contains(list, other) {
			list = append(list, other)
		}
	}
	return list
}

// same reports whether two courses exclude each other.
func (p *plain) same(a, b string) bool {
	return slices.Contains(p.excludes(a), b) && slices.Contains(p.excludes(b), a)
}

// selects reports whether a selection picks a course with these subjects and tags.
func (p *plain) selects(of any, code string, subjects, tags []string) bool {
	switch of := of.(type) {
	case nil:
		return true
	case string:
		return of == "all" || p.selects(p.policy.Groups[strings.TrimPrefix(of, "group:")], code, subjects, tags)
	case map[string]any:
		given, picked := false, false
		if _, ok := of["periods"]; ok {
			given = true // courses meet in none
		}
		for key, have := range map[string][]string{"subjects": subjects, "tags": tags, "courses": {code}} {
			names, ok := of[key].([]any)
			given = given || ok
			for _, name := range names {
				picked = picked || slices.Contains(have, name.(string))
			}
		}
		not, excepted := of["not"]
		return (picked || !given) && !(excepted && p.selects(not, code, subjects, tags))
	}
	panic(of)
}

func (p *plain) selectsCourse(of any, code string) bool {
	return p.selects(of, code, split(p.course[code]["subjects"]), split(p.course[code]["metadata.tags"]))
}

func (p *plain) selectsRecord(of any, r row) bool {
	if _, ok := p.course[r["courseCode"]]; ok {
		return p.selectsCourse(of, r["courseCode"])
	}
	return p.selects(of, r["courseCode"], split(r["subject"]), nil)
}

func counts(r row) bool { return r["outcome"] == "earned" || r["outcome"] == "transfer" }

// earned reports whether a course is already earned.
func (p *plain) earned(student, code string) bool {
	any, sum := false, 0
	for _, r := range p.of("records.csv", student) {
		if r["courseCode"] == code && counts(r) {
			any, sum = true, sum+hundredths(r["credits"], 0)
		}
	}
	_, ok := p.course[code]
	return any && (!ok || sum >= p.number(code, "metadata.credits"))
}

func (p *plain) signal(student, kind, course string) row {
	for _, r := range p.of("signals.csv", student) {
		if r["kind"] == kind && r["courseCode"] == course {
			return r
		}
	}
	return nil
}

func (p *plain) barred(student string, grade int, code string) bool {
	c := p.course[code]
	if grades := split(c["grades"]); len(grades) > 0 && !slices.Contains(grades, fmt.Sprintf("%02d", grade)) {
		return true
	}
	has := func(kind string) bool { return p.signal(student, kind, code) != nil }
	switch c["metadata.access"] {
	case "invited":
		return !has("recommendation") && !has("placement") && !has("assignment")
	case "application":
		return !has("permission") && !has("assignment")
	}
	return false
}

func (p *plain) repeats(student, code string, requests []string) bool {
	if p.earned(student, code) && p.course[code]["metadata.repeatable"] != "true" {
		return true
	}
	for _, other := range p.excludes(code) {
		if p.earned(student, other) || slices.Contains(requests, other) {
			return true
		}
	}
	return false
}

// pack tries every packing. Over is beyond the periods, in hundredths of a load.
func (p *plain) pack(requests []string) (spans map[string][]int, over int) {
	order := slices.Sorted(slices.Values(requests))
	chosen := map[string][]int{}
	var best [2]int
	var try func(k int)
	try = func(k int) {
		if k < len(order) {
			for _, s := range p.spans(order[k]) {
				chosen[order[k]] = s
				try(k + 1)
			}
			return
		}
		key := [2]int{}
		low, high := math.MaxInt, 0
		for term := range p.terms {
			load := 0
			for _, code := range order {
				if slices.Contains(chosen[code], term) {
					load += p.number(code, "metadata.load")
				}
			}
			key[0] += max(0, load-100*p.policy.Periods)
			low, high = min(low, load), max(high, load)
		}
		key[1] = high - low
		c := cmp.Or(cmp.Compare(key[0], best[0]), cmp.Compare(key[1], best[1]))
		for k := 0; c == 0 && spans != nil && k < len(order); k++ {
			c = slices.Compare(chosen[order[k]], spans[order[k]])
		}
		if spans == nil || c < 0 {
			best, spans = key, map[string][]int{}
			for code, s := range chosen {
				spans[code] = s
			}
		}
	}
	try(0)
	return spans, best[0]
}

// holder is a student with a sheet being judged.
type holder struct {
	*plain
	student              string
	grade                int
	programs             []string
	requests, alternates []string
	summers              []string
	spans                map[string][]int
	over                 int
	planning             *plainPlan // what the leaves are judged in, where a plan is
}

func (p *plain) holder(u row, requests, alternates []string) *holder {
	h := &holder{plain: p, student: u["sourcedId"], grade: hundredths(u["grades"], 0)/100 + 1, programs: split(u["metadata.programs"]), requests: requests, alternates: alternates}
	if next := u["metadata.nextGrade"]; next != "" {
		h.grade = hundredths(next, 0) / 100
	}
	h.spans, h.over = p.pack(requests)
	list := p.of("requests.csv", h.student)
	slices.SortStableFunc(list, func(a, b row) int { return cmp.Compare(hundredths(a["rank"], 0), hundredths(b["rank"], 0)) })
	for _, r := range list {
		if p.summer(r["courseCode"]) {
			h.summers = append(h.summers, r["courseCode"])
		}
	}
	return h
}

func (h *holder) measure(c *plainCount) (sum int) {
	one := func(code string, terms []int) {
		if c.Term != "" && !slices.Contains(terms, slices.Index(h.terms, c.Term)) {
			return
		}
		switch {
		case c.Measure == "credits":
			sum += h.number(code, "metadata.credits")
		case c.Measure != "load":
			sum += 100
		case c.Term != "":
			sum += h.number(code, "metadata.load")
		default:
			sum += h.number(code, "metadata.load") * len(terms)
		}
	}
	if c.On == "earned" || c.On == "taken" {
		seen := map[string]bool{}
		for _, r := range h.of("records.csv", h.student) {
			if !h.selectsRecord(c.Of, r) || !counts(r) && !(c.On == "taken" && r["outcome"] == "inProgress") {
				continue
			}
			if c.Measure == "credits" {
				sum += hundredths(r["credits"], 0)
			} else if !seen[r["courseCode"]] {
				sum += 100
			}
			seen[r["courseCode"]] = true
		}
		for _, code := range h.wishes() {
			if c.On == "taken" && h.selectsCourse(c.Of, code) && (c.Measure == "credits" || !seen[code]) {
				one(code, nil)
			}
		}
		return sum
	}
	if c.On == "summer" {
		for _, code := range h.summers {
			if h.selectsCourse(c.Of, code) {
				one(code, nil)
			}
		}
		return sum
	}
	if c.On != "alternates" {
		for _, code := range h.requests {
			if h.selectsCourse(c.Of, code) {
				one(code, h.spans[code])
			}
		}
	}
	if c.On == "alternates" || c.On == "both" {
		for _, code := range h.alternates {
			if h.selectsCourse(c.Of, code) {
				one(code, h.plain.spans(code)[0])
			}
		}
	}
	return sum
}

func (c *plainCount) within(n int) bool {
	return (c.Min == nil || n >= whole(*c.Min)) && (c.Max == nil || n <= whole(*c.Max))
}

func (h *holder) inForce(r *plainRule) bool {
	if r.Grades != nil && !slices.Contains(*r.Grades, h.grade) {
		return false
	}
	if r.Programs != nil && !slices.ContainsFunc(*r.Programs, func(p string) bool { return slices.Contains(h.programs, p) }) {
		return false
	}
	for _, s := range h.of("signals.csv", h.student) {
		if s["kind"] == "exemption" && s["name"] == r.ID {
			return false
		}
	}
	return r.When == nil || r.When.within(h.measure(r.When))
}

// The verdicts, in their order.
const (
	plainUnmet = iota
	plainUnverified
	plainExpected
	plainMet
)

// plainCondition is a condition as a tree: a leaf, or parts of which the count-th highest decides.
type plainCondition struct {
	text  string
	leaf  []string
	parts []*plainCondition
	count int
}

func (h *holder) verdict(c *plainCondition, course string) int {
	if c.leaf != nil && h.planning != nil {
		return h.planLeaf(c.leaf, course)
	}
	if c.leaf != nil {
		return h.leaf(c.leaf, course)
	}
	var verdicts []int
	for _, part := range c.parts {
		verdicts = append(verdicts, h.verdict(part, course))
	}
	slices.Sort(verdicts)
	return verdicts[len(verdicts)-c.count]
}

func (h *holder) leaf(leaf []string, course string) int {
	v, claim := plainUnmet, func(row) bool { return false }
	met := func(ok bool) {
		if ok {
			v = plainMet
		}
	}
	named := func(s row) bool { return s["name"] == leaf[1] }
	switch leaf[0] {
	case "passed", "alongside":
		code := leaf[1]
		for _, r := range h.of("records.csv", h.student) {
			if r["courseCode"] != code && !h.same(code, r["courseCode"]) {
				continue
			}
			switch {
			case counts(r) && (len(leaf) < 3 || r["mark"] != "" && h.mark(strings.TrimSpace(r["mark"])) >= h.mark(leaf[2])):
				v = plainMet
			case r["outcome"] == "inProgress":
				v = max(v, plainExpected)
			}
		}
		for _, other := range h.requests {
			met(leaf[0] == "alongside" && (other == code || h.same(code, other)))
		}
		for _, other := range h.summers {
			if h.policy.Settings.SummerCounts && !h.summer(course) && (other == code || h.same(code, other)) {
				v = max(v, plainExpected)
			}
		}
		claim = func(s row) bool { return s["courseCode"] == code }
	case "grade":
		met(100*h.grade >= hundredths(leaf[1], 0))
	case "score":
		best := -1
		for _, s := range h.of("signals.csv", h.student) {
			if s["kind"] == "score" && named(s) {
				best = max(best, hundredths(s["value"], 0))
			}
		}
		if best < 0 {
			v = plainUnverified
		}
		met(best >= hundredths(leaf[2], 0))
		claim = named
	case "recommended":
		met(h.signal(h.student, "recommendation", course) != nil)
		claim = func(s row) bool { return s["name"] == "recommended" && s["courseCode"] == course }
	case "permission":
		for _, s := range h.of("signals.csv", h.student) {
			met(s["kind"] == "permission" && named(s) && (s["courseCode"] == course || s["courseCode"] == ""))
		}
		claim = named
	case "program":
		met(slices.Contains(h.programs, leaf[1]))
		claim = named
	case "credits":
		have, coming := 0, 0
		for _, r := range h.of("records.csv", h.student) {
			subjects := split(r["subject"])
			if c, ok := h.course[r["courseCode"]]; ok {
				subjects = split(c["subjects"])
			}
			if !slices.Contains(subjects, leaf[1]) {
				continue
			}
			if counts(r) {
				have += hundredths(r["credits"], 0)
			} else if r["outcome"] == "inProgress" {
				coming += hundredths(r["credits"], 0)
			}
		}
		if have+coming >= hundredths(leaf[2], 0) {
			v = plainExpected
		}
		met(have >= hundredths(leaf[2], 0))
		claim = named
	}
	for _, s := range h.of("signals.csv", h.student) {
		if s["kind"] == "claim" && claim(s) {
			v = max(v, plainUnverified)
		}
	}
	return v
}

// missing lists the leaves that keep a condition below expected.
func (h *holder) missing(c *plainCondition, course string, list []string) []string {
	if h.verdict(c, course) >= plainExpected {
		return list
	}
	if c.leaf != nil && !slices.Contains(list, c.text) {
		return append(list, c.text)
	}
	for _, part := range c.parts {
		list = h.missing(part, course, list)
	}
	return list
}

// condition returns the verdict of a course's condition, and whose waiver or assignment made it met, nil where none did.
func (h *holder) condition(code string) (v int, by *string) {
	c := h.entry[code]
	if c == nil {
		return plainMet, nil
	}
	if v = h.verdict(c, code); v < plainMet {
		for _, s := range h.of("signals.csv", h.student) {
			if (s["kind"] == "waiver" || s["kind"] == "assignment") && s["courseCode"] == code {
				text := s["by"]
				return plainMet, &text
			}
		}
	}
	return v, nil
}

// admissible reports whether a requested course's condition does not stop it, and it neither repeats nor is barred.
func (h *holder) admissible(code string) bool {
	v, _ := h.condition(code)
	stance := h.course[code]["metadata.entryStance"]
	return (v >= plainExpected || stance != "" && stance != "block") && !h.repeats(h.student, code, h.requests) && !h.barred(h.student, h.grade, code)
}

// wishes are the requests that count for the year, those for the summer first.
func (h *holder) wishes() []string {
	if h.policy.Settings.SummerCounts {
		return slices.Concat(h.summers, h.requests)
	}
	return h.requests
}

// net is what the k-th of some requests brings to an audit.
func (h *holder) net(wishes []string, k int) int {
	code := wishes[k]
	credits := h.number(code, "metadata.credits")
	if h.course[code]["metadata.repeatable"] == "true" {
		return credits
	}
	out := h.excludes(code)
	for _, r := range h.of("records.csv", h.student) {
		if (r["courseCode"] == code || slices.Contains(out, r["courseCode"])) && (counts(r) || r["outcome"] == "inProgress") {
			credits -= hundredths(r["credits"], 0)
		}
	}
	for _, better := range wishes[:k] {
		if better == code || slices.Contains(out, better) {
			credits -= h.number(better, "metadata.credits")
		}
	}
	return max(0, credits)
}

// totals are the entries' totals from a supply: what the first k+1 entries can have together is, by Ford and Fulkerson's theorem
// (1956), the least over all sets of them of what the others need and all that any of the set may use; the k-th total is by how
// much that grows.
func totals(needs []int, supply []plainSupply) []int {
	out, before := make([]int, len(needs)), 0
	for k := range needs {
		least := math.MaxInt
		for set := 0; set < 1<<(k+1); set++ {
			sum := 0
			for e := range k + 1 {
				if set>>e&1 == 0 {
					sum += needs[e]
				}
			}
			for _, s := range supply {
				if s.mask&set != 0 {
					sum += s.credits
				}
			}
			least = min(least, sum)
		}
		out[k], before = least-before, least
	}
	return out
}

type plainSupply struct{ mask, credits int }

// line is what check prints for a student.
func (p *plain) line(u row) map[string]any {
	requests, _, _ := p.sheet(u["sourcedId"], "request")
	alternates, _, standsFor := p.sheet(u["sourcedId"], "alternate")
	h := p.holder(u, requests, alternates)
	number := func(n int) any { return float64(n) / 100 }
	ready, failed := h.over == 0, map[string]bool{}
	rules, asked, links, uncovered := []any{}, []any{}, []any{}, []any{}
	for i := range p.policy.Rules {
		r := &p.policy.Rules[i]
		if !h.inForce(r) {
			continue
		}
		n := h.measure(&r.plainCount)
		rule := map[string]any{"id": r.ID, "measured": number(n), "holds": r.within(n)}
		if r.Min != nil {
			rule["min"] = *r.Min
		}
		if r.Max != nil {
			rule["max"] = *r.Max
		}
		rules = append(rules, rule)
		if !r.within(n) {
			failed[r.ID] = true
			ready = ready && r.Stance != "" && r.Stance != "block"
		}
	}
	spans := map[string]any{}
	for _, code := range requests {
		asked = append(asked, h.asked(code))
		ready = ready && h.admissible(code)
		for _, other := range split(p.course[code]["metadata.links"]) {
			if !slices.Contains(requests, other) && !p.earned(h.student, other) {
				links = append(links, map[string]any{"course": code, "needs": other})
				ready = false
			}
		}
		names := []any{}
		for _, term := range h.spans[code] {
			names = append(names, p.terms[term])
		}
		spans[code] = names
		if !h.covered(u, code, standsFor, failed) {
			uncovered = append(uncovered, code)
		}
	}
	out := map[string]any{"student": h.student, "grade": float64(h.grade), "ready": ready, "rules": rules, "requests": asked,
		"packing": map[string]any{"fits": h.over == 0, "spans": spans, "overload": number(h.over)}, "links": links, "uncovered": uncovered, "audits": h.audits()}
	summer := []any{}
	for _, code := range h.summers {
		summer = append(summer, h.asked(code))
		out["ready"] = out["ready"].(bool) && h.admissible(code)
	}
	if len(summer) > 0 {
		out["summer"] = summer
	}
	if _, ok := p.tables["plans.csv"]; ok {
		out["plan"] = h.plan()
	}
	if _, ok := p.tables["errands.csv"]; ok {
		out["errands"] = h.errands()
	}
	return out
}

// asked is what check prints of a request.
func (h *holder) asked(code string) map[string]any {
	v, by := h.condition(code)
	entry, missing := "none", []any{}
	if c := h.entry[code]; c != nil {
		entry = []string{"unmet", "unverified", "expected", "met"}[v]
		if by == nil {
			for _, text := range h.missing(c, code, nil) {
				missing = append(missing, text)
			}
		}
	}
	request := map[string]any{"course": code, "entry": entry, "missing": missing, "repeat": h.repeats(h.student, code, h.requests), "barred": h.barred(h.student, h.grade, code)}
	if by != nil {
		request["waivedBy"] = *by
	}
	return request
}

// covered tries all mends of a lost request. Failed are the rules in force that fail with it.
func (h *holder) covered(u row, lost string, standsFor []string, failed map[string]bool) bool {
	weight := h.number(lost, "metadata.load") * len(h.spans[lost])
	for set := range 1 << len(h.alternates) {
		requests := slices.DeleteFunc(slices.Clone(h.requests), func(c string) bool { return c == lost })
		var chosen, left []string
		sum, available := 0, true
		for i, code := range h.alternates {
			if set>>i&1 == 0 {
				left = append(left, code)
				continue
			}
			chosen = append(chosen, code)
			sum += h.number(code, "metadata.load") * len(h.plain.spans(code)[0])
			available = available && (standsFor[i] == "" || standsFor[i] == lost)
		}
		if !available || len(chosen) > 1 && sum > weight {
			continue
		}
		m := h.holder(u, append(requests, chosen...), left)
		good := len(chosen) == 0 || m.over == 0
		for _, code := range chosen {
			good = good && m.admissible(code)
		}
		for i := range h.policy.Rules {
			r := &h.policy.Rules[i]
			if (r.Stance == "" || r.Stance == "block") && (r.On == "" || r.On == "requests" || r.On == "taken") && !failed[r.ID] && m.inForce(r) {
				good = good && r.within(m.measure(&r.plainCount))
			}
		}
		if good {
			return true
		}
	}
	return false
}

func (h *holder) audits() map[string]any {
	out := map[string]any{}
	start, _ := strconv.Atoi(h.policy.SchoolYear[:4])
	number := func(n int) any { return float64(n) / 100 }
	for _, audit := range h.policy.Audits {
		var needs []int
		for _, e := range audit.Entries {
			need := whole(e.Credits)
			for _, s := range h.of("signals.csv", h.student) {
				if s["kind"] == "exemption" && s["name"] == audit.ID+"/"+e.ID {
					need = 0
				}
			}
			needs = append(needs, need)
		}
		var supply []plainSupply
		var stages [3][]int
		records := func(is func(row) bool) {
			for _, r := range h.of("records.csv", h.student) {
				s := plainSupply{credits: hundredths(r["credits"], 0)}
				for e := range audit.Entries {
					if h.selectsRecord(audit.Entries[e].Of, r) {
						s.mask |= 1 << e
					}
				}
				if is(r) {
					supply = append(supply, s)
				}
			}
		}
		records(counts)
		stages[0] = totals(needs, supply)
		records(func(r row) bool { return r["outcome"] == "inProgress" })
		stages[1] = totals(needs, supply)
		wishes := h.wishes()
		bring := func(wishes []string, k int) {
			s := plainSupply{credits: h.net(wishes, k)}
			for e := range audit.Entries {
				if h.selectsCourse(audit.Entries[e].Of, wishes[k]) {
					s.mask |= 1 << e
				}
			}
			supply = append(supply, s)
		}
		for k := range wishes {
			bring(wishes, k)
		}
		stages[2] = totals(needs, supply)
		later := slices.Clone(wishes)
		for _, r := range h.plans() {
			if r["kind"] != "alternate" {
				later = append(later, r["courseCode"])
				bring(later, len(later)-1)
			}
		}
		planned := totals(needs, supply)
		entries := []any{}
		for e, from := range audit.Entries {
			short := needs[e] - stages[2][e]
			entry := map[string]any{"id": from.ID, "need": number(needs[e]), "earned": number(stages[0][e]), "inProgress": number(stages[1][e] - stages[0][e]),
				"requested": number(stages[2][e] - stages[1][e]), "short": number(short)}
			if _, ok := h.tables["plans.csv"]; ok {
				entry["planned"], entry["open"] = number(planned[e]-stages[2][e]), number(needs[e]-planned[e])
				if needs[e] > planned[e] {
					entry["beginBy"] = h.beginBy(from.Of)
				}
			}
			if from.By != nil {
				entry["late"] = h.grade == *from.By && short > 0 || h.grade > *from.By && stages[1][e] < needs[e]
			}
			if from.Each != nil {
				each := map[string]any{}
				for year := start - (h.grade - h.policy.FirstGrade); year <= start; year++ {
					sum := 0
					for _, r := range h.of("records.csv", h.student) {
						if h.selectsRecord(from.Of, r) && (counts(r) || r["outcome"] == "inProgress") && r["schoolYear"][:4] == strconv.Itoa(year) {
							sum += hundredths(r["credits"], 0)
						}
					}
					for k, code := range wishes {
						if year == start && h.selectsCourse(from.Of, code) {
							sum += h.net(wishes, k)
						}
					}
					if want := whole(*from.Each); sum < want {
						each[fmt.Sprintf("%d-%02d", year, (year+1)%100)] = number(want - sum)
					}
				}
				entry["eachShort"] = each
			}
			entries = append(entries, entry)
		}
		out[audit.ID] = entries
	}
	return out
}
