// Package school holds the use cases, one file per person's job. Each is one transaction; who may do what is decided in this
// file and nowhere else.
package school

import (
	"fmt"

	"rubricon/store"
)

// Act is something a person may want to do.
type Act string

// The acts. Those on a sheet concern one student; the others a school.
const (
	ViewSheet    Act = "view the sheet"
	EditSheet    Act = "change the sheet"
	SubmitSheet  Act = "submit the sheet"
	SignSheet    Act = "sign the sheet"
	AskForChange Act = "ask for a change"
	DecideSheet  Act = "clear, send back or decide about the sheet"
	ViewCatalog  Act = "see the school's catalog"
	ViewCaseload Act = "see the caseload"
)

// Relation is what a person is to a student, or to a school.
type Relation struct {
	Known     bool // somebody of this school
	Self      bool // the student
	Guardian  bool // of this very student
	Counselor bool // of the school
	Office    bool // an administrator of the school
}

// Allowed decides every request.
func Allowed(act Act, r Relation) bool {
	if !r.Known {
		return false
	}
	switch act {
	case ViewSheet:
		return r.Self || r.Guardian || r.Counselor || r.Office
	case EditSheet, SubmitSheet:
		return r.Self
	case SignSheet, AskForChange:
		return r.Guardian
	case DecideSheet, ViewCaseload:
		return r.Counselor || r.Office
	case ViewCatalog:
		return true
	}
	return false
}

// relationTo tells what a person, or nil for a stranger, is to a student of the school.
func relationTo(p *store.Person, student string) Relation {
	if p == nil {
		return Relation{}
	}
	r := relationIn(p)
	r.Self = p.Role == "student" && p.ID == student
	for _, child := range p.Children.V {
		r.Guardian = r.Guardian || child.ID == student
	}
	return r
}

func relationIn(p *store.Person) Relation {
	return Relation{Known: true, Counselor: p.Counsels && p.Role != "student", Office: p.Role == "administrator"}
}

// Code is a stable name for what went wrong.
type Code string

// The codes of errors that people cause and can mend.
const (
	NotFound     Code = "not-found" // no such school, student or course; also for what one may not know of
	Forbidden    Code = "forbidden" // not for this person
	SignInFailed Code = "sign-in-failed"
	TooMany      Code = "too-many-attempts"
	Stale        Code = "stale-version" // somebody changed the sheet meanwhile
	NotOpenYet   Code = "not-open-yet"
	Closed       Code = "window-closed"
	Locked       Code = "locked" // cleared: only a counselor can reopen it
	Fixed        Code = "fixed"
	Barred       Code = "barred"
	Earned       Code = "already-earned"
	NotOnSheet   Code = "not-on-sheet"
	BadOrder     Code = "bad-order"
	BadStandsFor Code = "bad-stands-for"
	Full         Code = "sheet-full"
	TooComplex   Code = "too-complex" // beyond the limits of judging
	NothingUndo  Code = "nothing-to-undo"
	NotReady     Code = "not-ready"
	WrongState   Code = "wrong-state"
	NoClaim      Code = "no-such-claim"
	BadInput     Code = "bad-input"
)

// Error is an error with a place: a stable code, a sentence for whoever reads the API, and what helps to mend it.
type Error struct {
	Code   Code
	Detail string
	Todo   []Todo     // NotReady: what to mend
	Sheet  *SheetView // Stale: the sheet as it is now
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %s", e.Code, e.Detail) }

func problem(code Code, format string, args ...any) *Error {
	return &Error{Code: code, Detail: fmt.Sprintf(format, args...)}
}

func permit(act Act, r Relation) error {
	if Allowed(act, r) {
		return nil
	}
	if !r.Known || !Allowed(ViewSheet, r) && act != ViewCatalog && act != ViewCaseload {
		return problem(NotFound, "there is nothing here for you")
	}
	return problem(Forbidden, "you may not %s", act)
}
