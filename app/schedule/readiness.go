package schedule

import (
	"context"

	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/store"
)

// ReadyPupil is a student who has submitted, with how far that has come: submitted, signed or cleared, placed or not.
type ReadyPupil struct {
	store.ReadyRow
}

// Readiness says whose requests are placed, or shown to their families, and whose are not.
type Readiness struct {
	Take       policy.Take
	Students   int          // that are placed, or shown
	Complete   int          // of a run: of those, who get every request or an alternate for it or an alternate for it
	Unapproved []ReadyPupil // of those, whose requests no counselor has approved
	Left       []ReadyPupil // who have submitted, and are not among them
}

// takes reports whether requests that have come so far are placed.
func takes(t policy.Take, stood acts.State) bool {
	switch t {
	case policy.TakeSubmitted:
		return true
	case policy.TakeSigned:
		return stood != acts.Submitted
	}
	return stood == acts.Cleared
}

// PlacingReadiness reports whose requests a run of the placement would take now.
func (s *Service) PlacingReadiness(ctx context.Context, by int64, school string, year int) (*Readiness, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.Ready(ctx, school, year, 0, -1)
	if err != nil {
		return nil, err
	}
	r := &Readiness{Take: y.Policy.Take}
	for _, row := range rows {
		r.add(row, takes(y.Policy.Take, acts.State(row.Stood)))
	}
	return r, nil
}

// PublishingReadiness reports whom publishing a run to a grade (-1: all) shows something, and whom not: those
// whose submission is not the one that was placed. The error is NotFound where the run has found nothing.
func (s *Service) PublishingReadiness(ctx context.Context, by int64, school string, year, run, grade int) (*Readiness, error) {
	if _, _, err := s.foundRun(ctx, by, school, year, run); err != nil {
		return nil, err
	}
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.Ready(ctx, school, year, run, grade)
	if err != nil {
		return nil, err
	}
	r := &Readiness{Take: y.Policy.Take}
	for _, row := range rows {
		if r.add(row, row.InRun); row.InRun && row.Complete {
			r.Complete++
		}
	}
	return r, nil
}

func (r *Readiness) add(row store.ReadyRow, in bool) {
	switch p := (ReadyPupil{row}); {
	case !in:
		r.Left = append(r.Left, p)
	default:
		if r.Students++; acts.State(row.Stood) != acts.Cleared {
			r.Unapproved = append(r.Unapproved, p)
		}
	}
}
