package schedule

import (
	"context"
	"errors"
	"slices"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/app/text"
	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/store"
)

// ByHand gives a student a section of a course that they wish for, or with section "" takes the course away,
// with a reason; later runs keep that. The errors are NotFound, NeedsReason, RunBehind where something has to
// be placed again first, NotAsked, NoSeat, SameTime (Param is the course that meets then), BesideRequest (an
// alternate with nothing to come in for; Param is the request) and LinkedApart (Param is the course that it
// goes with).
func (s *Service) ByHand(ctx context.Context, by int64, school string, year, run int, student, course, section, reason string) error {
	if reason = text.Tidy(reason); reason == "" {
		return problem.New(problem.NeedsReason)
	}
	return s.change(ctx, by, school, year, run, func(q store.Queries, x *placing, a *actor.Actor) ([]store.RunAct, error) {
		i, ok := x.by[student]
		code, there := x.in.Year.Index(course)
		if !ok || x.rows[student] == nil {
			return nil, problem.New(problem.NotFound)
		}
		if !there {
			return nil, &problem.Error{Code: problem.NoCourse, Param: course}
		}
		if _, late := x.late[i]; late || len(x.since.Gone)+len(x.since.Moved)+len(x.since.Over) > 0 {
			return nil, problem.New(problem.RunBehind)
		}
		at := placement.None
		if section != "" {
			if at = int32(slices.IndexFunc(x.in.Sections, func(b bundle.Section) bool { return b.ID == section && b.Course == course })); at < 0 {
				return nil, problem.New(problem.NotFound)
			}
		}
		var refusal *placement.Refusal
		if err := x.p.ByHand(x.given, i, code, at); errors.As(err, &refusal) {
			return nil, &problem.Error{Code: problem.Code(refusal.Why), Param: x.code(refusal.Course)}
		} else if err != nil {
			return nil, err
		}
		kind, other, act := "given", "taken", "give"
		if section == "" {
			kind, other, act = "taken", "given", "take"
		}
		key := student + " " + course
		if _, err := q.Schedule.Unhold(ctx, school, year, other, key); err != nil {
			return nil, err
		}
		hold := func(kind, key string, seats []store.HeldSeat) error {
			return q.Schedule.Hold(ctx, school, year,
				&store.HoldRow{Kind: kind, Key: key, Seats: store.JSON[[]store.HeldSeat]{V: seats}, Reason: reason,
					By: a.Name().Name, At: s.base.Now()})
		}
		week := x.heldSeats(i)
		seat := store.HeldSeat{Student: student, Course: course}
		if k := slices.IndexFunc(week, func(h store.HeldSeat) bool { return h.Course == course }); k >= 0 {
			seat = week[k]
		}
		if err := hold(kind, key, []store.HeldSeat{seat}); err != nil {
			return nil, err
		}
		if slices.ContainsFunc(x.holds, func(h store.HoldRow) bool { return h.Kind == "student" && h.Key == student }) {
			if err := hold("student", student, week); err != nil {
				return nil, err
			}
		}
		return []store.RunAct{runAct(act, student, course, section, reason, x.was[student], x.week(i))}, nil
	})
}

// heldSeats are the seats of a student's week, each alternate with the request that it came in for.
func (x *placing) heldSeats(student int32) (seats []store.HeldSeat) {
	came := map[string]string{}
	for _, u := range x.p.Reasons(int(student), &x.given[student], x.p.Occupancy(x.given)) {
		if u.InsteadOf != placement.None {
			came[x.code(x.p.Students[student].Alternates[u.InsteadOf].Course)] = x.code(x.p.Students[student].Requests[u.Request].Course)
		}
	}
	return heldSeats(x.p.Students[student].ID, x.week(student), came)
}

func heldSeats(student string, week []GivenSection, came map[string]string) (seats []store.HeldSeat) {
	for _, g := range week {
		seats = append(seats, store.HeldSeat{Student: student, Course: g.Course, Section: g.Section, For: came[g.Course]})
	}
	return seats
}

// code is a course's code; "" of none.
func (x *placing) code(course int32) string {
	if course == placement.None {
		return ""
	}
	return x.in.Year.Codes[course]
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
		return nil, problem.New(problem.NotFound)
	}
	taken := x.p.Occupancy(x.given)
	wish := func(rank int, course, section int32, alternate bool) {
		c := WishChoice{Course: x.in.Year.Codes[course], Rank: rank, Alternate: alternate}
		if section != placement.None {
			c.Section = x.in.Sections[section].ID
		}
		for k := range x.p.Sections {
			if x.p.Sections[k].Course != course {
				continue
			}
			o := SectionChoice{RunSection: RunSection{given(x.in.Bundle, int32(k)), x.p.Sections[k].Seats, taken[k]}}
			o.Clash = x.code(x.p.AtThatTime(&x.given[i], int32(k)))
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
