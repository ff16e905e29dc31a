// Package catalog holds the catalog, the rules and the request periods of a school year, and their revisions.
package catalog

import (
	"log/slog"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Service serves and revises catalogs and rules.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	messages Messages
	sheet    Sheet

	teachers *lru.Cache[rosterKey, map[string][]string]
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years, teachers: schoolyear.AtMost[rosterKey, map[string][]string](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.messages, s.sheet = p.Messages, p.Sheet
}
