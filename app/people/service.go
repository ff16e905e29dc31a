// Package people holds who is at a school and what is kept about them.
package people

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Service serves what is kept about people.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	messages Messages
	schedule Schedule
	seats    Seats
	sheet    Sheet

	looks *lru.Cache[lookKey, struct{}]
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years, looks: schoolyear.AtMost[lookKey, struct{}](schoolyear.MaxPeople)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Schedule Schedule
	Seats    Seats
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.messages, s.schedule, s.seats, s.sheet = p.Messages, p.Schedule, p.Seats, p.Sheet
}
