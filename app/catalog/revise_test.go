package catalog_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// What a change of the rules or courses would do is told before, from the real sheets; in force it is kept with who and why.
func TestRevisions(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	y, source, err := h.Catalog.Source(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	base := appcatalog.Revision{Catalog: y.CatalogVersion, Policy: y.PolicyVersion}
	try := func(r appcatalog.Revision) *appcatalog.RevisionEffect {
		t.Helper()
		e, err := h.Catalog.TryRevision(ctx, office, apptest.Mara.School, apptest.Mara.Year, r)
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	same := try(base)
	if len(same.Problems)+len(same.Lapsed)+len(same.Mended)+len(same.Gone) > 0 || same.Sheets != testdb.Students || len(same.Rules) != len(y.Rules) {
		t.Errorf("nothing changed: %+v", same)
	}
	for _, r := range same.Rules {
		if *r.Was != *r.Now || r.Was.Holds+r.Was.Short+r.Was.Over+r.Was.Apart != testdb.Students {
			t.Errorf("%s: %+v, %+v", r.ID, r.Was, r.Now)
		}
	}
	// Errors have their line; nothing is judged then, or put in force.
	broken := base
	text := strings.Replace(source.Policy, `"min"`, `"mim"`, 1)
	broken.Rules, broken.Reason = &text, "x"
	if e := try(broken); len(e.Problems) == 0 || e.Problems[0].Line < 2 || e.Sheets != 0 {
		t.Errorf("an unknown key: %+v", e)
	}
	if _, err := h.Catalog.Revise(ctx, office, apptest.Mara.School, apptest.Mara.Year, broken); problem.CodeOf(err) != problem.BadRevision {
		t.Errorf("put in force: %v", err)
	}
	cond := base
	cond.Courses = []appcatalog.CourseEdit{{Code: "AST1", Cells: map[string]string{"metadata.entry": "passed"}}}
	if e := try(cond); len(e.Problems) != 1 || e.Problems[0].File != "courses.csv" || e.Problems[0].Column != "metadata.entry" || !strings.Contains(e.Problems[0].What, "at character") {
		t.Errorf("a condition that cannot be read: %+v", e.Problems)
	}
	otherYear := strings.Replace(source.Policy, "2027-28", "2028-29", 1)
	if e := try(appcatalog.Revision{Catalog: base.Catalog, Policy: base.Policy, Rules: &otherYear}); len(e.Problems) == 0 {
		t.Error("the school year can be changed")
	}
	for name, c := range map[string]appcatalog.CourseEdit{"a column of the key": {Code: "AST1", Cells: map[string]string{"sourcedId": "x"}}, "no column": {Code: "AST1", Cells: map[string]string{"color": "x"}}, "not there": {Code: "NONE", Remove: true}} {
		r := base
		r.Courses = []appcatalog.CourseEdit{c}
		if _, err := h.Catalog.TryRevision(ctx, office, apptest.Mara.School, apptest.Mara.Year, r); err == nil {
			t.Errorf("%s is taken", name)
		}
	}

	gone := base
	gone.Courses = []appcatalog.CourseEdit{{Code: "CER1", Remove: true}, {Code: "NEW1", Cells: map[string]string{"title": "Knots", "grades": "10", "subjects": "Arts", "metadata.credits": "0.5", "metadata.span": "S1"}}}
	e := try(gone)
	asked := testdb.Value[int](t, h.DB, `SELECT count(*) FROM entry WHERE course_code = 'CER1' AND kind = 'request'`)
	if len(e.Gone) != 1 || e.Gone[0].Code != "CER1" || e.Gone[0].Requested != asked || asked == 0 || len(e.Problems) > 0 {
		t.Errorf("taken away: %+v, %d, %v", e.Gone, asked, e.Problems)
	}
	h.Finish()
	h.Waive()
	h.Submit()
	before := h.Look("mara.quill")
	strict := base
	stricter := strings.Replace(source.Policy, `"rules": [`, `"rules": [ {"id": "sixteen", "label": "Sixteen courses", "of": "all", "min": 16}, `, 1)
	strict.Rules = &stricter
	e = try(strict)
	if e.Rules[0].ID != "sixteen" || e.Rules[0].Was != nil || e.Rules[0].Now.Short != testdb.Students || len(e.Lapsed) == 0 || fmt.Sprint(e.Lapsed[0].Student) == "" {
		t.Errorf("a strict rule: %+v, %d lapse", e.Rules[0], len(e.Lapsed))
	}
	if _, err := h.Catalog.Revise(ctx, office, apptest.Mara.School, apptest.Mara.Year, strict); problem.CodeOf(err) != problem.NeedsReason {
		t.Errorf("without a reason: %v", err)
	}
	if d := h.Look("mara.quill"); d.Tag() != before.Tag() {
		t.Error("trying has changed something")
	}
	strict.Reason = "By the board."
	if _, err := h.Catalog.Revise(ctx, office, apptest.Mara.School, apptest.Mara.Year, strict); err != nil {
		t.Fatal(err)
	}
	if d := h.Look("mara.quill"); d.Ready || d.Tag() == before.Tag() {
		t.Error("it is not in force")
	}
	if _, err := h.Catalog.Revise(ctx, office, apptest.Mara.School, apptest.Mara.Year, strict); problem.CodeOf(err) != "stale-version" {
		t.Errorf("on the version before: %v", err)
	}
	list, err := h.Catalog.Versions(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(list) != 3 || list[1].Kind != "rules" || list[1].Version != 2 || list[1].By != "Dagny Westerdale" || list[1].Reason != "By the board." || list[0].By+list[2].By != "" {
		t.Errorf("%+v, %v", list, err)
	}
	if old, err := h.Catalog.RulesOf(ctx, office, apptest.Mara.School, apptest.Mara.Year, base.Policy); err != nil || old != source.Policy {
		t.Errorf("the version before: %v", err)
	}
	if _, err := h.Catalog.TryRevision(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, base); problem.CodeOf(err) != "forbidden" {
		t.Errorf("a counselor: %v", err)
	}
}

// Errands are changed as the rules are: a row that cannot be read is named at its place, a column that there is not is refused, and what is in
// force concerns the students at once.
func TestErrandsRevised(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	y, _, err := h.Catalog.Source(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	revise := func(row map[string]string) (*appcatalog.RevisionEffect, error) {
		return h.Catalog.Revise(ctx, office, apptest.Mara.School, apptest.Mara.Year, appcatalog.Revision{Catalog: y.CatalogVersion, Policy: y.PolicyVersion, Reason: "x", Errands: &[]map[string]string{
			{"courseCode": "CER1", "kind": "form", "title": "One"}, row}})
	}
	if _, err := revise(map[string]string{"color": "red"}); problem.CodeOf(err) != problem.BadRevision {
		t.Errorf("a column that there is not: %v", err)
	}
	var bad *problem.Error
	if _, err := revise(map[string]string{"courseCode": "CER1", "kind": "form", "title": "Two", "due": "soon"}); !errors.As(err, &bad) || !strings.HasPrefix(bad.Param, "errands.csv:3: due: “soon”") {
		t.Errorf("a row that cannot be read: %v", err)
	}
	if _, err := revise(map[string]string{"courseCode": "CER1", "kind": "meeting", "title": "Two", "due": "2027-06-03"}); err != nil {
		t.Fatal(err)
	}
	d := h.Look("mara.quill")
	got := ""
	for _, e := range d.Known.Errands(&d.Sheet) {
		got += d.Year.Errands[e.Errand].Title + " "
	}
	if got != "Two One " {
		t.Errorf("Mara's errands: %s", got)
	}
}

// The office sets windows in the school's own time; they are kept with who, and taken away.
func TestWindowsOfTheOffice(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	put := func(l appcatalog.Local) string {
		return string(problem.CodeOf(h.Catalog.PutWindow(ctx, office, apptest.Mara.School, apptest.Mara.Year, l)))
	}
	good := appcatalog.Local{Grade: 10, Opens: "2027-03-05T08:00", Families: "2027-03-20T16:00", Counselors: "2027-03-30T16:00"}
	bad, nobody, both := good, good, good
	bad.Families, nobody.Grade, nobody.Student, both.Student = "soon", -1, "nobody", "s0001"
	for want, l := range map[string]appcatalog.Local{"": good, "bad-window": bad, "not-found": nobody} {
		if got := put(l); got != want {
			t.Errorf("%+v: %q, want %q", l, got, want)
		}
	}
	if got := put(both); got != "bad-window" {
		t.Errorf("of a grade and a student: %q", got)
	}
	if opens := h.Look("mara.quill").Window().Opens; opens.UTC().Format("15:04") != "12:00" { // the school is four hours behind
		t.Errorf("it opens %v", opens)
	}
	y, list, err := h.Catalog.Windows(ctx, office, apptest.Mara.School, apptest.Mara.Year)
	if err != nil || len(list) != 2 || list[0].Grade != -1 || list[1].Grade != 10 || appcatalog.LocalOf(y, &list[1]) != good {
		t.Errorf("%+v, %v", list, err)
	}
	for _, want := range []string{"", "not-found"} {
		if got := string(problem.CodeOf(h.Catalog.DropWindow(ctx, office, apptest.Mara.School, apptest.Mara.Year, appcatalog.Window{Grade: 10}))); got != want {
			t.Errorf("taken away: %q, want %q", got, want)
		}
	}
	acts, err := h.Office.OfficeActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0)
	if err != nil || len(acts) != 2 || acts[0].About != "10" || acts[0].By != "Dagny Westerdale" {
		t.Errorf("%+v, %v", acts, err)
	}
	if got := problem.CodeOf(h.Catalog.PutWindow(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, good)); got != "forbidden" {
		t.Errorf("a counselor: %s", got)
	}
}
