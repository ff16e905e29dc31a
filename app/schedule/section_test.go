package schedule_test

import (
	"slices"
	"strings"
	"sync"
	"testing"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
)

// Sections are made, changed and taken away; a teacher or a room used twice is named at once; who has looked at an older one changes nothing.
func TestMasterSchedule(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Scheduled()
	ctx, office := t.Context(), h.Who("office")
	read := func() *schedule.MasterSchedule {
		t.Helper()
		m, err := h.Schedule.MasterSchedule(ctx, office, apptest.Mara.School, apptest.Mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	of := func(m *schedule.MasterSchedule, id string) *schedule.Section {
		at := slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == id })
		if at < 0 {
			return nil
		}
		return &m.Sections[at]
	}
	m := read()
	if len(m.Sections) != 11 || len(m.Doubles) != 0 || m.Periods != 8 || m.Run != 0 {
		t.Fatalf("%d sections, %v, %d periods", len(m.Sections), m.Doubles, m.Periods)
	}
	if x := of(m, "cer1-1"); x == nil || x.Course != "CER1" || !slices.Equal(x.Terms, []int{0}) || !slices.Equal(x.Periods, []int{7}) || x.Seats != 30 || x.Teacher != "Ms Teacher I" || x.Taken != nil {
		t.Fatalf("%+v", x)
	}
	put := func(x schedule.Section) string {
		t.Helper()
		id, err := h.Schedule.PutSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, &x)
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	id := put(schedule.Section{Course: "CER1", Terms: []int{0}, Periods: []int{8}, Seats: 12, Teacher: "  ms teacher j ", Room: "Kiln"})
	m = read()
	if x := of(m, id); id != "cer1-2" || x == nil || x.Title != "Ceramics I" || x.Seats != 12 || x.Room != "Kiln" || len(x.Days) != 0 {
		t.Fatalf("%s %+v", id, x)
	}
	// The teacher of Printmaking cannot be in two places, however the name is written; a room neither.
	if len(m.Doubles) != 1 || m.Doubles[0].What != "teacher" || m.Doubles[0].Sections != [2]string{"pri1-1", "cer1-2"} || !slices.Equal(m.Doubles[0].Periods, []int{8}) {
		t.Fatalf("%+v", m.Doubles)
	}
	x := *of(m, id)
	x.Teacher, x.Periods = "", []int{7}
	put(x)
	y := *of(read(), "cer1-1")
	y.Room = "kiln"
	put(y)
	if m = read(); len(m.Doubles) != 1 || m.Doubles[0].What != "room" || m.Doubles[0].Sections != [2]string{"cer1-1", "cer1-2"} {
		t.Fatalf("%+v", m.Doubles)
	}
	// x is as it was before the last change.
	if _, err := h.Schedule.PutSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, &x); problem.CodeOf(err) != problem.SectionChanged {
		t.Errorf("an older one: %v", err)
	}
	if err := h.Schedule.RemoveSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, id, x.Rev); problem.CodeOf(err) != problem.SectionChanged {
		t.Errorf("an older one is taken away: %v", err)
	}
	for what, bad := range map[string]schedule.Section{"no term": {Course: "CER1", Periods: []int{1}}, "a term that is none": {Course: "CER1", Terms: []int{77}, Periods: []int{1}},
		"a span that is none": {Course: "CER1", Terms: []int{0, 1}, Periods: []int{1}}, "a period that is none": {Course: "CER1", Terms: []int{0}, Periods: []int{9}},
		"a day that is none": {Course: "CER1", Terms: []int{0}, Periods: []int{1}, Days: []int{99}}} {
		if _, err := h.Schedule.PutSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, &bad); problem.CodeOf(err) != problem.BadSection {
			t.Errorf("%s: %v", what, err)
		}
	}
	if _, err := h.Schedule.PutSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, &schedule.Section{Course: "NONE"}); problem.CodeOf(err) != problem.NoCourse {
		t.Errorf("a course that is none: %v", err)
	}
	if _, err := h.Schedule.PutSection(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, &x); problem.CodeOf(err) != problem.Code(acts.NotYours) {
		t.Errorf("the counselor: %v", err)
	}
	if err := h.Schedule.RemoveSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, id, of(read(), id).Rev); err != nil {
		t.Fatal(err)
	}
	if m = read(); of(m, id) != nil || len(m.Sections) != 11 || len(m.Doubles) != 0 {
		t.Errorf("%+v", m)
	}
	// Two who change the same section at the same moment: one is told.
	x = *of(m, "cer1-1")
	var both sync.WaitGroup
	errs := make([]error, 2)
	for i := range errs {
		both.Go(func() {
			want := x
			want.Seats = 10 + i
			_, errs[i] = h.Schedule.PutSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, &want)
		})
	}
	both.Wait()
	if (errs[0] == nil) == (errs[1] == nil) || problem.CodeOf(errs[0])+problem.CodeOf(errs[1]) != problem.SectionChanged {
		t.Errorf("%v", errs)
	}
	// What is made here goes out with the rest.
	files, _, err := h.Imports.Export(ctx, apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		if f.Name == "classes.csv" && (len(f.Rows) != 11 || !strings.Contains(strings.Join(f.Rows[8], ","), "kiln")) {
			t.Errorf("%v", f.Rows)
		}
	}
}
