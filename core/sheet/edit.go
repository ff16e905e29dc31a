package sheet

import (
	"errors"
	"slices"

	"rubricon/core/policy"
)

// What an edit can be refused for.
var (
	ErrFixed      = errors.New("the school has fixed this course on the sheet")
	ErrNotOnSheet = errors.New("the course is not on the sheet")
	ErrBarred     = errors.New("the course is not offered to this student")
	ErrEarned     = errors.New("the course is already earned")
	ErrOrder      = errors.New("the order must name each course of the list once")
	ErrStandsFor  = errors.New("an alternate can only stand for a course that is requested")
	ErrFull       = errors.New("the sheet is full")
	ErrOver       = errors.New("a rule would be above its maximum")
	ErrSummer     = errors.New("a course of the summer round is no alternate")
	ErrThere      = errors.New("the course is on the sheet already")
	ErrNothing    = errors.New("there is nothing to be filled in")
	ErrKind       = errors.New("there is no such kind of change")
)

// clone copies a sheet, so that an edit that is refused changes nothing.
func (s *Sheet) clone() Sheet {
	return Sheet{slices.Clone(s.Requests), slices.Clone(s.Alternates), slices.Clone(s.Summer)}
}

func find(list []Entry, course int32) int {
	return slices.IndexFunc(list, func(e Entry) bool { return e.Course == course })
}

// renumber assigns ranks 1, 2, 3… and lets alternates that stood for a course no longer requested stand for any.
func (s *Sheet) renumber() {
	for i := range s.Requests {
		s.Requests[i].Rank, s.Requests[i].StandsFor = i+1, Any
	}
	for i := range s.Summer { // behind the year's, so that no two requests have the same
		s.Summer[i].Rank, s.Summer[i].StandsFor = len(s.Requests)+i+1, Any
	}
	for i := range s.Alternates {
		a := &s.Alternates[i]
		a.Rank = i + 1
		if a.StandsFor != Any && find(s.Requests, a.StandsFor) < 0 {
			a.StandsFor = Any
		}
	}
}

// EditKind is a kind of change to a sheet.
type EditKind string

// The kinds.
const (
	MakeRequest   EditKind = "request"   // Course becomes a request
	MakeAlternate EditKind = "alternate" // Course becomes an alternate, standing for StandsFor
	TakeOff       EditKind = "remove"    // Course leaves the sheet
	PutInOrder    EditKind = "order"     // the requests, or the alternates where Alternates is set, take the order of Order
	Replace       EditKind = "replace"   // Course takes the place of Instead, a request or an alternate
	TakeOver      EditKind = "takeOver"  // all of Courses that can be become requests
	FillIn        EditKind = "fill"      // what has only one possible answer becomes a request
)

// Edit is one change to a sheet; courses are indexes of the year. Where the School makes it, it may move what
// is fixed for the family and go above a maximum.
type Edit struct {
	School     bool
	Kind       EditKind
	Course     int32
	StandsFor  int32 // MakeAlternate: a requested course, or Any
	Instead    int32 // Replace: what gives its place
	Place      int   // MakeRequest, MakeAlternate: the place it takes in its list, from 1; 0: the one it comes to
	Alternates bool
	Order      []int32
	Courses    []int32 // TakeOver
}

// Apply makes one change; the sheet given stays as it is. It is the only way a sheet is changed, and Effects
// foretells what it does. The error is one of this file's, or says that there is no such kind.
func (f *Facts) Apply(s *Sheet, e Edit) (Sheet, error) {
	switch e.Kind {
	case MakeRequest:
		out, err := f.request(s, e.Course, e.School)
		return out.placed(e.Course, e.Place), err
	case MakeAlternate:
		out, err := f.alternate(s, e.Course, e.StandsFor, e.School)
		return out.placed(e.Course, e.Place), err
	case Replace:
		return f.replace(s, e.Course, e.Instead, e.School)
	case TakeOver:
		return f.takeOver(s, e.Courses, e.School)
	case FillIn:
		return f.fillIn(s, e.School)
	case TakeOff:
		return f.remove(s, e.Course, e.School)
	case PutInOrder:
		return f.order(s, e.Alternates, e.Order)
	}
	return s.clone(), ErrKind
}

// MayBecome returns nil where a sheet may become another one as a whole, as by undoing, or when a draft or an
// earlier version comes in its place: by the rules of the edits that would lead there. The errors are
// ErrFixed, ErrBarred, ErrEarned, ErrFull and ErrOver. School: the school does it.
func (f *Facts) MayBecome(is, comes *Sheet, school bool) error {
	for _, e := range is.Requests {
		if f.Held(e.Course, school) && find(comes.Requests, e.Course) < 0 {
			return ErrFixed
		}
	}
	more := false
	for i, lists := range [][2][]Entry{{is.Requests, comes.Requests}, {is.Summer, comes.Summer}, {is.Alternates, comes.Alternates}} {
		for _, e := range lists[1] {
			if find(lists[0], e.Course) >= 0 {
				continue
			}
			more = more || i < 2
			switch {
			case f.Barred(e.Course):
				return ErrBarred
			case !f.Year.Courses[e.Course].Repeatable && f.AlreadyEarned(e.Course):
				return ErrEarned
			}
		}
	}
	if err := f.room(comes); err != nil {
		return err
	}
	if more && !school && f.Year.Policy.Settings.OverMaximum == policy.RefuseOver && f.rises(is, comes) {
		return ErrOver
	}
	return nil
}

// alternate makes a course the last alternate, whether it was a request or not on the sheet; standsFor is a
// requested course or Any. The errors are ErrBarred, ErrEarned, ErrFixed, ErrStandsFor, ErrSummer, ErrFull.
func (f *Facts) alternate(s *Sheet, course, standsFor int32, school bool) (Sheet, error) {
	out := s.clone()
	if f.Year.Courses[course].Summer {
		return out, ErrSummer
	}
	if f.Barred(course) {
		return out, ErrBarred
	}
	if !f.Year.Courses[course].Repeatable && f.AlreadyEarned(course) {
		return out, ErrEarned
	}
	if find(out.Requests, course) >= 0 {
		var err error
		if out, err = f.remove(&out, course, school); err != nil {
			return out, err
		}
	}
	if standsFor != Any && find(out.Requests, standsFor) < 0 {
		return out, ErrStandsFor
	}
	if at := find(out.Alternates, course); at >= 0 {
		out.Alternates[at].StandsFor = standsFor
	} else {
		out.Alternates = append(out.Alternates, Entry{Course: course, StandsFor: standsFor})
	}
	out.renumber()
	return out, f.room(&out)
}

// remove takes a course off the sheet, with the requests it is linked with both ways and those that need it
// next to them. The errors are ErrNotOnSheet and ErrFixed.
func (f *Facts) remove(s *Sheet, course int32, school bool) (Sheet, error) {
	out := s.clone()
	if at := find(out.Alternates, course); at >= 0 {
		out.Alternates = slices.Delete(out.Alternates, at, at+1)
		out.renumber()
		return out, nil
	}
	if at := find(out.Summer, course); at >= 0 {
		if f.Held(course, school) {
			return out, ErrFixed
		}
		out.Summer = slices.Delete(out.Summer, at, at+1)
		out.renumber()
		return out, nil
	}
	if find(out.Requests, course) < 0 {
		return out, ErrNotOnSheet
	}
	gone := f.leaving(s.courses(), course)
	for _, g := range gone {
		if f.Held(g, school) {
			return out, ErrFixed
		}
	}
	out.Requests = slices.DeleteFunc(out.Requests, func(e Entry) bool { return slices.Contains(gone, e.Course) })
	out.renumber()
	return out, nil
}

// leaving lists a request and what leaves with it: what needs it, and so its other half; a co-requisite that
// stands alone stays.
func (f *Facts) leaving(requests []int32, course int32) []int32 {
	gone := []int32{course}
	for k := 0; k < len(gone); k++ {
		for _, r := range requests {
			if slices.Contains(f.Year.Courses[r].Links, gone[k]) && !slices.Contains(gone, r) {
				gone = append(gone, r)
			}
		}
	}
	return gone
}

// order puts the year's requests, or the alternates, into an order. The error is ErrOrder.
func (f *Facts) order(s *Sheet, alternates bool, order []int32) (Sheet, error) {
	out := s.clone()
	list := &out.Requests
	if alternates {
		list = &out.Alternates
	}
	if len(order) != len(*list) {
		return out, ErrOrder
	}
	sorted := make([]Entry, 0, len(order))
	for _, course := range order {
		at := find(*list, course)
		if at < 0 || find(sorted, course) >= 0 {
			return out, ErrOrder
		}
		sorted = append(sorted, (*list)[at])
	}
	*list = sorted
	out.renumber()
	return out, nil
}
