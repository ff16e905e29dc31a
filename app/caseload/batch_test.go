package caseload_test

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/caseload"
	"rubricon/core/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

func TestClearingMany(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	foreign := testdb.Value[string](t, h.DB, `SELECT student_id FROM relation WHERE kind = 'counsels' AND person_id <> 'k1' ORDER BY student_id LIMIT 1`)
	id, got := h.Batch(appcaseload.Batch{Kind: "clear"}, "s0002", apptest.Mara.Student, foreign, "nobody")
	if want := fmt.Sprintf("nobody:not-found s0001 s0002:nothing-submitted %s:forbidden", foreign); got != want {
		t.Errorf("clearing four gives %s, want %s", got, want)
	}
	if h.Look("mara.quill").Row.State != "cleared" {
		t.Error("it is not cleared")
	}
	if _, got := h.Batch(appcaseload.Batch{Kind: "clear"}, apptest.Mara.Student); got != "s0001:already-done" {
		t.Errorf("clearing what is cleared: %s", got)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM batch`); n != 1 {
		t.Errorf("%d acts are kept; one was done to no sheet", n)
	}
	// A version that was looked at and is no longer: named, and nothing done.
	_, list, err := h.Caseload.DoBatch(t.Context(), h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: "sendBack", Message: "x", Sheets: []appcaseload.Choice{{Student: apptest.Mara.Student, Version: 1}}})
	if err != nil || apptest.Outcome(list) != "s0001:stale-version" {
		t.Errorf("an old version: %v, %v", list, err)
	}
	// It is taken back as one, with a reason, once.
	for _, c := range []struct{ reason, want string }{{"", "needs-reason"}, {"Too early.", "s0001"}, {"Too early.", "already-done"}} {
		if got := h.Back(id, c.reason); got != c.want {
			t.Errorf("taking it back with %q: %s, want %s", c.reason, got, c.want)
		}
	}
	if d := h.Look("mara.quill"); d.Row.State != "signed" {
		t.Errorf("taken back it is %s", d.Row.State)
	}
	for _, c := range []struct {
		who, want string
		many      int
	}{{"mara.quill", "forbidden", 0}, {"office", "too-much", appcaseload.MaxChoices + 1}} {
		if _, _, err := h.Caseload.DoBatch(t.Context(), h.Who(c.who), apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: "clear", Sheets: make([]appcaseload.Choice, c.many)}); string(problem.CodeOf(err)) != c.want {
			t.Errorf("%s: %v, want %s", c.who, err, c.want)
		}
	}
}

func TestSendingManyBack(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	if _, got := h.Batch(appcaseload.Batch{Kind: "sendBack"}, apptest.Mara.Student); got != "needs-message" {
		t.Errorf("without a word: %s", got)
	}
	id, got := h.Batch(appcaseload.Batch{Kind: "sendBack", Message: "Two alternates, please."}, apptest.Mara.Student, "s0002")
	if d := h.Look("mara.quill"); got != "s0001 s0002:nothing-submitted" || d.Row.State != "sentBack" || d.Row.Message != "Two alternates, please." {
		t.Errorf("%s: %s, %q", got, d.Row.State, d.Row.Message)
	}
	if got := h.Back(id, "By mistake."); got != "s0001" || h.Look("mara.quill").Row.State != "submitted" {
		t.Errorf("taken back: %s, %s", got, h.Look("mara.quill").Row.State)
	}
	id, _ = h.Batch(appcaseload.Batch{Kind: "sendBack", Message: "Again."}, apptest.Mara.Student)
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	if got := h.Back(id, "Too late."); got != "s0001:gone-on" || h.Look("mara.quill").Row.State != "sentBack" {
		t.Errorf("after the family has gone on: %s", got)
	}
	if testdb.Value[bool](t, h.DB, `SELECT back_at IS NOT NULL FROM batch WHERE id = $1`, id) {
		t.Error("what could not be taken back is said to be")
	}
}

// What the school says of a student comes at once, is not said twice, and is taken back with what it did to the sheet.
func TestWhatTheSchoolPrepares(t *testing.T) {
	h := apptest.NewHouse(t)
	before := h.Courses()
	for name, c := range map[string]struct {
		b    appcaseload.Batch
		want string
	}{
		"no reason":         {appcaseload.Batch{Kind: "assign", Course: "AST1"}, "needs-reason"},
		"no course":         {appcaseload.Batch{Kind: "assign", Reason: "x"}, "no-such-course"},
		"an unknown course": {appcaseload.Batch{Kind: "assign", Course: "NONE", Reason: "x"}, "no-such-course"},
		"an unknown kind":   {appcaseload.Batch{Kind: "expel", Reason: "x"}, "bad-act"},
		"no rule":           {appcaseload.Batch{Kind: "exempt", Name: "none", Reason: "x"}, "no-such-rule"},
		"no entry":          {appcaseload.Batch{Kind: "exempt", Name: "graduation/none", Reason: "x"}, "no-such-rule"},
		"no permission":     {appcaseload.Batch{Kind: "permit", Course: "AST1", Reason: "x"}, "needs-name"},
		"about nothing":     {appcaseload.Batch{Kind: "remind", Name: "lunch"}, "bad-act"},
		"not on the sheet":  {appcaseload.Batch{Kind: "takeOff", Course: "AST1", Reason: "x"}, "s0001:not-on-sheet"},
		"another grade":     {appcaseload.Batch{Kind: "assign", Course: "ENG12", Reason: "x"}, "s0001:barred"},
	} {
		if _, got := h.Batch(c.b, apptest.Mara.Student); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
	if h.Courses() != before || h.History() != "" {
		t.Fatalf("what was refused has left %s, %s", h.Courses(), h.History())
	}
	id, got := h.Batch(appcaseload.Batch{Kind: "assign", Course: "AST1", Fixed: true, Reason: "For all of grade 10."}, apptest.Mara.Student)
	if got != "s0001" || h.Courses() != before+" AST1!" {
		t.Errorf("assigned: %s, %s", got, h.Courses())
	}
	if _, got := h.Batch(appcaseload.Batch{Kind: "assign", Course: "AST1", Fixed: true, Reason: "Again."}, apptest.Mara.Student); got != "s0001:already-done" {
		t.Errorf("assigned twice: %s", got)
	}
	h.Refuses(appsheet.Edit{Act: "remove", Course: "AST1"}, problem.Fixed)
	if d := h.Look("ms.arden"); d.Row.Begun {
		t.Error("what the school prepares is a beginning")
	}
	if got := h.Back(id, "Not all."); got != "s0001" || h.Courses() != before {
		t.Errorf("taken back: %s, %s", got, h.Courses())
	}
	// A course that is taken off comes back as it was, with what the school had said.
	assigned := strings.TrimRight(strings.Fields(before)[0], "!*")
	id, got = h.Batch(appcaseload.Batch{Kind: "takeOff", Course: assigned, Reason: "Another way."}, apptest.Mara.Student)
	if got != "s0001" || strings.Contains(h.Courses(), assigned) {
		t.Errorf("taken off: %s, %s", got, h.Courses())
	}
	if got := h.Back(id, "After all."); got != "s0001" || h.Courses() != before {
		t.Errorf("and back: %s, %s, want %s", got, h.Courses(), before)
	}
	for _, b := range []appcaseload.Batch{
		{Kind: "exempt", Name: "science-10", Reason: "Taken elsewhere."}, {Kind: "permit", Name: "audition", Course: "AST1", Reason: "Heard."},
		{Kind: "waive", Course: "PHY1", Reason: "By the head."}, {Kind: "place", Course: "AST1", Reason: "By the test."},
	} {
		id, got := h.Batch(b, apptest.Mara.Student)
		said := h.Look("ms.arden").Known.Signals
		last := said[len(said)-1]
		if got != "s0001" || last.By != "k1" || last.Note != b.Reason || last.Code != b.Course || last.Name != b.Name {
			t.Errorf("%s: %s, %+v", b.Kind, got, last)
		}
		if _, got := h.Batch(b, apptest.Mara.Student); got != "s0001:already-done" {
			t.Errorf("%s twice: %s", b.Kind, got)
		}
		if got := h.Back(id, "x"); got != "s0001" || len(h.Look("ms.arden").Known.Signals) != len(said)-1 {
			t.Errorf("%s taken back: %s", b.Kind, got)
		}
	}
	if d := h.Look("mara.quill"); d.Acts[2].Allowed {
		t.Error("the family can undo what the school did")
	}
}

// A placeholder gives its place to the course that replaces it, whatever way the school says so; so does an elective that is named.
func TestReplacing(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Edit(appsheet.Edit{Act: "request", Course: "MATP"})
	with := h.Courses()
	if !strings.Contains(with, "MATP") {
		t.Fatalf("no placeholder: %s", with)
	}
	for _, kind := range []string{"assign", "place"} {
		id, got := h.Batch(appcaseload.Batch{Kind: kind, Course: "GEO1A", Reason: "By the test in May."}, apptest.Mara.Student)
		if courses := h.Courses(); got != "s0001" || strings.Contains(courses, "MATP") || !strings.Contains(courses, "GEO1A") {
			t.Errorf("%s: %s, %s", kind, got, courses)
		}
		if got := h.Back(id, "Wrong list."); got != "s0001" || h.Courses() != with {
			t.Errorf("%s taken back: %s, %s, want %s", kind, got, h.Courses(), with)
		}
	}
	elective := "CER1"
	if !strings.Contains(with, elective) {
		t.Fatalf("no %s in %s", elective, with)
	}
	_, got := h.Batch(appcaseload.Batch{Kind: "assign", Course: "AST1", Instead: elective, Reason: "Taken into the group."}, apptest.Mara.Student)
	if want := strings.Replace(with, elective, "AST1*", 1); got != "s0001" || h.Courses() != want {
		t.Errorf("in the place of an elective: %s, %s, want %s", got, h.Courses(), want)
	}
}

// No one is reminded of the same twice a day; the family reads it with the name.
func TestReminders(t *testing.T) {
	h := apptest.NewHouse(t)
	remind := appcaseload.Batch{Kind: "remind", Name: string(caseload.Unsigned), Message: "Until Friday."}
	id, got := h.Batch(remind, apptest.Mara.Student, "s0002")
	if got != "s0001 s0002" {
		t.Errorf("reminded: %s", got)
	}
	if _, got := h.Batch(remind, apptest.Mara.Student); got != "s0001:reminded-today" {
		t.Errorf("again: %s", got)
	}
	if _, got := h.Batch(appcaseload.Batch{Kind: "remind", Name: string(caseload.Overdue)}, apptest.Mara.Student); got != "s0001" {
		t.Errorf("of something else: %s", got)
	}
	list, err := h.Caseload.Reminders(t.Context(), h.Who("ilse.quill"), apptest.Mara)
	if err != nil || len(list) != 2 || list[1].About != "unsigned" || list[1].Text != "Until Friday." || list[1].By != "Ms Arden" {
		t.Errorf("the family reads %+v, %v", list, err)
	}
	h.At(testdb.Now.AddDate(0, 0, 1))
	if _, got := h.Batch(remind, apptest.Mara.Student); got != "s0001" {
		t.Errorf("the next day: %s", got)
	}
	if got := h.Back(id, "x"); got != "s0001 s0002" {
		t.Errorf("taken back: %s", got)
	}
	if list, _ := h.Caseload.Reminders(t.Context(), h.Who("ilse.quill"), apptest.Mara); len(list) != 2 {
		t.Errorf("then there are %d", len(list))
	}
	h.At(testdb.Now.AddDate(0, 0, 20))
	if list, _ := h.Caseload.Reminders(t.Context(), h.Who("ilse.quill"), apptest.Mara); len(list) != 0 {
		t.Errorf("three weeks later there are %d", len(list))
	}
	if _, err := h.Caseload.Reminders(t.Context(), h.Who("mara.quill"), schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: "s0002"}); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("of somebody else: %v", err)
	}
}

// A batch loses no change that a student makes in the meantime, and does its part all the same.
func TestABatchWhileStudentsEdit(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Settings(`{"counselors": "school"}`)
	students := testdb.Value[[]string](t, h.DB, `SELECT array_agg(student_id) FROM (SELECT s.student_id FROM sheet s JOIN person p ON p.school_id = s.school_id AND p.id = s.student_id
		WHERE s.school_id = 'pellworth' AND s.state IN ('inProgress', 'submitted', 'signed') AND p.account_id IS NOT NULL ORDER BY 1 LIMIT 32) x`)
	var sheets []appcaseload.Choice
	var work sync.WaitGroup
	ranked := make([]string, len(students))
	for i, id := range students {
		sheets = append(sheets, appcaseload.Choice{Student: id})
		who := testdb.Value[int64](t, h.DB, `SELECT account_id FROM person WHERE school_id = 'pellworth' AND id = $1`, id)
		at := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: id}
		work.Go(func() {
			for n := range 3 {
				d, err := h.Sheet.Sheet(t.Context(), who, at)
				if err != nil {
					t.Error(err)
					return
				}
				edit := appsheet.Edit{Version: d.Row.Version, Key: fmt.Sprint("k", n), Act: string(sheet.MakeAlternate), Course: "AST1"}
				if n == 1 {
					edit.Act = string(sheet.TakeOff)
				}
				if _, err := h.Sheet.Change(t.Context(), who, at, edit); err == nil {
					ranked[i] = edit.Act // answered as kept
				}
			}
		})
	}
	_, list, err := h.Caseload.DoBatch(t.Context(), h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: "assign", Course: "PUZ1", Reason: "For all.", Sheets: sheets})
	work.Wait()
	if err != nil {
		t.Fatal(err)
	}
	done := 0
	for _, o := range list {
		if o.Code == "" {
			done++
		}
	}
	for i, id := range students {
		on := func(course string) int {
			return testdb.Value[int](t, h.DB, `SELECT count(*) FROM entry WHERE student_id = $1 AND course_code = $2`, id, course)
		}
		if ranked[i] == string(sheet.MakeAlternate) && on("AST1") != 1 || ranked[i] == string(sheet.TakeOff) && on("AST1") != 0 {
			t.Errorf("%s: the change that was answered last, %s, is lost", id, ranked[i])
		}
		if k := slices.IndexFunc(list, func(o appcaseload.Outcome) bool { return o.Student == id }); list[k].Code == "" && on("PUZ1") != 1 {
			t.Errorf("%s: the assignment is lost", id)
		}
	}
	if done < len(students)/2 {
		t.Errorf("%d of %d were done: %s", done, len(students), apptest.Outcome(list))
	}
}

func TestCohorts(t *testing.T) {
	h := apptest.NewHouse(t)
	choose := func(w appcaseload.Whom) string {
		t.Helper()
		c, err := h.Caseload.Cohort(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, w)
		if err != nil {
			return string(problem.CodeOf(err))
		}
		var words []string
		for _, l := range c.Lines {
			words = append(words, fmt.Sprintf("line %d twice %v of %d", l.Number, l.Twice, len(l.People)))
		}
		return strings.TrimSpace(fmt.Sprint(len(c.Students), " ", strings.Join(words, ", ")))
	}
	count := func(query string) string { return fmt.Sprint(testdb.Value[int](t, h.DB, query)) }
	for name, c := range map[string]struct {
		w    appcaseload.Whom
		want string
	}{
		"all":            {appcaseload.Whom{}, count(`SELECT count(*) FROM sheet WHERE school_id = 'pellworth'`)},
		"a grade":        {appcaseload.Whom{Grades: []int{10}}, count(`SELECT count(*) FROM sheet WHERE school_id = 'pellworth' AND grade = 10`)},
		"earned":         {appcaseload.Whom{Condition: "passed GEO1"}, count(`SELECT count(DISTINCT student_id) FROM record WHERE course_code IN ('GEO1', 'GEO1A') AND outcome IN ('earned', 'transfer')`)},
		"or being taken": {appcaseload.Whom{Condition: "passed GEO1", Taking: true}, count(`SELECT count(DISTINCT student_id) FROM record WHERE course_code IN ('GEO1', 'GEO1A') AND outcome IN ('earned', 'transfer', 'inProgress')`)},
		"of no catalog":  {appcaseload.Whom{Condition: "passed NOWHERE"}, "0"},
		"unreadable":     {appcaseload.Whom{Condition: "passed"}, "bad-condition"},
		"about nothing":  {appcaseload.Whom{Condition: "recommended"}, "bad-condition"},
		"recommended":    {appcaseload.Whom{Condition: "recommended", Course: "ALG2"}, count(`SELECT count(DISTINCT student_id) FROM signal WHERE kind = 'recommendation' AND course_code = 'ALG2'`)},
		"nested deep":    {appcaseload.Whom{Condition: strings.Repeat("(", 200) + "grade 9" + strings.Repeat(")", 200)}, "bad-condition"},
		"a list":         {appcaseload.Whom{Roster: "Name\nQuill, Mara\ns0002\nmara.quill\nNobody At All\n"}, "2 line 4 twice true of 1, line 5 twice false of 0"},
		"list and grade": {appcaseload.Whom{Roster: "s0001\ns0002", Grades: []int{10}}, count(`SELECT count(*) FROM sheet WHERE student_id IN ('s0001', 's0002') AND grade = 10`)},
		"an endless one": {appcaseload.Whom{Roster: strings.Repeat("x", 600<<10)}, "too-much"},
	} {
		if got := choose(c.w); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
	if _, err := h.Caseload.Cohort(t.Context(), h.Who("mara.quill"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Whom{}); problem.CodeOf(err) != "forbidden" {
		t.Errorf("a student chooses: %v", err)
	}
}

// A list of records of another school is read before anything is entered: whose each row is, and what cannot be read; then each student gets
// their own, as one act that is taken back as one.
func TestRecordsOfManyStudents(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	rows, problems, err := h.Caseload.ReadRecords(ctx, office, apptest.Mara.School, apptest.Mara.Year,
		"student;courseCode;title;subject;schoolYear;credits;mark;outcome\nQuill, Mara;ART9;Weaving;Arts;2024-25;0,5;;\nmara.quill;ENG09;;;;;91;\nnobody;ENG09;;;;;;\ns0003;ART9;Weaving;Arts;2024-25;0.5;B+;earned\ns0003;ENG09;;;;;999;\ns0003;ENG09;;;2024-25;1;x\n")
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	var own []appcaseload.OwnEntry
	for _, r := range rows {
		who := "-"
		if r.Student != nil {
			who = r.Student.Student
		}
		got += fmt.Sprintf("%d %s %s %s %s %q; ", r.Line, who, r.Entry.Course, r.Entry.SchoolYear, r.Entry.Outcome, r.Bad)
		if r.Student != nil && r.Bad == "" {
			own = append(own, appcaseload.OwnEntry{Student: r.Student.Student, Entry: r.Entry})
		}
	}
	if want := `2 s0001 ART9 2024-25 transfer "credits"; 3 s0001 ENG09 2026-27 transfer ""; 4 - ENG09 2026-27 transfer ""; 5 s0003 ART9 2024-25 earned ""; 6 s0003 ENG09 2026-27 transfer "mark"; `; got != want {
		t.Errorf("read: %s, want %s", got, want)
	}
	if len(problems) != 1 || problems[0].Line != 7 {
		t.Errorf("a row with a cell too few: %v", problems)
	}
	own = append(own, appcaseload.OwnEntry{Student: "s0003", Entry: appsheet.Entry{Course: "MUS0", Title: "Humming", SchoolYear: "2023-24", Credits: "1", Outcome: "earned"}})
	count := func() string {
		return testdb.Value[string](t, h.DB, `SELECT coalesce(string_agg(student_id || ' ' || course_code, ', ' ORDER BY student_id, course_code), '') FROM record WHERE here AND replaced IS NULL`)
	}
	id, outcomes, err := h.Caseload.DoBatch(ctx, office, apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: appcaseload.BatchRecord, Reason: "From the old school.", Own: own, Sheets: []appcaseload.Choice{{Student: "s0001"}, {Student: "s0003"}, {Student: "s0004"}}})
	if err != nil || len(outcomes) != 3 {
		t.Fatal(outcomes, err)
	}
	for _, o := range outcomes {
		if want := map[string]problem.Code{"s0004": "already-done"}[o.Student]; o.Code != want {
			t.Errorf("%s: %q, want %q", o.Student, o.Code, want)
		}
	}
	if got := count(); got != "s0001 ENG09, s0003 ART9, s0003 MUS0" {
		t.Errorf("entered: %s", got)
	}
	// A counselor takes back for one student what the office did to many, and not for all of them.
	if got := h.Back(id, "Not theirs."); got != "others-batch" || count() != "s0001 ENG09, s0003 ART9, s0003 MUS0" {
		t.Errorf("by a counselor: %s, left %s", got, count())
	}
	for _, c := range []struct {
		who, student string
		want         bool
	}{{"ms.arden", "", false}, {"ms.arden", "s0001", true}, {"office", "", true}} {
		if list, err := h.Caseload.Batches(ctx, h.Who(c.who), apptest.Mara.School, apptest.Mara.Year, c.student, 0); err != nil || len(list) == 0 || list[0].MayTakeBack != c.want {
			t.Errorf("%s, of %q: %+v, %v; may take it back: want %v", c.who, c.student, list, err, c.want)
		}
	}
	if back, err := h.Caseload.TakeBack(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, id, "s0001", "Not hers."); err != nil || apptest.Outcome(back) != "s0001" || count() != "s0003 ART9, s0003 MUS0" {
		t.Errorf("for one student: %v, %v, left %s", back, err, count())
	}
	if back, err := h.Caseload.TakeBack(ctx, office, apptest.Mara.School, apptest.Mara.Year, id, "", "Not theirs."); err != nil || len(back) != 1 || count() != "" {
		t.Errorf("taken back: %v, %v, left %s", back, err, count())
	}
	bad := []appcaseload.OwnEntry{{Student: "s0001", Entry: appsheet.Entry{Course: "ENG09", SchoolYear: "soon", Outcome: "earned"}}}
	if _, err := h.Caseload.TryBatch(ctx, office, apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: appcaseload.BatchRecord, Own: bad, Sheets: []appcaseload.Choice{{Student: "s0001"}}}); problem.CodeOf(err) != problem.BadRecord {
		t.Errorf("a record that cannot be read: %v", err)
	}
	if _, _, err := h.Caseload.ReadRecords(ctx, office, apptest.Mara.School, apptest.Mara.Year, strings.Repeat("x", 600<<10)); problem.CodeOf(err) != problem.TooMuch {
		t.Errorf("a long list: %v", err)
	}
}
