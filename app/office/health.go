package office

import (
	"context"

	"rubricon/app/problem"
	"rubricon/store"
)

type (
	// Backlog counts the work that waits in the whole database.
	Backlog = store.Backlog
	// PoolStats is how the connections of a process to the database are used.
	PoolStats = store.PoolStats
)

// Ready reports whether the database answers. The error is why not.
func (s *Service) Ready(ctx context.Context) error { return s.base.DB.Ping(ctx) }

// Backlog counts what waits to be done in the whole database.
func (s *Service) Backlog(ctx context.Context) (Backlog, error) {
	return s.base.DB.Aside().Office.Backlog(ctx, s.base.Now())
}

// PoolStats reports how the connections of this process to the database are used.
func (s *Service) PoolStats() PoolStats { return s.base.DB.PoolStats() }

// NewestYear returns the newest year of a school.
func (s *Service) NewestYear(ctx context.Context, school string) (int, error) {
	year, err := s.base.DB.Queries().Year.Newest(ctx, school)
	if err == nil && year == 0 {
		err = problem.New(problem.NotFound)
	}
	return year, err
}

// Schools lists the ids of the schools in the database.
func (s *Service) Schools(ctx context.Context) ([]string, error) {
	return s.base.DB.Queries().Year.Schools(ctx)
}
