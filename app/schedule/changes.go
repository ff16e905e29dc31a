package schedule

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/store"
)

// What is done to a run after it has ended: a place is given or taken by hand, and what has changed since is
// placed again. One person at a time changes a run; who comes second finds it as the first has left it.

// RunSince is what has changed since a run was made: what does not fit any more is to be placed again.
type RunSince struct {
	Gone, Moved, Over       []SectionSince
	New, Changed, Withdrawn []PersonName // sheets handed in since, handed in otherwise, and taken out
	Students                int          // to be placed again
}

// SectionSince is a section of a run that has changed since, with how many students of the run that concerns.
type SectionSince struct {
	Section, Course string
	Students        int
}

// placing is a run's placement as it stands, next to the school as it is now.
type placing struct {
	in    *input
	p     *placement.Problem
	holds []store.HoldRow
	draw  []int32

	rows  map[string]*store.GivenRow
	was   map[string][]GivenSection
	given []placement.Given // by student
	late  map[int32]TouchedWhy
	since RunSince
	over  map[placement.Place]bool // who has to leave sections that have more students than seats
	gone  []string                 // students whose sheet is no longer handed in
	by    map[string]int32
}

// toChange reads the school as it is to be placed, for changing what a run gives. The error is NotPlaceable.
func (s *Service) toChange(ctx context.Context, school string, year int, seed int64) (*placing, error) {
	in, err := s.input(ctx, school, year)
	if err != nil {
		return nil, err
	}
	p, bad := in.problem()
	if len(bad) > 0 {
		return nil, &problem.Error{Code: problem.NotPlaceable, Param: bad[0].String()}
	}
	holds, err := s.base.DB.Queries().Schedule.Holds(ctx, school, year)
	if err != nil {
		return nil, err
	}
	return newPlacing(in, p, holds, seed), nil
}

// placingOf reads it with what a run gives.
func (s *Service) placingOf(ctx context.Context, school string, year, run int, seed int64) (*placing, error) {
	x, err := s.toChange(ctx, school, year, seed)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.AllGiven(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	return x, x.with(rows)
}

func newPlacing(in *input, p *placement.Problem, holds []store.HoldRow, seed int64) *placing {
	ids := make([]string, len(p.Students))
	x := &placing{in: in, p: p, holds: holds, by: map[string]int32{}}
	for i := range p.Students {
		ids[i] = p.Students[i].ID
		x.by[ids[i]] = int32(i)
	}
	x.draw = placement.Draw(uint64(seed), ids)
	return x
}

// with takes in what a run gives, and finds what does not fit any more.
func (x *placing) with(rows []store.GivenRow) error {
	x.over = map[placement.Place]bool{}
	x.rows, x.was, x.late = map[string]*store.GivenRow{}, map[string][]GivenSection{}, map[int32]TouchedWhy{}
	x.given = make([]placement.Given, len(x.p.Students))
	for i := range x.p.Students {
		s := &x.p.Students[i]
		x.given[i] = placement.Given{Requests: slices.Repeat([]int32{placement.None}, len(s.Requests)),
			Alternates: slices.Repeat([]int32{placement.None}, len(s.Alternates))}
	}
	at := map[string]int32{}
	for i := range x.in.Sections {
		at[x.in.Sections[i].ID] = int32(i)
	}
	gone, moved := map[[2]string]int{}, map[[2]string]int{}
	for i := range rows {
		row := &rows[i]
		student, there := x.by[row.Student]
		var list []GivenSection
		if err := json.Unmarshal(row.Given, &list); err != nil {
			return err
		}
		x.was[row.Student] = list
		if x.in.handed[row.Student] == 0 || !there {
			x.gone = append(x.gone, row.Student)
			continue
		}
		x.rows[row.Student] = row
		if x.in.handed[row.Student] != row.Submission {
			x.late[student] = TouchedChanged
		}
		for _, g := range list {
			section, there := at[g.Section]
			if there && x.in.Sections[section].Course != g.Course {
				there = false
			}
			if !there {
				gone[[2]string{g.Section, g.Course}]++
				x.note(student, TouchedGone)
				continue
			}
			now := given(x.in.Bundle, section)
			if !slices.Equal(now.Terms, g.Terms) || !slices.Equal(now.Periods, g.Periods) || !slices.Equal(now.Days, g.Days) {
				moved[[2]string{g.Section, g.Course}]++
				x.note(student, TouchedMoved)
			}
			x.put(student, section, g.Alternate)
		}
	}
	for i := range x.p.Students {
		id := x.p.Students[i].ID
		if x.in.handed[id] > 0 && x.rows[id] == nil {
			x.late[int32(i)] = TouchedNew
		}
	}
	kept := map[placement.Place]bool{}
	for _, k := range x.kept() {
		kept[placement.Place{Student: k.Student, Section: k.Section}] = true
	}
	over := map[[2]string]int{}
	for _, o := range x.p.Overfull(x.given, x.draw, func(o placement.Place) bool { return kept[o] }) {
		over[[2]string{x.in.Sections[o.Section].ID, x.in.Sections[o.Section].Course}]++
		x.over[o] = true
		x.note(o.Student, TouchedOver)
	}
	x.since = RunSince{Gone: listSince(gone), Moved: listSince(moved), Over: listSince(over), Students: len(x.late)}
	return nil
}

func (x *placing) note(student int32, why TouchedWhy) {
	if _, known := x.late[student]; !known {
		x.late[student] = why
	}
}

// put gives a student a section, where it is wished for.
func (x *placing) put(student, section int32, alternate bool) {
	s, course := &x.p.Students[student], x.p.Sections[section].Course
	if alternate {
		if k := slices.IndexFunc(s.Alternates, func(a placement.Alternate) bool { return a.Course == course }); k >= 0 {
			x.given[student].Alternates[k] = section
		}
		return
	}
	if k := slices.IndexFunc(s.Requests, func(r placement.Request) bool { return r.Course == course }); k >= 0 {
		x.given[student].Requests[k] = section
	}
}

func listSince(of map[[2]string]int) (list []SectionSince) {
	for key, n := range of {
		list = append(list, SectionSince{key[0], key[1], n})
	}
	slices.SortFunc(list, func(a, b SectionSince) int { return cmp.Compare(a.Section, b.Section) })
	return list
}

// held returns what is held as the core has it; unknown are those of students or sections that are no more.
func (x *placing) held() (kept []placement.Kept, denied []placement.Denied, unknown []store.HeldSeat) {
	at := map[string]int32{}
	for i := range x.in.Sections {
		at[x.in.Sections[i].ID] = int32(i)
	}
	seen := map[[2]string]bool{} // a seat that is held twice is one
	for _, h := range x.holds {
		for _, seat := range h.Seats.V {
			student, ok := x.by[seat.Student]
			key := [2]string{seat.Student, seat.Section + "\n" + seat.Course}
			if seen[key] || x.in.handed[seat.Student] == 0 {
				continue
			}
			seen[key] = true
			if h.Kind == "taken" {
				if course, there := x.in.Year.Index(seat.Course); ok && there {
					denied = append(denied, placement.Denied{Student: student, Course: course})
				}
				continue
			}
			section, there := at[seat.Section]
			if !ok || !there {
				unknown = append(unknown, seat)
				continue
			}
			k := placement.Kept{Student: student, Section: section, For: placement.None}
			if seat.For != "" {
				if k.For, there = x.in.Year.Index(seat.For); !there {
					unknown = append(unknown, seat)
					continue
				}
			}
			kept = append(kept, k)
		}
	}
	return kept, denied, unknown
}

// kept returns the seats that are held and that the run gives, but those that there are no longer.
func (x *placing) kept() []placement.Kept {
	kept, _, _ := x.held()
	return slices.DeleteFunc(kept, func(k placement.Kept) bool {
		list := x.given[k.Student].Requests
		if k.For != placement.None {
			list = x.given[k.Student].Alternates
		}
		return !slices.Contains(list, k.Section) || x.over[placement.Place{Student: k.Student, Section: k.Section}]
	})
}

// asFound makes of what is given now an outcome like a run's. Of the bound it says what the run has said.
func (x *placing) asFound(was *RunSummary) (*RunSummary, []store.GivenRow) {
	found := &placement.Placement{Given: x.given, Draw: x.draw, Bound: was.Bound, Cut: was.Cut}
	for i := range x.given {
		found.Value += x.p.Students[i].Value(&x.given[i])
	}
	found.Bound = max(found.Bound, found.Value)
	_, denied, _ := x.held()
	out, rows := outcome(x.in, x.p, found, denied)
	out.Seconds, out.Held, out.Unkept, out.Touched = was.Seconds, was.Held, was.Unkept, was.Touched
	return out, rows
}

// Since reports what has changed since a run was made.
func (s *Service) Since(ctx context.Context, by int64, school string, year, run int) (*RunSince, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	r, err := s.run(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	if r.Summary == nil {
		return &RunSince{}, nil
	}
	return s.since(ctx, school, year, r)
}

// sinceKey names what has changed since a run in one state of all that it rests on.
type sinceKey struct {
	school    string
	year, run int
	state     string
}

// since is worked out once for each state; anyone who asks at the same time waits for it.
func (s *Service) since(ctx context.Context, school string, year int, r *Run) (*RunSince, error) {
	state, err := s.base.DB.Queries().Schedule.PlacedState(ctx, school, year, r.ID)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	key := sinceKey{school: school, year: year, run: r.ID, state: state}
	if have, ok := s.sinceBefore.Get(key); ok {
		return have, nil
	}
	return schoolyear.Together(ctx, &s.once, fmt.Sprint("since ", key), func(ctx context.Context) (*RunSince, error) {
		out, err := s.reckonSince(ctx, school, year, r)
		if err == nil {
			s.sinceBefore.Add(key, out)
		}
		return out, err
	})
}

func (s *Service) reckonSince(ctx context.Context, school string, year int, r *Run) (*RunSince, error) {
	x, err := s.placingOf(ctx, school, year, r.ID, r.Seed)
	if err != nil {
		return nil, err
	}
	var news, changed []string
	for i, why := range x.late {
		if why == TouchedNew {
			news = append(news, x.p.Students[i].ID)
		} else if why == TouchedChanged {
			changed = append(changed, x.p.Students[i].ID)
		}
	}
	for list, ids := range map[*[]PersonName][]string{&x.since.New: news, &x.since.Changed: changed, &x.since.Withdrawn: x.gone} {
		if *list, err = s.names(ctx, school, year, ids); err != nil {
			return nil, err
		}
	}
	return &x.since, nil
}

func (s *Service) names(ctx context.Context, school string, year int, ids []string) (list []PersonName, err error) {
	names, err := s.base.DB.Queries().Caseload.StudentNames(ctx, school, year, ids)
	for _, n := range names {
		list = append(list, PersonName{n.ID, n.Name, n.Grade})
	}
	return list, err
}
