package sheet

import (
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// TodoKind is a kind of thing that keeps a sheet from being submitted.
type TodoKind string

// The kinds.
const (
	RuleShort TodoKind = "ruleShort" // Rule lacks Amount
	RuleOver  TodoKind = "ruleOver"  // Rule is over by Amount
	EntryOpen TodoKind = "entry"     // the condition of Course does not hold; Verdict says how far
	LinkOpen  TodoKind = "link"      // Course should come with Needs
	Repeats   TodoKind = "repeat"    // Course is already earned, or stands next to a course it excludes
	NotOpen   TodoKind = "barred"    // Course is not offered to this student
	Overfull  TodoKind = "overload"  // the terms are over by Amount
)

// Todo is one thing to mend.
type Todo struct {
	Kind    TodoKind
	Rule    int
	Course  int32
	Needs   int32
	Verdict condition.Verdict
	Amount  credit.Amount
}

// Waits reports whether it waits for a person of the school, so that the student need not mend it.
func (t *Todo) Waits() bool { return t.Kind == EntryOpen && t.Verdict == condition.Unverified }

// OfSummer reports whether it belongs to the part of the sheet for the summer round.
func (f *Facts) OfSummer(t *Todo) bool {
	switch t.Kind {
	case RuleShort, RuleOver:
		return f.Year.Rules[t.Rule].On == policy.Summer
	case EntryOpen, Repeats, NotOpen:
		return f.Year.Courses[t.Course].Summer
	}
	return false
}

// Submittable reports whether a sheet with these things still to do may be submitted: what waits for a person
// does not hold it up, and what is below a minimum only where the school refuses that.
func Submittable(list []Todo, below policy.BelowMinimum) bool {
	for i := range list {
		if t := &list[i]; !t.Waits() && (t.Kind != RuleShort || below == policy.RefuseBelow) {
			return false
		}
	}
	return true
}

// Mark is how a course on the sheet stands.
type Mark string

// The marks.
const (
	Settled Mark = "settled"
	Half    Mark = "half"    // counts once a course now being taken is finished
	Stopped Mark = "stopped" // until a person decides, or it is changed
)

// Mark reports how the course stands.
func (r *RequestResult) Mark() Mark {
	switch {
	case r.HasEntry && r.Entry < condition.Expected, r.Barred, r.Repeat:
		return Stopped
	case r.HasEntry && r.Entry == condition.Expected:
		return Half
	}
	return Settled
}

// Todo lists what keeps a judged sheet from being submitted: rules first, in the policy's order, then courses
// by rank. It is empty exactly when the judgement is Ready.
func (f *Facts) Todo(j *Judgement) []Todo {
	var list []Todo
	for _, r := range j.Rules {
		rule := &f.Year.Rules[r.Rule]
		if r.Holds || rule.Stance != policy.Block {
			continue
		}
		if r.Below(rule) {
			list = append(list, Todo{Kind: RuleShort, Rule: r.Rule, Amount: *rule.Min - r.Measured})
		} else {
			list = append(list, Todo{Kind: RuleOver, Rule: r.Rule, Amount: r.Measured - *rule.Max})
		}
	}
	if !j.Packing.Fits() {
		list = append(list, Todo{Kind: Overfull, Amount: j.Packing.Overload})
	}
	for _, r := range slices.Concat(j.Requests, j.Summer) {
		stance := f.Year.Courses[r.Course].EntryStance
		if r.HasEntry && r.Entry < condition.Expected && (stance == policy.Block || stance == "") {
			list = append(list, Todo{Kind: EntryOpen, Course: r.Course, Verdict: r.Entry})
		}
		if r.Barred {
			list = append(list, Todo{Kind: NotOpen, Course: r.Course})
		}
		if r.Repeat {
			list = append(list, Todo{Kind: Repeats, Course: r.Course})
		}
	}
	for _, l := range j.Links {
		list = append(list, Todo{Kind: LinkOpen, Course: l.Course, Needs: l.Needs})
	}
	return list
}

// Below reports whether a rule that does not hold is below its minimum, rather than above its maximum.
func (r *RuleResult) Below(rule *catalog.Rule) bool { return rule.Min != nil && r.Measured < *rule.Min }

// Acknowledge lists what holds nothing up and is to be acknowledged by anyone who submits the sheet: the places
// of rules in force of that stance that do not hold, requests whose conditions are of that stance and not
// expected to be met, and requests of what is being taken now.
func (f *Facts) Acknowledge(j *Judgement) (rules []int, courses, taking []int32) {
	for _, r := range j.Rules {
		if !r.Holds && f.Year.Rules[r.Rule].Stance == policy.Acknowledge {
			rules = append(rules, r.Rule)
		}
	}
	for _, r := range slices.Concat(j.Requests, j.Summer) {
		if r.HasEntry && r.Entry < condition.Expected && f.Year.Courses[r.Course].EntryStance == policy.Acknowledge {
			courses = append(courses, r.Course)
		}
		if f.Taking(r.Course) {
			taking = append(taking, r.Course)
		}
	}
	return rules, courses, taking
}
