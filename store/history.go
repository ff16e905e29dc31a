package store

import (
	"context"
	"time"
)

// Earlier is an edit or an undoing with the entries before it.
type Earlier struct {
	Trace
	Version int64
	Before  []EntryRow
}

type earlierRow struct {
	Version int64
	At      time.Time
	Act     string
	Course  string
	Instead string
	By      string
	Before  JSON[[]EntryRow]
}

const earlierColumns = `version, at, coalesce(detail->>'act', '') AS act, coalesce(detail->>'course', '') AS course,
	coalesce(detail->>'instead', '') AS instead, actor AS by, detail->'before' AS before`

func (q SheetQueries) earlier(ctx context.Context, query string, at Place) (list []Earlier, err error) {
	var rows []earlierRow
	if err := q.list(ctx, &rows, query, at.School, at.Year, at.Student); err != nil {
		return nil, err
	}
	for _, r := range rows {
		list = append(list, Earlier{Trace{Act: r.Act, Course: r.Course, Instead: r.Instead, At: r.At, By: r.By}, r.Version, r.Before.V})
	}
	return list, nil
}

// Undoable returns the latest two changes of a sheet that are not undone, the latest first; there may be fewer.
func (q SheetQueries) Undoable(ctx context.Context, at Place) ([]Earlier, error) {
	return q.earlier(ctx, `SELECT `+earlierColumns+` FROM event e WHERE school_id = $1 AND year = $2 AND student_id = $3 AND kind = 'change'
		AND NOT EXISTS (SELECT 1 FROM event u WHERE u.school_id = $1 AND u.year = $2 AND u.student_id = $3 AND u.kind = 'undo'
		AND (u.detail->>'undoes')::bigint = e.version)
		ORDER BY version DESC LIMIT 2`, at)
}

// Redoable returns the latest two undoings of a sheet that are not made good, the latest first; there may be fewer.
func (q SheetQueries) Redoable(ctx context.Context, at Place) ([]Earlier, error) {
	return q.earlier(ctx, `SELECT `+earlierColumns+` FROM event e WHERE school_id = $1 AND year = $2 AND student_id = $3 AND kind = 'undo'
		AND NOT EXISTS (SELECT 1 FROM event u WHERE u.school_id = $1 AND u.year = $2 AND u.student_id = $3 AND u.kind = 'change'
		AND (u.detail->>'redoes')::bigint = e.version)
		ORDER BY version DESC LIMIT 2`, at)
}

// Answered returns the digest of the change with this key that was kept since a version of the sheet. The
// error is ErrNotFound where there is none.
func (q SheetQueries) Answered(ctx context.Context, at Place, since int64, key string) (digest string, err error) {
	return digest, q.get(ctx, &digest,
		`SELECT asked_digest FROM event WHERE school_id = $1 AND year = $2 AND student_id = $3 AND version > $4 AND key = $5
			ORDER BY version LIMIT 1`,
		at.School, at.Year, at.Student, since, key)
}

// Event is one thing that happened to a sheet.
type Event struct {
	Version int64            `db:"version"`
	At      time.Time        `db:"at"`
	Actor   string           `db:"actor_name"`
	Kind    string           `db:"kind"`
	Reason  string           `db:"reason"`
	Detail  JSON[EventTexts] `db:"detail"`
}

// EventTexts are the parts of an event's detail that are shown.
type EventTexts struct {
	Act     string `json:"act"`
	Course  string `json:"course"`
	Message string `json:"message"`
	Answer  string `json:"answer"`
	Instead string `json:"instead"`
	Receipt string `json:"receipt"`
}

// SubmissionRow is an earlier submission, or the one that stands.
type SubmissionRow struct {
	Number  int              `db:"number"`
	At      time.Time        `db:"at"`
	Entries JSON[[]EntryRow] `db:"entries"`
}

// Submission returns a submission of a sheet by its receipt. The error is ErrNotFound where it has none with that.
func (q SheetQueries) Submission(ctx context.Context, at Place, receipt string) (h SubmissionRow, err error) {
	return h, q.get(ctx, &h,
		`SELECT number, at, entries FROM submission WHERE school_id = $1 AND year = $2 AND student_id = $3 AND receipt = $4`,
		at.School, at.Year, at.Student, receipt)
}

// EntriesAt returns the entries of a sheet in an earlier version of it. The error is ErrNotFound where it has not
// changed since, or no such version is remembered.
func (q SheetQueries) EntriesAt(ctx context.Context, at Place, version int64) (list []EntryRow, err error) {
	var was JSON[[]EntryRow]
	err = q.get(ctx, &was,
		`SELECT detail->'before' FROM event WHERE school_id = $1 AND year = $2 AND student_id = $3 AND version > $4 AND detail ? 'before'
		ORDER BY version LIMIT 1`, at.School, at.Year, at.Student, version)
	return was.V, err
}

// Events lists what happened to a sheet, the latest first, at most limit.
func (q SheetQueries) Events(ctx context.Context, at Place, skip, limit int) (list []Event, err error) {
	return list, q.list(ctx, &list, `SELECT version, at, actor_name, kind, reason, detail FROM event
		WHERE school_id = $1 AND year = $2 AND student_id = $3 ORDER BY version DESC OFFSET $4 LIMIT $5`, at.School, at.Year,
		at.Student, skip, limit)
}
