package store

import (
	"context"
	"time"
)

// CalendarDate is a date of one of a student's calendars, as it was last given out.
type CalendarDate struct {
	ID       string    `db:"id" json:"id"`
	Digest   string    `db:"digest" json:"digest"`     // of what it says, in no language
	Sequence int       `db:"sequence" json:"sequence"` // how often it was changed
	Modified time.Time `db:"modified_at" json:"modified_at"`
	Title    string    `db:"title" json:"title"`
	At       time.Time `db:"at" json:"at"`
	Whole    bool      `db:"whole" json:"whole"` // the day of At, in no zone
	Gone     bool      `db:"gone" json:"gone"`
}

// CalendarDates are the dates that a calendar of a student has had, by id.
func (q SeatsQueries) CalendarDates(ctx context.Context, at Place, calendar string) (map[string]CalendarDate, error) {
	var list []CalendarDate
	err := q.list(ctx, &list, `SELECT id, digest, sequence, modified_at, title, at, whole, gone FROM calendar_date
		WHERE school_id = $1 AND year = $2 AND student_id = $3 AND calendar = $4`, at.School, at.Year, at.Student, calendar)
	out := make(map[string]CalendarDate, len(list))
	for _, d := range list {
		out[d.ID] = d
	}
	return out, err
}

// LockCalendars lets one at a time write a student's calendars, until the transaction ends.
func (q SeatsQueries) LockCalendars(ctx context.Context, at Place) error {
	return q.exec(ctx, `SELECT 1 FROM sheet WHERE school_id = $1 AND year = $2 AND student_id = $3 FOR NO KEY UPDATE`,
		at.School, at.Year, at.Student)
}

// KeepCalendarDates writes dates of a calendar of a student.
func (q SeatsQueries) KeepCalendarDates(ctx context.Context, at Place, calendar string, dates []CalendarDate) error {
	return q.exec(ctx, `INSERT INTO calendar_date (school_id, year,
		student_id, calendar, id, digest, sequence, modified_at, title, at, whole, gone)
		SELECT $1, $2, $3, $4, id, digest, sequence, modified_at, title, at, whole, gone
		FROM jsonb_to_recordset($5::jsonb) AS r(id text, digest text,
		sequence int, modified_at timestamptz, title text, at timestamptz, whole boolean, gone boolean)
		ON CONFLICT (school_id, year, student_id, calendar, id) DO UPDATE SET digest = excluded.digest, sequence = excluded.sequence,
			modified_at = excluded.modified_at, title = excluded.title, at = excluded.at, whole = excluded.whole, gone = excluded.gone`,
		at.School, at.Year, at.Student, calendar, asJSON(dates))
}
