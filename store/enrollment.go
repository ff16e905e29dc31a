package store

import (
	"context"
	"time"
)

// EnrollmentRow is a student in a section. Dates are YYYY-MM-DD; empty: from the beginning, to the end.
type EnrollmentRow struct {
	ID      int64     `db:"id" json:"id"`
	Section string    `db:"section_id" json:"section_id"`
	Begins  string    `db:"begins" json:"begins"`
	Ends    string    `db:"ends" json:"ends"` // exclusive
	At      time.Time `db:"at" json:"at"`
	By      string    `db:"by_name" json:"by_name"`
}

// Enrollments lists all that a student is or was enrolled in, in the order in which it came.
func (q SeatsQueries) Enrollments(ctx context.Context, at Place) (list []EnrollmentRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT id, section_id, coalesce(begins::text, '') AS begins, coalesce(ends::text, '') AS ends, at, by_name FROM enrollment
		WHERE school_id = $1 AND year = $2 AND student_id = $3 ORDER BY id`, at.School, at.Year, at.Student)
}

// EnrolledIn counts who is or was enrolled in each section of a year, but those that are kept; what a
// publication gave and no one has changed is not counted.
func (q SeatsQueries) EnrolledIn(ctx context.Context, school string, year int, kept []string) (map[string]int, error) {
	var rows []struct {
		Section string `db:"section_id"`
		N       int    `db:"n"`
	}
	if err := q.list(ctx, &rows,
		`SELECT e.section_id, count(*) AS n FROM enrollment e WHERE e.school_id = $1 AND e.year = $2 AND NOT `+untouched+
			` AND e.section_id NOT IN (SELECT jsonb_array_elements_text($3::jsonb)) GROUP BY e.section_id`,
		school, year, asJSON(kept)); err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, r := range rows {
		out[r.Section] = r.N
	}
	return out, nil
}

// StayChange is what a change with a date makes of a student's enrollments.
type StayChange struct {
	Ends map[int64]string `json:"ends"` // by id: the date from which on they are in it no longer
	Gone []int64          `json:"gone"` // that leave no trace
	Came []string         `json:"came"` // sections that they come into
	On   string           `json:"on"`
	By   string           `json:"by"`
	At   time.Time        `json:"at"`
}

// ChangeStays writes a change with a date for a student whose choice is locked.
func (q SeatsQueries) ChangeStays(ctx context.Context, at Place, c *StayChange) error {
	for id, end := range c.Ends {
		if err := q.exec(ctx,
			`UPDATE enrollment SET ends = nullif($5, '')::date WHERE school_id = $1 AND year = $2 AND student_id = $3 AND id = $4`,
			at.School, at.Year, at.Student, id, end); err != nil {
			return err
		}
	}
	if err := q.exec(ctx,
		`DELETE FROM enrollment WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND id IN (SELECT jsonb_array_elements_text($4::jsonb)::bigint)`,
		at.School, at.Year, at.Student, asJSON(c.Gone)); err != nil {
		return err
	}
	return q.exec(ctx, `INSERT INTO enrollment (school_id, year, student_id, section_id, begins, at, by_name)
		SELECT $1, $2, $3, x, $5::date, $6, $7 FROM jsonb_array_elements_text($4::jsonb) x`,
		at.School, at.Year, at.Student, asJSON(c.Came), c.On, c.At, c.By)
}

// untouched is an enrollment that came with a publication, and that no one has changed.
const untouched = `(e.placed AND e.begins IS NULL AND e.ends IS NULL)`

// EnrollPlaced enrolls some students in what the placement gives them as it is published now, in the place of
// what an earlier publication gave them; anyone who has chosen or changed something keeps all of it. Where
// nothing is published any more they are enrolled in nothing.
func (q SeatsQueries) EnrollPlaced(ctx context.Context, school string, year int, students []string, by string, now time.Time) error {
	return q.exec(ctx, `WITH who AS (SELECT x AS id FROM jsonb_array_elements_text($3::jsonb) x WHERE NOT EXISTS (SELECT 1
		FROM enrollment e WHERE e.school_id = $1 AND e.year = $2 AND e.student_id = x AND NOT `+
		untouched+`)),
			gives AS (SELECT DISTINCT sh.student_id, g->>'section' AS section_id FROM who JOIN sheet sh ON sh.school_id = $1
			AND sh.year = $2 AND sh.student_id = who.id AND sh.state = 'placed', jsonb_array_elements(sh.placed->'given') g),
			gone AS (DELETE FROM enrollment e USING who WHERE e.school_id = $1 AND e.year = $2 AND e.student_id = who.id
			AND NOT EXISTS (SELECT 1 FROM gives WHERE gives.student_id = e.student_id AND gives.section_id = e.section_id)),
			came AS (INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name, placed)
			SELECT $1, $2, gives.student_id, gives.section_id, $5, $4, true FROM gives
				JOIN section s ON s.school_id = $1 AND s.year = $2 AND s.id = gives.section_id ON CONFLICT DO NOTHING)
		UPDATE seat_choice c SET version = version + 1 FROM who WHERE c.school_id = $1 AND c.year = $2 AND c.student_id = who.id`,
		school, year, asJSON(students), by, now)
}

// PutStays enrolls students in what the school's data says, in the place of what it said before. Anyone who has
// chosen or changed something here keeps all of it, and so does who is enrolled by a publication.
func (q SeatsQueries) PutStays(ctx context.Context, school string, year int, pupils []PupilIn, now time.Time) error {
	ids, stays := []string{}, []StayIn{}
	for i := range pupils {
		ids, stays = append(ids, pupils[i].Student), append(stays, pupils[i].Stays...)
	}
	return q.exec(ctx, `WITH who AS (SELECT x AS id FROM jsonb_array_elements_text($3::jsonb) x WHERE NOT EXISTS (SELECT 1
		FROM seat_choice c WHERE c.school_id = $1 AND c.year = $2 AND c.student_id = x)
				AND NOT EXISTS (SELECT 1 FROM enrollment e WHERE e.school_id = $1 AND e.year = $2 AND e.student_id = x AND e.placed)),
			says AS (SELECT r.student_id, r.section_id, nullif(r.begins, '')::date AS begins, nullif(r.ends, '')::date AS ends
				FROM jsonb_to_recordset($4::jsonb) AS r(student_id text, section_id text, begins text, ends text) JOIN who ON who.id = r.student_id),
			gone AS (DELETE FROM enrollment e USING who WHERE e.school_id = $1 AND e.year = $2 AND e.student_id = who.id
			AND NOT EXISTS (SELECT 1 FROM says
				WHERE says.student_id = e.student_id AND says.section_id = e.section_id AND says.begins IS NOT DISTINCT FROM e.begins
				AND says.ends IS NOT DISTINCT FROM e.ends))
		INSERT INTO enrollment (school_id, year, student_id, section_id, begins, ends, at, by_name)
		SELECT $1, $2, says.student_id, says.section_id, says.begins, says.ends, $5, '' FROM says
			WHERE NOT EXISTS (SELECT 1 FROM enrollment e WHERE e.school_id = $1 AND e.year = $2
				AND says.student_id = e.student_id AND says.section_id = e.section_id AND says.begins IS NOT DISTINCT FROM e.begins
				AND says.ends IS NOT DISTINCT FROM e.ends)`,
		school, year, asJSON(ids), asJSON(stays), now)
}

// Leavers lists, by year, those students of a school whom its data no longer names and who have a seat in
// some section from a date on, or wait for one.
func (q SeatsQueries) Leavers(ctx context.Context, school, from string) (list []Place, err error) {
	return list, q.list(ctx, &list,
		`SELECT e.school_id, e.year, e.student_id FROM enrollment e JOIN person p ON p.school_id = e.school_id AND p.id = e.student_id
			WHERE e.school_id = $1 AND NOT p.present AND (e.ends IS NULL OR e.ends > $2::date)
		UNION SELECT w.school_id, w.year, w.student_id FROM seat_wait w JOIN person p ON p.school_id = w.school_id
		AND p.id = w.student_id WHERE w.school_id = $1 AND NOT p.present
		ORDER BY 2, 3`, school, from)
}

// LeavePlaced takes away what publications gave in sections of a year, but those that are kept.
func (q SeatsQueries) LeavePlaced(ctx context.Context, school string, year int, kept []string) error {
	return q.exec(ctx, `DELETE FROM enrollment e WHERE e.school_id = $1 AND e.year = $2 AND `+untouched+
		` AND e.section_id NOT IN (SELECT jsonb_array_elements_text($3::jsonb))`, school, year, asJSON(kept))
}

// Chosen lists who has a seat in which section of a year by their own choice, or by a change, and not by a
// publication; ended ones are not among them.
func (q SeatsQueries) Chosen(ctx context.Context, school string, year int) (list []SeatOf, err error) {
	return list, q.list(ctx, &list,
		`SELECT e.student_id, e.section_id FROM enrollment e WHERE e.school_id = $1 AND e.year = $2 AND e.ends IS NULL AND NOT `+
			untouched, school, year)
}

// SeatOf is a student's seat in a section.
type SeatOf struct {
	Student string `db:"student_id"`
	Section string `db:"section_id"`
}
