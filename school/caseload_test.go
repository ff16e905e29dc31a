package school_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rubricon/core/caseload"
	"rubricon/school"
	"rubricon/store/storetest"
)

func TestStagesOfTheCaseload(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.says("at first", "waiting claim:PHY1")
	if text := h.line().Waits[0].Text; !strings.Contains(text, "Algebra") {
		t.Errorf("the claim says %q", text)
	}
	h.waive()
	h.says("without the claim", "inProgress")
	h.finish()
	h.submit()
	h.says("submitted", "withFamily uncovered:PHY1:TID1")
	// The number on a form that comes back signed on paper leads to its student.
	receipt := *h.look("ms.arden").Row.Receipt
	if c, err := h.Caseload(ctx, h.who("office"), mara.School, mara.Year, school.Filter{Grade: -1, Text: strings.ToLower(receipt)}); err != nil || len(c.Lines) != 1 || c.Lines[0].Student != mara.Student {
		t.Errorf("by the receipt %s: %d, %v", receipt, len(c.Lines), err)
	}
	h.edit(school.Edit{Act: "remove", Course: "CER1"})
	h.says("changed since", "inProgress changed")
	h.edit(school.Edit{Act: "undo"})
	h.sign()
	h.says("signed", "complete uncovered:PHY1:TID1")
	h.db.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, outcome, here, cells)
		VALUES ('pellworth', 's0001', 99, 'WLD2', 'x', '[]', 2026, '', 100, 'failed', true, '{}')`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.says("a failed course is requested again", "waiting retake:WLD2 uncovered:PHY1:TID1")
	h.db.Exec(t, `DELETE FROM record WHERE ord = 99`)
	h.db.Exec(t, `DELETE FROM signal WHERE kind = 'waiver'`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.says("the waiver is gone", "waiting unmet:PHY1 uncovered:PHY1:TID1")
	h.must(h.Decide(ctx, h.who("ms.arden"), mara, school.Decision{Answer: "waive", Course: "PHY1", Reason: "x"}))
	h.clear()
	h.says("cleared", "cleared")
	h.db.Exec(t, `DELETE FROM signal WHERE kind = 'waiver'`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	h.says("what it was cleared by has changed", "cleared lapsed:PHY1")
	h.must(h.SendBack(ctx, h.who("ms.arden"), mara, 0, "x"))
	h.says("sent back", "inProgress")
	// Not begun by the family, with nothing but what the school has put there.
	h.db.Exec(t, `DELETE FROM entry WHERE student_id = 's0001' AND course_code NOT IN ('WLD2', 'ENG10')`)
	h.db.Exec(t, `UPDATE sheet SET state = 'inProgress', begun = false, version = version + 1 WHERE student_id = 's0001'`)
	h.says("only what is assigned", "notBegun unbegun")
	h.db.Exec(t, `UPDATE sheet SET begun = true WHERE student_id = 's0001'`)
	h.says("begun", "inProgress")
	h.db.Exec(t, `UPDATE sheet SET begun = false, version = version + 1 WHERE student_id = 's0001'`)
	h.db.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord) VALUES ('pellworth', 2027, 's0001', 'AST1', 'alternate', 1, 1)`)
	h.says("with an alternate", "inProgress")
}

// The claim that is shown is the one that the course waits for, not the student's first.
func TestTheClaimThatIsShown(t *testing.T) {
	h := newHouse(t)
	h.db.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells)
		VALUES ('pellworth', 's0001', 0, 'claim', 'SOM1', '', 0, 'g0001', 'Something else.', '{}')`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1`)
	if l := h.line(); l.Waits[0].Reason != caseload.Claim || l.Waits[0].Text == "Something else." || l.Waits[0].Text == "" {
		t.Errorf("the caseload shows %+v", l.Waits)
	}
}

// Everything a sheet waits for is said, the school's part first; a wish does not push an open claim out.
func TestAWishBesideAClaim(t *testing.T) {
	h := newHouse(t)
	h.finish()
	h.submit()
	h.must(h.RequestChange(t.Context(), h.who("ilse.quill"), mara, school.ChangeRequest{Message: "Choir, not Dance."}))
	if err := h.remark("ilse.quill", "What is Ceramics?"); err != nil {
		t.Fatal(err)
	}
	h.says("with a wish and a question", "waiting claim:PHY1 asked remark uncovered:PHY1:TID1")
	if l := h.line(); l.Waits[1].Text != "Choir, not Dance." || l.Waits[1].Since.IsZero() || l.Waits[2].Since.IsZero() {
		t.Errorf("%+v", l.Waits)
	}
}

func TestWhoseCaseload(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	count := func(username string, all bool) string {
		c, err := h.Caseload(ctx, h.who(username), mara.School, mara.Year, everybody(all))
		if err != nil {
			return string(school.CodeOf(err))
		}
		return fmt.Sprint(len(c.Lines), " ", c.Mine, " ", c.Reader)
	}
	mine := storetest.Value[int](t, h.db, `SELECT count(*) FROM relation WHERE kind = 'counsels' AND person_id = 'k1'`)
	if mine == 0 || mine >= storetest.Students {
		t.Fatalf("Ms Arden counsels %d", mine)
	}
	for _, c := range []struct {
		who  string
		all  bool
		want string
	}{
		{"ms.arden", false, fmt.Sprint(mine, " true Ms Arden")}, {"ms.arden", true, fmt.Sprint(storetest.Students, " false Ms Arden")},
		{"office", false, fmt.Sprint(storetest.Students, " false Dagny Westerdale")}, {"mara.quill", true, "forbidden"}, {"ilse.quill", false, "forbidden"},
	} {
		if got := count(c.who, c.all); got != c.want {
			t.Errorf("%s, all %v: %s, want %s", c.who, c.all, got, c.want)
		}
	}
	h.db.Exec(t, `UPDATE person SET enabled = false WHERE id = 's0001'`)
	if got, want := count("ms.arden", false), fmt.Sprint(mine-1, " true Ms Arden"); got != want {
		t.Errorf("with one student disabled: %s, want %s", got, want)
	}
	if _, err := h.Caseload(ctx, h.who("ms.arden"), mara.School, 2020, everybody(false)); school.CodeOf(err) != school.NotFound {
		t.Errorf("a year that is not there: %v", err)
	}
}

// A filter chooses exactly those of whom everything in it holds, and its counts tell how many another choice would give.
func TestFiltersOfTheCaseload(t *testing.T) {
	h := newHouse(t)
	list := func(f school.Filter) *school.Caseload {
		t.Helper()
		c, err := h.Caseload(t.Context(), h.who("office"), mara.School, mara.Year, f)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	all := list(everybody(true))
	d := h.look("ms.arden")
	course := d.Row.Entries[0].Course
	have := storetest.Value[int](t, h.db, `SELECT count(DISTINCT student_id) FROM entry WHERE course_code = $1`, course)
	for name, c := range map[string]struct {
		f    school.Filter
		want func(l *school.CaseLine) bool
	}{
		"a stage":     {school.Filter{Grade: -1, Stage: caseload.NotBegun}, func(l *school.CaseLine) bool { return l.Stage == caseload.NotBegun }},
		"a reason":    {school.Filter{Grade: -1, Reason: caseload.Claim}, func(l *school.CaseLine) bool { return strings.Contains(waits(*l), "claim") }},
		"a grade":     {school.Filter{Grade: 10}, func(l *school.CaseLine) bool { return l.Grade == 10 }},
		"a counselor": {school.Filter{Grade: -1, Counselor: "k1"}, func(l *school.CaseLine) bool { return l.Counselor == "k1" }},
		"a name":      {school.Filter{Grade: -1, Text: "Quill, MÁRA"}, func(l *school.CaseLine) bool { return l.Student == "s0001" }},
		"a program": {school.Filter{Grade: -1, Program: "nautical"}, func(l *school.CaseLine) bool {
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
	if got := list(school.Filter{Grade: -1, Course: course}); len(got.Lines) != have {
		t.Errorf("with %s on the sheet: %d, want %d", course, len(got.Lines), have)
	}
	if got := list(school.Filter{Grade: -1, Course: "NONE"}); len(got.Lines) != 0 {
		t.Errorf("with a course that is not there: %d", len(got.Lines))
	}
	tenth := list(school.Filter{Grade: 10})
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
		if since(&all.Lines[i]).Before(since(&all.Lines[i-1])) {
			t.Fatalf("%s has waited longer than %s, and comes later", all.Lines[i].Student, all.Lines[i-1].Student)
		}
	}
}

// In every combination of filters each number that stands beside a choice is how many students the choice lists, and the headline's numbers are those of the
// whole caseload.
func TestCountsAreWhatTheyList(t *testing.T) {
	h := newHouse(t)
	h.finish()
	h.waive()
	h.submit()
	h.sign()
	r := rand.New(rand.NewPCG(21, 2))
	list := func(f school.Filter) *school.Caseload {
		t.Helper()
		c, err := h.Caseload(t.Context(), h.who("office"), mara.School, mara.Year, f)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	all := list(everybody(true))
	waiting, ready := 0, 0
	for i := range all.Lines {
		if all.Lines[i].Stage == caseload.Waiting {
			waiting++
		}
		if all.Lines[i].Stage == caseload.Complete && all.Lines[i].Clear.Allowed {
			ready++
		}
	}
	if all.Counts.Waiting != waiting || all.Counts.Ready != ready || ready == 0 || waiting == 0 {
		t.Errorf("%d wait and %d are ready, want %d and %d", all.Counts.Waiting, all.Counts.Ready, waiting, ready)
	}
	for range 60 {
		f := everybody(true)
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
		same := func(what string, said int, f school.Filter) {
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

// A filter is kept by name for whoever saved it, and nobody else.
func TestSavedViews(t *testing.T) {
	h := newHouse(t)
	ctx, arden, office := t.Context(), h.who("ms.arden"), h.who("office")
	save := func(name string, filter ...string) string {
		return string(school.CodeOf(h.SaveView(ctx, arden, mara.School, mara.Year, school.SavedView{Name: name, Filter: filter})))
	}
	if got := save(" "); got != "needs-name" {
		t.Errorf("without a name: %q", got)
	}
	save("Late", "stage", "notBegun")
	save("Claims", "reason", "claim")
	save("Late", "reason", "unsigned")
	list, err := h.SavedViews(ctx, arden, mara.School, mara.Year)
	if err != nil || fmt.Sprint(list) != "[{Claims [reason claim]} {Late [reason unsigned]}]" {
		t.Errorf("%v, %v", list, err)
	}
	if list, err := h.SavedViews(ctx, office, mara.School, mara.Year); err != nil || len(list) != 0 {
		t.Errorf("somebody else has %v, %v", list, err)
	}
	if err := h.DropView(ctx, office, mara.School, mara.Year, "Late"); err != nil {
		t.Error(err)
	}
	if err := h.DropView(ctx, arden, mara.School, mara.Year, "Claims"); err != nil {
		t.Error(err)
	}
	if list, _ := h.SavedViews(ctx, arden, mara.School, mara.Year); fmt.Sprint(list) != "[{Late [reason unsigned]}]" {
		t.Errorf("then: %v", list)
	}
	for i := range 40 {
		if got := save(fmt.Sprint("v", i)); got != map[bool]string{true: "", false: "at-limit"}[i < 29] {
			t.Errorf("the %dth: %q", i+2, got)
		}
	}
	if got := school.CodeOf(h.SaveView(ctx, h.who("mara.quill"), mara.School, mara.Year, school.SavedView{Name: "x"})); got != "forbidden" {
		t.Errorf("a student saves a view: %s", got)
	}
}

// What was found of a sheet is looked for anew once the summer has a window of its own, which leaves the year as it was handed in.
func TestTheCaseloadMindsTheSummer(t *testing.T) {
	h := newHouse(t)
	h.finish()
	h.waive()
	h.submit()
	h.sign()
	h.edit(school.Edit{Act: "request", Course: "SPE1"})
	h.says("with a course in summer", "inProgress changed")
	round := school.Window{Round: school.OfTheSummer, Grade: -1, Opens: storetest.Now.AddDate(0, 0, -3), Families: storetest.Now.AddDate(0, 2, 0), Counselors: storetest.Now.AddDate(0, 3, 0)}
	h.must(nil, h.SetWindow(t.Context(), mara.School, mara.Year, round))
	h.says("with a window for the summer", "complete uncovered:PHY1:TID1")
}
