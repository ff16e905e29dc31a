package seats

import (
	"time"

	websheet "rubricon/web/sheet"
)

// SeatTable is the finished master schedule of a year, as seats are chosen in it; it changes seldom.
type SeatTable struct {
	Periods  int                `json:"periods" doc:"Of a day"`
	Days     int                `json:"days" doc:"Of the cycle"`
	Fill     []int              `json:"fill" doc:"The periods that must be filled"`
	Rules    []SeatRule         `json:"rules" doc:"What is counted over the chosen sections"`
	Sections []TableSectionView `json:"sections"`
	Waiting  string             `json:"waiting" enum:"order,lottery" doc:"Who of those who wait comes first"`
	Minutes  int                `json:"minutes" doc:"For which a seat is offered"`
}

// SeatRule names a rule over the chosen sections.
type SeatRule struct {
	ID      string   `json:"id"`
	Label   string   `json:"label"`
	Courses []string `json:"courses" doc:"The courses with a section that it counts"`
}

// TableSectionView is a section of the master schedule.
type TableSectionView struct {
	ID      string `json:"id"`
	Course  string `json:"course"`
	Teacher string `json:"teacher,omitempty"`
	Room    string `json:"room,omitempty"`
	Seats   int    `json:"seats"`
	Terms   []int  `json:"terms" doc:"Positions"`
	Periods []int  `json:"periods"`
	Days    []int  `json:"days" doc:"Of the cycle"`
}

// SeatsView is a student's choice of seats: what they have, what is open, and what each section would be to them.
type SeatsView struct {
	Student  websheet.Student     `json:"student"`
	Version  int64                `json:"version"`
	Table    string               `json:"table" doc:"The version of the master schedule that it is of"`
	Window   *websheet.Window     `json:"window,omitempty"`
	Phase    string               `json:"phase,omitempty" enum:"before,open,late,over" doc:"Of the window"`
	State    string               `json:"state" enum:"choosing,submitted,done"`
	Next     string               `json:"next" enum:"take,look,submit,nothing" doc:"What comes next"`
	Looked   bool                 `json:"looked,omitempty" doc:"A counselor has agreed to what is chosen now"`
	LookedBy string               `json:"lookedBy,omitempty"`
	LookedAt *time.Time           `json:"lookedAt,omitempty"`
	Message  string               `json:"message,omitempty" doc:"Why it was opened again"`
	Receipt  string               `json:"receipt,omitempty"`
	HandedAt *time.Time           `json:"handedAt,omitempty"`
	Acts     SeatActs             `json:"acts"`
	Cells    int                  `json:"cells" doc:"To be filled"`
	Filled   int                  `json:"filled" doc:"Of those"`
	Open     []OpenView           `json:"open" doc:"By term, then period"`
	Rules    []websheet.RuleState `json:"rules" doc:"Those over the sections that are in force"`
	Complete bool                 `json:"complete"`
	Own      []OwnSeatView        `json:"own"`
	Lines    []SeatLine           `json:"lines" doc:"One for each section that is not one's own"`
	Entries  []SeatEntry          `json:"entries" doc:"The courses that ask for something, with the evidence"`
	Waits    []WaitView           `json:"waits"`
	Undoes   *SeatActView         `json:"undoes,omitempty" doc:"What taking the latest back would undo"`
	Look     string               `json:"look" enum:"before,after,none" doc:"When the counselor looks"`
	Counsel  string               `json:"counsel,omitempty" doc:"Who does"`
}

// SeatActs says of each act on a choice of seats whether the reader may do it.
type SeatActs struct {
	Take   websheet.Act `json:"take"`
	Look   websheet.Act `json:"look"`
	Submit websheet.Act `json:"submit"`
	Return websheet.Act `json:"return"`
}

// OpenView is a period of a term that is to be filled and is not.
type OpenView struct {
	Term   int   `json:"term" doc:"Position"`
	Period int   `json:"period"`
	Days   []int `json:"days"`
}

// OwnSeatView is a seat that the student has.
type OwnSeatView struct {
	Section string    `json:"section"`
	Left    int       `json:"left"`
	At      time.Time `json:"at"`
	By      string    `json:"by"`
}

// SeatLine is one section as the student can or cannot take it.
type SeatLine struct {
	Section string   `json:"section"`
	Left    int      `json:"left"`
	Fits    bool     `json:"fits,omitempty"`
	Clash   []string `json:"clash,omitempty" doc:"Own sections at the same time, or of its course"`
	May     string   `json:"may,omitempty" doc:"Why the family may not take it: a code of problems"`
	Fills   int      `json:"fills,omitempty" doc:"Open cells"`
	Rank    int      `json:"rank,omitempty" doc:"Among what the sheet asks for"`
}

// SeatEntry is a course's condition with what is on record.
type SeatEntry struct {
	Course string           `json:"course"`
	Entry  string           `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Needs  []websheet.Proof `json:"needs,omitempty"`
	Waived string           `json:"waived,omitempty" doc:"Who waived it"`
	Repeat bool             `json:"repeat,omitempty"`
	Barred bool             `json:"barred,omitempty"`
}

// WaitView is that the student waits for a seat.
type WaitView struct {
	Section string     `json:"section"`
	At      time.Time  `json:"at"`
	Before  int        `json:"before" doc:"How many come before"`
	Until   *time.Time `json:"until,omitempty" doc:"A seat is offered and kept until then"`
}

// SeatActView is something that was done with seats or enrollments.
type SeatActView struct {
	Kind   string    `json:"kind" enum:"take,undo,look,submit,return,wait,unwait,offer,lapse,change,changeBack"`
	Came   []string  `json:"came"`
	Gone   []string  `json:"gone"`
	On     string    `json:"on,omitempty" doc:"Of a change with a date"`
	Reason string    `json:"reason,omitempty"`
	By     string    `json:"by,omitempty" doc:"Absent: the application itself"`
	At     time.Time `json:"at"`
}

// SeatsPut is what is taken and given back at once, or not at all.
type SeatsPut struct {
	Take   []string `json:"take,omitempty" maxItems:"60"`
	Give   []string `json:"give,omitempty" maxItems:"60"`
	Undo   bool     `json:"undo,omitempty" doc:"Take the latest back"`
	Reason string   `json:"reason,omitempty" maxLength:"1000" doc:"Where it is done for the family"`
}

// WaysView is how an opening could be filled.
type WaysView struct {
	Cells   []OpenView      `json:"cells" doc:"What is open of it"`
	Fill    [][]string      `json:"fill" doc:"Sections that fill all of it: one, two or three together"`
	More    int             `json:"more,omitempty" doc:"Ways beyond those"`
	Parts   []string        `json:"parts" doc:"Sections that fit and fill some of it"`
	Collide []CollisionView `json:"collide"`
	Full    []string        `json:"full" doc:"Sections that would fit and have no seat left"`
}

// CollisionView is a section that meets in an opening and would push something out.
type CollisionView struct {
	Section string       `json:"section"`
	Pushes  []PushedView `json:"pushes"`
}

// PushedView is an own section that would be pushed out, with those that could come in its place.
type PushedView struct {
	Own     string   `json:"own"`
	Instead []string `json:"instead"`
}

// ProposalView is a proposal of a whole week next to what is there.
type ProposalView struct {
	Sections []string `json:"sections"`
	Asked    int      `json:"asked" doc:"How many of them the sheet asks for"`
}

// ChoosingView is a student who chooses seats.
type ChoosingView struct {
	ID       string       `json:"id"`
	Name     string       `json:"name" doc:"Family name first"`
	Grade    int          `json:"grade"`
	State    string       `json:"state" enum:"choosing,submitted,done"`
	Begun    bool         `json:"begun"`
	Open     int          `json:"open" doc:"Cells"`
	Complete bool         `json:"complete"`
	Next     string       `json:"next" enum:"take,look,submit,nothing" doc:"What comes next"`
	Look     websheet.Act `json:"look" doc:"Agree to it"`
	Receipt  string       `json:"receipt,omitempty"`
	HandedAt *time.Time   `json:"handedAt,omitempty"`
}

// SeatRulesView are how seats go to those who wait.
type SeatRulesView struct {
	Waiting string `json:"waiting" enum:"order,lottery"`
	Minutes int    `json:"minutes" minimum:"1" maximum:"10080" doc:"For which a seat is offered"`
}
