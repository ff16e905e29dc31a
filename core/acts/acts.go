// Package acts decides what may be done with a sheet. From what a person is to the student, the state of the
// sheet, the window, the school's settings and what was found of the sheet, Of gives every act: allowed, or
// why not. The server guards with it, and the screens show it; nothing else decides.
//
//	answers := acts.Of(&acts.Case{Relation: acts.Relation{Self: true}, State: acts.InProgress, Window: w, Now: now, Complete: true})
//	answers[acts.Submit] // {Allowed: true}
package acts

import (
	"time"

	"rubricon/core/policy"
)

// Act is something a person may want to do with a sheet.
type Act uint8

// The acts.
const (
	View         Act = iota
	Edit             // put courses on it, take them off, put them in order
	Undo             // take the latest edit back
	Redo             // make it again
	Submit           // hand it in; also again after a change
	Sign             // as a guardian; or for the family, by who may decide
	Ask              // the family asks for a change
	Look             // agree that it may be submitted, where the school wants that
	Decide           // confirm or decline a claim, waive a condition, tick off an errand
	SendBack         // return it to the family with a message
	Approve          // accept what was submitted
	Reopen           // take the clearance back
	Plan             // plan for later years, which is no part of the sheet
	SeeFiles         // see what goes with claims
	Remark           // ask or say something about it
	Reply            // answer what a family asks or says
	EditSummer       // put courses of the summer round on it; like Edit where the round has no window of its own
	SubmitSummer     // hand in what is requested for the summer, on its own
	Recommend        // say, as a teacher of the student, which course should come next
	Prepare          // as the school: remind, and what is done with many sheets at once; also to take that back
	Take             // take the student, as who leads a course, into it, or not
	count
)

// All lists the acts.
func All() []Act {
	list := make([]Act, count)
	for i := range list {
		list[i] = Act(i)
	}
	return list
}

var names = [count]string{"view", "edit", "undo", "redo", "submit", "sign", "ask", "look", "decide", "sendBack",
	"clear", "reopen", "plan", "seeFiles", "remark", "reply", "editSummer", "submitSummer", "recommend", "prepare", "take"}

func (a Act) String() string { return names[a] }

// State is where a sheet is.
type State string

// The states.
const (
	InProgress State = "inProgress"
	SentBack   State = "sentBack" // in progress again, with a message
	Submitted  State = "submitted"
	Signed     State = "signed"
	Cleared    State = "cleared"
	Placed     State = "placed"
)

// HandedIn reports whether the school has a submission that stands.
func (s State) HandedIn() bool {
	return s == Submitted || s == Signed || s == Cleared || s == Placed
}

func (s State) locked() bool { return s == Cleared || s == Placed }

// Stood returns how far a sheet has come, placed or not: a school may place what is not signed or approved
// yet, and that stays so. before is the state in which it was placed.
func (s State) Stood(before State) State {
	if s == Placed && before != "" {
		return before
	}
	return s
}

// Kind is what lies in front of someone.
type Kind uint8

// The kinds.
const (
	TheSheet Kind = iota
	ADraft        // a copy that the family works on at any time and no one hands in
	WhatWas       // the sheet as it was, for looking at
)

// has reports whether an act can be done with something of a kind at all.
func (k Kind) has(act Act) bool {
	switch k {
	case ADraft:
		return act == View || act == Edit || act == EditSummer || act == Undo || act == Redo || act == SeeFiles || act == Remark
	case WhatWas:
		return act == View
	}
	return true
}

// Relation is what a person is to a student. Teachers of the student recommend, who leads a course takes
// students into it; they see nothing of the sheet.
type Relation struct {
	Self      bool // the student
	Guardian  bool // of this student
	Teaches   bool // this student, now
	Leads     bool // the course that the student is to be taken into
	Counsels  bool // this student is in their caseload
	Counselor bool // counsels students of the school
	Office    bool // administers the school
}

func (r Relation) decides(s *policy.Settings) bool {
	return r.Office || r.Counsels || r.Counselor && s.Counselors == policy.WholeSchool
}

func (r Relation) edits(s *policy.Settings) bool {
	return r.Self && s.Editors != policy.FamilyEdits || r.Guardian && s.Editors != policy.StudentEdits
}

// Answer is what is said of one act.
type Answer struct {
	Allowed bool
	Why     Why  // where it is not allowed
	Reason  bool // it is done for the family, or against what was, and needs a reason
}

// Answers has one answer for each act.
type Answers [count]Answer

// Case is all that bears on what may be done.
type Case struct {
	Relation Relation
	Kind     Kind
	State    State
	Before   State // in which it was placed; empty: it is not, or was approved
	Changed  bool  // the sheet differs from what was submitted
	Window   Window
	Now      time.Time
	Settings policy.Settings
	Stale    bool // the person has looked at an older version

	Guardians      int  // on file
	SignedByReader bool // this submission
	Looked         bool // a counselor has agreed to what is on the sheet now
	Undoable       bool // there is an edit to take back
	Redoable       bool // the latest acts were undoing
	OthersEdit     bool // the edit to take back is somebody else's
	OthersUndo     bool // the undoing to take back is somebody else's
	Asked          bool // the family has asked for a change, and no one has answered
	Complete       bool // nothing is still to do but what waits for a person
	Ready          bool // nothing is still to do at all

	Summer Summer
}

// Of answers for every act.
func Of(c *Case) (a Answers) {
	for act := range a {
		phase := c.phase(Act(act))
		if why := c.why(Act(act), phase, false); why == "" {
			a[act] = Answer{Allowed: true, Reason: c.needsReason(Act(act))}
			continue
		} else if a[act].Why = why; !forFamily(Act(act)) {
			continue
		}
		// Who decides may do it for the family, with a reason.
		if other := c.why(Act(act), phase, true); other == "" {
			a[act] = Answer{Allowed: true, Reason: true}
		} else if a[act].Why == NotYours {
			a[act].Why = other
		}
	}
	return a
}

// needsReason reports whether an act of the school must say why: it decides something, takes something back, or
// clears against what the family asks for.
func (c *Case) needsReason(a Act) bool {
	return a == Decide || a == Reopen || a == Approve && c.Asked
}

// forFamily reports whether an act of the family can be done for it.
func forFamily(a Act) bool {
	return a == Edit || a == Undo || a == Redo || a == Submit || a == Sign || a == EditSummer || a == SubmitSummer
}

// why returns the reason against an act, or "". Instead: it is to be done for the family.
func (c *Case) why(act Act, phase Phase, instead bool) Why {
	if !c.Kind.has(act) {
		return NotTheSheet
	}
	if !c.may(act, phase, instead) {
		return NotYours
	}
	if act == SubmitSummer && !c.Summer.Apart() {
		return NotNeeded
	}
	if why := c.outOfTime(act, phase, instead); why != "" {
		return why
	}
	if why := c.unneeded(act, instead); why != "" {
		return why
	}
	if c.done(act, instead) {
		return AlreadyDone
	}
	if c.Stale && !timeless(act) {
		return Stale
	}
	return c.unfit(act)
}

// may reports whether an act is this person's at all.
func (c *Case) may(act Act, phase Phase, instead bool) bool {
	r := c.Relation
	if instead { // but a draft is the family's own
		return c.Kind == TheSheet && r.decides(&c.Settings)
	}
	switch act {
	case View:
		return r.Self || r.Guardian || r.Counsels || r.Counselor || r.Office
	case Edit, EditSummer, Undo, Redo, Submit, SubmitSummer:
		return r.edits(&c.Settings)
	case Sign:
		return r.Guardian
	case Recommend:
		return r.Teaches
	case Take:
		return r.Leads
	case Plan, SeeFiles, Remark:
		return r.Self || r.Guardian || r.decides(&c.Settings)
	case Ask: // a student who can change the sheet need not ask
		return r.Guardian || r.Self && phase == Late
	}
	return r.decides(&c.Settings)
}

// timeless reports whether an act can be done whatever the window says, and whatever version was looked at.
func timeless(a Act) bool {
	return a == View || a == Plan || a == SeeFiles || a == Remark || a == Reply
}

// outOfTime is the reason why an act cannot be done now.
func (c *Case) outOfTime(act Act, phase Phase, instead bool) Why {
	if timeless(act) || c.Kind == ADraft {
		return ""
	}
	if c.State == Placed && (act == Sign || act == Approve) && !c.done(act, instead) { // what was placed without it can still be given
		return ""
	}
	family := !instead && forFamily(act) || act == Ask
	switch phase {
	case NoWindow:
		if family {
			return NoWindowYet
		}
	case Before:
		if family {
			return NotOpenYet
		}
	case Late:
		if family && (act != Ask || c.Settings.Late == policy.NotLate) {
			return Closed
		}
	case Over:
		if family {
			return Closed
		}
		return ClosedForAll
	}
	return ""
}

// unneeded is the reason why the school's settings have no such act.
func (c *Case) unneeded(act Act, instead bool) Why {
	s := &c.Settings
	switch act {
	case Sign:
		if s.Signing == policy.NoneSigns {
			return NotNeeded
		}
		if instead && s.NoPaper && c.Guardians > 0 {
			return NoPaper
		}
	case Look:
		if s.Look != policy.LookBefore {
			return NotNeeded
		}
	case Approve: // what is signed and was not approved on its own waits for a person
		if s.Look != policy.LookAfter && c.State.Stood(c.Before) != Signed {
			return NotNeeded
		}
	}
	return ""
}

// done reports whether doing the act again would change nothing.
func (c *Case) done(act Act, instead bool) bool {
	switch act {
	case Submit:
		return c.State.HandedIn() && !c.Changed
	case Sign:
		stood := c.State.Stood(c.Before)
		return stood == Signed || stood.locked() || c.SignedByReader && !instead && stood == Submitted
	case Look:
		return c.Looked
	case Approve:
		return c.State.Stood(c.Before).locked()
	case SubmitSummer:
		return c.Summer.Handed
	}
	return false
}

// unfit is the reason for which the sheet is not in a state for the act.
func (c *Case) unfit(act Act) Why {
	switch act {
	case EditSummer:
		if !c.Summer.Apart() && c.State.locked() {
			return Locked
		}
	case SubmitSummer:
		if !c.Summer.Asked {
			return NotNeeded
		}
		if !c.Summer.Complete {
			return NotReady
		}
	case Edit, Undo, Redo:
		if c.State.locked() {
			return Locked
		}
		if act == Undo && !c.Undoable {
			return NothingToUndo
		}
		if act == Redo && !c.Redoable {
			return NothingToRedo
		}
		if act == Undo && c.OthersEdit || act == Redo && c.OthersUndo {
			return OthersAct
		}
	case Submit:
		switch {
		case c.State.locked():
			return Locked
		case !c.Complete:
			return NotReady
		case c.Settings.Look == policy.LookBefore && !c.Looked:
			return NotLookedAt
		}
	case Sign:
		return c.standing()
	case Ask:
		if c.Window.Phase(c.Now) == Late {
			return ""
		}
		if c.State.locked() {
			return Locked
		}
		if !c.State.HandedIn() {
			return NothingSubmitted
		}
	case Look:
		if c.State.HandedIn() && !c.Changed {
			return NotNeeded
		}
		if !c.Complete {
			return NotReady
		}
	case Prepare, Take:
		if c.State == Placed {
			return Locked
		}
	case SendBack:
		if c.State == Placed {
			return Locked
		}
		if !c.State.HandedIn() {
			return NothingSubmitted
		}
	case Approve:
		if why := c.standing(); why != "" {
			return why
		}
		if c.State.Stood(c.Before) == Submitted {
			return NotSigned
		}
		if !c.Ready {
			return NotReady
		}
	case Reopen:
		if c.State != Cleared {
			return NotCleared
		}
	}
	return ""
}

// standing is the reason why there is no submission that stands for what is on the sheet.
func (c *Case) standing() Why {
	if !c.State.HandedIn() {
		return NothingSubmitted
	}
	if c.Changed {
		return ChangedSince
	}
	return ""
}
