// Package sheet holds the course requests of one student: editing, submitting, signing and approving. What
// may be done is decided in core/acts; here it is asked, done in one statement that checks once more what it
// was decided on, and noted.
package sheet

import (
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	schoolyear "rubricon/app/year"
)

// Service serves the requests of single students.
type Service struct {
	base  schoolyear.Base
	ports Ports

	once      singleflight.Group
	schedules *lru.Cache[ScheduleKey, *Sections]
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base, schedules: schoolyear.AtMost[ScheduleKey, *Sections](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	People   People
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
