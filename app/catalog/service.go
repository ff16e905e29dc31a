// Package catalog holds the catalog, the rules and the request periods of a school year, and their revisions.
package catalog

import (
	lru "github.com/hashicorp/golang-lru/v2"

	schoolyear "rubricon/app/year"
)

// Service serves and revises catalogs and rules.
type Service struct {
	base  schoolyear.Base
	ports Ports

	teachers *lru.Cache[rosterKey, map[string][]string]
}

// New returns a service on a database.
func New(base schoolyear.Base) *Service {
	return &Service{base: base, teachers: schoolyear.AtMost[rosterKey, map[string][]string](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
