package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Person is somebody of a school.
type Person struct {
	School     string       `db:"school_id"`
	ID         string       `db:"id"`
	Role       string       `db:"role"`
	GivenName  string       `db:"given_name"`
	FamilyName string       `db:"family_name"`
	Language   string       `db:"language"`
	SchoolName string       `db:"school_name"`
	Counsels   bool         `db:"counsels"` // some student's counselor
	Children   JSON[[]Name] `db:"children"` // of a guardian
}

// Name is who somebody is.
type Name struct {
	ID     string `json:"id"`
	Given  string `json:"given"`
	Family string `json:"family"`
	Grade  int    `json:"grade"`
}

const personColumns = `p.school_id, p.id, p.role, p.given_name, p.family_name, p.language, sc.name AS school_name,
	EXISTS (SELECT 1 FROM person s WHERE s.school_id = p.school_id AND s.role = 'student' AND s.counselor = p.id) AS counsels,
	(SELECT coalesce(json_agg(json_build_object('id', s.id, 'given', s.given_name, 'family', s.family_name, 'grade', s.grade) ORDER BY s.ord, s.id), '[]')
		FROM guardianship g JOIN person s ON s.school_id = g.school_id AND s.id = g.student_id
		WHERE g.school_id = p.school_id AND g.guardian_id = p.id) AS children`

// PersonsOf lists who a username is, in every school.
func (q Queries) PersonsOf(ctx context.Context, username string) (list []Person, err error) {
	return list, q.list(ctx, &list, `SELECT `+personColumns+` FROM person p JOIN school sc ON sc.id = p.school_id
		WHERE p.username = $1 AND p.enabled ORDER BY p.school_id`, username)
}

// PersonIn is who a username is in one school. The error is ErrNotFound for a stranger.
func (q Queries) PersonIn(ctx context.Context, school, username string) (p Person, err error) {
	return p, q.get(ctx, &p, `SELECT `+personColumns+` FROM person p JOIN school sc ON sc.id = p.school_id
		WHERE p.school_id = $1 AND p.username = $2 AND p.enabled`, school, username)
}

// EntryRow is an entry of a sheet as it is kept and as events remember it.
type EntryRow struct {
	Course    string `json:"c"`
	Alternate bool   `json:"a,omitempty"`
	Rank      int    `json:"r"`
	StandsFor string `json:"s,omitempty"`
}

// SheetRow is a student's sheet as it is, with the versions of what it is judged by.
type SheetRow struct {
	School        string `db:"school_id"`
	Student       string `db:"student_id"`
	SchoolVersion int64  `db:"school_version"`
	FactsVersion  int64  `db:"facts_version"`

	Version          int64      `db:"version"`
	ContentVersion   int64      `db:"content_version"`
	State            string     `db:"state"`
	ChangedAt        *time.Time `db:"changed_at"`
	SubmittedAt      *time.Time `db:"submitted_at"`
	SubmittedVersion int64      `db:"submitted_version"`
	Receipt          string     `db:"receipt"`
	SignedAt         *time.Time `db:"signed_at"`
	SignedBy         string     `db:"signed_by"`
	ClearedAt        *time.Time `db:"cleared_at"`
	Message          string     `db:"message"`
	Asked            string     `db:"asked"`
	Entries          entryList  `db:"entries"`
	Undoable         int        `db:"undoable"`
}

// Pupil is whose sheet it is, with the window in which it is open. It changes only together with the school's version.
type Pupil struct {
	GivenName     string `db:"given_name"`
	FamilyName    string `db:"family_name"`
	Grade         int    `db:"grade"`
	CounselorName string `db:"counselor_name"`
	Guardians     int    `db:"guardians"`
	TimeZone      string `db:"time_zone"`

	Opens           *time.Time `db:"opens"`
	FamiliesClose   *time.Time `db:"families_close"`
	CounselorsClose *time.Time `db:"counselors_close"`
}

const sheetColumns = `sh.school_id, sh.student_id, sc.version AS school_version, sh.facts_version, sh.version, sh.content_version, sh.state, sh.changed_at,
	sh.submitted_at, sh.submitted_version, sh.receipt, sh.signed_at, sh.signed_by, sh.cleared_at, sh.message, sh.asked, sh.undoable`

// entriesAsText packs a sheet's entries into one text, which costs the server half of what JSON does; entryList reads it.
const entriesAsText = `coalesce(string_agg(concat_ws(E'\x1f', e.kind, e.rank, e.ord, e.course_code, e.stands_for), E'\x1e'), '')`

// entryList are the entries of a sheet, requests first, in rank order.
type entryList []EntryRow

// Scan reads the text of entriesAsText. No cell of a bundle has the separators in it.
func (l *entryList) Scan(src any) error {
	text, ok := src.(string)
	if !ok {
		return fmt.Errorf("the entries of a sheet come as %T", src)
	}
	*l = nil
	if text == "" {
		return nil
	}
	type ordered struct {
		EntryRow
		ord int
	}
	var rows []ordered
	for record := range strings.SplitSeq(text, "\x1e") {
		cells := append(strings.Split(record, "\x1f"), "")
		if len(cells) < 5 {
			return fmt.Errorf("an entry of a sheet has %d cells", len(cells)-1)
		}
		rank, err1 := strconv.Atoi(cells[1])
		ord, err2 := strconv.Atoi(cells[2])
		if err := errors.Join(err1, err2); err != nil {
			return fmt.Errorf("an entry of a sheet: %w", err)
		}
		rows = append(rows, ordered{EntryRow{Course: cells[3], Alternate: cells[0] == "alternate", Rank: rank, StandsFor: cells[4]}, ord})
	}
	slices.SortFunc(rows, func(a, b ordered) int {
		if a.Alternate != b.Alternate {
			if a.Alternate {
				return 1
			}
			return -1
		}
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.ord, b.ord))
	})
	for _, r := range rows {
		*l = append(*l, r.EntryRow)
	}
	return nil
}

// Sheet gives a student's sheet. Lock keeps others from changing it until the transaction ends. The error is ErrNotFound where
// there is no such student.
func (q Queries) Sheet(ctx context.Context, school, student string, lock bool) (s SheetRow, err error) {
	query := `SELECT ` + sheetColumns + `, (SELECT ` + entriesAsText + ` FROM entry e WHERE e.school_id = sh.school_id AND e.student_id = sh.student_id) AS entries
		FROM sheet sh JOIN school sc ON sc.id = sh.school_id WHERE sh.school_id = $1 AND sh.student_id = $2`
	if lock {
		query += ` FOR UPDATE OF sh`
	}
	return s, q.get(ctx, &s, query, school, student)
}

const pupilColumns = `p.given_name, p.family_name, p.grade, sc.time_zone,
	coalesce((SELECT k.given_name || ' ' || k.family_name FROM person k WHERE k.school_id = p.school_id AND k.id = p.counselor), '') AS counselor_name,
	(SELECT count(*) FROM guardianship g WHERE g.school_id = p.school_id AND g.student_id = p.id) AS guardians,
	w.opens, w.families_close, w.counselors_close`

const pupilTables = `person p JOIN school sc ON sc.id = p.school_id
	LEFT JOIN LATERAL (SELECT * FROM request_window w WHERE w.school_id = p.school_id AND w.grade IN (p.grade, -1) ORDER BY w.grade DESC LIMIT 1) w ON true`

// Pupil tells whose sheet it is. The error is ErrNotFound where there is no such student.
func (q Queries) Pupil(ctx context.Context, school, student string) (p Pupil, err error) {
	return p, q.get(ctx, &p, `SELECT `+pupilColumns+` FROM `+pupilTables+` WHERE p.school_id = $1 AND p.id = $2`, school, student)
}

// FactsRow is what is on record of a student.
type FactsRow struct {
	Programs JSON[[]string]     `db:"programs"`
	Records  JSON[[]FactRec]    `db:"records"`
	Signals  JSON[[]FactSignal] `db:"signals"`
}

// FactRec is a record, in hundredths.
type FactRec struct {
	Code     string   `json:"course_code"`
	Title    string   `json:"title"`
	Subjects []string `json:"subjects"`
	Year     int      `json:"start_year"`
	Term     string   `json:"term"`
	Credits  int64    `json:"credits"`
	Mark     *int64   `json:"mark"`
	Outcome  string   `json:"outcome"`
}

// FactSignal is a signal; By is the name of the person where a person's id is on file.
type FactSignal struct {
	ID    int64  `json:"id"`
	Kind  string `json:"kind"`
	Code  string `json:"course_code"`
	Name  string `json:"name"`
	Value int64  `json:"value"`
	By    string `json:"said_by"`
	Note  string `json:"note"`
}

// Facts gives a student's records and unsettled signals, in file order.
func (q Queries) Facts(ctx context.Context, school, student string) (f FactsRow, err error) {
	return f, q.get(ctx, &f, `SELECT p.programs,
		(SELECT coalesce(json_agg(json_build_object('course_code', r.course_code, 'title', r.title, 'subjects', r.subjects, 'start_year', r.start_year, 'term', r.term,
			'credits', r.credits, 'mark', r.mark, 'outcome', r.outcome) ORDER BY r.ord), '[]') FROM record r WHERE r.school_id = p.school_id AND r.student_id = p.id) AS records,
		(SELECT coalesce(json_agg(json_build_object('id', s.id, 'kind', s.kind, 'course_code', s.course_code, 'name', s.name, 'value', s.value,
			'said_by', coalesce(b.given_name || ' ' || b.family_name, s.said_by), 'note', s.note) ORDER BY s.ord, s.id), '[]')
			FROM signal s LEFT JOIN person b ON b.school_id = s.school_id AND b.id = s.said_by
			WHERE s.school_id = p.school_id AND s.student_id = p.id AND s.settled = '') AS signals
		FROM person p WHERE p.school_id = $1 AND p.id = $2`, school, student)
}

// Change is the outcome of an act on a sheet, written in one statement.
type Change struct {
	School, Student string
	Version         int64 // the new one
	Actor, Kind     string
	Detail          any
	Delete          []string  // courses whose entries go
	Upsert          []EntryIn // entries that are new or different
	Sheet           SheetState
}

// SheetState is the part of a sheet's row that acts change.
type SheetState struct {
	ContentVersion   int64
	State            string
	ChangedAt        *time.Time
	SubmittedAt      *time.Time
	SubmittedVersion int64
	Receipt          string
	SignedAt         *time.Time
	SignedBy         string
	ClearedAt        *time.Time
	Message          string
	Asked            string
	Undoable         int
}

// SaveChange writes a change in one statement: the entries, the sheet's state and the event. It does so only while the sheet
// still has the version before c.Version, and tells whether it did.
func (q Queries) SaveChange(ctx context.Context, c *Change) (saved bool, err error) {
	s := &c.Sheet
	query, args := `WITH mine AS (
			UPDATE sheet SET version = $3, content_version = $7, state = $8, changed_at = $9, submitted_at = $10, submitted_version = $11, receipt = $12, signed_at = $13,
				signed_by = $14, cleared_at = $15, message = $16, asked = $17, undoable = $18
			WHERE school_id = $1 AND student_id = $2 AND version = $3 - 1 RETURNING 1
		), noted AS (
			INSERT INTO event (school_id, student_id, version, actor, kind, detail) SELECT $1, $2, $3, $4, $5, $6::jsonb FROM mine
		)`, []any{c.School, c.Student, c.Version, c.Actor, c.Kind, mustJSON(c.Detail),
		s.ContentVersion, s.State, s.ChangedAt, s.SubmittedAt, s.SubmittedVersion, s.Receipt, s.SignedAt, s.SignedBy, s.ClearedAt, s.Message, s.Asked, s.Undoable}
	// A part with nothing to do would cost as much as one that does it, so it is left out.
	if len(c.Delete) > 0 {
		args = append(args, mustJSON(c.Delete))
		query += fmt.Sprintf(`, gone AS (
			DELETE FROM entry WHERE school_id = $1 AND student_id = $2 AND course_code IN (SELECT jsonb_array_elements_text($%d::jsonb)) AND EXISTS (SELECT 1 FROM mine)
		)`, len(args))
	}
	if len(c.Upsert) > 0 {
		args = append(args, mustJSON(c.Upsert))
		query += fmt.Sprintf(`, kept AS (
			INSERT INTO entry (school_id, student_id, course_code, kind, rank, ord, stands_for)
			SELECT $1, $2, course_code, kind, rank, rank, stands_for FROM jsonb_to_recordset($%d::jsonb) AS r(course_code text, kind text, rank int, stands_for text), mine
			ON CONFLICT (school_id, student_id, course_code) DO UPDATE SET kind = EXCLUDED.kind, rank = EXCLUDED.rank, ord = EXCLUDED.ord, stands_for = EXCLUDED.stands_for
		)`, len(args))
	}
	return saved, q.get(ctx, &saved, query+` SELECT EXISTS (SELECT 1 FROM mine)`, args...)
}

// Undoable gives the latest change of a sheet that is not undone yet, with the entries before it. The error may be ErrNotFound.
func (q Queries) Undoable(ctx context.Context, school, student string) (version int64, before []EntryRow, err error) {
	var row struct {
		Version int64
		Before  JSON[[]EntryRow]
	}
	err = q.get(ctx, &row, `SELECT version, detail->'before' AS before FROM event e WHERE school_id = $1 AND student_id = $2 AND kind = 'change'
		AND NOT EXISTS (SELECT 1 FROM event u WHERE u.school_id = $1 AND u.student_id = $2 AND u.kind = 'undo' AND (u.detail->>'undoes')::bigint = e.version)
		ORDER BY version DESC LIMIT 1`, school, student)
	return row.Version, row.Before.V, err
}

// NextReceipt takes the school's next receipt number.
func (q Queries) NextReceipt(ctx context.Context, school string) (n int, err error) {
	return n, q.get(ctx, &n, `UPDATE school SET next_receipt = next_receipt + 1 WHERE id = $1 RETURNING next_receipt`, school)
}

// Event is one thing that happened to a sheet.
type Event struct {
	Version int64            `db:"version"`
	At      time.Time        `db:"at"`
	Actor   string           `db:"actor"`
	Kind    string           `db:"kind"`
	Detail  JSON[EventTexts] `db:"detail"`
}

// EventTexts are the parts of an event's detail that are shown.
type EventTexts struct {
	Act     string `json:"act"`
	Course  string `json:"course"`
	Message string `json:"message"`
	Answer  string `json:"answer"`
}

// Events lists what happened to a sheet, the latest first, at most limit.
func (q Queries) Events(ctx context.Context, school, student string, limit int) (list []Event, err error) {
	return list, q.list(ctx, &list, `SELECT e.version, e.at, coalesce(p.given_name || ' ' || p.family_name, e.actor) AS actor, e.kind, e.detail
		FROM event e LEFT JOIN person p ON p.school_id = e.school_id AND p.id = e.actor
		WHERE e.school_id = $1 AND e.student_id = $2 ORDER BY e.version DESC LIMIT $3`, school, student, limit)
}

// CaseRow is a student of a caseload with the sheet.
type CaseRow struct {
	SheetRow
	Pupil
}

// Caseload lists the students of a counselor with their sheets, or all of the school where counselor is empty.
func (q Queries) Caseload(ctx context.Context, school, counselor string) (list []CaseRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+sheetColumns+`, `+pupilColumns+`, coalesce(e.entries, '') AS entries
		FROM sheet sh JOIN `+pupilTables+` ON p.school_id = sh.school_id AND p.id = sh.student_id
		LEFT JOIN (SELECT student_id, `+entriesAsText+` AS entries FROM entry e WHERE school_id = $1 GROUP BY student_id) e ON e.student_id = sh.student_id
		WHERE sh.school_id = $1 AND p.enabled AND ($2 = '' OR p.counselor = $2)
		ORDER BY p.family_name, p.given_name, p.id`, school, counselor)
}

// FactsOfSchool gives what is on record of the students of a caseload, by student.
func (q Queries) FactsOfSchool(ctx context.Context, school, counselor string) (map[string]FactsRow, error) {
	var list []struct {
		ID string `db:"id"`
		FactsRow
	}
	err := q.list(ctx, &list, `SELECT p.id, p.programs, coalesce(r.records, '[]') AS records, coalesce(s.signals, '[]') AS signals FROM person p
		LEFT JOIN (SELECT r.student_id, json_agg(json_build_object('course_code', r.course_code, 'title', r.title, 'subjects', r.subjects, 'start_year', r.start_year,
			'term', r.term, 'credits', r.credits, 'mark', r.mark, 'outcome', r.outcome) ORDER BY r.ord) AS records FROM record r WHERE r.school_id = $1 GROUP BY 1) r ON r.student_id = p.id
		LEFT JOIN (SELECT s.student_id, json_agg(json_build_object('id', s.id, 'kind', s.kind, 'course_code', s.course_code, 'name', s.name, 'value', s.value,
			'said_by', coalesce(b.given_name || ' ' || b.family_name, s.said_by), 'note', s.note) ORDER BY s.ord, s.id) AS signals
			FROM signal s LEFT JOIN person b ON b.school_id = s.school_id AND b.id = s.said_by WHERE s.school_id = $1 AND s.settled = '' GROUP BY 1) s ON s.student_id = p.id
		WHERE p.school_id = $1 AND p.role = 'student' AND ($2 = '' OR p.counselor = $2)`, school, counselor)
	out := make(map[string]FactsRow, len(list))
	for _, row := range list {
		out[row.ID] = row.FactsRow
	}
	return out, err
}

// AddSignal adds a signal entered here; its place is the student's last.
func (q Queries) AddSignal(ctx context.Context, school string, s *SignalIn) error {
	return q.exec(ctx, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, here, cells)
		SELECT $1, $2, coalesce(max(ord), 0) + 1, $3, $4, $5, $6, $7, $8, true, $9::jsonb FROM signal WHERE school_id = $1 AND student_id = $2`,
		school, s.Student, s.Kind, s.Course, s.Name, s.Value, s.By, s.Note, mustJSON(s.Cells))
}

// AddRecord adds a record entered here.
func (q Queries) AddRecord(ctx context.Context, school string, r *RecordIn) error {
	return q.exec(ctx, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, here, cells)
		SELECT $1, $2, coalesce(max(ord), 0) + 1, $3, $4, $5::jsonb, $6, $7, $8, $9, $10, true, $11::jsonb FROM record WHERE school_id = $1 AND student_id = $2`,
		school, r.Student, r.Course, r.Title, mustJSON(r.Subjects), r.StartYear, r.Term, r.Credits, r.Mark, r.Outcome, mustJSON(r.Cells))
}

// SettleClaim says what became of a claim. The error is ErrNotFound where there is no such open claim.
func (q Queries) SettleClaim(ctx context.Context, school, student string, id int64, settled string) error {
	var done int
	return q.get(ctx, &done, `UPDATE signal SET settled = $4 WHERE school_id = $1 AND student_id = $2 AND id = $3 AND kind = 'claim' AND settled = '' RETURNING 1`,
		school, student, id, settled)
}

// FactsChanged makes cached facts of a student stale.
func (q Queries) FactsChanged(ctx context.Context, school, student string) error {
	return q.exec(ctx, `UPDATE sheet SET facts_version = facts_version + 1 WHERE school_id = $1 AND student_id = $2`, school, student)
}

// SetWindow sets when sheets of a grade are open; grade -1 is every grade without a window of its own.
func (q Queries) SetWindow(ctx context.Context, school string, grade int, opens, families, counselors time.Time) error {
	return q.exec(ctx, `WITH risen AS (UPDATE school SET version = version + 1 WHERE id = $1)
		INSERT INTO request_window VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (school_id, grade) DO UPDATE SET opens = $3, families_close = $4, counselors_close = $5`, school, grade, opens, families, counselors)
}

// Schools lists the schools.
func (q Queries) Schools(ctx context.Context) (ids []string, err error) {
	return ids, q.list(ctx, &ids, `SELECT id FROM school ORDER BY id`)
}

// SchoolRow is a school's row.
type SchoolRow struct {
	Name    string `db:"name"`
	Version int64  `db:"version"`
}

// School gives a school's row.
func (q Queries) School(ctx context.Context, id string) (s SchoolRow, err error) {
	return s, q.get(ctx, &s, `SELECT name, version FROM school WHERE id = $1`, id)
}
