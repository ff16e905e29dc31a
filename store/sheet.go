package store

import (
	"cmp"
	"context"
	"encoding/json"
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
	Draft   int64  `db:"-"` // one of the drafts next to the sheet; 0: the sheet itself
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
	Version  int64            `db:"version"`
	Grade    int              `db:"grade"` // the one entered
	Programs JSON[[]string]   `db:"programs"`
	Touched  bool             `db:"touched"` // someone has worked on it here: an import keeps it
	Begun    bool             `db:"begun"`   // and not only the school, to prepare it
	Reminded *time.Time       `db:"reminded_at"`
	Talk     JSON[[]string]   `db:"talk"`     // the courses that the family has said something about to each other; "": the whole
	Answered bool             `db:"answered"` // the school has answered something that was asked or said about it
	Placed   *json.RawMessage `db:"placed"`   // what was published of it
	Shown    bool             `db:"shown"`    // some draft is shown to the family
	Entries  entryList        `db:"entries"`

	SubmittedAt *time.Time            `db:"submitted_at"`
	Receipt     *string               `db:"receipt"`
	Submitted   JSON[[]EntryRow]      `db:"submitted"`  // the entries of the submission that stands
	Signatures  JSON[[]SignatureShow] `db:"signatures"` // under it, in the order of signing
}

// SheetState is the part of a sheet's row that acts change.
type SheetState struct {
	State      string         `db:"state"`
	Before     string         `db:"placed_from"` // the state in which it was placed; empty: it is not
	Submission int            `db:"submission"`  // the number of the one that stands; 0: none
	ChangedAt  *time.Time     `db:"changed_at"`
	ClearedAt  *time.Time     `db:"cleared_at"`
	Message    string         `db:"message"` // why it was sent back
	About      JSON[[]string] `db:"about"`   // the courses that the message is about
	Asked      string         `db:"asked"`   // the oldest open change request's text; empty: none is open
	AskedAt    *time.Time     `db:"asked_at"`

	ChangeRequests JSON[[]ChangeRequest] `db:"change_requests"` // the open ones, and the latest that were answered, in the order of asking

	Looked   *JSON[[]EntryRow] `db:"looked"` // the entries a counselor has agreed to; nil: none
	Undoable int               `db:"undoable"`
	Undoes   *JSON[Trace]      `db:"undoes"`   // what undoing takes back, where it is known
	Redoable int               `db:"redoable"` // how much can be done again
	RedoBy   string            `db:"redo_by"`  // whose undoing the latest of that is: a person's id
	Summer   *JSON[Handed]     `db:"summer"`   // what was last handed in for the summer on its own
}

// Handed is what was handed in for the summer.
type Handed struct {
	Receipt string    `json:"receipt"`
	At      time.Time `json:"at"`
	Courses []string  `json:"courses"` // by rank
}

// ChangeRequest is what one person of a family asks to change, or that a guardian refuses to sign, with the
// school's answer.
type ChangeRequest struct {
	ID         int64      `json:"id"`     // the sheet's version that it made
	Person     string     `json:"person"` // whose it is; empty in what is older than that was kept
	Name       string     `json:"name"`
	Kind       string     `json:"kind"` // ask or decline
	Course     string     `json:"course,omitempty"`
	Text       string     `json:"text"`
	At         time.Time  `json:"at"`
	Answer     string     `json:"answer,omitempty"`
	AnsweredBy string     `json:"answeredBy,omitempty"`
	AnsweredAt *time.Time `json:"answeredAt,omitempty"` // nil: it is open
}

// Trace is an edit, as far as it is said again.
type Trace struct {
	Act     string    `json:"act"`
	Course  string    `json:"course,omitempty"`
	Instead string    `json:"instead,omitempty"`
	At      time.Time `json:"at"`
	By      string    `json:"by,omitempty"` // a person's id
}

// SignatureShow is a signature as a sheet shows it.
type SignatureShow struct {
	Person    string    `json:"person_id"`
	Name      string    `json:"name"`
	At        time.Time `json:"at"`
	ForFamily bool      `json:"for_family"`
	PaperBy   string    `json:"paper_by"` // given on the printed sheet: who has recorded it
}

const sheetColumns = `sh.school_id, sh.year, sh.student_id, y.catalog_version,
	y.policy_version, y.roster_version, sh.facts_version, sh.version, sh.grade,
	sh.programs, sh.touched, sh.begun, sh.reminded_at, sh.talk,
	sh.state, coalesce(sh.placed->>'was', '') AS placed_from, sh.submission,
	sh.changed_at, sh.cleared_at, sh.message, sh.about, sh.asked,
	sh.asked_at, sh.looked, sh.undoable, sh.undoes, sh.redoable, sh.redo_by, sh.change_requests, sh.summer,
	sub.at AS submitted_at, sub.receipt, coalesce(sub.entries, '[]') AS submitted,
	EXISTS (SELECT 1 FROM remark r WHERE (r.school_id, r.year, r.student_id) = (sh.school_id, sh.year, sh.student_id)
	AND r.answer <> '' AND r.kind <> 'family') AS answered,
	(SELECT ` + entriesAsText + ` FROM entry e WHERE (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id)) AS entries`

const signatures = `(SELECT coalesce(json_agg(json_build_object('person_id',
	si.person_id, 'name', si.name, 'at', si.at, 'for_family', si.for_family, 'paper_by', si.paper_by) ORDER BY si.at, si.person_id), '[]')
	FROM signature si WHERE (si.school_id, si.year, si.student_id, si.number) = (sh.school_id, sh.year, sh.student_id, sh.submission))`

const sheetTables = `sheet sh JOIN school_year y ON (y.school_id, y.year) = (sh.school_id, sh.year)
	LEFT JOIN submission sub ON (sub.school_id, sub.year, sub.student_id, sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)`

// entriesAsText packs a sheet's entries into one text, which costs the server half of what JSON does;
// entryList reads it.
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

// Sheet returns a student's sheet. The error is ErrNotFound where there is none.
func (q SheetQueries) Sheet(ctx context.Context, at Place) (s SheetRow, err error) {
	return s, q.get(ctx, &s, `SELECT `+sheetColumns+`,
		CASE WHEN sh.submission = 0 THEN '[]' ELSE `+signatures+` END AS signatures, sh.placed,
		EXISTS (SELECT 1 FROM draft d WHERE (d.school_id, d.year, d.student_id) = (sh.school_id, sh.year, sh.student_id)
		AND d.shown_at IS NOT NULL) AS shown FROM `+
		sheetTables+` WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = $3`, at.School, at.Year, at.Student)
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

	// Of the summer round, where it has a window of its own.
	SummerOpens     *time.Time `db:"summer_opens"`
	SummerFamilies  *time.Time `db:"summer_families_close"`
	SummerCounselor *time.Time `db:"summer_counselors_close"`

	// In which seats are chosen, where they are.
	SeatOpens     *time.Time `db:"seat_opens"`
	SeatFamilies  *time.Time `db:"seat_families_close"`
	SeatCounselor *time.Time `db:"seat_counselors_close"`
}

const counselorName = `coalesce((SELECT k.given_name || ' ' || k.family_name FROM relation r
	JOIN person k ON k.school_id = r.school_id AND k.id = r.person_id
	WHERE r.school_id = sh.school_id AND r.student_id = sh.student_id AND r.kind = 'counsels' AND r.year = sh.year
	ORDER BY r.id LIMIT 1), '') AS counselor_name`

const pupilColumns = `p.given_name, p.family_name,
	(SELECT count(*) FROM relation r WHERE r.school_id = sh.school_id AND r.student_id = sh.student_id AND r.kind = 'guards') AS guardians,
	w.opens, w.families_close, w.counselors_close,
	sw.opens AS summer_opens, sw.families_close AS summer_families_close, sw.counselors_close AS summer_counselors_close,
	tw.opens AS seat_opens, tw.families_close AS seat_families_close, tw.counselors_close AS seat_counselors_close`

// The window of the student comes before that of the grade, and that before the one for all.
const pupilTables = `person p ON p.school_id = sh.school_id AND p.id = sh.student_id` + pupilWindows

const pupilWindows = `
	LEFT JOIN LATERAL (` + windowFor + ` AND w.round = 'year' ` + nearest + `) w ON true
	LEFT JOIN LATERAL (` + windowFor + ` AND w.round = 'summer' ` + nearest + `) sw ON true
	LEFT JOIN LATERAL (` + windowFor + ` AND w.round = 'seats' ` + nearest + `) tw ON true`

const windowFor = `SELECT * FROM request_window w WHERE w.school_id = sh.school_id AND w.year = sh.year
		AND (w.student_id = sh.student_id OR w.student_id = '' AND w.grade IN (sh.grade, -1))`

const nearest = `ORDER BY w.student_id DESC, w.grade DESC LIMIT 1`

// Pupil reports whose sheet it is. The error is ErrNotFound where there is no such sheet.
func (q SheetQueries) Pupil(ctx context.Context, at Place) (p Pupil, err error) {
	return p, q.get(ctx, &p, `SELECT `+counselorName+`, `+pupilColumns+` FROM sheet sh JOIN `+pupilTables+`
		WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = $3`, at.School, at.Year, at.Student)
}

// CaseRow is a student of a caseload with the sheet.
type CaseRow struct {
	SheetRow
	Pupil
}

// Taught lists the students of a teacher with their sheets, by name.
func (q SheetQueries) Taught(ctx context.Context, school string, year int, teacher string) (list []CaseRow, err error) {
	return q.cases(ctx, related, school, year, teacher, "teaches")
}

const related = `sh.student_id IN (SELECT r.student_id FROM relation r WHERE r.school_id = $1 AND r.kind = $4
	AND r.person_id = $3 AND r.year = $2)`

// cases lists students with their sheets. What belongs to each is looked up by key, so that the plan is good
// whatever the server knows of the tables. Left out is what a list does not show: the counselor's name, and
// signatures but where more may come.
func (q SheetQueries) cases(ctx context.Context, which, school string, year int, args ...any) (list []CaseRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+sheetColumns+`, `+pupilColumns+`,
			CASE WHEN sh.state <> 'submitted' THEN '[]' ELSE `+signatures+` END AS signatures FROM `+sheetTables+` JOIN `+pupilTables+`
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present AND `+which+` ORDER BY p.family_name, p.given_name, p.id`,
		append([]any{school, year}, args...)...)
}
