package schedule_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
	"rubricon/store"
)

// What is handed in is placed into the master schedule, with reasons for what is not given; it is published by grade, told to those concerned, whole or not at all, and taken back.
func TestPlacingAndPublishing(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	if r := h.Placed(ctx); r.State != store.TaskRefused || r.Why != "no-schedule" || r.Summary != nil {
		t.Errorf("without a master schedule: %s %s", r.State, r.Why)
	}
	h.Scheduled()
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	before := h.Approve()
	r := h.Placed(ctx)
	if r.State != store.TaskDone || r.Summary == nil || r.ID != 2 || r.Summary.Value > r.Summary.Bound || len(r.Curve) < 10 {
		t.Fatalf("a run: %s %s, %+v", r.State, r.Why, r.Summary)
	}
	p, err := h.Schedule.PlacedIn(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, apptest.Mara.Student)
	if err != nil || len(p.Given) != 9 || len(p.Lacking) != 1 || p.Open != 0 || p.Lot < 1 {
		t.Fatalf("what Mara is given: %+v, %v", p, err)
	}
	if l := p.Lacking[0]; l.Course != "CER1" || l.Why != "clash" || l.Instead != "PRI1" || l.Rank != 8 {
		t.Errorf("what she lacks: %+v", l)
	}
	alternates := 0
	for _, g := range p.Given {
		if g.Alternate {
			alternates++
			if g.Course != "PRI1" || g.Section != "pri1-1" || strings.Join(g.Terms, " ") != "S1" || len(g.Periods) != 1 || g.Periods[0] != 8 {
				t.Errorf("the alternate: %+v", g)
			}
		}
	}
	if alternates != 1 {
		t.Errorf("%d alternates", alternates)
	}
	lacking, err := h.Schedule.Lacking(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(lacking) == 0 {
		t.Errorf("who lacks something: %v, %v", lacking, err)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM placement_given g JOIN sheet sh USING (school_id, year, student_id) WHERE g.run_id = 2 AND sh.submission = 0`); n != 0 {
		t.Errorf("%d sheets were placed that nobody has handed in", n)
	}
	f, err := h.Schedule.Enrollments(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(f.Rows) == 0 {
		t.Fatalf("enrollments: %v", err)
	}
	found := false
	for _, row := range f.Rows {
		found = found || row[0] == "pri1-1:s0001" && row[5] == "s0001" && row[8] != "" && row[9] > row[8]
	}
	if !found {
		t.Errorf("Mara is in no section of Printmaking: %v", f.Rows[0])
	}

	for _, who := range []string{"ms.arden", "mara.quill", "ilse.quill"} {
		by := h.Who(who)
		if _, err := h.Schedule.StartRun(ctx, by, apptest.Mara.School, apptest.Mara.Year, 1, 1); problem.CodeOf(err) != "forbidden" {
			t.Errorf("%s starts a run: %v", who, err)
		}
		if _, err := h.Schedule.Publish(ctx, by, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); problem.CodeOf(err) != "forbidden" {
			t.Errorf("%s publishes: %v", who, err)
		}
		if _, err := h.Schedule.PlacedIn(ctx, by, apptest.Mara.School, apptest.Mara.Year, r.ID, apptest.Mara.Student); problem.CodeOf(err) != "forbidden" {
			t.Errorf("%s reads a run: %v", who, err)
		}
	}
	if d := h.Look("mara.quill"); schedule.WeekOf(d) != nil {
		t.Error("Mara is shown what is not published")
	}
	publish := func(run, grade int) (int, problem.Code) {
		n, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, run, grade)
		if err != nil && problem.CodeOf(err) == "" {
			t.Fatal(err)
		}
		return n, problem.CodeOf(err)
	}
	if _, code := publish(1, -1); code != problem.NotFound {
		t.Errorf("publishing a run that has found nothing: %s", code)
	}
	if _, code := publish(r.ID, 12); code != "nothing-submitted" && code != "" {
		t.Errorf("another grade: %s", code)
	}
	if d := h.Look("mara.quill"); d.Row.State != "cleared" || schedule.WeekOf(d) != nil {
		t.Errorf("after another grade was published: %s", d.Row.State)
	}
	h.Letters()
	n, code := publish(r.ID, 10)
	if code != "" || n == 0 {
		t.Fatalf("publishing grade 10: %d, %s", n, code)
	}
	d := h.Look("mara.quill")
	if d.Row.State != "placed" || schedule.WeekOf(d) == nil || len(schedule.WeekOf(d).Given) != 9 || len(schedule.WeekOf(d).Lacking) != 1 || d.Acts[acts.Edit].Allowed || d.Row.Version != before.Row.Version+1 {
		t.Errorf("published: %s, %+v", d.Row.State, schedule.WeekOf(d))
	}
	if other := h.Look("ilse.quill"); schedule.WeekOf(other) == nil {
		t.Error("her mother is not shown it")
	}
	if text := h.Letters(); !strings.Contains(text, "placed g0001") || !strings.Contains(text, "placed s0001") {
		t.Errorf("told: %s", text)
	}
	if events, _ := h.Sheet.History(ctx, h.Who("mara.quill"), apptest.Mara, 0); events[0].Kind != "placed" {
		t.Errorf("the history: %+v", events[0])
	}
	list, err := h.Schedule.Publications(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(list) == 0 || list[0].Grade != 10 || list[0].Sheets != n {
		t.Fatalf("what was published: %+v, %v", list, err)
	}
	// Published again, it is what it was before when it is taken back.
	if _, code := publish(r.ID, 10); code != "" {
		t.Errorf("again: %s", code)
	}
	list, _ = h.Schedule.Publications(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if _, err := h.Schedule.Unpublish(ctx, office, apptest.Mara.School, apptest.Mara.Year, list[0].ID, " "); problem.CodeOf(err) != problem.NeedsReason {
		t.Errorf("taken back without a reason: %v", err)
	}
	h.Letters()
	if back, err := h.Schedule.Unpublish(ctx, office, apptest.Mara.School, apptest.Mara.Year, list[0].ID, "The kiln is free after all."); err != nil || back != n {
		t.Errorf("taken back: %d, %v", back, err)
	}
	if d := h.Look("mara.quill"); d.Row.State != "cleared" || schedule.WeekOf(d) != nil {
		t.Errorf("taken back: %s", d.Row.State)
	}
	if text := h.Letters(); !strings.Contains(text, "unplaced g0001") || !strings.Contains(text, "The kiln is free after all.") {
		t.Errorf("told that it was taken back: %s", text)
	}
	if _, err := h.Schedule.Unpublish(ctx, office, apptest.Mara.School, apptest.Mara.Year, list[0].ID, "Again."); problem.CodeOf(err) != "already-done" {
		t.Errorf("taken back twice: %v", err)
	}

	// What was handed in again since the run is not what was placed.
	if _, err := h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, "One more look."); err != nil {
		t.Fatal(err)
	}
	h.Submit()
	publish(r.ID, 10)
	if d := h.Look("mara.quill"); d.Row.State == "placed" {
		t.Error("another submission than the one that was placed is published")
	}

	// A course that does not run is in no section.
	if _, err := h.Schedule.SetRuns(ctx, office, apptest.Mara.School, apptest.Mara.Year, "NOR2", false, "Nobody to teach it."); err != nil {
		t.Fatal(err)
	}
	r = h.Placed(ctx)
	if p, err := h.Schedule.PlacedIn(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, apptest.Mara.Student); err != nil || p.Lacking[0].Course != "NOR2" || p.Lacking[0].Why != "none" {
		t.Errorf("Norwegian does not run: %+v, %v", p.Lacking, err)
	}
}

// How the wishes of each rank were met is told by grade, and by program beside.
func TestRanksByProgram(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,5,Ms A"}, func(files []bundle.File) {
		for i := range files {
			f := &files[i]
			if f.Name != "users.csv" {
				continue
			}
			at := slices.Index(f.Header, "sourcedId")
			f.Header = append(slices.Clone(f.Header), "metadata.programs")
			for k, row := range f.Rows {
				program := ""
				if row[at] == "s0003" {
					program = "harbour"
				}
				f.Rows[k] = append(slices.Clone(row), program)
			}
		}
	})
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"CER1", "PHO1"}, nil)
	}
	r := h.Placed(t.Context())
	asked, harbour := 0, []schedule.RunRank{}
	for _, x := range r.Summary.Ranks {
		if x.Program == "" {
			asked += x.Asked
		} else {
			harbour = append(harbour, x)
		}
	}
	if want := []schedule.RunRank{{Grade: -1, Program: "harbour", Rank: 1, Asked: 1, Given: 1}, {Grade: -1, Program: "harbour", Rank: 2, Asked: 1}}; asked != 4 || !slices.Equal(harbour, want) {
		t.Errorf("%d asked by grade; by program %+v", asked, harbour)
	}
}

// A run that is stopped keeps the best it has found; one whose process ends is run again.
func TestStoppingARun(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	h.Scheduled()
	h.Finish()
	h.Waive()
	h.Submit()
	r, err := h.Schedule.StartRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, 7, 20)
	if err != nil {
		t.Fatal(err)
	}
	ending, end := context.WithCancel(ctx)
	end()
	_ = h.Background.RunTask(ending, apptest.Mara.School, r.Task)
	if err := h.Background.RunTask(ctx, apptest.Mara.School, r.Task); err != nil {
		t.Fatal(err)
	}
	list, err := h.Schedule.Runs(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || list[0].State != store.TaskDone || list[0].Summary == nil {
		t.Fatalf("run again: %+v, %v", list[0].State, err)
	}
	if _, err := h.Schedule.StopRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID); problem.CodeOf(err) != problem.TaskOver {
		t.Errorf("stopping what is over: %v", err)
	}
	waiting, err := h.Schedule.StartRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, 8, 20)
	if err != nil {
		t.Fatal(err)
	}
	if stopped, err := h.Schedule.StopRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, waiting.ID); err != nil || stopped.State != store.TaskStopped {
		t.Errorf("stopping what waits: %v, %v", stopped.State, err)
	}
	if _, err := h.Schedule.StopRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, 99); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("stopping what there is not: %v", err)
	}
}

// Where a master schedule is in, a sheet says which of its requests no choice of sections gives together; the office can have families not be told.
func TestWhatCannotBeHadTogether(t *testing.T) {
	h := apptest.NewHouse(t)
	clash := func() string {
		t.Helper()
		d := h.Look("mara.quill")
		var list []string
		for _, course := range d.Clash() {
			list = append(list, d.Year.Codes[course])
		}
		return strings.Join(list, " ")
	}
	h.Finish()
	if got := clash(); got != "" {
		t.Errorf("without a master schedule: %s", got)
	}
	tag := h.Look("mara.quill").Tag()
	h.Scheduled()
	if got := clash(); got != "HLT1 CER1" {
		t.Errorf("with one: %q", got)
	}
	// The counselor's list says it too, and knows it at once when a section moves.
	waits := func() string {
		t.Helper()
		var list []string
		for _, w := range h.Line().Waits {
			if w.Reason == "clash" {
				for _, course := range w.Courses {
					list = append(list, h.Look("mara.quill").Year.Codes[course])
				}
			}
		}
		return strings.Join(list, " ")
	}
	if got := waits(); got != "HLT1 CER1" {
		t.Errorf("the caseload: %q", got)
	}
	move := func(period int) {
		t.Helper()
		m, err := h.Schedule.MasterSchedule(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range m.Sections {
			if x.ID == "cer1-1" {
				x.Periods = []int{period}
				if _, err := h.Schedule.PutSection(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, &x); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	move(8)
	if a, b := clash(), waits(); a+b != "" {
		t.Errorf("moved away: %q, %q", a, b)
	}
	move(7)
	if h.Look("mara.quill").Tag() == tag {
		t.Error("the sheet has the tag it had before")
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	if got := clash(); got != "" {
		t.Errorf("without Ceramics: %s", got)
	}
	// What adding it would do is said before it is added.
	effects, err := h.Sheet.Effects(t.Context(), h.Who("mara.quill"), apptest.Mara, "")
	if err != nil {
		t.Fatal(err)
	}
	y := effects.Desk.Year
	for code, want := range map[string]string{"CER1": "HLT1", "PRI1": ""} {
		course, _ := y.Index(code)
		var with []string
		for _, c := range effects.Clash(course) {
			with = append(with, y.Codes[c])
		}
		if strings.Join(with, " ") != want {
			t.Errorf("with %s: %v", code, with)
		}
	}
	hlt, _ := y.Index("HLT1")
	cer, _ := y.Index("CER1")
	if list := effects.Desk.ClashWith(cer, hlt); len(list) != 0 {
		t.Errorf("in the place of Health: %v", list)
	}
	h.Edit(appsheet.Edit{Act: "undo"})
	if err := h.Schedule.PlanYear(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, schedule.YearPlan{Size: 24}); err != nil {
		t.Fatal(err)
	}
	if got := clash(); got != "" {
		t.Errorf("not told: %s", got)
	}
}
