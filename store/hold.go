package store

import (
	"context"
	"encoding/json"
	"time"
)

// HeldSeat is a seat that every later run keeps, or with Taken a course that it does not give.
type HeldSeat struct {
	Student string `json:"student"`
	Course  string `json:"course"`
	Section string `json:"section,omitempty"`
	For     string `json:"for,omitempty"` // of an alternate: the request that it came in for
}

// HoldRow is what every later run keeps as it is.
type HoldRow struct {
	Kind   string           `db:"kind"` // student, section, given, taken
	Key    string           `db:"key"`  // the student, the section, or student and course
	Seats  JSON[[]HeldSeat] `db:"seats"`
	Reason string           `db:"reason"`
	By     string           `db:"by_name"`
	At     time.Time        `db:"at"`
}

// Holds lists what is held, the oldest first.
func (q ScheduleQueries) Holds(ctx context.Context, school string, year int) (list []HoldRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT kind, key, seats, reason, by_name, at FROM placement_hold WHERE school_id = $1 AND year = $2 ORDER BY at, kind, key`,
		school, year)
}

// Hold holds something, in the place of what was held of it.
func (q ScheduleQueries) Hold(ctx context.Context, school string, year int, h *HoldRow) error {
	return q.exec(ctx, `INSERT INTO placement_hold (school_id, year, kind, key, seats, reason, by_name, at)
		VALUES ($1, $2, $3, $4, $5::jsonb, $6, $7, $8)
		ON CONFLICT (school_id, year, kind, key) DO UPDATE SET seats = excluded.seats,
		reason = excluded.reason, by_name = excluded.by_name, at = excluded.at`,
		school, year, h.Kind, h.Key, asJSON(h.Seats.V), h.Reason, h.By, h.At)
}

// Unhold holds something no longer, and reports whether it was held.
func (q ScheduleQueries) Unhold(ctx context.Context, school string, year int, kind, key string) (bool, error) {
	n, err := q.changed(ctx, `DELETE FROM placement_hold WHERE school_id = $1 AND year = $2 AND kind = $3 AND key = $4`,
		school, year, kind, key)
	return n > 0, err
}

// LockRun waits until no one else changes what a run gives, until the transaction ends.
func (q ScheduleQueries) LockRun(ctx context.Context, school string, year, run int) error {
	return q.exec(ctx, `SELECT 1 FROM placement_run WHERE school_id = $1 AND year = $2 AND id = $3 FOR UPDATE`, school, year, run)
}

// RunAct is something that was done to a run after it had ended.
type RunAct struct {
	Kind    string          `db:"kind" json:"kind"` // give, take, again
	Student string          `db:"student_id" json:"student"`
	Name    string          `db:"name" json:"-"`
	Course  string          `db:"course" json:"course"`
	Section string          `db:"section" json:"section"`
	Reason  string          `db:"reason" json:"reason"`
	Was     json.RawMessage `db:"was" json:"was"`
	Now     json.RawMessage `db:"now" json:"now"`
	By      string          `db:"by_name" json:"-"`
	At      time.Time       `db:"at" json:"-"`
}

// RunActs lists what was done to a run, the latest first; at most so many.
func (q ScheduleQueries) RunActs(ctx context.Context, school string, year, run, most int) (list []RunAct, err error) {
	return list, q.list(ctx, &list,
		`SELECT a.kind, a.student_id, p.given_name || ' ' || p.family_name AS name,
			a.course, a.section, a.reason, a.was, a.now, a.by_name, a.at FROM placement_act a
		JOIN person p ON p.school_id = a.school_id AND p.id = a.student_id WHERE a.school_id = $1 AND a.year = $2
		AND a.run_id = $3 ORDER BY a.id DESC LIMIT $4`,
		school, year, run, most)
}

// AddRunActs notes what was done to a run.
func (q ScheduleQueries) AddRunActs(ctx context.Context, school string, year, run int, by string, at time.Time, list []RunAct) error {
	return q.exec(ctx, `INSERT INTO placement_act (school_id, year, run_id, kind, student_id, course, section, reason, was, now, by_name, at)
		SELECT $1, $2, $3, kind, student, course, section, reason, was, now, $4, $5
		FROM ROWS FROM (jsonb_to_recordset($6::jsonb) AS (kind text,
		student text, course text, section text, reason text, was jsonb, now jsonb)) WITH ORDINALITY ORDER BY ordinality`,
		school, year, run, by, at, asJSON(list))
}
