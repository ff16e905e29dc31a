package sheet

import (
	"errors"
	"slices"
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
)

// clone copies a sheet, so that an edit that is refused changes nothing.
func (s *Sheet) clone() Sheet {
	return Sheet{slices.Clone(s.Requests), slices.Clone(s.Alternates)}
}

func find(list []Entry, course int32) int {
	return slices.IndexFunc(list, func(e Entry) bool { return e.Course == course })
}

// renumber gives ranks 1, 2, 3… and lets alternates that stood for a course no longer requested stand for any.
func (s *Sheet) renumber() {
	for i := range s.Requests {
		s.Requests[i].Rank, s.Requests[i].StandsFor = i+1, Any
	}
	for i := range s.Alternates {
		a := &s.Alternates[i]
		a.Rank = i + 1
		if a.StandsFor != Any && find(s.Requests, a.StandsFor) < 0 {
			a.StandsFor = Any
		}
	}
}

// Request makes a course a request, whether it was an alternate or not on the sheet. Courses it excludes give it their place,
// and courses it is linked with come along. The errors are ErrBarred, ErrEarned, ErrFixed (what it would replace), ErrFull.
func (f *Facts) Request(s *Sheet, course int32) (Sheet, error) {
	out := s.clone()
	if find(out.Requests, course) >= 0 {
		return out, nil
	}
	c := &f.Year.Courses[course]
	if f.Barred(course) {
		return out, ErrBarred
	}
	if !c.Repeatable && f.AlreadyEarned(course) {
		return out, ErrEarned
	}
	place := len(out.Requests)
	for _, other := range c.Excludes {
		at := find(out.Requests, other)
		if at < 0 {
			continue
		}
		if _, fixed := f.Assigned(other); fixed {
			return out, ErrFixed
		}
		out.Requests = slices.Delete(out.Requests, at, at+1)
		if place = min(place, at); place > len(out.Requests) {
			place = len(out.Requests)
		}
	}
	out.Requests = slices.Insert(out.Requests, min(place, len(out.Requests)), Entry{Course: course, StandsFor: Any})
	added := []int32{course}
	for k := 0; k < len(added); k++ {
		for _, needs := range f.Year.Courses[added[k]].Links {
			if find(out.Requests, needs) < 0 && !f.AlreadyEarned(needs) && !f.Barred(needs) {
				out.Requests = append(out.Requests, Entry{Course: needs, StandsFor: Any})
				added = append(added, needs)
			}
		}
	}
	out.Alternates = slices.DeleteFunc(out.Alternates, func(e Entry) bool { return slices.Contains(added, e.Course) })
	out.renumber()
	return out, f.room(&out)
}

func (f *Facts) room(s *Sheet) error {
	if len(s.Requests) > MaxEntries || len(s.Alternates) > MaxEntries {
		return ErrFull
	}
	return nil
}

// Alternate makes a course the last alternate, whether it was a request or not on the sheet; standsFor is a requested course
// or Any. The errors are ErrBarred, ErrEarned, ErrFixed, ErrStandsFor, ErrFull.
func (f *Facts) Alternate(s *Sheet, course, standsFor int32) (Sheet, error) {
	out := s.clone()
	if f.Barred(course) {
		return out, ErrBarred
	}
	if !f.Year.Courses[course].Repeatable && f.AlreadyEarned(course) {
		return out, ErrEarned
	}
	if find(out.Requests, course) >= 0 {
		var err error
		if out, err = f.Remove(&out, course); err != nil {
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

// Remove takes a course off the sheet, with the requests it is linked with both ways and those that need it beside them. The
// errors are ErrNotOnSheet and ErrFixed.
func (f *Facts) Remove(s *Sheet, course int32) (Sheet, error) {
	out := s.clone()
	if at := find(out.Alternates, course); at >= 0 {
		out.Alternates = slices.Delete(out.Alternates, at, at+1)
		out.renumber()
		return out, nil
	}
	if find(out.Requests, course) < 0 {
		return out, ErrNotOnSheet
	}
	gone := []int32{course}
	for k := 0; k < len(gone); k++ {
		for _, e := range out.Requests {
			// What needs the course goes with it, and so does its other half; a co-requisite that stands alone stays.
			if slices.Contains(f.Year.Courses[e.Course].Links, gone[k]) && !slices.Contains(gone, e.Course) {
				gone = append(gone, e.Course)
			}
		}
	}
	for _, g := range gone {
		if _, fixed := f.Assigned(g); fixed {
			return out, ErrFixed
		}
	}
	out.Requests = slices.DeleteFunc(out.Requests, func(e Entry) bool { return slices.Contains(gone, e.Course) })
	out.renumber()
	return out, nil
}

// Order puts the requests, or the alternates, into an order. The error is ErrOrder.
func (f *Facts) Order(s *Sheet, alternates bool, order []int32) (Sheet, error) {
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
