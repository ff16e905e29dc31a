package school

import (
	"context"

	"rubricon/store"
)

type (
	// Backlog is what waits to be done in the whole database.
	Backlog = store.Backlog
	// PoolStats is how the connections of a process to the database are used.
	PoolStats = store.PoolStats
)

// Ready tells whether the database answers. The error is why not.
func (s *Service) Ready(ctx context.Context) error { return s.db.Ping(ctx) }

// Backlog counts what waits to be done in the whole database.
func (s *Service) Backlog(ctx context.Context) (Backlog, error) {
	return s.db.Aside().Backlog(ctx, s.now())
}

// PoolStats tells how the connections of this process to the database are used.
func (s *Service) PoolStats() PoolStats { return s.db.PoolStats() }
