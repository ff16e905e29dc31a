package sheet

import (
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/policy"
)

func TestSubmittable(t *testing.T) {
	short, over, full := Todo{Kind: RuleShort}, Todo{Kind: RuleOver}, Todo{Kind: Overfull}
	claimed, unmet := Todo{Kind: EntryOpen, Verdict: condition.Unverified}, Todo{Kind: EntryOpen, Verdict: condition.Unmet}
	for _, c := range []struct {
		name         string
		list         []Todo
		refuse, note bool
	}{
		{"nothing to do", nil, true, true},
		{"a claim waits", []Todo{claimed}, true, true},
		{"a condition is unmet", []Todo{claimed, unmet}, false, false},
		{"a rule is short", []Todo{short}, false, true},
		{"short, and a claim waits", []Todo{short, claimed}, false, true},
		{"a rule is over", []Todo{over}, false, false},
		{"short and over-full", []Todo{short, full}, false, false},
		{"a link is open", []Todo{{Kind: LinkOpen}}, false, false},
		{"a repeat whose verdict is unverified", []Todo{{Kind: Repeats, Verdict: condition.Unverified}}, false, false},
	} {
		if got := Submittable(c.list, policy.RefuseBelow); got != c.refuse {
			t.Errorf("%s: %v where below the minimum is refused", c.name, got)
		}
		if got := Submittable(c.list, policy.NoteBelow); got != c.note {
			t.Errorf("%s: %v where below the minimum is noted", c.name, got)
		}
	}
}

func TestMark(t *testing.T) {
	for _, c := range []struct {
		result RequestResult
		want   Mark
	}{
		{RequestResult{}, Settled},
		{RequestResult{HasEntry: true, Entry: condition.Met}, Settled},
		{RequestResult{HasEntry: true, Entry: condition.Expected}, Half},
		{RequestResult{HasEntry: true, Entry: condition.Unverified}, Stopped},
		{RequestResult{HasEntry: true, Entry: condition.Unmet}, Stopped},
		{RequestResult{HasEntry: true, Entry: condition.Expected, Barred: true}, Stopped},
		{RequestResult{Repeat: true}, Stopped},
	} {
		if got := c.result.Mark(); got != c.want {
			t.Errorf("%+v is marked %s, want %s", c.result, got, c.want)
		}
	}
}

// What is still to do of the summer round are its rules and its courses, and nothing else.
func TestOfSummer(t *testing.T) {
	y := &catalog.Year{Courses: []catalog.Compiled{{Course: &catalog.Course{}}, {Course: &catalog.Course{Summer: true}}}, Rules: []catalog.Rule{{Rule: &policy.Rule{}}, {Rule: &policy.Rule{Count: policy.Count{On: policy.Summer}}}}}
	f := &Facts{Year: y}
	for _, c := range []struct {
		todo Todo
		want bool
	}{{Todo{Kind: RuleShort}, false}, {Todo{Kind: RuleShort, Rule: 1}, true}, {Todo{Kind: RuleOver, Rule: 1}, true}, {Todo{Kind: EntryOpen}, false}, {Todo{Kind: EntryOpen, Course: 1}, true},
		{Todo{Kind: Repeats, Course: 1}, true}, {Todo{Kind: NotOpen, Course: 1}, true}, {Todo{Kind: Overfull}, false}, {Todo{Kind: LinkOpen, Course: 1}, false}} {
		if got := f.OfSummer(&c.todo); got != c.want {
			t.Errorf("%+v is of the summer: %v", c.todo, got)
		}
	}
}
