package sheet_test

import (
	"slices"
	"strings"
	"testing"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A plan is kept with the student, whatever the window says; each change is kept at once, and says what the plan then comes to. An
// import keeps what was planned here, and an export has it.
func TestPlanning(t *testing.T) {
	h := apptest.NewHouse(t)
	version, before := h.Plan()
	if version != 0 || !strings.Contains(before, "11 ") {
		t.Fatalf("version %d of the plan: %s", version, before)
	}
	change := func(username string, edit appsheet.PlanEdit) *appsheet.Path {
		t.Helper()
		edit.Version, _ = h.Plan()
		p, err := h.Sheet.ChangePlan(t.Context(), h.Who(username), apptest.Mara, edit)
		if err != nil {
			t.Fatalf("%+v: %v", edit, err)
		}
		if _, kept := h.Plan(); kept != apptest.PlanText(p) || p.Version != edit.Version+1 {
			t.Fatalf("%+v: answered version %d, %s; kept %s", edit, p.Version, apptest.PlanText(p), kept)
		}
		return p
	}
	h.At(testdb.Now.AddDate(2, 0, 0)) // long after the window
	sheet := h.Look("mara.quill").Row.Version
	if got := apptest.PlanText(change("mara.quill", appsheet.PlanEdit{Act: "add", Course: "SAI1", Grade: 12})); !strings.Contains(got, "12 SAI1") {
		t.Errorf("added: %s", got)
	}
	if got := apptest.PlanText(change("ilse.quill", appsheet.PlanEdit{Act: "move", Course: "SAI1", From: 12, Grade: 11})); !strings.Contains(got, "11 SAI1") || strings.Contains(got, "12 SAI1") {
		t.Errorf("moved: %s", got)
	}
	if got := apptest.PlanText(change("ms.arden", appsheet.PlanEdit{Act: "add", Course: "CER1", Grade: 12, Alternate: true})); !strings.Contains(got, "12 CER1 in case") {
		t.Errorf("in case: %s", got)
	}
	version, _ = h.Plan()
	for _, c := range []struct {
		edit appsheet.PlanEdit
		want problem.Code
	}{
		{appsheet.PlanEdit{Act: "add", Course: "NOSUCH", Grade: 11}, "no-such-course"},
		{appsheet.PlanEdit{Act: "add", Course: "SAI1", Grade: 11}, "on-sheet"},
		{appsheet.PlanEdit{Act: "add", Course: "SAI1", Grade: 10}, "bad-grade"},
		{appsheet.PlanEdit{Act: "add", Course: "SAI1", Grade: 13}, "bad-grade"},
		{appsheet.PlanEdit{Act: "remove", Course: "SAI1", From: 12}, "not-on-sheet"},
		{appsheet.PlanEdit{Act: "sing", Course: "SAI1", From: 11}, "bad-act"},
	} {
		c.edit.Version = version
		if _, err := h.Sheet.ChangePlan(t.Context(), h.Who("mara.quill"), apptest.Mara, c.edit); problem.CodeOf(err) != c.want {
			t.Errorf("%+v gives %v, want %s", c.edit, err, c.want)
		}
	}
	if _, err := h.Sheet.ChangePlan(t.Context(), h.Who("mara.quill"), apptest.Mara, appsheet.PlanEdit{Version: version - 1, Act: "remove", Course: "SAI1", From: 11}); problem.CodeOf(err) != problem.StalePlan {
		t.Errorf("a change to an older plan gives %v", err)
	}
	if got := h.Look("mara.quill").Row.Version; got != sheet {
		t.Errorf("planning changed the sheet from version %d to %d", sheet, got)
	}
	_, planned := h.Plan()
	// What comes again does not undo it, though the records are others.
	h.Bring(apptest.BundleWith(t, "signals.csv", "s0001,recommendation,ALG2", "s0001,recommendation,PRE1"))
	if _, kept := h.Plan(); kept != planned {
		t.Errorf("after an import the plan is %s, want %s", kept, planned)
	}
	if rows := h.Export()["plans.csv"]; !strings.Contains(rows, "s0001,11,SAI1,request") || !strings.Contains(rows, "s0001,12,CER1,alternate") {
		t.Errorf("exported: %s", rows)
	}
}

// What was planned for the grade a year ago is offered when the year comes.
func TestLastYearsPlan(t *testing.T) {
	h := apptest.NewHouse(t)
	files := testdb.Files()
	for i := range files {
		f := &files[i]
		switch f.Name {
		case "policy.json":
			f.Text = []byte(strings.ReplaceAll(string(f.Text), `"schoolYear": "2027-28"`, `"schoolYear": "2028-29"`))
		case "users.csv":
			grade := slices.Index(f.Header, "grades")
			for _, row := range f.Rows {
				if row[0] == "s0001" { // who is in grade 10 now
					row[grade] = "10"
				}
			}
		case "plans.csv", "requests.csv", "classes.csv":
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return row[0] == "s0001" || f.Name == "plans.csv" })
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	h.Bring(b)
	p, err := h.Sheet.Path(t.Context(), h.Who("mara.quill"), schoolyear.Place{School: demo.SchoolID, Year: 2028, Student: "s0001"})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, course := range p.Before {
		got = append(got, p.Desk.Year.Codes[course])
	}
	_, planned := h.Plan()
	if len(got) == 0 || !strings.Contains(planned, "11 "+got[0]) {
		t.Errorf("from a year ago: %v; planned was %s", got, planned)
	}
}
