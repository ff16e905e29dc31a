package sheet_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"sync"
	"testing"

	"rubricon/app"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func TestTheFirstStudentIsAsTheScenarioSays(t *testing.T) {
	d := apptest.NewHouse(t).Look("mara.quill")
	var kinds []string
	for _, todo := range d.Todo {
		kinds = append(kinds, fmt.Sprint(todo.Kind, " ", todo.Amount))
	}
	if got := strings.Join(kinds, ", "); got != "ruleShort 1, ruleShort 2, entry 0" {
		t.Errorf("still to do: %s", got)
	}
	assigned, fixed := 0, 0
	for _, r := range d.Sheet.Requests {
		a, f := d.Known.Assigned(r.Course)
		if a {
			assigned++
		}
		if f {
			fixed++
		}
	}
	if assigned != 2 || fixed != 1 || d.Row.Grade != 10 || d.Pupil.CounselorName != "Ms Arden" || d.Pupil.Guardians != 1 {
		t.Errorf("%d assigned, %d fixed, grade %d, %+v", assigned, fixed, d.Row.Grade, d.Pupil)
	}
}

func TestEditing(t *testing.T) {
	h := apptest.NewHouse(t)
	before := h.Look("mara.quill")
	if before.Acts[acts.Undo].Why != acts.NothingToUndo {
		t.Errorf("undoing before any change is answered %+v", before.Acts[acts.Undo])
	}
	for _, c := range []struct {
		edit                 appsheet.Edit
		requests, alternates string
	}{
		{appsheet.Edit{Act: "request", Course: "ENG10A"}, "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1", "PRI1:CER1"}, // a level is exchanged in place
		{appsheet.Edit{Act: "remove", Course: "HLT1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 CER1", "PRI1:CER1"},              // both halves go
		{appsheet.Edit{Act: "request", Course: "ROW1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 CER1 ROW1 HLT1", "PRI1:CER1"},   // both halves come
		{appsheet.Edit{Act: "alternate", Course: "CER1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "PRI1 CER1"},      // a tie to it is loosed
		{appsheet.Edit{Act: "order", List: "alternates", Order: []string{"CER1", "PRI1"}}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "CER1 PRI1"},
		{appsheet.Edit{Act: "request", Course: "CER1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1 CER1", "PRI1"},
		{appsheet.Edit{Act: "alternate", Course: "PRI1", StandsFor: "NOR2"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1 CER1", "PRI1:NOR2"},
		{appsheet.Edit{Act: "order", List: "requests", Order: []string{"CER1", "ENG10A", "ALG2", "WLD2", "PHY1", "NOR2", "ROW1", "HLT1"}}, "CER1 ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "PRI1:NOR2"},
		{appsheet.Edit{Act: "replace", Course: "TID1", Instead: "PHY1"}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "PRI1:NOR2"},             // any course in place
		{appsheet.Edit{Act: "alternate", Course: "CER1", Place: 1}, "ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "CER1 PRI1:NOR2"},                  // to the head of the alternates
		{appsheet.Edit{Act: "request", Course: "CER1", Place: 1}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "PRI1:NOR2"},                    // and back to where it was
		{appsheet.Edit{Act: "takeOver", Courses: []string{"PHY1", "TID1", "PRI1"}}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1 PHY1 PRI1", ""}, // in one act
	} {
		was := h.Look("mara.quill").Row.Version
		d := h.Edit(c.edit)
		if apptest.Requests(d) != c.requests || apptest.Alternates(d) != c.alternates || d.Row.Version != was+1 {
			t.Fatalf("%+v: version %d, %s / %s", c.edit, d.Row.Version, apptest.Requests(d), apptest.Alternates(d))
		}
		// What is answered is what is kept.
		kept := h.Look("mara.quill")
		if apptest.Requests(kept) != c.requests || apptest.Alternates(kept) != c.alternates || !reflect.DeepEqual(kept.Judged, d.Judged) || kept.Acts != d.Acts ||
			kept.Row.Undoable != d.Row.Undoable || !kept.Row.ChangedAt.Equal(testdb.Now) || !d.Row.ChangedAt.Equal(testdb.Now) {
			t.Fatalf("%+v: answered %+v, kept %+v", c.edit, d.Row, kept.Row)
		}
	}
	for range 12 {
		h.Edit(appsheet.Edit{Act: "undo"})
	}
	after := h.Look("mara.quill")
	if apptest.Requests(after) != apptest.Requests(before) || apptest.Alternates(after) != apptest.Alternates(before) || after.Acts[acts.Undo].Why != acts.NothingToUndo || after.Row.Undoable != 0 {
		t.Errorf("after undoing everything: %s / %s", apptest.Requests(after), apptest.Alternates(after))
	}
	h.Refuses(appsheet.Edit{Act: "undo"}, "nothing-to-undo")
	h.Refuses(appsheet.Edit{Act: "replace", Course: "NOR2", Instead: "PHY1"}, "on-sheet")
	h.Refuses(appsheet.Edit{Act: "replace", Course: "TID1", Instead: "CHM1"}, "not-on-sheet")
	h.Refuses(appsheet.Edit{Act: "replace", Course: "TID1", Instead: "WLD2"}, "fixed")
	h.Refuses(appsheet.Edit{Act: "fill"}, "nothing-to-fill")
	if after.Row.Undoes != nil || after.Row.Redoable != 12 {
		t.Errorf("undoing would take back %+v, %d can be made again", after.Row.Undoes, after.Row.Redoable)
	}
	// What was undone is made again, in turn; a new change ends that.
	d := h.Edit(appsheet.Edit{Act: "redo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1"; apptest.Requests(d) != want || d.Row.Undoes.V.Course != "ENG10A" || d.Row.Undoes.V.Act != "request" {
		t.Errorf("made again: %s, undoing takes back %+v", apptest.Requests(d), d.Row.Undoes)
	}
	d = h.Edit(appsheet.Edit{Act: "redo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 CER1"; apptest.Requests(d) != want || d.Row.Undoes.V.Course != "HLT1" || d.Row.Undoable != 2 {
		t.Errorf("made again twice: %s, undoing takes back %+v", apptest.Requests(d), d.Row.Undoes)
	}
	d = h.Edit(appsheet.Edit{Act: "undo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1"; apptest.Requests(d) != want || d.Row.Undoes.V.Course != "ENG10A" || d.Row.Redoable != 11 {
		t.Errorf("undone again: %s, undoing takes back %+v, %d can be made again", apptest.Requests(d), d.Row.Undoes, d.Row.Redoable)
	}
	if d = h.Edit(appsheet.Edit{Act: "request", Course: "TID1"}); d.Row.Redoable != 0 || d.Acts[acts.Redo].Why != acts.NothingToRedo {
		t.Errorf("after a new change %d can be made again", d.Row.Redoable)
	}
	h.Refuses(appsheet.Edit{Act: "redo"}, "nothing-to-redo")
	if got, want := h.History(), strings.Repeat("change ", 12)+strings.Repeat("undo ", 12)+"change change undo change"; got != want {
		t.Errorf("history: %s", got)
	}
}

func TestAChangeThatChangesNothingIsNotNoted(t *testing.T) {
	h := apptest.NewHouse(t)
	was := h.Look("mara.quill")
	for _, e := range []appsheet.Edit{{Act: "request", Course: "ALG2"}, {Act: "alternate", Course: "PRI1", StandsFor: "CER1"},
		{Act: "order", List: "alternates", Order: []string{"PRI1"}}} {
		d := h.Edit(e)
		if d.Row.Version != was.Row.Version || d.Judgement == nil || d.Acts[acts.Undo].Allowed {
			t.Errorf("%+v makes version %d", e, d.Row.Version)
		}
	}
	if h.History() != "" {
		t.Errorf("history: %s", h.History())
	}
}

func TestRefusedEditsChangeNothing(t *testing.T) {
	h := apptest.NewHouse(t)
	old := h.Look("mara.quill").Row.Version
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	h.Refuses(appsheet.Edit{Act: "remove", Course: "WLD2"}, problem.Fixed)
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "WLD2"}, problem.Fixed)
	h.Refuses(appsheet.Edit{Act: "request", Course: "CAL1"}, problem.Barred)
	h.Refuses(appsheet.Edit{Act: "request", Course: "CHA1"}, problem.Barred)
	h.Refuses(appsheet.Edit{Act: "request", Course: "NONE"}, problem.NoCourse)
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "AST1", StandsFor: "NONE"}, problem.NoCourse)
	h.Refuses(appsheet.Edit{Act: "order", List: "requests", Order: []string{"NONE"}}, problem.NoCourse)
	h.Refuses(appsheet.Edit{Act: "remove", Course: "AST1"}, problem.NotOnSheet)
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "AST1", StandsFor: "BAK1"}, problem.BadStandsFor)
	h.Refuses(appsheet.Edit{Act: "order", List: "requests", Order: []string{"ENG10"}}, problem.BadOrder)
	h.Refuses(appsheet.Edit{Act: "order", List: "alternates", Order: []string{"PHO1"}}, problem.BadOrder)
	h.Refuses(appsheet.Edit{Act: "dance", Course: "DAN1"}, problem.BadAct)
	h.Refuses(appsheet.Edit{Act: "request", Course: "AST1", Version: old}, "stale-version")
	h.Refuses(appsheet.Edit{Act: "request", Course: "AST1", Version: old + 7}, "stale-version")
	h.Refuses(appsheet.Edit{Act: "undo", Version: old}, "stale-version")
}

func TestAStaleChangeIsAnsweredWithTheSheetAsItIs(t *testing.T) {
	h := apptest.NewHouse(t)
	old := h.Look("mara.quill").Row.Version
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	_, err := h.Sheet.Change(t.Context(), h.Who("mara.quill"), apptest.Mara, appsheet.Edit{Version: old, Act: "request", Course: "AST1"})
	var known *problem.Error
	if !errors.As(err, &known) || known.Now == nil || !strings.Contains(apptest.Requests(known.Now.(*appsheet.Desk)), "TID1") || known.Now.(*appsheet.Desk).Judgement == nil {
		t.Fatalf("a stale change gives %v", err)
	}
}

// A change whose answer was lost is sent again: it is answered, and not made twice. One with another key is not.
func TestAChangeSentAgain(t *testing.T) {
	h := apptest.NewHouse(t)
	old := h.Look("mara.quill").Row.Version
	e := appsheet.Edit{Version: old, Key: "k1", Act: "alternate", Course: "AST1"}
	first := h.Edit(e)
	again := h.Edit(e)
	if again.Row.Version != first.Row.Version || apptest.Alternates(again) != apptest.Alternates(first) || again.Judgement == nil {
		t.Errorf("sent again it gives version %d, %s", again.Row.Version, apptest.Alternates(again))
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "AST1"})
	if later := h.Edit(e); apptest.Alternates(later) != "PRI1:CER1" {
		t.Errorf("sent again after another change it gives %s", apptest.Alternates(later))
	}
	h.Refuses(appsheet.Edit{Version: old, Key: "k2", Act: "alternate", Course: "AST1"}, "stale-version")
	h.Refuses(appsheet.Edit{Version: old, Act: "alternate", Course: "AST1"}, "stale-version")
	// Another sheet's key says nothing of this one.
	h.DB.Exec(t, `INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
		VALUES ('pellworth', 2027, 's0002', 99, now(), 's0002', 'x', 'change', '', 'k3', '{}')`)
	h.Refuses(appsheet.Edit{Version: old, Key: "k3", Act: "alternate", Course: "AST1"}, "stale-version")
}

func TestTwoWindowsAtOnceLoseNothing(t *testing.T) {
	h := apptest.NewHouse(t)
	start := h.Look("mara.quill").Row.Version
	who := h.Who("mara.quill")
	services := []*app.App{h.App, h.Second()}
	add := []string{"AST1", "PHO1", "DRW1", "COO1", "WEB1", "GAR1"}
	var wait sync.WaitGroup
	for i, course := range add {
		wait.Go(func() {
			version := start
			for {
				d, err := services[i%2].Sheet.Change(context.Background(), who, apptest.Mara, appsheet.Edit{Version: version, Act: "alternate", Course: course})
				var known *problem.Error
				if errors.As(err, &known) && known.Code == problem.Code(acts.Stale) {
					version = known.Now.(*appsheet.Desk).Row.Version
					continue
				}
				if err != nil {
					t.Error(err)
				} else if !strings.Contains(apptest.Alternates(d), course) {
					t.Errorf("%s is not on the sheet that was answered", course)
				}
				return
			}
		})
	}
	wait.Wait()
	after := h.Look("mara.quill")
	for _, course := range add {
		if !strings.Contains(apptest.Alternates(after), course) {
			t.Errorf("%s is lost: %s", course, apptest.Alternates(after))
		}
	}
	if after.Row.Version != start+int64(len(add)) {
		t.Errorf("version %d after %d changes from %d", after.Row.Version, len(add), start)
	}
}

// Undo after the catalog has changed: what has left it is left out, and a tie to it is loose.
func TestUndoAfterACourseHasLeft(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1", StandsFor: "CER1"})
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"}) // looses the tie
	h.Edit(appsheet.Edit{Act: "remove", Course: "PRI1"})
	h.Bring(apptest.WithoutCourse(t, "CER1"))
	h.Edit(appsheet.Edit{Act: "undo"}) // PRI1 comes back
	d := h.Edit(appsheet.Edit{Act: "undo"})
	if strings.Contains(apptest.Requests(d), "CER1") || apptest.Alternates(d) != "PRI1 AST1" {
		t.Errorf("after undoing: %s / %s", apptest.Requests(d), apptest.Alternates(d))
	}
	if d = h.Edit(appsheet.Edit{Act: "undo"}); apptest.Alternates(d) != "PRI1" {
		t.Errorf("after undoing everything: %s", apptest.Alternates(d))
	}
}

func TestACourseThatHasLeft(t *testing.T) {
	h := apptest.NewHouse(t)
	// A course can leave while it is being requested: the sheet shows it, and it can be taken off.
	h.DB.Exec(t, `INSERT INTO course VALUES ('pellworth', 2027, 'GONE1'), ('pellworth', 2027, 'GONE2')`)
	h.DB.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for) VALUES ('pellworth', 2027, 's0001', 'GONE1', 'request', 2, 9, NULL),
		('pellworth', 2027, 's0001', 'GONE2', 'alternate', 1, 0, 'GONE1')`)
	h.Finish()
	d := h.Look("mara.quill")
	if len(d.Gone) != 2 || d.Complete || d.Ready || d.Acts[acts.Submit].Why != acts.NotReady {
		t.Fatalf("gone %v, complete %v, submitting %+v", d.Gone, d.Complete, d.Acts[acts.Submit])
	}
	if got := apptest.Code(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "")); got != "not-ready" {
		t.Errorf("submitting gives %s", got)
	}
	h.Refuses(appsheet.Edit{Act: "request", Course: "GONE2"}, problem.NoCourse)
	h.Edit(appsheet.Edit{Act: "remove", Course: "GONE1"})
	d = h.Edit(appsheet.Edit{Act: "remove", Course: "GONE2"})
	if len(d.Gone) != 0 || !d.Complete || !d.Acts[acts.Submit].Allowed {
		t.Errorf("after taking them off: %v, %+v", d.Gone, d.Acts[acts.Submit])
	}
	if got := apptest.Code(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "")); got != "submitted" {
		t.Errorf("submitting gives %s", got)
	}
}

func TestWhoMaySeeASheet(t *testing.T) {
	h := apptest.NewHouse(t)
	other := "s0003"
	h.DB.Exec(t, `UPDATE person SET enabled = false WHERE id = 'office'`)
	for username, want := range map[string]string{"mara.quill": "inProgress", "ilse.quill": "inProgress", "ms.arden": "inProgress", "office": "not-found"} {
		if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who(username), apptest.Mara)); got != want {
			t.Errorf("%s: %s", username, got)
		}
	}
	h.DB.Exec(t, `UPDATE person SET enabled = true, present = false WHERE id = 'office'`)
	h.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who("office"), apptest.Mara)); got != "not-found" {
		t.Errorf("somebody who has left: %s", got)
	}
	for _, username := range []string{"mara.quill", "ilse.quill"} {
		at := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: other}
		if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who(username), at)); got != "not-found" {
			t.Errorf("%s sees another student's sheet: %s", username, got)
		}
		if _, err := h.Sheet.Effects(t.Context(), h.Who(username), at, ""); problem.CodeOf(err) != problem.NotFound {
			t.Errorf("%s sees another student's effects: %v", username, err)
		}
		if _, err := h.Sheet.History(t.Context(), h.Who(username), at, 0); problem.CodeOf(err) != problem.NotFound {
			t.Errorf("%s sees another student's history: %v", username, err)
		}
	}
	for _, at := range []schoolyear.Place{{School: "nowhere", Year: apptest.Mara.Year, Student: apptest.Mara.Student}, {School: apptest.Mara.School, Year: 2026, Student: apptest.Mara.Student}, {School: apptest.Mara.School, Year: apptest.Mara.Year, Student: "nobody"}} {
		if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who("ms.arden"), at)); got != "not-found" {
			t.Errorf("%+v: %s", at, got)
		}
	}
}

func TestTags(t *testing.T) {
	h := apptest.NewHouse(t)
	known := ""
	look := func(username string) bool {
		t.Helper()
		d, err := h.Sheet.Unless(t.Context(), h.Who(username), apptest.Mara, func(tag string) bool { return tag == known })
		if err != nil {
			t.Fatal(err)
		}
		if d != nil {
			if known = d.Tag(); d.Judgement == nil {
				t.Error("it is not judged")
			}
		}
		return d != nil
	}
	if !look("mara.quill") || look("mara.quill") {
		t.Fatal("a sheet that is known is given again, or not at first")
	}
	for _, c := range []struct {
		name   string
		change func()
	}{
		{"a change", func() { h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"}) }},
		{"a decision", func() { h.Waive() }},
		{"another reader", func() { look("ilse.quill") }},
		{"the window's end", func() { h.At(testdb.Now.AddDate(0, 0, 11)) }},
		{"a new window", func() { h.Window(testdb.Now.AddDate(0, 0, 100)) }},
		{"a policy", func() { h.Settings(`{"late": "no"}`) }},
		{"a catalog's text", func() { h.Bring(apptest.BundleWith(t, "courses.csv", "Tidal Ecology", "Tides")) }},
	} {
		c.change()
		if !look("mara.quill") {
			t.Errorf("after %s the sheet is said to be what it was", c.name)
		}
		if look("mara.quill") {
			t.Errorf("after %s the sheet is given twice", c.name)
		}
	}
}
