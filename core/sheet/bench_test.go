package sheet_test

import (
	"errors"
	"fmt"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/demo"
)

// school is the demo school, with the facts and the sheet of every student.
type school struct {
	facts  []*sheet.Facts
	sheets []sheet.Sheet
}

func demoSchool(b *testing.B) *school {
	b.Helper()
	read, err := demo.Read(demo.Options{Students: 1200, Seed: 7})
	if err != nil {
		b.Fatal(err)
	}
	s := &school{}
	for i := range read.Pupils {
		p := &read.Pupils[i]
		s.facts = append(s.facts, sheet.NewFacts(read.Year, p.Student))
		s.sheets = append(s.sheets, p.Sheet(read.Year))
	}
	return s
}

// each runs a benchmark over the students of the demo school, one an iteration.
func each(b *testing.B, do func(f *sheet.Facts, s *sheet.Sheet)) {
	s := demoSchool(b)
	b.ReportAllocs()
	i := 0
	for b.Loop() {
		do(s.facts[i], &s.sheets[i])
		i = (i + 1) % len(s.facts)
	}
}

func BenchmarkJudge(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Judge(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkJudgeAuditsCover(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Judge(s); err != nil {
			b.Fatal(err)
		}
		for a := range f.Year.Audits {
			f.Audit(a, s)
		}
		if _, err := f.Uncovered(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkCoverForPeople(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Cover(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkEffects(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Effects(s, false); err != nil {
			b.Fatal(err)
		}
	})
}

// worst is a sheet built to hurt: 40 requests with every span open in 4 terms, conditions nested 50 deep, 30 alternates without
// load, 60 overlapping requirements.
func worst(tb testing.TB) (*sheet.Facts, sheet.Sheet) {
	tb.Helper()
	loads := []credit.Amount{100, 50, 200, 25, 75}
	var courses []catalog.Course
	nested := "passed Z0"
	for i := range 50 {
		nested = fmt.Sprintf("2 of (%s, passed Z%d, grade 12)", nested, i)
	}
	entry, err := condition.Parse(nested)
	if err != nil {
		tb.Fatal(err)
	}
	p := &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9}
	for i := range 70 {
		c := catalog.Course{Code: fmt.Sprintf("C%02d", i), Title: "x", Subjects: []string{fmt.Sprint(i % 7)}, Credits: 100, Load: loads[i%len(loads)], Entry: entry}
		for s := 1; s < 16; s++ {
			c.Spans = append(c.Spans, catalog.TermSet(s))
		}
		if i >= 40 {
			c.Load = 0
		}
		courses = append(courses, c)
	}
	for i := range 7 {
		low := credit.Amount(600)
		p.Rules = append(p.Rules, policy.Rule{ID: fmt.Sprint(i), Stance: policy.Block,
			Count: policy.Count{Of: policy.Selection{Subjects: []string{fmt.Sprint(i)}}, On: policy.Requests, Measure: policy.Courses, Min: &low}})
	}
	audit := policy.Audit{ID: "a"}
	for i := range 60 {
		audit.Entries = append(audit.Entries, policy.Requirement{ID: fmt.Sprint(i), Credits: 50,
			Of: policy.Selection{Subjects: []string{fmt.Sprint(i % 7), fmt.Sprint(i * 3 % 7), fmt.Sprint(i * 5 % 7)}}})
	}
	p.Audits = []policy.Audit{audit}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"T1", "T2", "T3", "T4"}}, courses, nil, p)
	if len(errs) > 0 {
		tb.Fatal(errs)
	}
	var s sheet.Sheet
	for i := range 70 {
		e := sheet.Entry{Course: int32(i), StandsFor: sheet.Any, Rank: i + 1}
		if i < 40 {
			s.Requests = append(s.Requests, e)
		} else {
			s.Alternates = append(s.Alternates, e)
		}
	}
	return sheet.NewFacts(y, sheet.Student{ID: "s", Grade: 10}), s
}

// Whatever is on a sheet, judging ends: with a result or with a limit that is named.
func TestTheWorstCaseEndsWithAResultOrANamedLimit(t *testing.T) {
	f, s := worst(t)
	if _, err := f.Judge(&s); err != nil && !errors.Is(err, sheet.ErrTooManyPackings) {
		t.Error(err)
	}
	if _, err := f.Uncovered(&s); err != nil && !errors.Is(err, sheet.ErrTooManyPackings) && !errors.Is(err, sheet.ErrTooManyMends) {
		t.Error(err)
	}
	short := credit.Amount(0)
	for _, e := range f.Audit(0, &s) {
		short += e.Short
	}
	if short != 0 {
		t.Errorf("40 credits leave %v of 30 short", short)
	}
	many := sheet.Sheet{}
	for i := range 70 {
		many.Requests = append(many.Requests, sheet.Entry{Course: int32(i), StandsFor: sheet.Any})
	}
	if _, err := f.Judge(&many); err == nil {
		t.Error("70 requests are judged, more than the limit says")
	}
}

func BenchmarkWorstCase(b *testing.B) {
	f, s := worst(b)
	for b.Loop() {
		if _, err := f.Judge(&s); err != nil && !errors.Is(err, sheet.ErrTooManyPackings) {
			b.Fatal(err)
		}
		f.Audit(0, &s)
		_, _ = f.Uncovered(&s) // a result or a named limit, as the test says
	}
}

// Sheets that only look hard, forty courses that may meet in any one of four terms, are judged exactly.
func TestFortyOpenCoursesArePacked(t *testing.T) {
	for name, loads := range map[string][]credit.Amount{"alike": {100}, "halves and doubles": {100, 50, 200}, "quarters": {25, 75, 100, 50}} {
		var courses []catalog.Course
		total := credit.Amount(0)
		var s sheet.Sheet
		for i := range 40 {
			c := catalog.Course{Code: fmt.Sprintf("C%02d", i), Title: "x", Subjects: []string{"A"}, Load: loads[i%len(loads)], Spans: []catalog.TermSet{1, 2, 4, 8}}
			total += c.Load
			courses = append(courses, c)
			s.Requests = append(s.Requests, sheet.Entry{Course: int32(i), StandsFor: sheet.Any, Rank: i + 1})
		}
		y, errs := catalog.Compile(catalog.Frame{Terms: []string{"T1", "T2", "T3", "T4"}}, courses, nil, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1})
		if len(errs) > 0 {
			t.Fatal(errs)
		}
		j, err := sheet.NewFacts(y, sheet.Student{}).Judge(&s)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		low, high, sum := j.Packing.Loads[0], j.Packing.Loads[0], credit.Amount(0)
		for _, load := range j.Packing.Loads {
			low, high, sum = min(low, load), max(high, load), sum+load
		}
		// The loads can be laid out evenly, up to one unit where the total does not divide.
		if sum != total || high-low > 50 || j.Packing.Overload != max(0, total-4*y.Capacity) {
			t.Errorf("%s: loads %v, overload %v of %v in all", name, j.Packing.Loads, j.Packing.Overload, total)
		}
		if j.Packing.Spans[0] != 1 {
			t.Errorf("%s: the first course by code is laid into %b, the first term is least", name, j.Packing.Spans[0])
		}
	}
}

func BenchmarkSole(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) { f.Sole(s) })
}

// BenchmarkPath reckons what a student with four planned years sees of the whole way.
func BenchmarkPath(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		var plan []sheet.Planned
		for grade := f.Grade + 1; grade <= f.Grade+4; grade++ {
			for course := range int32(7) {
				plan = append(plan, sheet.Planned{Grade: grade, Course: course + 7*int32(grade-f.Grade)})
			}
		}
		f.Plan(s, plan)
		f.Prospects(s, plan)
		for i := range f.Year.Audits {
			f.AuditPlan(i, s, plan)
		}
	})
}

func BenchmarkRoute(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) { f.Route(s, nil, 40, 2) })
}

func BenchmarkWhatIf(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if len(s.Requests) > 1 {
			if _, err := f.WhatIf(s, []int32{s.Requests[0].Course, s.Requests[1].Course}); err != nil {
				b.Fatal(err)
			}
		}
	})
}

func BenchmarkHints(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Hints(s); err != nil {
			b.Fatal(err)
		}
	})
}
