package school

import (
	"context"
	"slices"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/store"
)

// ByHand gives a student a section of a course that they wish for, or with section "" takes the course away, with a reason; later runs keep that. The errors are NotFound, NeedsReason, RunBehind where
// something has to be placed anew first, NotAsked, NoSeat, SameTime (Param is the course that meets then), BesideRequest (an alternate with nothing to come in for; Param is the request) and
// LinkedApart (Param is the course that it goes with).
func (s *Service) ByHand(ctx context.Context, by int64, school string, year, run int, student, course, section, reason string) error {
	if reason = tidy(reason); reason == "" {
		return problem(NeedsReason)
	}
	return s.change(ctx, by, school, year, run, func(q store.Queries, x *placing, a *actor) ([]store.RunAct, error) {
		i, ok := x.by[student]
		code, there := x.b.Year.Index(course)
		if !ok || x.rows[student] == nil {
			return nil, problem(NotFound)
		}
		if !there {
			return nil, &Error{Code: NoCourse, Param: course}
		}
		if _, late := x.late[i]; late || len(x.since.Gone)+len(x.since.Moved)+len(x.since.Over) > 0 {
			return nil, problem(RunBehind)
		}
		alternate, err := x.byHand(i, code, section)
		if err != nil {
			return nil, err
		}
		kind, other, act := "given", "taken", "give"
		if section == "" {
			kind, other, act = "taken", "given", "take"
		}
		key := student + " " + course
		if _, err := q.Unhold(ctx, school, year, other, key); err != nil {
			return nil, err
		}
		hold := func(kind, key string, seats []store.HeldSeat) error {
			return q.Hold(ctx, school, year, &store.HoldRow{Kind: kind, Key: key, Seats: store.JSON[[]store.HeldSeat]{V: seats}, Reason: reason, By: a.name().Name, At: s.now()})
		}
		if err := hold(kind, key, []store.HeldSeat{{Student: student, Course: course, Section: section, Alternate: alternate}}); err != nil {
			return nil, err
		}
		if slices.ContainsFunc(x.holds, func(h store.HoldRow) bool { return h.Kind == "student" && h.Key == student }) {
			if err := hold("student", student, heldSeats(student, x.week(i))); err != nil {
				return nil, err
			}
		}
		return []store.RunAct{runAct(act, student, course, section, reason, x.was[student], x.week(i))}, nil
	})
}

func heldSeats(student string, week []GivenSection) (seats []store.HeldSeat) {
	for _, g := range week {
		seats = append(seats, store.HeldSeat{Student: student, Course: g.Course, Section: g.Section, Alternate: g.Alternate})
	}
	return seats
}

// byHand gives or takes, where that is valid, and tells whether the course is an alternate.
func (x *placing) byHand(i, course int32, section string) (alternate bool, err error) {
	s, g := &x.p.Students[i], &x.given[i]
	codes := x.b.Year.Codes
	request := slices.IndexFunc(s.Requests, func(r placement.Request) bool { return r.Course == course })
	stand := slices.IndexFunc(s.Alternates, func(a placement.Alternate) bool { return a.Course == course })
	var place *int32
	switch {
	case request >= 0:
		place = &g.Requests[request]
	case stand >= 0:
		place, alternate = &g.Alternates[stand], true
	default:
		return false, problem(NotAsked)
	}
	*place = placement.None
	if section != "" {
		at := int32(slices.IndexFunc(x.b.Sections, func(b bundle.Section) bool { return b.ID == section && b.Course == codes[course] }))
		if at < 0 {
			return false, problem(NotFound)
		}
		if x.p.Occupancy(x.given)[at] >= x.p.Sections[at].Seats {
			return false, problem(NoSeat)
		}
		if other := x.clash(i, at); other != "" {
			return false, &Error{Code: SameTime, Param: other}
		}
		*place = at
	}
	// An alternate comes in for a request that is not given.
	open, alternates := 0, 0
	for _, given := range g.Requests {
		if given == placement.None {
			open++
		}
	}
	for k, given := range g.Alternates {
		if given == placement.None {
			continue
		}
		alternates++
		if f := s.Alternates[k].StandsFor; f != placement.None && g.Requests[f] != placement.None {
			return false, &Error{Code: BesideRequest, Param: codes[s.Alternates[k].Course]}
		}
		if alternates > open {
			return false, &Error{Code: BesideRequest, Param: codes[s.Alternates[k].Course]}
		}
	}
	for _, group := range s.Together {
		for _, k := range group {
			if (g.Requests[k] == placement.None) != (g.Requests[group[0]] == placement.None) {
				other := group[0]
				if int(other) == request {
					other = k
				}
				return false, &Error{Code: LinkedApart, Param: codes[s.Requests[other].Course]}
			}
		}
	}
	return alternate, nil
}

// clash gives a course that a student has at the same time as a section of another one; "": none.
func (x *placing) clash(student, section int32) string {
	for _, list := range [][]int32{x.given[student].Requests, x.given[student].Alternates} {
		for _, other := range list {
			if other == placement.None || x.p.Sections[other].Course == x.p.Sections[section].Course {
				continue
			}
			if slices.ContainsFunc(x.p.Sections[other].Cells, func(c int32) bool { return slices.Contains(x.p.Sections[section].Cells, c) }) {
				return x.b.Sections[other].Course
			}
		}
	}
	return ""
}

// WishChoice is a wish of a student with the sections that it could be given in.
type WishChoice struct {
	Course    string
	Rank      int
	Alternate bool
	Section   string // the one that is given; empty: none
	Sections  []SectionChoice
}

// SectionChoice is a section with its seats, and what the student has at the same time.
type SectionChoice struct {
	RunSection
	Clash string // a course; empty: none
}

// Choices lists a student's wishes with their sections, as a run has it. The error is NotFound.
func (s *Service) Choices(ctx context.Context, by int64, school string, year, run int, student string) (list []WishChoice, err error) {
	r, _, err := s.foundRun(ctx, by, school, year, run)
	if err != nil {
		return nil, err
	}
	x, err := s.placingOf(ctx, school, year, run, r.Seed)
	if err != nil {
		return nil, err
	}
	i, ok := x.by[student]
	if !ok || x.rows[student] == nil {
		return nil, problem(NotFound)
	}
	taken := x.p.Occupancy(x.given)
	wish := func(rank int, course, section int32, alternate bool) {
		c := WishChoice{Course: x.b.Year.Codes[course], Rank: rank, Alternate: alternate}
		if section != placement.None {
			c.Section = x.b.Sections[section].ID
		}
		for k := range x.p.Sections {
			if x.p.Sections[k].Course != course {
				continue
			}
			o := SectionChoice{RunSection: RunSection{given(x.b, int32(k)), x.p.Sections[k].Seats, taken[k]}}
			o.Clash = x.clash(i, int32(k))
			c.Sections = append(c.Sections, o)
		}
		list = append(list, c)
	}
	for k, section := range x.given[i].Requests {
		wish(k+1, x.p.Students[i].Requests[k].Course, section, false)
	}
	for k, section := range x.given[i].Alternates {
		wish(k+1, x.p.Students[i].Alternates[k].Course, section, true)
	}
	return list, nil
}
