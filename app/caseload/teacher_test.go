package caseload_test

import (
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A teacher gives a word to a class and to one apart, with a reason; the student has it at once with the name, a change of mind takes its
// place, and it stays when the school's data come again. No one else's students, and no other course, can be reached.
func TestATeachersWord(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	teacher := h.Who("mr.tolland")
	y, heads, err := h.Caseload.Classes(ctx, teacher, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(heads) < 2 {
		t.Fatal(heads, err)
	}
	class, err := h.Caseload.Class(ctx, teacher, apptest.Mara.School, apptest.Mara.Year, "GEO1", "")
	if err != nil {
		t.Fatal(err)
	}
	var codes []string
	for _, c := range class.Columns {
		codes = append(codes, y.Codes[c])
	}
	at := -1
	for i := range class.Pupils {
		if class.Pupils[i].Known.ID == apptest.Mara.Student {
			at = i
		}
	}
	if at < 0 || len(codes) < 3 || codes[0] != "ALG2" || codes[len(codes)-1] != "GEO1" {
		t.Fatalf("the class: %v, Mara at %d", codes, at)
	}
	if word := class.Pupils[at].Word; word < 0 || y.Codes[word] != "ALG2" {
		t.Errorf("the word that came with the school's data is not there: %d", word)
	}
	said := func() (list []string) {
		for i, x := range h.Look("mara.quill").Known.Signals {
			if x.Kind == sheet.Recommendation && (x.Code == "ALG2" || x.Code == "ALG2A" || x.Code == "GEO1") {
				list = append(list, x.Code+" "+h.Look("mara.quill").Known.Said[i]+" "+x.Note)
			}
		}
		return list
	}
	recommend := func(code, reason string, students ...string) error {
		_, err := h.Caseload.Recommend(ctx, teacher, apptest.Mara.School, apptest.Mara.Year, "GEO1", appcaseload.Recommending{Students: students, Course: code, Reason: reason})
		return err
	}
	before := h.Look("mara.quill").Row.Version
	if err := recommend("ALG2A", " You saw the proof. ", apptest.Mara.Student); err != nil {
		t.Fatal(err)
	}
	if got := said(); len(got) != 1 || got[0] != "ALG2A Mr Tolland You saw the proof." {
		t.Errorf("Mara has %q", got)
	}
	if d := h.Look("mara.quill"); d.Row.Version != before+1 || d.Row.State != "inProgress" {
		t.Errorf("the sheet: %+v", d.Row)
	}
	if err := recommend("ALG2A", "You saw the proof.", apptest.Mara.Student); err != nil || h.Look("mara.quill").Row.Version != before+1 {
		t.Errorf("the same word again makes another version: %v", err)
	}
	if err := recommend("", "", apptest.Mara.Student); err != nil || len(said()) != 0 {
		t.Errorf("taken back there is %q, %v", said(), err)
	}
	again, err := h.Caseload.Class(ctx, teacher, apptest.Mara.School, apptest.Mara.Year, "GEO1", "")
	if err != nil || again.Pupils[at].Word >= 0 {
		t.Errorf("the class still has a word: %v", err)
	}
	b, err := bundle.ReadFiles(testdb.Files())
	if err != nil {
		t.Fatal(err)
	}
	h.Bring(b) // the school's data come again, with the word that was taken back
	if got := said(); len(got) != 0 {
		t.Errorf("what was taken back comes again: %q", got)
	}
	for name, err := range map[string]error{
		"a course that does not follow": recommend("CER1", "", apptest.Mara.Student),
		"a course that there is not":    recommend("NO1", "", apptest.Mara.Student),
		"a student of somebody else":    recommend("ALG2", "", "s9999"),
		"a class that the teacher has not": func() error {
			_, err := h.Caseload.Class(ctx, teacher, apptest.Mara.School, apptest.Mara.Year, "CER1", "")
			return err
		}(),
		"somebody who teaches nobody": func() error {
			_, _, err := h.Caseload.Classes(ctx, h.Who("ilse.quill"), apptest.Mara.School, apptest.Mara.Year)
			return err
		}(),
		"the sheet itself, for a teacher": func() error { _, err := h.Sheet.Sheet(ctx, teacher, apptest.Mara); return err }(),
		"its history, for a teacher":      func() error { _, err := h.Sheet.History(ctx, teacher, apptest.Mara, 0); return err }(),
		"somebody's word for the student": func() error {
			_, err := h.Caseload.Recommend(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, "GEO1", appcaseload.Recommending{Students: []string{apptest.Mara.Student}})
			return err
		}(),
	} {
		want := map[string]problem.Code{"a course that does not follow": problem.BadAct, "a course that there is not": problem.NoCourse, "somebody who teaches nobody": problem.Code(acts.NotYours),
			"somebody's word for the student": problem.Code(acts.NotYours)}[name]
		if want == "" {
			want = problem.NotFound
		}
		if problem.CodeOf(err) != want {
			t.Errorf("%s: %v, want %s", name, err, want)
		}
	}
}
