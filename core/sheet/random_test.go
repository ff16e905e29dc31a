package sheet

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// randomYear makes a small school year in which every feature of a course and of a rule turns up.
func randomYear(t testing.TB, r *rand.Rand) *catalog.Year {
	t.Helper()
	terms := []string{"S1", "S2", "S3"}[:1+r.IntN(3)]
	all := catalog.TermSet(1<<len(terms) - 1)
	n := 6 + r.IntN(6)
	code := func(i int) string { return fmt.Sprintf("C%02d", i) }
	some := func(p int) bool { return r.IntN(p) == 0 }
	courses := make([]catalog.Course, n)
	for i := range courses {
		c := &courses[i]
		c.Code, c.Title = code(i), code(i)
		c.Subjects = []string{"A", "B", "C"}[r.IntN(3):][:1]
		if some(3) {
			c.Tags = []string{"x"}
		}
		c.Credits = credit.Amount(25 * r.IntN(5))
		c.Load = []credit.Amount{100, 100, 50, 200, 0}[r.IntN(5)]
		for range 1 + r.IntN(3) {
			c.Spans = addSpan(c.Spans, 1+catalog.TermSet(r.IntN(int(all))))
		}
		c.Repeatable = some(4)
		c.Access = []catalog.Access{catalog.Open, catalog.Open, catalog.Open, catalog.Invited, catalog.Application}[r.IntN(5)]
		c.EntryStance = []policy.Stance{policy.Block, policy.Block, policy.Advise}[r.IntN(3)]
		if some(3) {
			c.Links = []string{code(r.IntN(n))}
		}
		if some(3) {
			c.Excludes = []string{code(r.IntN(n))}
		}
		if some(6) && i > 0 && courses[0].VariantOf == "" {
			c.VariantOf = code(0)
		}
		if some(3) {
			pattern := []string{"passed %s at 70", "alongside %s", "passed %s or recommended", "1 of (alongside %s, grade 11)"}[r.IntN(4)]
			entry, err := condition.Parse(fmt.Sprintf(pattern, code(r.IntN(n+1))))
			if err != nil {
				t.Fatal(err)
			}
			c.Entry = entry
		}
		if some(4) {
			c.Grades = []int{10, 11}[r.IntN(2):]
		}
	}
	for i := range courses { // a summer round, of courses that nothing is linked with
		linked := courses[i].Links != nil
		for k := range courses {
			linked = linked || len(courses[k].Links) > 0 && courses[k].Links[0] == code(i)
		}
		courses[i].Summer = !linked && some(8)
	}
	p := &policy.Policy{SchoolYear: "2027-28", Periods: 1 + r.IntN(4), Days: 1, FirstGrade: 9}
	if some(3) {
		p.Settings.OverMaximum = policy.RefuseOver
	}
	p.Settings.NoExchange, p.Settings.SummerCounts = some(3), some(2)
	selection := func() policy.Selection {
		s := []policy.Selection{{}, {Subjects: []string{"A"}}, {Tags: []string{"x"}}, {Courses: []string{code(0), code(1)}}}[r.IntN(4)]
		if some(4) {
			inner := s
			s = policy.Selection{Not: &inner}
		}
		return s
	}
	count := func() policy.Count {
		c := policy.Count{Of: selection(), On: []policy.On{policy.Requests, policy.Requests, policy.Alternates, policy.Both, policy.Earned, policy.Taken, policy.Summer}[r.IntN(7)],
			Measure: []policy.Measure{policy.Courses, policy.InCred, policy.Load}[r.IntN(3)]}
		if c.On == policy.Earned || c.On == policy.Taken || c.On == policy.Summer {
			c.Measure = []policy.Measure{policy.Courses, policy.InCred}[r.IntN(2)]
		} else if some(3) {
			c.Term = terms[r.IntN(len(terms))]
		}
		low, high := credit.Amount(50*r.IntN(6)), credit.Amount(100+50*r.IntN(8))
		if some(2) {
			c.Min = &low
		}
		if some(2) || c.Min == nil {
			c.Max = &high
		}
		return c
	}
	for i := range r.IntN(6) {
		rule := policy.Rule{ID: fmt.Sprint("r", i), Count: count(), Stance: []policy.Stance{policy.Block, policy.Block, policy.Advise}[r.IntN(3)]}
		if some(4) {
			when := count()
			rule.When = &when
		}
		p.Rules = append(p.Rules, rule)
	}
	for i := range r.IntN(3) {
		audit := policy.Audit{ID: fmt.Sprint("a", i)}
		for j := range 1 + r.IntN(4) {
			audit.Entries = append(audit.Entries, policy.Requirement{ID: fmt.Sprint("e", j), Credits: credit.Amount(50 * r.IntN(8)), Of: selection()})
		}
		p.Audits = append(p.Audits, audit)
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: terms}, courses, nil, p)
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	return y
}

func addSpan(spans []catalog.TermSet, s catalog.TermSet) []catalog.TermSet {
	for _, have := range spans {
		if have == s {
			return spans
		}
	}
	return append(spans, s)
}

func randomStudent(r *rand.Rand, y *catalog.Year) Student {
	s := Student{ID: "s", Grade: 9 + r.IntN(3)}
	pick := func() string { return y.Courses[r.IntN(len(y.Courses))].Code }
	for range r.IntN(5) {
		s.Records = append(s.Records, Record{Code: pick(), Subjects: []string{"A"}, Year: 2025 + r.IntN(2), Credits: credit.Amount(25 * r.IntN(5)),
			Mark: credit.Amount(100 * (50 + r.IntN(50))), HasMark: r.IntN(4) > 0,
			Outcome: []Outcome{Earned, Earned, InProgress, Failed, Withdrawn, Transfer}[r.IntN(6)]})
	}
	for range r.IntN(4) {
		s.Signals = append(s.Signals, Signal{Kind: []SignalKind{Recommendation, PlacementMade, Permission, Waiver, Assignment, Claim}[r.IntN(6)], Code: pick(),
			Value: credit.One * credit.Amount(r.IntN(2))})
	}
	return s
}

func randomSheet(r *rand.Rand, y *catalog.Year) (s Sheet) {
	var order, summer []int
	for _, course := range r.Perm(len(y.Courses)) {
		if y.Courses[course].Summer {
			summer = append(summer, course)
		} else {
			order = append(order, course)
		}
	}
	for i, course := range summer[:r.IntN(len(summer)+1)] {
		s.Summer = append(s.Summer, Entry{int32(course), Any, i + 1})
	}
	requests := r.IntN(min(6, len(order)))
	for i, course := range order[:requests] {
		s.Requests = append(s.Requests, Entry{int32(course), Any, i + 1})
	}
	for i, course := range order[requests : requests+r.IntN(min(6, len(order)-requests)+1)] {
		e := Entry{int32(course), Any, i + 1}
		if r.IntN(3) == 0 {
			e.StandsFor = int32(order[r.IntN(len(order))])
		}
		s.Alternates = append(s.Alternates, e)
	}
	return s
}
