package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"
)

// ChoiceRow is where a student's choice of seats is.
type ChoiceRow struct {
	Version  int64           `db:"version" json:"version"`
	State    string          `db:"state" json:"state"`   // of core/acts
	Looked   *JSON[[]string] `db:"looked" json:"looked"` // the sections that a counselor has agreed to
	LookedBy string          `db:"looked_by" json:"looked_by"`
	LookedAt *time.Time      `db:"looked_at" json:"looked_at"`
	Receipt  string          `db:"receipt" json:"receipt"`
	HandedAt *time.Time      `db:"handed_at" json:"handed_at"`
	Message  string          `db:"message" json:"message"` // why it was opened again
	UnderWay bool            `db:"under_way" json:"-"`     // LockChoice alone: a change with a date is under way
}

const choiceRow = `version, state, looked, looked_by, looked_at, receipt, handed_at, message`

// WeekRow is all that is kept of a student's choice of seats, read in one go. One that is not begun has the version 0.
type WeekRow struct {
	Choice    JSON[ChoiceRow]       `db:"choice"`
	Enrolled  JSON[[]EnrollmentRow] `db:"enrolled"` // all that they are or were enrolled in, in the order in which it came
	Waits     JSON[[]WaitRow]       `db:"waits"`
	Undoes    JSON[*SeatAct]        `db:"undoes"` // the latest taking or giving back of seats that is not undone
	SeatRules                       // of the year
}

// Week reads a student's choice of seats. The error is ErrNotFound where there is no such year.
func (q SeatsQueries) Week(ctx context.Context, at Place) (row WeekRow, err error) {
	return row, q.get(ctx, &row, `SELECT y.waiting, y.offer_minutes,
			coalesce((SELECT to_jsonb(c) FROM (SELECT `+choiceRow+
		` FROM seat_choice WHERE school_id = $1 AND year = $2 AND student_id = $3) c), '{"state":"choosing"}') AS choice,
			coalesce((SELECT jsonb_agg(to_jsonb(e) ORDER BY e.id) FROM (SELECT id,
			section_id, coalesce(begins::text, '') AS begins, coalesce(ends::text, '') AS ends, at, by_name FROM enrollment
				WHERE school_id = $1 AND year = $2 AND student_id = $3) e), '[]') AS enrolled,
			CASE WHEN EXISTS (SELECT 1 FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3) THEN
				(SELECT jsonb_agg(to_jsonb(x) ORDER BY x.at) FROM (`+waiting+
		` AND w.section_id IN (SELECT section_id FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3)) x
			WHERE x.student_id = $3)
				ELSE '[]' END AS waits,
			(SELECT to_jsonb(a) FROM (SELECT id, student_id, kind, came, gone, reason, by_id, by_name, at FROM seat_act a
			WHERE school_id = $1 AND year = $2 AND student_id = $3 AND kind = 'take'
				AND NOT EXISTS (SELECT 1 FROM seat_act u WHERE u.school_id = $1 AND u.year = $2 AND u.student_id = $3
				AND u.undoes = a.id) ORDER BY id DESC LIMIT 1) a) AS undoes
		FROM school_year y WHERE y.school_id = $1 AND y.year = $2`, at.School, at.Year, at.Student)
}

// LockChoice returns a student's choice of seats, which no one else changes until the transaction ends. It
// comes before any lock of sections.
func (q SeatsQueries) LockChoice(ctx context.Context, at Place) (row ChoiceRow, err error) {
	const locked = `SELECT ` + choiceRow +
		`, EXISTS (SELECT 1 FROM dated_change d WHERE (d.school_id,
			d.year, d.student_id) = (seat_choice.school_id, seat_choice.year, seat_choice.student_id)) AS under_way
		FROM seat_choice WHERE school_id = $1 AND year = $2 AND student_id = $3 FOR UPDATE`
	err = q.get(ctx, &row, locked, at.School, at.Year, at.Student)
	if !errors.Is(err, ErrNotFound) {
		return row, err
	}
	if err := q.exec(ctx,
		`INSERT INTO seat_choice (school_id, year, student_id, version) VALUES ($1, $2, $3, 0) ON CONFLICT DO NOTHING`,
		at.School, at.Year, at.Student); err != nil {
		return row, err
	}
	return row, q.get(ctx, &row, locked, at.School, at.Year, at.Student)
}

// SaveChoice writes a choice that is locked, in its next version.
func (q SeatsQueries) SaveChoice(ctx context.Context, at Place, row *ChoiceRow) error {
	var looked any
	if row.Looked != nil {
		looked = asJSON(row.Looked.V)
	}
	return q.exec(ctx, `UPDATE seat_choice SET version = version + 1,
		state = $4, looked = $5::jsonb, looked_by = $6, looked_at = $7, receipt = $8, handed_at = $9, message = $10
		WHERE school_id = $1 AND year = $2 AND student_id = $3`, at.School, at.Year, at.Student, row.State, looked,
		row.LookedBy, row.LookedAt, row.Receipt, row.HandedAt, row.Message)
}

// SeatsRow is how many seats a section has and how many are taken: by who is in it on a date or later, and by
// who is offered one.
type SeatsRow struct {
	Section string `db:"id"`
	Seats   int    `db:"seats"`
	Taken   int    `db:"taken"`
}

// LockSections locks some sections and returns how many seats are taken; no one else takes one until the transaction
// ends. What is offered to the student themselves is free.
func (q SeatsQueries) LockSections(ctx context.Context, at Place, sections []string, from string,
	now time.Time) (map[string]SeatsRow, error) {
	// Locked in one order, and counted by a statement of its own, which sees what those who were waited for have done.
	if err := q.exec(ctx,
		`SELECT 1 FROM section WHERE school_id = $1 AND year = $2 AND id IN (SELECT jsonb_array_elements_text($3::jsonb))
			ORDER BY id FOR NO KEY UPDATE`,
		at.School, at.Year, asJSON(sections)); err != nil {
		return nil, err
	}
	return q.seats(ctx, at, sections, from, now)
}

func (q SeatsQueries) seats(ctx context.Context, at Place, sections []string, from string, now time.Time) (map[string]SeatsRow, error) {
	var rows []SeatsRow
	if err := q.list(ctx, &rows, `SELECT s.id, s.seats, `+taken+
		` AS taken FROM section s WHERE s.school_id = $1 AND s.year = $2 AND s.id IN (SELECT jsonb_array_elements_text($6::jsonb))`,
		at.School, at.Year, from, now, at.Student, asJSON(sections)); err != nil {
		return nil, err
	}
	out := map[string]SeatsRow{}
	for _, r := range rows {
		out[r.Section] = r
	}
	return out, nil
}

const taken = `(SELECT count(*) FROM enrollment e WHERE e.school_id = s.school_id AND e.year = s.year
	AND e.section_id = s.id AND (e.ends IS NULL OR e.ends > $3::date))
	+ (SELECT count(*) FROM seat_wait w WHERE w.school_id = s.school_id AND w.year = s.year AND w.section_id = s.id
	AND w.offered_until > $4 AND w.student_id <> $5)
	+ (SELECT count(*) FROM dated_change d WHERE d.school_id = s.school_id AND d.year = s.year AND d.adds ? s.id AND d.student_id <> $5)`

// Taken counts the seats that are taken in each section of a year on a date or later, those offered to
// someone included.
func (q SeatsQueries) Taken(ctx context.Context, school string, year int, from string, now time.Time) (map[string]int, error) {
	var rows []struct {
		Section string `db:"section_id"`
		N       int    `db:"n"`
	}
	if err := q.list(ctx, &rows, `SELECT section_id, sum(n) AS n FROM (
			SELECT section_id, count(*) AS n FROM enrollment WHERE school_id = $1 AND year = $2 AND (ends IS NULL OR ends > $3::date)
			GROUP BY section_id
			UNION ALL SELECT section_id, count(*) FROM seat_wait WHERE school_id = $1 AND year = $2 AND offered_until > $4 GROUP BY section_id
			UNION ALL SELECT a, count(*) FROM dated_change, jsonb_array_elements_text(adds) a WHERE school_id = $1 AND year = $2
			GROUP BY a) x GROUP BY section_id`,
		school, year, from, now); err != nil {
		return nil, err
	}
	out := make(map[string]int, len(rows))
	for _, r := range rows {
		out[r.Section] = r.N
	}
	return out, nil
}

// MoveSeats enrolls a student, whose choice is locked, in sections and takes their seats in others away,
// without a trace; they wait no longer for those that come. It notes the act, and raises the version of the
// choice.
func (q SeatsQueries) MoveSeats(ctx context.Context, at Place, a *SeatAct) error {
	return q.exec(ctx, `WITH gone AS (DELETE FROM enrollment WHERE school_id = $1 AND year = $2 AND student_id = $3
		AND ends IS NULL AND section_id IN (SELECT jsonb_array_elements_text($5::jsonb))),
			came AS (INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) SELECT $1, $2, $3, x, $6, $7
			FROM jsonb_array_elements_text($4::jsonb) x),
			waits AS (DELETE FROM seat_wait WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND section_id IN (SELECT jsonb_array_elements_text($4::jsonb))),
			noted AS (INSERT INTO seat_act (school_id, year, student_id, kind, came, gone, undoes, reason, by_id, by_name, at)
			VALUES ($1, $2, $3, $8, $4::jsonb, $5::jsonb, $9, $10, $11, $7, $6))
		UPDATE seat_choice SET version = version + 1 WHERE school_id = $1 AND year = $2 AND student_id = $3`,
		at.School, at.Year, at.Student, asJSON(a.Came.V), asJSON(a.Gone.V), a.At, a.By, a.Kind, a.Undoes, a.Reason, a.ByID)
}

// SeatAct is something that was done with seats and enrollments.
type SeatAct struct {
	ID      int64           `db:"id" json:"id"`
	Student string          `db:"student_id" json:"student_id"`
	Kind    string          `db:"kind" json:"kind"` // take, undo, look, submit, return, wait, unwait, offer, lapse, change
	Came    JSON[[]string]  `db:"came" json:"came"`
	Gone    JSON[[]string]  `db:"gone" json:"gone"`
	Undoes  *int64          `db:"undoes" json:"undoes"`
	On      string          `db:"on_date" json:"on_date"`
	Detail  json.RawMessage `db:"detail" json:"detail"`
	Reason  string          `db:"reason" json:"reason"`
	By      string          `db:"by_name" json:"by_name"`
	ByID    string          `db:"by_id" json:"by_id"`
	At      time.Time       `db:"at" json:"at"`
}

// NoteSeats notes what was done with a student's seats.
func (q SeatsQueries) NoteSeats(ctx context.Context, at Place, a *SeatAct) error {
	detail := string(a.Detail)
	if detail == "" {
		detail = "{}"
	}
	return q.exec(ctx, `INSERT INTO seat_act (school_id, year, student_id,
		kind, came, gone, undoes, on_date, detail, reason, by_id, by_name, at)
		VALUES ($1, $2, $3, $4, $5::jsonb, $6::jsonb, $7, nullif($8, '')::date, $9::jsonb, $10, $11, $12, $13)`,
		at.School, at.Year, at.Student, a.Kind, asJSON(a.Came.V), asJSON(a.Gone.V), a.Undoes, a.On, detail, a.Reason, a.ByID, a.By, a.At)
}

const seatAct = `SELECT id, student_id, kind, came, gone, undoes,
	coalesce(on_date::text, '') AS on_date, detail, reason, by_id, by_name, at FROM seat_act a
	WHERE school_id = $1 AND year = $2 AND student_id = $3`

// SeatActs lists what was done with a student's seats and enrollments, the latest first; at most so many.
func (q SeatsQueries) SeatActs(ctx context.Context, at Place, skip, most int) (list []SeatAct, err error) {
	return list, q.list(ctx, &list, seatAct+` ORDER BY id DESC OFFSET $4 LIMIT $5`, at.School, at.Year, at.Student, skip, most)
}

// ChoosingRow is a student who chooses seats, for the list of a counselor.
type ChoosingRow struct {
	Student string         `db:"student_id"`
	Given   string         `db:"given_name"`
	Family  string         `db:"family_name"`
	Grade   int            `db:"grade"`
	Own     JSON[[]string] `db:"own"` // sections
	Begun   bool           `db:"begun"`
	ChoiceRow

	Opens      time.Time `db:"opens"`
	Families   time.Time `db:"families_close"`
	Counselors time.Time `db:"counselors_close"`
}

// Choosing lists the students of a year who have a window for choosing seats, with what they have chosen, by name.
func (q SeatsQueries) Choosing(ctx context.Context, school string, year int) (list []ChoosingRow, err error) {
	return list, q.list(ctx, &list, `SELECT sh.student_id, p.given_name, p.family_name, sh.grade, c.student_id IS NOT NULL AS begun,
			coalesce(c.version, 0) AS version, coalesce(c.state, 'choosing') AS state,
			c.looked, coalesce(c.looked_by, '') AS looked_by, c.looked_at, coalesce(c.receipt, '') AS receipt,
			c.handed_at, coalesce(c.message, '') AS message,
			coalesce((SELECT jsonb_agg(e.section_id ORDER BY e.id) FROM enrollment e
			WHERE (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id) AND e.ends IS NULL), '[]') AS own,
			w.opens, w.families_close, w.counselors_close
		FROM sheet sh JOIN person p ON p.school_id = sh.school_id AND p.id = sh.student_id
		JOIN LATERAL (`+windowFor+` AND w.round = 'seats' `+nearest+`) w ON true
		LEFT JOIN seat_choice c ON (c.school_id, c.year, c.student_id) = (sh.school_id, sh.year, sh.student_id)
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present
		ORDER BY p.family_name, p.given_name, p.id`, school, year)
}

// Left counts the seats that are left in some sections of a year on a date or later; those offered to someone are not.
func (q SeatsQueries) Left(ctx context.Context, school string, year int, sections []string, from string,
	now time.Time) (map[string]int, error) {
	seats, err := q.seats(ctx, Place{School: school, Year: year}, sections, from, now)
	out := make(map[string]int, len(seats))
	for id, x := range seats {
		out[id] = x.Seats - x.Taken
	}
	return out, err
}

// LockSeats lets no one else take or choose seats of a year until the transaction ends: first the choices of
// those students, then all sections, in the order in which single acts lock them.
func (q SeatsQueries) LockSeats(ctx context.Context, school string, year int, students []string) error {
	if err := q.exec(ctx,
		`SELECT 1 FROM seat_choice WHERE school_id = $1 AND year = $2
			AND student_id IN (SELECT jsonb_array_elements_text($3::jsonb)) ORDER BY student_id FOR UPDATE`,
		school, year, asJSON(students)); err != nil {
		return err
	}
	return q.exec(ctx, `SELECT 1 FROM section WHERE school_id = $1 AND year = $2 ORDER BY id FOR NO KEY UPDATE`, school, year)
}

// Overfull lists the sections of a year in which more students have a seat to the end than there are, though
// some have it by a publication.
func (q SeatsQueries) Overfull(ctx context.Context, school string, year int) (sections []string, err error) {
	return sections, q.list(ctx, &sections,
		`SELECT s.id FROM section s JOIN enrollment e ON e.school_id = s.school_id AND e.year = s.year AND e.section_id = s.id AND e.ends IS NULL
		WHERE s.school_id = $1 AND s.year = $2 GROUP BY s.id, s.seats HAVING count(*) > s.seats AND bool_or(`+untouched+
			`) ORDER BY s.id`, school, year)
}
