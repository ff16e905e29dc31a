// Package seats lets students choose sections, and changes enrollments from a date on.
package seats

import (
	"golang.org/x/sync/singleflight"

	schoolyear "rubricon/app/year"
)

// Service serves the choice of sections.
type Service struct {
	base  schoolyear.Base
	ports Ports

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
func New(base schoolyear.Base, o Options) *Service {
	return &Service{base: base, noPost: o.NoPost, attendance: o.Attendance, counts: newSeatCounts()}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Schedule Schedule
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
