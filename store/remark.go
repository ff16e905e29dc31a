package store

import (
	"context"
	"time"
)

// RemarkRow is something asked or said about a sheet, or one course or rule of it, with the school's answer.
type RemarkRow struct {
	ID         int64      `db:"id"`
	Kind       string     `db:"kind"`     // question, comment, wrong, later; family: to each other
	Draft      int64      `db:"draft_id"` // that it is about; 0: the sheet
	Course     string     `db:"course_code"`
	Rule       string     `db:"rule"`
	Text       string     `db:"text"`
	By         string     `db:"by_name"`
	At         time.Time  `db:"at"`
	Answer     string     `db:"answer"`
	AnsweredBy string     `db:"answered_by"`
	AnsweredAt *time.Time `db:"answered_at"`
}

// Remarks lists what was asked and said about a sheet or one of its drafts, the oldest first, at most 200.
func (q CaseloadQueries) Remarks(ctx context.Context, at Place) (list []RemarkRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT id, kind, draft_id, course_code, rule, text, by_name, at, answer, answered_by, answered_at FROM remark
		WHERE school_id = $1 AND year = $2 AND student_id = $3 AND draft_id = $4 ORDER BY id LIMIT 200`, at.School, at.Year, at.Student, at.Draft)
}
