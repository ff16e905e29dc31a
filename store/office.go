package store

import (
	"context"
	"time"
)

// GiveRight lets a person of the staff administer the school, and notes it; false where the person is not of
// the staff, or does already.
func (q OfficeQueries) GiveRight(ctx context.Context, school, person, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH given AS (INSERT INTO relation (school_id, kind, person_id, source) SELECT school_id, 'administers', id, 'office' FROM person
			WHERE school_id = $1 AND id = $2 AND present AND role IN ('teacher', 'administrator', 'aide', 'proctor')
			ON CONFLICT DO NOTHING RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, reason) SELECT $1, $5, $3, 'give', $2, $4 FROM given)
		SELECT EXISTS (SELECT 1 FROM given)`, school, person, by, reason, at)
}

// TakeRight takes that back, where the office has given it, and notes it; false where it has not.
func (q OfficeQueries) TakeRight(ctx context.Context, school, person, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH taken AS (DELETE FROM relation WHERE school_id = $1 AND person_id = $2 AND kind = 'administers' AND source = 'office' RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, reason) SELECT $1, $5, $3, 'take', $2, $4 FROM taken)
		SELECT EXISTS (SELECT 1 FROM taken)`, school, person, by, reason, at)
}

// GiveLead lets a person of the staff lead a course, and notes it; false where the person is not of the
// staff, or does already.
func (q OfficeQueries) GiveLead(ctx context.Context, school, person, course, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH given AS (INSERT INTO relation (school_id, kind, person_id, course_code, source)
			SELECT school_id, 'leads', id, $3, 'office' FROM person
			WHERE school_id = $1 AND id = $2 AND present AND role IN ('teacher', 'administrator', 'aide', 'proctor')
			ON CONFLICT DO NOTHING RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, about, reason)
		SELECT $1, $6, $4, 'lead', $2, $3, $5 FROM given)
		SELECT EXISTS (SELECT 1 FROM given)`, school, person, course, by, reason, at)
}

// TakeLead takes that back, and notes it; false where they do not lead it.
func (q OfficeQueries) TakeLead(ctx context.Context, school, person, course, by, reason string, at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH taken AS (DELETE FROM relation WHERE school_id = $1 AND person_id = $2 AND kind = 'leads' AND course_code = $3 RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, person_id, about, reason)
		SELECT $1, $6, $4, 'noLead', $2, $3, $5 FROM taken)
		SELECT EXISTS (SELECT 1 FROM taken)`, school, person, course, by, reason, at)
}

// NoteCode notes that the office has given a person a password for one sign-in.
func (q OfficeQueries) NoteCode(ctx context.Context, school, person, by string, at time.Time) error {
	return q.exec(ctx, `INSERT INTO office_event (school_id, at, by_name, kind, person_id) VALUES ($1, $4, $3, 'code', $2)`,
		school, person, by, at)
}

// NoteWindow notes that the office has set a window, or taken one away, and whose.
func (q OfficeQueries) NoteWindow(ctx context.Context, school, kind, about, by string, at time.Time) error {
	return q.exec(ctx, `INSERT INTO office_event (school_id, at, by_name, kind, about) VALUES ($1, $5, $4, $2, $3)`,
		school, kind, about, by, at)
}

// OfficeAct is something that the office, or a counselor for many, has done.
type OfficeAct struct {
	At     time.Time `db:"at"`
	By     string    `db:"by_name"`
	Kind   string    `db:"kind"`  // code, give, take, import, export, rules, courses, batch
	About  string    `db:"about"` // whom or what it concerns
	Reason string    `db:"reason"`
}

// OfficeActs lists what the office of a school has done: with people, data, rules and courses, and with many
// sheets at once, the latest first.
func (q OfficeQueries) OfficeActs(ctx context.Context, school string, skip, limit int) (list []OfficeAct, err error) {
	return list, q.list(ctx, &list, `SELECT at, by_name, kind, about, reason FROM (
			SELECT e.at, e.by_name, e.kind, concat_ws(' · ', p.given_name || ' ' || p.family_name,
			nullif(e.about, '')) AS about, e.reason FROM office_event e
				LEFT JOIN person p ON p.school_id = e.school_id AND p.id = e.person_id WHERE e.school_id = $1
			UNION ALL SELECT made_at, by_name, kind, name, '' FROM task WHERE school_id = $1
			UNION ALL SELECT at, by_name, 'rules', version::text, reason FROM policy WHERE school_id = $1 AND by_name <> ''
			UNION ALL SELECT at, by_name, 'courses', version::text, reason FROM catalog WHERE school_id = $1 AND by_name <> ''
			UNION ALL SELECT at, by_name, 'batch', kind, reason FROM batch WHERE school_id = $1) acts
		ORDER BY at DESC, kind, about OFFSET $2 LIMIT $3`, school, skip, limit)
}

// CodeRow is a person who may get a code for a first sign-in.
type CodeRow struct {
	Person     string         `db:"id"`
	GivenName  string         `db:"given_name"`
	FamilyName string         `db:"family_name"`
	Username   string         `db:"username"`
	Language   string         `db:"language"`
	Account    int64          `db:"account_id"`
	Reach      bool           `db:"reach"`    // the account leads only to schools that the office administers
	Children   JSON[[]string] `db:"children"` // names of those of the grade; of a guardian
}

// WithoutSignIn lists the students who enter a grade in a year, or their guardians, who have an account and
// have never chosen a password, by the name of the (first) student; office is the account that asks.
func (q OfficeQueries) WithoutSignIn(ctx context.Context, school string, year, grade int, guardians bool,
	office int64) (list []CodeRow, err error) {
	ctx = Anywhere(ctx) // an account may lead to several schools
	return list, q.list(ctx, &list,
		`WITH them AS (SELECT s.id AS student, s.given_name || ' ' || s.family_name AS name,
			s.family_name || ' ' || s.given_name AS ord FROM sheet sh
				JOIN person s ON s.school_id = sh.school_id AND s.id = sh.student_id AND s.present AND s.enabled WHERE sh.school_id = $1
				AND sh.year = $2 AND sh.grade = $3),
			whom AS (SELECT student AS id, name, ord FROM them WHERE NOT $4
				UNION ALL SELECT r.person_id, t.name, t.ord FROM them t JOIN relation r ON r.school_id = $1 AND r.student_id = t.student
				AND r.kind = 'guards' WHERE $4)
		SELECT p.id, p.given_name, p.family_name, p.username, p.language, p.account_id, CASE WHEN $4 THEN json_agg(w.name
		ORDER BY w.ord) ELSE '[]' END AS children,
			NOT EXISTS (SELECT 1 FROM person o WHERE o.account_id = p.account_id AND o.present AND NOT EXISTS
				(SELECT 1 FROM person a JOIN relation r ON r.school_id = a.school_id AND r.person_id = a.id AND r.kind = 'administers'
					WHERE a.account_id = $5 AND a.school_id = o.school_id AND a.present AND a.enabled)) AS reach
		FROM whom w JOIN person p ON p.school_id = $1 AND p.id = w.id AND p.present AND p.enabled AND p.account_id IS NOT NULL
			LEFT JOIN account_password a ON a.account_id = p.account_id
		WHERE a.account_id IS NULL OR a.once GROUP BY p.id, p.given_name, p.family_name, p.username, p.language, p.account_id
		ORDER BY min(w.ord), p.family_name, p.given_name, p.id`,
		school, year, grade, guardians, office)
}

// HashRow is a password's hash for an account.
type HashRow struct {
	Account int64  `json:"account"`
	Hash    string `json:"hash"`
}

// SetCodes sets passwords for one sign-in, where none was chosen in the meantime, and notes that; it tells for
// which accounts.
func (q OfficeQueries) SetCodes(ctx context.Context, school string, list []HashRow, about, by string,
	at time.Time) (set []int64, err error) {
	return set, q.list(ctx, &set,
		`WITH set AS (INSERT INTO account_password AS a (account_id, hash, once, set_at) SELECT account, hash, true, $4
			FROM jsonb_to_recordset($2::jsonb) AS r(account bigint, hash text)
				ON CONFLICT (account_id) DO UPDATE SET hash = EXCLUDED.hash, set_at = EXCLUDED.set_at WHERE a.once RETURNING account_id),
			noted AS (INSERT INTO office_event (school_id, at, by_name, kind, about)
			SELECT $1, $4, $3, 'codes', count(*) || ' · ' || $5 FROM set HAVING count(*) > 0)
		SELECT account_id FROM set`, school, asJSON(list), by, at, about)
}
