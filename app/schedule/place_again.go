package schedule

import (
	"context"
	"encoding/json"
	"slices"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/store"
)

// mostMoved is how many others make room for one who is placed again.
const mostMoved = 3

// Touched is a student whose week has changed, and why.
type Touched struct {
	PersonName
	Why       TouchedWhy
	Was, Now  []GivenSection
	Lost, Got []string // courses
}

// TouchedWhy is why a week has changed.
type TouchedWhy string

// The reasons.
const (
	TouchedNew     TouchedWhy = "new"     // the sheet was handed in since
	TouchedChanged TouchedWhy = "changed" // it was handed in otherwise
	TouchedGone    TouchedWhy = "gone"    // a section has gone
	TouchedMoved   TouchedWhy = "moved"   // a section meets at another time
	TouchedOver    TouchedWhy = "over"    // a section has fewer seats
	TouchedRoom    TouchedWhy = "room"    // to make room for someone else
	TouchedOut     TouchedWhy = "out"     // the sheet is no longer handed in
)

// change changes what a run gives, while no one else does.
func (s *Service) change(ctx context.Context, by int64, school string, year, run int,
	work func(q store.Queries, x *placing, a *actor.Actor) ([]store.RunAct, error)) error {
	r, a, err := s.foundRun(ctx, by, school, year, run)
	if err != nil {
		return err
	}
	x, err := s.toChange(ctx, school, year, r.Seed)
	if err != nil {
		return err
	}
	return s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Schedule.LockRun(ctx, school, year, run); err != nil {
			return err
		}
		rows, err := q.Schedule.AllGiven(ctx, school, year, run)
		if err != nil {
			return err
		}
		row, err := q.Schedule.RunOf(ctx, school, year, run, 0) // as anyone who came before has left it
		if err != nil {
			return err
		}
		if r, err = newRun(row); err != nil {
			return err
		}
		if x.holds, err = q.Schedule.Holds(ctx, school, year); err != nil {
			return err
		}
		if err := x.with(rows); err != nil {
			return err
		}
		done, err := work(q, x, a)
		if err != nil {
			return err
		}
		if x.holds, err = q.Schedule.Holds(ctx, school, year); err != nil { // which that may have changed
			return err
		}
		summary, given := x.asFound(r.Summary)
		summary.Touched += len(done)
		if err := q.Schedule.KeepFound(ctx, school, year, run, summary, given); err != nil {
			return err
		}
		return q.Schedule.AddRunActs(ctx, school, year, run, a.Name().Name, s.base.Now(), done)
	})
}

// PlaceAnew places again what has changed since a run was made, touching as few others as it can, and tells
// whose week is another now. The errors are NotFound and acts.AlreadyDone where nothing has changed.
func (s *Service) PlaceAnew(ctx context.Context, by int64, school string, year, run int) (list []Touched, err error) {
	err = s.change(ctx, by, school, year, run, func(_ store.Queries, x *placing, _ *actor.Actor) (done []store.RunAct, err error) {
		if len(x.late) == 0 && len(x.gone) == 0 {
			return nil, problem.New(problem.Code(acts.AlreadyDone))
		}
		var who []int32
		for _, i := range x.p.Order(x.draw) {
			if _, late := x.late[i]; late {
				who = append(who, i)
			}
		}
		// Seats that are held stay, also those of anyone who is placed again.
		_, denied, _ := x.held()
		rest := x.p.Deny(denied).Hold(x.kept())
		given := rest.Rest(x.given)
		moved, err := rest.Problem.Anew(given, who, mostMoved)
		if err != nil {
			return nil, err
		}
		x.given = rest.Whole(&placement.Placement{Given: given}).Given
		for _, i := range moved {
			x.late[i] = TouchedRoom
		}
		for _, id := range x.gone {
			list = append(list, Touched{PersonName: PersonName{ID: id}, Why: TouchedOut, Was: x.was[id], Lost: coursesOf(x.was[id])})
			done = append(done, runAct("anew", id, "", "", string(TouchedOut), x.was[id], nil))
		}
		for _, i := range append(who, moved...) {
			t := Touched{PersonName: PersonName{ID: x.p.Students[i].ID}, Why: x.late[i], Was: x.was[x.p.Students[i].ID], Now: x.week(i)}
			if t.differ(); len(t.Lost)+len(t.Got) == 0 && sameWeek(t.Was, t.Now) {
				continue
			}
			list = append(list, t)
			done = append(done, runAct("anew", t.ID, "", "", string(t.Why), t.Was, t.Now))
		}
		return done, nil
	})
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	names, err := s.names(ctx, school, year, ids)
	for i := range list {
		for _, n := range names {
			if n.ID == list[i].ID {
				list[i].PersonName = n
			}
		}
	}
	return list, err
}

// week returns the sections that a student has now.
func (x *placing) week(student int32) []GivenSection {
	list := []GivenSection{}
	for k, sections := range [][]int32{x.given[student].Requests, x.given[student].Alternates} {
		for _, section := range sections {
			if section != placement.None {
				g := given(x.in.Bundle, section)
				g.Alternate = k == 1
				list = append(list, g)
			}
		}
	}
	return list
}

func sameWeek(a, b []GivenSection) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(x GivenSection) bool {
		return !slices.ContainsFunc(b, func(y GivenSection) bool {
			return x.Section == y.Section && slices.Equal(x.Periods, y.Periods) && slices.Equal(x.Days, y.Days) && slices.Equal(x.Terms, y.Terms)
		})
	})
}

// differ reports which courses were lost and got.
func (t *Touched) differ() {
	has := func(list []GivenSection, course string) bool {
		return slices.ContainsFunc(list, func(g GivenSection) bool { return g.Course == course })
	}
	for _, g := range t.Was {
		if !has(t.Now, g.Course) {
			t.Lost = append(t.Lost, g.Course)
		}
	}
	for _, g := range t.Now {
		if !has(t.Was, g.Course) {
			t.Got = append(t.Got, g.Course)
		}
	}
}

func coursesOf(week []GivenSection) (list []string) {
	for _, g := range week {
		list = append(list, g.Course)
	}
	return list
}

func runAct(kind, student, course, section, reason string, was, now []GivenSection) store.RunAct {
	a := store.RunAct{Kind: kind, Student: student, Course: course, Section: section, Reason: reason}
	a.Was, _ = json.Marshal(append([]GivenSection{}, was...))
	a.Now, _ = json.Marshal(append([]GivenSection{}, now...))
	return a
}
