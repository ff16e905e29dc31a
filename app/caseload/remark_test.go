package caseload_test

import (
	"slices"
	"strings"
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// What a family asks or says about its sheet is kept with it, whatever the window says, changes nothing on it, and is answered once by who
// decides.
func TestRemarks(t *testing.T) {
	h := apptest.NewHouse(t)
	before := h.Look("mara.quill")
	h.At(testdb.Now.AddDate(1, 0, 0))
	for _, r := range []struct {
		username string
		remark   appcaseload.RemarkRow
		want     problem.Code
	}{
		{"mara.quill", appcaseload.RemarkRow{Kind: "question", Course: "PHY1", Text: " Is the lab on Fridays? "}, ""},
		{"ilse.quill", appcaseload.RemarkRow{Kind: "wrong", Text: "The swimming test is missing."}, ""},
		{"mara.quill", appcaseload.RemarkRow{Kind: "later", Rule: "pe", Text: "In summer."}, ""},
		{"mara.quill", appcaseload.RemarkRow{Kind: "question", Text: " "}, problem.NeedsMessage},
		{"mara.quill", appcaseload.RemarkRow{Kind: "question", Course: "NOSUCH", Text: "x"}, problem.NoCourse},
	} {
		if _, err := h.Caseload.Remark(t.Context(), h.Who(r.username), apptest.Mara, r.remark); problem.CodeOf(err) != r.want || (err == nil) != (r.want == "") {
			t.Errorf("%+v gives %v, want %q", r.remark, err, r.want)
		}
	}
	d, list, err := h.Caseload.Remarks(t.Context(), h.Who("ms.arden"), apptest.Mara)
	if err != nil || len(list) != 3 || list[0].Text != "Is the lab on Fridays?" || list[0].By != "Mara Quill" || list[1].By != "Ilse Quill" || list[2].Rule != "pe" || !d.Acts[acts.Reply].Allowed {
		t.Fatalf("%+v, %v", list, err)
	}
	if d, _, _ := h.Caseload.Remarks(t.Context(), h.Who("ilse.quill"), apptest.Mara); d.Acts[acts.Reply].Allowed {
		t.Error("a guardian may answer")
	}
	answer := func(username, text string) problem.Code {
		_, err := h.Caseload.AnswerRemark(t.Context(), h.Who(username), apptest.Mara, list[0].ID, text)
		return problem.CodeOf(err)
	}
	if got := answer("mara.quill", "Yes."); got != "forbidden" {
		t.Errorf("the student answers: %s", got)
	}
	if got := answer("ms.arden", " "); got != problem.NeedsMessage {
		t.Errorf("an empty answer: %s", got)
	}
	if got := answer("ms.arden", "On Tuesdays."); got != "" {
		t.Errorf("the counselor answers: %s", got)
	}
	if got := answer("office", "No."); got != "already-done" {
		t.Errorf("answered again: %s", got)
	}
	if _, list, _ = h.Caseload.Remarks(t.Context(), h.Who("mara.quill"), apptest.Mara); list[0].Answer != "On Tuesdays." || list[0].AnsweredBy != "Ms Arden" || list[0].AnsweredAt == nil || list[1].Answer != "" {
		t.Errorf("%+v", list)
	}
	if got := h.Look("mara.quill").Row.Answered; before.Row.Answered || !got {
		t.Errorf("answered: %v before, %v after", before.Row.Answered, got)
	}
	after := h.Look("mara.quill")
	if apptest.Requests(after) != apptest.Requests(before) || apptest.Alternates(after) != apptest.Alternates(before) || after.Row.State != before.Row.State || after.Row.Undoable != before.Row.Undoable {
		t.Error("remarks changed the sheet")
	}
	if got := h.History(); !strings.Contains(got, "remark remark remark reply") {
		t.Errorf("history: %s", got)
	}
}

// What student and guardians say to each other about a course or a draft is theirs: the school neither reads it nor answers, and nothing waits for it.
func TestAFamilyTalks(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, student, guardian, counselor := t.Context(), h.Who("mara.quill"), h.Who("ilse.quill"), h.Who("ms.arden")
	draft, err := h.Sheet.Drafts().Make(ctx, student, apptest.Mara, "More sea")
	if err != nil {
		t.Fatal(err)
	}
	on := apptest.Mara
	on.Draft = draft
	say := func(by int64, at schoolyear.Place, course string) problem.Code {
		_, err := h.Caseload.Remark(ctx, by, at, appcaseload.RemarkRow{Kind: appcaseload.RemarkFamily, Course: course, Text: "Still?"})
		return problem.CodeOf(err)
	}
	for _, c := range []struct {
		what   string
		by     int64
		at     schoolyear.Place
		course string
		want   problem.Code
	}{
		{"a guardian about a course", guardian, apptest.Mara, "CER1", ""},
		{"a guardian about a draft that is not shown", guardian, on, "", problem.NotFound},
		{"the student about a draft", student, on, "", ""},
		{"the counselor", counselor, apptest.Mara, "CER1", "forbidden"},
		{"a stranger", h.Who("mr.tolland"), apptest.Mara, "CER1", problem.NotFound},
	} {
		if got := say(c.by, c.at, c.course); got != c.want {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
	if _, err := h.Caseload.Remark(ctx, student, on, appcaseload.RemarkRow{Kind: "question", Text: "x"}); problem.CodeOf(err) != "forbidden" {
		t.Errorf("the school is asked about a draft: %v", err)
	}
	_, list, err := h.Caseload.Remarks(ctx, student, apptest.Mara)
	if err != nil || len(list) != 1 || list[0].By != "Ilse Quill" || list[0].Course != "CER1" {
		t.Errorf("about the sheet: %+v, %v", list, err)
	}
	if _, read, err := h.Caseload.Remarks(ctx, counselor, apptest.Mara); err != nil || len(read) != 0 {
		t.Errorf("the counselor reads %+v, %v", read, err)
	}
	if _, err := h.Caseload.AnswerRemark(ctx, counselor, apptest.Mara, list[0].ID, "x"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("the counselor answers: %v", err)
	}
	if d := h.Look("mara.quill"); len(d.Row.Talk.V) != 1 || d.Row.Talk.V[0] != "CER1" {
		t.Errorf("the sheet says that there is talk of %v", d.Row.Talk.V)
	}
	for range 2 { // the second time changes nothing of that
		if got := say(student, apptest.Mara, ""); got != "" {
			t.Errorf("the student about the whole: %q", got)
		}
		if d := h.Look("mara.quill"); !slices.Equal(d.Row.Talk.V, []string{"CER1", ""}) {
			t.Errorf("after something about the whole the sheet says that there is talk of %q", d.Row.Talk.V)
		}
	}
	for _, w := range h.Line().Waits {
		if w.Reason == "remark" {
			t.Error("the counselor's caseload waits for what a family says to each other")
		}
	}
	if events, _ := h.Sheet.History(ctx, counselor, apptest.Mara, 0); events[0].Kind != "talk" || events[0].Message != "" {
		t.Errorf("the history, which the school reads: %+v", events[0])
	}
	if _, list, _ := h.Caseload.Remarks(ctx, student, on); len(list) != 1 || list[0].Draft != draft {
		t.Errorf("about the draft: %+v", list)
	}
	if err := h.Sheet.Drafts().Drop(ctx, student, on); err != nil {
		t.Fatal(err)
	}
	if _, list, _ := h.Caseload.Remarks(ctx, student, apptest.Mara); len(list) != 3 {
		t.Errorf("after the draft is thrown away: %+v", list)
	}
}
