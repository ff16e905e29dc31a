package store

import (
	"context"
	"time"
)

// AgreementRow is a fee or a commitment that a guardian agrees to before signing.
type AgreementRow struct {
	Kind string    `db:"kind" json:"kind"` // fee or commitment
	Ref  string    `db:"ref" json:"ref"`   // a course, or the commitment's id
	What string    `db:"what" json:"what"` // the fee in hundredths, or the commitment's text, as it was then
	At   time.Time `db:"at" json:"-"`
}

// Agreements lists what a person agrees to for a student, in the order of agreeing; what was withdrawn is left out.
func (q SheetQueries) Agreements(ctx context.Context, at Place, person string) (list []AgreementRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT kind, ref, what, at FROM agreement WHERE school_id = $1 AND year = $2 AND student_id = $3 AND person_id = $4
			AND withdrawn_at IS NULL
		ORDER BY at, id`, at.School, at.Year, at.Student, person)
}

// Agree records that a person agrees; twice is once.
func (q SheetQueries) Agree(ctx context.Context, at Place, person string, a *AgreementRow) error {
	return q.exec(ctx, `INSERT INTO agreement (school_id, year, student_id, person_id, kind, ref, what, at)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT DO NOTHING`,
		at.School, at.Year, at.Student, person, a.Kind, a.Ref, a.What, a.At)
}

// Disagree withdraws what a person has agreed to.
func (q SheetQueries) Disagree(ctx context.Context, at Place, person, kind, ref string, now time.Time) error {
	return q.exec(ctx, `UPDATE agreement SET withdrawn_at = $7 WHERE school_id = $1 AND year = $2 AND student_id = $3
		AND person_id = $4 AND kind = $5 AND ref = $6 AND withdrawn_at IS NULL`,
		at.School, at.Year, at.Student, person, kind, ref, now)
}

// SignedRow is a submission that someone has signed.
type SignedRow struct {
	At      time.Time        `db:"at"`
	Entries JSON[[]EntryRow] `db:"entries"`
}

// SignedBefore returns the latest submission before one that a person has signed. The error is ErrNotFound
// where there is none.
func (q SheetQueries) SignedBefore(ctx context.Context, at Place, person string, number int) (row SignedRow, err error) {
	return row, q.get(ctx, &row, `SELECT si.at, su.entries FROM signature si JOIN submission su USING (school_id, year, student_id, number)
		WHERE si.school_id = $1 AND si.year = $2 AND si.student_id = $3 AND si.person_id = $4 AND si.number < $5 ORDER BY si.number DESC LIMIT 1`,
		at.School, at.Year, at.Student, person, number)
}
