package sheet

import (
	"slices"
	"testing"

	"rubricon/core/credit"
	"rubricon/core/policy"
)

func TestCommitmentsConcern(t *testing.T) {
	one, none := credit.One, credit.Amount(0)
	when := func(c policy.Count) *policy.Count { return &c }
	y := plainYearWith(t, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9, Commitments: []policy.Commitment{
		{ID: "everybody"},
		{ID: "ninth", Grades: []int{9}},
		{ID: "with A", When: when(policy.Count{Of: policy.Selection{Courses: []string{"A"}}, On: policy.Requests, Measure: policy.Courses, Min: &one})},
		{ID: "without B", When: when(policy.Count{Of: policy.Selection{Courses: []string{"B"}}, On: policy.Both, Measure: policy.InCred, Max: &none})},
		{ID: "in the term", When: when(policy.Count{On: policy.Requests, Measure: policy.Load, Term: "S1", Min: &one})},
	}})
	index := func(code string) int32 { i, _ := y.Index(code); return i }
	f := NewFacts(y, Student{Grade: 10})
	for _, c := range []struct {
		name string
		s    Sheet
		want []int
	}{
		{"nothing", Sheet{}, []int{0, 3}},
		{"A", Sheet{Requests: []Entry{{Course: index("A")}}}, []int{0, 2, 3, 4}},
		{"C", Sheet{Requests: []Entry{{Course: index("C")}}, Alternates: []Entry{{Course: index("B"), StandsFor: Any}}}, []int{0, 4}},
	} {
		if got := f.Commitments(&c.s); !slices.Equal(got, c.want) {
			t.Errorf("with %s: %v, want %v", c.name, got, c.want)
		}
	}
	if got := NewFacts(y, Student{Grade: 9}).Commitments(&Sheet{}); !slices.Equal(got, []int{0, 1, 3}) {
		t.Errorf("in grade 9: %v", got)
	}
}
