// Package office holds the acts of the office that belong to no other area.
package office

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"
)

// Service serves the office.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years}
}
