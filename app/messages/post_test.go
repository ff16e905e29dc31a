package messages_test

import (
	"strings"
	"testing"
	"time"

	"rubricon/app/account"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// What happens to a sheet is written to those whom it concerns, once, with what is done.
func TestWhoIsWrittenTo(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	ilse, arden := h.Who("ilse.quill"), h.Who("ms.arden")
	check := func(when, want string) {
		t.Helper()
		if got := h.Letters(); got != want {
			t.Errorf("%s: %s, want %s", when, got, want)
		}
	}
	h.Finish()
	check("an edit", "")
	h.Waive()
	check("a waiver", `decided g0001 {"who": "Ms Arden", "answer": "waive", "course": "PHY1", "message": "Report, seen."}; decided s0001 {"who": "Ms Arden", "answer": "waive", "course": "PHY1", "message": "Report, seen."}`)
	h.Submit()
	check("handed in", `sign g0001 {"who": "Mara Quill"}; submitted s0001 {"who": "Mara Quill"}`)
	h.Submit()
	check("handed in again, the same", "")
	if _, err := h.Sheet.RequestChange(ctx, ilse, apptest.Mara, appsheet.ChangeRequest{Message: "Less Latin."}); err != nil {
		t.Fatal(err)
	}
	check("asked", `asked k1 {"who": "Ilse Quill", "message": "Less Latin."}`)
	if _, err := h.Sheet.SendBack(ctx, arden, apptest.Mara, 0, "See me."); err != nil {
		t.Fatal(err)
	}
	check("sent back", `sentBack g0001 {"who": "Ms Arden", "message": "See me."}; sentBack s0001 {"who": "Ms Arden", "message": "See me."}`)
	h.Submit()
	h.Letters()
	h.Sign()
	check("signed", "")
	h.Approve()
	check("cleared", `cleared g0001 {"who": "Ms Arden"}; cleared s0001 {"who": "Ms Arden"}`)
}

// Where no one signs the family gets the receipt; where the school wants no look it is told at once that the sheet is cleared.
func TestWhoIsWrittenToWhereNobodySigns(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Settings(`{"signing": "none", "look": "none"}`)
	h.Finish()
	h.Waive()
	h.Letters()
	h.Submit()
	if got := h.Letters(); !strings.Contains(got, "submitted g0001") || strings.Contains(got, "sign ") || !strings.Contains(got, "cleared g0001") || !strings.Contains(got, "cleared s0001") {
		t.Errorf("handed in: %s", got)
	}
}

// Whose password is changed is told so; a code goes by mail where that is wanted, and is not given out beside, nor kept.
func TestMailAboutAnAccount(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	code, err := h.Account.GivePassword(ctx, office, apptest.Mara.School, apptest.Mara.Year, "g0001", true)
	if err != nil || code != "" {
		t.Errorf("a code that is mailed is given out: %q, %v", code, err)
	}
	code = testdb.Value[string](t, h.DB, `SELECT detail->>'code' FROM letter WHERE kind = 'code' AND person_id = 'g0001'`)
	if in, err := h.Enter("ilse.quill", code, ""); err != nil || !in.Once {
		t.Errorf("it does not let in: %v", err)
	}
	taken, _, err := h.Messages.TakeLetters(ctx, 5)
	if err != nil || len(taken) != 1 {
		t.Fatal(taken, err)
	}
	if err := h.Messages.LetterDone(ctx, &taken[0]); err != nil {
		t.Fatal(err)
	}
	if kept := testdb.Value[string](t, h.DB, `SELECT detail::text FROM letter WHERE kind = 'code'`); strings.Contains(kept, "code") {
		t.Errorf("the code is kept: %s", kept)
	}
	h.Letters()
	if _, err := h.Account.ChangePassword(ctx, h.Who("ilse.quill"), "", code, "a longer password"); err != nil {
		t.Fatal(err)
	}
	if got := h.Letters(); got != "password g0001 {}" {
		t.Errorf("her password: %s", got)
	}
	h.DB.Exec(t, `UPDATE person SET cells = cells - 'email' WHERE id = 's0001'`)
	if _, err := h.Account.GivePassword(ctx, office, apptest.Mara.School, apptest.Mara.Year, "s0001", true); problem.CodeOf(err) != problem.NoAddress {
		t.Errorf("without an address: %v", err)
	}
}

// A grade gets codes, each for one sign-in, as often as someone there has not chosen a password; who has keeps it, and so does who belongs to
// another school too.
func TestCodesForAGrade(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	codes := func(guardians bool) *account.Codes {
		t.Helper()
		out, err := h.Account.CodesFor(ctx, office, apptest.Mara.School, apptest.Mara.Year, 10, guardians)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	all := testdb.Value[int](t, h.DB, `SELECT count(*) FROM sheet WHERE grade = 10`)
	first := codes(false)
	if len(first.Letters) != all-1 || first.Left != 0 { // Mara has a password
		t.Fatalf("%d letters of %d students, %d left", len(first.Letters), all, first.Left)
	}
	one := first.Letters[0]
	if in, err := h.Enter(one.Username, one.Code, ""); err != nil || !in.Once {
		t.Errorf("the code does not let in once: %v", err)
	}
	second := codes(false)
	if len(second.Letters) != all-1 || second.Letters[0].Username != one.Username || second.Letters[0].Code == one.Code {
		t.Errorf("the second time: %d letters, %+v", len(second.Letters), second.Letters[0])
	}
	if _, err := h.Enter(one.Username, one.Code, ""); problem.CodeOf(err) != problem.SignInFailed {
		t.Errorf("the code before lets in still: %v", err)
	}
	account := h.Who(one.Username)
	if _, err := h.Account.ChangePassword(ctx, account, "", second.Letters[0].Code, "my own password"); err != nil {
		t.Fatal(err)
	}
	if third := codes(false); len(third.Letters) != all-2 {
		t.Errorf("with one more who has a password: %d", len(third.Letters))
	}
	if _, err := h.Enter(one.Username, "my own password", ""); err != nil {
		t.Errorf("who has chosen one loses it: %v", err)
	}
	h.DB.Exec(t, `INSERT INTO school VALUES ('elsewhere', 'Elsewhere')`)
	h.DB.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells)
		SELECT 'elsewhere', 'x', 1, 'guardian', true, 'x', account_id, 'X', 'X', '{}' FROM person p JOIN relation r ON r.person_id = p.id AND r.kind = 'guards' JOIN sheet sh ON sh.student_id = r.student_id AND sh.grade = 10
		WHERE p.id <> 'g0001' ORDER BY p.id LIMIT 1`)
	guardians := codes(true)
	if guardians.Left != 1 || len(guardians.Letters) == 0 || len(guardians.Letters[0].Children.V) == 0 {
		t.Errorf("guardians: %d letters, %d left", len(guardians.Letters), guardians.Left)
	}
	if acts, err := h.Office.OfficeActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0); err != nil || acts[0].Kind != "codes" || !strings.HasSuffix(acts[0].About, " · 10") {
		t.Errorf("what the office did: %+v, %v", acts[0], err)
	}
}

// A mail that asks a family for something and was not delivered is a reason in the caseload, until what it asks for is done or it is asked again.
func TestAMailThatWasLostIsAReason(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	if got := apptest.Waits(h.Line()); strings.Contains(got, "unreached") {
		t.Errorf("on its way: %s", got)
	}
	h.DB.Exec(t, `UPDATE letter SET state = 'failed' WHERE kind = 'submitted'`)
	if got := apptest.Waits(h.Line()); strings.Contains(got, "unreached") {
		t.Errorf("the receipt was lost: %s", got)
	}
	h.DB.Exec(t, `UPDATE letter SET state = 'unsure' WHERE kind = 'sign'`)
	if got := apptest.Waits(h.Line()); !strings.HasPrefix(got, "withFamily") || !strings.Contains(got, "unreached") {
		t.Errorf("what asks for the signature was lost: %s", got)
	}
	if _, err := h.Sheet.SendBack(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, "See me."); err != nil {
		t.Fatal(err)
	}
	if got := apptest.Waits(h.Line()); strings.Contains(got, "unreached") {
		t.Errorf("nobody is to sign any more: %s", got)
	}
	h.DB.Exec(t, `UPDATE letter SET state = 'failed' WHERE kind = 'sentBack' AND person_id = 'g0001'`)
	if got := apptest.Waits(h.Line()); !strings.Contains(got, "unreached") {
		t.Errorf("what says why it was sent back was lost: %s", got)
	}
	h.At(testdb.Now.Add(time.Hour))
	h.Submit()
	if got := apptest.Waits(h.Line()); strings.Contains(got, "unreached") {
		t.Errorf("handed in again: %s", got)
	}
	h.Sign()
	if got := apptest.Waits(h.Line()); strings.Contains(got, "unreached") {
		t.Errorf("signed: %s", got)
	}
}

// Where a mail with a code cannot be written, no one's password is changed.
func TestACodeByMailIsWholeOrNotAtAll(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `ALTER TABLE letter ADD CONSTRAINT no_code CHECK (kind <> 'code')`)
	if _, err := h.Account.GivePassword(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, "g0001", true); err == nil {
		t.Fatal("the mail was written")
	}
	if _, err := h.Enter("ilse.quill", demo.Password, ""); err != nil {
		t.Errorf("the password is another: %v", err)
	}
}
