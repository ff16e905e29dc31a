package sheet_test

import (
	"strings"
	"testing"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/core/receipt"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A signature on paper is recorded by the code of the page and counts like one on the screen: typed wrong, of an earlier version, of someone who is
// no guardian, or twice, it changes nothing and says why. A picture of the page is kept.
func TestSignedOnPaper(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, arden, office := t.Context(), h.Who("ms.arden"), h.Who("office")
	h.Finish()
	first := receipt.Code(*h.Submit().Row.Receipt)
	h.Edit(appsheet.Edit{Act: "remove", Course: "AST1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "DAN1"})
	second := receipt.Code(*h.Submit().Row.Receipt)
	sign := func(by int64, code, guardian string, agreed ...string) problem.Code {
		_, err := h.Sheet.Papers().Sign(ctx, by, apptest.Mara.School, apptest.Mara.Year, appsheet.PaperSignature{Code: code, Guardian: guardian, Agreed: agreed})
		return problem.CodeOf(err)
	}
	for name, c := range map[string]struct {
		by       int64
		code, to string
		want     problem.Code
	}{
		"typed wrong":           {arden, second[:len(second)-1] + "?", "g0001", problem.BadCode},
		"one letter off":        {arden, strings.Replace(second, "PE", "PF", 1), "g0001", problem.BadCode},
		"of nobody":             {arden, receipt.Code("PE-99999"), "g0001", problem.NotFound},
		"of an earlier one":     {arden, first, "g0001", problem.OldCode},
		"by who is no guardian": {arden, second, "g0002", problem.NoGuardian},
		"by the family":         {h.Who("ilse.quill"), second, "g0001", "forbidden"},
	} {
		if got := sign(c.by, c.code, c.to); got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	if d := h.Look("mara.quill"); d.Row.State != "submitted" || len(d.Row.Signatures.V) != 0 {
		t.Fatalf("something was recorded: %+v", d.Row.Signatures)
	}
	found, err := h.Sheet.Papers().Find(ctx, arden, apptest.Mara.School, apptest.Mara.Year, " "+strings.ToLower(strings.ReplaceAll(second, "-", " "))+" ")
	if err != nil || found.Row.Student != apptest.Mara.Student || len(found.Guardians) != 1 || found.Guardians[0].Signed || found.Guardians[0].Name != "Ilse Quill" {
		t.Fatalf("found: %+v, %v", found, err)
	}
	if got := sign(arden, second, "g0001", "ENG12"); got != "not-on-sheet" {
		t.Errorf("with a box that the page does not have: %s", got)
	}
	h.Letters()
	if got := sign(arden, second, "g0001", "CER1"); got != "" {
		t.Fatal(got)
	}
	if len(found.Boxes) != 2 || found.Boxes[0].Ref != "CER1" || found.Boxes[1].Ref != "TID1" {
		t.Errorf("the boxes: %+v", found.Boxes)
	}
	if agreed := testdb.Value[string](t, h.DB, `SELECT agreed::text || commitments::text FROM signature`); agreed != `["CER1"][]` {
		t.Errorf("agreed to on the page: %s", agreed)
	}
	d := h.Look("ilse.quill")
	if x := d.Row.Signatures.V; d.Row.State != "signed" || len(x) != 1 || x[0].Name != "Ilse Quill" || x[0].PaperBy != "Ms Arden" || x[0].ForFamily {
		t.Errorf("recorded: %s, %+v", d.Row.State, d.Row.Signatures.V)
	}
	if events, err := h.Sheet.History(ctx, h.Who("ilse.quill"), apptest.Mara, 0); err != nil || events[0].Kind != "signPaper" || events[0].Message != "Ilse Quill" || events[0].Who != "Ms Arden" {
		t.Errorf("the history: %+v, %v", events[0], err)
	}
	if got := sign(office, second, "g0001"); got != "" && got != "already-done" {
		t.Errorf("twice: %s", got)
	}
	if n := len(h.Look("ilse.quill").Row.Signatures.V); n != 1 {
		t.Errorf("%d signatures", n)
	}
	png := []byte("\x89PNG\r\n\x1a\n picture")
	for name, c := range map[string]struct {
		by       int64
		guardian string
		content  []byte
		want     problem.Code
	}{"text": {arden, "g0001", []byte("plain"), problem.BadFile}, "nothing": {arden, "g0001", nil, problem.BadFile}, "of nobody": {arden, "g0002", png, problem.NotFound},
		"by the family": {h.Who("ilse.quill"), "g0001", png, "forbidden"}, "a picture": {arden, "g0001", png, ""}} {
		if got := problem.CodeOf(h.Sheet.Papers().KeepPage(ctx, c.by, apptest.Mara, c.guardian, c.content)); got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	for _, username := range []string{"ilse.quill", "ms.arden"} {
		if page, err := h.Sheet.Papers().Page(ctx, h.Who(username), apptest.Mara, "g0001"); err != nil || string(page.Content) != string(png) || page.Kind != "image/png" || page.By != "Ms Arden" {
			t.Errorf("the page, for %s: %v", username, err)
		}
	}
}

// Where all guardians sign, one on paper and one on the screen are two.
func TestOnPaperAndOnScreen(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	h.Settings(`{"signing": "all"}`)
	h.Finish()
	code := receipt.Code(*h.Submit().Row.Receipt)
	if _, err := h.Sheet.Papers().Sign(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, appsheet.PaperSignature{Code: code, Guardian: "g0002"}); err != nil {
		t.Fatal(err)
	}
	if d := h.Look("mara.quill"); d.Row.State != "submitted" {
		t.Errorf("with one of two: %s", d.Row.State)
	}
	if _, err := h.Sheet.Papers().Sign(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, appsheet.PaperSignature{Code: code, Guardian: "g0002"}); problem.CodeOf(err) != "already-done" {
		t.Errorf("the same once more: %v", err)
	}
	h.Sign()
	if d := h.Look("mara.quill"); d.Row.State != "signed" {
		t.Errorf("with both: %s", d.Row.State)
	}
}
