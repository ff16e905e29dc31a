package problem

import (
	"errors"
	"fmt"
	"time"

	"rubricon/store"
)

// Code is a stable name for what went wrong; sentences are made of it at the edge.
type Code string

// The codes of errors that people cause and can mend, next to the reasons of core/acts, which are codes too.
const (
	NotFound     Code = "not-found"         // no such school, student or course; also for what one may not know of
	NoCourse     Code = "no-such-course"    // Param is the code
	SignInFailed Code = "sign-in-failed"    // the same for an unknown username
	TooMany      Code = "too-many-attempts" // Wait is how long to wait
	Fixed        Code = "fixed"
	Barred       Code = "barred"
	Earned       Code = "already-earned"
	NotOnSheet   Code = "not-on-sheet"
	OnSheet      Code = "on-sheet" // already
	NeedsName    Code = "needs-name"
	BadFile      Code = "bad-file"        // its content is none of the kinds that are taken
	BadGrade     Code = "bad-grade"       // a plan is for grades after the one entered
	StalePlan    Code = "stale-plan"      // someone else has changed it
	NothingToAdd Code = "nothing-to-fill" // no rule has only one answer
	BadOrder     Code = "bad-order"
	BadStandsFor Code = "bad-stands-for"

	OverMaximum     Code = "over-maximum"     // as the school has it, nothing is added beyond a rule's maximum
	SummerAlternate Code = "summer-alternate" // a course of the summer round is no alternate
	Full            Code = "sheet-full"
	AtLimit         Code = "at-limit"    // there are as many as may be kept; one has to go first
	KeyReused       Code = "key-reused"  // the key of an edit was used for another one
	TooComplex      Code = "too-complex" // beyond the limits of judging
	NoClaim         Code = "no-such-claim"
	NotACourse      Code = "not-a-course" // only a claim about a course can become a record
	BadMark         Code = "bad-mark"
	NotSettledHere  Code = "not-settled-here" // what settles an errand is on record
	NeedsReason     Code = "needs-reason"
	NeedsMessage    Code = "needs-message"
	NeedsAgreed     Code = "needs-agreement"  // Param is a course whose fee is not agreed to
	NeedsCommitment Code = "needs-commitment" // Param is the commitment that is not agreed to
	BadAct          Code = "bad-act"
	BadPassword     Code = "bad-password" // too short or too long
	CommonPassword  Code = "common-password"
	BadToken        Code = "bad-token"   // its name, purpose or days
	BadHook         Code = "bad-hook"    // its name, what it is told, or how many there are
	BadAddress      Code = "bad-address" // it is no https:// address of the world, or of a network that may be reached
	NoHookKey       Code = "no-hook-key" // the server has none, so no one is told
	BadWindow       Code = "bad-window"
	BadCode         Code = "bad-code"       // its last character does not check the others
	OldCode         Code = "old-code"       // Param is the receipt that stands
	NoGuardian      Code = "no-guardian"    // of the student
	NoAddress       Code = "no-address"     // there is no mail address on file
	Elsewhere       Code = "also-elsewhere" // the account leads to people of other schools too
	Busy            Code = "busy"           // someone else is doing the same
	Crowded         Code = "crowded"        // so many sign in that passwords wait their turn; Wait is until it has come
	TaskOver        Code = "task-over"      // it is done, or asks nothing
	TooManyTasks    Code = "too-many-tasks" // that are not over yet
	NotZip          Code = "not-zip"
	TooMuch         Code = "too-much"         // more at once than is taken
	BadRevision     Code = "bad-revision"     // Param is what is wrong in it and where
	BadRecord       Code = "bad-record"       // Param is the field
	BadCondition    Code = "bad-condition"    // Param is what is wrong with it and where
	NoRule          Code = "no-such-rule"     // Param is what should name a rule, or an entry of a list of requirements
	RemindedToday   Code = "reminded-today"   // of the same
	SectionChanged  Code = "section-changed"  // by someone else in the meantime, or it is gone
	BadSection      Code = "bad-section"      // Param is what is wrong with it
	RunBehind       Code = "run-behind"       // something has to be placed again first
	NotPlaceable    Code = "not-placeable"    // Param is what is wrong in the data and where
	SeatGone        Code = "seat-gone"        // Param is the section; someone else has its last seat
	SeatClash       Code = "seat-clash"       // Param is an own section that meets at the same time, or is of the same course
	NoSection       Code = "no-such-section"  // Param is its id
	EntryOpen       Code = "entry-open"       // Param is a course whose condition someone has to see to first
	WeekOpen        Code = "week-open"        // something of the week is not filled, or a rule over the sections does not hold
	SeatFree        Code = "seat-free"        // no one need wait for it
	SectionTaken    Code = "section-taken"    // students have seats in it
	SectionBegun    Code = "section-begun"    // Param is its id; it is changed with a date
	BadDate         Code = "bad-date"         // Param is why, of core/dated
	NeedsSettling   Code = "needs-settling"   // marks of attendance stand where the student would no longer be enrolled
	MarksChanged    Code = "marks-changed"    // in the system that keeps attendance, since they were looked at
	ChangeUnderWay  Code = "change-under-way" // a change with a date, for which that system is being asked
	AttendanceAway  Code = "attendance-away"  // the system that keeps it does not answer
	BadRemovals     Code = "bad-removals"     // the number of what an import removes was not said, or is another
	GoneOn          Code = "gone-on"          // the sheet is no longer as it was left, so that it cannot be taken back
)

// Error is an error with a place: a stable code and what belongs to it.
type Error struct {
	Code  Code
	Param string
	Wait  time.Duration // TooMany
	Now   any           // stale-version, not-ready: the *Desk as it is now
	Next  string        // SeatGone: a section to take instead; empty: none
}

func (e *Error) Error() string {
	if e.Param != "" {
		return fmt.Sprintf("%s (%s)", e.Code, e.Param)
	}
	return string(e.Code)
}

// New returns an error with nothing but a code.
func New(code Code) *Error { return &Error{Code: code} }

// CodeOf returns the code of an error that people cause and can mend, or "".
func CodeOf(err error) Code {
	var known *Error
	if errors.As(err, &known) {
		return known.Code
	}
	return ""
}

// Unavailable reports whether an error means that the database is gone or too busy, so that trying again later
// is the thing to do.
func Unavailable(err error) bool { return store.Unavailable(err) }

// AsNotFound turns a missing row into the error people get.
func AsNotFound(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return New(NotFound)
	}
	return err
}
