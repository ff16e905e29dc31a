package schedule

import (
	"context"
	"slices"

	"rubricon/core/acts"
	"rubricon/store"
)

// Beside is the difference between two runs.
type Beside struct {
	Run, Other *Run
	Sections   []SectionDiff
	Lost, Got  []BesidePupil // requests that the other run gives and this does not, and the other way round; at most 500 students each
	Elsewhere  int           // students with the same courses in other sections
}

// SectionDiff is a section that differs: one that only one of the runs has, or that meets otherwise or has
// other seats. Periods and seats of the run without it are none.
type SectionDiff struct {
	Section, Course     string
	WasPeriods, Periods []int
	WasSeats, Seats     int
	New, Gone           bool
}

// BesidePupil is a student with the requests that differ.
type BesidePupil struct {
	PersonName
	Courses []string
}

// Beside sets a run beside another one. The error is NotFound, also where one of them has found nothing.
func (s *Service) Beside(ctx context.Context, by int64, school string, year, run, other int) (*Beside, error) {
	out := &Beside{}
	var err error
	if out.Run, _, err = s.foundRun(ctx, by, school, year, run); err != nil {
		return nil, err
	}
	if out.Other, _, err = s.foundRun(ctx, by, school, year, other); err != nil {
		return nil, err
	}
	now, err := s.givenIn(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	was, err := s.givenIn(ctx, school, year, other)
	if err != nil {
		return nil, err
	}
	var lost, got []string
	courses := map[string][]string{}
	for id, p := range now {
		before, there := was[id]
		if !there {
			continue
		}
		same := len(p.Given) == len(before.Given)
		for _, g := range before.Given {
			at := slices.IndexFunc(p.Given, func(x GivenSection) bool { return x.Course == g.Course })
			if at < 0 && !g.Alternate {
				courses["-"+id] = append(courses["-"+id], g.Course)
			}
			same = same && at >= 0
		}
		for _, g := range p.Given {
			if !g.Alternate && !slices.ContainsFunc(before.Given, func(x GivenSection) bool { return x.Course == g.Course }) {
				courses["+"+id] = append(courses["+"+id], g.Course)
			}
		}
		if same && !sameWeek(p.Given, before.Given) {
			out.Elsewhere++
		}
		if courses["-"+id] != nil {
			lost = append(lost, id)
		}
		if courses["+"+id] != nil {
			got = append(got, id)
		}
	}
	for _, list := range []struct {
		to   *[]BesidePupil
		ids  []string
		sign string
	}{{&out.Lost, lost, "-"}, {&out.Got, got, "+"}} {
		names, err := s.names(ctx, school, year, list.ids)
		if err != nil {
			return nil, err
		}
		for _, n := range names[:min(len(names), maxLacking)] {
			*list.to = append(*list.to, BesidePupil{n, courses[list.sign+n.ID]})
		}
	}
	out.Sections = sectionDiffs(out.Other.Summary.Sections, out.Run.Summary.Sections)
	return out, nil
}

func (s *Service) givenIn(ctx context.Context, school string, year, run int) (map[string]PlacedPupil, error) {
	rows, err := s.base.DB.Queries().Schedule.AllGiven(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	out := map[string]PlacedPupil{}
	for _, row := range rows {
		if out[row.Student], err = newPlacedPupil(store.PlacedPupil{GivenRow: row}); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func sectionDiffs(was, now []RunSection) (list []SectionDiff) {
	before := map[string]*RunSection{}
	for i := range was {
		before[was[i].Section] = &was[i]
	}
	for i := range now {
		x := &now[i]
		b := before[x.Section]
		delete(before, x.Section)
		if b == nil {
			list = append(list, SectionDiff{Section: x.Section, Course: x.Course, Periods: x.Periods, Seats: x.Seats, New: true})
		} else if b.Seats != x.Seats || !slices.Equal(b.Periods, x.Periods) || !slices.Equal(b.Terms, x.Terms) || !slices.Equal(b.Days, x.Days) {
			list = append(list, SectionDiff{Section: x.Section, Course: x.Course, WasPeriods: b.Periods, Periods: x.Periods,
				WasSeats: b.Seats, Seats: x.Seats})
		}
	}
	for i := range was {
		if b := before[was[i].Section]; b != nil {
			list = append(list, SectionDiff{Section: b.Section, Course: b.Course, WasPeriods: b.Periods, WasSeats: b.Seats, Gone: true})
		}
	}
	return list
}

// RunActs lists what was done to a run after it had ended, the latest first; at most 200.
func (s *Service) RunActs(ctx context.Context, by int64, school string, year, run int) ([]store.RunAct, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Schedule.RunActs(ctx, school, year, run, 200)
}
