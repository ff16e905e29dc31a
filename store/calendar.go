package store

import (
	"context"
	"time"
)

// CalendarDate is a date of a student's calendar, as it was last given out.
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

// CalendarDates are the dates that a student's calendar has had, by id; it is locked until the transaction ends.
func (q Queries) CalendarDates(ctx context.Context, at Place) (map[string]CalendarDate, error) {
	var list []CalendarDate
	if err := q.exec(ctx, `SELECT 1 FROM sheet WHERE school_id = $1 AND year = $2 AND student_id = $3 FOR NO KEY UPDATE`, at.School, at.Year, at.Student); err != nil {
		return nil, err
	}
	err := q.list(ctx, &list, `SELECT id, digest, sequence, modified_at, title, at, whole, gone FROM calendar_date WHERE school_id = $1 AND year = $2 AND student_id = $3`, at.School, at.Year, at.Student)
	out := make(map[string]CalendarDate, len(list))
	for _, d := range list {
		out[d.ID] = d
	}
	return out, err
}

// KeepCalendarDates writes dates of a student's calendar.
func (q Queries) KeepCalendarDates(ctx context.Context, at Place, dates []CalendarDate) error {
	return q.exec(ctx, `INSERT INTO calendar_date (school_id, year, student_id, id, digest, sequence, modified_at, title, at, whole, gone)
		SELECT $1, $2, $3, id, digest, sequence, modified_at, title, at, whole, gone FROM jsonb_to_recordset($4::jsonb) AS r(id text, digest text, sequence int, modified_at timestamptz, title text, at timestamptz, whole boolean, gone boolean)
		ON CONFLICT (school_id, year, student_id, id) DO UPDATE SET digest = excluded.digest, sequence = excluded.sequence, modified_at = excluded.modified_at, title = excluded.title,
			at = excluded.at, whole = excluded.whole, gone = excluded.gone`, at.School, at.Year, at.Student, asJSON(dates))
}
