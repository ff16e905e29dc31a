package store

import (
	"context"
	"time"
)

// HeadRow is a student of a caseload with what a list needs of the sheet, except for what is on it.
type HeadRow struct {
	Place
	Versions
	Pupil
	Version     int64          `db:"version"`
	Grade       int            `db:"grade"`
	Programs    JSON[[]string] `db:"programs"`
	Begun       bool           `db:"begun"`
	State       string         `db:"state"`
	Before      string         `db:"placed_from"` // the state in which it was placed
	Asked       string         `db:"asked"`
	AskedAt     *time.Time     `db:"asked_at"`
	AskedCourse string         `db:"asked_course"` // what the oldest open change request is about, a code; empty: the whole
	ChangedAt   *time.Time     `db:"changed_at"`
	SubmittedAt *time.Time     `db:"submitted_at"`
	Receipt     *string        `db:"receipt"`
	ClearedAt   *time.Time     `db:"cleared_at"`
	RemarkAt    *time.Time     `db:"remark_at"` // of the oldest that no one has answered
	LostAt      *time.Time     `db:"lost_at"`   // when a mail was written that asks for what is still to be done, and was not delivered
	Counselor   string         `db:"counselor"` // the id
	RemindedAt  *time.Time     `db:"reminded_at"`
}

// Heads lists the students of a counselor, or all of the school where counselor is empty, by name, without
// what is on their sheets. What belongs to many of them is gathered once and joined, since all of the school
// is looked at.
func (q CaseloadQueries) Heads(ctx context.Context, school string, year int, counselor string) (list []HeadRow, err error) {
	return list, q.list(ctx, &list,
		`WITH guards AS MATERIALIZED (SELECT student_id, count(*) AS n FROM relation WHERE school_id = $1 AND kind = 'guards'
			GROUP BY student_id),
		counsels AS MATERIALIZED (SELECT DISTINCT ON (r.student_id) r.student_id,
		k.id, k.given_name || ' ' || k.family_name AS name FROM relation r
			JOIN person k ON k.school_id = r.school_id AND k.id = r.person_id WHERE r.school_id = $1 AND r.kind = 'counsels'
			AND r.year = $2 ORDER BY r.student_id, r.id),
		asks AS MATERIALIZED (SELECT student_id, min(at) AS at FROM remark WHERE school_id = $1 AND year = $2 AND answer = ''
		AND kind <> 'family' GROUP BY student_id),
		lost AS MATERIALIZED (SELECT student_id, max(made_at) FILTER (WHERE kind = 'sign') AS sign,
		max(made_at) FILTER (WHERE kind = 'sentBack') AS back FROM letter
			WHERE school_id = $1 AND year = $2 AND state IN ('failed', 'unsure') GROUP BY student_id),
		kinds AS MATERIALIZED (SELECT DISTINCT grade, CASE WHEN student_id IN (SELECT student_id FROM request_window WHERE school_id = $1 AND year = $2) THEN student_id ELSE chr(1) END AS student_id -- nobody has that id
			FROM sheet WHERE school_id = $1 AND year = $2),
		windows AS MATERIALIZED (SELECT sh.grade, sh.student_id, w.opens, w.families_close, w.counselors_close,
				sw.opens AS summer_opens, sw.families_close AS summer_families_close, sw.counselors_close AS summer_counselors_close
			FROM (SELECT $1 AS school_id, $2::int AS year, grade, student_id FROM kinds) sh`+pupilWindows+`)
		SELECT sh.school_id, sh.year, sh.student_id, y.catalog_version,
		y.policy_version, y.roster_version, sh.facts_version, sh.version, sh.grade, sh.programs, sh.begun,
			sh.state, coalesce(sh.placed->>'was', '') AS placed_from,
			sh.asked, sh.asked_at, coalesce(jsonb_path_query_first(sh.change_requests,
			'$[*] ? (!exists(@.answeredAt))')->>'course', '') AS asked_course,
			sh.changed_at, sh.cleared_at, sub.at AS submitted_at, sub.receipt, asks.at AS remark_at, sh.reminded_at,
			CASE WHEN sh.state = 'submitted' AND lost.sign >= sub.at THEN lost.sign WHEN sh.state = 'sentBack'
			AND lost.back >= sub.at THEN lost.back END AS lost_at,
			p.given_name, p.family_name, coalesce(guards.n, 0) AS guardians,
			coalesce(counsels.id, '') AS counselor, coalesce(counsels.name, '') AS counselor_name,
			w.opens, w.families_close, w.counselors_close, w.summer_opens, w.summer_families_close, w.summer_counselors_close
		FROM `+sheetTables+` JOIN person p ON p.school_id = sh.school_id AND p.id = sh.student_id
			LEFT JOIN guards ON guards.student_id = sh.student_id LEFT JOIN counsels ON counsels.student_id = sh.student_id
			LEFT JOIN asks ON asks.student_id = sh.student_id LEFT JOIN lost ON lost.student_id = sh.student_id
			LEFT JOIN windows w ON w.grade = sh.grade AND w.student_id = CASE WHEN EXISTS (SELECT 1 FROM windows x
			WHERE x.student_id = sh.student_id) THEN sh.student_id ELSE chr(1) END
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present AND p.enabled AND ($3 = '' OR `+related+`)
		ORDER BY p.family_name, p.given_name, p.id`, school, year, counselor, "counsels")
}

// Cases lists some students with their sheets, by name.
func (q CaseloadQueries) Cases(ctx context.Context, school string, year int, students []string) ([]CaseRow, error) {
	return q.all().Sheet.cases(ctx, `sh.student_id IN (SELECT jsonb_array_elements_text($3::jsonb))`, school, year, asJSON(students))
}

// Trying lists the students of a year who have one of some courses on their sheets, or who have a permission
// for one course.
func (q CaseloadQueries) Trying(ctx context.Context, school string, year int, asked []string,
	course string) (students []string, err error) {
	return students, q.list(ctx, &students,
		`SELECT student_id FROM entry WHERE school_id = $1 AND year = $2 AND course_code IN (SELECT jsonb_array_elements_text($3::jsonb))
		UNION SELECT s.student_id FROM signal s JOIN sheet sh ON sh.school_id = s.school_id AND sh.student_id = s.student_id AND sh.year = $2
			WHERE s.school_id = $1 AND s.kind IN ('permission', 'errand') AND s.course_code = $4 AND s.settled = '' AND (s.year = $2
			OR s.year IS NULL)`,
		school, year, asJSON(asked), course)
}

// CourseCount is a number of something by course.
type CourseCount struct {
	Course string `db:"course_code"`
	N      int    `db:"n"`
}

// Asked counts the requests for each course on the sheets of a year.
func (q CaseloadQueries) Asked(ctx context.Context, school string, year int) (list []CourseCount, err error) {
	return list, q.list(ctx, &list,
		`SELECT course_code, count(*) AS n FROM entry WHERE school_id = $1 AND year = $2 AND kind = 'request' GROUP BY course_code`, school, year)
}

// Seats counts the seats in the sections of each course of a year.
func (q CaseloadQueries) Seats(ctx context.Context, school string, year int) (list []CourseCount, err error) {
	return list, q.list(ctx, &list,
		`SELECT course_code, sum(seats) AS n FROM section WHERE school_id = $1 AND year = $2 AND course_code <> '' GROUP BY course_code`,
		school, year)
}

// SavedView is a view of the caseload that someone keeps by name.
type SavedView struct {
	Name   string         `db:"name"`
	Filter JSON[[]string] `db:"filter"` // key and value in turn, as an address has them
}

// SavedViews lists what a person keeps, by name.
func (q CaseloadQueries) SavedViews(ctx context.Context, school, person string) (list []SavedView, err error) {
	return list, q.list(ctx, &list,
		`SELECT name, filter FROM saved_view WHERE school_id = $1 AND person_id = $2 ORDER BY name`, school, person)
}

// SaveView keeps a view under its name, unless the person has most already; a view of that name is replaced.
// It reports whether it is kept.
func (q CaseloadQueries) SaveView(ctx context.Context, school, person string, v SavedView, at time.Time, most int) (kept bool, err error) {
	return kept, q.get(ctx, &kept,
		`WITH kept AS (INSERT INTO saved_view (school_id, person_id, name, filter, at) SELECT $1, $2, $3, $4::jsonb, $5
			WHERE (SELECT count(*) FROM saved_view WHERE school_id = $1 AND person_id = $2 AND name <> $3) < $6
			ON CONFLICT (school_id, person_id, name) DO UPDATE SET filter = EXCLUDED.filter, at = EXCLUDED.at RETURNING 1)
		SELECT EXISTS (SELECT 1 FROM kept)`, school, person, v.Name, asJSON(v.Filter.V), at, most)
}

// DropView forgets a view.
func (q CaseloadQueries) DropView(ctx context.Context, school, person, name string) error {
	return q.exec(ctx, `DELETE FROM saved_view WHERE school_id = $1 AND person_id = $2 AND name = $3`, school, person, name)
}

// SectionCount is how many sections of a course the master schedule has, and their seats.
type SectionCount struct {
	Course   string `db:"course_code"`
	Sections int    `db:"sections"`
	Seats    int    `db:"seats"`
}

// SectionCounts counts the sections of each course of a year.
func (q CaseloadQueries) SectionCounts(ctx context.Context, school string, year int) (list []SectionCount, err error) {
	return list, q.list(ctx, &list,
		`SELECT course_code, count(*) AS sections, sum(seats) AS seats FROM section WHERE school_id = $1 AND year = $2
			AND course_code <> '' GROUP BY course_code`,
		school, year)
}

// NameRow is a student by name.
type NameRow struct {
	ID    string `db:"id"`
	Name  string `db:"name"`
	Grade int    `db:"grade"`
}

// StudentNames returns the names of some students with sheets in a year, by name.
func (q CaseloadQueries) StudentNames(ctx context.Context, school string, year int, students []string) (list []NameRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT p.id, p.given_name || ' ' || p.family_name AS name, sh.grade FROM person p
			JOIN sheet sh ON sh.school_id = p.school_id AND sh.student_id = p.id AND sh.year = $2
		WHERE p.school_id = $1 AND p.id IN (SELECT jsonb_array_elements_text($3::jsonb)) ORDER BY p.family_name, p.given_name, p.id`,
		school, year, asJSON(append([]string{}, students...)))
}
