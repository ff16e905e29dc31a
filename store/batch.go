package store

import (
	"context"
	"time"
)

// BatchPart is what a change to a sheet is to the batch that it is made with.
type BatchPart struct {
	Batch  int64
	Came   []EntryRow // the entries that are new or different
	Gone   []EntryRow // what they were before
	Unsaid []int64    // the signals that were withdrawn
	Was    string     // the state before
}

// BatchRow is something the school has done with many sheets at once, or with one.
type BatchRow struct {
	ID     int64                   `db:"id"`
	Kind   string                  `db:"kind"`
	Detail JSON[map[string]string] `db:"detail"`
	Reason string                  `db:"reason"`
	Person string                  `db:"person_id"`
	By     string                  `db:"by_name"`
	At     time.Time               `db:"at"`
	BackBy string                  `db:"back_by"`
	BackAt *time.Time              `db:"back_at"`
	Sheets int                     `db:"sheets"` // it was done to
	Back   int                     `db:"back"`   // of them taken back
}

const batchColumns = `b.id, b.kind, b.detail, b.reason, b.person_id, b.by_name, b.at, b.back_by, b.back_at,
	(SELECT count(*) FROM batch_sheet s WHERE (s.school_id, s.year, s.batch_id) = (b.school_id, b.year, b.id)) AS sheets,
	(SELECT count(*) FROM batch_sheet s WHERE (s.school_id, s.year, s.batch_id) = (b.school_id, b.year, b.id) AND s.back) AS back`

// BeginBatch begins one, and gives its number.
func (q CaseloadQueries) BeginBatch(ctx context.Context, school string, year int, b *BatchRow) (id int64, err error) {
	return id, q.get(ctx, &id,
		`INSERT INTO batch (school_id, year, kind, detail, reason, person_id, by_name, at)
			VALUES ($1, $2, $3, $4::jsonb, $5, $6, $7, $8) RETURNING id`,
		school, year, b.Kind, asJSON(b.Detail.V), b.Reason, b.Person, b.By, b.At)
}

// DropBatch forgets one that was done to no sheet.
func (q CaseloadQueries) DropBatch(ctx context.Context, school string, year int, id int64) error {
	return q.exec(ctx, `DELETE FROM batch b WHERE school_id = $1 AND year = $2 AND id = $3
		AND NOT EXISTS (SELECT 1 FROM batch_sheet s WHERE (s.school_id, s.year, s.batch_id) = (b.school_id, b.year, b.id))`, school, year, id)
}

// Batch returns one batch. The error is ErrNotFound.
func (q CaseloadQueries) Batch(ctx context.Context, school string, year int, id int64) (b BatchRow, err error) {
	return b, q.get(ctx, &b, `SELECT `+batchColumns+` FROM batch b WHERE b.school_id = $1 AND b.year = $2 AND b.id = $3`, school, year, id)
}

// Batches lists the latest of a year that were done to some sheet, or to a student's where one is named.
func (q CaseloadQueries) Batches(ctx context.Context, school string, year int, student string,
	skip, limit int) (list []BatchRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+batchColumns+` FROM batch b WHERE b.school_id = $1 AND b.year = $2
		AND EXISTS (SELECT 1 FROM batch_sheet s WHERE (s.school_id, s.year, s.batch_id) = (b.school_id, b.year, b.id) AND ($3 = ''
		OR s.student_id = $3)) ORDER BY b.id DESC OFFSET $4 LIMIT $5`,
		school, year, student, skip, limit)
}

// BatchSheet is a sheet that a batch was done to.
type BatchSheet struct {
	Student    string           `db:"student_id"`
	GivenName  string           `db:"given_name"`
	FamilyName string           `db:"family_name"`
	Grade      int              `db:"grade"`
	Version    int64            `db:"version"`
	Came       JSON[[]EntryRow] `db:"came"`
	Gone       JSON[[]EntryRow] `db:"gone"`
	Unsaid     JSON[[]int64]    `db:"unsaid"`
	Was        string           `db:"was"`
	Back       bool             `db:"back"`
}

// BatchSheets lists the sheets that a batch was done to, by name.
func (q CaseloadQueries) BatchSheets(ctx context.Context, school string, year int, id int64) (list []BatchSheet, err error) {
	return list, q.list(ctx, &list,
		`SELECT s.student_id, p.given_name, p.family_name, sh.grade, s.version, s.came, s.gone, s.unsaid, s.was, s.back FROM batch_sheet s
		JOIN person p ON p.school_id = s.school_id AND p.id = s.student_id
		JOIN sheet sh ON (sh.school_id, sh.year, sh.student_id) = (s.school_id, s.year, s.student_id)
		WHERE s.school_id = $1 AND s.year = $2 AND s.batch_id = $3 ORDER BY p.family_name, p.given_name, p.id`, school, year, id)
}

// TookBack notes that a batch is taken back as far as that could be done.
func (q CaseloadQueries) TookBack(ctx context.Context, school string, year int, id int64, by string, at time.Time) error {
	return q.exec(ctx, `UPDATE batch SET back_by = $4, back_at = $5 WHERE school_id = $1 AND year = $2 AND id = $3`, school, year, id, by, at)
}

// ReminderRow is what a student and the family are reminded of.
type ReminderRow struct {
	About string    `db:"about"`
	Text  string    `db:"text"`
	By    string    `db:"by_name"`
	At    time.Time `db:"at"`
}

// Remind keeps a reminder for a student, unless there is one of the same on that day. It reports whether it is new.
func (q CaseloadQueries) Remind(ctx context.Context, at Place, r ReminderRow, day string, batch int64) (kept bool, err error) {
	return kept, q.get(ctx, &kept, `WITH kept AS (INSERT INTO reminder (school_id, year, student_id, about, day, text, by_name, at, batch_id)
			VALUES ($1, $2, $3, $4, $5::date, $6, $7, $8, $9) ON CONFLICT DO NOTHING RETURNING 1),
		seen AS (UPDATE sheet SET reminded_at = $8 WHERE school_id = $1 AND year = $2 AND student_id = $3 AND EXISTS (SELECT 1 FROM kept)),
		part AS (INSERT INTO batch_sheet (school_id, year, batch_id, student_id, version) SELECT $1, $2, $9, $3, 0 FROM kept),
		written AS (INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
			SELECT $1, $2, $3, t.id, 'reminder', $2 || '/' || $3 || '/' || $4 || '/' || $5,
			jsonb_build_object('who', $7::text, 'message', $6::text, 'about', $4::text), $8, $8
			FROM kept, (VALUES ('student'), ('guardians')) AS l(who)`+recipients+` ON CONFLICT DO NOTHING)
		SELECT EXISTS (SELECT 1 FROM kept)`, at.School, at.Year, at.Student, r.About, day, r.Text, r.By, r.At, batch)
}

// Reminded reports of which students there is a reminder of something on a day.
func (q CaseloadQueries) Reminded(ctx context.Context, school string, year int, about, day string) (list []string, err error) {
	return list, q.list(ctx, &list,
		`SELECT student_id FROM reminder WHERE school_id = $1 AND year = $2 AND about = $3 AND day = $4::date`, school, year, about, day)
}

// Unremind takes a batch's reminder of a student back.
func (q CaseloadQueries) Unremind(ctx context.Context, at Place, batch int64) error {
	return q.exec(ctx, `WITH gone AS (DELETE FROM reminder WHERE school_id = $1 AND year = $2 AND student_id = $3 AND batch_id = $4),
		seen AS (UPDATE sheet SET reminded_at = (SELECT max(at) FROM reminder r WHERE r.school_id = $1 AND r.year = $2
		AND r.student_id = $3 AND r.batch_id <> $4)
			WHERE school_id = $1 AND year = $2 AND student_id = $3)
		UPDATE batch_sheet SET back = true WHERE school_id = $1 AND year = $2 AND student_id = $3 AND batch_id = $4`,
		at.School, at.Year, at.Student, batch)
}

// Reminders lists what a student is reminded of since a moment, the latest first, once each.
func (q CaseloadQueries) Reminders(ctx context.Context, at Place, since time.Time) (list []ReminderRow, err error) {
	return list, q.list(ctx, &list, `SELECT about, text, by_name, at FROM (SELECT DISTINCT ON (about) about, text, by_name, at FROM reminder
		WHERE school_id = $1 AND year = $2 AND student_id = $3 AND at >= $4 ORDER BY about, at DESC) r ORDER BY at DESC`,
		at.School, at.Year, at.Student, since)
}
