package acts

import (
	"time"

	"rubricon/core/policy"
)

// SeatAct is something a person may want to do with a student's choice of seats in the finished master schedule.
type SeatAct uint8

// The acts.
const (
	ViewSeats   SeatAct = iota
	TakeSeats           // take seats and give them back, wait for one, take the latest back
	LookAtSeats         // agree to what is chosen: before it is handed in, or after, as the school has it
	SubmitSeats         // hand the choice in
	ReturnSeats         // open a choice again that was handed in, with a message
	ChangeOn            // change what the student is enrolled in from a date on, whatever the window says
	seatActs
)

var seatNames = [seatActs]string{"view", "take", "look", "submit", "return", "change"}

func (a SeatAct) String() string { return seatNames[a] }

// SeatActs lists the acts.
func SeatActs() []SeatAct {
	list := make([]SeatAct, seatActs)
	for i := range list {
		list[i] = SeatAct(i)
	}
	return list
}

// EndsWaiting reports whether an act ends waiting for seats: a choice that is submitted takes none, so a seat
// is offered to someone who can.
func (a SeatAct) EndsWaiting() bool { return a == SubmitSeats }

// SeatState is where a choice of seats is.
type SeatState string

// The states.
const (
	Choosing  SeatState = "choosing"
	SeatsIn   SeatState = "submitted" // and the counselor looks
	SeatsDone SeatState = "done"      // nothing is waited for
)

// SeatCase is all that bears on what may be done with a choice of seats.
type SeatCase struct {
	Relation Relation
	Settings policy.Settings
	Window   Window // its own; the zero Window: seats are not chosen, by this student
	Now      time.Time
	State    SeatState
	Complete bool // nothing is open, and every rule over the sections holds
	Looked   bool // a counselor has agreed to what is chosen now
}

// SeatAnswers has one answer for each act.
type SeatAnswers [seatActs]Answer

// OfSeats answers for every act. Who decides may choose and hand in for the family, with a reason, also
// before the window opens and after it has closed for families.
func OfSeats(c *SeatCase) (a SeatAnswers) {
	for i := range a {
		act := SeatAct(i)
		a[i].Why = c.why(act, false)
		if a[i].Why == "" {
			a[i] = Answer{Allowed: true, Reason: act == ReturnSeats || act == ChangeOn}
			continue
		}
		if act != TakeSeats && act != SubmitSeats || !c.Relation.decides(&c.Settings) {
			continue
		}
		if other := c.why(act, true); other == "" {
			a[i] = Answer{Allowed: true, Reason: true}
		} else if a[i].Why == NotYours {
			a[i].Why = other
		}
	}
	return a
}

// Next reports what comes next with a choice of seats: one of the acts, or Over where nothing is to be done.
func (c *SeatCase) Next() (act SeatAct, nothing bool) {
	switch {
	case c.State == SeatsIn:
		return LookAtSeats, false
	case c.State == SeatsDone || c.Window.Opens.IsZero():
		return 0, true
	case !c.Complete:
		return TakeSeats, false
	case c.Settings.Look == policy.LookBefore && !c.Looked:
		return LookAtSeats, false
	}
	return SubmitSeats, false
}

// Submitted is the state that handing in leads to.
func (c *SeatCase) Submitted() SeatState {
	if c.Settings.Look == policy.LookAfter {
		return SeatsIn
	}
	return SeatsDone
}

// why returns the reason against an act, or "". Instead: it is done for the family.
func (c *SeatCase) why(act SeatAct, instead bool) Why {
	r := &c.Relation
	switch act {
	case ViewSeats:
		if r.Self || r.Guardian || r.Counsels || r.Counselor || r.Office {
			return ""
		}
		return NotYours
	case TakeSeats, SubmitSeats:
		if !instead && !r.edits(&c.Settings) {
			return NotYours
		}
	default:
		if !r.decides(&c.Settings) {
			return NotYours
		}
	}
	if act == ChangeOn {
		return ""
	}
	family := (act == TakeSeats || act == SubmitSeats) && !instead
	switch c.Window.Phase(c.Now) {
	case NoWindow:
		return NoWindowYet
	case Before:
		if family {
			return NotOpenYet
		}
	case Late:
		if family {
			return Closed
		}
	case Over:
		if family {
			return Closed
		}
		return ClosedForAll
	}
	switch act {
	case TakeSeats:
		if c.State != Choosing {
			return Locked
		}
	case SubmitSeats:
		switch {
		case c.State != Choosing:
			return AlreadyDone
		case !c.Complete:
			return NotReady
		case c.Settings.Look == policy.LookBefore && !c.Looked:
			return NotLookedAt
		}
	case LookAtSeats:
		switch {
		case c.Settings.Look == policy.LookNone:
			return NotNeeded
		case c.Settings.Look == policy.LookAfter && c.State == Choosing:
			return NothingSubmitted
		case c.State == SeatsDone || c.State == Choosing && c.Looked:
			return AlreadyDone
		case !c.Complete:
			return NotReady
		}
	case ReturnSeats:
		if c.State == Choosing {
			return NothingSubmitted
		}
	}
	return ""
}
