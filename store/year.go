package store

import (
	"context"
	"time"
)

// Schools lists the ids of the schools.
func (q YearQueries) Schools(ctx context.Context) (ids []string, err error) {
	return ids, q.list(ctx, &ids, `SELECT id FROM school ORDER BY id`)
}

// YearRow is a school year with the versions in force.
type YearRow struct {
	School     string `db:"school_id"`
	Year       int    `db:"year"`
	SchoolName string `db:"school_name"`
	Catalog    int64  `db:"catalog_version"`
	Policy     int64  `db:"policy_version"`
	Roster     int64  `db:"roster_version"`
}

// YearRow returns a school year. The error is ErrNotFound where there is none.
func (q YearQueries) YearRow(ctx context.Context, school string, year int) (y YearRow, err error) {
	return y, q.get(ctx, &y, `SELECT y.school_id, y.year, sc.name AS school_name, y.catalog_version, y.policy_version, y.roster_version
		FROM school_year y JOIN school sc ON sc.id = y.school_id WHERE y.school_id = $1 AND y.year = $2`, school, year)
}

// Sheetful is a file as rows: the columns and the cells.
type Sheetful struct {
	Header []string   `json:"header"`
	Rows   [][]string `json:"rows"`
}

// Source is what a version of a school year is compiled from: catalog files by name, and the policy's text.
type Source struct {
	Files  map[string]Sheetful
	Policy string
}

// Source returns the versions of a year's catalog and policy. The error is ErrNotFound where there is none.
func (q YearQueries) Source(ctx context.Context, school string, year int, catalog, policy int64) (s Source, err error) {
	var row struct {
		Files JSON[map[string]Sheetful]
		Text  string
	}
	err = q.get(ctx, &row, `SELECT c.files, p.text FROM catalog c JOIN policy p USING (school_id, year)
		WHERE c.school_id = $1 AND c.year = $2 AND c.version = $3 AND p.version = $4`, school, year, catalog, policy)
	return Source{row.Files.V, row.Text}, err
}

// PublishYear makes a school year, or new versions of its catalog and policy where they differ from those in
// force, and tells the versions then in force. Where looked is not 0 and another version of the catalog is in
// force, nothing is done and the error is ErrMoved.
func (q YearQueries) PublishYear(ctx context.Context, school, name string, year int, s Source, codes []string,
	headers map[string][]string, looked int64, now time.Time) (catalog, policy int64, err error) {
	if err := q.exec(ctx, `INSERT INTO school (id, name) VALUES ($1, $2) ON CONFLICT (id) DO UPDATE SET name = $2`, school, name); err != nil {
		return 0, 0, err
	}
	if err := q.exec(ctx, `INSERT INTO school_year (school_id, year) VALUES ($1, $2) ON CONFLICT DO NOTHING`, school, year); err != nil {
		return 0, 0, err
	}
	var old YearRow
	if err := q.get(ctx, &old,
		`SELECT school_id, year, '' AS school_name, catalog_version, policy_version, roster_version FROM school_year
			WHERE school_id = $1 AND year = $2 FOR UPDATE`,
		school, year); err != nil {
		return 0, 0, err
	}
	if looked != 0 && old.Catalog != looked {
		return 0, 0, ErrMoved
	}
	if catalog, policy, err = q.publish(ctx, &old, s, codes, "", "", now); err != nil {
		return 0, 0, err
	}
	if err := q.exec(ctx, `DELETE FROM bundle_header WHERE school_id = $1 AND year = $2`, school, year); err != nil {
		return 0, 0, err
	}
	if err := q.exec(ctx,
		`INSERT INTO bundle_header (school_id, year, name, header) SELECT $1, $2, key, value FROM jsonb_each($3::jsonb)`,
		school, year, asJSON(headers)); err != nil {
		return 0, 0, err
	}
	return catalog, policy, nil
}

// publish makes new versions of the catalog and policy where they differ from those in force, and puts them in force.
func (q YearQueries) publish(ctx context.Context, old *YearRow, s Source, codes []string, by, reason string,
	now time.Time) (catalog, policy int64, err error) {
	school, year := old.School, old.Year
	if err := q.exec(ctx,
		`INSERT INTO course (school_id, year, code) SELECT $1, $2, jsonb_array_elements_text($3::jsonb) ON CONFLICT DO NOTHING`,
		school, year, asJSON(codes)); err != nil {
		return 0, 0, err
	}
	n, err := q.changed(ctx,
		`INSERT INTO catalog (school_id, year, version, files, at, by_name, reason) SELECT $1, $2, $3 + 1, $4::jsonb, $5, $6, $7
		WHERE NOT EXISTS (SELECT 1 FROM catalog WHERE school_id = $1 AND year = $2 AND version = $3 AND files = $4::jsonb)`,
		school, year, old.Catalog, asJSON(s.Files), now, by, reason)
	if err != nil {
		return 0, 0, err
	}
	catalog = old.Catalog + n
	if n, err = q.changed(ctx, `INSERT INTO policy (school_id, year, version, text, at, by_name, reason) SELECT $1, $2, $3 + 1, $4, $5, $6, $7
		WHERE NOT EXISTS (SELECT 1 FROM policy WHERE school_id = $1 AND year = $2 AND version = $3 AND text = $4)`, school,
		year, old.Policy, s.Policy, now, by, reason); err != nil {
		return 0, 0, err
	}
	policy = old.Policy + n
	return catalog, policy,
		q.exec(ctx, `UPDATE school_year SET catalog_version = $3, policy_version = $4 WHERE school_id = $1 AND year = $2`,
			school, year, catalog, policy)
}

// Revise puts other rules or courses in force, where those that were looked at are still in force, and tells
// whether it did.
func (q YearQueries) Revise(ctx context.Context, school string, year int, looked Versions, s Source, codes []string,
	by, reason string, now time.Time) (bool, error) {
	var old YearRow
	if err := q.get(ctx, &old,
		`SELECT school_id, year, '' AS school_name, catalog_version, policy_version, roster_version FROM school_year
			WHERE school_id = $1 AND year = $2 FOR UPDATE`,
		school, year); err != nil {
		return false, err
	}
	if old.Catalog != looked.Catalog || old.Policy != looked.Policy {
		return false, nil
	}
	_, _, err := q.publish(ctx, &old, s, codes, by, reason, now)
	return err == nil, err
}

// VersionRow is a version of the rules, or of the catalog.
type VersionRow struct {
	Kind    string    `db:"kind"` // rules or courses
	Version int64     `db:"version"`
	At      time.Time `db:"at"`
	By      string    `db:"by_name"` // empty: it came with the school's data
	Reason  string    `db:"reason"`
}

// SourceVersions lists the versions of a year's rules and catalog, the latest first, at most 200.
func (q YearQueries) SourceVersions(ctx context.Context, school string, year int) (list []VersionRow, err error) {
	return list, q.list(ctx, &list, `SELECT 'rules' AS kind, version, at, by_name, reason FROM policy WHERE school_id = $1 AND year = $2
		UNION ALL SELECT 'courses', version, at, by_name, reason FROM catalog WHERE school_id = $1 AND year = $2
		ORDER BY at DESC, kind, version DESC LIMIT 200`,
		school, year)
}

// PolicyText returns policy.json in a version. The error is ErrNotFound.
func (q YearQueries) PolicyText(ctx context.Context, school string, year int, version int64) (text string, err error) {
	return text, q.get(ctx, &text, `SELECT text FROM policy WHERE school_id = $1 AND year = $2 AND version = $3`, school, year, version)
}

// RaiseRoster makes stale what is cached of people, relations and windows of a school: in all its years, or
// in one where year is not 0.
func (q YearQueries) RaiseRoster(ctx context.Context, school string, year int) error {
	return q.exec(ctx, `UPDATE school_year SET roster_version = roster_version + 1 WHERE school_id = $1 AND ($2 = 0 OR year = $2)`,
		school, year)
}

// WindowRow is when sheets are open, or their part for the summer, or seats are chosen: of one student, else
// of a grade, else (grade -1) of all.
type WindowRow struct {
	Round      Round     `db:"round"`
	Grade      int       `db:"grade"`
	Student    string    `db:"student_id"`
	Opens      time.Time `db:"opens"`
	Families   time.Time `db:"families_close"`
	Counselors time.Time `db:"counselors_close"`
	Name       string    `db:"name"` // of the student
}

// Round names which choice a window is for.
type Round string

// The rounds.
const (
	OfTheYear   Round = "" // requests for the year
	OfTheSummer Round = "summer"
	OfSeats     Round = "seats" // in the finished master schedule
)

// Windows lists the windows of a year: for all, by grade, by student.
func (q YearQueries) Windows(ctx context.Context, school string, year int) (list []WindowRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT CASE w.round WHEN 'year' THEN '' ELSE w.round END AS round, w.grade, w.student_id, w.opens, w.families_close, w.counselors_close,
			coalesce(p.family_name || ', ' || p.given_name, '') AS name FROM request_window w LEFT
			JOIN person p ON p.school_id = w.school_id AND p.id = w.student_id
		WHERE w.school_id = $1 AND w.year = $2 ORDER BY w.round <> 'year', w.round DESC, w.student_id <> '', w.grade, name, w.student_id`,
		school, year)
}

// DropWindow takes a window away, and reports whether there was one.
func (q YearQueries) DropWindow(ctx context.Context, school string, year int, w WindowRow) (bool, error) {
	n, err := q.changed(ctx,
		`DELETE FROM request_window WHERE school_id = $1 AND year = $2 AND round = CASE $3 WHEN '' THEN 'year' ELSE $3 END
			AND grade = $4 AND student_id = $5`,
		school, year, w.Round, w.Grade, w.Student)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.RaiseRoster(ctx, school, year)
}

// SetWindow sets a window.
func (q YearQueries) SetWindow(ctx context.Context, school string, year int, w WindowRow) error {
	if err := q.exec(ctx, `INSERT INTO request_window (school_id, year, round, grade, student_id, opens, families_close, counselors_close)
			VALUES ($1, $2, CASE $8 WHEN '' THEN 'year' ELSE $8 END, $3, $4, $5, $6, $7)
		ON CONFLICT (school_id, year, round, grade, student_id) DO UPDATE SET opens = $5, families_close = $6, counselors_close = $7`,
		school, year, w.Grade, w.Student, w.Opens, w.Families, w.Counselors, w.Round); err != nil {
		return err
	}
	return q.RaiseRoster(ctx, school, year)
}

// Newest returns the newest year of a school, or 0.
func (q YearQueries) Newest(ctx context.Context, school string) (year int, err error) {
	return year, q.get(ctx, &year, `SELECT coalesce(max(year), 0) FROM school_year WHERE school_id = $1`, school)
}
