package store

import (
	"context"
	"fmt"
)

// An import writes a school's data in short transactions, so that no one waits for it: first the year, then
// people, then students batch by batch. Each takes locks in one order: sheets by student, then the rest.

// PersonRow is a person as the school's data has them.
type PersonRow struct {
	ID         string `json:"id"`
	Ord        int    `json:"ord"`
	Role       string `json:"role"`
	Enabled    bool   `json:"enabled"`
	Username   string `json:"username"`
	GivenName  string `json:"given_name"`
	FamilyName string `json:"family_name"`
	Language   string `json:"language"`
	Cells      Cells  `json:"cells"`
}

// LockImport makes imports into one school wait for each other, until the transaction ends; it reports whether
// it got the lock.
func (q ImportsQueries) LockImport(ctx context.Context, school string) (got bool, err error) {
	return got, q.get(ctx, &got, `SELECT pg_try_advisory_xact_lock(hashtextextended('intake ' || $1, 0))`, school)
}

// Kept is a sheet that people have worked on here, with the codes it has, as sheet or as submission.
type Kept struct {
	Student string         `db:"student_id"`
	Codes   JSON[[]string] `db:"codes"`
}

// KeptSheets lists the sheets of a year that people have worked on.
func (q ImportsQueries) KeptSheets(ctx context.Context, school string, year int) (list []Kept, err error) {
	return list, q.list(ctx, &list, `SELECT sh.student_id, (SELECT coalesce(jsonb_agg(DISTINCT x.c), '[]') FROM (
				SELECT e.course_code AS c FROM entry e WHERE (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id)
				UNION SELECT s->>'c' FROM submission sub, jsonb_array_elements(sub.entries) s
					WHERE (sub.school_id, sub.year, sub.student_id, sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)) x) AS codes
		FROM sheet sh WHERE sh.school_id = $1 AND sh.year = $2 AND sh.touched ORDER BY sh.student_id`, school, year)
}

// Own is something that was made here, and no import changes: a record that was entered or corrected, a
// student whose sheet was worked on, or one who has chosen sections or was placed.
type Own struct {
	Kind    string      `db:"kind"` // record, requests or enrollments
	Student string      `db:"student_id"`
	Cells   JSON[Cells] `db:"cells"` // of a record
}

// Own lists what was made here in a year.
func (q ImportsQueries) Own(ctx context.Context, school string, year int) (list []Own, err error) {
	return list, q.list(ctx, &list,
		`SELECT 'record' AS kind, student_id, cells FROM record WHERE school_id = $1 AND (here OR replaced IS NOT NULL)
		UNION ALL SELECT 'requests', student_id, '{}' FROM sheet WHERE school_id = $1 AND year = $2 AND touched
		UNION ALL SELECT 'enrollments', student_id, '{}' FROM seat_choice WHERE school_id = $1 AND year = $2
		UNION ALL SELECT DISTINCT 'enrollments', student_id, '{}'::jsonb FROM enrollment WHERE school_id = $1 AND year = $2 AND placed`,
		school, year)
}

// Missing counts the people of a school who are there and not among some.
func (q ImportsQueries) Missing(ctx context.Context, school string, ids []string) (n int, err error) {
	return n, q.get(ctx, &n,
		`SELECT count(*) FROM person WHERE school_id = $1 AND present AND id NOT IN (SELECT jsonb_array_elements_text($2::jsonb))`,
		school, asJSON(ids))
}

// PutPeople writes people, those who differ from what is there.
func (q ImportsQueries) PutPeople(ctx context.Context, school string, people []PersonRow) error {
	text := asJSON(people)
	if err := q.exec(ctx,
		`INSERT INTO account (username) SELECT DISTINCT username FROM jsonb_to_recordset($1::jsonb) AS r(username text)
			ORDER BY username ON CONFLICT DO NOTHING`,
		text); err != nil {
		return fmt.Errorf("writing accounts: %w", err)
	}
	return q.exec(ctx, `INSERT INTO person AS p (school_id, id, ord, role, enabled, username, given_name, family_name, language, cells)
		SELECT $1, id, ord, role, enabled, username, given_name, family_name, language, cells
		FROM jsonb_to_recordset($2::jsonb) AS r(id text, ord int, role text,
		enabled boolean, username text, given_name text, family_name text, language text, cells jsonb) ORDER BY id
		ON CONFLICT (school_id, id) DO UPDATE SET ord = EXCLUDED.ord,
		role = EXCLUDED.role, present = true, gone_at = NULL, erased = false, enabled = EXCLUDED.enabled, username = EXCLUDED.username,
			given_name = EXCLUDED.given_name, family_name = EXCLUDED.family_name, language = EXCLUDED.language, cells = EXCLUDED.cells
		WHERE (p.ord, p.role, p.present, p.enabled, p.username, p.given_name, p.family_name, p.language, p.cells)
			IS DISTINCT FROM (EXCLUDED.ord, EXCLUDED.role, true, EXCLUDED.enabled,
			EXCLUDED.username, EXCLUDED.given_name, EXCLUDED.family_name, EXCLUDED.language, EXCLUDED.cells)`,
		school, text)
}

// LinkPeople ends the writing of people: those whom the data no longer names are marked so, accounts lead to
// the people who have their usernames now, and who administers the school is taken from roles. An account
// that passes from one person of the school to another loses its password, sessions and devices, so that
// no one inherits a sign-in.
func (q ImportsQueries) LinkPeople(ctx context.Context, school string, ids []string) error {
	for _, step := range []struct{ doing, query string }{
		{"marking who is gone",
			`UPDATE person SET present = false, gone_at = now() WHERE school_id = $1 AND present
				AND id NOT IN (SELECT jsonb_array_elements_text($2::jsonb))`},
		{"taking away what was another's",
			`WITH passed AS (SELECT DISTINCT a.id FROM account a JOIN person new ON new.username = a.username AND new.school_id = $1 AND new.present
				JOIN person old ON old.school_id = $1 AND old.account_id = a.id AND old.id <> new.id),
			passwords AS (DELETE FROM account_password WHERE account_id IN (SELECT id FROM passed)),
			devices AS (DELETE FROM account_device WHERE account_id IN (SELECT id FROM passed)),
			identities AS (DELETE FROM account_identity WHERE account_id IN (SELECT id FROM passed))
			DELETE FROM session WHERE account_id IN (SELECT id FROM passed) AND $2 <> ''`},
		{"leading accounts to people", `UPDATE person p SET account_id = w.account_id
			FROM (SELECT o.id, CASE WHEN o.present THEN a.id END AS account_id FROM person o LEFT
			JOIN account a ON a.username = o.username WHERE o.school_id = $1 AND $2 <> '') w
			WHERE p.school_id = $1 AND p.id = w.id AND p.account_id IS DISTINCT FROM w.account_id`},
		{"noting who no longer administers",
			`DELETE FROM relation r USING person p WHERE r.school_id = $1 AND r.kind = 'administers' AND r.source = 'import'
			AND p.school_id = $1 AND p.id = r.person_id AND (p.role <> 'administrator' OR NOT p.present) AND $2 <> ''`},
		{"noting who administers",
			`INSERT INTO relation (school_id, kind, person_id, source) SELECT school_id, 'administers', id, 'import' FROM person
			WHERE school_id = $1 AND role = 'administrator' AND present AND $2 <> '' ON CONFLICT DO NOTHING`},
	} {
		if err := q.exec(ctx, step.query, school, asJSON(ids)); err != nil {
			return fmt.Errorf("%s: %w", step.doing, err)
		}
	}
	return nil
}

// SectionRow is a section of the master schedule.
type SectionRow struct {
	ID     string `json:"id"`
	Ord    int    `json:"ord"`
	Course string `json:"course_code"` // empty: the section takes no part
	Seats  int    `json:"seats"`
	Cells  Cells  `json:"cells"`
}

// PutSections writes a year's sections in the place of those that are there; no one may be enrolled in one that goes.
func (q ImportsQueries) PutSections(ctx context.Context, school string, year int, sections []SectionRow) error {
	var kept []string
	for i := range sections {
		kept = append(kept, sections[i].ID)
	}
	if err := q.all().Seats.LeavePlaced(ctx, school, year, kept); err != nil {
		return err
	}
	if err := q.exec(ctx,
		`DELETE FROM section WHERE school_id = $1 AND year = $2 AND id NOT IN (SELECT id FROM jsonb_to_recordset($3::jsonb) AS r(id text))`,
		school, year, asJSON(sections)); err != nil {
		return err
	}
	if err := q.all().Schedule.lookAnew(ctx, school, year); err != nil {
		return err
	}
	return q.exec(ctx, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells)
		SELECT $1, $2, id, ord, course_code, seats, cells
		FROM jsonb_to_recordset($3::jsonb) AS r(id text, ord int, course_code text, seats int, cells jsonb)
		ON CONFLICT (school_id, year, id) DO UPDATE SET ord = excluded.ord,
		course_code = excluded.course_code, seats = excluded.seats, cells = excluded.cells, rev = DEFAULT`,
		school, year, asJSON(sections))
}

// Strangers lists those of some ids that are no one in the school.
func (q ImportsQueries) Strangers(ctx context.Context, school string, ids []string) (list []string, err error) {
	return list, q.list(ctx, &list,
		`SELECT x FROM jsonb_array_elements_text($2::jsonb) x WHERE NOT EXISTS (SELECT 1 FROM person WHERE school_id = $1 AND id = x) ORDER BY x`,
		school, asJSON(ids))
}

// LookAtTables lets the server plan by what the tables have become, which an import changes at a stroke.
func (q ImportsQueries) LookAtTables(ctx context.Context) error {
	return q.exec(ctx, `SELECT look_at_tables()`)
}
