package sheet

import (
	"testing"

	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Each value of the settings that bear on edits, for the family and for the school, which is not bound by them.
func TestSettingsOfEdits(t *testing.T) {
	y := plainYear(t)
	most := 2 * credit.One
	y.Policy.Rules = []policy.Rule{{ID: "most", Stance: policy.Block, Count: policy.Count{On: policy.Requests, Measure: policy.Courses, Max: &most}}}
	over := plainYearWith(t, y.Policy)
	index := func(code string) int32 { i, _ := over.Index(code); return i }
	full := Sheet{Requests: []Entry{{Course: index("A")}, {Course: index("E")}}}
	for _, c := range []struct {
		name     string
		settings policy.Settings
		fixed    credit.Amount // of the assignment of A
		edit     Edit
		family   error // the school is refused nothing here
	}{
		{"above the maximum, flagged", policy.Settings{}, 0, Edit{Kind: MakeRequest, Course: index("C")}, nil},
		{"above the maximum, refused", policy.Settings{OverMaximum: policy.RefuseOver}, 0, Edit{Kind: MakeRequest, Course: index("C")}, ErrOver},
		{"an exchange adds nothing", policy.Settings{OverMaximum: policy.RefuseOver}, 0, Edit{Kind: MakeRequest, Course: index("B")}, nil},
		{"an alternate is not counted", policy.Settings{OverMaximum: policy.RefuseOver}, 0, Edit{Kind: MakeAlternate, Course: index("C"), StandsFor: Any}, nil},
		{"exchange what is replaceable", policy.Settings{}, 0, Edit{Kind: MakeRequest, Course: index("B")}, nil},
		{"exchange, where the school has none", policy.Settings{NoExchange: true}, 0, Edit{Kind: MakeRequest, Course: index("B")}, ErrFixed},
		{"exchange what is fixed", policy.Settings{}, credit.One, Edit{Kind: MakeRequest, Course: index("B")}, ErrFixed},
		{"take off what is replaceable", policy.Settings{}, 0, Edit{Kind: TakeOff, Course: index("A")}, nil},
		{"take it off, where the school has no exchange", policy.Settings{NoExchange: true}, 0, Edit{Kind: TakeOff, Course: index("A")}, ErrFixed},
		{"take off what is fixed", policy.Settings{}, credit.One, Edit{Kind: TakeOff, Course: index("A")}, ErrFixed},
		{"make an alternate of what is fixed", policy.Settings{}, credit.One, Edit{Kind: MakeAlternate, Course: index("A"), StandsFor: Any}, ErrFixed},
		{"take off what nobody assigned", policy.Settings{NoExchange: true}, 0, Edit{Kind: TakeOff, Course: index("E")}, nil},
	} {
		over.Policy.Settings = c.settings
		f := NewFacts(over, Student{Grade: 10, Signals: []Signal{{Kind: Assignment, Code: "A", Value: c.fixed}}})
		if _, err := f.Apply(&full, c.edit); err != c.family {
			t.Errorf("%s, by the family: %v, want %v", c.name, err, c.family)
		}
		c.edit.School = true
		if _, err := f.Apply(&full, c.edit); err != nil {
			t.Errorf("%s, by the school: %v", c.name, err)
		}
	}
}
