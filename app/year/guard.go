package year

import (
	"context"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/core/acts"
)

// Guard returns the school year and the actor that an account is in it, if they may do an act that concerns the school. The errors are
// NotFound and NotYours.
func (s *Service) Guard(ctx context.Context, by int64, school string, year int, act acts.SchoolAct) (*SchoolYear, *actor.Actor, error) {
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
