package sheet

import (
	"slices"
)

// WhatIf is the year that results when some requests cannot be given.
type WhatIf struct {
	Lost      []Cover // one after the other, by rank: what comes in for each
	Sheet     Sheet   // with what has come in as requests, and without what was lost
	Judgement *Judgement
}

// WhatIf takes requests away, one after the other by rank, and lets in for each the alternates that Cover
// gives for it on what is left. The errors are ErrNotOnSheet (one is not requested) and those of Cover.
func (f *Facts) WhatIf(s *Sheet, lost []int32) (out WhatIf, err error) {
	out.Sheet = s.clone()
	for _, course := range lost {
		if find(s.Requests, course) < 0 {
			return out, ErrNotOnSheet
		}
	}
	for _, e := range s.Requests {
		if index(lost, e.Course) < 0 {
			continue
		}
		covers, err := f.Cover(&out.Sheet)
		if err != nil {
			return out, err
		}
		at := find(out.Sheet.Requests, e.Course)
		cover := covers[at]
		out.Lost = append(out.Lost, cover)
		out.Sheet.Requests = slices.Delete(out.Sheet.Requests, at, at+1)
		for _, mend := range cover.Mend {
			i := find(out.Sheet.Alternates, mend)
			out.Sheet.Alternates = slices.Delete(out.Sheet.Alternates, i, i+1)
			out.Sheet.Requests = append(out.Sheet.Requests, Entry{Course: mend, StandsFor: Any, Rank: len(out.Sheet.Requests) + 1})
		}
	}
	out.Judgement, err = f.Judge(&out.Sheet)
	return out, err
}

// Hint is a course that as one more alternate would on its own step in for requests that nothing covers.
type Hint struct {
	Course int32
	Saves  []int32 // by rank
}

// MaxHints bounds the hints.
const MaxHints = 5

// Hints lists the courses not on the sheet that would cover the most of the requests that nothing covers, the
// best first; courses that would cover as many are in the order of the year's. The errors are those of Cover.
func (f *Facts) Hints(s *Sheet) (list []Hint, err error) {
	open, err := f.Uncovered(s)
	if err != nil || len(open) == 0 {
		return nil, err
	}
	m, err := f.toMend(s)
	if err != nil {
		return nil, err
	}
	requests, alternates := slices.Clone(m.requests), slices.Clone(m.alternates)
	for i := range f.Year.Courses {
		course := int32(i)
		c := &f.Year.Courses[i]
		if c.Summer || index(requests, course) >= 0 || index(alternates, course) >= 0 || find(s.Summer, course) >= 0 ||
			f.Barred(course) || !c.Repeatable && f.AlreadyEarned(course) {
			continue
		}
		hint := Hint{Course: course}
		m.chosen = append(m.chosen[:0], course)
		for _, lost := range open {
			m.trial = append(slices.DeleteFunc(slices.Clone(requests), func(r int32) bool { return r == lost }), course)
			m.left = append(m.left[:0], alternates...)
			if m.holds() && m.packer.over == 0 && m.admissible() {
				hint.Saves = append(hint.Saves, lost)
			}
			if m.tryErr != nil {
				return nil, m.tryErr
			}
		}
		if len(hint.Saves) > 0 {
			list = append(list, hint)
		}
	}
	slices.SortStableFunc(list, func(a, b Hint) int { return len(b.Saves) - len(a.Saves) })
	return list[:min(len(list), MaxHints)], nil
}
