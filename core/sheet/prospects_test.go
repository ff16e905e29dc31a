package sheet

import (
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/condition"
)

// A prospect has the later grades in which Plan, with the course put there, finds nothing against it, and no others; what is no prospect
// has none.
func TestProspectsAgainstPlanning(t *testing.T) {
	found, none := 0, 0
	for seed := range uint64(1500) {
		r := rand.New(rand.NewPCG(seed, 29))
		y := randomYear(t, r)
		y.Policy.LastGrade = 12
		student := randomStudent(r, y)
		f := NewFacts(y, student)
		s := randomSheet(r, y)
		var plan []Planned
		for range r.IntN(4) {
			p := Planned{Grade: f.Grade + 1 + r.IntN(max(1, 12-f.Grade)), Course: int32(r.IntN(len(y.Courses))), Alternate: r.IntN(4) == 0}
			if !y.Courses[p.Course].Summer && p.Grade <= 12 && !slices.ContainsFunc(plan, func(x Planned) bool { return x.Course == p.Course }) {
				plan = append(plan, p)
			}
		}
		list := f.Prospects(&s, plan)
		for course := range int32(len(y.Courses)) {
			var want []int
			for grade := f.Grade + 1; grade <= 12 && !y.Courses[course].Summer; grade++ {
				if slices.ContainsFunc(plan, func(x Planned) bool { return x.Course == course }) {
					break
				}
				results := f.Plan(&s, append(slices.Clone(plan), Planned{Grade: grade, Course: course, Alternate: true}))
				if x := results[len(results)-1]; !x.Barred && !x.Repeat && (!x.HasEntry || x.Entry >= condition.Expected) {
					want = append(want, grade)
				}
			}
			var got []int
			if at := slices.IndexFunc(list, func(p Prospect) bool { return p.Course == course }); at >= 0 {
				got = list[at].Grades
			}
			if !slices.Equal(got, want) {
				t.Fatalf("seed %d: %s could be planned for %v, want %v", seed, y.Codes[course], got, want)
			}
			if want != nil {
				found++
			} else {
				none++
			}
		}
	}
	if found < 500 || none < 500 {
		t.Errorf("%d prospects, %d without: the schools are too plain", found, none)
	}
}
