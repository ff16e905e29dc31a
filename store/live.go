package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
)

// sheetsChannel is where server processes tell each other of changed sheets.
const sheetsChannel = "rubricon_sheets"

// toldAtOnce keeps a notification below the 8000 bytes that PostgreSQL takes.
const toldAtOnce = 30

// Told is a sheet that has changed, and its version since; or a student's choice of seats, or a section whose
// seats were taken or given back. Names are short: a notification is small.
type Told struct {
	School  string `json:"s"`
	Year    int    `json:"y"`
	Student string `json:"t,omitempty"`
	Version int64  `json:"v,omitempty"`
	Seats   bool   `json:"c,omitempty"` // of the student
	Section string `json:"x,omitempty"`
}

// Tell tells all server processes of changed sheets.
func (q MessagesQueries) Tell(ctx context.Context, list []Told) error {
	for part := range slices.Chunk(list, toldAtOnce) {
		if err := q.exec(ctx, `SELECT pg_notify($1, $2)`, sheetsChannel, asJSON(part)); err != nil {
			return fmt.Errorf("telling of changes: %w", err)
		}
	}
	return nil
}

// Listen hears of changed sheets, those of this process too, until the context ends or the connection is
// lost; ready is called once it does. Behind a transaction pooler nothing is heard.
func (db *DB) Listen(ctx context.Context, ready func(), hear func([]Told)) error {
	if db.pooled {
		<-ctx.Done()
		return ctx.Err()
	}
	pooled, err := db.pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("listening: %w", err)
	}
	conn := pooled.Hijack() // it listens; no one else may have it
	defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
	if _, err := conn.Exec(ctx, `LISTEN `+sheetsChannel); err != nil {
		return fmt.Errorf("listening: %w", err)
	}
	ready()
	for {
		said, err := conn.WaitForNotification(ctx)
		if err != nil {
			return fmt.Errorf("listening: %w", err)
		}
		var list []Told
		if json.Unmarshal([]byte(said.Payload), &list) == nil {
			hear(list)
		}
	}
}
