package school_test

import (
	"fmt"
	"strings"
	"testing"

	"rubricon/core/acts"
	"rubricon/school"
)

// Drafts are copied from the sheet and from each other, edited like it at any time, undone by themselves, and put in place of the sheet
// in one act that can be undone. Nothing but that reaches the sheet, and no draft can be handed in.
func TestDrafts(t *testing.T) {
	h := newHouse(t)
	who := h.who("mara.quill")
	sheet := h.look("mara.quill")
	first, err := h.MakeDraft(t.Context(), who, mara, " More sea ")
	if err != nil {
		t.Fatal(err)
	}
	on := func(id int64) school.Place {
		at := mara
		at.Draft = id
		return at
	}
	change := func(id int64, edit school.Edit) *school.Desk {
		t.Helper()
		d, err := h.Sheet(t.Context(), who, on(id))
		if err != nil {
			t.Fatal(err)
		}
		edit.Version = d.Row.Version
		d, err = h.Change(t.Context(), who, on(id), edit)
		if err != nil {
			t.Fatalf("%+v: %v", edit, err)
		}
		kept, err := h.Sheet(t.Context(), who, on(id))
		if err != nil || requests(kept) != requests(d) || kept.Row.Version != edit.Version+1 || kept.Acts != d.Acts || kept.Draft.Name != d.Draft.Name {
			t.Fatalf("%+v: answered %s, kept %s (%v)", edit, requests(d), requests(kept), err)
		}
		return d
	}
	d := change(first, school.Edit{Act: "replace", Course: "TID1", Instead: "PHY1"})
	if !strings.Contains(requests(d), "TID1") || d.Draft.Name != "More sea" || d.Judgement == nil || len(d.Todo) == 0 {
		t.Errorf("the draft: %s", requests(d))
	}
	second, err := h.MakeDraft(t.Context(), who, on(first), "Two")
	if err != nil {
		t.Fatal(err)
	}
	d = change(second, school.Edit{Act: "remove", Course: "CER1"})
	if strings.Contains(requests(d), "CER1") || !strings.Contains(requests(d), "TID1") {
		t.Errorf("the copy of the draft: %s", requests(d))
	}
	if d = change(second, school.Edit{Act: "undo"}); !strings.Contains(requests(d), "CER1") || !d.Acts[acts.Redo].Allowed || d.Acts[acts.Undo].Why != acts.NothingToUndo {
		t.Errorf("undone: %s, %+v", requests(d), d.Acts)
	}
	if d = change(second, school.Edit{Act: "redo"}); strings.Contains(requests(d), "CER1") {
		t.Errorf("made again: %s", requests(d))
	}
	if now := h.look("mara.quill"); requests(now) != requests(sheet) || now.Row.Version != sheet.Row.Version {
		t.Errorf("drafting changed the sheet to %s", requests(now))
	}
	// Nothing of the sheet's own can be done with a draft.
	for act, answer := range d.Acts {
		switch acts.Act(act) {
		case acts.View, acts.SeeFiles, acts.Remark, acts.Edit, acts.EditSummer, acts.Undo, acts.Redo:
		default:
			if answer.Allowed || answer.Why != acts.NotTheSheet {
				t.Errorf("%s of a draft: %+v", acts.Act(act), answer)
			}
		}
	}
	if _, err := h.SubmitSummer(t.Context(), who, on(second), 0, ""); school.CodeOf(err) != "not-the-sheet" {
		t.Errorf("submitting a draft's summer: %v", err)
	}
	if _, err := h.Submit(t.Context(), who, on(second), 0, ""); school.CodeOf(err) != "not-the-sheet" {
		t.Errorf("submitting a draft: %v", err)
	}
	if _, err := h.MakeClaim(t.Context(), who, on(second), school.Claiming{Course: "TID1", Kind: "passed", Name: "ALG1", Note: "x"}); school.CodeOf(err) != "not-the-sheet" {
		t.Errorf("claiming on a draft: %v", err)
	}
	if _, err := h.Submit(t.Context(), h.who("mr.tolland"), on(second), 0, ""); school.CodeOf(err) != school.NotFound {
		t.Errorf("a stranger submits a draft: %v", err)
	}
	// A draft is theirs alone until it is shown; then others look.
	for _, reader := range []string{"ilse.quill", "ms.arden"} {
		if _, err := h.Sheet(t.Context(), h.who(reader), on(first)); school.CodeOf(err) != school.NotFound {
			t.Errorf("%s reads a draft that is not shown: %v", reader, err)
		}
		if _, list, err := h.Drafts(t.Context(), h.who(reader), mara); err != nil || len(list) != 0 {
			t.Errorf("%s sees drafts that are not shown: %+v, %v", reader, list, err)
		}
		if _, err := h.ShowDraft(t.Context(), h.who(reader), on(first), true); school.CodeOf(err) != school.NotFound && school.CodeOf(err) != "forbidden" {
			t.Errorf("%s shows a draft: %v", reader, err)
		}
	}
	if d, err := h.ShowDraft(t.Context(), who, on(first), true); err != nil || !d.Row.Shown {
		t.Fatalf("shown: %v", err)
	}
	if _, err := h.ShowDraft(t.Context(), who, on(999), true); school.CodeOf(err) != school.NotFound {
		t.Errorf("showing a draft that there is not: %v", err)
	}
	for _, reader := range []string{"ilse.quill", "ms.arden"} {
		if d, err := h.Sheet(t.Context(), h.who(reader), on(first)); err != nil || d.Acts[acts.Edit].Allowed {
			t.Errorf("%s: %v", reader, err)
		}
		if _, list, _ := h.Drafts(t.Context(), h.who(reader), mara); len(list) != 1 || list[0].ID != first || list[0].ShownAt == nil {
			t.Errorf("%s sees %+v", reader, list)
		}
	}
	if events, err := h.History(t.Context(), who, mara, 0); err != nil || events[0].Kind != "showDraft" || events[0].Message == "" {
		t.Errorf("the history: %+v, %v", events[0], err)
	}
	if d, err := h.ShowDraft(t.Context(), who, on(first), false); err != nil || d.Row.Shown {
		t.Errorf("shown no longer: %v", err)
	}
	if _, err := h.Sheet(t.Context(), h.who("ilse.quill"), on(first)); school.CodeOf(err) != school.NotFound {
		t.Errorf("a guardian reads a draft that is shown no longer: %v", err)
	}
	// At most four.
	for n := range 2 {
		if _, err := h.MakeDraft(t.Context(), who, mara, fmt.Sprint(n)); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := h.MakeDraft(t.Context(), who, mara, "one too many"); school.CodeOf(err) != school.AtLimit {
		t.Errorf("a fifth draft: %v", err)
	}
	if err := h.NameDraft(t.Context(), who, on(first), "Less land"); err != nil {
		t.Fatal(err)
	}
	if err := h.DropDraft(t.Context(), who, on(second)); err != nil {
		t.Fatal(err)
	}
	_, list, err := h.Drafts(t.Context(), who, mara)
	if err != nil || len(list) != 3 || list[0].Name != "Less land" {
		t.Errorf("the drafts: %v, %v", list, err)
	}
	// In place of the sheet, and back.
	d = h.edit(school.Edit{Act: "useDraft", Draft: first})
	if !strings.Contains(requests(d), "TID1") || strings.Contains(requests(d), "PHY1") || d.Row.Undoes.V.Act != "useDraft" {
		t.Errorf("in place of the sheet: %s", requests(d))
	}
	if d = h.edit(school.Edit{Act: "undo"}); requests(d) != requests(sheet) || alternates(d) != alternates(sheet) {
		t.Errorf("and back: %s / %s", requests(d), alternates(d))
	}
	h.refuses(school.Edit{Act: "useDraft", Draft: second}, "not-found")
	// What the school has fixed meanwhile must be on it.
	h.bring(bundleWith(t, "signals.csv", "s0001,assignment,ENG10,,0,office,", "s0001,assignment,ENG10,,1,office,"))
	change(first, school.Edit{Act: "request", Course: "WOO1"})
	h.bring(bundleWith(t, "signals.csv", "s0001,assignment,WLD2,,1,office,", "s0001,assignment,WLD2,,1,office,\ns0001,assignment,PHY1,,1,office,"))
	h.refuses(school.Edit{Act: "useDraft", Draft: first}, "fixed")
}

// Any earlier state of a sheet can be looked at by whoever sees the sheet, and brought back by whoever edits it, in an act that is undone.
func TestEarlierStates(t *testing.T) {
	h := newHouse(t)
	before := h.look("mara.quill")
	first := before.Row.Version
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	second := h.edit(school.Edit{Act: "remove", Course: "CER1"})
	third := h.edit(school.Edit{Act: "alternate", Course: "WOO1"})
	for version, want := range map[int64]string{first: requests(before), first + 1: requests(before) + " TID1", first + 2: requests(second)} {
		for _, username := range []string{"mara.quill", "ilse.quill", "ms.arden"} {
			d, err := h.Earlier(t.Context(), h.who(username), mara, version)
			if err != nil || requests(d) != want {
				t.Fatalf("version %d for %s: %v", version, username, err)
			}
			for act, answer := range d.Acts {
				if answer.Allowed != (acts.Act(act) == acts.View) {
					t.Errorf("%s of what was: %+v", acts.Act(act), answer)
				}
			}
		}
	}
	if _, err := h.Earlier(t.Context(), h.who("mara.quill"), mara, third.Row.Version+1); school.CodeOf(err) != school.NotFound {
		t.Errorf("a version to come: %v", err)
	}
	if d := h.edit(school.Edit{Act: "restore", Then: first}); requests(d) != requests(before) || alternates(d) != alternates(before) || d.Row.Undoes.V.Act != "restore" {
		t.Errorf("brought back: %s / %s", requests(d), alternates(d))
	}
	if d := h.edit(school.Edit{Act: "undo"}); requests(d) != requests(third) || alternates(d) != alternates(third) {
		t.Errorf("and undone: %s / %s", requests(d), alternates(d))
	}
	h.refuses(school.Edit{Act: "restore", Then: 999}, "not-found")
}

// What is different from what was submitted is said exactly, and nothing where nothing is.
func TestSince(t *testing.T) {
	h := newHouse(t)
	h.finish()
	if d := h.submit(); d.Since() != nil {
		t.Errorf("just submitted: %+v", d.Since())
	}
	for _, c := range []struct {
		edit school.Edit
		want string
	}{
		{school.Edit{Act: "order", List: "alternates", Order: []string{"AST1", "PRI1", "PHO1"}}, "{Asked:[] Dropped:[] Backup:[] Spared:[] Order:true Ties:false}"},
		{school.Edit{Act: "order", List: "alternates", Order: []string{"PRI1", "PHO1", "AST1"}}, ""},
		{school.Edit{Act: "alternate", Course: "PRI1", StandsFor: "NOR2"}, "{Asked:[] Dropped:[] Backup:[] Spared:[] Order:false Ties:true}"},
		{school.Edit{Act: "alternate", Course: "PRI1", StandsFor: "CER1"}, ""},
		{school.Edit{Act: "alternate", Course: "CER1"}, "{Asked:[] Dropped:[CER1] Backup:[CER1] Spared:[] Order:false Ties:true}"},
		{school.Edit{Act: "request", Course: "PHO1"}, "{Asked:[PHO1] Dropped:[CER1] Backup:[CER1] Spared:[PHO1] Order:false Ties:true}"},
	} {
		got := ""
		if since := h.edit(c.edit).Since(); since != nil {
			got = fmt.Sprintf("%+v", *since)
		}
		if got != c.want {
			t.Errorf("after %+v: %s, want %s", c.edit, got, c.want)
		}
	}
}
