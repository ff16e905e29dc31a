package year

import (
	"context"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/core/acts"
)

// Reader reports who an account is in a school year and decides whether an act that concerns the school is allowed.
func (s *Service) Reader(ctx context.Context, by int64, school string, year int, act acts.SchoolAct) (*SchoolYear, *actor.Actor, error) {
	row, err := s.db.Queries().Year.YearRow(ctx, school, year)
	if err != nil {
		return nil, nil, problem.AsNotFound(err)
	}
	a, err := s.Actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, nil, err
	}
	if !acts.InSchool(act, a.InSchool()) {
		return nil, nil, problem.New(problem.Code(acts.NotYours))
	}
	y, err := s.Year(ctx, school, year, row.Catalog, row.Policy)
	return y, a, err
}
