package schedule_test

import (
	"slices"
	"testing"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/internal/apptest"
	"rubricon/store"
)

// What would help most is found for a run, with its effect; tried as another run it has that effect, and nothing in the master schedule changes before it is used.
func TestWhatWouldHelp(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	ctx, office := t.Context(), h.Who("office")
	// Photography, too: it meets with the only section of Ceramics I.
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"CER1", "PHO1"}, []string{"PRI1"})
	}
	a := h.Placed(ctx)
	if _, err := h.Schedule.StopHelp(ctx, office, apptest.Mara.School, apptest.Mara.Year, a.ID); problem.CodeOf(err) != problem.TaskOver {
		t.Errorf("nothing is looked for: %v", err)
	}
	help := func(run, moves int) *schedule.Run {
		t.Helper()
		r, err := h.Schedule.StartHelp(ctx, office, apptest.Mara.School, apptest.Mara.Year, run, moves, 20)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := h.Schedule.StartHelp(ctx, office, apptest.Mara.School, apptest.Mara.Year, run, moves, 20); problem.CodeOf(err) != problem.Busy {
			t.Errorf("begun twice: %v", err)
		}
		if err := h.Background.RunTask(ctx, apptest.Mara.School, *r.Help); err != nil {
			t.Fatal(err)
		}
		list, err := h.Schedule.Runs(ctx, office, apptest.Mara.School, apptest.Mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		return list[slices.IndexFunc(list, func(r *schedule.Run) bool { return r.ID == run })]
	}
	r := help(a.ID, 5)
	if r.Helping == nil || *r.Helping != store.TaskDone || r.Helps == nil || len(r.Helps.List) == 0 || r.Helps.Value != r.Summary.Value || r.Helps.Complete != r.Summary.Complete || r.Helps.Students != 2 {
		t.Fatalf("%+v %v", r.Helps, r.Helping)
	}
	kinds := map[placement.HelpKind]bool{}
	for k, x := range r.Helps.List {
		kinds[x.Kind] = true
		if x.Value <= r.Summary.Value || k > 0 && x.Value > r.Helps.List[k-1].Value {
			t.Errorf("change %d: %+v", k, x)
		}
		// Each claim is confirmed by placing everybody again.
		tried, err := h.Schedule.StartRun(ctx, office, apptest.Mara.School, apptest.Mara.Year, 7, 20, x.SectionChange)
		if err != nil {
			t.Fatal(err)
		}
		if err := h.Background.RunTask(ctx, apptest.Mara.School, tried.Task); err != nil {
			t.Fatal(err)
		}
		list, _ := h.Schedule.Runs(ctx, office, apptest.Mara.School, apptest.Mara.Year)
		if s := list[0].Summary; s == nil || s.Value < x.Value || len(list[0].Changes) != 1 {
			t.Errorf("%+v is worth %d when tried", x, s.Value)
		}
	}
	if !kinds[placement.MoveSection] || !kinds[placement.OneSection] {
		t.Errorf("kinds: %v", kinds)
	}
	if r.Helps.Proposal == nil || r.Helps.Proposal.Value <= r.Summary.Value {
		t.Fatalf("%+v", r.Helps.Proposal)
	}
	// A section in which someone is held is not moved.
	before := r.Helps
	var held []string
	for _, x := range before.List {
		if x.Kind == placement.MoveSection && h.Schedule.HoldAs(ctx, office, apptest.Mara.School, apptest.Mara.Year, a.ID, "section", x.Section) == nil {
			held = append(held, x.Section)
		}
	}
	r = help(a.ID, 5)
	for _, x := range r.Helps.List {
		if x.Kind == placement.MoveSection && slices.Contains(held, x.Section) {
			t.Errorf("a held section would move: %+v", x)
		}
	}
	for _, section := range held {
		if err := h.Schedule.Release(ctx, office, apptest.Mara.School, apptest.Mara.Year, "section", section); err != nil {
			t.Fatal(err)
		}
	}
	if len(held) == 0 {
		t.Errorf("nothing could be held: %+v", before.List)
	}
	// Nothing was changed by trying, and a run with other sections is not shown to families.
	m, err := h.Schedule.MasterSchedule(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(m.Sections) != 3 {
		t.Fatalf("%+v %v", m, err)
	}
	var moved *schedule.Run
	list, _ := h.Schedule.Runs(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	for _, x := range list {
		if len(x.Changes) == 1 && x.Changes[0].Kind == placement.MoveSection {
			moved = x
		}
	}
	if _, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, moved.ID, -1); problem.CodeOf(err) != problem.RunBehind {
		t.Errorf("published with sections that are not so: %v", err)
	}
	if _, err := h.Schedule.UseSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, a.ID); problem.CodeOf(err) != problem.Code(acts.AlreadyDone) {
		t.Errorf("a run that tries nothing: %v", err)
	}
	if n, err := h.Schedule.UseSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, moved.ID); err != nil || n != 1 {
		t.Fatalf("%d %v", n, err)
	}
	m, _ = h.Schedule.MasterSchedule(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	c := moved.Changes[0]
	if x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == c.Section })]; !slices.Equal(x.Periods, c.To) || slices.Equal(x.Periods, c.From) {
		t.Errorf("%+v after %+v", x, c)
	}
	if _, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, moved.ID, -1); err != nil {
		t.Errorf("published once the sections are so: %v", err)
	}
	if _, err := h.Schedule.UseSections(ctx, office, apptest.Mara.School, apptest.Mara.Year, moved.ID); problem.CodeOf(err) != problem.SectionChanged {
		t.Errorf("used twice: %v", err)
	}
	// The first run is behind now, and says so rather than advise.
	if r = help(a.ID, 0); *r.Helping != store.TaskRefused {
		t.Errorf("%v", *r.Helping)
	}
}
