package school_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/school"
	"rubricon/store/storetest"
)

// Who leads a course sees those who try out for it and nothing else of them, and takes them, also from a list, turns them down, or takes
// that back; the student has it at once, with the name, and the audition is done.
func TestTakingStudents(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	leader, office := h.who("mr.tolland"), h.who("office")
	if _, err := h.Tryouts(ctx, leader, mara.School, mara.Year); school.CodeOf(err) != school.Code(acts.NotYours) {
		t.Fatalf("somebody who leads nothing: %v", err)
	}
	lead := func(give bool, person, course, reason string) school.Code {
		return school.CodeOf(h.SetLead(ctx, office, mara.School, mara.Year, person, course, give, reason))
	}
	for _, c := range []struct {
		person, course, reason string
		want                   school.Code
	}{{"t00", "CHA1", " ", school.NeedsReason}, {"t00", "NO1", "x", school.NoCourse}, {"s0001", "CHA1", "x", school.Code(acts.AlreadyDone)},
		{"t00", "CHA1", "Conducts them.", ""}, {"t00", "CHA1", "x", school.Code(acts.AlreadyDone)}} {
		if got := lead(true, c.person, c.course, c.reason); got != c.want {
			t.Fatalf("giving %s %s: %s, want %s", c.person, c.course, got, c.want)
		}
	}
	if acts, err := h.OfficeActs(ctx, office, mara.School, mara.Year, 0); err != nil || acts[0].Kind != "lead" || acts[0].About != "Mr Tolland · CHA1" || acts[0].Reason != "Conducts them." {
		t.Errorf("what the office did: %+v, %v", acts[0], err)
	}
	h.edit(school.Edit{Act: "alternate", Course: "MUSP"})
	mine := func() *school.Trying {
		t.Helper()
		list, err := h.Tryouts(ctx, leader, mara.School, mara.Year)
		if err != nil || len(list) != 1 || list[0].Year.Codes[list[0].Course] != "CHA1" {
			t.Fatal(list, err)
		}
		i := slices.IndexFunc(list[0].Pupils, func(p school.Trying) bool { return p.Student == mara.Student })
		if i < 0 {
			return nil
		}
		return &list[0].Pupils[i]
	}
	if p := mine(); p == nil || p.Asks != school.AsksPlaceholder || p.Answer != school.TryoutOpen || p.FamilyName != "Quill" || p.Grade != 10 {
		t.Fatalf("Mara waits: %+v", p)
	}
	take := func(answer school.TryoutAnswer, note string, students ...string) school.Code {
		_, err := h.Take(ctx, leader, mara.School, mara.Year, "CHA1", school.Taking{Students: students, Answer: answer, Note: note})
		return school.CodeOf(err)
	}
	state := func() string {
		d := h.look("mara.quill")
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
	version := h.look("mara.quill").Row.Version
	for i, c := range []struct {
		answer     school.TryoutAnswer
		note, want string
		adds       int64
	}{
		{school.TryoutTaken, " A fine alto. ", " permission CHA1 audition by Mr Tolland “A fine alto.” errand MUSP audition by Mr Tolland “A fine alto.” done CHA1", 1},
		{school.TryoutTaken, "A fine alto.", " permission CHA1 audition by Mr Tolland “A fine alto.” errand MUSP audition by Mr Tolland “A fine alto.” done CHA1", 0},
		{school.TryoutTaken, "Second alto.", " permission CHA1 audition by Mr Tolland “Second alto.” errand MUSP audition by Mr Tolland “Second alto.” done CHA1", 1},
		{school.TryoutNot, "Come again.", " errand CHA1 audition by Mr Tolland “Come again.”", 1},
		{school.TryoutOpen, "", "", 1},
		{school.TryoutOpen, "", "", 0},
	} {
		if code := take(c.answer, c.note, mara.Student); code != "" {
			t.Fatal(c, code)
		}
		version += c.adds
		if got := state(); got != fmt.Sprint(version)+c.want {
			t.Errorf("answer %d: %s, want %d%s", i, got, version, c.want)
		}
		if p := mine(); p == nil || p.Answer != c.answer || c.answer != school.TryoutOpen && (p.By != "Mr Tolland" || p.Note != strings.TrimSpace(c.note)) {
			t.Errorf("answer %d, as the leader sees it: %+v", i, p)
		}
	}
	b, err := bundle.ReadFiles(storetest.Files())
	if err != nil {
		t.Fatal(err)
	}
	take(school.TryoutTaken, "", mara.Student)
	take(school.TryoutOpen, "", mara.Student)
	before := state()
	h.bring(b)
	if got := state(); got != before || strings.Contains(got, "CHA1") {
		t.Errorf("when the school's data come again: %s", got)
	}
	if events, err := h.History(ctx, h.who("ilse.quill"), mara, 0); err != nil || events[0].Kind != "tryoutOpen" || events[1].Kind != "taken" || events[1].Course != "CHA1" || events[1].Who != "Mr Tolland" {
		t.Errorf("the history: %+v, %v", events, err)
	}
	named, err := h.Named(ctx, leader, mara.School, mara.Year, "CHA1", "s0001\nnobody at all\nmara.quill")
	if err != nil || len(named.Students) != 1 || named.Students[0].Student != mara.Student || len(named.Lines) != 2 {
		t.Errorf("a list: %+v, %v", named, err)
	}
	for name, c := range map[string]struct{ got, want school.Code }{
		"a student of nobody":    {take(school.TryoutTaken, "", "s9999"), school.NotFound},
		"an answer that is none": {take("perhaps", "", mara.Student), school.BadAct},
		"a course of somebody else": {func() school.Code {
			_, err := h.Named(ctx, leader, mara.School, mara.Year, "JAZ1", "x")
			return school.CodeOf(err)
		}(), school.NotFound},
		"a course that waits for all": {func() school.Code {
			_, err := h.Named(ctx, leader, mara.School, mara.Year, "GEO1", "x")
			return school.CodeOf(err)
		}(), school.NotFound},
		"the sheet itself": {func() school.Code { _, err := h.Sheet(ctx, leader, mara); return school.CodeOf(err) }(), school.NotFound},
		"the caseload's own cohort": {func() school.Code {
			_, err := h.Cohort(ctx, leader, mara.School, mara.Year, school.Whom{})
			return school.CodeOf(err)
		}(), school.Code(acts.NotYours)},
		"a long list": {func() school.Code {
			_, err := h.Named(ctx, leader, mara.School, mara.Year, "CHA1", strings.Repeat("x", 600<<10))
			return school.CodeOf(err)
		}(), school.TooMuch},
		"given by who may not":     {school.CodeOf(h.SetLead(ctx, h.who("ms.arden"), mara.School, mara.Year, "t00", "JAZ1", true, "x")), school.Code(acts.NotYours)},
		"what is taken back":       {lead(false, "t00", "CHA1", "Another does."), ""},
		"what is taken back twice": {lead(false, "t00", "CHA1", "x"), school.Code(acts.AlreadyDone)},
	} {
		if c.got != c.want {
			t.Errorf("%s: %q, want %q", name, c.got, c.want)
		}
	}
	if _, err := h.Tryouts(ctx, leader, mara.School, mara.Year); school.CodeOf(err) != school.Code(acts.NotYours) {
		t.Errorf("after that was taken back: %v", err)
	}
}

// A word of the school is no beginning of the family's.
func TestAWordIsNoBeginning(t *testing.T) {
	h := newHouse(t)
	h.db.Exec(t, `UPDATE sheet SET begun = false`)
	if _, err := h.Recommend(t.Context(), h.who("mr.tolland"), mara.School, mara.Year, "GEO1", school.Recommending{Students: []string{mara.Student}, Course: "ALG2A"}); err != nil {
		t.Fatal(err)
	}
	if d := h.look("mara.quill"); d.Row.Begun || !slices.ContainsFunc(d.Known.Signals, func(x sheet.Signal) bool { return x.Code == "ALG2A" }) {
		t.Errorf("a recommendation begins the sheet: %+v", d.Row)
	}
}
