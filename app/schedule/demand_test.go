package schedule_test

import (
	"fmt"
	"strings"
	"testing"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
)

// Demand counts what is handed in, and with drafts what is on sheets; sections are planned by hand or as many as it takes; and a course that does not run is asked for by no one: what
// Cover gives comes in, those concerned are told, and it can be taken back.
func TestDemand(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	look := func(drafts bool) *schedule.Demand {
		t.Helper()
		d, err := h.Schedule.Demand(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0, drafts)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	of := func(d *schedule.Demand, code string) *schedule.DemandCourse {
		t.Helper()
		course, ok := d.Year.Index(code)
		if !ok {
			t.Fatal(code)
		}
		return &d.Courses[course]
	}
	for _, who := range []string{"ms.arden", "mara.quill", "ilse.quill"} {
		if _, err := h.Schedule.Demand(ctx, h.Who(who), apptest.Mara.School, apptest.Mara.Year, 0, false); problem.CodeOf(err) != "forbidden" {
			t.Errorf("%s sees the demand: %v", who, err)
		}
	}
	before := look(false)
	drafted := of(look(true), "CER1").Requests
	h.Finish()
	if n := of(look(false), "CER1").Requests; n != of(before, "CER1").Requests {
		t.Errorf("what is not handed in is counted: %d", n)
	}
	h.Submit()
	after := look(false)
	if c := of(after, "CER1"); c.Requests != of(before, "CER1").Requests+1 || c.ByGrade[10] != of(before, "CER1").ByGrade[10]+1 || after.Submitted != before.Submitted+1 || after.Size != 24 {
		t.Errorf("handed in: %+v, %d of %d", c.Course, after.Submitted, after.Students)
	}
	if n := of(look(true), "CER1").Requests; n != drafted {
		t.Errorf("with drafts: %d, before %d", n, drafted)
	}
	// What was handed in counts, whatever is on the sheet since.
	h.Edit(appsheet.Edit{Act: "replace", Course: "SCU1", Instead: "CER1"})
	if d := look(false); of(d, "CER1").Requests != of(after, "CER1").Requests || of(d, "SCU1").Requests != of(after, "SCU1").Requests {
		t.Error("a change since is counted")
	}
	h.Edit(appsheet.Edit{Act: "undo"})

	two := 2
	if err := h.Schedule.PlanSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, "CER1", &two); err != nil {
		t.Fatal(err)
	}
	if err := h.Schedule.PlanYear(ctx, office, apptest.Mara.School, apptest.Mara.Year, schedule.YearPlan{Size: 20, Periods: &two, Clashes: true}); err != nil {
		t.Fatal(err)
	}
	d := look(false)
	if c := of(d, "CER1"); c.Set == nil || *c.Set != 2 || d.Size != 20 || d.Periods == nil || *d.Periods != 2 {
		t.Errorf("planned: %+v, size %d, %v periods", c.Set, d.Size, d.Periods)
	}
	if more := d.Planned - after.Planned; more != 50*2-50 { // half a year each, in hundredths; one was needed before
		t.Errorf("a section more of a semester takes %v teaching periods", more)
	}
	if err := h.Schedule.PlanSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, "CER1", nil); err != nil {
		t.Fatal(err)
	}
	if c := of(look(false), "CER1"); c.Set != nil {
		t.Errorf("planned again as many as it takes: %v", *c.Set)
	}
	for _, c := range []struct {
		code string
		want problem.Code
	}{{"NOSUCH", problem.NoCourse}} {
		if err := h.Schedule.PlanSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, c.code, &two); problem.CodeOf(err) != c.want {
			t.Errorf("planning %s: %v", c.code, err)
		}
	}

	one, err := h.Schedule.DemandFor(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0, false, "CER1")
	if err != nil || len(one.Pairs) == 0 {
		t.Fatalf("one course: %+v, %v", one, err)
	}

	// Printmaking stands in for Ceramics I.
	h.Letters()
	runs := func(code string, runs bool, reason string) (int, problem.Code) {
		told, err := h.Schedule.SetRuns(ctx, office, apptest.Mara.School, apptest.Mara.Year, code, runs, reason)
		if err != nil && problem.CodeOf(err) == "" {
			t.Fatal(err)
		}
		return told, problem.CodeOf(err)
	}
	for _, c := range []struct {
		code   string
		runs   bool
		reason string
		want   problem.Code
	}{{"CER1", false, " ", problem.NeedsReason}, {"NOSUCH", false, "x", problem.NoCourse}, {"CER1", true, "", "already-done"}} {
		if _, got := runs(c.code, c.runs, c.reason); got != c.want {
			t.Errorf("%+v: %s", c, got)
		}
	}
	before = look(false)
	told, code := runs("CER1", false, "The kiln is broken.")
	if code != "" || told != of(before, "CER1").Requests {
		t.Fatalf("%d told, %s", told, code)
	}
	d = look(false)
	if c, in := of(d, "CER1"), of(d, "PRI1"); c.Requests != 0 || c.Stopped == nil || c.Stopped.Reason != "The kiln is broken." || in.StepIn == 0 || in.Requests != of(before, "PRI1").Requests+in.StepIn {
		t.Errorf("Ceramics does not run: %+v; Printmaking %+v, %d come in", c, in.Course, in.StepIn)
	}
	if d.Planned >= before.Planned+100 {
		t.Errorf("a course that does not run takes teaching periods: %v, before %v", d.Planned, before.Planned)
	}
	if text := h.Letters(); !strings.Contains(text, `notRunning g0001`) || !strings.Contains(text, `notRunning s0001 {"course": "CER1", "instead": "PRI1", "message": "The kiln is broken."}`) {
		t.Errorf("told: %s", text)
	}
	catalog, err := h.Catalog.Catalog(ctx, h.Who("mara.quill"), apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(catalog.Stopped) != 1 || catalog.Stopped[0].Course != "CER1" {
		t.Errorf("the student's catalog: %+v, %v", catalog.Stopped, err)
	}
	if got := fmt.Sprint(runs("CER1", false, "Again.")); got != fmt.Sprint(0, "already-done") && !strings.HasSuffix(got, "already-done") {
		t.Errorf("twice: %s", got)
	}
	if told, code := runs("CER1", true, ""); code != "" || told == 0 {
		t.Errorf("after all: %d, %s", told, code)
	}
	if c := of(look(false), "CER1"); c.Requests != of(before, "CER1").Requests || c.Stopped != nil {
		t.Errorf("it runs after all: %+v", c)
	}
	if text := h.Letters(); !strings.Contains(text, "running s0001") {
		t.Errorf("told that it runs: %s", text)
	}
}
