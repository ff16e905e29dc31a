package sheet_test

import (
	"strings"
	"testing"

	"rubricon/app/problem"
	"rubricon/app/seats"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// TestUndoIsOfOnesOwn: no one undoes or redoes what someone else did, and what undoing would bring back is refused where the edit would be.
func TestUndoIsOfOnesOwn(t *testing.T) {
	h := apptest.NewHouse(t)
	student, arden := h.Who("mara.quill"), h.Who("ms.arden")
	do := func(by int64, act, course, reason string) (*appsheet.Desk, error) {
		return h.Sheet.Change(t.Context(), by, apptest.Mara, appsheet.Edit{Version: h.Look("mara.quill").Row.Version, Act: act, Course: course, Reason: reason})
	}
	must := func(by int64, act, course, reason string) *appsheet.Desk {
		t.Helper()
		return h.Must(do(by, act, course, reason))
	}
	before := apptest.Alternates(h.Look("mara.quill"))
	must(student, "alternate", "AST1", "")
	must(arden, "alternate", "PHO1", "Called.")
	if _, err := do(student, "undo", "", ""); problem.CodeOf(err) != problem.Code(acts.OthersAct) {
		t.Errorf("the student undoes what the counselor did: %v", err)
	}
	if d := h.Look("mara.quill"); d.Acts[acts.Undo].Why != acts.OthersAct || h.Look("ms.arden").Acts[acts.Undo].Why != "" {
		t.Errorf("what is offered: the student %+v", d.Acts[acts.Undo])
	}
	must(arden, "undo", "", "Called again.")
	if _, err := do(student, "redo", "", ""); problem.CodeOf(err) != problem.Code(acts.OthersAct) {
		t.Errorf("the student redoes what the counselor undid: %v", err)
	}
	if d := must(student, "undo", "", ""); apptest.Alternates(d) != before {
		t.Errorf("after each has undone their own: %s", apptest.Alternates(d))
	}
	if _, err := do(arden, "redo", "", "Called."); problem.CodeOf(err) != problem.Code(acts.OthersAct) {
		t.Errorf("the counselor redoes what the student undid: %v", err)
	}
	must(student, "redo", "", "")
	if d := must(arden, "redo", "", "Called."); apptest.Alternates(d) != before+" AST1 PHO1" {
		t.Errorf("after each has redone their own: %s", apptest.Alternates(d))
	}
	// What the student has earned since does not come back.
	must(student, "remove", "AST1", "")
	h.DB.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
		VALUES ('pellworth', 's0001', 999, 'AST1', '', '[]', 2026, '', 5000, 9000, 'earned', '{}')`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`)
	if _, err := do(student, "undo", "", ""); problem.CodeOf(err) != problem.Earned {
		t.Errorf("undoing brings back a course that is earned: %v", err)
	}
}

// TestSeatsAreUndoneByWhoTookThem: the student does not undo what the counselor took or gave back, and undoing is guarded like taking.
func TestSeatsAreUndoneByWhoTookThem(t *testing.T) {
	p := apptest.NewPoint(t)
	at, who := p.Of(1)
	counselor := p.Who("ms.torvund")
	mine := p.Planted["sk001"]
	undo := func(by int64, reason string) string {
		_, err := p.Seats.TakeSeats(t.Context(), by, at, seats.SeatsChange{Undo: true, Reason: reason})
		return p.Said(err)
	}
	if got := p.Takes(1, mine[0]); got != "" {
		t.Fatal(got)
	}
	if _, err := p.Seats.TakeSeats(t.Context(), counselor, at, seats.SeatsChange{Take: mine[1:2], Reason: "Called."}); err != nil {
		t.Fatal(err)
	}
	if got := undo(who, ""); got != "others-act" {
		t.Errorf("the student undoes what the counselor took: %s", got)
	}
	if w := p.Week(1); w.Undoes != nil {
		t.Errorf("undoing is offered: %+v", w.Undoes)
	}
	if got := undo(counselor, "Called again."); got != "" {
		t.Errorf("the counselor undoes it: %s", got)
	}
	if got := undo(who, ""); got != "" || p.Own(1) != "" {
		t.Errorf("the student undoes their own: %s, has %s", got, p.Own(1))
	}
	// Undoing a giving back takes a seat, and is refused where taking is.
	if got := p.Takes(1, mine[0]); got != "" {
		t.Fatal(got)
	}
	if got := p.Takes(1, "-"+mine[0]); got != "" {
		t.Fatal(got)
	}
	course := testdb.Value[string](t, p.DB, `SELECT course_code FROM section WHERE school_id = $1 AND id = $2`, at.School, mine[0])
	p.DB.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
		VALUES ($1, $2, 999, $3, '', '[]', 2026, '', 5000, 9000, 'earned', '{}')`, at.School, at.Student, course)
	p.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE school_id = $1 AND student_id = $2`, at.School, at.Student)
	if got := undo(who, ""); !strings.HasPrefix(got, "already-earned") {
		t.Errorf("undoing brings back a seat in a course that is earned: %s", got)
	}
}
