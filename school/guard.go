package school

import (
	"context"
	"rubricon/core/acts"
)

// reader tells who an account is in a school year and decides whether an act that concerns the school is allowed.
func (s *Service) reader(ctx context.Context, by int64, school string, year int, act acts.SchoolAct) (*SchoolYear, *actor, error) {
	row, err := s.db.Queries().YearRow(ctx, school, year)
	if err != nil {
		return nil, nil, asNotFound(err)
	}
	a, err := s.actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, nil, err
	}
	if !acts.InSchool(act, a.inSchool()) {
		return nil, nil, problem(Code(acts.NotYours))
	}
	y, err := s.year(ctx, school, year, row.Catalog, row.Policy)
	return y, a, err
}
