package store

import (
	"context"
	"time"
)

// LetterFor is a mail that comes of a change of a sheet.
type LetterFor struct {
	Kind   string         `json:"kind"`
	Who    string         `json:"who"` // student, guardians or counselors: of the sheet
	Detail map[string]any `json:"detail"`
}

// recipients joins what concerns a student (school $1, year $2, student $3) with those whom l.who names.
const recipients = ` JOIN LATERAL (
			SELECT $3 AS id WHERE l.who = 'student'
			UNION SELECT r.person_id FROM relation r WHERE r.school_id = $1 AND r.student_id = $3 AND r.kind = 'guards' AND l.who = 'guardians'
			UNION SELECT r.person_id FROM relation r WHERE r.school_id = $1 AND r.student_id = $3 AND r.kind = 'counsels'
			AND r.year = $2 AND l.who = 'counselors') whom ON true
		JOIN person t ON t.school_id = $1 AND t.id = whom.id AND t.present AND t.enabled`

// addLetters writes the mails that come of a change $4 of a sheet: to whom each goes, at a time $5.
const addLetters = `
	INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
	SELECT $1, $2::int, $3, t.id, l.kind, $2::int || '/' || $3::text || '/' || $4::bigint, l.detail, $5::timestamptz, $5::timestamptz
	FROM jsonb_to_recordset($6::jsonb) AS l(kind text, who text, detail jsonb)` + recipients + ` ON CONFLICT DO NOTHING`

// LetterRow is a mail with all that it is written from.
type LetterRow struct {
	School     string                  `db:"school_id"`
	ID         int64                   `db:"id"`
	Year       int                     `db:"year"`
	SchoolName string                  `db:"school_name"`
	Student    *string                 `db:"student_id"`
	Person     string                  `db:"person_id"`
	Kind       string                  `db:"kind"`
	Key        string                  `db:"key"`
	Detail     JSON[map[string]string] `db:"detail"`
	MadeAt     time.Time               `db:"made_at"`
	Tries      int                     `db:"tries"`    // before this one
	TakenAt    time.Time               `db:"taken_at"` // by anyone who has it now

	Role         string     `db:"role"` // of who gets it
	GivenName    string     `db:"given_name"`
	FamilyName   string     `db:"family_name"`
	Username     string     `db:"username"`
	Language     string     `db:"language"` // the account's own choice, else the school's data; may be empty
	Address      string     `db:"address"`
	Account      *int64     `db:"account_id"`
	StudentGiven *string    `db:"student_given"`
	StudentName  *string    `db:"student_name"`
	Grade        *int       `db:"grade"`
	Closes       *time.Time `db:"closes"` // for families
	Catalog      int64      `db:"catalog_version"`
	Policy       int64      `db:"policy_version"`
}

// TakeLetters takes letters that are due to be sent, and those that were taken before a time and not sent:
// no one else takes them for now. The schools take turns; of each, the oldest comes first.
func (q MessagesQueries) TakeLetters(ctx context.Context, now, before time.Time, limit int) (list []LetterRow, err error) {
	return list, q.list(ctx, &list, `WITH turns AS (
				SELECT d.school_id, d.id FROM school s CROSS JOIN LATERAL (SELECT school_id,
				id, next_at, row_number() OVER (ORDER BY next_at, id) AS turn FROM (
					SELECT school_id, id, next_at FROM letter WHERE school_id = s.id AND state IN ('waiting', 'taken', 'sending') AND next_at <= $1
						AND (state = 'waiting' OR state = 'taken' AND next_at < $2) ORDER BY next_at, id LIMIT $3) first) d
				ORDER BY d.turn, d.next_at, d.school_id LIMIT $3),
			taken AS (UPDATE letter l SET state = 'taken', next_at = $1 FROM (
				SELECT l.school_id, l.id FROM letter l JOIN turns USING (school_id, id) WHERE l.state = 'waiting' OR l.state = 'taken'
				AND l.next_at < $2 FOR UPDATE OF l SKIP LOCKED) due
			WHERE l.school_id = due.school_id AND l.id = due.id RETURNING l.*)
		SELECT l.school_id, l.id, l.year, sc.name AS school_name, l.student_id,
		l.person_id, l.kind, l.key, l.detail, l.made_at, l.tries, l.next_at AS taken_at, p.role, p.given_name, p.family_name, p.username,
			coalesce(nullif(a.language, ''), p.language) AS language, coalesce(p.cells->>'email', '') AS address, p.account_id,
			s.given_name AS student_given, s.given_name || ' ' || s.family_name AS student_name,
			sh.grade, w.families_close AS closes, y.catalog_version, y.policy_version
		FROM taken l JOIN school sc ON sc.id = l.school_id JOIN school_year y ON y.school_id = l.school_id AND y.year = l.year
			JOIN person p ON p.school_id = l.school_id AND p.id = l.person_id LEFT JOIN account a ON a.id = p.account_id
			LEFT JOIN person s ON s.school_id = l.school_id AND s.id = l.student_id
			LEFT JOIN sheet sh ON sh.school_id = l.school_id AND sh.year = l.year AND sh.student_id = l.student_id`+pupilWindows+`
		ORDER BY l.made_at, l.id`, now, before, limit)
}

// SendingLetter notes that a letter that was taken is being sent, and reports whether it is still anyone who
// took it that has it.
func (q MessagesQueries) SendingLetter(ctx context.Context, school string, id int64, taken, now time.Time) (bool, error) {
	n, err := q.changed(ctx,
		`UPDATE letter SET state = 'sending', tries = tries + 1, next_at = $4 WHERE school_id = $1 AND id = $2 AND state = 'taken'
			AND next_at = $3`,
		school, id, taken, now)
	return n > 0, err
}

// LetterDone notes what became of a letter that was being sent; where it is tried again, next is when. What
// is secret in it is forgotten with it.
func (q MessagesQueries) LetterDone(ctx context.Context, school string, id int64, state, address, fault string, next, now time.Time) error {
	return q.exec(ctx, `UPDATE letter SET state = $3, address = $4, fault = left($5, 500), next_at = $6, done_at = CASE
		WHEN $3 = 'waiting' THEN NULL ELSE $7::timestamptz END,
			detail = CASE WHEN $3 = 'waiting' THEN detail ELSE detail - 'code' END
		WHERE school_id = $1 AND id = $2 AND state IN ('taken', 'sending')`, school, id, state, address, fault, next, now)
}

// LettersLeft gives up on letters whose sender is gone: whether they went out no one knows.
func (q MessagesQueries) LettersLeft(ctx context.Context, before, now time.Time) (int64, error) {
	return q.changed(ctx,
		`UPDATE letter SET state = 'unsure', done_at = $2, fault = 'the sender was stopped', detail = detail - 'code'
			WHERE state = 'sending' AND next_at < $1`,
		before, now)
}

// WriteLetter puts a letter to one person on the way; no one is told of the same twice.
func (q MessagesQueries) WriteLetter(ctx context.Context, at Place, person, kind, key string, detail any, now time.Time) error {
	var about any
	if at.Student != "" {
		about = at.Student
	}
	return q.exec(ctx, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
		SELECT $1, $2, $3, id, $5, $6, $7::jsonb, $8, $8
		FROM person WHERE school_id = $1 AND id = $4 AND present ON CONFLICT DO NOTHING`, at.School, at.Year, about, person,
		kind, key, asJSON(detail), now)
}

// TellOffered writes to a student and their guardians that a seat is kept for the student until a time; once
// for each offer.
func (q MessagesQueries) TellOffered(ctx context.Context, at Place, section, course string, until, now time.Time) error {
	return q.exec(ctx, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
		SELECT $1, $2, $3, t.id, 'offered', $2 || '/' || $3 || '/' || $4 || '/' || extract(epoch
		FROM $6::timestamptz), jsonb_build_object('course', $5::text,
		'until', to_char($6::timestamptz AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')), $7, $7
		FROM (VALUES ('student'), ('guardians')) AS l(who)`+recipients+` ON CONFLICT DO NOTHING`, at.School, at.Year,
		at.Student, section, course, until, now)
}

// TellOpened writes to everybody whose window has opened in the last seven days and who was not told,
// students and guardians. It tells how many.
func (q MessagesQueries) TellOpened(ctx context.Context, now time.Time) (n int64, err error) {
	var due []struct {
		School string `db:"school_id"`
		Year   int    `db:"year"`
	}
	err = q.list(ctx, &due,
		`UPDATE request_window SET told = true WHERE NOT told AND round = 'year' AND opens <= $1 RETURNING school_id, year`, now)
	done := map[Place]bool{}
	for _, d := range due {
		if at := (Place{School: d.School, Year: d.Year}); err == nil && !done[at] {
			done[at] = true
			var more int64
			more, err = q.changed(ctx, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
				SELECT sh.school_id, sh.year, sh.student_id, t.id, 'opens', sh.year || '/' || sh.student_id, '{}', $3, $3 FROM sheet sh
				JOIN person s ON s.school_id = sh.school_id AND s.id = sh.student_id AND s.present AND s.enabled
				JOIN LATERAL (SELECT sh.student_id AS id UNION SELECT r.person_id FROM relation r WHERE r.school_id = sh.school_id
				AND r.student_id = sh.student_id AND r.kind = 'guards') whom ON true
				JOIN person t ON t.school_id = sh.school_id AND t.id = whom.id AND t.present AND t.enabled`+pupilWindows+`
				WHERE sh.school_id = $1 AND sh.year = $2 AND w.opens <= $3 AND w.opens > $3 - interval '7 days'
				AND w.families_close > $3 ON CONFLICT DO NOTHING`,
				d.School, d.Year, now)
			n += more
		}
	}
	return n, err
}

// LetterShow is a letter as those who look after a student see it.
type LetterShow struct {
	Kind    string     `db:"kind"`
	To      string     `db:"name"`
	Role    string     `db:"role"`
	State   string     `db:"state"`
	Address string     `db:"address"`
	Fault   string     `db:"fault"`
	MadeAt  time.Time  `db:"made_at"`
	DoneAt  *time.Time `db:"done_at"`
}

// Letters lists what was written about a student in a year, the latest first.
func (q MessagesQueries) Letters(ctx context.Context, at Place, skip, limit int) (list []LetterShow, err error) {
	return list, q.list(ctx, &list,
		`SELECT l.kind, p.given_name || ' ' || p.family_name AS name, p.role, l.state, l.address, l.fault, l.made_at, l.done_at
		FROM letter l JOIN person p ON p.school_id = l.school_id AND p.id = l.person_id
		WHERE l.school_id = $1 AND l.year = $2 AND l.student_id = $3 ORDER BY l.made_at DESC, l.id DESC OFFSET $4 LIMIT $5`,
		at.School, at.Year, at.Student, skip, limit)
}

// PostOf reports whether an account wants reminders by mail, and the token of the link that says it does not;
// the token is made where there is none.
func (q MessagesQueries) PostOf(ctx context.Context, account int64, token string) (reminders bool, kept string, err error) {
	var row struct {
		Reminders bool
		Token     string
	}
	err = q.get(ctx, &row,
		`INSERT INTO account_post (account_id, token) VALUES ($1, $2) ON CONFLICT (account_id) DO UPDATE SET account_id = $1
			RETURNING reminders, token`,
		account, token)
	return row.Reminders, row.Token, err
}

// SetReminders sets whether an account wants reminders by mail.
func (q MessagesQueries) SetReminders(ctx context.Context, account int64, token string, wants bool) error {
	return q.exec(ctx, `INSERT INTO account_post (account_id, token, reminders) VALUES ($1, $2, $3)
		ON CONFLICT (account_id) DO UPDATE SET reminders = $3`,
		account, token, wants)
}

// NoReminders takes an account off the reminders by the token of a mail; false where there is no such token.
func (q MessagesQueries) NoReminders(ctx context.Context, token string) (bool, error) {
	n, err := q.changed(ctx, `UPDATE account_post SET reminders = false WHERE token = $1`, token)
	return n > 0, err
}
