// Package imports takes bundles in and gives school years out as bundles.
package imports

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"
)

// Service imports and exports bundles.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	account Account
	office  Office
	people  People
	seats   Seats

	firstStay bool
}

// Options say how the service runs; the zero value is for production.
type Options struct {
	FirstPasswordsStay bool // a password that comes with a school's data need not be changed: for made-up schools alone
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service, o Options) *Service {
	return &Service{db: db, now: now, log: log, years: years, firstStay: o.FirstPasswordsStay}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Account Account
	Office  Office
	People  People
	Seats   Seats
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.account, s.office, s.people, s.seats = p.Account, p.Office, p.People, p.Seats
}
