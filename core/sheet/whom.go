package sheet

import (
	"rubricon/core/catalog"
	"rubricon/core/condition"
)

// Fits reports how far a student meets a condition that catalog.Year.Bind has bound: what Expected is rests on
// a course being taken now. Subject is the course that its leaves about “this course” mean, -1 for none.
func (f *Facts) Fits(s *Sheet, c *condition.Condition, subject int32) condition.Verdict {
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	d.subject = subject
	return c.Judge(asked{d})
}

// asked judges the leaves of a condition that stands for itself.
type asked struct{ *desk }

// Leaf is the verdict of one leaf; a course that the year knows nothing of is looked for among the records.
func (a asked) Leaf(l *condition.Leaf) condition.Verdict {
	switch l.Kind {
	case condition.Passed, condition.Alongside:
		if l.Ref >= 0 {
			break
		}
		verdict := condition.Unmet
		for i := range a.Records {
			switch r := &a.Records[i]; {
			case r.Code != l.Name:
			case r.counts() && (!l.HasAt || r.HasMark && r.Mark >= l.At):
				verdict = condition.Met
			case r.Outcome == InProgress:
				verdict = max(verdict, condition.Expected)
			}
		}
		return verdict
	case condition.Permission:
		if a.subject < 0 {
			if a.permits[l.Name] {
				return condition.Met
			}
			return condition.Unmet
		}
	}
	return a.desk.Leaf(l)
}

// ByWord reports whether a student may take a course once a teacher recommends it: it is offered to the grade,
// and its condition, with every “recommended” in it met, has the verdict; Met where it has none.
func (f *Facts) ByWord(s *Sheet, course int32) (verdict condition.Verdict, offered bool) {
	c := &f.Year.Courses[course]
	if !c.Offers(f.Grade) || c.Access == catalog.Application && !f.accessGranted(course) {
		return condition.Unmet, false
	}
	if c.Entry == nil {
		return condition.Met, true
	}
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	d.subject = course
	return c.Entry.Judge(recommended{d}), true
}

// recommended judges leaves as if a teacher had recommended the course.
type recommended struct{ *desk }

func (r recommended) Leaf(l *condition.Leaf) condition.Verdict {
	if l.Kind == condition.Recommended {
		return condition.Met
	}
	return r.desk.Leaf(l)
}
