package store

import (
	"context"
	"time"
)

// DatedRow is a change with a date that the system which keeps attendance is asked for.
type DatedRow struct {
	Place
	Key      string                `db:"key"`
	Adds     JSON[[]string]        `db:"adds"`  // sections whose seats are kept for it
	Asked    JSON[map[string]any]  `db:"asked"` // what the other system is asked for
	Back     JSON[map[string]any]  `db:"back"`  // what takes that back there
	Stays    JSON[StayChange]      `db:"stays"`
	Was      JSON[[]EnrollmentRow] `db:"was"`  // the enrollments that it was decided on
	Note     JSON[SeatAct]         `db:"note"` // what is noted when it is made
	GoesBack bool                  `db:"goes_back"`
	Tries    int                   `db:"tries"`
	NextAt   time.Time             `db:"next_at"`
	MadeAt   time.Time             `db:"made_at"`
}

const datedColumns = `school_id, year, student_id, key, adds, asked, back, stays, was, note, goes_back, tries, next_at, made_at`

// NoteDated keeps a change before anybody is asked for it.
func (q SeatsQueries) NoteDated(ctx context.Context, d *DatedRow) error {
	return q.exec(ctx, `INSERT INTO dated_change (school_id, year, student_id, key, adds, asked, back, stays, was, note, next_at, made_at)
		VALUES ($1, $2, $3, $4, $5::jsonb, $6::jsonb, $7::jsonb, $8::jsonb, $9::jsonb, $10::jsonb, $11, $12)`,
		d.School, d.Year, d.Student, d.Key, asJSON(d.Adds.V), asJSON(d.Asked.V), asJSON(d.Back.V), asJSON(d.Stays.V),
		asJSON(d.Was.V), asJSON(d.Note.V), d.NextAt, d.MadeAt)
}

// Dated returns the change that is under way for a student. The error is ErrNotFound.
func (q SeatsQueries) Dated(ctx context.Context, at Place) (d DatedRow, err error) {
	return d, q.get(ctx, &d, `SELECT `+datedColumns+
		` FROM dated_change WHERE school_id = $1 AND year = $2 AND student_id = $3`, at.School, at.Year, at.Student)
}

// TakeDated takes changes with which no one goes on, for anyone who goes on with them until a time; at most so many.
func (q SeatsQueries) TakeDated(ctx context.Context, now, until time.Time, most int) (list []DatedRow, err error) {
	return list, q.list(ctx, &list,
		`UPDATE dated_change d SET next_at = $2 FROM (SELECT school_id, year, student_id FROM dated_change WHERE next_at <= $1
			ORDER BY next_at LIMIT $3 FOR UPDATE SKIP LOCKED) due
		WHERE (d.school_id, d.year, d.student_id) = (due.school_id, due.year, due.student_id) RETURNING d.*`, now, until, most)
}

// PutOffDated notes that the other system has not answered, and when it is asked again; goesBack: to take the
// change back.
func (q SeatsQueries) PutOffDated(ctx context.Context, d *DatedRow, goesBack bool, next time.Time) error {
	return q.exec(ctx, `UPDATE dated_change SET tries = tries + 1, goes_back = $5, next_at = $6 WHERE school_id = $1
		AND year = $2 AND student_id = $3 AND key = $4`,
		d.School, d.Year, d.Student, d.Key, goesBack, next)
}

// EndDated takes a change away that is made, or taken back, and reports whether it was still there.
func (q SeatsQueries) EndDated(ctx context.Context, d *DatedRow) (bool, error) {
	n, err := q.changed(ctx,
		`DELETE FROM dated_change WHERE school_id = $1 AND year = $2 AND student_id = $3 AND key = $4`, d.School, d.Year, d.Student, d.Key)
	return n > 0, err
}
