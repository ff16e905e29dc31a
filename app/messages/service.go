// Package messages tells people and programs what has changed: mail, messages to other systems, calendars and
// screens that are open.
package messages

import (
	schoolyear "rubricon/app/year"
)

// Service writes mail, tells other systems and keeps open screens current.
type Service struct {
	base  schoolyear.Base
	ports Ports

	hub    *hub
	hooks  Hooks
	noPost bool
}

// Options say how the service runs; the zero value is for production.
type Options struct {
	NoPost bool  // no one gets mail about what is done
	Hooks  Hooks // how other systems are told; without a key they are not
}

// New returns a service on a database.
func New(base schoolyear.Base, o Options) *Service {
	return &Service{base: base, noPost: o.NoPost, hooks: o.Hooks, hub: newHub()}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Sheet Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }

// CountSeats lets screens that are open hear how many seats are left in sections, as count gives them; nil
// where that cannot be.
func (s *Service) CountSeats(count func(at schoolyear.YearOf, sections []string) map[string]int) {
	s.hub.count = count
}
