package acts

import (
	"strings"
	"testing"

	"rubricon/core/policy"
)

// What everybody may do with a choice of seats, in order: view, take, look, submit, return, change with a date.
func TestSeats(t *testing.T) {
	who := map[string]Relation{"student": student, "guardian": guardian, "counsels": counsels, "colleague": colleague, "office": office, "nobody": nobody, "teacher": {Teaches: true}}
	looks := map[string]policy.Look{"after": policy.LookAfter, "before": policy.LookBefore, "none": policy.LookNone}
	phases := map[string]Phase{"no": NoWindow, "early": Before, "open": Open, "late": Late, "over": Over}
	// Who, when, the school's look, the state: choosing (an open week), full, looked (full and agreed to), submitted, done; then the answers.
	for _, row := range strings.Split(strings.TrimSpace(`
student   no    before choosing  +wfwff
student   early before choosing  +ofoff
student   open  before choosing  ++fRff
student   late  before choosing  +cfcff
student   over  before choosing  +cfcff
student   open  before full      ++fkff
student   open  before looked    ++f+ff
student   open  after  full      ++f+ff
student   open  none   full      ++f+ff
student   open  after  submitted +lfaff
student   open  before done      +lfaff
student   late  none   done      +cfcff
guardian  open  before choosing  +fffff
counsels  no    before choosing  +wwwwr
counsels  early before choosing  +rRRNr
counsels  open  before choosing  +rRRNr
counsels  open  before full      +r+kNr
counsels  open  before looked    +rarNr
counsels  late  before looked    +rarNr
counsels  over  before looked    +xxxxr
counsels  open  after  choosing  +rNRNr
counsels  open  after  full      +rNrNr
counsels  open  after  submitted +l+arr
counsels  late  after  submitted +l+arr
counsels  open  after  seen      +l+arr
counsels  open  after  done      +laarr
counsels  open  none   full      +rnrNr
counsels  open  none   done      +lnarr
office    open  before full      +r+kNr
colleague open  before full      +fffff
teacher   open  before full      ffffff
nobody    open  before full      ffffff
nobody    no    before full      ffffff`), "\n") {
		f := strings.Fields(row)
		c := seatCase(who[f[0]], looks[f[2]], phases[f[1]], f[3])
		got := ""
		for _, a := range OfSeats(&c) {
			got += string(letter(a))
		}
		if got != f[4] {
			t.Errorf("%s: %s", row, got)
		}
	}
	families := seatCase(guardian, policy.LookBefore, Open, "choosing")
	families.Settings.Editors = policy.FamilyEdits
	if a := OfSeats(&families); !a[TakeSeats].Allowed || a[TakeSeats].Reason {
		t.Errorf("a guardian, where families choose: %+v", a)
	}
	school := seatCase(colleague, policy.LookBefore, Open, "full")
	school.Settings.Counselors = policy.WholeSchool
	if a := OfSeats(&school); !a[LookAtSeats].Allowed {
		t.Errorf("any counselor, where they decide for the whole school: %+v", a)
	}
}

func seatCase(r Relation, look policy.Look, phase Phase, state string) SeatCase {
	c := SeatCase{Relation: r, Settings: policy.Settings{Look: look}, Window: window, Now: moments[phase], State: Choosing}
	if phase == NoWindow {
		c.Window = Window{}
	}
	switch state {
	case "full":
		c.Complete = true
	case "looked":
		c.Complete, c.Looked = true, true
	case "seen": // looked at before it was submitted
		c.Complete, c.Looked, c.State = true, true, SeatsIn
	case "submitted":
		c.Complete, c.State = true, SeatsIn
	case "done":
		c.Complete, c.State = true, SeatsDone
	}
	return c
}

// What comes next, and where handing in leads.
func TestWhatComesNextWithSeats(t *testing.T) {
	for _, x := range []struct {
		look    policy.Look
		state   string
		next    SeatAct
		nothing bool
	}{
		{policy.LookBefore, "choosing", TakeSeats, false}, {policy.LookBefore, "full", LookAtSeats, false}, {policy.LookBefore, "looked", SubmitSeats, false}, {policy.LookBefore, "done", 0, true},
		{policy.LookAfter, "full", SubmitSeats, false}, {policy.LookAfter, "submitted", LookAtSeats, false}, {policy.LookNone, "full", SubmitSeats, false}, {policy.LookNone, "done", 0, true},
	} {
		c := seatCase(student, x.look, Open, x.state)
		if next, nothing := c.Next(); next != x.next || nothing != x.nothing {
			t.Errorf("%v %s: %v %v", x.look, x.state, next, nothing)
		}
	}
	none := seatCase(student, policy.LookBefore, NoWindow, "choosing")
	if _, nothing := none.Next(); !nothing {
		t.Error("something comes next without a window")
	}
	for look, want := range map[policy.Look]SeatState{policy.LookAfter: SeatsIn, policy.LookBefore: SeatsDone, policy.LookNone: SeatsDone} {
		c := seatCase(student, look, Open, "looked")
		if got := c.Submitted(); got != want {
			t.Errorf("%v leads to %s", look, got)
		}
	}
	for _, act := range SeatActs() {
		if act.String() == "" {
			t.Errorf("act %d has no name", act)
		}
	}
}
