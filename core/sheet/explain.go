package sheet

import (
	"rubricon/core/condition"
)

// Evidence is one leaf of a condition with what it rests on: the place of a record or of a signal in the
// student's lists, or -1. A leaf that is met by a request on the sheet, the grade or a program rests on
// neither.
type Evidence struct {
	Leaf    *condition.Leaf
	Verdict condition.Verdict
	Record  int
	Signal  int
}

// Explain lists the leaves of a course's condition, in the order written, each with its evidence.
func (f *Facts) Explain(s *Sheet, course int32) []Evidence {
	c := f.Year.Courses[course].Entry
	if c == nil {
		return nil
	}
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	d.subject = course
	var list []Evidence
	c.Leaves(func(l *condition.Leaf) bool {
		e := Evidence{Leaf: l, Verdict: d.Leaf(l), Record: -1, Signal: -1}
		switch l.Kind {
		case condition.Passed, condition.Alongside:
			e.Record = d.recordFor(l, e.Verdict)
			if e.Verdict == condition.Unverified {
				e.Signal = d.signalFor(Claim, func(s *Signal) bool { return s.Code == l.Name })
			}
		case condition.Score:
			e.Signal = d.bestScore(l.Name)
		case condition.Recommended:
			e.Signal = d.signalFor(Recommendation, func(s *Signal) bool { return s.Code == f.Year.Codes[course] })
		case condition.Permission:
			e.Signal = d.signalFor(Permission, func(s *Signal) bool {
				return s.Name == l.Name && (s.Code == "" || s.Code == f.Year.Codes[course])
			})
		}
		if e.Signal < 0 && e.Verdict == condition.Unverified {
			e.Signal = d.signalFor(Claim, func(s *Signal) bool {
				return s.Name == l.Name || l.Kind == condition.Recommended && s.Name == "recommended"
			})
		}
		list = append(list, e)
		return true
	})
	return list
}

func (f *Facts) signalFor(kind SignalKind, is func(*Signal) bool) int {
	for i := range f.Signals {
		if f.Signals[i].Kind == kind && is(&f.Signals[i]) {
			return i
		}
	}
	return -1
}

func (f *Facts) bestScore(name string) int {
	best := -1
	for i := range f.Signals {
		if s := &f.Signals[i]; s.Kind == ScoreOnFile && s.Name == name && (best < 0 || s.Value > f.Signals[best].Value) {
			best = i
		}
	}
	return best
}

// recordFor finds the record that speaks for a leaf: one that meets it, else one in progress, else the one
// with the best mark.
func (d *desk) recordFor(l *condition.Leaf, v condition.Verdict) int {
	best, bestValue := -1, int64(-1)
	for i := range d.Records {
		r := &d.Records[i]
		if r.Outcome == Withdrawn || !d.sameCredit(l.Ref, r.Code) {
			continue
		}
		value := int64(0)
		switch {
		case r.counts() && (!l.HasAt || r.HasMark && r.Mark >= l.At):
			value = 1 << 40
		case r.Outcome == InProgress && v == condition.Expected:
			value = 1 << 30
		case r.HasMark:
			value = int64(r.Mark) + 1
		}
		if value > bestValue {
			best, bestValue = i, value
		}
	}
	return best
}

// sameCredit reports whether a code is the course itself or one that counts as the same credit both ways.
func (d *desk) sameCredit(course int32, code string) bool {
	if d.Year.Codes[course] == code {
		return true
	}
	if int(course) < len(d.Year.Courses) {
		for _, other := range d.Year.Courses[course].Mutual {
			if d.Year.Codes[other] == code {
				return true
			}
		}
	}
	return false
}
