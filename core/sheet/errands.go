package sheet

import (
	"cmp"
	"slices"

	"rubricon/core/condition"
)

// ErrandResult is an errand that concerns a student. Errand is its place in the year's errands; ReplacedBy is
// the course that replaces the placeholder, or -1; Signal is the place of the signal that settled it, or -1.
type ErrandResult struct {
	Errand     int
	Course     int32
	Settled    bool
	ReplacedBy int32
	Signal     int
}

// Errands lists what the courses on a sheet, as requests or alternates, bring with them: by date, what has
// none last, then the year's requests by rank, the summer's, the alternates, then in the order given.
func (f *Facts) Errands(s *Sheet) []ErrandResult {
	if len(f.Year.Errands) == 0 {
		return nil
	}
	place := map[int32]int{}
	for _, list := range [][]Entry{s.Requests, s.Summer, s.Alternates} {
		for _, e := range list {
			place[e.Course] = len(place)
		}
	}
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	var list []ErrandResult
	for i := range f.Year.Errands {
		e := &f.Year.Errands[i]
		if _, on := place[e.Course]; !on {
			continue
		}
		r := ErrandResult{Errand: i, Course: e.Course, ReplacedBy: -1}
		r.Signal = f.signalFor(ErrandDone, func(s *Signal) bool { return s.Code == e.Errand.Course && s.Name == e.Kind })
		d.subject = e.Course
		r.Settled = r.Signal >= 0 || e.SettledBy != nil && e.SettledBy.Judge(d) == condition.Met
		for _, course := range e.Becomes {
			if f.codes[course].flags&(isPlaced|isPermitted) != 0 {
				r.ReplacedBy = course
				break
			}
		}
		list = append(list, r)
	}
	slices.SortStableFunc(list, func(a, b ErrandResult) int {
		x, y := f.Year.Errands[a.Errand].Due, f.Year.Errands[b.Errand].Due
		if (x == "") != (y == "") {
			return cmp.Compare(len(y), len(x))
		}
		return cmp.Or(cmp.Compare(x, y), cmp.Compare(place[a.Course], place[b.Course]))
	})
	return list
}

// Placeholder is a course on a sheet, as request or alternate, that an errand says is replaced by another;
// false where there is none.
func (f *Facts) Placeholder(s *Sheet, course int32) (int32, bool) {
	for _, e := range slices.Concat(s.Requests, s.Summer, s.Alternates) {
		for i := range f.Year.Errands {
			if x := &f.Year.Errands[i]; x.Course == e.Course && slices.Contains(x.Becomes, course) {
				return e.Course, true
			}
		}
	}
	return 0, false
}
