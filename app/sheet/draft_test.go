package sheet_test

import (
	"fmt"
	"strings"
	"testing"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
)

// Drafts are copied from the sheet and from each other, edited like it at any time, undone by themselves, and put in place of the sheet
// in one act that can be undone. Nothing but that reaches the sheet, and no draft can be handed in.
func TestDrafts(t *testing.T) {
	h := apptest.NewHouse(t)
	who := h.Who("mara.quill")
	sheet := h.Look("mara.quill")
	first, err := h.Sheet.Drafts().Make(t.Context(), who, apptest.Mara, " More sea ")
	if err != nil {
		t.Fatal(err)
	}
	on := func(id int64) schoolyear.Place {
		at := apptest.Mara
		at.Draft = id
		return at
	}
	change := func(id int64, edit appsheet.Edit) *appsheet.Desk {
		t.Helper()
		d, err := h.Sheet.Sheet(t.Context(), who, on(id))
		if err != nil {
			t.Fatal(err)
		}
		edit.Version = d.Row.Version
		d, err = h.Sheet.Change(t.Context(), who, on(id), edit)
		if err != nil {
			t.Fatalf("%+v: %v", edit, err)
		}
		kept, err := h.Sheet.Sheet(t.Context(), who, on(id))
		if err != nil || apptest.Requests(kept) != apptest.Requests(d) || kept.Row.Version != edit.Version+1 || kept.Acts != d.Acts || kept.Draft.Name != d.Draft.Name {
			t.Fatalf("%+v: answered %s, kept %s (%v)", edit, apptest.Requests(d), apptest.Requests(kept), err)
		}
		return d
	}
	d := change(first, appsheet.Edit{Act: "replace", Course: "TID1", Instead: "PHY1"})
	if !strings.Contains(apptest.Requests(d), "TID1") || d.Draft.Name != "More sea" || d.Judgement == nil || len(d.Todo) == 0 {
		t.Errorf("the draft: %s", apptest.Requests(d))
	}
	second, err := h.Sheet.Drafts().Make(t.Context(), who, on(first), "Two")
	if err != nil {
		t.Fatal(err)
	}
	d = change(second, appsheet.Edit{Act: "remove", Course: "CER1"})
	if strings.Contains(apptest.Requests(d), "CER1") || !strings.Contains(apptest.Requests(d), "TID1") {
		t.Errorf("the copy of the draft: %s", apptest.Requests(d))
	}
	if d = change(second, appsheet.Edit{Act: "undo"}); !strings.Contains(apptest.Requests(d), "CER1") || !d.Acts[acts.Redo].Allowed || d.Acts[acts.Undo].Why != acts.NothingToUndo {
		t.Errorf("undone: %s, %+v", apptest.Requests(d), d.Acts)
	}
	if d = change(second, appsheet.Edit{Act: "redo"}); strings.Contains(apptest.Requests(d), "CER1") {
		t.Errorf("made again: %s", apptest.Requests(d))
	}
	if now := h.Look("mara.quill"); apptest.Requests(now) != apptest.Requests(sheet) || now.Row.Version != sheet.Row.Version {
		t.Errorf("drafting changed the sheet to %s", apptest.Requests(now))
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
	if _, err := h.Sheet.SubmitSummer(t.Context(), who, on(second), 0, ""); problem.CodeOf(err) != "not-the-sheet" {
		t.Errorf("submitting a draft's summer: %v", err)
	}
	if _, err := h.Sheet.Submit(t.Context(), who, on(second), 0, ""); problem.CodeOf(err) != "not-the-sheet" {
		t.Errorf("submitting a draft: %v", err)
	}
	if _, err := h.Sheet.MakeClaim(t.Context(), who, on(second), appsheet.Claiming{Course: "TID1", Kind: "passed", Name: "ALG1", Note: "x"}); problem.CodeOf(err) != "not-the-sheet" {
		t.Errorf("claiming on a draft: %v", err)
	}
	if _, err := h.Sheet.Submit(t.Context(), h.Who("mr.tolland"), on(second), 0, ""); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a stranger submits a draft: %v", err)
	}
	// A draft is theirs alone until it is shown; then others look.
	for _, reader := range []string{"ilse.quill", "ms.arden"} {
		if _, err := h.Sheet.Sheet(t.Context(), h.Who(reader), on(first)); problem.CodeOf(err) != problem.NotFound {
			t.Errorf("%s reads a draft that is not shown: %v", reader, err)
		}
		if _, list, err := h.Sheet.Drafts().List(t.Context(), h.Who(reader), apptest.Mara); err != nil || len(list) != 0 {
			t.Errorf("%s sees drafts that are not shown: %+v, %v", reader, list, err)
		}
		if _, err := h.Sheet.Drafts().Show(t.Context(), h.Who(reader), on(first), true); problem.CodeOf(err) != problem.NotFound && problem.CodeOf(err) != "forbidden" {
			t.Errorf("%s shows a draft: %v", reader, err)
		}
	}
	if d, err := h.Sheet.Drafts().Show(t.Context(), who, on(first), true); err != nil || !d.Row.Shown {
		t.Fatalf("shown: %v", err)
	}
	if _, err := h.Sheet.Drafts().Show(t.Context(), who, on(999), true); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("showing a draft that there is not: %v", err)
	}
	for _, reader := range []string{"ilse.quill", "ms.arden"} {
		if d, err := h.Sheet.Sheet(t.Context(), h.Who(reader), on(first)); err != nil || d.Acts[acts.Edit].Allowed {
			t.Errorf("%s: %v", reader, err)
		}
		if _, list, _ := h.Sheet.Drafts().List(t.Context(), h.Who(reader), apptest.Mara); len(list) != 1 || list[0].ID != first || list[0].ShownAt == nil {
			t.Errorf("%s sees %+v", reader, list)
		}
	}
	if events, err := h.Sheet.History(t.Context(), who, apptest.Mara, 0); err != nil || events[0].Kind != "showDraft" || events[0].Message == "" {
		t.Errorf("the history: %+v, %v", events[0], err)
	}
	if d, err := h.Sheet.Drafts().Show(t.Context(), who, on(first), false); err != nil || d.Row.Shown {
		t.Errorf("shown no longer: %v", err)
	}
	if _, err := h.Sheet.Sheet(t.Context(), h.Who("ilse.quill"), on(first)); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a guardian reads a draft that is shown no longer: %v", err)
	}
	// At most four.
	for n := range 2 {
		if _, err := h.Sheet.Drafts().Make(t.Context(), who, apptest.Mara, fmt.Sprint(n)); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := h.Sheet.Drafts().Make(t.Context(), who, apptest.Mara, "one too many"); problem.CodeOf(err) != problem.AtLimit {
		t.Errorf("a fifth draft: %v", err)
	}
	if err := h.Sheet.Drafts().Name(t.Context(), who, on(first), "Less land"); err != nil {
		t.Fatal(err)
	}
	if err := h.Sheet.Drafts().Drop(t.Context(), who, on(second)); err != nil {
		t.Fatal(err)
	}
	_, list, err := h.Sheet.Drafts().List(t.Context(), who, apptest.Mara)
	if err != nil || len(list) != 3 || list[0].Name != "Less land" {
		t.Errorf("the drafts: %v, %v", list, err)
	}
	// In place of the sheet, and back.
	d = h.Edit(appsheet.Edit{Act: "useDraft", Draft: first})
	if !strings.Contains(apptest.Requests(d), "TID1") || strings.Contains(apptest.Requests(d), "PHY1") || d.Row.Undoes.V.Act != "useDraft" {
		t.Errorf("in place of the sheet: %s", apptest.Requests(d))
	}
	if d = h.Edit(appsheet.Edit{Act: "undo"}); apptest.Requests(d) != apptest.Requests(sheet) || apptest.Alternates(d) != apptest.Alternates(sheet) {
		t.Errorf("and back: %s / %s", apptest.Requests(d), apptest.Alternates(d))
	}
	h.Refuses(appsheet.Edit{Act: "useDraft", Draft: second}, "not-found")
	// What the school has fixed in the meantime must be on it.
	h.Bring(apptest.BundleWith(t, "signals.csv", "s0001,assignment,ENG10,,0,office,", "s0001,assignment,ENG10,,1,office,"))
	change(first, appsheet.Edit{Act: "request", Course: "WOO1"})
	h.Bring(apptest.BundleWith(t, "signals.csv", "s0001,assignment,WLD2,,1,office,", "s0001,assignment,WLD2,,1,office,\ns0001,assignment,PHY1,,1,office,"))
	h.Refuses(appsheet.Edit{Act: "useDraft", Draft: first}, "fixed")
}

// Any earlier state of a sheet can be looked at by anyone who sees the sheet, and brought back by anyone who edits it, in an act that is undone.
func TestEarlierStates(t *testing.T) {
	h := apptest.NewHouse(t)
	before := h.Look("mara.quill")
	first := before.Row.Version
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	second := h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	third := h.Edit(appsheet.Edit{Act: "alternate", Course: "WOO1"})
	for version, want := range map[int64]string{first: apptest.Requests(before), first + 1: apptest.Requests(before) + " TID1", first + 2: apptest.Requests(second)} {
		for _, username := range []string{"mara.quill", "ilse.quill", "ms.arden"} {
			d, err := h.Sheet.Earlier(t.Context(), h.Who(username), apptest.Mara, version)
			if err != nil || apptest.Requests(d) != want {
				t.Fatalf("version %d for %s: %v", version, username, err)
			}
			for act, answer := range d.Acts {
				if answer.Allowed != (acts.Act(act) == acts.View) {
					t.Errorf("%s of what was: %+v", acts.Act(act), answer)
				}
			}
		}
	}
	if _, err := h.Sheet.Earlier(t.Context(), h.Who("mara.quill"), apptest.Mara, third.Row.Version+1); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a version to come: %v", err)
	}
	if d := h.Edit(appsheet.Edit{Act: "restore", Then: first}); apptest.Requests(d) != apptest.Requests(before) || apptest.Alternates(d) != apptest.Alternates(before) || d.Row.Undoes.V.Act != "restore" {
		t.Errorf("brought back: %s / %s", apptest.Requests(d), apptest.Alternates(d))
	}
	if d := h.Edit(appsheet.Edit{Act: "undo"}); apptest.Requests(d) != apptest.Requests(third) || apptest.Alternates(d) != apptest.Alternates(third) {
		t.Errorf("and undone: %s / %s", apptest.Requests(d), apptest.Alternates(d))
	}
	h.Refuses(appsheet.Edit{Act: "restore", Then: 999}, "not-found")
}

// What is different from what was submitted is said exactly, and nothing where nothing is.
func TestSince(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	if d := h.Submit(); d.Since() != nil {
		t.Errorf("just submitted: %+v", d.Since())
	}
	for _, c := range []struct {
		edit appsheet.Edit
		want string
	}{
		{appsheet.Edit{Act: "order", List: "alternates", Order: []string{"AST1", "PRI1", "PHO1"}}, "{Asked:[] Dropped:[] Backup:[] Spared:[] Order:true Ties:false}"},
		{appsheet.Edit{Act: "order", List: "alternates", Order: []string{"PRI1", "PHO1", "AST1"}}, ""},
		{appsheet.Edit{Act: "alternate", Course: "PRI1", StandsFor: "NOR2"}, "{Asked:[] Dropped:[] Backup:[] Spared:[] Order:false Ties:true}"},
		{appsheet.Edit{Act: "alternate", Course: "PRI1", StandsFor: "CER1"}, ""},
		{appsheet.Edit{Act: "alternate", Course: "CER1"}, "{Asked:[] Dropped:[CER1] Backup:[CER1] Spared:[] Order:false Ties:true}"},
		{appsheet.Edit{Act: "request", Course: "PHO1"}, "{Asked:[PHO1] Dropped:[CER1] Backup:[CER1] Spared:[PHO1] Order:false Ties:true}"},
	} {
		got := ""
		if since := h.Edit(c.edit).Since(); since != nil {
			got = fmt.Sprintf("%+v", *since)
		}
		if got != c.want {
			t.Errorf("after %+v: %s, want %s", c.edit, got, c.want)
		}
	}
}
