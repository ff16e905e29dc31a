package sheet

import (
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// addition is what making a course a request does to the requests: those it excludes give it their place, and
// those it is linked with come along. A course of the summer round gets the place of requests of the year
// that it excludes, and the other way round.
type addition struct {
	school   bool    // the school makes it
	leaving  []int32 // what leaves for it, whether it excludes it or not
	requests []int32 // afterwards, in rank order
	summer   []int32 // those for the summer afterwards
	swaps    []int32 // what gives its place
	with     []int32 // what comes along
	refused  error   // why it cannot be done; the rest then tells what it would come to
}

// add works out an addition into a, whose buffers are reused. The course must not be among the requests.
func (f *Facts) add(a *addition, requests, summer []int32, course int32) {
	a.requests, a.summer, a.swaps, a.with, a.refused = a.requests[:0], a.summer[:0], a.swaps[:0], a.with[:0], nil
	c := &f.Year.Courses[course]
	switch {
	case f.Barred(course):
		a.refused = ErrBarred
	case !c.Repeatable && f.AlreadyEarned(course):
		a.refused = ErrEarned
	}
	place := len(requests)
	for _, r := range requests {
		if index(c.Excludes, r) < 0 && index(a.leaving, r) < 0 {
			a.requests = append(a.requests, r)
			continue
		}
		if len(a.swaps) == 0 || len(a.leaving) > 0 && r == a.leaving[0] {
			place = len(a.requests)
		}
		a.swaps = append(a.swaps, r)
	}
	for _, r := range summer {
		if index(a.leaving, r) >= 0 || !c.Summer && index(f.Year.Courses[r].Excludes, course) >= 0 {
			a.swaps = append(a.swaps, r)
		} else {
			a.summer = append(a.summer, r)
		}
	}
	if c.Summer {
		a.summer = append(a.summer, course)
	} else {
		a.requests = slices.Insert(a.requests, min(place, len(a.requests)), course)
		f.bringAlong(a, course)
	}
	// What a link brings back has not gone.
	a.swaps = slices.DeleteFunc(a.swaps, func(r int32) bool { return index(a.requests, r) >= 0 })
	a.with = slices.DeleteFunc(a.with, func(r int32) bool { return index(requests, r) >= 0 })
	for _, r := range a.swaps {
		if f.Held(r, a.school) && a.refused == nil {
			a.refused = ErrFixed
		}
	}
	if len(a.requests)+len(a.summer) > MaxEntries && a.refused == nil {
		a.refused = ErrFull
	}
}

// bringAlong adds the courses that a new request is linked with, and those they are linked with.
func (f *Facts) bringAlong(a *addition, course int32) {
	for k := -1; k < len(a.with); k++ {
		if k >= 0 {
			course = a.with[k]
		}
		for _, needs := range f.Year.Courses[course].Links {
			if index(a.requests, needs) < 0 && !f.AlreadyEarned(needs) && !f.Barred(needs) {
				a.requests = append(a.requests, needs)
				a.with = append(a.with, needs)
			}
		}
	}
}

// Held reports whether a course on the sheet is not to be taken off or exchanged: it is fixed, or assigned
// where the school lets no one exchange what it has assigned. The school itself is not bound.
func (f *Facts) Held(course int32, school bool) bool {
	assigned, fixed := f.Assigned(course)
	return !school && (fixed || assigned && f.Year.Policy.Settings.NoExchange)
}

// request makes a course a request, whether it was an alternate or not on the sheet. Courses it excludes give
// it their place, and courses it is linked with come along. The errors are ErrBarred, ErrEarned, ErrFixed
// (what it would replace), ErrFull, ErrOver.
func (f *Facts) request(s *Sheet, course int32, school bool) (Sheet, error) {
	if find(s.Requests, course) >= 0 || find(s.Summer, course) >= 0 {
		return s.clone(), nil
	}
	return f.added(s, &addition{school: school}, course)
}

// added is a sheet with an addition.
func (f *Facts) added(s *Sheet, a *addition, course int32) (Sheet, error) {
	out := s.clone()
	if f.add(a, s.courses(), courses(s.Summer), course); a.refused != nil {
		return out, a.refused
	}
	out.Requests, out.Summer = out.Requests[:0], out.Summer[:0]
	for _, r := range a.requests {
		out.Requests = append(out.Requests, Entry{Course: r, StandsFor: Any})
	}
	for _, r := range a.summer {
		out.Summer = append(out.Summer, Entry{Course: r, StandsFor: Any})
	}
	out.Alternates = slices.DeleteFunc(out.Alternates, func(e Entry) bool { return index(a.requests, e.Course) >= 0 })
	out.renumber()
	if !a.school && f.Year.Policy.Settings.OverMaximum == policy.RefuseOver && f.rises(s, &out) {
		return s.clone(), ErrOver
	}
	return out, nil
}

// placed is a sheet with a course of the year, or an alternate, at a place of its list, from 1; 0 leaves it
// where it is.
func (s Sheet) placed(course int32, place int) Sheet {
	for _, list := range []*[]Entry{&s.Requests, &s.Alternates} {
		if at := find(*list, course); at >= 0 && place > 0 {
			e := (*list)[at]
			*list = slices.Insert(slices.Delete(*list, at, at+1), min(place, len(*list))-1, e)
		}
	}
	s.renumber()
	return s
}

// replace puts a course in the place of one on the sheet, with what comes along and what leaves; a tie to
// what leaves is loosed. The errors are ErrThere (the course is requested), ErrNotOnSheet (instead is not),
// and those of a request or an alternate.
func (f *Facts) replace(s *Sheet, course, instead int32, school bool) (Sheet, error) {
	if find(s.Requests, course) >= 0 || find(s.Summer, course) >= 0 || course == instead {
		return s.clone(), ErrThere
	}
	if at := find(s.Alternates, instead); at >= 0 {
		if find(s.Alternates, course) >= 0 {
			return s.clone(), ErrThere
		}
		without := s.clone()
		without.Alternates = slices.Delete(without.Alternates, at, at+1)
		out, err := f.alternate(&without, course, s.Alternates[at].StandsFor, school)
		if err != nil {
			return s.clone(), err
		}
		return out.placed(course, at+1), nil
	}
	leaving := f.leaving(s.courses(), instead)
	if find(s.Requests, instead) < 0 {
		if find(s.Summer, instead) < 0 {
			return s.clone(), ErrNotOnSheet
		}
		leaving = []int32{instead}
	}
	return f.added(s, &addition{school: school, leaving: leaving}, course)
}

// takeOver makes requests of all courses of a list that can be, in its order; what is requested already
// stays. The error is that of the first where none can be.
func (f *Facts) takeOver(s *Sheet, list []int32, school bool) (Sheet, error) {
	out, taken := s.clone(), false
	var refused error
	for _, course := range list {
		next, err := f.request(&out, course, school)
		switch {
		case err == nil:
			out, taken = next, true
		case refused == nil:
			refused = err
		}
	}
	if taken {
		refused = nil
	}
	return out, refused
}

// fillIn makes requests of what Only lists, until there is no more. The error is ErrNothing.
func (f *Facts) fillIn(s *Sheet, school bool) (Sheet, error) {
	out, filled := s.clone(), false
	for range f.Year.Rules {
		list := f.Only(&out)
		if len(list) == 0 {
			break
		}
		next, err := f.request(&out, list[0].Course, school)
		if err != nil {
			break
		}
		out, filled = next, true
	}
	if !filled {
		return out, ErrNothing
	}
	return out, nil
}

// rises reports whether some block rule is above its maximum on a sheet, and not as far on the one before.
func (f *Facts) rises(before, after *Sheet) bool {
	d := f.borrowDesk()
	defer d.giveBack()
	measured := make([]credit.Amount, len(f.Year.Rules))
	counted := make([]bool, len(f.Year.Rules))
	for _, s := range []*Sheet{before, after} {
		if d.layOut(s) != nil {
			return false // beyond judging is another refusal
		}
		for i := range f.Year.Rules {
			r := &f.Year.Rules[i]
			if r.Stance != policy.Block || r.Max == nil || !d.inForce(i) {
				continue
			}
			now, _ := d.rule(i)
			if s == after && above(r, counted[i], measured[i], now) {
				return true
			}
			counted[i], measured[i] = true, now
		}
	}
	return false
}

// above reports whether a block rule in force is above its maximum, and was not, or not as far; counted tells
// whether it was in force.
func above(r *catalog.Rule, counted bool, before, now credit.Amount) bool {
	return r.Stance == policy.Block && r.Max != nil && now > *r.Max && (!counted || now > before)
}

func (f *Facts) room(s *Sheet) error {
	if len(s.Requests)+len(s.Summer) > MaxEntries || len(s.Alternates) > MaxEntries {
		return ErrFull
	}
	return nil
}
