// Package caseload holds what counselors and teachers do with many students: lists, batches, recommendations,
// tryouts and questions.
package caseload

import (
	lru "github.com/hashicorp/golang-lru/v2"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Service serves the lists and acts of counselors and teachers.
type Service struct {
	base  schoolyear.Base
	ports Ports

	foundBefore *lru.Cache[appsheet.FoundKey, *foundSheet]
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base,
		foundBefore: schoolyear.AtMost[appsheet.FoundKey, *foundSheet](schoolyear.MaxFacts)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	People   People
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
