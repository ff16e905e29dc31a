// Package sheet holds the course requests of one student: editing, submitting, signing and approving. What
// may be done is decided in core/acts; here it is asked, done in one statement that checks once more what it
// was decided on, and noted.
package sheet

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// Service serves the requests of single students.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	messages Messages
	people   People

	once      singleflight.Group
	schedules *lru.Cache[ScheduleKey, *Sections]
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years, schedules: schoolyear.AtMost[ScheduleKey, *Sections](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	People   People
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.messages, s.people = p.Messages, p.People
}
