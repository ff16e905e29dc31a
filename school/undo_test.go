package school_test

import (
	"strings"
	"testing"

	"rubricon/core/acts"
	"rubricon/school"
	"rubricon/store/storetest"
)

// TestUndoIsOfOnesOwn: nobody undoes or redoes what somebody else did, and what undoing would bring back is refused where the edit would be.
func TestUndoIsOfOnesOwn(t *testing.T) {
	h := newHouse(t)
	student, arden := h.who("mara.quill"), h.who("ms.arden")
	do := func(by int64, act, course, reason string) (*school.Desk, error) {
		return h.Change(t.Context(), by, mara, school.Edit{Version: h.look("mara.quill").Row.Version, Act: act, Course: course, Reason: reason})
	}
	must := func(by int64, act, course, reason string) *school.Desk {
		t.Helper()
		return h.must(do(by, act, course, reason))
	}
	before := alternates(h.look("mara.quill"))
	must(student, "alternate", "AST1", "")
	must(arden, "alternate", "PHO1", "Called.")
	if _, err := do(student, "undo", "", ""); school.CodeOf(err) != school.Code(acts.OthersAct) {
		t.Errorf("the student undoes what the counselor did: %v", err)
	}
	if d := h.look("mara.quill"); d.Acts[acts.Undo].Why != acts.OthersAct || h.look("ms.arden").Acts[acts.Undo].Why != "" {
		t.Errorf("what is offered: the student %+v", d.Acts[acts.Undo])
	}
	must(arden, "undo", "", "Called again.")
	if _, err := do(student, "redo", "", ""); school.CodeOf(err) != school.Code(acts.OthersAct) {
		t.Errorf("the student redoes what the counselor undid: %v", err)
	}
	if d := must(student, "undo", "", ""); alternates(d) != before {
		t.Errorf("after each has undone their own: %s", alternates(d))
	}
	if _, err := do(arden, "redo", "", "Called."); school.CodeOf(err) != school.Code(acts.OthersAct) {
		t.Errorf("the counselor redoes what the student undid: %v", err)
	}
	must(student, "redo", "", "")
	if d := must(arden, "redo", "", "Called."); alternates(d) != before+" AST1 PHO1" {
		t.Errorf("after each has redone their own: %s", alternates(d))
	}
	// What the student has earned since does not come back.
	must(student, "remove", "AST1", "")
	h.db.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
		VALUES ('pellworth', 's0001', 999, 'AST1', '', '[]', 2026, '', 5000, 9000, 'earned', '{}')`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	if _, err := do(student, "undo", "", ""); school.CodeOf(err) != school.Earned {
		t.Errorf("undoing brings back a course that is earned: %v", err)
	}
}

// TestSeatsAreUndoneByWhoTookThem: the student does not undo what the counselor took or gave back, and undoing is guarded like taking.
func TestSeatsAreUndoneByWhoTookThem(t *testing.T) {
	p := newPoint(t)
	at, who := p.of(1)
	counselor := p.who("ms.torvund")
	mine := p.planted["sk001"]
	undo := func(by int64, reason string) string {
		_, err := p.TakeSeats(t.Context(), by, at, school.SeatsChange{Undo: true, Reason: reason})
		return p.said(err)
	}
	if got := p.takes(1, mine[0]); got != "" {
		t.Fatal(got)
	}
	if _, err := p.TakeSeats(t.Context(), counselor, at, school.SeatsChange{Take: mine[1:2], Reason: "Called."}); err != nil {
		t.Fatal(err)
	}
	if got := undo(who, ""); got != "others-act" {
		t.Errorf("the student undoes what the counselor took: %s", got)
	}
	if w := p.week(1); w.Undoes != nil {
		t.Errorf("undoing is offered: %+v", w.Undoes)
	}
	if got := undo(counselor, "Called again."); got != "" {
		t.Errorf("the counselor undoes it: %s", got)
	}
	if got := undo(who, ""); got != "" || p.own(1) != "" {
		t.Errorf("the student undoes their own: %s, has %s", got, p.own(1))
	}
	// Undoing a giving back takes a seat, and is refused where taking is.
	if got := p.takes(1, mine[0]); got != "" {
		t.Fatal(got)
	}
	if got := p.takes(1, "-"+mine[0]); got != "" {
		t.Fatal(got)
	}
	course := storetest.Value[string](t, p.db, `SELECT course_code FROM section WHERE school_id = $1 AND id = $2`, at.School, mine[0])
	p.db.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
		VALUES ($1, $2, 999, $3, '', '[]', 2026, '', 5000, 9000, 'earned', '{}')`, at.School, at.Student, course)
	p.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE school_id = $1 AND student_id = $2`, at.School, at.Student)
	if got := undo(who, ""); !strings.HasPrefix(got, "already-earned") {
		t.Errorf("undoing brings back a seat in a course that is earned: %s", got)
	}
}
