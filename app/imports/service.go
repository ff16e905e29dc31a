// Package imports takes bundles in and gives school years out as bundles.
package imports

import (
	schoolyear "rubricon/app/year"
)

// Service imports and exports bundles.
type Service struct {
	base  schoolyear.Base
	ports Ports

	firstStay bool
}

// Options say how the service runs; the zero value is for production.
type Options struct {
	FirstPasswordsStay bool // a password that comes with a school's data need not be changed: for made-up schools alone
}

// New returns a service on a database.
func New(base schoolyear.Base, o Options) *Service {
	return &Service{base: base, firstStay: o.FirstPasswordsStay}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Account Account
	Office  Office
	People  People
	Seats   Seats
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
