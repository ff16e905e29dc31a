package caseload

import (
	"time"

	"rubricon/core/credit"
	webimports "rubricon/web/imports"
	websheet "rubricon/web/sheet"
)

// CaseloadView is a counselor's students by what they wait for.
type CaseloadView struct {
	School   string     `json:"school"`
	Year     int        `json:"year"`
	Name     string     `json:"name" doc:"The reader"`
	Mine     bool       `json:"mine" doc:"Only the reader's own students; false: the whole school"`
	Students []CaseRow  `json:"students" doc:"Whom the filter chooses: the longest waiting first, then by family name"`
	Counts   CaseCounts `json:"counts"`
}

// CaseCounts are how many students a choice of each kind would list, next to what is chosen of the other
// kinds; choosing a stage drops the reason and the text, and choosing a reason drops the stage.
type CaseCounts struct {
	All        int         `json:"all"`
	Waiting    int         `json:"waiting" doc:"Of the whole caseload, whatever is chosen: they wait for the school"`
	Ready      int         `json:"ready" doc:"Of the whole caseload: they can be approved now"`
	Stages     []CaseCount `json:"stages" doc:"All of them, in the order a sheet takes them"`
	Reasons    []CaseCount `json:"reasons" doc:"Those there are: the school's first"`
	Grades     []CaseCount `json:"grades"`
	Programs   []CaseCount `json:"programs"`
	Counselors []CaseCount `json:"counselors"`
}

// CaseCount is how many students are in a part.
type CaseCount struct {
	ID       string `json:"id"`
	Name     string `json:"name,omitempty" doc:"Of a counselor"`
	Students int    `json:"students"`
	School   bool   `json:"school,omitempty" doc:"A reason that the school settles"`
}

// CaseRow is one student of a caseload.
type CaseRow struct {
	ID        string       `json:"id"`
	Given     string       `json:"given"`
	Family    string       `json:"family"`
	Grade     int          `json:"grade"`
	Counselor string       `json:"counselor,omitempty"`
	Stage     string       `json:"stage" enum:"notBegun,inProgress,withFamily,waiting,complete,cleared" doc:"Where the sheet is"`
	Waits     []CaseWait   `json:"waits" doc:"All it waits for: what the school settles first"`
	Closes    *time.Time   `json:"closes,omitempty" doc:"When the window closes for the family, while it is open"`
	Reminded  *time.Time   `json:"reminded,omitempty" doc:"When the student was last reminded of something"`
	Version   int64        `json:"version"`
	Approve   websheet.Act `json:"clear"`
}

// CaseWait is one reason for which a sheet waits.
type CaseWait struct {
	Reason  string     `json:"reason"`
	School  bool       `json:"school,omitempty" doc:"The school settles it"`
	Courses []string   `json:"courses" doc:"It is about; none: the whole sheet"`
	Text    string     `json:"text,omitempty" doc:"What the family says or asks"`
	Since   *time.Time `json:"since,omitempty"`
}

// SavedView is a filter of the caseload that someone keeps by name.
type SavedView struct {
	Name   string   `json:"name" minLength:"1" maxLength:"60"`
	Filter []string `json:"filter" maxItems:"20" doc:"Keys and values of a query in turn"`
}

// Batching is something the school does with many sheets at once, or with one.
type Batching struct {
	Kind    string      `json:"kind" enum:"clear,sendBack,remind,assign,takeOff,exempt,permit,place,waive,record"`
	Course  string      `json:"course,omitempty" maxLength:"100"`
	Instead string      `json:"instead,omitempty" maxLength:"100" doc:"assign, place: what gives its place; empty: a placeholder for the course"`
	Name    string      `json:"name,omitempty" maxLength:"200" doc:"exempt: a rule, or AUDIT/ENTRY; permit: the kind of permission; remind: a reason of the caseload"`
	Fixed   bool        `json:"fixed,omitempty" doc:"assign: the family may not exchange it"`
	Message string      `json:"message,omitempty" maxLength:"1000" doc:"sendBack, remind: to the family"`
	Reason  string      `json:"reason,omitempty" maxLength:"1000" doc:"Kept with each sheet, and shown to the family"`
	Record  *Entering   `json:"record,omitempty" doc:"record: what is entered for all"`
	Own     []OwnRecord `json:"own,omitempty" maxItems:"5000" doc:"record: what is entered for each, instead"`
	Batch   int64       `json:"batch,omitempty" minimum:"0" doc:"Goes on with one that was begun"`
	Sheets  []Choice    `json:"sheets" maxItems:"2000"`
}

// Entering is a record that is entered here, or that comes in the place of one.
type Entering struct {
	Record     int64  `json:"record,omitempty" minimum:"0" doc:"In the place of this one"`
	Course     string `json:"course,omitempty" maxLength:"100" doc:"A code, of the catalog or not"`
	Title      string `json:"title,omitempty" maxLength:"200" doc:"Where the catalog has no such course"`
	Subject    string `json:"subject,omitempty" maxLength:"100" doc:"Where the catalog has no such course"`
	SchoolYear string `json:"schoolYear" maxLength:"7" pattern:"^[0-9]{4}-[0-9]{2}$"`
	Term       string `json:"term,omitempty" maxLength:"50"`
	Credits    string `json:"credits,omitempty" maxLength:"10" doc:"Empty: those of the course"`
	Mark       string `json:"mark,omitempty" maxLength:"20" doc:"A number from 0 to 100, or the name of a mark"`
	Outcome    string `json:"outcome" enum:"earned,inProgress,failed,withdrawn,transfer"`
}

// OwnRecord is a record of one student among many.
type OwnRecord struct {
	Student string   `json:"student" maxLength:"100"`
	Record  Entering `json:"record"`
}

// RecordsRead is a list of records as it is read; nothing is changed yet.
type RecordsRead struct {
	Problems []webimports.TaskProblem `json:"problems" doc:"Rows that cannot be read at all"`
	Rows     []RecordRead             `json:"rows"`
}

// RecordRead is a row of a list of records.
type RecordRead struct {
	Line    int        `json:"line"`
	Named   string     `json:"named" doc:"The student, as the row names them"`
	Student *Member    `json:"student,omitempty" doc:"Absent where it names nobody, or several"`
	People  []Member   `json:"people" doc:"Whom it may mean"`
	Record  RecordText `json:"record"`
	Bad     string     `json:"bad,omitempty" enum:"title,schoolYear,credits,mark,outcome" doc:"What of the record cannot be read"`
}

// RecordText is a record as it is written, whether it can be read or not.
type RecordText struct {
	Course     string `json:"course"`
	Title      string `json:"title"`
	Subject    string `json:"subject"`
	SchoolYear string `json:"schoolYear"`
	Term       string `json:"term"`
	Credits    string `json:"credits"`
	Mark       string `json:"mark"`
	Outcome    string `json:"outcome"`
}

// FileView is what is on record of a student.
type FileView struct {
	Records   []RecordView `json:"records" doc:"By year, then as they came"`
	Signals   []SignalView `json:"signals" doc:"What people have said of the student"`
	Guardians []Guardian   `json:"guardians"`
}

// RecordView is a course of the past, or one being taken.
type RecordView struct {
	ID         int64          `json:"id"`
	Course     string         `json:"course,omitempty"`
	Title      string         `json:"title"`
	Subjects   []string       `json:"subjects"`
	SchoolYear string         `json:"schoolYear"`
	Term       string         `json:"term,omitempty"`
	Credits    credit.Amount  `json:"credits"`
	Mark       *credit.Amount `json:"mark,omitempty"`
	Outcome    string         `json:"outcome" enum:"earned,inProgress,failed,withdrawn,transfer"`
	Entered    bool           `json:"entered,omitempty" doc:"Here, by hand"`
}

// SignalView is something that was said of a student.
type SignalView struct {
	Kind   string         `json:"kind"`
	Course string         `json:"course,omitempty"`
	Name   string         `json:"name,omitempty"`
	Value  *credit.Amount `json:"value,omitempty" doc:"Of a score"`
	Fixed  bool           `json:"fixed,omitempty" doc:"Of an assignment"`
	By     string         `json:"by,omitempty"`
	Note   string         `json:"note,omitempty"`
}

// Guardian is someone who signs for a student.
type Guardian struct {
	Name     string `json:"name"`
	Language string `json:"language,omitempty"`
	SignsIn  bool   `json:"signsIn" doc:"Has an account with a password"`
}

// Choice names a sheet.
type Choice struct {
	Student string `json:"student" maxLength:"100"`
	Version int64  `json:"version,omitempty" minimum:"0" doc:"The version that was looked at; none: whatever it is"`
}

// BatchOutcome is what became, or would become, of many sheets.
type BatchOutcome struct {
	Batch  int64          `json:"batch,omitempty" doc:"Under which it is kept"`
	Sheets []SheetOutcome `json:"sheets" doc:"By name"`
}

// SheetOutcome is what became, or would become, of one sheet.
type SheetOutcome struct {
	Student string   `json:"student"`
	Given   string   `json:"given"`
	Family  string   `json:"family"`
	Grade   int      `json:"grade"`
	Code    string   `json:"code,omitempty" doc:"Why the sheet stays as it is"`
	Version int64    `json:"version,omitempty" doc:"Of the sheet: as it was looked at, or afterwards"`
	Came    []string `json:"came" doc:"Courses that would be new on the sheet"`
	Gone    []string `json:"gone" doc:"Courses that would leave it"`
}

// BatchView is something that was done with many sheets at once.
type BatchView struct {
	ID      int64      `json:"id"`
	Kind    string     `json:"kind"`
	Course  string     `json:"course,omitempty"`
	Instead string     `json:"instead,omitempty"`
	Name    string     `json:"name,omitempty"`
	Message string     `json:"message,omitempty"`
	Reason  string     `json:"reason,omitempty"`
	By      string     `json:"by"`
	At      time.Time  `json:"at"`
	Sheets  int        `json:"sheets" doc:"It was done to"`
	Back    int        `json:"back" doc:"Of them taken back"`
	BackBy  string     `json:"backBy,omitempty"`
	BackAt  *time.Time `json:"backAt,omitempty"`

	MayTakeBack bool `json:"mayTakeBack" doc:"The reader may take it back: for the student who was named, or for all"`
}

// Choosing chooses students: all of whom everything given holds.
type Choosing struct {
	Mine      bool     `json:"mine,omitempty" doc:"Of the reader's own"`
	Grades    []int    `json:"grades,omitempty" maxItems:"20"`
	Programs  []string `json:"programs,omitempty" maxItems:"50"`
	Condition string   `json:"condition,omitempty" maxLength:"4096" doc:"Of the condition language"`
	Taking    bool     `json:"taking,omitempty" doc:"Met too by a course that is being taken now"`
	Course    string   `json:"course,omitempty" maxLength:"100" doc:"What “this course” in the condition means"`
	Roster    string   `json:"roster,omitempty" maxLength:"524288" doc:"A list, a student a line: by number, username, mail or name"`
}

// CohortView is whom someone has chosen.
type CohortView struct {
	Students []Member     `json:"students" doc:"By name"`
	Unknown  []string     `json:"unknown,omitempty" doc:"Codes in the condition that no course of the catalog has"`
	Lines    []RosterLine `json:"lines" doc:"Of the list, that name nobody, several, or somebody once more"`
}

// Member is a student who is chosen.
type Member struct {
	ID      string `json:"id"`
	Given   string `json:"given"`
	Family  string `json:"family"`
	Grade   int    `json:"grade"`
	Version int64  `json:"version"`
}

// RosterLine is a line of a list that does not name one student.
type RosterLine struct {
	Line   int      `json:"line"`
	Text   string   `json:"text"`
	Twice  bool     `json:"twice,omitempty" doc:"The student is named by a line before"`
	People []Member `json:"people" doc:"Whom it may mean; none: nobody"`
}

// Reminder is what a student and the family are reminded of.
type Reminder struct {
	About string    `json:"about" doc:"A reason of the caseload"`
	Text  string    `json:"text,omitempty" doc:"The school's own words beside"`
	By    string    `json:"by"`
	At    time.Time `json:"at"`
}
