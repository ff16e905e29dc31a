package school_test

import (
	"strings"
	"testing"

	"rubricon/core/acts"
	"rubricon/school"
	"rubricon/store/storetest"
)

// What a family asks or says about its sheet is kept with it, whatever the window says, changes nothing on it, and is answered once by who
// decides.
func TestRemarks(t *testing.T) {
	h := newHouse(t)
	before := h.look("mara.quill")
	h.at(storetest.Now.AddDate(1, 0, 0))
	for _, r := range []struct {
		username string
		remark   school.RemarkRow
		want     school.Code
	}{
		{"mara.quill", school.RemarkRow{Kind: "question", Course: "PHY1", Text: " Is the lab on Fridays? "}, ""},
		{"ilse.quill", school.RemarkRow{Kind: "wrong", Text: "The swimming test is missing."}, ""},
		{"mara.quill", school.RemarkRow{Kind: "later", Rule: "pe", Text: "In summer."}, ""},
		{"mara.quill", school.RemarkRow{Kind: "question", Text: " "}, school.NeedsMessage},
		{"mara.quill", school.RemarkRow{Kind: "question", Course: "NOSUCH", Text: "x"}, school.NoCourse},
	} {
		if _, err := h.Remark(t.Context(), h.who(r.username), mara, r.remark); school.CodeOf(err) != r.want || (err == nil) != (r.want == "") {
			t.Errorf("%+v gives %v, want %q", r.remark, err, r.want)
		}
	}
	d, list, err := h.Remarks(t.Context(), h.who("ms.arden"), mara)
	if err != nil || len(list) != 3 || list[0].Text != "Is the lab on Fridays?" || list[0].By != "Mara Quill" || list[1].By != "Ilse Quill" || list[2].Rule != "pe" || !d.Acts[acts.Reply].Allowed {
		t.Fatalf("%+v, %v", list, err)
	}
	if d, _, _ := h.Remarks(t.Context(), h.who("ilse.quill"), mara); d.Acts[acts.Reply].Allowed {
		t.Error("a guardian may answer")
	}
	answer := func(username, text string) school.Code {
		_, err := h.AnswerRemark(t.Context(), h.who(username), mara, list[0].ID, text)
		return school.CodeOf(err)
	}
	if got := answer("mara.quill", "Yes."); got != "forbidden" {
		t.Errorf("the student answers: %s", got)
	}
	if got := answer("ms.arden", " "); got != school.NeedsMessage {
		t.Errorf("an empty answer: %s", got)
	}
	if got := answer("ms.arden", "On Tuesdays."); got != "" {
		t.Errorf("the counselor answers: %s", got)
	}
	if got := answer("office", "No."); got != "already-done" {
		t.Errorf("answered again: %s", got)
	}
	if _, list, _ = h.Remarks(t.Context(), h.who("mara.quill"), mara); list[0].Answer != "On Tuesdays." || list[0].AnsweredBy != "Ms Arden" || list[0].AnsweredAt == nil || list[1].Answer != "" {
		t.Errorf("%+v", list)
	}
	if got := h.look("mara.quill").Row.Answered; before.Row.Answered || !got {
		t.Errorf("answered: %v before, %v after", before.Row.Answered, got)
	}
	after := h.look("mara.quill")
	if requests(after) != requests(before) || alternates(after) != alternates(before) || after.Row.State != before.Row.State || after.Row.Undoable != before.Row.Undoable {
		t.Error("remarks changed the sheet")
	}
	if got := h.history(); !strings.Contains(got, "remark remark remark reply") {
		t.Errorf("history: %s", got)
	}
}

// What student and guardians say to each other about a course or a draft is theirs: the school neither reads it nor answers, and nothing waits for it.
func TestAFamilyTalks(t *testing.T) {
	h := newHouse(t)
	ctx, student, guardian, counselor := t.Context(), h.who("mara.quill"), h.who("ilse.quill"), h.who("ms.arden")
	draft, err := h.MakeDraft(ctx, student, mara, "More sea")
	if err != nil {
		t.Fatal(err)
	}
	on := mara
	on.Draft = draft
	say := func(by int64, at school.Place, course string) school.Code {
		_, err := h.Remark(ctx, by, at, school.RemarkRow{Kind: school.RemarkFamily, Course: course, Text: "Still?"})
		return school.CodeOf(err)
	}
	for _, c := range []struct {
		what   string
		by     int64
		at     school.Place
		course string
		want   school.Code
	}{
		{"a guardian about a course", guardian, mara, "CER1", ""},
		{"a guardian about a draft that is not shown", guardian, on, "", school.NotFound},
		{"the student about a draft", student, on, "", ""},
		{"the counselor", counselor, mara, "CER1", "forbidden"},
		{"a stranger", h.who("mr.tolland"), mara, "CER1", school.NotFound},
	} {
		if got := say(c.by, c.at, c.course); got != c.want {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
	if _, err := h.Remark(ctx, student, on, school.RemarkRow{Kind: "question", Text: "x"}); school.CodeOf(err) != "forbidden" {
		t.Errorf("the school is asked about a draft: %v", err)
	}
	_, list, err := h.Remarks(ctx, student, mara)
	if err != nil || len(list) != 1 || list[0].By != "Ilse Quill" || list[0].Course != "CER1" {
		t.Errorf("about the sheet: %+v, %v", list, err)
	}
	if _, read, err := h.Remarks(ctx, counselor, mara); err != nil || len(read) != 0 {
		t.Errorf("the counselor reads %+v, %v", read, err)
	}
	if _, err := h.AnswerRemark(ctx, counselor, mara, list[0].ID, "x"); school.CodeOf(err) != school.NotFound {
		t.Errorf("the counselor answers: %v", err)
	}
	if d := h.look("mara.quill"); len(d.Row.Talk.V) != 1 || d.Row.Talk.V[0] != "CER1" {
		t.Errorf("the sheet says that there is talk of %v", d.Row.Talk.V)
	}
	for _, w := range h.line().Waits {
		if w.Reason == "remark" {
			t.Error("the counselor's caseload waits for what a family says to each other")
		}
	}
	if events, _ := h.History(ctx, counselor, mara, 0); events[0].Kind != "talk" || events[0].Message != "" {
		t.Errorf("the history, which the school reads: %+v", events[0])
	}
	if _, list, _ := h.Remarks(ctx, student, on); len(list) != 1 || list[0].Draft != draft {
		t.Errorf("about the draft: %+v", list)
	}
	if err := h.DropDraft(ctx, student, on); err != nil {
		t.Fatal(err)
	}
	if _, list, _ := h.Remarks(ctx, student, mara); len(list) != 1 {
		t.Errorf("after the draft is thrown away: %+v", list)
	}
}
