package schedule_test

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A place is given and taken by hand with a reason, where that is valid; later runs keep it, and so they keep what is held.
func TestByHand(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	first, second := "s0003", "s0004"
	if h.Has(r.ID, first) != "cer1-1" {
		first, second = second, first
	}
	if a, b := h.Has(r.ID, first), h.Has(r.ID, second); a != "cer1-1" || b != "pri1-1, not CER1: full" {
		t.Fatalf("%s; %s", a, b)
	}
	hand := func(student, course, section, reason string) error {
		return h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, student, course, section, reason)
	}
	refused := func(err error, code problem.Code, param string) {
		t.Helper()
		var known *problem.Error
		if problem.CodeOf(err) != code {
			t.Errorf("%v, want %s", err, code)
		} else if known = err.(*problem.Error); known.Param != param {
			t.Errorf("%s about %q, want %q", code, known.Param, param)
		}
	}
	refused(hand(second, "CER1", "cer1-1", " "), problem.NeedsReason, "")
	refused(hand(second, "CER1", "cer1-1", "She builds kilns."), problem.Code(placement.NoSeat), "")
	refused(hand(second, "PHO1", "pho1-1", "x"), problem.Code(placement.NotAsked), "")
	refused(hand(second, "CER1", "pri1-1", "x"), problem.NotFound, "")
	refused(hand("s0009", "CER1", "cer1-1", "x"), problem.NotFound, "")
	refused(h.Schedule.ByHand(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, r.ID, second, "CER1", "cer1-1", "x"), problem.Code(acts.NotYours), "")
	h.SeatsIn("cer1-1", 2)
	refused(hand(second, "CER1", "cer1-1", "She builds kilns."), problem.Code(placement.BesideRequest), "PRI1")
	for _, step := range [][2]string{{"PRI1", ""}, {"CER1", "cer1-1"}} {
		if err := hand(second, step[0], step[1], "She builds kilns."); err != nil {
			t.Fatal(err)
		}
		if step[1] == "" && h.Has(r.ID, second) != "not CER1: hand" {
			t.Errorf("after taking: %s", h.Has(r.ID, second))
		}
	}
	if got := h.Has(r.ID, second); got != "cer1-1" {
		t.Errorf("by hand: %s", got)
	}
	list, err := h.Schedule.RunActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(list) != 2 || list[0].Kind != "give" || list[0].Section != "cer1-1" || list[1].Kind != "take" || list[1].Reason != "She builds kilns." || list[0].By == "" {
		t.Errorf("%+v %v", list, err)
	}
	runs, _ := h.Schedule.Runs(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if s := runs[0].Summary; s.Touched != 2 || s.Complete != 2 || s.All != 2 {
		t.Errorf("%+v", s)
	}

	// Alone with one seat, a later run gives it to whom it was given by hand, and not what was taken.
	h.SeatsIn("cer1-1", 1)
	if err := h.Schedule.Release(ctx, office, apptest.Mara.School, apptest.Mara.Year, "given", first+" CER1"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("releasing what is not held: %v", err)
	}
	r = h.Placed(ctx)
	if a, b := h.Has(r.ID, first), h.Has(r.ID, second); a != "pri1-1, not CER1: full" || b != "cer1-1" || r.Summary.Held != 1 {
		t.Errorf("the next run: %s; %s; %d held", a, b, r.Summary.Held)
	}
	// Released, chance has it again; the alternate taken away stays away.
	if err := h.Schedule.Release(ctx, office, apptest.Mara.School, apptest.Mara.Year, "given", second+" CER1"); err != nil {
		t.Fatal(err)
	}
	r = h.Placed(ctx)
	if a, b := h.Has(r.ID, first), h.Has(r.ID, second); a+b != "cer1-1not CER1: full" && a+b != "pri1-1, not CER1: fullcer1-1" {
		t.Errorf("released: %s; %s", a, b)
	}
	// A week is held as it is, and a section with those in it.
	for kind, key := range map[string]string{"student": first, "section": "cer1-1"} {
		if err := h.Schedule.HoldAs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, kind, key); err != nil {
			t.Fatal(err)
		}
	}
	holds, err := h.Schedule.Holds(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(holds) != 3 || holds[2].Kind != "taken" || holds[2].Name == "" {
		t.Errorf("%+v %v", holds, err)
	}
	before := h.Has(r.ID, first) + h.Has(r.ID, second)
	h.HandsIn("s0005", []string{"CER1"}, nil)
	r = h.Placed(ctx)
	if after := h.Has(r.ID, first) + h.Has(r.ID, second); after != before || h.Has(r.ID, "s0005") != "not CER1: full" {
		t.Errorf("held: %s, then %s; the third: %s", before, after, h.Has(r.ID, "s0005"))
	}
	// What is held and can no longer be is said.
	h.SeatsIn("cer1-1", 0)
	if r = h.Placed(ctx); len(r.Summary.Unkept) != 1 || r.Summary.Unkept[0].Course != "CER1" {
		t.Errorf("%+v", r.Summary.Unkept)
	}
	if err := h.Schedule.HoldAs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, "section", "nothing"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("%v", err)
	}
}

// since returns what has changed since a run. Another process, which has nothing cached, must say the same.
func since(h *apptest.House, run int) *schedule.RunSince {
	h.T.Helper()
	office := h.Who("office")
	x, err := h.Schedule.Since(h.T.Context(), office, apptest.Mara.School, apptest.Mara.Year, run)
	if err != nil {
		h.T.Fatal(err)
	}
	fresh, err := h.Second().Schedule.Since(h.T.Context(), office, apptest.Mara.School, apptest.Mara.Year, run)
	if err != nil || !reflect.DeepEqual(fresh, x) {
		h.T.Errorf("cached %+v, read again %+v, %v", x, fresh, err)
	}
	return x
}

// The student who has to leave two sections that have lost seats is one, unless a seat is held; seats that others have chosen count.
func TestWhatHasChangedMindsHoldsAndChosenSeats(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	h.SeatsIn("cer1-1", 2)
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"CER1", "PRI1"}, nil)
	}
	r := h.Placed(t.Context())
	h.SeatsIn("cer1-1", 1)
	h.SeatsIn("pri1-1", 1)
	if x := since(h, r.ID); x.Students != 1 || len(x.Over) != 2 {
		t.Errorf("nothing is held: %+v", x)
	}
	students := 0
	for _, student := range []string{"s0003", "s0004"} {
		h.DB.Exec(t, `INSERT INTO placement_hold (school_id, year, kind, key, seats, by_name, at) VALUES ('pellworth', 2027, 'given', $1::text || ' CER1',
			jsonb_build_array(jsonb_build_object('student', $1::text, 'course', 'CER1', 'section', 'cer1-1')), 'Test', now())`, student)
		students += since(h, r.ID).Students
		h.DB.Exec(t, `DELETE FROM placement_hold`)
	}
	if students != 1+2 { // one of the two would have had to leave
		t.Errorf("with one seat held: %d students in both cases together", students)
	}
	h.DB.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, 's0007', 'pri1-1', now(), 'Test')`)
	if x := since(h, r.ID); x.Students != 2 {
		t.Errorf("another has chosen the seat: %+v", x)
	}
}

// What has changed since a run is placed again, touching as few as possible, and whose week is another is said. A run that is behind takes nothing by hand.
func TestPlacingAnew(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	h.SeatsIn("cer1-1", 2)
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	changed := func() *schedule.RunSince {
		t.Helper()
		return since(h, r.ID)
	}
	anew := func(want string) {
		t.Helper()
		list, err := h.Schedule.PlaceAnew(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, x := range list {
			got = append(got, fmt.Sprintf("%s -%s +%s", x.Why, strings.Join(x.Lost, " "), strings.Join(x.Got, " ")))
			if x.Name == "" {
				t.Errorf("%s has no name", x.ID)
			}
		}
		slices.Sort(got)
		if strings.Join(got, "; ") != want {
			t.Errorf("%q, want %q", strings.Join(got, "; "), want)
		}
	}
	if x := changed(); x.Students != 0 || len(x.New) != 0 {
		t.Errorf("%+v", x)
	}
	if _, err := h.Schedule.PlaceAnew(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID); problem.CodeOf(err) != problem.Code(acts.AlreadyDone) {
		t.Errorf("nothing has changed: %v", err)
	}
	// Fewer seats than are taken: who came last goes, and something stands in.
	h.SeatsIn("cer1-1", 1)
	if x := changed(); len(x.Over) != 1 || x.Over[0] != (schedule.SectionSince{Section: "cer1-1", Course: "CER1", Students: 1}) || x.Students != 1 {
		t.Errorf("%+v", x)
	}
	if err := h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, "s0003", "CER1", "", "x"); problem.CodeOf(err) != problem.RunBehind {
		t.Errorf("by hand while the run is behind: %v", err)
	}
	anew("over -CER1 +PRI1")
	// A course that does not run has no sections, until it runs again.
	for _, runs := range []bool{false, true} {
		if _, err := h.Schedule.SetRuns(ctx, office, apptest.Mara.School, apptest.Mara.Year, "PRI1", runs, map[bool]string{false: "Too few."}[runs]); err != nil {
			t.Fatal(err)
		}
		if x := changed(); (len(x.Gone) == 1) == runs {
			t.Errorf("runs %v: %+v", runs, x)
		}
	}
	// A late sheet for which someone has room to make, and one that is handed in otherwise.
	h.HandsIn("s0005", []string{"PRI1"}, nil)
	h.HandsIn("s0003", []string{"PHO1"}, nil)
	if x := changed(); len(x.New) != 1 || x.New[0].ID != "s0005" || len(x.Changed) != 1 || x.Changed[0].ID != "s0003" || x.Students != 2 {
		t.Errorf("%+v", x)
	}
	was := h.Has(r.ID, "s0003")
	anew(fmt.Sprintf("changed -%s +PHO1; new - +PRI1", map[bool]string{true: "CER1", false: "PRI1"}[was == "cer1-1"]))
	// A section that is gone.
	m, err := h.Schedule.MasterSchedule(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range m.Sections {
		if x.ID == "pho1-1" {
			if x.Taken == nil || *x.Taken != 1 || m.Run != r.ID {
				t.Errorf("%+v", x)
			}
			if err := h.Schedule.RemoveSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, x.ID, x.Rev); err != nil {
				t.Fatal(err)
			}
		}
	}
	if x := changed(); len(x.Gone) != 1 || x.Gone[0].Section != "pho1-1" {
		t.Errorf("%+v", x)
	}
	anew("gone -PHO1 +")
	if got := h.Has(r.ID, "s0003"); got != "not PHO1: none" {
		t.Error(got)
	}
	// What a family was shown stays as it was shown.
	h.DB.Exec(t, `INSERT INTO hook (school_id, name, url, kinds, salt, by_name, made_at) VALUES ($1, 'Registry', '', '["placed"]', '', '', now())`, apptest.Mara.School)
	if n, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); err != nil || n != 3 {
		t.Errorf("%d %v", n, err)
	}
	published, err := h.Schedule.Publications(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(published) != 1 {
		t.Fatalf("%+v %v", published, err)
	}
	if n, err := h.Schedule.Unpublish(ctx, office, apptest.Mara.School, apptest.Mara.Year, published[0].ID, "Too early."); err != nil || n != 3 {
		t.Errorf("%d %v", n, err)
	}
	if got := testdb.Value[string](t, h.DB, `SELECT string_agg(kind || ' ' || detail, ', ' ORDER BY id) FROM hook_message WHERE student_id IS NULL`); got != `placed {"students": 3}, placed {"students": 3, "takenBack": true}` {
		t.Errorf("other systems are told %s", got)
	}
	// Everything is in the list of what was done.
	list, err := h.Schedule.RunActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(list) != 4 || list[0].Reason != "gone" || list[3].Reason != "over" {
		t.Errorf("%+v %v", list, err)
	}
}

// Two who give the last seat by hand at the same moment: one does, the other is told.
func TestTwoByHandAtOnce(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	h.SeatsIn("cer1-1", 0)
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	h.SeatsIn("cer1-1", 1)
	for _, student := range []string{"s0003", "s0004"} {
		if err := h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, student, "PRI1", "", "To make room."); err != nil {
			t.Fatal(err)
		}
	}
	// Neither goes on before both have come.
	tx, err := h.DB.SQL(t).BeginTxx(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(`SELECT 1 FROM placement_run FOR UPDATE`); err != nil {
		t.Fatal(err)
	}
	var both sync.WaitGroup
	errs := make([]error, 2)
	for i, student := range []string{"s0003", "s0004"} {
		both.Go(func() {
			errs[i] = h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, student, "CER1", "cer1-1", "The last seat.")
		})
	}
	for began := time.Now(); testdb.Value[int](t, h.DB, `SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`) < 2; {
		if time.Since(began) > 20*time.Second {
			t.Fatal("they do not wait for each other")
		}
	}
	if err := tx.Rollback(); err != nil {
		t.Fatal(err)
	}
	both.Wait()
	if problem.CodeOf(errs[0])+problem.CodeOf(errs[1]) != problem.Code(placement.NoSeat) || (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("%v", errs)
	}
	got := []string{h.Has(r.ID, "s0003"), h.Has(r.ID, "s0004")}
	slices.Sort(got)
	if got[0] != "cer1-1" || got[1] != "not CER1: full" {
		t.Error(got)
	}
}

// What meets at the same time as something else that is given is refused by hand, naming that.
func TestByHandAtTheSameTime(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	h.HandsIn("s0003", []string{"CER1", "PHO1"}, nil)
	h.HandsIn("s0004", nil, nil)
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	if got := h.Has(r.ID, "s0003"); got != "cer1-1, not PHO1: clash" {
		t.Fatal(got)
	}
	err := h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, "s0003", "PHO1", "pho1-1", "x")
	var known *problem.Error
	if !errors.As(err, &known) || known.Code != problem.Code(placement.SameTime) || known.Param != "CER1" {
		t.Errorf("%v", err)
	}
	if got := h.Has(r.ID, "s0003"); got != "cer1-1, not PHO1: clash" {
		t.Errorf("after it was refused: %s", got)
	}
}

// Two runs are set next to each other: what differs in the sections, who lost and who got something.
func TestBesideAnotherRun(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	ctx, office := t.Context(), h.Who("office")
	a := h.Placed(ctx)
	h.SeatsIn("cer1-1", 2)
	b := h.Placed(ctx)
	x, err := h.Schedule.Beside(ctx, office, apptest.Mara.School, apptest.Mara.Year, b.ID, a.ID)
	if err != nil || len(x.Got) != 1 || x.Got[0].Courses[0] != "CER1" || x.Got[0].Name == "" || len(x.Lost) != 0 || len(x.Sections) != 1 || x.Sections[0].Seats != 2 || x.Sections[0].WasSeats != 1 {
		t.Errorf("%+v %v", x, err)
	}
	if x, err = h.Schedule.Beside(ctx, office, apptest.Mara.School, apptest.Mara.Year, a.ID, b.ID); err != nil || len(x.Lost) != 1 || len(x.Got) != 0 {
		t.Errorf("the other way round: %+v %v", x, err)
	}
	if _, err := h.Schedule.Beside(ctx, office, apptest.Mara.School, apptest.Mara.Year, a.ID, 99); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("%v", err)
	}
}

// An alternate that is kept settles the request that it came in for, not another one, so that a later run gives what it gave.
func TestAnAlternateIsKeptForItsRequest(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,1,Ms A", "pri1-1,active,Printmaking,c-pri1,scheduled,pellworth,sy27-1,8,,5,Ms B", "nor2-1,active,Norwegian,c-nor2,scheduled,pellworth,sy27,5,,5,Ms C"})
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"NOR2", "CER1"}, []string{"PRI1"})
	}
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	student := "s0003"
	if h.Has(r.ID, student) == "nor2-1, cer1-1" {
		student = "s0004"
	}
	const want = "nor2-1, pri1-1, not CER1: full"
	if got := h.Has(r.ID, student); got != want {
		t.Fatal(got)
	}
	if err := h.Schedule.ByHand(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, student, "PRI1", "pri1-1", "She is at home there."); err != nil {
		t.Fatal(err)
	}
	if r = h.Placed(ctx); h.Has(r.ID, student) != want || r.Summary.Held != 1 || len(r.Summary.Unkept) != 0 {
		t.Errorf("%s, %d held, %v", h.Has(r.ID, student), r.Summary.Held, r.Summary.Unkept)
	}
}

// Where a section has fewer seats, anyone who is not held leaves it first; and what is held stays with anyone who is placed again for something else.
func TestPlacingAnewAroundWhatIsHeld(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	h.SeatsIn("cer1-1", 2)
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	h.SeatsIn("cer1-1", 1)
	list, err := h.Schedule.PlaceAnew(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(list) != 1 {
		t.Fatalf("%+v %v", list, err)
	}
	last := list[0].ID // who leaves where no one is held
	other := map[string]string{"s0003": "s0004", "s0004": "s0003"}[last]
	h.SeatsIn("cer1-1", 2)
	r = h.Placed(ctx)
	if err := h.Schedule.HoldAs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, "student", last); err != nil {
		t.Fatal(err)
	}
	h.SeatsIn("cer1-1", 1)
	if list, err = h.Schedule.PlaceAnew(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID); err != nil || len(list) != 1 || list[0].ID != other || h.Has(r.ID, last) != "cer1-1" {
		t.Errorf("%+v %v, %s", list, err, h.Has(r.ID, last))
	}
	// A sheet that is no longer handed in leaves the run, and is said to.
	testdb.Value[int](t, h.DB, `WITH back AS (UPDATE sheet SET state = 'sentBack', version = version + 1 WHERE student_id = '`+other+`' RETURNING 1) SELECT count(*) FROM back`)
	if list, err = h.Schedule.PlaceAnew(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID); err != nil || len(list) != 1 || list[0].Why != schedule.TouchedOut || list[0].Name == "" {
		t.Errorf("%+v %v", list, err)
	}
	acts, err := h.Schedule.RunActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID)
	if err != nil || len(acts) != 2 || acts[0].Reason != "out" || string(acts[0].Now) != "[]" {
		t.Errorf("%+v %v", acts, err)
	}
}
