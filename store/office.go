package store

import (
	"context"
	"time"
)

// GiveRight lets a person of the staff administer the school, and notes it; false where the person is not of the staff, or does already.
func (q Queries) GiveRight(ctx context.Context, school, person, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done, `WITH given AS (INSERT INTO relation (school_id, kind, person_id, source) SELECT school_id, 'administers', id, 'office' FROM person
			WHERE school_id = $1 AND id = $2 AND present AND role IN ('teacher', 'administrator', 'aide', 'proctor') ON CONFLICT DO NOTHING RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, reason) SELECT $1, $5, $3, 'give', $2, $4 FROM given)
		SELECT EXISTS (SELECT 1 FROM given)`, school, person, by, reason, at)
}

// TakeRight takes that back, where the office has given it, and notes it; false where it has not.
func (q Queries) TakeRight(ctx context.Context, school, person, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done, `WITH taken AS (DELETE FROM relation WHERE school_id = $1 AND person_id = $2 AND kind = 'administers' AND source = 'office' RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, reason) SELECT $1, $5, $3, 'take', $2, $4 FROM taken)
		SELECT EXISTS (SELECT 1 FROM taken)`, school, person, by, reason, at)
}

// GiveLead lets a person of the staff lead a course, and notes it; false where the person is not of the staff, or does already.
func (q Queries) GiveLead(ctx context.Context, school, person, course, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done, `WITH given AS (INSERT INTO relation (school_id, kind, person_id, course_code, source) SELECT school_id, 'leads', id, $3, 'office' FROM person
			WHERE school_id = $1 AND id = $2 AND present AND role IN ('teacher', 'administrator', 'aide', 'proctor') ON CONFLICT DO NOTHING RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, about, reason) SELECT $1, $6, $4, 'lead', $2, $3, $5 FROM given)
		SELECT EXISTS (SELECT 1 FROM given)`, school, person, course, by, reason, at)
}

// TakeLead takes that back, and notes it; false where they do not lead it.
func (q Queries) TakeLead(ctx context.Context, school, person, course, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done, `WITH taken AS (DELETE FROM relation WHERE school_id = $1 AND person_id = $2 AND kind = 'leads' AND course_code = $3 RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, about, reason) SELECT $1, $6, $4, 'noLead', $2, $3, $5 FROM taken)
		SELECT EXISTS (SELECT 1 FROM taken)`, school, person, course, by, reason, at)
}

// NoteCode notes that the office has given a person a password for one sign-in.
func (q Queries) NoteCode(ctx context.Context, school, person, by string, at time.Time) error {
	return q.exec(ctx, `INSERT INTO office_event (school_id, at, by_name, kind, person_id) VALUES ($1, $4, $3, 'code', $2)`, school, person, by, at)
}

// NoteWindow notes that the office has set a window, or taken one away, and whose.
func (q Queries) NoteWindow(ctx context.Context, school, kind, about, by string, at time.Time) error {
	return q.exec(ctx, `INSERT INTO office_event (school_id, at, by_name, kind, about) VALUES ($1, $5, $4, $2, $3)`, school, kind, about, by, at)
}

// OfficeAct is something that the office, or a counselor for many, has done.
type OfficeAct struct {
	At     time.Time `db:"at"`
	By     string    `db:"by_name"`
	Kind   string    `db:"kind"`  // code, give, take, import, export, rules, courses, batch
	About  string    `db:"about"` // whom or what it concerns
	Reason string    `db:"reason"`
}

// OfficeActs lists what the office of a school has done: with people, data, rules and courses, and with many sheets at once, the latest first.
func (q Queries) OfficeActs(ctx context.Context, school string, limit int) (list []OfficeAct, err error) {
	return list, q.list(ctx, &list, `SELECT at, by_name, kind, about, reason FROM (
			SELECT e.at, e.by_name, e.kind, concat_ws(' · ', p.given_name || ' ' || p.family_name, nullif(e.about, '')) AS about, e.reason FROM office_event e
				LEFT JOIN person p ON p.school_id = e.school_id AND p.id = e.person_id WHERE e.school_id = $1
			UNION ALL SELECT made_at, by_name, kind, name, '' FROM task WHERE school_id = $1
			UNION ALL SELECT at, by_name, 'rules', version::text, reason FROM policy WHERE school_id = $1 AND by_name <> ''
			UNION ALL SELECT at, by_name, 'courses', version::text, reason FROM catalog WHERE school_id = $1 AND by_name <> ''
			UNION ALL SELECT at, by_name, 'batch', kind, reason FROM batch WHERE school_id = $1) acts
		ORDER BY at DESC, kind, about LIMIT $2`, school, limit)
}
