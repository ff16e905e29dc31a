package store

import (
	"context"
	"fmt"
	"log/slog"
	"time"
)

// How long what is read from the database that follows waits for it to have come as far as this one, and for
// how long it is left alone where it has not.
const (
	catchUp     = 500 * time.Millisecond
	replicaRest = 10 * time.Second
)

type readingKey struct{}

// Follow names a database that follows this one (hot standby), for what is read with a context of Reading. It
// need not answer yet.
func (db *DB) Follow(ctx context.Context, address string) error {
	follows, err := connect(ctx, address)
	if err != nil {
		return fmt.Errorf("the database that follows: %w", err)
	}
	db.replica = follows
	return nil
}

// Reading lets what is read with a context come from the database that follows, where there is one that has
// all that is committed here by now: who has changed something reads it. Where it has not within half a
// second, or does not answer, all is read here, also for the next ten seconds.
func (db *DB) Reading(ctx context.Context) context.Context {
	if db.replica == nil || time.Now().UnixNano() < db.rests.Load() {
		return ctx
	}
	var at string
	if err := db.Aside().get(ctx, &at, `SELECT pg_current_wal_flush_lsn()::text`); err != nil {
		return ctx // whatever it is, the reading says so
	}
	soon, stop := context.WithTimeout(ctx, catchUp)
	defer stop()
	for {
		var there bool
		err := db.replica.Queries().get(soon, &there, `SELECT coalesce(pg_last_wal_replay_lsn() >= $1::text::pg_lsn, false)`, at)
		if err == nil && there {
			return context.WithValue(ctx, readingKey{}, db.replica)
		}
		if err == nil {
			select {
			case <-time.After(10 * time.Millisecond):
				continue
			case <-soon.Done():
			}
		}
		if ctx.Err() == nil {
			slog.WarnContext(ctx, "the database that follows does not answer, or is behind; all is read here", "error", err)
			db.rests.Store(time.Now().Add(replicaRest).UnixNano())
		}
		return ctx
	}
}

// reading is the database that what is read with a context may come from; nil: this one.
func reading(ctx context.Context) *DB {
	follows, _ := ctx.Value(readingKey{}).(*DB)
	return follows
}
