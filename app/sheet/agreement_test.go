package sheet_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// agreements writes what a guardian agrees to as text: a + before what is agreed to.
func agreements(a *appsheet.Agreements) string {
	var list []string
	for _, x := range a.List {
		mark := "-"
		if x.At != nil {
			mark = "+"
		}
		list = append(list, mark+x.Ref)
	}
	return strings.Join(list, " ")
}

// A guardian agrees to each fee on its own, with the hour, may withdraw that until signing, and need not agree again after a change to what is the
// same: what is different from what they signed is said.
func TestAgreeingOneByOne(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, guardian := t.Context(), h.Who("ilse.quill")
	h.Finish()
	if _, err := h.Sheet.Agreements(ctx, guardian, apptest.Mara); problem.CodeOf(err) != "nothing-submitted" {
		t.Errorf("before anything is handed in: %v", err)
	}
	h.Submit()
	fee := func(course, what string) appsheet.Agreement {
		return appsheet.Agreement{Kind: appsheet.AgreeFee, Ref: course, What: what}
	}
	set := func(by string, a appsheet.Agreement, agree bool) string {
		list, err := h.Sheet.SetAgreement(ctx, h.Who(by), apptest.Mara, a, agree)
		if err != nil {
			return string(problem.CodeOf(err))
		}
		return agreements(list)
	}
	for _, c := range []struct {
		by    string
		a     appsheet.Agreement
		agree bool
		want  string
	}{
		{"ilse.quill", fee("TID1", "3500"), true, "-CER1 +TID1"},
		{"ilse.quill", fee("TID1", "3500"), true, "-CER1 +TID1"},
		{"ilse.quill", fee("CER1", "3400"), true, "stale-version"}, // another fee than it has
		{"ilse.quill", fee("ENG10", "0"), true, "stale-version"},
		{"ilse.quill", appsheet.Agreement{Kind: appsheet.AgreeCommitment, Ref: "CER1", What: "3500"}, true, "stale-version"},
		{"ms.arden", fee("CER1", "3500"), true, "forbidden"},
		{"mara.quill", fee("CER1", "3500"), true, "forbidden"},
		{"mr.tolland", fee("CER1", "3500"), true, "not-found"},
		{"ilse.quill", fee("TID1", "3500"), false, "-CER1 -TID1"},
		{"ilse.quill", fee("TID1", "3500"), true, "-CER1 +TID1"},
	} {
		if got := set(c.by, c.a, c.agree); got != c.want {
			t.Errorf("%s, %+v, %v: %s, want %s", c.by, c.a, c.agree, got, c.want)
		}
	}
	var known *problem.Error
	if _, err := h.Sheet.Sign(ctx, guardian, apptest.Mara, 0, nil, ""); !errors.As(err, &known) || known.Code != problem.NeedsAgreed || known.Param != "CER1" {
		t.Errorf("signing with one left: %v", err)
	}
	h.At(testdb.Now.Add(time.Hour))
	if got := set("ilse.quill", fee("CER1", "3500"), true); got != "+CER1 +TID1" {
		t.Fatal(got)
	}
	list, err := h.Sheet.Agreements(ctx, guardian, apptest.Mara)
	if err != nil || !list.List[0].At.Equal(testdb.Now.Add(time.Hour)) || !list.List[1].At.Equal(testdb.Now) || list.Signed != nil || list.Since != nil {
		t.Errorf("with the hours: %+v, %v", list, err)
	}
	if d := h.Must(h.Sheet.Sign(ctx, guardian, apptest.Mara, 0, nil, "")); d.Row.State != "signed" {
		t.Fatalf("signed: %s", d.Row.State)
	}
	if got := set("ilse.quill", fee("CER1", "3500"), false); got != "already-done" {
		t.Errorf("withdrawn after signing: %s", got)
	}

	h.Edit(appsheet.Edit{Act: "replace", Course: "SCU1", Instead: "CER1"})
	h.Submit()
	list, err = h.Sheet.Agreements(ctx, guardian, apptest.Mara)
	if err != nil || agreements(list) != "-SCU1 +TID1" && agreements(list) != "+TID1 -SCU1" || list.Signed == nil || !list.Signed.Equal(testdb.Now.Add(time.Hour)) {
		t.Fatalf("after a change: %s, %+v, %v", agreements(list), list, err)
	}
	if s := list.Since; s == nil || strings.Join(s.Asked, " ") != "SCU1" || strings.Join(s.Dropped, " ") != "CER1" || len(s.Backup)+len(s.Spared) != 0 {
		t.Errorf("what is different from what was signed: %+v", list.Since)
	}
	// Agreed to with the signature itself, it is on record from then on.
	if d := h.Must(h.Sheet.Sign(ctx, guardian, apptest.Mara, 0, []string{"SCU1"}, "")); d.Row.State != "signed" {
		t.Fatalf("signed again: %s", d.Row.State)
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "AST1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "DAN1"})
	h.Submit()
	if list, err = h.Sheet.Agreements(ctx, guardian, apptest.Mara); err != nil || strings.Contains(agreements(list), "-") {
		t.Errorf("another alternate asks again: %s, %v", agreements(list), err)
	}
}
