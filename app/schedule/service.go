// Package schedule holds the master schedule: demand, sections, placement and its publication.
package schedule

import (
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Service serves demand, sections and placement.
type Service struct {
	base  schoolyear.Base
	ports Ports

	noPost       bool
	once         singleflight.Group
	wishesBefore *lru.Cache[wishKey, *counted]
	sinceBefore  *lru.Cache[sinceKey, *RunSince]
	timetables   *lru.Cache[appsheet.ScheduleKey, *Timetable]
}

// Options say how the service runs; the zero value is for production.
type Options struct {
	NoPost bool // no one gets mail about what is done
}

// New returns a service on a database.
func New(base schoolyear.Base, o Options) *Service {
	return &Service{base: base, noPost: o.NoPost,
		sinceBefore: schoolyear.AtMost[sinceKey, *RunSince](schoolyear.MaxYears), wishesBefore: schoolyear.AtMost[wishKey, *counted](schoolyear.MaxFacts),
		timetables: schoolyear.AtMost[appsheet.ScheduleKey, *Timetable](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Background Background
	Messages   Messages
	Seats      Seats
	Sheet      Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
