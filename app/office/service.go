// Package office holds the acts of the office that belong to no other area.
package office

import (
	schoolyear "rubricon/app/year"
)

// Service serves the office.
type Service struct {
	base schoolyear.Base
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base}
}
