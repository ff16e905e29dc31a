package acts

import "rubricon/core/policy"

// Signatures are those under one submission.
type Signatures struct {
	Guardians int  // how many guardians have signed
	For       bool // someone who may has signed for the family, for example on paper
}

// Settle reports in which state a sheet is after a submission, a signature or a decision, the school's settings
// making it go on on its own: a submission becomes signed when enough guardians have signed, or none need to;
// what is signed becomes cleared when the school wants no look after it, nothing is still to do, and no one
// in the family asks for a change or refuses to sign.
func Settle(s State, set policy.Settings, guardians int, signed Signatures, ready, asked bool) State {
	if s == Submitted {
		enough := signed.For
		switch set.Signing {
		case policy.NoneSigns:
			enough = true
		case policy.OneSigns:
			enough = enough || signed.Guardians > 0
		case policy.AllSign:
			enough = enough || signed.Guardians > 0 && signed.Guardians >= guardians
		}
		if enough {
			s = Signed
		}
	}
	if s == Signed && set.Look != policy.LookAfter && ready && !asked {
		s = Cleared
	}
	return s
}

// Next is what happens next with a sheet, and so whose turn it is.
type Next string

// What can come next.
const (
	NextWindow    Next = "noWindow"     // the school says when it opens
	NextOpens     Next = "opens"        // the window opens
	NextFill      Next = "inProgress"   // anyone who edits it fills and submits it
	NextMend      Next = "sentBack"     // anyone who edits it changes and submits it again
	NextLook      Next = "look"         // the counselor looks, then it can be submitted
	NextSubmit    Next = "submitNow"    // it can be submitted
	NextAgain     Next = "changed"      // it is submitted again, or what was submitted stands
	NextSign      Next = "submitted"    // a guardian signs
	NextSignFor   Next = "noGuardian"   // there is no guardian on file: a counselor signs
	NextSignPaper Next = "signOnPaper"  // the window has closed for families: the office records a signature
	NextClear     Next = "signed"       // the counselor clears it
	NextPlace     Next = "cleared"      // the school places it
	NextResult    Next = "placed"       // nothing
	NextAsk       Next = "closedMayAsk" // closed; the family may ask for a change
	NextNothing   Next = "closed"       // closed; what was submitted stands
)

// NextOf reports what comes next.
func NextOf(c *Case) Next {
	phase := c.Window.Phase(c.Now)
	closed := phase == Late || phase == Over
	if closed && (!c.State.HandedIn() || c.Changed) {
		if phase == Late && c.Settings.Late == policy.AskLate {
			return NextAsk
		}
		return NextNothing
	}
	switch c.State {
	case InProgress, SentBack:
		switch {
		case phase == NoWindow:
			return NextWindow
		case phase == Before:
			return NextOpens
		case c.Complete && c.Settings.Look == policy.LookBefore && !c.Looked:
			return NextLook
		case c.Complete && c.State == InProgress:
			return NextSubmit
		case c.State == SentBack:
			return NextMend
		}
		return NextFill
	case Placed:
		return NextResult
	case Cleared:
		return NextPlace
	}
	switch {
	case c.Changed:
		return NextAgain
	case c.State == Signed:
		return NextClear
	case c.Guardians == 0:
		return NextSignFor
	case closed:
		return NextSignPaper
	}
	return NextSign
}
