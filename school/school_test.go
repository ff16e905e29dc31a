package school_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"sync"
	"testing"

	"rubricon/core/acts"
	"rubricon/school"
	"rubricon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func TestTheFirstStudentIsAsTheScenarioSays(t *testing.T) {
	d := newHouse(t).look("mara.quill")
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
	h := newHouse(t)
	before := h.look("mara.quill")
	if before.Acts[acts.Undo].Why != acts.NothingToUndo {
		t.Errorf("undoing before any change is answered %+v", before.Acts[acts.Undo])
	}
	for _, c := range []struct {
		edit                 school.Edit
		requests, alternates string
	}{
		{school.Edit{Act: "request", Course: "ENG10A"}, "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1", "PRI1:CER1"}, // a level is exchanged in place
		{school.Edit{Act: "remove", Course: "HLT1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 CER1", "PRI1:CER1"},              // both halves go
		{school.Edit{Act: "request", Course: "ROW1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 CER1 ROW1 HLT1", "PRI1:CER1"},   // both halves come
		{school.Edit{Act: "alternate", Course: "CER1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "PRI1 CER1"},      // a tie to it is loosed
		{school.Edit{Act: "order", List: "alternates", Order: []string{"CER1", "PRI1"}}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "CER1 PRI1"},
		{school.Edit{Act: "request", Course: "CER1"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1 CER1", "PRI1"},
		{school.Edit{Act: "alternate", Course: "PRI1", StandsFor: "NOR2"}, "ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1 CER1", "PRI1:NOR2"},
		{school.Edit{Act: "order", List: "requests", Order: []string{"CER1", "ENG10A", "ALG2", "WLD2", "PHY1", "NOR2", "ROW1", "HLT1"}}, "CER1 ENG10A ALG2 WLD2 PHY1 NOR2 ROW1 HLT1", "PRI1:NOR2"},
		{school.Edit{Act: "replace", Course: "TID1", Instead: "PHY1"}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "PRI1:NOR2"},             // any course in place
		{school.Edit{Act: "alternate", Course: "CER1", Place: 1}, "ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "CER1 PRI1:NOR2"},                  // to the head of the alternates
		{school.Edit{Act: "request", Course: "CER1", Place: 1}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1", "PRI1:NOR2"},                    // and back to where it was
		{school.Edit{Act: "takeOver", Courses: []string{"PHY1", "TID1", "PRI1"}}, "CER1 ENG10A ALG2 WLD2 TID1 NOR2 ROW1 HLT1 PHY1 PRI1", ""}, // in one act
	} {
		was := h.look("mara.quill").Row.Version
		d := h.edit(c.edit)
		if requests(d) != c.requests || alternates(d) != c.alternates || d.Row.Version != was+1 {
			t.Fatalf("%+v: version %d, %s / %s", c.edit, d.Row.Version, requests(d), alternates(d))
		}
		// What is answered is what is kept.
		kept := h.look("mara.quill")
		if requests(kept) != c.requests || alternates(kept) != c.alternates || !reflect.DeepEqual(kept.Judged, d.Judged) || kept.Acts != d.Acts ||
			kept.Row.Undoable != d.Row.Undoable || !kept.Row.ChangedAt.Equal(storetest.Now) || !d.Row.ChangedAt.Equal(storetest.Now) {
			t.Fatalf("%+v: answered %+v, kept %+v", c.edit, d.Row, kept.Row)
		}
	}
	for range 12 {
		h.edit(school.Edit{Act: "undo"})
	}
	after := h.look("mara.quill")
	if requests(after) != requests(before) || alternates(after) != alternates(before) || after.Acts[acts.Undo].Why != acts.NothingToUndo || after.Row.Undoable != 0 {
		t.Errorf("after undoing everything: %s / %s", requests(after), alternates(after))
	}
	h.refuses(school.Edit{Act: "undo"}, "nothing-to-undo")
	h.refuses(school.Edit{Act: "replace", Course: "NOR2", Instead: "PHY1"}, "on-sheet")
	h.refuses(school.Edit{Act: "replace", Course: "TID1", Instead: "CHM1"}, "not-on-sheet")
	h.refuses(school.Edit{Act: "replace", Course: "TID1", Instead: "WLD2"}, "fixed")
	h.refuses(school.Edit{Act: "fill"}, "nothing-to-fill")
	if after.Row.Undoes != nil || after.Row.Redoable != 12 {
		t.Errorf("undoing would take back %+v, %d can be made again", after.Row.Undoes, after.Row.Redoable)
	}
	// What was undone is made again, in turn; a new change ends that.
	d := h.edit(school.Edit{Act: "redo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1"; requests(d) != want || d.Row.Undoes.V.Course != "ENG10A" || d.Row.Undoes.V.Act != "request" {
		t.Errorf("made again: %s, undoing takes back %+v", requests(d), d.Row.Undoes)
	}
	d = h.edit(school.Edit{Act: "redo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 CER1"; requests(d) != want || d.Row.Undoes.V.Course != "HLT1" || d.Row.Undoable != 2 {
		t.Errorf("made again twice: %s, undoing takes back %+v", requests(d), d.Row.Undoes)
	}
	d = h.edit(school.Edit{Act: "undo"})
	if want := "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1"; requests(d) != want || d.Row.Undoes.V.Course != "ENG10A" || d.Row.Redoable != 11 {
		t.Errorf("undone again: %s, undoing takes back %+v, %d can be made again", requests(d), d.Row.Undoes, d.Row.Redoable)
	}
	if d = h.edit(school.Edit{Act: "request", Course: "TID1"}); d.Row.Redoable != 0 || d.Acts[acts.Redo].Why != acts.NothingToRedo {
		t.Errorf("after a new change %d can be made again", d.Row.Redoable)
	}
	h.refuses(school.Edit{Act: "redo"}, "nothing-to-redo")
	if got, want := h.history(), strings.Repeat("change ", 12)+strings.Repeat("undo ", 12)+"change change undo change"; got != want {
		t.Errorf("history: %s", got)
	}
}

func TestAChangeThatChangesNothingIsNotNoted(t *testing.T) {
	h := newHouse(t)
	was := h.look("mara.quill")
	for _, e := range []school.Edit{{Act: "request", Course: "ALG2"}, {Act: "alternate", Course: "PRI1", StandsFor: "CER1"},
		{Act: "order", List: "alternates", Order: []string{"PRI1"}}} {
		d := h.edit(e)
		if d.Row.Version != was.Row.Version || d.Judgement == nil || d.Acts[acts.Undo].Allowed {
			t.Errorf("%+v makes version %d", e, d.Row.Version)
		}
	}
	if h.history() != "" {
		t.Errorf("history: %s", h.history())
	}
}

func TestRefusedEditsChangeNothing(t *testing.T) {
	h := newHouse(t)
	old := h.look("mara.quill").Row.Version
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	h.refuses(school.Edit{Act: "remove", Course: "WLD2"}, school.Fixed)
	h.refuses(school.Edit{Act: "alternate", Course: "WLD2"}, school.Fixed)
	h.refuses(school.Edit{Act: "request", Course: "CAL1"}, school.Barred)
	h.refuses(school.Edit{Act: "request", Course: "CHA1"}, school.Barred)
	h.refuses(school.Edit{Act: "request", Course: "NONE"}, school.NoCourse)
	h.refuses(school.Edit{Act: "alternate", Course: "AST1", StandsFor: "NONE"}, school.NoCourse)
	h.refuses(school.Edit{Act: "order", List: "requests", Order: []string{"NONE"}}, school.NoCourse)
	h.refuses(school.Edit{Act: "remove", Course: "AST1"}, school.NotOnSheet)
	h.refuses(school.Edit{Act: "alternate", Course: "AST1", StandsFor: "BAK1"}, school.BadStandsFor)
	h.refuses(school.Edit{Act: "order", List: "requests", Order: []string{"ENG10"}}, school.BadOrder)
	h.refuses(school.Edit{Act: "order", List: "alternates", Order: []string{"PHO1"}}, school.BadOrder)
	h.refuses(school.Edit{Act: "dance", Course: "DAN1"}, school.BadAct)
	h.refuses(school.Edit{Act: "request", Course: "AST1", Version: old}, "stale-version")
	h.refuses(school.Edit{Act: "request", Course: "AST1", Version: old + 7}, "stale-version")
	h.refuses(school.Edit{Act: "undo", Version: old}, "stale-version")
}

func TestAStaleChangeIsAnsweredWithTheSheetAsItIs(t *testing.T) {
	h := newHouse(t)
	old := h.look("mara.quill").Row.Version
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	_, err := h.Change(t.Context(), h.who("mara.quill"), mara, school.Edit{Version: old, Act: "request", Course: "AST1"})
	var known *school.Error
	if !errors.As(err, &known) || known.Now == nil || !strings.Contains(requests(known.Now.(*school.Desk)), "TID1") || known.Now.(*school.Desk).Judgement == nil {
		t.Fatalf("a stale change gives %v", err)
	}
}

// A change whose answer was lost is sent again: it is answered, and not made twice. One with another key is not.
func TestAChangeSentAgain(t *testing.T) {
	h := newHouse(t)
	old := h.look("mara.quill").Row.Version
	e := school.Edit{Version: old, Key: "k1", Act: "alternate", Course: "AST1"}
	first := h.edit(e)
	again := h.edit(e)
	if again.Row.Version != first.Row.Version || alternates(again) != alternates(first) || again.Judgement == nil {
		t.Errorf("sent again it gives version %d, %s", again.Row.Version, alternates(again))
	}
	h.edit(school.Edit{Act: "remove", Course: "AST1"})
	if later := h.edit(e); alternates(later) != "PRI1:CER1" {
		t.Errorf("sent again after another change it gives %s", alternates(later))
	}
	h.refuses(school.Edit{Version: old, Key: "k2", Act: "alternate", Course: "AST1"}, "stale-version")
	h.refuses(school.Edit{Version: old, Act: "alternate", Course: "AST1"}, "stale-version")
	// Another sheet's key says nothing of this one.
	h.db.Exec(t, `INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
		VALUES ('pellworth', 2027, 's0002', 99, now(), 's0002', 'x', 'change', '', 'k3', '{}')`)
	h.refuses(school.Edit{Version: old, Key: "k3", Act: "alternate", Course: "AST1"}, "stale-version")
}

func TestTwoWindowsAtOnceLoseNothing(t *testing.T) {
	h := newHouse(t)
	start := h.look("mara.quill").Row.Version
	who := h.who("mara.quill")
	services := []*school.Service{h.Service, h.second()}
	add := []string{"AST1", "PHO1", "DRW1", "COO1", "WEB1", "GAR1"}
	var wait sync.WaitGroup
	for i, course := range add {
		wait.Go(func() {
			version := start
			for {
				d, err := services[i%2].Change(context.Background(), who, mara, school.Edit{Version: version, Act: "alternate", Course: course})
				var known *school.Error
				if errors.As(err, &known) && known.Code == school.Code(acts.Stale) {
					version = known.Now.(*school.Desk).Row.Version
					continue
				}
				if err != nil {
					t.Error(err)
				} else if !strings.Contains(alternates(d), course) {
					t.Errorf("%s is not on the sheet that was answered", course)
				}
				return
			}
		})
	}
	wait.Wait()
	after := h.look("mara.quill")
	for _, course := range add {
		if !strings.Contains(alternates(after), course) {
			t.Errorf("%s is lost: %s", course, alternates(after))
		}
	}
	if after.Row.Version != start+int64(len(add)) {
		t.Errorf("version %d after %d changes from %d", after.Row.Version, len(add), start)
	}
}

// Undo after the catalog has changed: what has left it is left out, and a tie to it is loose.
func TestUndoAfterACourseHasLeft(t *testing.T) {
	h := newHouse(t)
	h.edit(school.Edit{Act: "alternate", Course: "AST1", StandsFor: "CER1"})
	h.edit(school.Edit{Act: "remove", Course: "CER1"}) // looses the tie
	h.edit(school.Edit{Act: "remove", Course: "PRI1"})
	h.bring(withoutCourse(t, "CER1"))
	h.edit(school.Edit{Act: "undo"}) // PRI1 comes back
	d := h.edit(school.Edit{Act: "undo"})
	if strings.Contains(requests(d), "CER1") || alternates(d) != "PRI1 AST1" {
		t.Errorf("after undoing: %s / %s", requests(d), alternates(d))
	}
	if d = h.edit(school.Edit{Act: "undo"}); alternates(d) != "PRI1" {
		t.Errorf("after undoing everything: %s", alternates(d))
	}
}

func TestACourseThatHasLeft(t *testing.T) {
	h := newHouse(t)
	// A course can leave while it is being requested: the sheet shows it, and it can be taken off.
	h.db.Exec(t, `INSERT INTO course VALUES ('pellworth', 2027, 'GONE1'), ('pellworth', 2027, 'GONE2')`)
	h.db.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for) VALUES ('pellworth', 2027, 's0001', 'GONE1', 'request', 2, 9, NULL),
		('pellworth', 2027, 's0001', 'GONE2', 'alternate', 1, 0, 'GONE1')`)
	h.finish()
	d := h.look("mara.quill")
	if len(d.Gone) != 2 || d.Complete || d.Ready || d.Acts[acts.Submit].Why != acts.NotReady {
		t.Fatalf("gone %v, complete %v, submitting %+v", d.Gone, d.Complete, d.Acts[acts.Submit])
	}
	if got := code(h.Submit(t.Context(), h.who("mara.quill"), mara, 0, "")); got != "not-ready" {
		t.Errorf("submitting gives %s", got)
	}
	h.refuses(school.Edit{Act: "request", Course: "GONE2"}, school.NoCourse)
	h.edit(school.Edit{Act: "remove", Course: "GONE1"})
	d = h.edit(school.Edit{Act: "remove", Course: "GONE2"})
	if len(d.Gone) != 0 || !d.Complete || !d.Acts[acts.Submit].Allowed {
		t.Errorf("after taking them off: %v, %+v", d.Gone, d.Acts[acts.Submit])
	}
	if got := code(h.Submit(t.Context(), h.who("mara.quill"), mara, 0, "")); got != "submitted" {
		t.Errorf("submitting gives %s", got)
	}
}

func TestWhoMaySeeASheet(t *testing.T) {
	h := newHouse(t)
	other := "s0003"
	h.db.Exec(t, `UPDATE person SET enabled = false WHERE id = 'office'`)
	for username, want := range map[string]string{"mara.quill": "inProgress", "ilse.quill": "inProgress", "ms.arden": "inProgress", "office": "not-found"} {
		if got := code(h.Sheet(t.Context(), h.who(username), mara)); got != want {
			t.Errorf("%s: %s", username, got)
		}
	}
	h.db.Exec(t, `UPDATE person SET enabled = true, present = false WHERE id = 'office'`)
	h.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	if got := code(h.Sheet(t.Context(), h.who("office"), mara)); got != "not-found" {
		t.Errorf("somebody who has left: %s", got)
	}
	for _, username := range []string{"mara.quill", "ilse.quill"} {
		at := school.Place{School: mara.School, Year: mara.Year, Student: other}
		if got := code(h.Sheet(t.Context(), h.who(username), at)); got != "not-found" {
			t.Errorf("%s sees another student's sheet: %s", username, got)
		}
		if _, err := h.Effects(t.Context(), h.who(username), at, ""); school.CodeOf(err) != school.NotFound {
			t.Errorf("%s sees another student's effects: %v", username, err)
		}
		if _, err := h.History(t.Context(), h.who(username), at, 0); school.CodeOf(err) != school.NotFound {
			t.Errorf("%s sees another student's history: %v", username, err)
		}
	}
	for _, at := range []school.Place{{School: "nowhere", Year: mara.Year, Student: mara.Student}, {School: mara.School, Year: 2026, Student: mara.Student}, {School: mara.School, Year: mara.Year, Student: "nobody"}} {
		if got := code(h.Sheet(t.Context(), h.who("ms.arden"), at)); got != "not-found" {
			t.Errorf("%+v: %s", at, got)
		}
	}
}

func TestTags(t *testing.T) {
	h := newHouse(t)
	known := ""
	look := func(username string) bool {
		t.Helper()
		d, err := h.Unless(t.Context(), h.who(username), mara, func(tag string) bool { return tag == known })
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
		{"a change", func() { h.edit(school.Edit{Act: "alternate", Course: "AST1"}) }},
		{"a decision", func() { h.waive() }},
		{"another reader", func() { look("ilse.quill") }},
		{"the window's end", func() { h.at(storetest.Now.AddDate(0, 0, 11)) }},
		{"a new window", func() { h.window(storetest.Now.AddDate(0, 0, 100)) }},
		{"a policy", func() { h.settings(`{"late": "no"}`) }},
		{"a catalog's text", func() { h.bring(bundleWith(t, "courses.csv", "Tidal Ecology", "Tides")) }},
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
