package acts

import (
	"strings"
	"testing"

	"rubricon/core/policy"
)

// What everybody may do with a choice of seats, in order: view, take, look, submit, return.
func TestSeats(t *testing.T) {
	who := map[string]Relation{"student": student, "guardian": guardian, "counsels": counsels, "colleague": colleague, "office": office, "nobody": nobody, "teacher": {Teaches: true}}
	looks := map[string]policy.Look{"after": policy.LookAfter, "before": policy.LookBefore, "none": policy.LookNone}
	phases := map[string]Phase{"no": NoWindow, "early": Before, "open": Open, "late": Late, "over": Over}
	// Who, when, the school's look, the state: choosing (an open week), full, looked (full and agreed to), submitted, done; then the answers.
	for _, row := range strings.Split(strings.TrimSpace(`
student   no    before choosing  +wfwf
student   early before choosing  +ofof
student   open  before choosing  ++fRf
student   late  before choosing  +cfcf
student   over  before choosing  +cfcf
student   open  before full      ++fkf
student   open  before looked    ++f+f
student   open  after  full      ++f+f
student   open  none   full      ++f+f
student   open  after  submitted +lfaf
student   open  before done      +lfaf
student   late  none   done      +cfcf
guardian  open  before choosing  +ffff
counsels  no    before choosing  +wwww
counsels  early before choosing  +rRRN
counsels  open  before choosing  +rRRN
counsels  open  before full      +r+kN
counsels  open  before looked    +rarN
counsels  late  before looked    +rarN
counsels  over  before looked    +xxxx
counsels  open  after  choosing  +rNRN
counsels  open  after  full      +rNrN
counsels  open  after  submitted +l+ar
counsels  late  after  submitted +l+ar
counsels  open  after  done      +laar
counsels  open  none   full      +rnrN
counsels  open  none   done      +lnar
office    open  before full      +r+kN
colleague open  before full      +ffff
teacher   open  before full      fffff
nobody    open  before full      fffff
nobody    no    before full      fffff`), "\n") {
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
