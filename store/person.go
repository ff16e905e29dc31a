package store

import (
	"context"
	"time"
)

// Person is someone of a school, with what they are there.
type Person struct {
	School      string         `db:"school_id"`
	ID          string         `db:"id"`
	Role        string         `db:"role"`
	GivenName   string         `db:"given_name"`
	FamilyName  string         `db:"family_name"`
	Language    string         `db:"language"`
	SchoolName  string         `db:"school_name"`
	Counsels    bool           `db:"counsels"`    // some student, in some year
	Administers bool           `db:"administers"` // the school
	Children    JSON[[]Child]  `db:"children"`    // whom the person is a guardian of
	Leads       JSON[[]string] `db:"leads"`       // the codes of courses that the office has given them to lead
}

// Child is a student of whom someone is a guardian.
type Child struct {
	Account int64  `json:"account"` // 0: none
	ID      string `json:"id"`
	Given   string `json:"given"`
	Family  string `json:"family"`
}

const personColumns = `p.school_id, p.id, p.role, p.given_name, p.family_name, p.language, sc.name AS school_name,
	EXISTS (SELECT 1 FROM relation r WHERE r.school_id = p.school_id AND r.person_id = p.id AND r.kind = 'counsels') AS counsels,
	EXISTS (SELECT 1 FROM relation r WHERE r.school_id = p.school_id AND r.person_id = p.id AND r.kind = 'administers') AS administers,
	(SELECT coalesce(json_agg(json_build_object('account', coalesce(s.account_id,
	0), 'id', s.id, 'given', s.given_name, 'family', s.family_name) ORDER BY s.ord, s.id), '[]')
		FROM relation r JOIN person s ON s.school_id = r.school_id AND s.id = r.student_id
		WHERE r.school_id = p.school_id AND r.person_id = p.id AND r.kind = 'guards') AS children,
	(SELECT coalesce(json_agg(r.course_code ORDER BY r.course_code), '[]') FROM relation r WHERE r.school_id = p.school_id
	AND r.person_id = p.id AND r.kind = 'leads') AS leads`

// PersonsOf lists who an account is, in every school that lets them in.
func (q PeopleQueries) PersonsOf(ctx context.Context, account int64) (list []Person, err error) {
	ctx = Anywhere(ctx) // an account may lead to several schools
	return list, q.list(ctx, &list, `SELECT `+personColumns+` FROM person p JOIN school sc ON sc.id = p.school_id
		WHERE p.account_id = $1 AND p.present AND p.enabled ORDER BY p.school_id`, account)
}

// PersonIn is who an account is in one school. The error is ErrNotFound for a stranger.
func (q PeopleQueries) PersonIn(ctx context.Context, school string, account int64) (p Person, err error) {
	return p, q.get(ctx, &p, `SELECT `+personColumns+` FROM person p JOIN school sc ON sc.id = p.school_id
		WHERE p.school_id = $1 AND p.account_id = $2 AND p.present AND p.enabled`, school, account)
}

// CounselsIn lists the students whom a person counsels in a year.
func (q PeopleQueries) CounselsIn(ctx context.Context, school string, year int, person string) (ids []string, err error) {
	return ids, q.list(ctx, &ids,
		`SELECT student_id FROM relation WHERE school_id = $1 AND kind = 'counsels' AND year = $2 AND person_id = $3`, school, year, person)
}

// YearOf is a school year in which a student has a sheet, or which a school has; the window is the one for
// the student, or the first to open.
type YearOf struct {
	Year  int        `db:"year"`
	Grade int        `db:"grade"`
	Opens *time.Time `db:"opens"`
	Seats bool       `db:"seats"` // of a school: seats are chosen
}

// YearsOf lists the years in which a student has a sheet, the newest first.
func (q PeopleQueries) YearsOf(ctx context.Context, school, student string) (list []YearOf, err error) {
	return list, q.list(ctx, &list, `SELECT sh.year, sh.grade, w.opens FROM sheet sh JOIN `+pupilTables+`
		WHERE sh.school_id = $1 AND sh.student_id = $2 ORDER BY sh.year DESC`, school, student)
}

// YearsOfSchool lists a school's years, the newest first.
func (q PeopleQueries) YearsOfSchool(ctx context.Context, school string) (list []YearOf, err error) {
	return list, q.list(ctx, &list,
		`SELECT y.year, 0 AS grade, (SELECT min(opens) FROM request_window w WHERE w.school_id = y.school_id AND w.year = y.year
			AND w.round = 'year') AS opens,
			EXISTS (SELECT 1 FROM request_window w WHERE w.school_id = y.school_id AND w.year = y.year AND w.round = 'seats') AS seats
		FROM school_year y WHERE y.school_id = $1 ORDER BY y.year DESC`, school)
}

// Found is a person found by name.
type Found struct {
	ID         string `db:"id"`
	Role       string `db:"role"`
	GivenName  string `db:"given_name"`
	FamilyName string `db:"family_name"`
	Username   string `db:"username"`
	Enabled    bool   `db:"enabled"`
	Password   bool   `db:"password"` // has one
	Once       bool   `db:"once"`     // it is one for one sign-in
	// administers the school: import, by the school's data; office, by what the office has given; empty: not
	Right  string         `db:"source"`
	SeenAt *time.Time     `db:"seen_at"` // the latest sign-in that is not over
	Leads  JSON[[]string] `db:"leads"`   // the codes of the courses that the office has given them to lead
}

// FindPeople lists people of a school whose name or username has every word in it, at most limit.
func (q PeopleQueries) FindPeople(ctx context.Context, school string, words []string, limit int) (list []Found, err error) {
	return list, q.list(ctx, &list, `SELECT p.id, p.role, p.given_name, p.family_name, p.username, p.enabled,
			EXISTS (SELECT 1 FROM account_password a WHERE a.account_id = p.account_id) AS password,
			coalesce((SELECT a.once FROM account_password a WHERE a.account_id = p.account_id), false) AS once,
			coalesce((SELECT r.source FROM relation r WHERE r.school_id = p.school_id AND r.person_id = p.id
			AND r.kind = 'administers'), '') AS source,
			(SELECT max(s.seen_at) FROM session s WHERE s.account_id = p.account_id) AS seen_at,
			(SELECT coalesce(json_agg(r.course_code ORDER BY r.course_code), '[]') FROM relation r WHERE r.school_id = p.school_id
			AND r.person_id = p.id AND r.kind = 'leads') AS leads
		FROM person p WHERE p.school_id = $1 AND p.present
			AND NOT EXISTS (SELECT 1 FROM jsonb_array_elements_text($2::jsonb) w
				WHERE position(lower(w) IN lower(p.given_name || ' ' || p.family_name || ' ' || p.username)) = 0)
		ORDER BY p.family_name, p.given_name, p.id LIMIT $3`, school, asJSON(words), limit)
}

// AccountOf returns the account of a person and whether it leads only to persons of schools that another
// account administers. The error is ErrNotFound where there is no such person, or none with an account.
func (q PeopleQueries) AccountOf(ctx context.Context, school, person string, office int64) (account int64, reach bool, err error) {
	ctx = Anywhere(ctx) // an account may lead to several schools
	var row struct {
		Account int64 `db:"account_id"`
		Reach   bool
	}
	err = q.get(ctx, &row,
		`SELECT p.account_id, NOT EXISTS (SELECT 1 FROM person o WHERE o.account_id = p.account_id AND o.present AND NOT EXISTS
			(SELECT 1 FROM person a JOIN relation r ON r.school_id = a.school_id AND r.person_id = a.id AND r.kind = 'administers'
				WHERE a.account_id = $3 AND a.school_id = o.school_id AND a.present AND a.enabled)) AS reach
		FROM person p WHERE p.school_id = $1 AND p.id = $2 AND p.present AND p.account_id IS NOT NULL`, school, person, office)
	return row.Account, row.Reach, err
}

// PersonNamed returns the person of a school who has a username, with their account. The error is ErrNotFound
// where no one has it.
func (q PeopleQueries) PersonNamed(ctx context.Context, school, username string) (person string, account int64, err error) {
	var row struct {
		ID      string `db:"id"`
		Account int64  `db:"account_id"`
	}
	err = q.get(ctx, &row,
		`SELECT id, account_id FROM person WHERE school_id = $1 AND username = $2 AND present AND enabled AND account_id IS NOT NULL`,
		school, username)
	return row.ID, row.Account, err
}

// AddressOf returns the mail address on file of a person, "" for none.
func (q PeopleQueries) AddressOf(ctx context.Context, school, person string) (address string, err error) {
	return address, q.get(ctx, &address,
		`SELECT coalesce(cells->>'email', '') FROM person WHERE school_id = $1 AND id = $2 AND present`, school, person)
}

// Accounts returns the accounts of a school's people, by person.
func (q PeopleQueries) Accounts(ctx context.Context, school string) (map[string]int64, error) {
	var list []struct {
		ID      string `db:"id"`
		Account int64  `db:"account_id"`
	}
	err := q.list(ctx, &list, `SELECT id, account_id FROM person WHERE school_id = $1 AND account_id IS NOT NULL`, school)
	out := make(map[string]int64, len(list))
	for _, row := range list {
		out[row.ID] = row.Account
	}
	return out, err
}

// TaughtRow is a student whom someone teaches a course now.
type TaughtRow struct {
	Course  string `db:"course_code"`
	Student string `db:"student_id"`
}

// TaughtBy lists whom a person teaches what in the year before a school year is, by course and name; of those
// who have a sheet in it.
func (q PeopleQueries) TaughtBy(ctx context.Context, school string, year int, person string) (list []TaughtRow, err error) {
	return list, q.list(ctx, &list, `SELECT r.course_code, r.student_id FROM relation r
		JOIN person p ON p.school_id = r.school_id AND p.id = r.student_id
		JOIN sheet sh ON sh.school_id = r.school_id AND sh.year = r.year AND sh.student_id = r.student_id
		WHERE r.school_id = $1 AND r.kind = 'teaches' AND r.year = $2 AND r.person_id = $3 AND p.present
		ORDER BY r.course_code, p.family_name, p.given_name, r.student_id`,
		school, year, person)
}

// Teaching is a course with someone who teaches it.
type Teaching struct {
	Course string `db:"course_code"`
	Name   string `db:"name"`
}

// Teachings lists who teaches what in the year before a school year is, each pair once, by course and name.
func (q PeopleQueries) Teachings(ctx context.Context, school string, year int) (list []Teaching, err error) {
	return list, q.list(ctx, &list, `SELECT DISTINCT r.course_code, p.given_name || ' ' || p.family_name AS name FROM relation r
		JOIN person p ON p.school_id = r.school_id AND p.id = r.person_id
		WHERE r.school_id = $1 AND r.kind = 'teaches' AND r.year = $2 AND p.present ORDER BY 1, 2`, school, year)
}

// NamesRow is what a list may name a person by, next to the name.
type NamesRow struct {
	ID       string `db:"id"`
	Username string `db:"username"`
	Mail     string `db:"mail"`
}

// NamesOf returns what lists may name the students of a school by, by id.
func (q PeopleQueries) NamesOf(ctx context.Context, school string) (map[string]NamesRow, error) {
	var list []NamesRow
	err := q.list(ctx, &list,
		`SELECT id, username, coalesce(cells->>'email', '') AS mail FROM person WHERE school_id = $1 AND role = 'student' AND present`, school)
	out := make(map[string]NamesRow, len(list))
	for _, n := range list {
		out[n.ID] = n
	}
	return out, err
}

// GuardianRow is a guardian of a student.
type GuardianRow struct {
	Name     string `db:"name"`
	Language string `db:"language"`
	SignsIn  bool   `db:"signs_in"` // has a password
}

// GuardiansOf lists the guardians of a student, by name.
func (q PeopleQueries) GuardiansOf(ctx context.Context, school, student string) (list []GuardianRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT p.given_name || ' ' || p.family_name AS name, p.language, EXISTS (SELECT 1 FROM account_password a
			WHERE a.account_id = p.account_id) AS signs_in
		FROM relation r JOIN person p ON p.school_id = r.school_id AND p.id = r.person_id WHERE r.school_id = $1
		AND r.student_id = $2 AND r.kind = 'guards' AND p.present
		ORDER BY p.family_name, p.given_name, p.id`, school, student)
}
