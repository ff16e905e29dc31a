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
	before := h.sheet("mara.quill")
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
	after := h.sheet("mara.quill")
	if requests(after) != requests(before) || alternates(after) != alternates(before) || after.Row.State != before.Row.State || after.Row.Undoable != before.Row.Undoable {
		t.Error("remarks changed the sheet")
	}
	if got := h.history(); !strings.Contains(got, "remark remark remark reply") {
		t.Errorf("history: %s", got)
	}
}
