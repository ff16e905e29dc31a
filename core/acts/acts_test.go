package acts

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/core/policy"
)

var (
	window = Window{day(10), day(20), day(30)}
	// moments are one in each phase.
	moments = []time.Time{NoWindow: day(15), Before: day(9), Open: day(15), Late: day(25), Over: day(40)}
)

func day(n int) time.Time { return time.Date(2027, 3, 0, 8, 0, 0, 0, time.UTC).AddDate(0, 0, n) }

// letters write an answer as one letter.
var letters = map[Why]byte{NotYours: 'f', NoWindowYet: 'w', NotOpenYet: 'o', Closed: 'c', ClosedForAll: 'x', NotNeeded: 'n', NoPaper: 'p', AlreadyDone: 'a',
	Stale: 's', Locked: 'l', NothingSubmitted: 'N', ChangedSince: 'h', NotSigned: 'g', NotCleared: 'C', NothingToUndo: 'u', NothingToRedo: 'd', NotLookedAt: 'k', NotReady: 'R', NotTheSheet: 't', OthersAct: 'O'}

func letter(a Answer) byte {
	switch {
	case a.Allowed && a.Why != "", !a.Allowed && a.Reason:
		return '!'
	case a.Allowed && a.Reason:
		return 'r'
	case a.Allowed:
		return '+'
	}
	return letters[a.Why]
}

var (
	student   = Relation{Self: true}
	guardian  = Relation{Guardian: true}
	counsels  = Relation{Counsels: true, Counselor: true}
	office    = Relation{Office: true}
	colleague = Relation{Counselor: true}
	nobody    = Relation{}
)

// stateNames writes a sheet that was changed since with a star.
var stateNames = []string{"progress", "back", "submitted", "submitted*", "signed", "signed*", "cleared", "placed"}

func setState(c *Case, name string) {
	name, c.Changed = strings.CutSuffix(name, "*")
	c.State = map[string]State{"progress": InProgress, "back": SentBack, "submitted": Submitted, "signed": Signed, "cleared": Cleared, "placed": Placed}[name]
}

// finished is a sheet of which everything holds.
func finished(r Relation, s policy.Settings) Case {
	return Case{Relation: r, Settings: s, Guardians: 2, Undoable: true, Redoable: true, Complete: true, Ready: true, Looked: false}
}

// A table says, for acts (a list) and states (a list, or "any"), what is answered without a window, before it, in it, when it has
// closed for families, and when it has closed for all.
type table string

// holds compares every cell of every act with the tables; each cell must be in exactly one line.
func holds(t *testing.T, name string, r Relation, s policy.Settings, change func(*Case), text table) {
	t.Helper()
	want := map[string]string{}
	for line := range strings.Lines(string(text)) {
		cells := strings.Fields(line)
		if len(cells) == 0 {
			continue
		}
		states := strings.Split(cells[1], ",")
		if cells[1] == "any" {
			states = stateNames
		}
		for _, act := range strings.Split(cells[0], ",") {
			for _, state := range states {
				if _, twice := want[act+" "+state]; twice {
					t.Fatalf("%s: %s %s is in the table twice", name, act, state)
				}
				want[act+" "+state] = cells[2]
			}
		}
	}
	for _, act := range All() {
		for _, state := range stateNames {
			got, kind := "", TheSheet
			for phase, now := range moments {
				c := finished(r, s)
				c.Now, c.Window = now, window
				if Phase(phase) == NoWindow {
					c.Window = Window{}
				}
				setState(&c, state)
				if change != nil {
					change(&c)
				}
				got, kind = got+string(letter(Of(&c)[act])), c.Kind
			}
			if act == Recommend && !r.Teaches || act == Take && !r.Leads || act == Prepare && want["prepare "+state] == "" { // no one else does that; who prepares is in the tables
				want[fmt.Sprint(act, " ", state)] = map[Kind]string{TheSheet: "fffff", ADraft: "ttttt", WhatWas: "ttttt"}[kind]
			}
			if key := fmt.Sprint(act, " ", state); got != want[key] {
				t.Errorf("%s: %s is answered %s, want %s", name, key, got, want[key])
			}
		}
	}
}

const (
	onlySees = `view any +++++
		plan,seeFiles,remark,reply,edit,editSummer,undo,redo,submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen any fffff`
	decides = `view,plan,seeFiles,remark,reply any +++++
		submitSummer any nnnnn
		edit,editSummer,undo,redo progress,back,submitted,submitted*,signed,signed* rrrrx
		edit,editSummer,undo,redo cleared,placed llllx
		submit progress,back,submitted*,signed* rrrrx
		submit submitted,signed,cleared,placed aaaax
		sign progress,back NNNNx
		sign submitted rrrrx
		sign submitted* hhhhx
		sign signed,signed*,cleared,placed aaaax
		ask any fffff
		look any nnnnx
		decide any rrrrx
		sendBack progress,back NNNNx
		sendBack submitted,submitted*,signed,signed*,cleared ++++x
		sendBack placed llllx
		clear progress,back NNNNx
		clear submitted ggggx
		clear submitted*,signed* hhhhx
		clear signed ++++x
		clear cleared,placed aaaax
		prepare progress,back,submitted,submitted*,signed,signed*,cleared ++++x
		prepare placed llllx
		reopen progress,back,submitted,submitted*,signed,signed*,placed CCCCx
		reopen cleared rrrrx`
	edits = `submitSummer any nnnnn
		edit,editSummer,undo,redo progress,back,submitted,submitted*,signed,signed* wo+cc
		edit,editSummer,undo,redo cleared,placed wolcc
		submit progress,back,submitted*,signed* wo+cc
		submit submitted,signed,cleared,placed woacc
		`
	signs = `sign progress,back woNcc
		sign submitted wo+cc
		sign submitted* wohcc
		sign signed,signed*,cleared,placed woacc
		ask progress,back woN+c
		ask submitted,submitted*,signed,signed* wo++c
		ask cleared,placed wol+c
		look,decide,sendBack,clear,reopen any fffff
		`
)

func TestByDefault(t *testing.T) {
	var s policy.Settings
	holds(t, "the student", student, s, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\n"+edits+"ask any fff+f\nsign,look,decide,sendBack,clear,reopen any fffff")
	holds(t, "a guardian", guardian, s, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs)
	holds(t, "the counselor", counsels, s, nil, decides)
	holds(t, "the office", office, s, nil, decides)
	holds(t, "a counselor of others", colleague, s, nil, onlySees)
	holds(t, "somebody else", nobody, s, nil, "view,plan,seeFiles,remark,reply,edit,editSummer,undo,redo,submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen any fffff")
}

func TestWhoEdits(t *testing.T) {
	family := policy.Settings{Editors: policy.FamilyEdits}
	holds(t, "the family edits: the student", student, family, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\nask any fff+f\nedit,editSummer,undo,redo,submit,submitSummer,sign,look,decide,sendBack,clear,reopen any fffff")
	holds(t, "the family edits: a guardian", guardian, family, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\n"+edits+signs)
	holds(t, "the family edits: the counselor", counsels, family, nil, decides)
	either := policy.Settings{Editors: policy.EitherEdits}
	holds(t, "either edits: the student", student, either, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\n"+edits+"ask any fff+f\nsign,look,decide,sendBack,clear,reopen any fffff")
	holds(t, "either edits: a guardian", guardian, either, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\n"+edits+signs)
}

func TestCounselorsOfTheWholeSchool(t *testing.T) {
	s := policy.Settings{Counselors: policy.WholeSchool}
	holds(t, "a counselor of others", colleague, s, nil, decides)
	holds(t, "the counselor", counsels, s, nil, decides)
}

// A counselor who is a guardian of the student signs and asks as a guardian, without a reason.
func TestTwoHats(t *testing.T) {
	both := Relation{Guardian: true, Counsels: true, Counselor: true}
	c := finished(both, policy.Settings{})
	c.Window, c.Now, c.State = window, moments[Open], Submitted
	if a := Of(&c); letter(a[Sign]) != '+' || letter(a[Ask]) != '+' || letter(a[Edit]) != 'r' {
		t.Errorf("in the window: %v", a)
	}
	c.Now = moments[Late]
	if a := Of(&c); letter(a[Sign]) != 'r' {
		t.Errorf("after it has closed for families, signing is answered %v", a[Sign])
	}
}

// variant replaces lines of a table by others for the same acts.
func variant(base, lines string) table {
	replaced := map[string]bool{}
	for line := range strings.Lines(lines) {
		for _, act := range strings.Split(strings.Fields(line)[0], ",") {
			replaced[act] = true
		}
	}
	var out []string
	for line := range strings.Lines(base) {
		cells := strings.Fields(line)
		if len(cells) == 0 {
			continue
		}
		var left []string
		for _, act := range strings.Split(cells[0], ",") {
			if !replaced[act] {
				left = append(left, act)
			}
		}
		if len(left) > 0 {
			out = append(out, strings.Join(left, ",")+" "+strings.Join(cells[1:], " "))
		}
	}
	return table(strings.Join(out, "\n") + "\n" + lines)
}

func TestSettingsOfSigning(t *testing.T) {
	none := policy.Settings{Signing: policy.NoneSigns}
	holds(t, "nobody signs: a guardian", guardian, none, nil, variant("view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs, "sign any woncc"))
	holds(t, "nobody signs: the counselor", counsels, none, nil, variant(decides, "sign any nnnnx"))
	paperless := policy.Settings{NoPaper: true}
	holds(t, "no paper: the office", office, paperless, nil, variant(decides, "sign any ppppx"))
	holds(t, "no paper, no guardian on file: the office", office, paperless, func(c *Case) { c.Guardians = 0 }, decides)
	all := policy.Settings{Signing: policy.AllSign}
	signed := func(c *Case) { c.SignedByReader = true }
	again := "sign progress,back woNcc\nsign submitted,signed,signed*,cleared,placed woacc\nsign submitted* woacc"
	holds(t, "all sign: one who has", guardian, all, signed, variant("view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs, again))
	holds(t, "all sign: one who has not", guardian, all, nil, "view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs)
	holds(t, "all sign: the counselor for the rest", counsels, all, signed, decides)
}

func TestSettingsOfTheLook(t *testing.T) {
	before := policy.Settings{Look: policy.LookBefore}
	looked := func(c *Case) { c.Looked = true }
	// What is signed and has not approved itself waits for a person, whatever the school wants.
	byHand := "clear progress,back,submitted,submitted*,cleared,placed nnnnx\nclear signed ++++x\nclear signed* hhhhx\n"
	looks := byHand + "look progress,back,submitted*,signed* ++++x\nlook submitted,signed,cleared,placed nnnnx\n" +
		"submit progress,back,submitted*,signed* kkkkx\nsubmit submitted,signed,cleared,placed aaaax"
	holds(t, "look before: the counselor", counsels, before, nil, variant(decides, looks))
	holds(t, "looked: the counselor", counsels, before, looked, variant(decides, byHand+"look any aaaax"))
	must := "submit progress,back,submitted*,signed* wokcc\nsubmit submitted,signed,cleared,placed woacc"
	base := "view,plan,seeFiles,remark any +++++\nreply any fffff\n" + edits + "ask any fff+f\nsign,look,decide,sendBack,clear,reopen any fffff"
	holds(t, "look before: the student", student, before, nil, variant(base, must))
	holds(t, "looked: the student", student, before, looked, table(base))
	none := policy.Settings{Look: policy.LookNone}
	holds(t, "no look: the counselor", counsels, none, nil, variant(decides, byHand))
	holds(t, "no look: the student", student, none, nil, table(base))
}

func TestNoLateChanges(t *testing.T) {
	s := policy.Settings{Late: policy.NotLate}
	no := "ask progress,back woNcc\nask submitted,submitted*,signed,signed* wo+cc\nask cleared,placed wolcc"
	holds(t, "a guardian", guardian, s, nil, variant("view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs, no))
	holds(t, "the student", student, s, nil, variant("view,plan,seeFiles,remark any +++++\nreply any fffff\n"+edits+"ask any fff+f\nsign,look,decide,sendBack,clear,reopen any fffff", "ask any fffcf"))
}

func TestWhatWasFound(t *testing.T) {
	var s policy.Settings
	base := "view,plan,seeFiles,remark any +++++\nreply any fffff\n" + edits + "ask any fff+f\nsign,look,decide,sendBack,clear,reopen any fffff"
	holds(t, "something to do: the student", student, s, func(c *Case) { c.Complete, c.Ready = false, false },
		variant(base, "submit progress,back,submitted*,signed* woRcc\nsubmit submitted,signed,cleared,placed woacc"))
	holds(t, "a claim is open: the student", student, s, func(c *Case) { c.Ready = false }, table(base))
	holds(t, "a claim is open: the counselor", counsels, s, func(c *Case) { c.Ready = false },
		variant(decides, "clear progress,back NNNNx\nclear submitted ggggx\nclear submitted*,signed* hhhhx\nclear signed RRRRx\nclear cleared,placed aaaax"))
	holds(t, "nothing to undo", student, s, func(c *Case) { c.Undoable = false },
		variant(base, "edit,redo progress,back,submitted,submitted*,signed,signed* wo+cc\nedit,redo cleared,placed wolcc\n"+
			"undo progress,back,submitted,submitted*,signed,signed* woucc\nundo cleared,placed wolcc"))
	holds(t, "nothing to make again", student, s, func(c *Case) { c.Redoable = false },
		variant(base, "edit,undo progress,back,submitted,submitted*,signed,signed* wo+cc\nedit,undo cleared,placed wolcc\n"+
			"redo progress,back,submitted,submitted*,signed,signed* wodcc\nredo cleared,placed wolcc"))
	holds(t, "the latest edit is somebody else's", student, s, func(c *Case) { c.OthersEdit = true },
		variant(base, "edit,redo progress,back,submitted,submitted*,signed,signed* wo+cc\nedit,redo cleared,placed wolcc\n"+
			"undo progress,back,submitted,submitted*,signed,signed* woOcc\nundo cleared,placed wolcc"))
	holds(t, "the latest undoing is somebody else's", student, s, func(c *Case) { c.OthersUndo = true },
		variant(base, "edit,undo progress,back,submitted,submitted*,signed,signed* wo+cc\nedit,undo cleared,placed wolcc\n"+
			"redo progress,back,submitted,submitted*,signed,signed* woOcc\nredo cleared,placed wolcc"))
	asks := func(c *Case) { c.Asked = true }
	holds(t, "the family asks: the counselor", counsels, s, asks,
		variant(decides, "clear progress,back NNNNx\nclear submitted ggggx\nclear submitted*,signed* hhhhx\nclear signed rrrrx\nclear cleared,placed aaaax"))
	holds(t, "the family asks: a guardian", guardian, s, asks, "view,plan,seeFiles,remark any +++++\nreply any fffff\nedit,editSummer,undo,redo,submit,submitSummer any fffff\n"+signs)
	before := policy.Settings{Look: policy.LookBefore}
	unready := Case{Relation: counsels, State: InProgress, Window: window, Now: moments[Open], Settings: before}
	if got := letter(Of(&unready)[Look]); got != 'R' {
		t.Errorf("agreeing to an unfinished sheet is answered %c", got)
	}
}

// What was placed before it was signed or approved can still be signed and approved, whenever that is; nothing else of it is open again.
func TestPlacedBefore(t *testing.T) {
	var s policy.Settings
	for before, want := range map[State]map[string]string{
		Submitted: {"sign guardian": "+++++", "sign counsels": "rrrrr", "sign student": "fffff", "clear counsels": "ggggg", "edit student": "wolcc", "sendBack counsels": "llllx", "submit student": "woacc"},
		Signed:    {"sign guardian": "woacc", "sign counsels": "aaaax", "clear counsels": "+++++", "clear guardian": "fffff", "edit student": "wolcc", "reopen counsels": "CCCCx"},
		Cleared:   {"sign guardian": "woacc", "clear counsels": "aaaax"},
		"":        {"sign guardian": "woacc", "clear counsels": "aaaax"},
	} {
		for cell, answers := range want {
			name, who, _ := strings.Cut(cell, " ")
			act := All()[slices.IndexFunc(All(), func(a Act) bool { return a.String() == name })]
			got := ""
			for phase, now := range moments {
				c := finished(map[string]Relation{"guardian": guardian, "counsels": counsels, "student": student}[who], s)
				c.Now, c.Window, c.State, c.Before = now, window, Placed, before
				if Phase(phase) == NoWindow {
					c.Window = Window{}
				}
				got += string(letter(Of(&c)[act]))
			}
			if got != answers {
				t.Errorf("placed as %q: %s is answered %s, want %s", before, cell, got, answers)
			}
		}
	}
}

// An older version of the sheet is no ground to act on, but what is done already stays done.
func TestAnOlderVersion(t *testing.T) {
	var s policy.Settings
	stale := func(c *Case) { c.Stale = true }
	holds(t, "the student", student, s, stale, `view,plan,seeFiles,remark any +++++
		submitSummer any nnnnn
		edit,editSummer,undo,redo any woscc
		submit progress,back,submitted*,signed* woscc
		submit submitted,signed,cleared,placed woacc
		ask any fffsf
		sign,look,decide,sendBack,clear,reopen,reply any fffff`)
	holds(t, "a guardian", guardian, s, stale, `view,plan,seeFiles,remark any +++++
		edit,editSummer,undo,redo,submit,submitSummer any fffff
		sign progress,back,submitted,submitted* woscc
		sign signed,signed*,cleared,placed woacc
		ask any wossc
		look,decide,sendBack,clear,reopen,reply any fffff`)
	holds(t, "the counselor", counsels, s, stale, `view,plan,seeFiles,remark,reply any +++++
		submitSummer any nnnnn
		edit,editSummer,undo,redo,decide,sendBack,reopen,prepare any ssssx
		submit progress,back,submitted*,signed* ssssx
		submit submitted,signed,cleared,placed aaaax
		sign progress,back,submitted,submitted* ssssx
		sign signed,signed*,cleared,placed aaaax
		ask any fffff
		look any nnnnx
		clear progress,back,submitted,submitted*,signed,signed* ssssx
		clear cleared,placed aaaax`)
}

// Each bound of a window belongs to what it begins (common practice: "closes at 20:00" means 19:59 is open and 20:00 is closed).
func TestBoundsOfAWindow(t *testing.T) {
	for _, c := range []struct {
		at   time.Time
		want Phase
	}{
		{window.Opens.Add(-1), Before}, {window.Opens, Open}, {window.Families.Add(-1), Open}, {window.Families, Late},
		{window.Counselors.Add(-1), Late}, {window.Counselors, Over},
	} {
		if got := window.Phase(c.at); got != c.want {
			t.Errorf("%v is in phase %d, want %d", c.at, got, c.want)
		}
	}
	if got := (Window{}).Phase(day(1)); got != NoWindow {
		t.Errorf("without a window the phase is %d", got)
	}
}

func TestSettle(t *testing.T) {
	const one, none, all = policy.OneSigns, policy.NoneSigns, policy.AllSign
	const after, before, no = policy.LookAfter, policy.LookBefore, policy.LookNone
	for _, c := range []struct {
		state     State
		signing   policy.Signing
		look      policy.Look
		guardians int
		signed    Signatures
		ready     bool
		asked     bool
		want      State
	}{
		{Submitted, one, after, 2, Signatures{}, true, false, Submitted},
		{Submitted, one, after, 2, Signatures{Guardians: 1}, true, false, Signed},
		{Submitted, one, after, 0, Signatures{}, true, false, Submitted},
		{Submitted, one, after, 0, Signatures{For: true}, true, false, Signed},
		{Submitted, none, after, 2, Signatures{}, true, false, Signed},
		{Submitted, none, after, 0, Signatures{}, false, false, Signed},
		{Submitted, all, after, 2, Signatures{Guardians: 1}, true, false, Submitted},
		{Submitted, all, after, 2, Signatures{Guardians: 2}, true, false, Signed},
		{Submitted, all, after, 2, Signatures{Guardians: 1, For: true}, true, false, Signed},
		{Submitted, all, after, 0, Signatures{}, true, false, Submitted},
		{Submitted, all, after, 1, Signatures{Guardians: 2}, true, false, Signed}, // one has left since
		{Signed, one, after, 1, Signatures{Guardians: 1}, true, false, Signed},
		{Signed, one, before, 1, Signatures{Guardians: 1}, true, false, Cleared},
		{Signed, one, no, 1, Signatures{Guardians: 1}, true, false, Cleared},
		{Signed, one, no, 1, Signatures{Guardians: 1}, false, false, Signed},
		{Submitted, none, no, 1, Signatures{}, true, false, Cleared},
		{Submitted, none, no, 1, Signatures{}, false, false, Signed},
		{InProgress, none, no, 1, Signatures{For: true}, true, false, InProgress},
		{SentBack, none, no, 1, Signatures{}, true, false, SentBack},
		{Placed, one, no, 1, Signatures{}, true, false, Placed},
		{Submitted, one, no, 2, Signatures{Guardians: 1}, true, true, Signed}, // the other refuses
		{Signed, none, before, 1, Signatures{}, true, true, Signed},
	} {
		set := policy.Settings{Signing: c.signing, Look: c.look}
		if got := Settle(c.state, set, c.guardians, c.signed, c.ready, c.asked); got != c.want {
			t.Errorf("%+v settles as %s", c, got)
		}
	}
}

func TestWhatComesNext(t *testing.T) {
	// By state: without a window, before it, in it, closed for families, closed for all.
	for state, want := range map[string]string{
		"progress":   "noWindow opens submitNow closedMayAsk closed",
		"back":       "noWindow opens sentBack closedMayAsk closed",
		"submitted":  "submitted submitted submitted signOnPaper signOnPaper",
		"submitted*": "changed changed changed closedMayAsk closed",
		"signed":     "signed signed signed signed signed",
		"signed*":    "changed changed changed closedMayAsk closed",
		"cleared":    "cleared cleared cleared cleared cleared",
		"placed":     "placed placed placed placed placed",
	} {
		for phase, next := range strings.Fields(want) {
			c := finished(student, policy.Settings{})
			c.Window, c.Now = window, moments[phase]
			if Phase(phase) == NoWindow {
				c.Window = Window{}
			}
			setState(&c, state)
			if got := NextOf(&c); string(got) != next {
				t.Errorf("%s in phase %d: next is %s, want %s", state, phase, got, next)
			}
		}
	}
	for _, x := range []struct {
		change func(*Case)
		want   Next
	}{
		{func(c *Case) { c.Complete = false }, NextFill},
		{func(c *Case) { c.State, c.Complete = SentBack, false }, NextMend},
		{func(c *Case) { c.Settings.Look = policy.LookBefore }, NextLook},
		{func(c *Case) { c.Settings.Look, c.Looked = policy.LookBefore, true }, NextSubmit},
		{func(c *Case) { c.Settings.Look, c.Complete = policy.LookBefore, false }, NextFill},
		{func(c *Case) { c.State, c.Guardians = Submitted, 0 }, NextSignFor},
		{func(c *Case) { c.Now, c.Settings.Late = moments[Late], policy.NotLate }, NextNothing},
	} {
		c := finished(student, policy.Settings{})
		c.Window, c.Now, c.State = window, moments[Open], InProgress
		x.change(&c)
		if got := NextOf(&c); got != x.want {
			t.Errorf("%+v: next is %s, want %s", c, got, x.want)
		}
	}
}

func TestInSchool(t *testing.T) {
	for _, c := range []struct {
		who  Relation
		want string // catalog, caseload, people, data, rules, schedule, classes, courses led
	}{
		{student, "+-------"}, {guardian, "+-------"}, {nobody, "+-------"}, {colleague, "++------"}, {office, "++++++--"},
		{Relation{Teaches: true}, "+-----+-"}, {Relation{Leads: true}, "+------+"},
	} {
		got := ""
		for _, act := range []SchoolAct{SeeCatalog, SeeCaseload, ManagePeople, ManageData, ManageRules, Schedule, SeeClasses, LeadCourses, 99} {
			if InSchool(act, c.who) {
				got += "+"
			} else {
				got += "-"
			}
		}
		if got != c.want+"-" {
			t.Errorf("%+v: %s, want %s", c.who, got, c.want)
		}
	}
}

func TestNamesOfActs(t *testing.T) {
	seen := map[string]bool{}
	for _, a := range All() {
		if a.String() == "" || seen[a.String()] {
			t.Errorf("act %d is called %q", a, a)
		}
		seen[a.String()] = true
	}
	if len(seen) != int(count) {
		t.Errorf("All lists %d acts of %d", len(seen), count)
	}
}

func ExampleOf() {
	answers := Of(&Case{Relation: Relation{Self: true}, State: Submitted, Window: window, Now: window.Opens, Complete: true})
	fmt.Println(answers[Edit].Allowed, answers[Submit].Why, answers[Approve].Why)
	// Output: true already-done forbidden
}

// A draft is edited at any time by those who edit the sheet, and by no one in their place, and can be talked about; of what was nothing can be done but looking.
func TestDraftsAndWhatWas(t *testing.T) {
	s := policy.Settings{}
	kind := func(kind Kind) func(*Case) {
		return func(c *Case) { c.Kind = kind }
	}
	const others = "submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen,plan,reply any ttttt\n"
	const mine = "view,seeFiles,remark any +++++\n" + others + "edit,editSummer,undo,redo progress,back,submitted,submitted*,signed,signed* +++++\nedit,editSummer,undo,redo cleared,placed lllll"
	const looks = "view,seeFiles,remark any +++++\nedit,editSummer,undo,redo any fffff\n" + others
	holds(t, "the student's draft", student, s, kind(ADraft), mine)
	holds(t, "a guardian who does not edit", guardian, s, kind(ADraft), looks)
	holds(t, "the counselor", counsels, s, kind(ADraft), looks)
	holds(t, "a counselor of others", colleague, s, kind(ADraft), "view any +++++\nseeFiles,remark,edit,editSummer,undo,redo any fffff\n"+others)
	holds(t, "a guardian where the family edits", guardian, policy.Settings{Editors: policy.FamilyEdits}, kind(ADraft), mine)
	const past = "view any +++++\nedit,editSummer,undo,redo,seeFiles,submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen,plan,remark,reply any ttttt"
	for name, r := range map[string]Relation{"the student": student, "a guardian": guardian, "the counselor": counsels, "a counselor of others": colleague} {
		holds(t, name+", what was", r, s, kind(WhatWas), past)
	}
	holds(t, "somebody else", nobody, s, kind(ADraft), "view,seeFiles,remark,edit,editSummer,undo,redo any fffff\n"+others)
}

// A teacher of the student recommends until everything is closed, and can do and see nothing else.
func TestATeacher(t *testing.T) {
	holds(t, "a teacher", Relation{Teaches: true}, policy.Settings{}, nil, `recommend any ++++x
		view,plan,seeFiles,remark,reply,edit,editSummer,undo,redo,submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen any fffff`)
}

// Who leads a course takes students until everything is closed or they are placed, and can do and see nothing else.
func TestALeader(t *testing.T) {
	holds(t, "a leader", Relation{Leads: true}, policy.Settings{}, nil, `take progress,back,submitted,submitted*,signed,signed*,cleared ++++x
		take placed llllx
		view,plan,seeFiles,remark,reply,edit,editSummer,undo,redo,submit,submitSummer,sign,ask,look,decide,sendBack,clear,reopen any fffff`)
}

// The summer round with a window of its own: its part is changed and handed in by it, whatever has become of the year's.
func TestTheSummerRound(t *testing.T) {
	round := func(s Summer) func(*Case) {
		return func(c *Case) {
			if s.Window = c.Window; c.Window.Opens.IsZero() {
				s.Window = Window{Opens: moments[Over].AddDate(1, 0, 0), Families: moments[Over].AddDate(1, 1, 0), Counselors: moments[Over].AddDate(1, 2, 0)}
			}
			c.Summer, c.Window = s, Window{} // the year has none
		}
	}
	asked := Summer{Asked: true, Complete: true}
	for name, c := range map[string]struct {
		relation Relation
		summer   Summer
		edit     string
		submit   string
	}{
		"the student":              {student, asked, "oo+cc", "oo+cc"},
		"a guardian":               {guardian, asked, "fffff", "fffff"},
		"the counselor":            {counsels, asked, "rrrrx", "rrrrx"},
		"somebody else":            {nobody, asked, "fffff", "fffff"},
		"nothing is asked for":     {student, Summer{Complete: true}, "oo+cc", "ooncc"},
		"something is still to do": {student, Summer{Asked: true}, "oo+cc", "ooRcc"},
		"it is handed in":          {student, Summer{Asked: true, Handed: true, Complete: true}, "oo+cc", "ooacc"},
	} {
		for _, state := range stateNames {
			for act, want := range map[Act]string{EditSummer: c.edit, SubmitSummer: c.submit} {
				got := ""
				for phase, now := range moments {
					x := finished(c.relation, policy.Settings{})
					x.Now, x.Window = now, window
					if Phase(phase) == NoWindow {
						x.Window = Window{}
					}
					setState(&x, state)
					round(c.summer)(&x)
					got += string(letter(Of(&x)[act]))
				}
				if got != want {
					t.Errorf("%s: %s %s is answered %s, want %s", name, act, state, got, want)
				}
			}
		}
	}
}

// What was done to many is taken back by who did it and by the office; for one student also by someone else of the staff.
func TestTakingBackWhatWasDoneToMany(t *testing.T) {
	for _, c := range []struct {
		who      Relation
		own, one bool
		want     Why
	}{
		{colleague, true, false, ""}, {colleague, false, false, OthersBatch}, {colleague, false, true, ""}, {office, false, false, ""}, {office, true, true, ""},
		{guardian, false, true, NotYours}, {student, true, false, NotYours}, {nobody, false, false, NotYours},
	} {
		if got := TakesBack(c.who, c.own, c.one); got != c.want {
			t.Errorf("%+v, own %v, one %v: %q, want %q", c.who, c.own, c.one, got, c.want)
		}
	}
}
