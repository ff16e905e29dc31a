package store

import (
	"context"
	"time"
)

// WaitRow is a student who waits for a seat.
type WaitRow struct {
	Section string     `db:"section_id" json:"section_id"`
	Student string     `db:"student_id" json:"student_id"`
	At      time.Time  `db:"at" json:"at"`
	Until   *time.Time `db:"offered_until" json:"offered_until"` // a seat is offered and kept until then
	Before  int        `db:"before" json:"before"`               // how many come before
	In      bool       `db:"handed" json:"handed"`               // their choice is submitted, so that they can take no seat
}

// SeatRules are how seats go to those who wait.
type SeatRules struct {
	Waiting string `db:"waiting"` // order, lottery
	Minutes int    `db:"offer_minutes"`
}

// SeatRules returns how seats of a year go to those who wait. The error is ErrNotFound.
func (q SeatsQueries) SeatRules(ctx context.Context, school string, year int) (r SeatRules, err error) {
	return r, q.get(ctx, &r, `SELECT waiting, offer_minutes FROM school_year WHERE school_id = $1 AND year = $2`, school, year)
}

// SetSeatRules sets how seats of a year go to those who wait.
func (q SeatsQueries) SetSeatRules(ctx context.Context, school string, year int, r SeatRules) error {
	return q.exec(ctx, `UPDATE school_year SET waiting = $3, offer_minutes = $4 WHERE school_id = $1 AND year = $2`,
		school, year, r.Waiting, r.Minutes)
}

// waiting lists those who wait for the seats of a section in the order in which they come.
const waiting = `SELECT w.section_id, w.student_id, w.at, w.offered_until,
		(row_number() OVER (PARTITION BY w.section_id ORDER BY w.offered_until IS NULL, CASE WHEN y.waiting = 'lottery' THEN w.lot
		ELSE 0 END, w.at, w.student_id) - 1)::int AS before,
		EXISTS (SELECT 1 FROM seat_choice c WHERE c.school_id = w.school_id AND c.year = w.year AND c.student_id = w.student_id
		AND c.state <> 'choosing') AS handed
	FROM seat_wait w JOIN school_year y ON y.school_id = w.school_id AND y.year = w.year WHERE w.school_id = $1 AND w.year = $2`

// WaitersFor lists who waits for a seat in a section, in the order in which they come.
func (q SeatsQueries) WaitersFor(ctx context.Context, school string, year int, section string) (list []WaitRow, err error) {
	return list, q.list(ctx, &list, waiting+` AND w.section_id = $3 ORDER BY before`, school, year, section)
}

// Waits returns for how many sections a student waits, except one.
func (q SeatsQueries) Waits(ctx context.Context, at Place, except string) (n int, err error) {
	return n, q.get(ctx, &n,
		`SELECT count(*) FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3 AND section_id <> $4`,
		at.School, at.Year, at.Student, except)
}

// Wait lets a student wait for a seat, with a lot, and reports whether they did not already.
func (q SeatsQueries) Wait(ctx context.Context, at Place, section string, lot int, now time.Time) (bool, error) {
	n, err := q.changed(ctx,
		`INSERT INTO seat_wait (school_id, year, student_id, section_id, lot, at) VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT DO NOTHING`,
		at.School, at.Year, at.Student, section, lot, now)
	return n > 0, err
}

// Unwait lets a student wait no longer for seats in sections, and lists those for which they did.
func (q SeatsQueries) Unwait(ctx context.Context, at Place, sections []string) (gone []string, err error) {
	return gone, q.list(ctx, &gone,
		`DELETE FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND section_id IN (SELECT jsonb_array_elements_text($4::jsonb)) RETURNING section_id`,
		at.School, at.Year, at.Student, asJSON(sections))
}

// StopWaiting lets a student wait for no seat any more, and lists the sections for which they did.
func (q SeatsQueries) StopWaiting(ctx context.Context, at Place) (gone []string, err error) {
	return gone, q.list(ctx, &gone,
		`DELETE FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3 RETURNING section_id`, at.School, at.Year, at.Student)
}

// Offer offers a seat to a student who waits for it, until a time.
func (q SeatsQueries) Offer(ctx context.Context, at Place, section string, until time.Time) error {
	return q.exec(ctx, `UPDATE seat_wait SET offered_until = $5 WHERE school_id = $1 AND year = $2 AND student_id = $3 AND section_id = $4`,
		at.School, at.Year, at.Student, section, until)
}

// WaitedFor is a section for whose seats someone waits; the place is that of the one who has waited longest.
type WaitedFor struct {
	Place
	Section string `db:"section_id"`
}

// WaitedFor lists the sections of all schools with an offer whose time is over, and those with a free seat
// for which someone waits while seats can be taken in that year; at most so many. The schools take turns, so
// that none waits for another; of each, the section comes first that has not been looked at for longest.
func (q SeatsQueries) WaitedFor(ctx context.Context, now time.Time, most int) (list []WaitedFor, err error) {
	return list, q.list(ctx, &list, `WITH waits AS (
			SELECT school_id, year, section_id, min(student_id) AS student_id,
			bool_or(offered_until <= $1) AS lapsed, count(*) FILTER (WHERE offered_until > $1) AS offered,
				bool_or(offered_until IS NULL) AS waiting, min(coalesce(looked_at, '-infinity')) AS looked_at, min(at) AS at
			FROM seat_wait GROUP BY school_id, year, section_id
		), open AS (
			SELECT DISTINCT school_id, year FROM request_window WHERE round = 'seats' AND opens <= $1 AND counselors_close > $1
		), due AS (
			SELECT w.* FROM waits w JOIN section s ON s.school_id = w.school_id AND s.year = w.year AND s.id = w.section_id
			WHERE coalesce(w.lapsed, false) OR w.waiting AND EXISTS (SELECT 1 FROM open o WHERE o.school_id = w.school_id AND o.year = w.year)
				AND s.seats - w.offered > (SELECT count(*) FROM enrollment e WHERE e.school_id = s.school_id AND e.year = s.year
				AND e.section_id = s.id AND (e.ends IS NULL OR e.ends > $1::date))
		)
		SELECT school_id, year, student_id, section_id FROM (
			SELECT *, row_number() OVER (PARTITION BY school_id ORDER BY coalesce(lapsed, false) DESC, looked_at, at, section_id) AS turn FROM due) d
		ORDER BY turn, looked_at, school_id LIMIT $2`, now, most)
}

// LookedAtWaits notes that the seats of a section were looked at, so that another one comes first next time.
func (q SeatsQueries) LookedAtWaits(ctx context.Context, x *WaitedFor, now time.Time) error {
	return q.exec(ctx, `UPDATE seat_wait SET looked_at = $4 WHERE school_id = $1 AND year = $2 AND section_id = $3`,
		x.School, x.Year, x.Section, now)
}

// Lapse takes from the list of those who wait for a seat in a section anyone who had an offer whose time is
// over, and tells whom.
func (q SeatsQueries) Lapse(ctx context.Context, school string, year int, section string, now time.Time) (students []string, err error) {
	return students, q.list(ctx, &students,
		`DELETE FROM seat_wait WHERE school_id = $1 AND year = $2 AND section_id = $3 AND offered_until <= $4 RETURNING student_id`,
		school, year, section, now)
}
