package store

import (
	"context"
	"fmt"
)

// PlanRow is a course planned for a later year.
type PlanRow struct {
	Grade     int    `db:"grade" json:"grade"`
	Course    string `db:"course_code" json:"course_code"`
	Alternate bool   `db:"alternate" json:"alternate"`
}

// Plan returns a student's plan by grade, then in its order, and its version: 0 where no one has worked on it here.
func (q SheetQueries) Plan(ctx context.Context, at Place) (version int64, list []PlanRow, err error) {
	if err := q.get(ctx, &version,
		`SELECT plan_version FROM sheet WHERE school_id = $1 AND year = $2 AND student_id = $3`, at.School, at.Year, at.Student); err != nil {
		return 0, nil, err
	}
	return version, list, q.list(ctx, &list, `SELECT grade, course_code, kind = 'alternate' AS alternate FROM plan
		WHERE school_id = $1 AND year = $2 AND student_id = $3 ORDER BY grade, ord`, at.School, at.Year, at.Student)
}

// PlannedBefore returns what was planned for a grade in the latest earlier year in which anything was.
func (q SheetQueries) PlannedBefore(ctx context.Context, at Place, grade int) (codes []string, err error) {
	return codes, q.list(ctx, &codes,
		`SELECT course_code FROM plan p WHERE school_id = $1 AND student_id = $3 AND grade = $4 AND kind = 'request'
		AND year = (SELECT max(year) FROM plan m WHERE m.school_id = $1 AND m.student_id = $3 AND m.year < $2) ORDER BY ord`,
		at.School, at.Year, at.Student, grade)
}

// SavePlan writes a plan in place of the one in a version; saved is false where that is no longer the
// version. It is to run in a transaction.
func (q SheetQueries) SavePlan(ctx context.Context, at Place, version int64, list []PlanRow) (saved bool, err error) {
	var changed []int64
	if err := q.list(ctx, &changed,
		`UPDATE sheet SET plan_version = plan_version + 1 WHERE school_id = $1 AND year = $2 AND student_id = $3 AND plan_version = $4
		RETURNING plan_version`, at.School, at.Year, at.Student, version); err != nil || len(changed) == 0 {
		return false, err
	}
	if err := q.exec(ctx, `DELETE FROM plan WHERE school_id = $1 AND year = $2 AND student_id = $3`, at.School, at.Year,
		at.Student); err != nil {
		return false, fmt.Errorf("taking a plan away: %w", err)
	}
	if err := q.exec(ctx, `INSERT INTO plan (school_id, year, student_id, ord, grade, course_code, kind, cells)
		SELECT $1, $2, $3, ord, grade, course_code, CASE WHEN alternate THEN 'alternate'
		ELSE 'request' END, jsonb_build_object('student', $3::text, 'grade', grade::text,
			'courseCode', course_code, 'kind', CASE WHEN alternate THEN 'alternate' ELSE 'request' END)
		FROM ROWS FROM (jsonb_to_recordset($4::jsonb) AS (grade int,
		course_code text, alternate boolean)) WITH ORDINALITY AS r(grade, course_code, alternate, ord)`,
		at.School, at.Year, at.Student, asJSON(list)); err != nil {
		return false, fmt.Errorf("writing a plan: %w", err)
	}
	return true, nil
}
