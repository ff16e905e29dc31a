package caseload_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/core/caseload"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

func TestStagesOfTheCaseload(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Says("at first", "waiting claim:PHY1")
	if text := h.Line().Waits[0].Text; !strings.Contains(text, "Algebra") {
		t.Errorf("the claim says %q", text)
	}
	h.Waive()
	h.Says("without the claim", "inProgress")
	h.Finish()
	h.Submit()
	h.Says("submitted", "withFamily uncovered:PHY1:TID1")
	// The number on a form that comes back signed on paper leads to its student.
	receipt := *h.Look("ms.arden").Row.Receipt
	if c, err := h.Caseload.Caseload(ctx, h.Who("office"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Filter{Grade: -1, Text: strings.ToLower(receipt)}); err != nil || len(c.Lines) != 1 || c.Lines[0].Student != apptest.Mara.Student {
		t.Errorf("by the receipt %s: %d, %v", receipt, len(c.Lines), err)
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	h.Says("changed since", "inProgress changed")
	h.Edit(appsheet.Edit{Act: "undo"})
	h.Sign()
	h.Says("signed", "complete uncovered:PHY1:TID1")
	h.DB.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, outcome, here, cells)
		VALUES ('pellworth', 's0001', 99, 'WLD2', 'x', '[]', 2026, '', 100, 'failed', true, '{}')`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.Says("a failed course is requested again", "waiting retake:WLD2 uncovered:PHY1:TID1")
	h.DB.Exec(t, `DELETE FROM record WHERE ord = 99`)
	h.DB.Exec(t, `DELETE FROM signal WHERE kind = 'waiver'`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.Says("the waiver is gone", "waiting unmet:PHY1 uncovered:PHY1:TID1")
	h.Must(h.Sheet.Decide(ctx, h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "waive", Course: "PHY1", Reason: "x"}))
	h.Approve()
	h.Says("cleared", "cleared")
	h.DB.Exec(t, `DELETE FROM signal WHERE kind = 'waiver'`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.Says("what it was cleared by has changed", "cleared lapsed:PHY1")
	h.Must(h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, "x"))
	h.Says("sent back", "inProgress")
	// Not begun by the family, with nothing but what the school has put there.
	h.DB.Exec(t, `DELETE FROM entry WHERE student_id = 's0001' AND course_code NOT IN ('WLD2', 'ENG10')`)
	h.DB.Exec(t, `UPDATE sheet SET state = 'inProgress', begun = false, version = version + 1 WHERE student_id = 's0001'`)
	h.Says("only what is assigned", "notBegun unbegun")
	h.DB.Exec(t, `UPDATE sheet SET begun = true WHERE student_id = 's0001'`)
	h.Says("begun", "inProgress")
	h.DB.Exec(t, `UPDATE sheet SET begun = false, version = version + 1 WHERE student_id = 's0001'`)
	h.DB.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord) VALUES ('pellworth', 2027, 's0001', 'AST1', 'alternate', 1, 1)`)
	h.Says("with an alternate", "inProgress")
}

// The claim that is shown is the one that the course waits for, not the student's first.
func TestTheClaimThatIsShown(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells)
		VALUES ('pellworth', 's0001', 0, 'claim', 'SOM1', '', 0, 'g0001', 'Something else.', '{}')`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1`)
	if l := h.Line(); l.Waits[0].Reason != caseload.Claim || l.Waits[0].Text == "Something else." || l.Waits[0].Text == "" {
		t.Errorf("the caseload shows %+v", l.Waits)
	}
}

// Everything a sheet waits for is said, the school's part first; a wish does not push an open claim out.
func TestAWishBesideAClaim(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Submit()
	h.Must(h.Sheet.RequestChange(t.Context(), h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "Choir, not Dance."}))
	if err := h.Remark("ilse.quill", "What is Ceramics?"); err != nil {
		t.Fatal(err)
	}
	h.Says("with a wish and a question", "waiting claim:PHY1 asked remark uncovered:PHY1:TID1")
	if l := h.Line(); l.Waits[1].Text != "Choir, not Dance." || l.Waits[1].Since.IsZero() || l.Waits[2].Since.IsZero() {
		t.Errorf("%+v", l.Waits)
	}
}

func TestWhoseCaseload(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	count := func(username string, all bool) string {
		c, err := h.Caseload.Caseload(ctx, h.Who(username), apptest.Mara.School, apptest.Mara.Year, apptest.Everybody(all))
		if err != nil {
			return string(problem.CodeOf(err))
		}
		return fmt.Sprint(len(c.Lines), " ", c.Mine, " ", c.Reader)
	}
	mine := testdb.Value[int](t, h.DB, `SELECT count(*) FROM relation WHERE kind = 'counsels' AND person_id = 'k1'`)
	if mine == 0 || mine >= testdb.Students {
		t.Fatalf("Ms Arden counsels %d", mine)
	}
	for _, c := range []struct {
		who  string
		all  bool
		want string
	}{
		{"ms.arden", false, fmt.Sprint(mine, " true Ms Arden")}, {"ms.arden", true, fmt.Sprint(testdb.Students, " false Ms Arden")},
		{"office", false, fmt.Sprint(testdb.Students, " false Dagny Westerdale")}, {"mara.quill", true, "forbidden"}, {"ilse.quill", false, "forbidden"},
	} {
		if got := count(c.who, c.all); got != c.want {
			t.Errorf("%s, all %v: %s, want %s", c.who, c.all, got, c.want)
		}
	}
	h.DB.Exec(t, `UPDATE person SET enabled = false WHERE id = 's0001'`)
	if got, want := count("ms.arden", false), fmt.Sprint(mine-1, " true Ms Arden"); got != want {
		t.Errorf("with one student disabled: %s, want %s", got, want)
	}
	if _, err := h.Caseload.Caseload(ctx, h.Who("ms.arden"), apptest.Mara.School, 2020, apptest.Everybody(false)); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a year that is not there: %v", err)
	}
}

// A filter chooses exactly those of whom everything in it holds, and its counts tell how many another choice would give.
func TestFiltersOfTheCaseload(t *testing.T) {
	h := apptest.NewHouse(t)
	list := func(f appcaseload.Filter) *appcaseload.Caseload {
		t.Helper()
		c, err := h.Caseload.Caseload(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, f)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	all := list(apptest.Everybody(true))
	d := h.Look("ms.arden")
	course := d.Row.Entries[0].Course
	have := testdb.Value[int](t, h.DB, `SELECT count(DISTINCT student_id) FROM entry WHERE course_code = $1`, course)
	for name, c := range map[string]struct {
		f    appcaseload.Filter
		want func(l *appcaseload.CaseLine) bool
	}{
		"a stage":     {appcaseload.Filter{Grade: -1, Stage: caseload.NotBegun}, func(l *appcaseload.CaseLine) bool { return l.Stage == caseload.NotBegun }},
		"a reason":    {appcaseload.Filter{Grade: -1, Reason: caseload.Claim}, func(l *appcaseload.CaseLine) bool { return strings.Contains(apptest.Waits(*l), "claim") }},
		"a grade":     {appcaseload.Filter{Grade: 10}, func(l *appcaseload.CaseLine) bool { return l.Grade == 10 }},
		"a counselor": {appcaseload.Filter{Grade: -1, Counselor: "k1"}, func(l *appcaseload.CaseLine) bool { return l.Counselor == "k1" }},
		"a name":      {appcaseload.Filter{Grade: -1, Text: "Quill, MÁRA"}, func(l *appcaseload.CaseLine) bool { return l.Student == "s0001" }},
		"a program": {appcaseload.Filter{Grade: -1, Program: "nautical"}, func(l *appcaseload.CaseLine) bool {
			return slices.Contains(l.Programs.V, "nautical")
		}},
	} {
		var want, got []string
		for i := range all.Lines {
			if c.want(&all.Lines[i]) {
				want = append(want, all.Lines[i].Student)
			}
		}
		for _, l := range list(c.f).Lines {
			got = append(got, l.Student)
		}
		slices.Sort(want)
		slices.Sort(got)
		if !slices.Equal(got, want) || len(want) == 0 && name != "a program" {
			t.Errorf("by %s: %d students, want %d", name, len(got), len(want))
		}
	}
	if got := list(appcaseload.Filter{Grade: -1, Course: course}); len(got.Lines) != have {
		t.Errorf("with %s on the sheet: %d, want %d", course, len(got.Lines), have)
	}
	if got := list(appcaseload.Filter{Grade: -1, Course: "NONE"}); len(got.Lines) != 0 {
		t.Errorf("with a course that is not there: %d", len(got.Lines))
	}
	tenth := list(appcaseload.Filter{Grade: 10})
	if n := all.Counts.Grades[10]; n != len(tenth.Lines) || tenth.Counts.Grades[11] != all.Counts.Grades[11] {
		t.Errorf("grade 10 is said to have %d, and has %d; with it chosen grade 11 has %d, else %d", n, len(tenth.Lines), tenth.Counts.Grades[11], all.Counts.Grades[11])
	}
	sum := 0
	for _, n := range tenth.Counts.Stages {
		sum += n
	}
	if sum != len(tenth.Lines) {
		t.Errorf("the stages of grade 10 have %d students, of %d", sum, len(tenth.Lines))
	}
	for i := 1; i < len(all.Lines); i++ {
		if apptest.Since(&all.Lines[i]).Before(apptest.Since(&all.Lines[i-1])) {
			t.Fatalf("%s has waited longer than %s, and comes later", all.Lines[i].Student, all.Lines[i-1].Student)
		}
	}
}

// In every combination of filters each number that stands next to a choice is how many students the choice lists, and the headline's numbers are those of the
// whole caseload.
func TestCountsAreWhatTheyList(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	r := rand.New(rand.NewPCG(21, 2))
	list := func(f appcaseload.Filter) *appcaseload.Caseload {
		t.Helper()
		c, err := h.Caseload.Caseload(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, f)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	all := list(apptest.Everybody(true))
	waiting, ready := 0, 0
	for i := range all.Lines {
		if all.Lines[i].Stage == caseload.Waiting {
			waiting++
		}
		if all.Lines[i].Stage == caseload.Complete && all.Lines[i].Approve.Allowed {
			ready++
		}
	}
	if all.Counts.Waiting != waiting || all.Counts.Ready != ready || ready == 0 || waiting == 0 {
		t.Errorf("%d wait and %d are ready, want %d and %d", all.Counts.Waiting, all.Counts.Ready, waiting, ready)
	}
	for range 60 {
		f := apptest.Everybody(true)
		if r.IntN(3) == 0 {
			f.Stage = caseload.Stages()[r.IntN(len(caseload.Stages()))]
		} else if r.IntN(2) == 0 {
			if w := all.Lines[r.IntN(len(all.Lines))].Waits; len(w) > 0 {
				f.Reason = w[0].Reason
			}
		}
		if r.IntN(3) == 0 {
			f.Grade = 9 + r.IntN(4)
		}
		if r.IntN(3) == 0 {
			f.Course = []string{"CER1", "DRW1", "ENG10"}[r.IntN(3)]
		}
		if r.IntN(3) == 0 {
			f.Text = []string{"a", "qu", "an e"}[r.IntN(3)]
		}
		if r.IntN(4) == 0 {
			f.Counselor = all.Counts.Counselors[r.IntN(len(all.Counts.Counselors))].ID
		}
		c := list(f)
		if c.Counts.Waiting != waiting || c.Counts.Ready != ready {
			t.Fatalf("%+v: %d wait and %d are ready, whatever is chosen %d and %d", f, c.Counts.Waiting, c.Counts.Ready, waiting, ready)
		}
		same := func(what string, said int, f appcaseload.Filter) {
			t.Helper()
			if n := len(list(f).Lines); n != said {
				t.Fatalf("%+v: beside %s stands %d, and it lists %d", f, what, said, n)
			}
		}
		for _, stage := range caseload.Stages() {
			g := f
			g.Stage, g.Reason, g.Text = stage, "", ""
			same(string(stage), c.Counts.Stages[stage], g)
		}
		for reason, n := range c.Counts.Reasons {
			g := f
			g.Reason, g.Stage = reason, ""
			same(string(reason), n, g)
		}
		for grade, n := range c.Counts.Grades {
			g := f
			g.Grade = grade
			same(fmt.Sprint(grade), n, g)
		}
		for program, n := range c.Counts.Programs {
			g := f
			g.Program = program
			same(program, n, g)
		}
		for _, x := range c.Counts.Counselors {
			g := f
			g.Counselor = x.ID
			same(x.Name, x.Students, g)
		}
	}
}

// A filter is kept by name for anyone who saved it, and no one else.
func TestSavedViews(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, arden, office := t.Context(), h.Who("ms.arden"), h.Who("office")
	save := func(name string, filter ...string) string {
		return string(problem.CodeOf(h.Caseload.SaveView(ctx, arden, apptest.Mara.School, apptest.Mara.Year, appcaseload.SavedView{Name: name, Filter: filter})))
	}
	if got := save(" "); got != "needs-name" {
		t.Errorf("without a name: %q", got)
	}
	save("Late", "stage", "notBegun")
	save("Claims", "reason", "claim")
	save("Late", "reason", "unsigned")
	list, err := h.Caseload.SavedViews(ctx, arden, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || fmt.Sprint(list) != "[{Claims [reason claim]} {Late [reason unsigned]}]" {
		t.Errorf("%v, %v", list, err)
	}
	if list, err := h.Caseload.SavedViews(ctx, office, apptest.Mara.School, apptest.Mara.Year); err != nil || len(list) != 0 {
		t.Errorf("somebody else has %v, %v", list, err)
	}
	if err := h.Caseload.DropView(ctx, office, apptest.Mara.School, apptest.Mara.Year, "Late"); err != nil {
		t.Error(err)
	}
	if err := h.Caseload.DropView(ctx, arden, apptest.Mara.School, apptest.Mara.Year, "Claims"); err != nil {
		t.Error(err)
	}
	if list, _ := h.Caseload.SavedViews(ctx, arden, apptest.Mara.School, apptest.Mara.Year); fmt.Sprint(list) != "[{Late [reason unsigned]}]" {
		t.Errorf("then: %v", list)
	}
	for i := range 40 {
		if got := save(fmt.Sprint("v", i)); got != map[bool]string{true: "", false: "at-limit"}[i < 29] {
			t.Errorf("the %dth: %q", i+2, got)
		}
	}
	if got := problem.CodeOf(h.Caseload.SaveView(ctx, h.Who("mara.quill"), apptest.Mara.School, apptest.Mara.Year, appcaseload.SavedView{Name: "x"})); got != "forbidden" {
		t.Errorf("a student saves a view: %s", got)
	}
}

// What was found of a sheet is looked for again once the summer has a window of its own, which leaves the year as it was handed in.
func TestTheCaseloadMindsTheSummer(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	h.Edit(appsheet.Edit{Act: "request", Course: "SPE1"})
	h.Says("with a course in summer", "inProgress changed")
	round := appcatalog.Window{Round: appcatalog.OfTheSummer, Grade: -1, Opens: testdb.Now.AddDate(0, 0, -3), Families: testdb.Now.AddDate(0, 2, 0), Counselors: testdb.Now.AddDate(0, 3, 0)}
	h.Must(nil, h.Catalog.SetWindow(t.Context(), apptest.Mara.School, apptest.Mara.Year, round))
	h.Says("with a window for the summer", "complete uncovered:PHY1:TID1")
}
