package people_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A record is entered or corrected by hand with a reason, counts at once, is kept over an import, and is taken back.
func TestRecordsByHand(t *testing.T) {
	h := apptest.NewHouse(t)
	enter := func(e appsheet.Entry) (int64, string) {
		t.Helper()
		return h.Batch(appcaseload.Batch{Kind: "record", Record: e, Reason: "The report is here."}, apptest.Mara.Student)
	}
	alg := appsheet.Entry{Course: "ALG1", SchoolYear: "2025-26", Mark: "83", Outcome: "transfer"}
	for name, c := range map[string]struct {
		change func(e *appsheet.Entry)
		field  string
	}{
		"no course":        {func(e *appsheet.Entry) { e.Course = "" }, "title"},
		"no title":         {func(e *appsheet.Entry) { e.Course = "XX1" }, "title"},
		"no credits":       {func(e *appsheet.Entry) { e.Course, e.Title = "XX1", "Abroad" }, "credits"},
		"too many credits": {func(e *appsheet.Entry) { e.Credits = "101" }, "credits"},
		"no year":          {func(e *appsheet.Entry) { e.SchoolYear = "last" }, "schoolYear"},
		"a later year":     {func(e *appsheet.Entry) { e.SchoolYear = "2028-29" }, "schoolYear"},
		"no such mark":     {func(e *appsheet.Entry) { e.Mark = "very good" }, "mark"},
		"above all":        {func(e *appsheet.Entry) { e.Mark = "100.5" }, "mark"},
		"no outcome":       {func(e *appsheet.Entry) { e.Outcome = "" }, "outcome"},
	} {
		e := alg
		c.change(&e)
		_, err := h.Caseload.TryBatch(t.Context(), h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Batch{Kind: "record", Record: e, Sheets: []appcaseload.Choice{{Student: apptest.Mara.Student}}})
		if code := problem.CodeOf(err); code != problem.BadRecord || !strings.Contains(err.Error(), "("+c.field+")") {
			t.Errorf("%s: %v, want %s", name, err, c.field)
		}
	}
	id, got := enter(alg)
	if got != "s0001" || h.Record("ALG1") != "83 transfer 1 entered" {
		t.Errorf("entered: %s, %s", got, h.Record("ALG1"))
	}
	h.Says("what the claim was about is on record", "inProgress")
	if _, got := enter(alg); got != "s0001:already-done" {
		t.Errorf("twice: %s", got)
	}
	if h.Back(id, "Another Mara.") != "s0001" || h.Record("ALG1") != "" {
		t.Errorf("taken back: %s", h.Record("ALG1"))
	}
	if _, got := enter(appsheet.Entry{Title: "Glass Blowing", Subject: "Arts", SchoolYear: "2025-26", Credits: "0.5", Outcome: "transfer"}); got != "s0001" || h.Record("Glass Blowing") != "0 transfer 0.5 entered" {
		t.Errorf("of no catalog: %s, %s", got, h.Record("Glass Blowing"))
	}
	// A correction stands in the place of what the school's data say, also after they come again.
	f, err := h.People.File(t.Context(), h.Who("ilse.quill"), apptest.Mara)
	if err != nil || len(f.Guardians) == 0 || !strings.Contains(f.Guardians[0].Name, "Quill") {
		t.Fatalf("the family reads %+v, %v", f, err)
	}
	old := f.Desk.Known.Records[0]
	before := h.Record(old.Code)
	id, got = enter(appsheet.Entry{Replaces: f.Desk.Known.RecordIDs[0], Course: old.Code, SchoolYear: "2025-26", Mark: "99", Outcome: string(old.Outcome)})
	want := fmt.Sprint("99 ", old.Outcome, " ", old.Credits, " entered")
	if got != "s0001" || h.Record(old.Code) != want {
		t.Errorf("corrected: %s, %s, want %s", got, h.Record(old.Code), want)
	}
	// They come with something else that is new of her, so that her records are written again.
	files := testdb.Files()
	for i := range files {
		if files[i].Name == "records.csv" {
			for k, row := range files[i].Rows {
				if row[0] == apptest.Mara.Student && row[slices.Index(files[i].Header, "courseCode")] == "GEO1" {
					files[i].Rows[k][slices.Index(files[i].Header, "title")] = "Geometry, renamed"
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || old.Code == "GEO1" {
		t.Fatal(err, old.Code)
	}
	h.Bring(b)
	if h.Record(old.Code) != want {
		t.Errorf("after an import: %s, want %s", h.Record(old.Code), want)
	}
	if n := strings.Count(h.Export()["records.csv"], "s0001,"+old.Code+","); n != 1 {
		t.Errorf("%d rows of it are given out", n)
	}
	if h.Back(id, "It was right.") != "s0001" || h.Record(old.Code) != before {
		t.Errorf("taken back: %s, want %s", h.Record(old.Code), before)
	}
	if _, got := enter(appsheet.Entry{Replaces: 999999, Course: "ALG1", SchoolYear: "2025-26", Outcome: "earned"}); got != "s0001:not-found" {
		t.Errorf("in the place of nothing: %s", got)
	}
	if _, err := h.People.File(t.Context(), h.Who("office"), schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: "nobody"}); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("of nobody: %v", err)
	}
	colleague := testdb.Value[string](t, h.DB, `SELECT student_id FROM relation WHERE kind = 'counsels' AND person_id <> 'k1' ORDER BY student_id LIMIT 1`)
	if _, err := h.People.File(t.Context(), h.Who("ms.arden"), schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: colleague}); problem.CodeOf(err) != problem.Code(acts.NotYours) {
		t.Errorf("a colleague's: %v", err)
	}
}
