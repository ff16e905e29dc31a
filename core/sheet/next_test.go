package sheet

import (
	"fmt"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Two courses are halves of one where they are linked both ways, weigh the same and follow each other.
func TestHalves(t *testing.T) {
	course := func(code string, load credit.Amount, links ...string) catalog.Course {
		return catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: 50, Load: load, Links: links,
			Spans: []catalog.TermSet{1, 2}}
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1", "S2"}}, []catalog.Course{
		course("A", 100, "B"), course("B", 100, "A"), // halves
		course("C", 100, "D"), course("D", 100), // linked one way
		course("E", 100, "F"), course("F", 50, "E"), // of another load
	}, nil, plainPolicy())
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	s := laidOut(t, y, []string{"C", "A", "D", "F", "B", "E"}, nil)
	for name, c := range map[string]struct {
		spans []catalog.TermSet
		want  string
	}{
		"one after the other": {[]catalog.TermSet{1, 1, 2, 1, 2, 2}, "[-1 4 -1 -1 1 -1]"},
		"the other way round": {[]catalog.TermSet{1, 2, 2, 1, 1, 2}, "[-1 4 -1 -1 1 -1]"},
		"at the same time":    {[]catalog.TermSet{1, 1, 2, 1, 1, 2}, "[-1 -1 -1 -1 -1 -1]"},
		"all year":            {[]catalog.TermSet{1, 3, 2, 1, 2, 2}, "[-1 -1 -1 -1 -1 -1]"},
	} {
		j := &Judgement{Packing: Packing{Spans: c.spans}}
		if got := fmt.Sprint(j.Halves(y, &s)); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

func TestNextAlternate(t *testing.T) {
	two, one := 2*credit.One, credit.One
	p := plainPolicy()
	p.Rules = []policy.Rule{
		{ID: "requests", Label: "R", Count: policy.Count{On: policy.Requests, Measure: policy.Courses, Max: &one}},
		{ID: "alternates", Label: "A", Count: policy.Count{On: policy.Alternates, Measure: policy.Courses, Max: &two}},
	}
	y := plainYearWith(t, p)
	f := NewFacts(y, Student{ID: "s", Grade: 10})
	for _, c := range []struct {
		alternates []string
		want       NextAlternate
	}{
		{nil, NextAlternate{Rank: 1}},
		{[]string{"A"}, NextAlternate{Rank: 2}},
		{[]string{"A", "C"}, NextAlternate{Rank: 3, Over: true, Most: two}},
	} {
		s := laidOut(t, y, []string{"X00"}, c.alternates)
		j, err := f.Judge(&s)
		if err != nil {
			t.Fatal(err)
		}
		if got := f.NextAlternate(&s, j); got != c.want {
			t.Errorf("next to %v: %+v, want %+v", c.alternates, got, c.want)
		}
	}
}

// What someone recommends is suggested while it can be requested and is no alternate.
func TestWhatIsSuggested(t *testing.T) {
	y := plainYear(t)
	f := NewFacts(y, Student{ID: "s", Grade: 10, Signals: []Signal{{Kind: Recommendation, Code: "A"}, {Kind: Recommendation, Code: "E"}},
		Records: []Record{{Code: "E", Title: "E", Subjects: []string{"X"}, Year: 2025, Credits: 100, Outcome: Earned}}})
	for _, c := range []struct {
		alternates []string
		want       string
	}{{nil, "[A]"}, {[]string{"A"}, "[]"}} {
		s := laidOut(t, y, []string{"X00"}, c.alternates)
		effects, err := f.Effects(&s, false)
		if err != nil {
			t.Fatal(err)
		}
		got := []string{}
		for i := range effects {
			if effects[i].Suggested(&s) {
				got = append(got, y.Codes[effects[i].Course])
			}
			if effects[i].Possible() == (y.Codes[effects[i].Course] == "E") {
				t.Errorf("%s can be on the sheet: %v", y.Codes[effects[i].Course], effects[i].Possible())
			}
		}
		if fmt.Sprint(got) != c.want {
			t.Errorf("with the alternates %v: %v, want %s", c.alternates, got, c.want)
		}
	}
}
