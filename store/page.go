package store

import (
	"context"
	"time"
)

// ReceiptRow is whose a receipt is, and which stands: Number and Last count the sheet's submissions.
type ReceiptRow struct {
	Place
	Number int    `db:"number"`
	Latest string `db:"latest"`
	Last   int    `db:"last"`
}

// FindReceipt finds whose a receipt of a year is, by its letters and digits. The error is ErrNotFound.
func (q SheetQueries) FindReceipt(ctx context.Context, school string, year int, plain string) (r ReceiptRow, err error) {
	return r, q.get(ctx, &r, `SELECT su.school_id, su.year, su.student_id, su.number, sh.submission AS last,
			(SELECT receipt FROM submission l WHERE (l.school_id, l.year,
			l.student_id, l.number) = (su.school_id, su.year, su.student_id, sh.submission)) AS latest
		FROM submission su JOIN sheet sh ON (sh.school_id, sh.year, sh.student_id) = (su.school_id, su.year, su.student_id)
		WHERE su.school_id = $1 AND su.year = $2 AND regexp_replace(upper(su.receipt), '[^0-9A-Z]', '', 'g') = $3`, school, year, plain)
}

// GuardianID is a guardian of a student.
type GuardianID struct {
	ID   string `db:"id"`
	Name string `db:"name"`
}

// GuardianIDs lists the guardians of a student, by name.
func (q SheetQueries) GuardianIDs(ctx context.Context, school, student string) (list []GuardianID, err error) {
	return list, q.list(ctx, &list,
		`SELECT p.id, p.given_name || ' ' || p.family_name AS name FROM relation r JOIN person p ON p.school_id = r.school_id
			AND p.id = r.person_id
		WHERE r.school_id = $1 AND r.student_id = $2 AND r.kind = 'guards' AND p.present ORDER BY p.family_name, p.given_name, p.id`,
		school, student)
}

// PageRow is a picture of a page that was signed.
type PageRow struct {
	Kind    string    `db:"kind"`
	Content []byte    `db:"content"`
	By      string    `db:"by_name"`
	At      time.Time `db:"at"`
}

// KeepPage keeps the picture of a page that a guardian has signed, under the submission that stands, in the
// place of one before; false where they have not.
func (q SheetQueries) KeepPage(ctx context.Context, at Place, person string, p *PageRow) (bool, error) {
	n, err := q.changed(ctx, `INSERT INTO page (school_id, year, student_id, number, person_id, kind, content, by_name, at)
		SELECT si.school_id, si.year, si.student_id, si.number, si.person_id, $5, $6, $7, $8 FROM signature si JOIN sheet sh
			ON (sh.school_id, sh.year, sh.student_id, sh.submission) = (si.school_id, si.year, si.student_id, si.number)
		WHERE si.school_id = $1 AND si.year = $2 AND si.student_id = $3 AND si.person_id = $4 AND si.paper_by <> ''
		ON CONFLICT (school_id, year, student_id, number, person_id) DO UPDATE
		SET kind = EXCLUDED.kind, content = EXCLUDED.content, by_name = EXCLUDED.by_name, at = EXCLUDED.at`,
		at.School, at.Year, at.Student, person, p.Kind, p.Content, p.By, p.At)
	return n > 0, err
}

// Page returns the picture of a page that a guardian has signed, under the submission that stands. The error is
// ErrNotFound.
func (q SheetQueries) Page(ctx context.Context, at Place, person string) (p PageRow, err error) {
	return p, q.get(ctx, &p,
		`SELECT g.kind, g.content, g.by_name, g.at FROM page g JOIN sheet sh ON (sh.school_id,
			sh.year, sh.student_id, sh.submission) = (g.school_id, g.year, g.student_id, g.number)
		WHERE g.school_id = $1 AND g.year = $2 AND g.student_id = $3 AND g.person_id = $4`, at.School, at.Year, at.Student, person)
}
