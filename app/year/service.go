// Package year compiles school years and what is known of their students, caches them by version, and says who acts in them.
package year

import (
	"log/slog"
	"time"

	"rubricon/store"
)

// Service reads compiled school years, students and actors.
type Service struct {
	db    *store.DB
	cache *cache
}

// New returns a service on a database.
func New(db *store.DB) *Service { return &Service{db: db, cache: newCache()} }

// Base is what the use cases of every area stand on.
type Base struct {
	DB    *store.DB
	Now   func() time.Time
	Log   *slog.Logger
	Years *Service
}
