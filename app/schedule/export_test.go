package schedule

import (
	"context"

	"rubricon/bundle"
	"rubricon/core/placement"
)

// ProblemFromRows returns the problem of placing a school year as it is in the database.
func (s *Service) ProblemFromRows(ctx context.Context, school string, year int) (*placement.Problem, []bundle.Problem, error) {
	in, err := s.input(ctx, school, year)
	if err != nil {
		return nil, nil, err
	}
	p, bad := in.problem()
	return p, bad, nil
}
