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

// Place names a sheet: a student's, in a school year, which is the calendar year in which that begins.
type Place struct {
	School  string `db:"school_id"`
	Year    int    `db:"year"`
	Student string `db:"student_id"`
}

// EntryRow is an entry of a sheet as it is kept and as submissions and events remember it.
type EntryRow struct {
	Course    string `json:"c"`
	Alternate bool   `json:"a,omitempty"`
	Rank      int    `json:"r"`
	StandsFor string `json:"s,omitempty"`
}

// Versions are those of all that a sheet is judged by and shown with.
type Versions struct {
	Catalog int64 `db:"catalog_version"`
	Policy  int64 `db:"policy_version"`
	Roster  int64 `db:"roster_version"` // of people, relations and windows
	Facts   int64 `db:"facts_version"`  // of the student's records and signals
}

// SheetRow is a student's sheet as it is, with the submission that stands.
type SheetRow struct {
	Place
	Versions
	SheetState
	Version  int64          `db:"version"`
	Grade    int            `db:"grade"` // the one entered
	Programs JSON[[]string] `db:"programs"`
	Touched  bool           `db:"touched"` // somebody has worked on it here
	Entries  entryList      `db:"entries"`

	SubmittedAt *time.Time            `db:"submitted_at"`
	Receipt     *string               `db:"receipt"`
	Submitted   JSON[[]EntryRow]      `db:"submitted"`  // the entries of the submission that stands
	Signatures  JSON[[]SignatureShow] `db:"signatures"` // under it, in the order of signing
}

// SheetState is the part of a sheet's row that acts change.
type SheetState struct {
	State      string            `db:"state"`
	Submission int               `db:"submission"` // the number of the one that stands; 0: none
	ChangedAt  *time.Time        `db:"changed_at"`
	ClearedAt  *time.Time        `db:"cleared_at"`
	Message    string            `db:"message"` // why it was sent back
	Asked      string            `db:"asked"`   // what the family asks to change
	Looked     *JSON[[]EntryRow] `db:"looked"`  // the entries a counselor has agreed to; nil: none
	Undoable   int               `db:"undoable"`
}

// SignatureShow is a signature as a sheet shows it.
type SignatureShow struct {
	Person    string    `json:"person_id"`
	Name      string    `json:"name"`
	At        time.Time `json:"at"`
	ForFamily bool      `json:"for_family"`
}

const sheetColumns = `sh.school_id, sh.year, sh.student_id, y.catalog_version, y.policy_version, y.roster_version, sh.facts_version, sh.version, sh.grade,
	sh.programs, sh.touched, sh.state, sh.submission, sh.changed_at, sh.cleared_at, sh.message, sh.asked, sh.looked, sh.undoable,
	sub.at AS submitted_at, sub.receipt, coalesce(sub.entries, '[]') AS submitted,
	(SELECT ` + entriesAsText + ` FROM entry e WHERE (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id)) AS entries`

const signatures = `(SELECT coalesce(json_agg(json_build_object('person_id', si.person_id, 'name', si.name, 'at', si.at, 'for_family', si.for_family) ORDER BY si.at, si.person_id), '[]')
	FROM signature si WHERE (si.school_id, si.year, si.student_id, si.number) = (sh.school_id, sh.year, sh.student_id, sh.submission))`

const sheetTables = `sheet sh JOIN school_year y ON (y.school_id, y.year) = (sh.school_id, sh.year)
	LEFT JOIN submission sub ON (sub.school_id, sub.year, sub.student_id, sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)`

// entriesAsText packs a sheet's entries into one text, which costs the server half of what JSON does; entryList reads it.
const entriesAsText = `coalesce(string_agg(concat_ws(E'\x1f', e.kind, e.rank, e.ord, e.course_code, e.stands_for), E'\x1e'), '')`

// entryList are the entries of a sheet, requests first, in rank order.
type entryList []EntryRow

// Scan reads the text of entriesAsText. No code of a course has a separator in it; the table course sees to that.
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

// Sheet gives a student's sheet. The error is ErrNotFound where there is none.
func (q Queries) Sheet(ctx context.Context, at Place) (s SheetRow, err error) {
	return s, q.get(ctx, &s, `SELECT `+sheetColumns+`,
		CASE WHEN sh.submission = 0 THEN '[]' ELSE `+signatures+` END AS signatures FROM `+sheetTables+` WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = $3`, at.School, at.Year, at.Student)
}

// Pupil is whose sheet it is, with the window in which it is open. It changes only together with the roster's version.
type Pupil struct {
	GivenName     string `db:"given_name"`
	FamilyName    string `db:"family_name"`
	CounselorName string `db:"counselor_name"`
	Guardians     int    `db:"guardians"`

	Opens           *time.Time `db:"opens"`
	FamiliesClose   *time.Time `db:"families_close"`
	CounselorsClose *time.Time `db:"counselors_close"`
}

const counselorName = `coalesce((SELECT k.given_name || ' ' || k.family_name FROM relation r JOIN person k ON k.school_id = r.school_id AND k.id = r.person_id
	WHERE r.school_id = sh.school_id AND r.student_id = sh.student_id AND r.kind = 'counsels' AND r.year = sh.year ORDER BY r.id LIMIT 1), '') AS counselor_name`

const pupilColumns = `p.given_name, p.family_name,
	(SELECT count(*) FROM relation r WHERE r.school_id = sh.school_id AND r.student_id = sh.student_id AND r.kind = 'guards') AS guardians,
	w.opens, w.families_close, w.counselors_close`

// The window of the student comes before that of the grade, and that before the one for all.
const pupilTables = `person p ON p.school_id = sh.school_id AND p.id = sh.student_id
	LEFT JOIN LATERAL (SELECT * FROM request_window w WHERE w.school_id = sh.school_id AND w.year = sh.year
		AND (w.student_id = sh.student_id OR w.student_id = '' AND w.grade IN (sh.grade, -1)) ORDER BY w.student_id DESC, w.grade DESC LIMIT 1) w ON true`

// Pupil tells whose sheet it is. The error is ErrNotFound where there is no such sheet.
func (q Queries) Pupil(ctx context.Context, at Place) (p Pupil, err error) {
	return p, q.get(ctx, &p, `SELECT `+counselorName+`, `+pupilColumns+` FROM sheet sh JOIN `+pupilTables+`
		WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = $3`, at.School, at.Year, at.Student)
}

// CaseRow is a student of a caseload with the sheet.
type CaseRow struct {
	SheetRow
	Pupil
}

// Caseload lists the students of a counselor with their sheets, or all of the school where counselor is empty, by name. What belongs
// to each is looked up by key, so that the plan is good whatever the server knows of the tables. Left out is what a list does not
// show: the counselor's name, and signatures but where more may come.
func (q Queries) Caseload(ctx context.Context, school string, year int, counselor string) (list []CaseRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+sheetColumns+`, `+pupilColumns+`,
			CASE WHEN sh.state <> 'submitted' THEN '[]' ELSE `+signatures+` END AS signatures FROM `+sheetTables+` JOIN `+pupilTables+`
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present AND p.enabled AND ($3 = '' OR sh.student_id IN
			(SELECT r.student_id FROM relation r WHERE r.school_id = $1 AND r.kind = 'counsels' AND r.person_id = $3 AND r.year = $2))
		ORDER BY p.family_name, p.given_name, p.id`, school, year, counselor)
}

// Actor is who does something, by the name of the moment.
type Actor struct{ ID, Name string }

// Change is the outcome of an act on a sheet, written in one statement; parts that are nil or empty are left out.
type Change struct {
	Place
	Version      int64 // the new one
	FactsVersion int64 // the one it was decided on; 0: whatever it is
	At           time.Time
	Actor        Actor
	Kind         string
	Reason, Key  string
	Detail       any
	State        SheetState

	Delete     []string   // courses whose entries go
	Upsert     []EntryRow // entries that are new or different
	Submission *Submission
	Signature  *Signature
	Settle     *Settlement
	Signal     *SignalRow
	Record     *RecordRow
}

// Submission is what is submitted; its number is that of the change's state.
type Submission struct {
	Receipt         string
	Catalog, Policy int64
	Entries         []EntryRow
	Judgement       any
	Agreed          []string // the commitments that the student agreed to, by id
}

// Signature is one under the submission that stands.
type Signature struct {
	ForFamily   bool
	Agreed      []string // the courses whose fee was agreed to
	Commitments []string // the commitments agreed to, by id
}

// Settlement says what becomes of a claim.
type Settlement struct {
	Claim  int64
	Answer string // confirmed, waived or declined
}

// SaveChange writes a change: the sheet's state, its entries, the event, and what else the change has. It does so only while the
// sheet still has the version before c.Version (and the facts c.FactsVersion), and tells whether it did.
func (q Queries) SaveChange(ctx context.Context, c *Change) (saved bool, err error) {
	s := &c.State
	var looked any
	if s.Looked != nil {
		looked = asJSON(s.Looked.V)
	}
	facts := ""
	if c.Settle != nil || c.Signal != nil || c.Record != nil {
		facts = ", facts_version = facts_version + 1"
	}
	b := &statement{args: []any{c.School, c.Year, c.Student, c.Version, c.At, c.Actor.ID, c.Actor.Name, c.Kind, c.Reason, c.Key, asJSON(c.Detail),
		s.State, s.Submission, s.ChangedAt, s.ClearedAt, s.Message, s.Asked, looked, s.Undoable, c.FactsVersion}}
	b.text = `WITH mine AS (
			UPDATE sheet SET version = $4, touched = true, state = $12, submission = $13, changed_at = $14, cleared_at = $15, message = $16, asked = $17,
				looked = $18::jsonb, undoable = $19` + facts + `
			WHERE school_id = $1 AND year = $2 AND student_id = $3 AND version = $4 - 1 AND ($20 = 0 OR facts_version = $20) RETURNING 1
		), noted AS (
			INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
			SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11::jsonb FROM mine
		)`
	// A part with nothing to do would cost as much as one that does it, so it is left out.
	if len(c.Delete) > 0 {
		b.add(`gone AS (DELETE FROM entry WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND course_code IN (SELECT jsonb_array_elements_text(%s::jsonb)) AND EXISTS (SELECT 1 FROM mine))`, asJSON(c.Delete))
	}
	if len(c.Upsert) > 0 {
		b.add(`kept AS (INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for)
			SELECT $1, $2, $3, c, CASE WHEN a THEN 'alternate' ELSE 'request' END, r, r, s
			FROM jsonb_to_recordset(%s::jsonb) AS x(c text, a boolean, r int, s text), mine
			ON CONFLICT (school_id, year, student_id, course_code)
				DO UPDATE SET kind = EXCLUDED.kind, rank = EXCLUDED.rank, ord = EXCLUDED.ord, stands_for = EXCLUDED.stands_for)`, asJSON(c.Upsert))
	}
	if x := c.Submission; x != nil {
		b.add(`handed AS (INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed)
			SELECT $1, $2, $3, $13, %s, $5, $6, $7, %s, %s, %s::jsonb, %s::jsonb, %s::jsonb FROM mine)`, x.Receipt, x.Catalog, x.Policy, asJSON(x.Entries), asJSON(x.Judgement),
			asJSON(append([]string{}, x.Agreed...)))
	}
	if x := c.Signature; x != nil {
		b.add(`signed AS (INSERT INTO signature (school_id, year, student_id, number, person_id, name, at, for_family, reason, agreed, commitments)
			SELECT $1, $2, $3, $13, $6, $7, $5, %s, $9, %s::jsonb, %s::jsonb FROM mine)`, x.ForFamily, asJSON(append([]string{}, x.Agreed...)), asJSON(append([]string{}, x.Commitments...)))
	}
	if x := c.Settle; x != nil {
		b.add(`settled AS (UPDATE signal SET settled = %s WHERE school_id = $1 AND student_id = $3 AND id = %s AND kind = 'claim' AND settled = '' AND EXISTS (SELECT 1 FROM mine))`,
			x.Answer, x.Claim)
	}
	if x := c.Signal; x != nil {
		b.add(`said AS (INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells)
			SELECT $1, $3, coalesce(max(ord), 0) + 1, %s, %s, %s, %s, %s, %s, %s::jsonb FROM signal WHERE school_id = $1 AND student_id = $3 HAVING EXISTS (SELECT 1 FROM mine))`,
			x.Kind, x.Code, x.Name, x.Value, x.By, x.Note, asJSON(x.Cells))
	}
	if x := c.Record; x != nil {
		b.add(`recorded AS (INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, here, cells)
			SELECT $1, $3, coalesce(max(ord), 0) + 1, %s, %s, %s::jsonb, %s, %s, %s, %s, %s, true, %s::jsonb FROM record WHERE school_id = $1 AND student_id = $3 HAVING EXISTS (SELECT 1 FROM mine))`,
			x.Code, x.Title, asJSON(x.Subjects), x.Year, x.Term, x.Credits, x.Mark, x.Outcome, asJSON(x.Cells))
	}
	return saved, q.get(ctx, &saved, b.text+` SELECT EXISTS (SELECT 1 FROM mine)`, b.args...)
}

// statement grows part by part; its arguments are numbered as they come.
type statement struct {
	text string
	args []any
}

func (b *statement) add(part string, args ...any) {
	numbers := make([]any, len(args))
	for i, arg := range args {
		b.args = append(b.args, arg)
		numbers[i] = fmt.Sprintf("%s%d%s", "$", len(b.args), castOf(arg))
	}
	b.text += ", " + fmt.Sprintf(part, numbers...)
}

// castOf tells the server an argument's type where it cannot infer it, in a list of selected values.
func castOf(arg any) string {
	switch arg.(type) {
	case bool:
		return "::boolean"
	case int, int64, *int64:
		return "::bigint"
	}
	return "::text"
}

// NextReceipt takes a receipt number; numbers may be left out.
func (q Queries) NextReceipt(ctx context.Context) (n int64, err error) {
	return n, q.get(ctx, &n, `SELECT nextval('receipt_number')`)
}

// Undoable gives the latest change of a sheet that is not undone yet, with the entries before it. The error may be ErrNotFound.
func (q Queries) Undoable(ctx context.Context, at Place) (version int64, before []EntryRow, err error) {
	var row struct {
		Version int64
		Before  JSON[[]EntryRow]
	}
	err = q.get(ctx, &row, `SELECT version, detail->'before' AS before FROM event e WHERE school_id = $1 AND year = $2 AND student_id = $3 AND kind = 'change'
		AND NOT EXISTS (SELECT 1 FROM event u WHERE u.school_id = $1 AND u.year = $2 AND u.student_id = $3 AND u.kind = 'undo' AND (u.detail->>'undoes')::bigint = e.version)
		ORDER BY version DESC LIMIT 1`, at.School, at.Year, at.Student)
	return row.Version, row.Before.V, err
}

// Answered tells whether a change with this key has been kept since a version of the sheet.
func (q Queries) Answered(ctx context.Context, at Place, since int64, key string) (answered bool, err error) {
	return answered, q.get(ctx, &answered, `SELECT EXISTS (SELECT 1 FROM event WHERE school_id = $1 AND year = $2 AND student_id = $3 AND version > $4 AND key = $5)`,
		at.School, at.Year, at.Student, since, key)
}

// Event is one thing that happened to a sheet.
type Event struct {
	Version int64            `db:"version"`
	At      time.Time        `db:"at"`
	Actor   string           `db:"actor_name"`
	Kind    string           `db:"kind"`
	Reason  string           `db:"reason"`
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
func (q Queries) Events(ctx context.Context, at Place, limit int) (list []Event, err error) {
	return list, q.list(ctx, &list, `SELECT version, at, actor_name, kind, reason, detail FROM event
		WHERE school_id = $1 AND year = $2 AND student_id = $3 ORDER BY version DESC LIMIT $4`, at.School, at.Year, at.Student, limit)
}
