package caseload_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// Who leads a course sees those who try out for it and nothing else of them, and takes them, also from a list, turns them down, or takes
// that back; the student has it at once, with the name, and the audition is done.
func TestTakingStudents(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	leader, office := h.Who("mr.tolland"), h.Who("office")
	if _, err := h.Caseload.Tryouts(ctx, leader, apptest.Mara.School, apptest.Mara.Year); problem.CodeOf(err) != problem.Code(acts.NotYours) {
		t.Fatalf("somebody who leads nothing: %v", err)
	}
	lead := func(give bool, person, course, reason string) problem.Code {
		return problem.CodeOf(h.Caseload.SetLead(ctx, office, apptest.Mara.School, apptest.Mara.Year, person, course, give, reason))
	}
	for _, c := range []struct {
		person, course, reason string
		want                   problem.Code
	}{{"t00", "CHA1", " ", problem.NeedsReason}, {"t00", "NO1", "x", problem.NoCourse}, {"s0001", "CHA1", "x", problem.Code(acts.AlreadyDone)},
		{"t00", "CHA1", "Conducts them.", ""}, {"t00", "CHA1", "x", problem.Code(acts.AlreadyDone)}} {
		if got := lead(true, c.person, c.course, c.reason); got != c.want {
			t.Fatalf("giving %s %s: %s, want %s", c.person, c.course, got, c.want)
		}
	}
	if acts, err := h.Office.OfficeActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0); err != nil || acts[0].Kind != "lead" || acts[0].About != "Mr Tolland · CHA1" || acts[0].Reason != "Conducts them." {
		t.Errorf("what the office did: %+v, %v", acts[0], err)
	}
	h.Edit(appsheet.Edit{Act: "alternate", Course: "MUSP"})
	mine := func() *appcaseload.Trying {
		t.Helper()
		list, err := h.Caseload.Tryouts(ctx, leader, apptest.Mara.School, apptest.Mara.Year)
		if err != nil || len(list) != 1 || list[0].Year.Codes[list[0].Course] != "CHA1" {
			t.Fatal(list, err)
		}
		i := slices.IndexFunc(list[0].Pupils, func(p appcaseload.Trying) bool { return p.Student == apptest.Mara.Student })
		if i < 0 {
			return nil
		}
		return &list[0].Pupils[i]
	}
	if p := mine(); p == nil || p.Asks != appcaseload.AsksPlaceholder || p.Answer != appcaseload.TryoutOpen || p.FamilyName != "Quill" || p.Grade != 10 {
		t.Fatalf("Mara waits: %+v", p)
	}
	take := func(answer appcaseload.TryoutAnswer, note string, students ...string) problem.Code {
		_, err := h.Caseload.Take(ctx, leader, apptest.Mara.School, apptest.Mara.Year, "CHA1", appcaseload.Taking{Students: students, Answer: answer, Note: note})
		return problem.CodeOf(err)
	}
	state := func() string {
		d := h.Look("mara.quill")
		out := fmt.Sprint(d.Row.Version)
		for i, x := range d.Known.Signals {
			if x.Code == "CHA1" || x.Code == "MUSP" {
				out += fmt.Sprintf(" %s %s %s by %s “%s”", x.Kind, x.Code, x.Name, d.Known.Said[i], x.Note)
			}
		}
		for _, e := range d.Known.Errands(&d.Sheet) {
			if d.Year.Codes[e.Course] == "MUSP" && e.Settled {
				out += " done"
				if e.ReplacedBy >= 0 {
					out += " " + d.Year.Codes[e.ReplacedBy]
				}
			}
		}
		return out
	}
	version := h.Look("mara.quill").Row.Version
	for i, c := range []struct {
		answer     appcaseload.TryoutAnswer
		note, want string
		adds       int64
	}{
		{appcaseload.TryoutTaken, " A fine alto. ", " permission CHA1 audition by Mr Tolland “A fine alto.” errand MUSP audition by Mr Tolland “A fine alto.” done CHA1", 1},
		{appcaseload.TryoutTaken, "A fine alto.", " permission CHA1 audition by Mr Tolland “A fine alto.” errand MUSP audition by Mr Tolland “A fine alto.” done CHA1", 0},
		{appcaseload.TryoutTaken, "Second alto.", " permission CHA1 audition by Mr Tolland “Second alto.” errand MUSP audition by Mr Tolland “Second alto.” done CHA1", 1},
		{appcaseload.TryoutNot, "Come again.", " errand CHA1 audition by Mr Tolland “Come again.”", 1},
		{appcaseload.TryoutOpen, "", "", 1},
		{appcaseload.TryoutOpen, "", "", 0},
	} {
		if code := take(c.answer, c.note, apptest.Mara.Student); code != "" {
			t.Fatal(c, code)
		}
		version += c.adds
		if got := state(); got != fmt.Sprint(version)+c.want {
			t.Errorf("answer %d: %s, want %d%s", i, got, version, c.want)
		}
		if p := mine(); p == nil || p.Answer != c.answer || c.answer != appcaseload.TryoutOpen && (p.By != "Mr Tolland" || p.Note != strings.TrimSpace(c.note)) {
			t.Errorf("answer %d, as the leader sees it: %+v", i, p)
		}
	}
	b, err := bundle.ReadFiles(testdb.Files())
	if err != nil {
		t.Fatal(err)
	}
	take(appcaseload.TryoutTaken, "", apptest.Mara.Student)
	take(appcaseload.TryoutOpen, "", apptest.Mara.Student)
	before := state()
	h.Bring(b)
	if got := state(); got != before || strings.Contains(got, "CHA1") {
		t.Errorf("when the school's data come again: %s", got)
	}
	if events, err := h.Sheet.History(ctx, h.Who("ilse.quill"), apptest.Mara, 0); err != nil || events[0].Kind != "tryoutOpen" || events[1].Kind != "taken" || events[1].Course != "CHA1" || events[1].Who != "Mr Tolland" {
		t.Errorf("the history: %+v, %v", events, err)
	}
	named, err := h.Caseload.Named(ctx, leader, apptest.Mara.School, apptest.Mara.Year, "CHA1", "s0001\nnobody at all\nmara.quill")
	if err != nil || len(named.Students) != 1 || named.Students[0].Student != apptest.Mara.Student || len(named.Lines) != 2 {
		t.Errorf("a list: %+v, %v", named, err)
	}
	for name, c := range map[string]struct{ got, want problem.Code }{
		"a student of nobody":    {take(appcaseload.TryoutTaken, "", "s9999"), problem.NotFound},
		"an answer that is none": {take("perhaps", "", apptest.Mara.Student), problem.BadAct},
		"a course of somebody else": {func() problem.Code {
			_, err := h.Caseload.Named(ctx, leader, apptest.Mara.School, apptest.Mara.Year, "JAZ1", "x")
			return problem.CodeOf(err)
		}(), problem.NotFound},
		"a course that waits for all": {func() problem.Code {
			_, err := h.Caseload.Named(ctx, leader, apptest.Mara.School, apptest.Mara.Year, "GEO1", "x")
			return problem.CodeOf(err)
		}(), problem.NotFound},
		"the sheet itself": {func() problem.Code { _, err := h.Sheet.Sheet(ctx, leader, apptest.Mara); return problem.CodeOf(err) }(), problem.NotFound},
		"the caseload's own cohort": {func() problem.Code {
			_, err := h.Caseload.Cohort(ctx, leader, apptest.Mara.School, apptest.Mara.Year, appcaseload.Whom{})
			return problem.CodeOf(err)
		}(), problem.Code(acts.NotYours)},
		"a long list": {func() problem.Code {
			_, err := h.Caseload.Named(ctx, leader, apptest.Mara.School, apptest.Mara.Year, "CHA1", strings.Repeat("x", 600<<10))
			return problem.CodeOf(err)
		}(), problem.TooMuch},
		"given by who may not":     {problem.CodeOf(h.Caseload.SetLead(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, "t00", "JAZ1", true, "x")), problem.Code(acts.NotYours)},
		"what is taken back":       {lead(false, "t00", "CHA1", "Another does."), ""},
		"what is taken back twice": {lead(false, "t00", "CHA1", "x"), problem.Code(acts.AlreadyDone)},
	} {
		if c.got != c.want {
			t.Errorf("%s: %q, want %q", name, c.got, c.want)
		}
	}
	if _, err := h.Caseload.Tryouts(ctx, leader, apptest.Mara.School, apptest.Mara.Year); problem.CodeOf(err) != problem.Code(acts.NotYours) {
		t.Errorf("after that was taken back: %v", err)
	}
}

// A word of the school is no beginning of the family's.
func TestAWordIsNoBeginning(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `UPDATE sheet SET begun = false`)
	if _, err := h.Caseload.Recommend(t.Context(), h.Who("mr.tolland"), apptest.Mara.School, apptest.Mara.Year, "GEO1", appcaseload.Recommending{Students: []string{apptest.Mara.Student}, Course: "ALG2A"}); err != nil {
		t.Fatal(err)
	}
	if d := h.Look("mara.quill"); d.Row.Begun || !slices.ContainsFunc(d.Known.Signals, func(x sheet.Signal) bool { return x.Code == "ALG2A" }) {
		t.Errorf("a recommendation begins the sheet: %+v", d.Row)
	}
}
