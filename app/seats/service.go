// Package seats lets students choose sections, and changes enrollments from a date on.
package seats

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"

	"golang.org/x/sync/singleflight"
)

// Service serves the choice of sections.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	messages Messages
	schedule Schedule
	sheet    Sheet

	noPost     bool
	once       singleflight.Group
	counts     *seatCounts
	attendance Attendance
}

// Options say how the service runs; the zero value is for production.
type Options struct {
	NoPost     bool       // no one gets mail about what is done
	Attendance Attendance // the system that keeps attendance; nil: none is connected
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service, o Options) *Service {
	return &Service{db: db, now: now, log: log, years: years, noPost: o.NoPost, attendance: o.Attendance, counts: newSeatCounts()}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Schedule Schedule
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.messages, s.schedule, s.sheet = p.Messages, p.Schedule, p.Sheet
}
