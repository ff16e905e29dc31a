package schedule

import (
	"context"

	"rubricon/app/problem"
	"rubricon/core/acts"
	"rubricon/store"
)

// Hold is what every later run keeps as it is: the week of a student, the students of a section, or what was
// given or taken by hand.
type Hold struct {
	store.HoldRow
	Name string // of the student; empty: a section
}

// Holds lists what is held, the oldest first.
func (s *Service) Holds(ctx context.Context, by int64, school string, year int) ([]Hold, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.Holds(ctx, school, year)
	if err != nil {
		return nil, err
	}
	list := make([]Hold, len(rows))
	var ids []string
	for i, row := range rows {
		list[i].HoldRow = row
		if row.Kind != "section" && len(row.Seats.V) > 0 {
			ids = append(ids, row.Seats.V[0].Student)
		}
	}
	names, err := s.names(ctx, school, year, ids)
	if err != nil {
		return nil, err
	}
	nameOf := map[string]string{}
	for _, n := range names {
		nameOf[n.ID] = n.Name
	}
	for i := range list {
		if h := &list[i]; h.Kind != "section" && len(h.Seats.V) > 0 {
			h.Name = nameOf[h.Seats.V[0].Student]
		}
	}
	return list, nil
}

// HoldAs holds a student's week, or the students of a section, as a run has them. The error is NotFound where
// the run gives nothing of the kind.
func (s *Service) HoldAs(ctx context.Context, by int64, school string, year, run int, kind, key string) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
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
		var seats []store.HeldSeat
		for _, row := range rows {
			p, err := newPlacedPupil(store.PlacedPupil{GivenRow: row})
			if err != nil {
				return err
			}
			came := map[string]string{}
			for _, l := range p.Lacking {
				came[l.Instead] = l.Course
			}
			for _, seat := range heldSeats(row.Student, p.Given, came) {
				if kind == "student" && row.Student == key || kind == "section" && seat.Section == key {
					seats = append(seats, seat)
				}
			}
		}
		if len(seats) == 0 {
			return problem.New(problem.NotFound)
		}
		return q.Schedule.Hold(ctx, school, year, &store.HoldRow{Kind: kind, Key: key,
			Seats: store.JSON[[]store.HeldSeat]{V: seats}, By: a.Name().Name, At: s.base.Now()})
	})
}

// Release holds something no longer. The error is NotFound.
func (s *Service) Release(ctx context.Context, by int64, school string, year int, kind, key string) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return err
	}
	done, err := s.base.DB.Queries().Schedule.Unhold(ctx, school, year, kind, key)
	if err == nil && !done {
		err = problem.New(problem.NotFound)
	}
	return err
}
