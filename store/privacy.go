package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"
)

// Look is someone of the school who looked at a student's sheet on a day.
type Look struct {
	By  string    `db:"by_name"`
	Day string    `db:"day"` // YYYY-MM-DD
	At  time.Time `db:"at"`  // the first time
}

// NoteLook notes that someone looks at a sheet, once a day.
func (q PeopleQueries) NoteLook(ctx context.Context, at Place, by Actor, day string, now time.Time) error {
	return q.exec(ctx, `INSERT INTO sheet_look (school_id, year, student_id, person_id, day, by_name, at)
		VALUES ($1, $2, $3, $4, $5::date, $6, $7) ON CONFLICT DO NOTHING`,
		at.School, at.Year, at.Student, by.ID, day, by.Name, now)
}

// Looks lists who looked at a student's sheet, the latest first; at most so many.
func (q PeopleQueries) Looks(ctx context.Context, at Place, skip, most int) (list []Look, err error) {
	return list, q.list(ctx, &list,
		`SELECT by_name, day::text AS day, at FROM sheet_look WHERE school_id = $1 AND year = $2 AND student_id = $3
			ORDER BY day DESC, at DESC, person_id OFFSET $4 LIMIT $5`,
		at.School, at.Year, at.Student, skip, most)
}

// personal is where something about a person is kept: the rows of a table, by a condition on the school $1
// and the person $2. What is secret (hashes, tokens) or as large as files is left out of what is given:
// columns, or what is inside of them (paths of jsonb).
type personal struct {
	table, where string
	without      []string
}

const (
	ofStudent = `t.school_id = $1 AND t.student_id = $2`
	ofPerson  = `t.school_id = $1 AND t.person_id = $2`
	ofEither  = `t.school_id = $1 AND (t.student_id = $2 OR t.person_id = $2)`
	ofAccount = `t.account_id = (SELECT account_id FROM person WHERE school_id = $1 AND id = $2)`
)

// allPersonal are those places, what is others' before what they belong to, so that all of it can be taken
// away in this order.
var allPersonal = []personal{
	{"sheet_look", ofEither, nil}, {"hook_message", ofStudent, nil},
	{"seat_wait", ofStudent, nil}, {"dated_change", ofStudent, nil}, {"seat_act", ofStudent, nil},
	{"enrollment", ofStudent, nil}, {"seat_choice", ofStudent, nil},
	{"placement_act", ofStudent, nil}, {"placement_given", ofStudent, nil},
	{"page", ofEither, []string{"content"}}, {"agreement", ofEither, nil}, {"signature", ofEither, nil},
	{"reminder", ofStudent, nil}, {"letter", ofEither, []string{"detail,code"}}, {"remark", ofStudent, nil},
	{"feed", `t.school_id = $1 AND t.student_id = $2 OR ` + ofAccount, []string{"token"}},
	{"calendar_date", ofStudent, nil}, {"draft", ofStudent, nil}, {"batch_sheet", ofStudent, nil}, {"plan", ofStudent, nil},
	{"attachment", `(t.school_id, t.signal_id) IN (SELECT school_id, id FROM signal s WHERE s.school_id = $1 AND s.student_id = $2)`,
		[]string{"content"}},
	{"signal", ofStudent, nil}, {"record", ofStudent, nil}, {"event", ofStudent, nil}, {"entry", ofStudent, nil},
	{"submission", ofStudent, nil},
	{"request_window", ofStudent, nil}, {"sheet", ofStudent, nil}, {"saved_view", ofPerson, nil},
	{"batch", ofPerson, nil}, {"office_event", ofPerson, nil}, {"relation", ofEither, nil},
	{"person", `t.school_id = $1 AND t.id = $2`, nil},
	{"account", `t.id = (SELECT account_id FROM person WHERE school_id = $1 AND id = $2)`, nil},
	{"account_identity", ofAccount, nil}, {"account_device", ofAccount, []string{"token"}},
	{"account_passkey", ofAccount, []string{"credential"}}, {"account_post", ofAccount, []string{"token"}},
	{"session", ofAccount, []string{"token", "data"}}, {"sign_in", ofAccount, nil},
}

// Everything returns all that is kept about a person, table by table, except for what is secret and for files,
// which are named. The error is ErrNotFound where there is no one.
func (q PeopleQueries) Everything(ctx context.Context, school, person string) (map[string]json.RawMessage, error) {
	var there bool
	if err := q.get(ctx, &there, `SELECT true FROM person WHERE school_id = $1 AND id = $2`, school, person); err != nil {
		return nil, err
	}
	out := map[string]json.RawMessage{}
	for _, p := range allPersonal {
		row := "to_jsonb(t)"
		for _, path := range p.without {
			row += " #- '{" + path + "}'"
		}
		var text json.RawMessage
		if err := q.get(ctx, &text, `SELECT coalesce(jsonb_agg(`+row+`), '[]') FROM `+p.table+` t WHERE `+p.where, school, person); err != nil {
			return nil, fmt.Errorf("reading %s: %w", p.table, err)
		}
		if string(text) != "[]" {
			out[p.table] = text
		}
	}
	return out, nil
}

// Leaver is someone whom the school's data has not named for long.
type Leaver struct {
	ID      string `db:"id"`
	Student bool   `db:"student"`
}

// LeftBefore lists who has left a school before a moment and is still kept; at most so many.
func (q PeopleQueries) LeftBefore(ctx context.Context, school string, before time.Time, most int) (list []Leaver, err error) {
	return list, q.list(ctx, &list,
		`SELECT id, role = 'student' AS student FROM person WHERE school_id = $1 AND NOT present AND NOT erased AND gone_at < $2
			ORDER BY id LIMIT $3`,
		school, before, most)
}

// Erase takes away all that is kept about someone who has left, as the owner of the tables. How many asked
// for each course stays, as tallies; of the person an empty row stays where others' history needs it.
func (q PeopleQueries) Erase(ctx context.Context, school string, who Leaver) error {
	if who.Student {
		if err := q.exec(ctx, `INSERT INTO tally AS y (school_id, year, course_code, grade, kind, students)
				SELECT sh.school_id, sh.year, x.code, sh.grade, x.kind, 1 FROM sheet sh CROSS JOIN LATERAL (
					SELECT e.course_code AS code, e.kind FROM entry e WHERE sh.submission = 0
					AND (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id)
					UNION SELECT s->>'c', CASE WHEN (s->>'a')::boolean THEN 'alternate' ELSE 'request' END
					FROM submission sub, jsonb_array_elements(sub.entries) s
						WHERE sh.submission > 0 AND (sub.school_id, sub.year, sub.student_id,
						sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)
					UNION SELECT sec.course_code, 'given' FROM enrollment n
					JOIN section sec ON (sec.school_id, sec.year, sec.id) = (n.school_id, n.year, n.section_id)
						WHERE (n.school_id, n.year, n.student_id) = (sh.school_id, sh.year, sh.student_id)) x
				WHERE sh.school_id = $1 AND sh.student_id = $2
			ON CONFLICT (school_id, year, course_code, grade, kind) DO UPDATE SET students = y.students + 1`, school, who.ID); err != nil {
			return fmt.Errorf("keeping tallies: %w", err)
		}
	}
	var username string // accounts lead to those who have left no longer
	if err := q.get(ctx, &username, `SELECT username FROM person WHERE school_id = $1 AND id = $2`, school, who.ID); err != nil {
		return err
	}
	for _, p := range allPersonal {
		if !who.Student && !slices.Contains(ofOthers, p.table) || slices.Contains(notErased, p.table) {
			continue
		}
		if err := q.exec(ctx, `DELETE FROM `+p.table+` t WHERE `+p.where, school, who.ID); err != nil {
			return fmt.Errorf("taking away from %s: %w", p.table, err)
		}
	}
	if err := q.exec(ctx,
		`UPDATE person SET username = '', given_name = '', family_name = '',
			language = '', cells = '{}', enabled = false, account_id = NULL, erased = true WHERE school_id = $1 AND id = $2`,
		school, who.ID); err != nil {
		return fmt.Errorf("emptying the person: %w", err)
	}
	// With its sessions, devices and identities, where it leads to no one any more.
	return q.exec(ctx, `DELETE FROM account a WHERE username = $1 AND NOT EXISTS (SELECT 1 FROM person p WHERE p.account_id = a.id)`, username)
}

// ofOthers is what is taken away of those who are no students: what they have signed and done belongs to the
// students for whom they did it.
var ofOthers = []string{"letter", "saved_view", "relation"}

// notErased are tables of allPersonal from which erasing takes nothing on its own: a person stays, empty; an
// account may lead to other schools, and goes as a whole.
var notErased = []string{"person", "account", "account_identity", "account_device", "account_passkey", "account_post",
	"session", "sign_in", "batch", "office_event"}
