package store

import (
	"context"
	"time"
)

// DraftRow is a sheet to try things on, next to the real one.
type DraftRow struct {
	ID        int64              `db:"id"`
	Name      string             `db:"name"`
	Version   int64              `db:"version"`
	Entries   JSON[[]EntryRow]   `db:"entries"`
	Past      JSON[[][]EntryRow] `db:"past"` // what the entries were, the latest last
	Future    JSON[[][]EntryRow] `db:"future"`
	ChangedAt time.Time          `db:"changed_at"`
	ShownAt   *time.Time         `db:"shown_at"` // since when the family sees it
	Said      int                `db:"said"`     // how much a family has said about it
}

// MaxDrafts bounds the drafts of one sheet.
const MaxDrafts = 4

const draftColumns = `id, name, version, entries, past, future, changed_at, shown_at,
	(SELECT count(*) FROM remark r WHERE (r.school_id, r.year, r.student_id,
	r.draft_id) = (draft.school_id, draft.year, draft.student_id, draft.id)) AS said`

// Drafts lists a sheet's drafts, the oldest first.
func (q SheetQueries) Drafts(ctx context.Context, at Place) (list []DraftRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+draftColumns+
		` FROM draft WHERE school_id = $1 AND year = $2 AND student_id = $3 ORDER BY id`, at.School, at.Year, at.Student)
}

// Draft returns one draft of a sheet. The error is ErrNotFound.
func (q SheetQueries) Draft(ctx context.Context, at Place, id int64) (row DraftRow, err error) {
	return row, q.get(ctx, &row, `SELECT `+draftColumns+
		` FROM draft WHERE school_id = $1 AND year = $2 AND student_id = $3 AND id = $4`, at.School, at.Year, at.Student, id)
}

// AddDraft makes a draft; added is false where there are MaxDrafts already. It is to run in a transaction.
func (q SheetQueries) AddDraft(ctx context.Context, at Place, name string, entries []EntryRow,
	now time.Time) (id int64, added bool, err error) {
	if err := q.exec(ctx, `SELECT 1 FROM sheet WHERE school_id = $1 AND year = $2 AND student_id = $3 FOR UPDATE`,
		at.School, at.Year, at.Student); err != nil {
		return 0, false, err
	}
	var ids []int64
	err = q.list(ctx, &ids, `INSERT INTO draft (school_id, year, student_id, name, entries, changed_at) SELECT $1, $2, $3, $4, $5::jsonb, $6
		WHERE (SELECT count(*) FROM draft WHERE school_id = $1 AND year = $2 AND student_id = $3) < $7 RETURNING id`,
		at.School, at.Year, at.Student, name,
		asJSON(append([]EntryRow{}, entries...)), now, MaxDrafts)
	if err != nil || len(ids) == 0 {
		return 0, false, err
	}
	return ids[0], true, nil
}

// SaveDraft writes a draft in place of its version before; saved is false where it has no longer that version.
func (q SheetQueries) SaveDraft(ctx context.Context, at Place, d *DraftRow) (saved bool, err error) {
	var done []int64
	err = q.list(ctx, &done,
		`UPDATE draft SET name = $5, version = $6, entries = $7::jsonb, past = $8::jsonb, future = $9::jsonb, changed_at = $10
		WHERE school_id = $1 AND year = $2 AND student_id = $3 AND id = $4 AND version = $6 - 1 RETURNING id`, at.School,
		at.Year, at.Student, d.ID, d.Name, d.Version,
		asJSON(append([]EntryRow{}, d.Entries.V...)), asJSON(append([][]EntryRow{}, d.Past.V...)),
		asJSON(append([][]EntryRow{}, d.Future.V...)), d.ChangedAt)
	return len(done) > 0, err
}

// DropDraft throws a draft away, with what was said about it.
func (q SheetQueries) DropDraft(ctx context.Context, at Place, id int64) error {
	return q.exec(ctx, `WITH said AS (DELETE FROM remark WHERE school_id = $1 AND year = $2 AND student_id = $3 AND draft_id = $4 AND $4 > 0)
		DELETE FROM draft WHERE school_id = $1 AND year = $2 AND student_id = $3 AND id = $4`, at.School, at.Year, at.Student, id)
}
