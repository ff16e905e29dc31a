package school_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/school"
	"rubricon/store/storetest"
)

// A record is entered or corrected by hand with a reason, counts at once, is kept over an intake, and is taken back.
func TestRecordsByHand(t *testing.T) {
	h := newHouse(t)
	enter := func(e school.Entry) (int64, string) {
		t.Helper()
		return h.batch(school.Batch{Kind: "record", Record: e, Reason: "The report is here."}, mara.Student)
	}
	alg := school.Entry{Course: "ALG1", SchoolYear: "2025-26", Mark: "83", Outcome: "transfer"}
	for name, c := range map[string]struct {
		change func(e *school.Entry)
		field  string
	}{
		"no course":        {func(e *school.Entry) { e.Course = "" }, "title"},
		"no title":         {func(e *school.Entry) { e.Course = "XX1" }, "title"},
		"no credits":       {func(e *school.Entry) { e.Course, e.Title = "XX1", "Abroad" }, "credits"},
		"too many credits": {func(e *school.Entry) { e.Credits = "101" }, "credits"},
		"no year":          {func(e *school.Entry) { e.SchoolYear = "last" }, "schoolYear"},
		"a later year":     {func(e *school.Entry) { e.SchoolYear = "2028-29" }, "schoolYear"},
		"no such mark":     {func(e *school.Entry) { e.Mark = "very good" }, "mark"},
		"above all":        {func(e *school.Entry) { e.Mark = "100.5" }, "mark"},
		"no outcome":       {func(e *school.Entry) { e.Outcome = "" }, "outcome"},
	} {
		e := alg
		c.change(&e)
		_, err := h.TryBatch(t.Context(), h.who("ms.arden"), mara.School, mara.Year, school.Batch{Kind: "record", Record: e, Sheets: []school.Choice{{Student: mara.Student}}})
		if code := school.CodeOf(err); code != school.BadRecord || !strings.Contains(err.Error(), "("+c.field+")") {
			t.Errorf("%s: %v, want %s", name, err, c.field)
		}
	}
	id, got := enter(alg)
	if got != "s0001" || h.record("ALG1") != "83 transfer 1 entered" {
		t.Errorf("entered: %s, %s", got, h.record("ALG1"))
	}
	h.says("what the claim was about is on record", "inProgress")
	if _, got := enter(alg); got != "s0001:already-done" {
		t.Errorf("twice: %s", got)
	}
	if h.back(id, "Another Mara.") != "s0001" || h.record("ALG1") != "" {
		t.Errorf("taken back: %s", h.record("ALG1"))
	}
	if _, got := enter(school.Entry{Title: "Glass Blowing", Subject: "Arts", SchoolYear: "2025-26", Credits: "0.5", Outcome: "transfer"}); got != "s0001" || h.record("Glass Blowing") != "0 transfer 0.5 entered" {
		t.Errorf("of no catalog: %s, %s", got, h.record("Glass Blowing"))
	}
	// A correction stands in the place of what the school's data say, also after they come again.
	f, err := h.File(t.Context(), h.who("ilse.quill"), mara)
	if err != nil || len(f.Guardians) == 0 || !strings.Contains(f.Guardians[0].Name, "Quill") {
		t.Fatalf("the family reads %+v, %v", f, err)
	}
	old := f.Desk.Known.Records[0]
	before := h.record(old.Code)
	id, got = enter(school.Entry{Replaces: f.Desk.Known.RecordIDs[0], Course: old.Code, SchoolYear: "2025-26", Mark: "99", Outcome: string(old.Outcome)})
	want := fmt.Sprint("99 ", old.Outcome, " ", old.Credits, " entered")
	if got != "s0001" || h.record(old.Code) != want {
		t.Errorf("corrected: %s, %s, want %s", got, h.record(old.Code), want)
	}
	// They come with something else that is new of her, so that her records are written anew.
	files := storetest.Files()
	for i := range files {
		if files[i].Name == "records.csv" {
			for k, row := range files[i].Rows {
				if row[0] == mara.Student && row[slices.Index(files[i].Header, "courseCode")] == "GEO1" {
					files[i].Rows[k][slices.Index(files[i].Header, "title")] = "Geometry, renamed"
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || old.Code == "GEO1" {
		t.Fatal(err, old.Code)
	}
	h.bring(b)
	if h.record(old.Code) != want {
		t.Errorf("after an intake: %s, want %s", h.record(old.Code), want)
	}
	if n := strings.Count(h.export()["records.csv"], "s0001,"+old.Code+","); n != 1 {
		t.Errorf("%d rows of it are given out", n)
	}
	if h.back(id, "It was right.") != "s0001" || h.record(old.Code) != before {
		t.Errorf("taken back: %s, want %s", h.record(old.Code), before)
	}
	if _, got := enter(school.Entry{Replaces: 999999, Course: "ALG1", SchoolYear: "2025-26", Outcome: "earned"}); got != "s0001:not-found" {
		t.Errorf("in the place of nothing: %s", got)
	}
	if _, err := h.File(t.Context(), h.who("office"), school.Place{School: mara.School, Year: mara.Year, Student: "nobody"}); school.CodeOf(err) != school.NotFound {
		t.Errorf("of nobody: %v", err)
	}
	colleague := storetest.Value[string](t, h.db, `SELECT student_id FROM relation WHERE kind = 'counsels' AND person_id <> 'k1' ORDER BY student_id LIMIT 1`)
	if _, err := h.File(t.Context(), h.who("ms.arden"), school.Place{School: mara.School, Year: mara.Year, Student: colleague}); school.CodeOf(err) != school.Code(acts.NotYours) {
		t.Errorf("a colleague's: %v", err)
	}
}
