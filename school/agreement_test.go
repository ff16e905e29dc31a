package school_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"rubricon/school"
	"rubricon/store/storetest"
)

// agreements writes what a guardian agrees to as text: a + before what is agreed to.
func agreements(a *school.Agreements) string {
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

// A guardian agrees to each fee by itself, with the hour, may withdraw that until signing, and need not agree again after a change to what is the
// same: what is different from what they signed is said.
func TestAgreeingOneByOne(t *testing.T) {
	h := newHouse(t)
	ctx, guardian := t.Context(), h.who("ilse.quill")
	h.finish()
	if _, err := h.Agreements(ctx, guardian, mara); school.CodeOf(err) != "nothing-submitted" {
		t.Errorf("before anything is handed in: %v", err)
	}
	h.submit()
	fee := func(course, what string) school.Agreement {
		return school.Agreement{Kind: school.AgreeFee, Ref: course, What: what}
	}
	set := func(by string, a school.Agreement, agree bool) string {
		list, err := h.SetAgreement(ctx, h.who(by), mara, a, agree)
		if err != nil {
			return string(school.CodeOf(err))
		}
		return agreements(list)
	}
	for _, c := range []struct {
		by    string
		a     school.Agreement
		agree bool
		want  string
	}{
		{"ilse.quill", fee("TID1", "3500"), true, "-CER1 +TID1"},
		{"ilse.quill", fee("TID1", "3500"), true, "-CER1 +TID1"},
		{"ilse.quill", fee("CER1", "3400"), true, "stale-version"}, // another fee than it has
		{"ilse.quill", fee("ENG10", "0"), true, "stale-version"},
		{"ilse.quill", school.Agreement{Kind: school.AgreeCommitment, Ref: "CER1", What: "3500"}, true, "stale-version"},
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
	var known *school.Error
	if _, err := h.Sign(ctx, guardian, mara, 0, nil, ""); !errors.As(err, &known) || known.Code != school.NeedsAgreed || known.Param != "CER1" {
		t.Errorf("signing with one left: %v", err)
	}
	h.at(storetest.Now.Add(time.Hour))
	if got := set("ilse.quill", fee("CER1", "3500"), true); got != "+CER1 +TID1" {
		t.Fatal(got)
	}
	list, err := h.Agreements(ctx, guardian, mara)
	if err != nil || !list.List[0].At.Equal(storetest.Now.Add(time.Hour)) || !list.List[1].At.Equal(storetest.Now) || list.Signed != nil || list.Since != nil {
		t.Errorf("with the hours: %+v, %v", list, err)
	}
	if d := h.must(h.Sign(ctx, guardian, mara, 0, nil, "")); d.Row.State != "signed" {
		t.Fatalf("signed: %s", d.Row.State)
	}
	if got := set("ilse.quill", fee("CER1", "3500"), false); got != "already-done" {
		t.Errorf("withdrawn after signing: %s", got)
	}

	h.edit(school.Edit{Act: "replace", Course: "SCU1", Instead: "CER1"})
	h.submit()
	list, err = h.Agreements(ctx, guardian, mara)
	if err != nil || agreements(list) != "-SCU1 +TID1" && agreements(list) != "+TID1 -SCU1" || list.Signed == nil || !list.Signed.Equal(storetest.Now.Add(time.Hour)) {
		t.Fatalf("after a change: %s, %+v, %v", agreements(list), list, err)
	}
	if s := list.Since; s == nil || strings.Join(s.Asked, " ") != "SCU1" || strings.Join(s.Dropped, " ") != "CER1" || len(s.Backup)+len(s.Spared) != 0 {
		t.Errorf("what is different from what was signed: %+v", list.Since)
	}
	// Agreed to with the signature itself, it is on record from then on.
	if d := h.must(h.Sign(ctx, guardian, mara, 0, []string{"SCU1"}, "")); d.Row.State != "signed" {
		t.Fatalf("signed again: %s", d.Row.State)
	}
	h.edit(school.Edit{Act: "remove", Course: "AST1"})
	h.edit(school.Edit{Act: "alternate", Course: "DAN1"})
	h.submit()
	if list, err = h.Agreements(ctx, guardian, mara); err != nil || strings.Contains(agreements(list), "-") {
		t.Errorf("another alternate asks again: %s, %v", agreements(list), err)
	}
}
