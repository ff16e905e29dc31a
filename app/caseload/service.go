// Package caseload holds what counselors and teachers do with many students: lists, batches, recommendations,
// tryouts and questions.
package caseload

import (
	"log/slog"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/store"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Service serves the lists and acts of counselors and teachers.
type Service struct {
	db    *store.DB
	now   func() time.Time
	log   *slog.Logger
	years *schoolyear.Service

	messages Messages
	people   People
	sheet    Sheet

	foundBefore *lru.Cache[appsheet.FoundKey, *foundSheet]
}

// New returns a service on a database.
func New(db *store.DB, now func() time.Time, log *slog.Logger, years *schoolyear.Service) *Service {
	return &Service{db: db, now: now, log: log, years: years,
		foundBefore: schoolyear.AtMost[appsheet.FoundKey, *foundSheet](schoolyear.MaxFacts)}
}

// Ports are the other areas that this one calls.
type Ports struct {
	Messages Messages
	People   People
	Sheet    Sheet
}

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) {
	s.messages, s.people, s.sheet = p.Messages, p.People, p.Sheet
}
