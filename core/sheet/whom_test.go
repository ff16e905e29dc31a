package sheet

import (
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
)

// What a student may take once it is recommended is what a signal that says so makes of it.
func TestRecommendedIsWhatASignalMakes(t *testing.T) {
	opened, met := 0, 0
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 31))
		y := randomYear(t, r)
		student := randomStudent(r, y)
		f := NewFacts(y, student)
		s := randomSheet(r, y)
		for course := range int32(len(y.Courses)) {
			c := &y.Courses[course]
			told := student
			told.Signals = append(slices.Clone(student.Signals), Signal{Kind: Recommendation, Code: c.Code})
			g := NewFacts(y, told)
			want, offered := condition.Met, c.Offers(f.Grade) && (c.Access != catalog.Application || !g.Barred(course))
			if outline, ok := g.Outline(&s, course); ok {
				want = outline.Verdict
			}
			if !offered {
				want = condition.Unmet
			}
			if got, is := f.ByWord(&s, course); got != want || is != offered {
				t.Fatalf("seed %d, %s: %v %v, want %v %v", seed, c.Code, got, is, want, offered)
			} else if is {
				met++
				if f.Barred(course) || c.Access == catalog.Invited {
					opened++
				}
			}
		}
	}
	if opened < 200 || met < 2000 {
		t.Errorf("%d are opened by it, %d offered: the schools are too plain", opened, met)
	}
}
