package store

import "context"

// ClassRow is a section of the master schedule as it is kept, in a rev.
type ClassRow struct {
	ID    string      `db:"id"`
	Rev   int64       `db:"rev"`
	Cells JSON[Cells] `db:"cells"`
}

// Sections lists the sections of a year in their order.
func (q ScheduleQueries) Sections(ctx context.Context, school string, year int) (list []ClassRow, err error) {
	return list, q.list(ctx, &list, `SELECT id, rev, cells FROM section WHERE school_id = $1 AND year = $2 ORDER BY ord, id`, school, year)
}

// PutSection writes a section that is as it was in a rev; with 0 a new one, at the end. It reports whether it
// was so. Sheets are looked at again next to the sections.
func (q ScheduleQueries) PutSection(ctx context.Context, school string, year int, row *SectionRow, rev int64) (bool, error) {
	query := `UPDATE section SET course_code = $4, seats = $5, cells = $6::jsonb, rev = DEFAULT WHERE school_id = $1
		AND year = $2 AND id = $3 AND rev = $7`
	args := []any{school, year, row.ID, row.Course, row.Seats, asJSON(row.Cells), rev}
	if rev == 0 {
		query = `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells)
			SELECT $1, $2, $3, coalesce(max(ord), 0) + 1, $4, $5, $6::jsonb FROM section WHERE school_id = $1 AND year = $2 ON CONFLICT DO NOTHING`
		args = args[:6]
	}
	n, err := q.changed(ctx, query, args...)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.lookAnew(ctx, school, year)
}

// RemoveSection takes a section away that is as it was in a rev, and reports whether it was so.
func (q ScheduleQueries) RemoveSection(ctx context.Context, school string, year int, id string, rev int64) (bool, error) {
	n, err := q.changed(ctx, `DELETE FROM section WHERE school_id = $1 AND year = $2 AND id = $3 AND rev = $4`, school, year, id, rev)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.lookAnew(ctx, school, year)
}

// lookAnew lets everybody's sheet be looked at again.
func (q ScheduleQueries) lookAnew(ctx context.Context, school string, year int) error {
	return q.exec(ctx, `UPDATE school_year SET roster_version = roster_version + 1 WHERE school_id = $1 AND year = $2`, school, year)
}
