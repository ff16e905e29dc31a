// Package background runs work that takes long: it is noted as a task, and a job does it in whichever process has time.
package background

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"
)

// Service starts, runs and stops tasks.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	kinds map[string]Work
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years, kinds: map[string]Work{}}
}
