package sheet_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

func TestFromSheetToCleared(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	student, guardian, counselor := h.Who("mara.quill"), h.Who("ilse.quill"), h.Who("ms.arden")
	_, err := h.Sheet.Submit(ctx, student, apptest.Mara, 0, "")
	var known *problem.Error
	if !errors.As(err, &known) || known.Code != problem.Code(acts.NotReady) || len(known.Now.(*appsheet.Desk).Todo) != 3 {
		t.Fatalf("submitting an unfinished sheet gives %v", err)
	}
	ready := h.Finish()
	if !ready.Acts[acts.Submit].Allowed || ready.Ready || ready.Next != acts.NextSubmit {
		t.Fatalf("only Physics waits for a counselor, but it cannot be submitted: %+v, next %s", ready.Acts[acts.Submit], ready.Next)
	}
	sent, err := h.Sheet.Submit(ctx, student, apptest.Mara, ready.Row.Version, "")
	if err != nil || sent.Row.State != "submitted" || !strings.HasPrefix(*sent.Row.Receipt, "PE-") || !sent.Row.SubmittedAt.Equal(testdb.Now) || sent.Row.Submission != 1 || !sent.HandedIn() {
		t.Fatalf("submitted: %+v, %v", sent, err)
	}
	again, err := h.Sheet.Submit(ctx, student, apptest.Mara, ready.Row.Version, "")
	if err != nil || *again.Row.Receipt != *sent.Row.Receipt || again.Row.Version != sent.Row.Version {
		t.Errorf("submitting twice gives %v, %v", again, err)
	}
	if got := apptest.Code(h.Sheet.Approve(ctx, counselor, apptest.Mara, sent.Row.Version, "")); got != "not-signed" {
		t.Errorf("clearing before the signature gives %s", got)
	}
	if _, err := h.Sheet.Sign(ctx, guardian, apptest.Mara, sent.Row.Version, []string{"CER1"}, ""); !errors.As(err, &known) || known.Code != problem.NeedsAgreed || known.Param != "TID1" {
		t.Errorf("signing without agreeing to the fees gives %v", err)
	}
	signed, err := h.Sheet.Sign(ctx, guardian, apptest.Mara, sent.Row.Version, apptest.Fees, "")
	if err != nil || signed.Row.State != "signed" {
		t.Fatalf("signed: %+v, %v", signed, err)
	}
	if list := signed.Row.Signatures.V; len(list) != 1 || list[0].Name != "Ilse Quill" || list[0].ForFamily || !list[0].At.Equal(testdb.Now) {
		t.Errorf("signatures: %+v", list)
	}
	if twice := h.Must(h.Sheet.Sign(ctx, guardian, apptest.Mara, sent.Row.Version, nil, "")); twice.Row.Version != signed.Row.Version {
		t.Error("signing twice makes another version")
	}
	if _, err := h.Sheet.Approve(ctx, counselor, apptest.Mara, signed.Row.Version, ""); !errors.As(err, &known) || known.Code != problem.Code(acts.NotReady) || len(known.Now.(*appsheet.Desk).Todo) != 1 {
		t.Errorf("clearing with an open claim gives %v", err)
	}
	mark := credit.Amount(8300)
	decided, err := h.Sheet.Decide(ctx, counselor, apptest.Mara, appsheet.Decision{Version: signed.Row.Version, Answer: "confirm", Claim: h.Claim(), Course: "PHY1", SchoolYear: "2025-26", Mark: &mark, Reason: " Report seen. "})
	if err != nil || len(decided.Todo) != 0 || !decided.Ready || decided.Row.State != "signed" || len(decided.Known.Claims) != 0 {
		t.Fatalf("decided: %+v, %v", decided, err)
	}
	record := decided.Known.Records[len(decided.Known.Records)-1]
	if record.Code != "ALG1" || record.Title != "Algebra I" || record.Mark != 8300 || !record.HasMark || record.Outcome != "transfer" || record.Year != 2025 || record.Credits != 100 || record.Subjects[0] != "Mathematics" {
		t.Errorf("the claim became %+v", record)
	}
	cleared, err := h.Sheet.Approve(ctx, counselor, apptest.Mara, decided.Row.Version, "")
	if err != nil || cleared.Row.State != "cleared" || !cleared.Row.ClearedAt.Equal(testdb.Now) {
		t.Fatalf("cleared: %+v, %v", cleared, err)
	}
	if twice := h.Must(h.Sheet.Approve(ctx, counselor, apptest.Mara, decided.Row.Version, "")); twice.Row.Version != cleared.Row.Version {
		t.Error("clearing twice makes another version")
	}
	h.Refuses(appsheet.Edit{Act: "remove", Course: "CER1"}, "locked")
	if got := h.History(); got != "change change change submit sign decide clear" {
		t.Errorf("history: %s", got)
	}
	events, err := h.Sheet.History(ctx, student, apptest.Mara, 0)
	if err != nil || events[0].Who != "Ms Arden" || events[1].Reason != "Report seen." || events[1].Course != "PHY1" || events[1].Answer != "confirm" || events[2].Who != "Ilse Quill" || events[4].Act != "alternate" {
		t.Errorf("history: %+v, %v", events, err)
	}
}

// Each act refuses anyone who it is not for, an older version, a closed window, and a state it is not for; core/acts has the table, and this
// tells that every use case asks it.
func TestEveryActAsks(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	act := func(name, username string, version int64) (*appsheet.Desk, error) {
		by := h.Who(username)
		switch name {
		case "change":
			return h.Sheet.Change(ctx, by, apptest.Mara, appsheet.Edit{Version: version, Act: "request", Course: "DRW1"})
		case "undo":
			return h.Sheet.Change(ctx, by, apptest.Mara, appsheet.Edit{Version: version, Act: "undo"})
		case "submit":
			return h.Sheet.Submit(ctx, by, apptest.Mara, version, "")
		case "sign":
			return h.Sheet.Sign(ctx, by, apptest.Mara, version, apptest.Fees, "")
		case "ask":
			return h.Sheet.RequestChange(ctx, by, apptest.Mara, appsheet.ChangeRequest{Version: version, Message: "Not Ceramics."})
		case "look":
			return h.Sheet.Look(ctx, by, apptest.Mara, version)
		case "clear":
			return h.Sheet.Approve(ctx, by, apptest.Mara, version, "")
		case "sendBack":
			return h.Sheet.SendBack(ctx, by, apptest.Mara, version, "Talk it over.")
		case "reopen":
			return h.Sheet.Reopen(ctx, by, apptest.Mara, version, "A mistake.")
		case "decide":
			return h.Sheet.Decide(ctx, by, apptest.Mara, appsheet.Decision{Version: version, Answer: "waive", Course: "PHY1", Reason: "Seen."})
		}
		panic(name)
	}
	names := []string{"change", "undo", "submit", "sign", "ask", "look", "clear", "sendBack", "reopen", "decide"}
	// what each gives to student, guardian, counselor and office
	check := func(when string, version int64, want map[string]string) {
		t.Helper()
		for _, name := range names {
			var got []string
			for _, username := range []string{"mara.quill", "ilse.quill", "ms.arden", "office"} {
				before := h.Look("office").Row
				got = append(got, apptest.Code(act(name, username, version)))
				if after := h.Look("office").Row; after.Version != before.Version && got[len(got)-1] != after.State {
					t.Errorf("%s: %s as %s is refused and makes version %d", when, name, username, after.Version)
				}
			}
			if s := strings.Join(got, " "); s != want[name] {
				t.Errorf("%s: %s gives %s, want %s", when, name, s, want[name])
			}
		}
	}
	decided := func(code string) string { return fmt.Sprintf("forbidden forbidden %s %s", code, code) }
	stale := "stale-version forbidden stale-version stale-version"
	check("an older version", 1, map[string]string{"change": stale, "undo": stale, "submit": stale, "sign": "forbidden stale-version stale-version stale-version",
		"ask": "forbidden stale-version forbidden forbidden", "look": decided("not-needed"), "clear": decided("stale-version"), "sendBack": decided("stale-version"),
		"reopen": decided("stale-version"), "decide": decided("stale-version")})
	h.At(testdb.Now.AddDate(0, 0, -8))
	open := h.Look("office").Row.Version
	check("before the window", open, map[string]string{"change": "not-open-yet forbidden needs-reason needs-reason", "undo": "not-open-yet forbidden nothing-to-undo nothing-to-undo",
		"submit": "not-open-yet forbidden not-ready not-ready", "sign": "forbidden not-open-yet nothing-submitted nothing-submitted", "ask": "forbidden not-open-yet forbidden forbidden",
		"look": decided("not-needed"), "clear": decided("nothing-submitted"), "sendBack": decided("nothing-submitted"), "reopen": decided("not-cleared"),
		"decide": "forbidden forbidden inProgress stale-version"})
	h.At(testdb.Now.AddDate(0, 2, 0))
	over := h.Look("office").Row.Version
	closed := "window-closed forbidden closed-for-all closed-for-all"
	check("after the window", over, map[string]string{"change": closed, "undo": closed, "submit": closed, "sign": "forbidden window-closed closed-for-all closed-for-all",
		"ask": "forbidden window-closed forbidden forbidden", "look": decided("closed-for-all"), "clear": decided("closed-for-all"), "sendBack": decided("closed-for-all"),
		"reopen": decided("closed-for-all"), "decide": decided("closed-for-all")})
	h.At(testdb.Now)
	h.DB.Exec(t, `DELETE FROM request_window`)
	h.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	check("without a window", over, map[string]string{"change": "no-window forbidden needs-reason needs-reason", "undo": "no-window forbidden nothing-to-undo nothing-to-undo",
		"submit": "no-window forbidden not-ready not-ready", "sign": "forbidden no-window nothing-submitted nothing-submitted", "ask": "forbidden no-window forbidden forbidden",
		"look": decided("not-needed"), "clear": decided("nothing-submitted"), "sendBack": decided("nothing-submitted"), "reopen": decided("not-cleared"),
		"decide": "forbidden forbidden inProgress stale-version"})
}

// What was submitted, and its signatures, stand while the sheet is changed; a sheet that is again what was submitted is unchanged.
func TestChangingAfterSigning(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Finish()
	sent := h.Submit()
	h.Sign()
	d := h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	if !d.Changed || d.HandedIn() || d.Row.State != "signed" || len(d.Row.Signatures.V) != 1 || *d.Row.Receipt != *sent.Row.Receipt || d.Next != acts.NextAgain {
		t.Fatalf("after a change: %+v, changed %v, next %s", d.Row, d.Changed, d.Next)
	}
	for act, got := range map[string]string{"clear": apptest.Code(h.Sheet.Approve(ctx, h.Who("ms.arden"), apptest.Mara, 0, "")), "sign": apptest.Code(h.Sheet.Sign(ctx, h.Who("ilse.quill"), apptest.Mara, 0, apptest.Fees, ""))} {
		if want := map[string]string{"clear": "changed-since", "sign": "signed"}[act]; got != want {
			t.Errorf("%s on a sheet that was changed since gives %s, want %s", act, got, want)
		}
	}
	if d = h.Edit(appsheet.Edit{Act: "undo"}); d.Changed || !d.HandedIn() || d.Row.State != "signed" || d.Next != acts.NextClear {
		t.Errorf("after undoing it: %+v, changed %v", d.Row, d.Changed)
	}
	h.Edit(appsheet.Edit{Act: "order", List: "alternates", Order: []string{"AST1", "PHO1", "PRI1"}})
	if d = h.Edit(appsheet.Edit{Act: "order", List: "alternates", Order: []string{"PRI1", "PHO1", "AST1"}}); d.Changed {
		t.Error("in the order in which it was submitted it counts as changed")
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	second := h.Submit()
	if second.Changed || second.Row.State != "submitted" || *second.Row.Receipt == *sent.Row.Receipt || len(second.Row.Signatures.V) != 0 || second.Row.Submission != 2 {
		t.Errorf("submitting again: %+v", second.Row)
	}
	// The first submission is as it was.
	if n := testdb.Value[int](t, h.DB, `SELECT jsonb_array_length(entries) FROM submission WHERE student_id = 's0001' AND number = 1`); n != 12 {
		t.Errorf("the first submission has %d entries now", n)
	}
	judgement := testdb.Value[string](t, h.DB, `SELECT judgement->>'ready' || ' ' || (judgement->'requests'->0->>'course') || ' ' || catalog_version || ' ' || policy_version
		FROM submission WHERE student_id = 's0001' AND number = 1`)
	if judgement != "false ENG10 1 1" {
		t.Errorf("it was judged %s", judgement)
	}
}

func TestSendingBackAndAsking(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Finish()
	h.Waive()
	h.Submit()
	if got := apptest.Code(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "  "})); got != "needs-message" {
		t.Errorf("asking for nothing gives %s", got)
	}
	asked := h.Must(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: " Not Ceramics,\r\nplease. "}))
	if asked.Row.Asked != "Not Ceramics,\nplease." {
		t.Errorf("asked: %q", asked.Row.Asked)
	}
	if l := h.Line(); apptest.Waits(l) != "waiting asked uncovered" || l.Waits[0].Text != asked.Row.Asked {
		t.Errorf("in the caseload: %s, %+v", apptest.Waits(l), l.Waits)
	}
	if got := apptest.Code(h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, " ")); got != "needs-message" {
		t.Errorf("sending back without a word gives %s", got)
	}
	if got := apptest.Code(h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, "x", "ENG12")); got != "not-on-sheet" {
		t.Errorf("about a course that is not on the sheet: %s", got)
	}
	back := h.Must(h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, "Talk it over at home.", "CER1", "PHY1"))
	if about := h.Look("mara.quill").Row.About.V; fmt.Sprint(about) != "[CER1 PHY1]" {
		t.Errorf("it is about %v", about)
	}
	if back.Row.State != "sentBack" || back.Row.Message != "Talk it over at home." || back.Row.Asked != "" || back.HandedIn() || back.Next != acts.NextMend {
		t.Fatalf("sent back: %+v", back.Row)
	}
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	if d := h.Submit(); d.Row.State != "submitted" || d.Row.Message != "" || d.Row.Submission != 2 {
		t.Errorf("submitted again: %+v", d.Row)
	}
	// What a guardian asks stays when they sign, and approval answers it with a reason.
	h.Must(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "Another thing."}))
	if x := h.Look("ilse.quill").Row.ChangeRequests.V[0]; x.Text != "Not Ceramics,\nplease." || x.Answer != "Talk it over at home." || x.AnsweredBy != "Ms Arden" || !x.AnsweredAt.Equal(testdb.Now) {
		t.Errorf("what was asked stays with its answer: %+v", x)
	}
	if d := h.Sign(); d.Row.Asked != "Another thing." || d.Row.State != "signed" {
		t.Errorf("after signing: %+v", d.Row)
	}
	h.Must(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "One more."}))
	if got := apptest.Code(h.Sheet.Approve(ctx, h.Who("ms.arden"), apptest.Mara, 0, " ")); got != "needs-reason" {
		t.Errorf("clearing against what the family asks, without a reason, gives %s", got)
	}
	if _, got := h.Batch(appcaseload.Batch{Kind: "clear"}, apptest.Mara.Student); got != "s0001:needs-reason" {
		t.Errorf("clearing it among many gives %s", got)
	}
	if d := h.Must(h.Sheet.Approve(ctx, h.Who("ms.arden"), apptest.Mara, 0, "We spoke.")); d.Row.State != "cleared" || d.Row.Asked != "" || len(d.Row.ChangeRequests.V) != 3 || d.Row.ChangeRequests.V[2].Answer != "We spoke." {
		t.Errorf("cleared: %+v", d.Row)
	}
	events, _ := h.Sheet.History(ctx, h.Who("ilse.quill"), apptest.Mara, 0)
	if events[0].Kind != "clear" || events[0].Reason != "We spoke." || events[1].Message != "One more." {
		t.Errorf("history: %+v", events[:2])
	}
	if d := h.Must(h.Sheet.SendBack(ctx, h.Who("ms.arden"), apptest.Mara, 0, "The bus.")); d.Row.State != "sentBack" || d.Row.ClearedAt != nil {
		t.Errorf("a cleared sheet that is sent back: %+v", d.Row)
	}
}

func TestReopening(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	h.Approve()
	if got := apptest.Code(h.Sheet.Reopen(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, " ")); got != "needs-reason" {
		t.Errorf("reopening without a reason gives %s", got)
	}
	d := h.Must(h.Sheet.Reopen(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, "Too early."))
	if d.Row.State != "signed" || d.Row.ClearedAt != nil || !d.Acts[acts.Approve].Allowed {
		t.Errorf("reopened: %+v", d.Row)
	}
	if h.Approve(); h.History() != "change change change decide submit sign clear reopen clear" {
		t.Errorf("history: %s", h.History())
	}
}

// The office still changes a sheet when the window has closed for families, each time with a reason that is kept.
func TestForTheFamily(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Finish()
	h.At(testdb.Now.AddDate(0, 0, 11))
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "DRW1"}, "window-closed")
	office := h.Who("office")
	edit := appsheet.Edit{Version: h.Look("office").Row.Version, Act: "alternate", Course: "DRW1"}
	if got := apptest.Code(h.Sheet.Change(ctx, office, apptest.Mara, edit)); got != "needs-reason" {
		t.Errorf("without a reason: %s", got)
	}
	edit.Reason = " \n"
	if got := apptest.Code(h.Sheet.Change(ctx, office, apptest.Mara, edit)); got != "needs-reason" {
		t.Errorf("with an empty reason: %s", got)
	}
	edit.Reason = "The family called."
	if d := h.Must(h.Sheet.Change(ctx, office, apptest.Mara, edit)); apptest.Alternates(d) != "PRI1:CER1 PHO1 AST1 DRW1" {
		t.Errorf("alternates: %s", apptest.Alternates(d))
	}
	d := h.Must(h.Sheet.Change(ctx, office, apptest.Mara, appsheet.Edit{Version: h.Look("office").Row.Version, Act: "undo", Reason: "Called again."}))
	if apptest.Alternates(d) != "PRI1:CER1 PHO1 AST1" {
		t.Errorf("undone: %s", apptest.Alternates(d))
	}
	for _, step := range []func(string) (*appsheet.Desk, error){
		func(reason string) (*appsheet.Desk, error) {
			return h.Sheet.Submit(ctx, office, apptest.Mara, 0, reason)
		},
		func(reason string) (*appsheet.Desk, error) {
			return h.Sheet.Sign(ctx, office, apptest.Mara, 0, nil, reason)
		},
	} {
		if got := apptest.Code(step("")); got != "needs-reason" {
			t.Errorf("without a reason: %s", got)
		}
		h.Must(step("On paper."))
	}
	d = h.Look("ilse.quill")
	if list := d.Row.Signatures.V; d.Row.State != "signed" || len(list) != 1 || !list[0].ForFamily || list[0].Name != "Dagny Westerdale" {
		t.Errorf("signed for the family: %+v", d.Row)
	}
	if agreed := testdb.Value[string](t, h.DB, `SELECT agreed || reason FROM signature`); agreed != `[]On paper.` {
		t.Errorf("agreed and reason: %s", agreed)
	}
	events, err := h.Sheet.History(ctx, office, apptest.Mara, 0)
	if err != nil || events[0].Reason != "On paper." || events[1].Reason != "On paper." || events[2].Reason != "Called again." || events[3].Reason != "The family called." || events[3].Who != "Dagny Westerdale" {
		t.Errorf("history: %+v", events)
	}
	// A guardian asks, now that nothing else is left to them.
	if d := h.Must(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "Please, not Drawing."})); d.Row.State != "signed" || d.Row.Asked == "" {
		t.Errorf("asked late: %+v", d.Row)
	}
}

// The least and the greatest mark are marks.
func TestMarksAtTheEnds(t *testing.T) {
	for _, mark := range []credit.Amount{0, 100 * credit.One} {
		t.Run(mark.String(), func(t *testing.T) {
			h := apptest.NewHouse(t)
			d := h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "confirm", Claim: h.Claim(), Course: "PHY1", SchoolYear: "2025-26", Mark: &mark, Reason: "Report seen."}))
			if record := d.Known.Records[len(d.Known.Records)-1]; !record.HasMark || record.Mark != mark {
				t.Errorf("it became %+v", record)
			}
		})
	}
}

func TestDecisionsThatAreNone(t *testing.T) {
	h := apptest.NewHouse(t)
	claim := h.Claim()
	bad, good := credit.Amount(10001), credit.Amount(10000)
	negative := credit.Amount(-1)
	h.DB.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells) VALUES ('pellworth', 's0001', 90, 'claim', '', 'swim', 0, '', '', '{}')`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1`)
	named := testdb.Value[int64](t, h.DB, `SELECT id FROM signal WHERE name = 'swim'`)
	foreign := testdb.Value[int64](t, h.DB, `SELECT coalesce(max(id), 0) FROM signal WHERE student_id <> 's0001' AND kind = 'claim'`)
	for _, c := range []struct {
		d    appsheet.Decision
		want string
	}{
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1"}, "needs-reason"},
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "NONE", Reason: "x"}, "no-such-course"},
		{appsheet.Decision{Answer: "sing", Claim: claim, Course: "PHY1", Reason: "x"}, "bad-act"},
		{appsheet.Decision{Answer: "confirm", Claim: claim + 1000, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{appsheet.Decision{Answer: "confirm", Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{appsheet.Decision{Answer: "decline", Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{appsheet.Decision{Answer: "waive", Claim: claim + 1000, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{appsheet.Decision{Answer: "decline", Claim: foreign, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{appsheet.Decision{Answer: "confirm", Claim: named, Course: "PHY1", Reason: "x"}, "not-a-course"},
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &bad, Reason: "x"}, "bad-mark"},
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &negative, Reason: "x"}, "bad-mark"},
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Reason: "x"}, "bad-record"}, // no one has said when
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", SchoolYear: "2028-29", Reason: "x"}, "bad-record"},
		{appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", SchoolYear: "2025-26", Credits: "many", Reason: "x"}, "bad-record"},
	} {
		if got := apptest.Code(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, c.d)); got != c.want {
			t.Errorf("%+v gives %s, want %s", c.d, got, c.want)
		}
	}
	if h.History() != "" || len(h.Look("ms.arden").Known.Claims) != 2 {
		t.Errorf("a refused decision left a trace: %s", h.History())
	}
	d := h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "decline", Claim: claim, Course: "PHY1", Reason: "No report."}))
	h.Finish()
	if got := apptest.Code(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "")); got != "not-ready" {
		t.Errorf("submitting with an unmet condition gives %s", got)
	}
	if len(d.Known.Claims) != 1 || len(d.Known.Records) != len(h.Look("mara.quill").Known.Records) || d.Todo[len(d.Todo)-1].Waits() {
		t.Errorf("declined: %+v", d.Todo)
	}
	if x := d.Known.Declined; len(x) != 1 || x[0].ID != claim || x[0].Answer != "No report." || x[0].Decider != "Ms Arden" || x[0].Course != "ALG1" {
		t.Errorf("what is known of it: %+v", x)
	}
	if got := apptest.Code(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &good, Reason: "x"})); got != "no-such-claim" {
		t.Errorf("settling it twice gives %s", got)
	}
	d = h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "waive", Course: "PHY1", Reason: "By the head."}))
	waiver := d.Known.Signals[len(d.Known.Signals)-1]
	if waiver.Kind != "waiver" || waiver.Code != "PHY1" || waiver.By != "k1" || waiver.Note != "By the head." || d.Known.Said[len(d.Known.Said)-1] != "Ms Arden" {
		t.Errorf("the waiver is %+v", waiver)
	}
}

// A counselor decides on their own caseload, or on the whole school where the school says so; the rest they see.
func TestCounselorsReach(t *testing.T) {
	h := apptest.NewHouse(t)
	other := testdb.Value[string](t, h.DB, `SELECT student_id FROM relation WHERE kind = 'counsels' AND person_id <> 'k1' ORDER BY student_id LIMIT 1`)
	at := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: other}
	decide := func() string {
		return apptest.Code(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), at, appsheet.Decision{Answer: "waive", Course: "PHY1", Reason: "x"}))
	}
	if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who("ms.arden"), at)); got != "inProgress" {
		t.Errorf("she sees %s", got)
	}
	if got := decide(); got != "forbidden" {
		t.Errorf("she decides on another's student: %s", got)
	}
	h.Settings(`{"counselors": "school"}`)
	if got := decide(); got != "inProgress" {
		t.Errorf("where counselors reach the whole school: %s", got)
	}
}

// A sheet is not cleared on a confirmation that is taken back while it is being cleared.
func TestClearingRestsOnWhatIsCommitted(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	stop := make(chan struct{})
	go func() {
		defer close(stop)
		for i := range 30 {
			kind := []string{"waiver", "score"}[i%2] // the waiver comes and goes
			h.DB.Exec(t, `WITH s AS (UPDATE signal SET kind = $1 WHERE course_code = 'PHY1' AND kind IN ('waiver', 'score'))
				UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`, kind)
		}
	}()
	second := h.Second()
	for range 20 {
		_, _ = h.Sheet.Approve(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, "")
		_, _ = second.Sheet.Approve(t.Context(), h.Who("office"), apptest.Mara, 0, "")
	}
	<-stop
	h.DB.Exec(t, `UPDATE signal SET kind = 'score' WHERE course_code = 'PHY1' AND kind = 'waiver'`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1, state = 'signed', cleared_at = NULL WHERE student_id = 's0001'`)
	if got := apptest.Code(second.Sheet.Approve(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, "")); got != "not-ready" {
		t.Errorf("clearing without the waiver gives %s", got)
	}
	if d := h.Must(second.Sheet.Sheet(t.Context(), h.Who("ms.arden"), apptest.Mara)); d.Ready {
		t.Error("the other server still has the waiver")
	}
}

func TestSettingsOfSigning(t *testing.T) {
	t.Run("none", func(t *testing.T) {
		h := apptest.NewHouse(t)
		h.Settings(`{"signing": "none"}`)
		h.Finish()
		if d := h.Submit(); d.Row.State != "signed" {
			t.Errorf("submitted it is %s", d.Row.State)
		}
		if got := apptest.Code(h.Sheet.Sign(t.Context(), h.Who("ilse.quill"), apptest.Mara, 0, apptest.Fees, "")); got != "not-needed" {
			t.Errorf("signing gives %s", got)
		}
	})
	t.Run("all", func(t *testing.T) {
		h := apptest.NewHouse(t)
		h.Settings(`{"signing": "all"}`)
		h.DB.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) SELECT 'pellworth', 'guards', person_id, 's0001', 'office' FROM relation
			WHERE kind = 'guards' AND student_id <> 's0001' AND person_id <> (SELECT person_id FROM relation WHERE kind = 'guards' AND student_id = 's0001') LIMIT 1`)
		h.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
		second := testdb.Value[string](t, h.DB, `SELECT p.username FROM relation r JOIN person p ON p.id = r.person_id WHERE r.source = 'office'`)
		h.Finish()
		h.Submit()
		if d := h.Sign(); d.Row.State != "submitted" || len(d.Row.Signatures.V) != 1 || d.Acts[acts.Sign].Why != acts.AlreadyDone {
			t.Errorf("after the first signature: %+v", d.Row)
		}
		if d := h.Must(h.Sheet.Sign(t.Context(), h.Who(second), apptest.Mara, 0, apptest.Fees, "")); d.Row.State != "signed" || len(d.Row.Signatures.V) != 2 {
			t.Errorf("after the second: %+v", d.Row)
		}
	})
	t.Run("no paper", func(t *testing.T) {
		h := apptest.NewHouse(t)
		h.Settings(`{"paper": false}`)
		h.Finish()
		h.Submit()
		if got := apptest.Code(h.Sheet.Sign(t.Context(), h.Who("office"), apptest.Mara, 0, nil, "On paper.")); got != "no-paper" {
			t.Errorf("recording paper gives %s", got)
		}
	})
}

func TestSettingsOfTheLook(t *testing.T) {
	t.Run("before", func(t *testing.T) {
		h := apptest.NewHouse(t)
		h.Settings(`{"look": "before"}`)
		h.Waive()
		if got := apptest.Code(h.Sheet.Look(t.Context(), h.Who("ms.arden"), apptest.Mara, 0)); got != "not-ready" {
			t.Errorf("agreeing to an unfinished sheet gives %s", got)
		}
		h.Finish()
		if got := apptest.Code(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "")); got != "not-looked-at" {
			t.Errorf("submitting without a look gives %s", got)
		}
		if d := h.Must(h.Sheet.Look(t.Context(), h.Who("ms.arden"), apptest.Mara, 0)); d.Row.Looked == nil || d.Acts[acts.Look].Why != acts.AlreadyDone {
			t.Errorf("looked: %+v", d.Acts[acts.Look])
		}
		h.Edit(appsheet.Edit{Act: "alternate", Course: "DRW1"})
		if got := apptest.Code(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "")); got != "not-looked-at" {
			t.Errorf("submitting something else gives %s", got)
		}
		h.Edit(appsheet.Edit{Act: "undo"})
		if d := h.Submit(); d.Row.State != "submitted" {
			t.Errorf("submitted: %s", d.Row.State)
		}
		if d := h.Sign(); d.Row.State != "cleared" || d.Row.ClearedAt == nil {
			t.Errorf("signed: %s", d.Row.State)
		}
	})
	t.Run("none", func(t *testing.T) {
		h := apptest.NewHouse(t)
		h.Settings(`{"look": "none", "signing": "none"}`)
		h.Finish()
		if d := h.Submit(); d.Row.State != "signed" { // a claim is still open
			t.Errorf("submitted: %s", d.Row.State)
		}
		h.Waive()
		h.Edit(appsheet.Edit{Act: "alternate", Course: "DRW1"})
		if d := h.Submit(); d.Row.State != "cleared" {
			t.Errorf("submitted again: %s", d.Row.State)
		}
	})
}

func TestSettingsOfEditing(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Settings(`{"editors": "family", "belowMinimum": "note"}`)
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "DRW1"}, "forbidden")
	edit := appsheet.Edit{Version: h.Look("ilse.quill").Row.Version, Act: "alternate", Course: "DRW1"}
	if d := h.Must(h.Sheet.Change(t.Context(), h.Who("ilse.quill"), apptest.Mara, edit)); apptest.Alternates(d) != "PRI1:CER1 DRW1" {
		t.Errorf("her guardian's change: %s", apptest.Alternates(d))
	}
	// Below the minimum is noted, and does not hold the sheet up.
	if d := h.Must(h.Sheet.Submit(t.Context(), h.Who("ilse.quill"), apptest.Mara, 0, "")); d.Row.State != "submitted" || d.Ready {
		t.Errorf("submitted below the minimum: %+v", d.Row)
	}
	h.Settings(`{"editors": "either", "late": "no"}`)
	h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	h.At(testdb.Now.AddDate(0, 0, 11))
	if got := apptest.Code(h.Sheet.RequestChange(t.Context(), h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "Please."})); got != "window-closed" {
		t.Errorf("asking late gives %s", got)
	}
}

// Windows: the student's own comes before the grade's, and that before everybody's.
func TestWhoseWindow(t *testing.T) {
	h := apptest.NewHouse(t)
	set := func(w appcatalog.Window) {
		t.Helper()
		w.Families, w.Counselors = w.Opens.AddDate(0, 0, 1), w.Opens.AddDate(0, 0, 2)
		if err := h.Catalog.SetWindow(t.Context(), apptest.Mara.School, apptest.Mara.Year, w); err != nil {
			t.Fatal(err)
		}
	}
	day := func(n int) time.Time { return testdb.Now.AddDate(0, 0, n) }
	for _, c := range []struct {
		w    appcatalog.Window
		want time.Time
	}{
		{appcatalog.Window{Grade: -1, Opens: day(1)}, day(1)},
		{appcatalog.Window{Grade: 11, Opens: day(2)}, day(1)},
		{appcatalog.Window{Grade: 10, Opens: day(3)}, day(3)},
		{appcatalog.Window{Grade: -1, Student: "s0002", Opens: day(4)}, day(3)},
		{appcatalog.Window{Grade: -1, Student: "s0001", Opens: day(5)}, day(5)},
		{appcatalog.Window{Grade: -1, Student: "s0001", Opens: day(6)}, day(6)},
	} {
		set(c.w)
		if got := h.Look("mara.quill").Window().Opens; !got.Equal(c.want) {
			t.Errorf("after %+v it opens %v, want %v", c.w, got, c.want)
		}
		if got := *h.Line().Opens; !got.Equal(c.want) {
			t.Errorf("in the caseload, after %+v it opens %v, want %v", c.w, got, c.want)
		}
	}
	for name, w := range map[string]appcatalog.Window{
		"closes before it opens":           {Grade: -1, Opens: day(2), Families: day(1), Counselors: day(3)},
		"closes when it opens":             {Grade: -1, Opens: day(2), Families: day(2), Counselors: day(3)},
		"closes for counselors before all": {Grade: -1, Opens: day(1), Families: day(3), Counselors: day(2)},
		"of a grade and a student":         {Grade: 10, Student: "s0001", Opens: day(1), Families: day(2), Counselors: day(3)},
	} {
		if err := h.Catalog.SetWindow(t.Context(), apptest.Mara.School, apptest.Mara.Year, w); problem.CodeOf(err) != problem.BadWindow {
			t.Errorf("a window that %s gives %v", name, err)
		}
	}
	if err := h.Catalog.SetWindow(t.Context(), apptest.Mara.School, 2020, appcatalog.Window{Grade: -1, Opens: day(1), Families: day(2), Counselors: day(3)}); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a window of no year: %v", err)
	}
	if err := h.Catalog.SetWindow(t.Context(), apptest.Mara.School, apptest.Mara.Year, appcatalog.Window{Grade: -1, Opens: day(1), Families: day(2), Counselors: day(2)}); err != nil {
		t.Errorf("a window that closes for all at once: %v", err)
	}
}

// An errand is ticked off by anyone who decides, with a reason; that is taken back by an act that is kept too, and neither by the family.
func TestAnErrandIsTickedOff(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	counselor := h.Who("ms.arden")
	settled := func() (done, there bool) {
		d := h.Look("mara.quill")
		for _, r := range d.Known.Errands(&d.Sheet) {
			if d.Year.Codes[r.Course] == "CER1" && d.Year.Errands[r.Errand].Kind == "form" {
				return r.Settled, true
			}
		}
		return false, false
	}
	form := appsheet.Settling{Course: "CER1", Kind: "form", Done: true, Reason: " Seen on paper. "}
	if done, there := settled(); done || !there {
		t.Fatalf("at the beginning: %v, %v", done, there)
	}
	if got := apptest.Code(h.Sheet.SettleErrand(ctx, h.Who("mara.quill"), apptest.Mara, form)); got != "forbidden" {
		t.Errorf("the student gets %s", got)
	}
	if got := apptest.Code(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, appsheet.Settling{Course: "CER1", Kind: "form", Done: true})); got != "needs-reason" {
		t.Errorf("without a reason: %s", got)
	}
	for _, x := range []appsheet.Settling{{Course: "CER1", Kind: "audition", Done: true, Reason: "x"}, {Course: "TID1", Kind: "form", Done: true, Reason: "x"}} {
		if got := apptest.Code(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, x)); got != "not-on-sheet" {
			t.Errorf("%+v gives %s", x, got)
		}
	}
	h.Must(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, form))
	if done, _ := settled(); !done {
		t.Error("it is not ticked off")
	}
	if got := apptest.Code(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, form)); got != "already-done" {
		t.Errorf("twice: %s", got)
	}
	form.Done = false
	h.Must(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, form))
	if done, _ := settled(); done {
		t.Error("it is still ticked off")
	}
	if got := apptest.Code(h.Sheet.SettleErrand(ctx, counselor, apptest.Mara, appsheet.Settling{Course: "ROW1", Kind: "test", Reason: "x"})); got != "not-settled-here" {
		t.Errorf("what is settled by a score: %s", got)
	}
	if list, err := h.Sheet.History(ctx, counselor, apptest.Mara, 0); err != nil || len(list) < 2 || list[0].Kind != "errandOpen" || list[1].Kind != "errandDone" || list[1].Reason != "Seen on paper." {
		t.Errorf("what happened: %+v, %v", list, err)
	}
}
