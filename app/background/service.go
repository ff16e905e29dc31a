// Package background runs work that takes long: it is noted as a task, and a job does it in whichever process has time.
package background

import (
	schoolyear "rubricon/app/year"
)

// Service starts, runs and stops tasks.
type Service struct {
	base schoolyear.Base

	kinds map[string]Work
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base, kinds: map[string]Work{}}
}
