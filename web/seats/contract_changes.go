package seats

import (
	"time"

	websheet "rubricon/web/sheet"
)

// EnrolledView is all that a student is or was enrolled in.
type EnrolledView struct {
	Student websheet.Student `json:"student"`
	Table   string           `json:"table" doc:"The version of the master schedule that it is of"`
	Days    []string         `json:"days" doc:"The school days of the year"`
	Stays   []StayView       `json:"stays" doc:"In the order in which they came"`
	Away    bool             `json:"away,omitempty" doc:"Attendance is not known: the system that keeps it does not answer"`
	May     websheet.Act     `json:"may" doc:"Change it"`
	Going   *GoingView       `json:"going,omitempty" doc:"A change that is under way: the system that keeps attendance is being asked"`
}

// GoingView is a change with a date that is under way.
type GoingView struct {
	On    string    `json:"on"`
	Add   []string  `json:"add" doc:"Sections"`
	Drop  []string  `json:"drop"`
	Since time.Time `json:"since"`
	Back  bool      `json:"back" doc:"It is being taken back"`
}

// StayView is an enrollment with its dates.
type StayView struct {
	Section string      `json:"section"`
	Begin   string      `json:"begin" doc:"The first day"`
	End     string      `json:"end" doc:"The first day no longer"`
	Ended   bool        `json:"ended,omitempty" doc:"The end was set, and is not that of the section's terms"`
	Marks   []MarkView  `json:"marks"`
	At      time.Time   `json:"at"`
	By      string      `json:"by"`
	Course  string      `json:"course"`
	When    SectionWhen `json:"when"`
}

// SectionWhen is when a section meets.
type SectionWhen struct {
	Terms   []int `json:"terms"`
	Periods []int `json:"periods"`
	Days    []int `json:"days"`
}

// MarkView is attendance taken on a day.
type MarkView struct {
	Section string `json:"section"`
	Date    string `json:"date"`
	Mark    string `json:"mark" enum:"present,absent,late,excused"`
}

// DatedPut is a change from a date on.
type DatedPut struct {
	Drop   []string `json:"drop,omitempty" maxItems:"20"`
	Add    []string `json:"add,omitempty" maxItems:"20"`
	On     string   `json:"on" format:"date" doc:"The first day in what comes, and the first day no longer in what goes"`
	Settle string   `json:"settle,omitempty" enum:"move,delete" doc:"What becomes of attendance from that day on"`
	As     string   `json:"as,omitempty" enum:"present,absent,late,excused" doc:"move: as what; absent: as it is"`
	Reason string   `json:"reason,omitempty" maxLength:"1000"`
}

// DatedEffectView is what a change would do.
type DatedEffectView struct {
	Why     string         `json:"why,omitempty" enum:"no-school-day,outside-terms,not-enrolled,already-in,same-course,same-time,gap" doc:"Why it cannot be made"`
	Section string         `json:"section,omitempty" doc:"The section that is in the way"`
	Other   string         `json:"other,omitempty" doc:"And the one it is in the way of"`
	Date    string         `json:"date,omitempty" doc:"gap: from when on the new section could begin"`
	Never   []string       `json:"never" doc:"Sections that would leave no trace"`
	Marks   []MarkView     `json:"marks" doc:"Attendance that has to be settled"`
	Fits    []DatedFitView `json:"fits" doc:"Sections that could come, the ones that may be taken first"`
}

// DatedFitView is a section that could come.
type DatedFitView struct {
	Section string    `json:"section"`
	Left    int       `json:"left"`
	May     string    `json:"may,omitempty" doc:"Why the family could not take it: a code of problems"`
	Entry   SeatEntry `json:"entry"`
}
