// Package people holds who is at a school and what is kept about them.
package people

import (
	lru "github.com/hashicorp/golang-lru/v2"

	schoolyear "rubricon/app/year"
)

// Service serves what is kept about people.
type Service struct {
	base  schoolyear.Base
	ports Ports

	looks *lru.Cache[lookKey, struct{}]
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base, looks: schoolyear.AtMost[lookKey, struct{}](schoolyear.MaxPeople)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Schedule Schedule
	Seats    Seats
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
