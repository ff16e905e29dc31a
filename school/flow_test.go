package school_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/school"
	"rubricon/store/storetest"
)

func TestFromSheetToCleared(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	student, guardian, counselor := h.who("mara.quill"), h.who("ilse.quill"), h.who("ms.arden")
	_, err := h.Submit(ctx, student, mara, 0, "")
	var known *school.Error
	if !errors.As(err, &known) || known.Code != school.Code(acts.NotReady) || len(known.Now.(*school.Desk).Todo) != 3 {
		t.Fatalf("submitting an unfinished sheet gives %v", err)
	}
	ready := h.finish()
	if !ready.Acts[acts.Submit].Allowed || ready.Ready || ready.Next != acts.NextSubmit {
		t.Fatalf("only Physics waits for a counselor, but it cannot be submitted: %+v, next %s", ready.Acts[acts.Submit], ready.Next)
	}
	sent, err := h.Submit(ctx, student, mara, ready.Row.Version, "")
	if err != nil || sent.Row.State != "submitted" || !strings.HasPrefix(*sent.Row.Receipt, "PE-") || !sent.Row.SubmittedAt.Equal(storetest.Now) || sent.Row.Submission != 1 || !sent.HandedIn() {
		t.Fatalf("submitted: %+v, %v", sent, err)
	}
	again, err := h.Submit(ctx, student, mara, ready.Row.Version, "")
	if err != nil || *again.Row.Receipt != *sent.Row.Receipt || again.Row.Version != sent.Row.Version {
		t.Errorf("submitting twice gives %v, %v", again, err)
	}
	if got := code(h.Clear(ctx, counselor, mara, sent.Row.Version, "")); got != "not-signed" {
		t.Errorf("clearing before the signature gives %s", got)
	}
	if _, err := h.Sign(ctx, guardian, mara, sent.Row.Version, []string{"CER1"}, ""); !errors.As(err, &known) || known.Code != school.NeedsAgreed || known.Param != "TID1" {
		t.Errorf("signing without agreeing to the fees gives %v", err)
	}
	signed, err := h.Sign(ctx, guardian, mara, sent.Row.Version, fees, "")
	if err != nil || signed.Row.State != "signed" {
		t.Fatalf("signed: %+v, %v", signed, err)
	}
	if list := signed.Row.Signatures.V; len(list) != 1 || list[0].Name != "Ilse Quill" || list[0].ForFamily || !list[0].At.Equal(storetest.Now) {
		t.Errorf("signatures: %+v", list)
	}
	if twice := h.must(h.Sign(ctx, guardian, mara, sent.Row.Version, nil, "")); twice.Row.Version != signed.Row.Version {
		t.Error("signing twice makes another version")
	}
	if _, err := h.Clear(ctx, counselor, mara, signed.Row.Version, ""); !errors.As(err, &known) || known.Code != school.Code(acts.NotReady) || len(known.Now.(*school.Desk).Todo) != 1 {
		t.Errorf("clearing with an open claim gives %v", err)
	}
	mark := credit.Amount(8300)
	decided, err := h.Decide(ctx, counselor, mara, school.Decision{Version: signed.Row.Version, Answer: "confirm", Claim: h.claim(), Course: "PHY1", SchoolYear: "2025-26", Mark: &mark, Reason: " Report seen. "})
	if err != nil || len(decided.Todo) != 0 || !decided.Ready || decided.Row.State != "signed" || len(decided.Known.Claims) != 0 {
		t.Fatalf("decided: %+v, %v", decided, err)
	}
	record := decided.Known.Records[len(decided.Known.Records)-1]
	if record.Code != "ALG1" || record.Title != "Algebra I" || record.Mark != 8300 || !record.HasMark || record.Outcome != "transfer" || record.Year != 2025 || record.Credits != 100 || record.Subjects[0] != "Mathematics" {
		t.Errorf("the claim became %+v", record)
	}
	cleared, err := h.Clear(ctx, counselor, mara, decided.Row.Version, "")
	if err != nil || cleared.Row.State != "cleared" || !cleared.Row.ClearedAt.Equal(storetest.Now) {
		t.Fatalf("cleared: %+v, %v", cleared, err)
	}
	if twice := h.must(h.Clear(ctx, counselor, mara, decided.Row.Version, "")); twice.Row.Version != cleared.Row.Version {
		t.Error("clearing twice makes another version")
	}
	h.refuses(school.Edit{Act: "remove", Course: "CER1"}, "locked")
	if got := h.history(); got != "change change change submit sign decide clear" {
		t.Errorf("history: %s", got)
	}
	events, err := h.History(ctx, student, mara, 0)
	if err != nil || events[0].Who != "Ms Arden" || events[1].Reason != "Report seen." || events[1].Course != "PHY1" || events[1].Answer != "confirm" || events[2].Who != "Ilse Quill" || events[4].Act != "alternate" {
		t.Errorf("history: %+v, %v", events, err)
	}
}

// Each act refuses whoever it is not for, an older version, a closed window, and a state it is not for; core/acts has the table, and this
// tells that every use case asks it.
func TestEveryActAsks(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	act := func(name, username string, version int64) (*school.Desk, error) {
		by := h.who(username)
		switch name {
		case "change":
			return h.Change(ctx, by, mara, school.Edit{Version: version, Act: "request", Course: "DRW1"})
		case "undo":
			return h.Change(ctx, by, mara, school.Edit{Version: version, Act: "undo"})
		case "submit":
			return h.Submit(ctx, by, mara, version, "")
		case "sign":
			return h.Sign(ctx, by, mara, version, fees, "")
		case "ask":
			return h.RequestChange(ctx, by, mara, school.ChangeRequest{Version: version, Message: "Not Ceramics."})
		case "look":
			return h.Look(ctx, by, mara, version)
		case "clear":
			return h.Clear(ctx, by, mara, version, "")
		case "sendBack":
			return h.SendBack(ctx, by, mara, version, "Talk it over.")
		case "reopen":
			return h.Reopen(ctx, by, mara, version, "A mistake.")
		case "decide":
			return h.Decide(ctx, by, mara, school.Decision{Version: version, Answer: "waive", Course: "PHY1", Reason: "Seen."})
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
				before := h.look("office").Row
				got = append(got, code(act(name, username, version)))
				if after := h.look("office").Row; after.Version != before.Version && got[len(got)-1] != after.State {
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
	h.at(storetest.Now.AddDate(0, 0, -8))
	open := h.look("office").Row.Version
	check("before the window", open, map[string]string{"change": "not-open-yet forbidden needs-reason needs-reason", "undo": "not-open-yet forbidden nothing-to-undo nothing-to-undo",
		"submit": "not-open-yet forbidden not-ready not-ready", "sign": "forbidden not-open-yet nothing-submitted nothing-submitted", "ask": "forbidden not-open-yet forbidden forbidden",
		"look": decided("not-needed"), "clear": decided("nothing-submitted"), "sendBack": decided("nothing-submitted"), "reopen": decided("not-cleared"),
		"decide": "forbidden forbidden inProgress stale-version"})
	h.at(storetest.Now.AddDate(0, 2, 0))
	over := h.look("office").Row.Version
	closed := "window-closed forbidden closed-for-all closed-for-all"
	check("after the window", over, map[string]string{"change": closed, "undo": closed, "submit": closed, "sign": "forbidden window-closed closed-for-all closed-for-all",
		"ask": "forbidden window-closed forbidden forbidden", "look": decided("closed-for-all"), "clear": decided("closed-for-all"), "sendBack": decided("closed-for-all"),
		"reopen": decided("closed-for-all"), "decide": decided("closed-for-all")})
	h.at(storetest.Now)
	h.db.Exec(t, `DELETE FROM request_window`)
	h.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	check("without a window", over, map[string]string{"change": "no-window forbidden needs-reason needs-reason", "undo": "no-window forbidden nothing-to-undo nothing-to-undo",
		"submit": "no-window forbidden not-ready not-ready", "sign": "forbidden no-window nothing-submitted nothing-submitted", "ask": "forbidden no-window forbidden forbidden",
		"look": decided("not-needed"), "clear": decided("nothing-submitted"), "sendBack": decided("nothing-submitted"), "reopen": decided("not-cleared"),
		"decide": "forbidden forbidden inProgress stale-version"})
}

// What was submitted, and its signatures, stand while the sheet is changed; a sheet that is again what was submitted is unchanged.
func TestChangingAfterSigning(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.finish()
	sent := h.submit()
	h.sign()
	d := h.edit(school.Edit{Act: "remove", Course: "CER1"})
	if !d.Changed || d.HandedIn() || d.Row.State != "signed" || len(d.Row.Signatures.V) != 1 || *d.Row.Receipt != *sent.Row.Receipt || d.Next != acts.NextAgain {
		t.Fatalf("after a change: %+v, changed %v, next %s", d.Row, d.Changed, d.Next)
	}
	for act, got := range map[string]string{"clear": code(h.Clear(ctx, h.who("ms.arden"), mara, 0, "")), "sign": code(h.Sign(ctx, h.who("ilse.quill"), mara, 0, fees, ""))} {
		if want := map[string]string{"clear": "changed-since", "sign": "signed"}[act]; got != want {
			t.Errorf("%s on a sheet that was changed since gives %s, want %s", act, got, want)
		}
	}
	if d = h.edit(school.Edit{Act: "undo"}); d.Changed || !d.HandedIn() || d.Row.State != "signed" || d.Next != acts.NextClear {
		t.Errorf("after undoing it: %+v, changed %v", d.Row, d.Changed)
	}
	h.edit(school.Edit{Act: "order", List: "alternates", Order: []string{"AST1", "PHO1", "PRI1"}})
	if d = h.edit(school.Edit{Act: "order", List: "alternates", Order: []string{"PRI1", "PHO1", "AST1"}}); d.Changed {
		t.Error("in the order in which it was submitted it counts as changed")
	}
	h.edit(school.Edit{Act: "remove", Course: "CER1"})
	second := h.submit()
	if second.Changed || second.Row.State != "submitted" || *second.Row.Receipt == *sent.Row.Receipt || len(second.Row.Signatures.V) != 0 || second.Row.Submission != 2 {
		t.Errorf("submitting again: %+v", second.Row)
	}
	// The first submission is as it was.
	if n := storetest.Value[int](t, h.db, `SELECT jsonb_array_length(entries) FROM submission WHERE student_id = 's0001' AND number = 1`); n != 12 {
		t.Errorf("the first submission has %d entries now", n)
	}
	judgement := storetest.Value[string](t, h.db, `SELECT judgement->>'ready' || ' ' || (judgement->'requests'->0->>'course') || ' ' || catalog_version || ' ' || policy_version
		FROM submission WHERE student_id = 's0001' AND number = 1`)
	if judgement != "false ENG10 1 1" {
		t.Errorf("it was judged %s", judgement)
	}
}

func TestSendingBackAndAsking(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.finish()
	h.waive()
	h.submit()
	if got := code(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: "  "})); got != "needs-message" {
		t.Errorf("asking for nothing gives %s", got)
	}
	asked := h.must(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: " Not Ceramics,\r\nplease. "}))
	if asked.Row.Asked != "Not Ceramics,\nplease." {
		t.Errorf("asked: %q", asked.Row.Asked)
	}
	if l := h.line(); waits(l) != "waiting asked uncovered" || l.Waits[0].Text != asked.Row.Asked {
		t.Errorf("in the caseload: %s, %+v", waits(l), l.Waits)
	}
	if got := code(h.SendBack(ctx, h.who("ms.arden"), mara, 0, " ")); got != "needs-message" {
		t.Errorf("sending back without a word gives %s", got)
	}
	if got := code(h.SendBack(ctx, h.who("ms.arden"), mara, 0, "x", "ENG12")); got != "not-on-sheet" {
		t.Errorf("about a course that is not on the sheet: %s", got)
	}
	back := h.must(h.SendBack(ctx, h.who("ms.arden"), mara, 0, "Talk it over at home.", "CER1", "PHY1"))
	if about := h.look("mara.quill").Row.About.V; fmt.Sprint(about) != "[CER1 PHY1]" {
		t.Errorf("it is about %v", about)
	}
	if back.Row.State != "sentBack" || back.Row.Message != "Talk it over at home." || back.Row.Asked != "" || back.HandedIn() || back.Next != acts.NextMend {
		t.Fatalf("sent back: %+v", back.Row)
	}
	h.edit(school.Edit{Act: "remove", Course: "CER1"})
	if d := h.submit(); d.Row.State != "submitted" || d.Row.Message != "" || d.Row.Submission != 2 {
		t.Errorf("submitted again: %+v", d.Row)
	}
	// What a guardian asks stays when they sign, and approval answers it with a reason.
	h.must(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: "Another thing."}))
	if x := h.look("ilse.quill").Row.ChangeRequests.V[0]; x.Text != "Not Ceramics,\nplease." || x.Answer != "Talk it over at home." || x.AnsweredBy != "Ms Arden" || !x.AnsweredAt.Equal(storetest.Now) {
		t.Errorf("what was asked stays with its answer: %+v", x)
	}
	if d := h.sign(); d.Row.Asked != "Another thing." || d.Row.State != "signed" {
		t.Errorf("after signing: %+v", d.Row)
	}
	h.must(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: "One more."}))
	if got := code(h.Clear(ctx, h.who("ms.arden"), mara, 0, " ")); got != "needs-reason" {
		t.Errorf("clearing against what the family asks, without a reason, gives %s", got)
	}
	if _, got := h.batch(school.Batch{Kind: "clear"}, mara.Student); got != "s0001:needs-reason" {
		t.Errorf("clearing it among many gives %s", got)
	}
	if d := h.must(h.Clear(ctx, h.who("ms.arden"), mara, 0, "We spoke.")); d.Row.State != "cleared" || d.Row.Asked != "" || len(d.Row.ChangeRequests.V) != 3 || d.Row.ChangeRequests.V[2].Answer != "We spoke." {
		t.Errorf("cleared: %+v", d.Row)
	}
	events, _ := h.History(ctx, h.who("ilse.quill"), mara, 0)
	if events[0].Kind != "clear" || events[0].Reason != "We spoke." || events[1].Message != "One more." {
		t.Errorf("history: %+v", events[:2])
	}
	if d := h.must(h.SendBack(ctx, h.who("ms.arden"), mara, 0, "The bus.")); d.Row.State != "sentBack" || d.Row.ClearedAt != nil {
		t.Errorf("a cleared sheet that is sent back: %+v", d.Row)
	}
}

func TestReopening(t *testing.T) {
	h := newHouse(t)
	h.finish()
	h.waive()
	h.submit()
	h.sign()
	h.clear()
	if got := code(h.Reopen(t.Context(), h.who("ms.arden"), mara, 0, " ")); got != "needs-reason" {
		t.Errorf("reopening without a reason gives %s", got)
	}
	d := h.must(h.Reopen(t.Context(), h.who("ms.arden"), mara, 0, "Too early."))
	if d.Row.State != "signed" || d.Row.ClearedAt != nil || !d.Acts[acts.Clear].Allowed {
		t.Errorf("reopened: %+v", d.Row)
	}
	if h.clear(); h.history() != "change change change decide submit sign clear reopen clear" {
		t.Errorf("history: %s", h.history())
	}
}

// The office still changes a sheet when the window has closed for families, each time with a reason that is kept.
func TestForTheFamily(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.finish()
	h.at(storetest.Now.AddDate(0, 0, 11))
	h.refuses(school.Edit{Act: "alternate", Course: "DRW1"}, "window-closed")
	office := h.who("office")
	edit := school.Edit{Version: h.look("office").Row.Version, Act: "alternate", Course: "DRW1"}
	if got := code(h.Change(ctx, office, mara, edit)); got != "needs-reason" {
		t.Errorf("without a reason: %s", got)
	}
	edit.Reason = " \n"
	if got := code(h.Change(ctx, office, mara, edit)); got != "needs-reason" {
		t.Errorf("with an empty reason: %s", got)
	}
	edit.Reason = "The family called."
	if d := h.must(h.Change(ctx, office, mara, edit)); alternates(d) != "PRI1:CER1 PHO1 AST1 DRW1" {
		t.Errorf("alternates: %s", alternates(d))
	}
	d := h.must(h.Change(ctx, office, mara, school.Edit{Version: h.look("office").Row.Version, Act: "undo", Reason: "Called again."}))
	if alternates(d) != "PRI1:CER1 PHO1 AST1" {
		t.Errorf("undone: %s", alternates(d))
	}
	for _, step := range []func(string) (*school.Desk, error){
		func(reason string) (*school.Desk, error) { return h.Submit(ctx, office, mara, 0, reason) },
		func(reason string) (*school.Desk, error) { return h.Sign(ctx, office, mara, 0, nil, reason) },
	} {
		if got := code(step("")); got != "needs-reason" {
			t.Errorf("without a reason: %s", got)
		}
		h.must(step("On paper."))
	}
	d = h.look("ilse.quill")
	if list := d.Row.Signatures.V; d.Row.State != "signed" || len(list) != 1 || !list[0].ForFamily || list[0].Name != "Dagny Westerdale" {
		t.Errorf("signed for the family: %+v", d.Row)
	}
	if agreed := storetest.Value[string](t, h.db, `SELECT agreed || reason FROM signature`); agreed != `[]On paper.` {
		t.Errorf("agreed and reason: %s", agreed)
	}
	events, err := h.History(ctx, office, mara, 0)
	if err != nil || events[0].Reason != "On paper." || events[1].Reason != "On paper." || events[2].Reason != "Called again." || events[3].Reason != "The family called." || events[3].Who != "Dagny Westerdale" {
		t.Errorf("history: %+v", events)
	}
	// A guardian asks, now that nothing else is left to them.
	if d := h.must(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: "Please, not Drawing."})); d.Row.State != "signed" || d.Row.Asked == "" {
		t.Errorf("asked late: %+v", d.Row)
	}
}

// The least and the greatest mark are marks.
func TestMarksAtTheEnds(t *testing.T) {
	for _, mark := range []credit.Amount{0, 100 * credit.One} {
		t.Run(mark.String(), func(t *testing.T) {
			h := newHouse(t)
			d := h.must(h.Decide(t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "confirm", Claim: h.claim(), Course: "PHY1", SchoolYear: "2025-26", Mark: &mark, Reason: "Report seen."}))
			if record := d.Known.Records[len(d.Known.Records)-1]; !record.HasMark || record.Mark != mark {
				t.Errorf("it became %+v", record)
			}
		})
	}
}

func TestDecisionsThatAreNone(t *testing.T) {
	h := newHouse(t)
	claim := h.claim()
	bad, good := credit.Amount(10001), credit.Amount(10000)
	negative := credit.Amount(-1)
	h.db.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells) VALUES ('pellworth', 's0001', 90, 'claim', '', 'swim', 0, '', '', '{}')`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1`)
	named := storetest.Value[int64](t, h.db, `SELECT id FROM signal WHERE name = 'swim'`)
	foreign := storetest.Value[int64](t, h.db, `SELECT coalesce(max(id), 0) FROM signal WHERE student_id <> 's0001' AND kind = 'claim'`)
	for _, c := range []struct {
		d    school.Decision
		want string
	}{
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1"}, "needs-reason"},
		{school.Decision{Answer: "confirm", Claim: claim, Course: "NONE", Reason: "x"}, "no-such-course"},
		{school.Decision{Answer: "sing", Claim: claim, Course: "PHY1", Reason: "x"}, "bad-act"},
		{school.Decision{Answer: "confirm", Claim: claim + 1000, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{school.Decision{Answer: "confirm", Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{school.Decision{Answer: "decline", Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{school.Decision{Answer: "waive", Claim: claim + 1000, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{school.Decision{Answer: "decline", Claim: foreign, Course: "PHY1", Reason: "x"}, "no-such-claim"},
		{school.Decision{Answer: "confirm", Claim: named, Course: "PHY1", Reason: "x"}, "not-a-course"},
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &bad, Reason: "x"}, "bad-mark"},
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &negative, Reason: "x"}, "bad-mark"},
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Reason: "x"}, "bad-record"}, // nobody has said when
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", SchoolYear: "2028-29", Reason: "x"}, "bad-record"},
		{school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", SchoolYear: "2025-26", Credits: "many", Reason: "x"}, "bad-record"},
	} {
		if got := code(h.Decide(t.Context(), h.who("ms.arden"), mara, c.d)); got != c.want {
			t.Errorf("%+v gives %s, want %s", c.d, got, c.want)
		}
	}
	if h.history() != "" || len(h.look("ms.arden").Known.Claims) != 2 {
		t.Errorf("a refused decision left a trace: %s", h.history())
	}
	d := h.must(h.Decide(t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "decline", Claim: claim, Course: "PHY1", Reason: "No report."}))
	h.finish()
	if got := code(h.Submit(t.Context(), h.who("mara.quill"), mara, 0, "")); got != "not-ready" {
		t.Errorf("submitting with an unmet condition gives %s", got)
	}
	if len(d.Known.Claims) != 1 || len(d.Known.Records) != len(h.look("mara.quill").Known.Records) || d.Todo[len(d.Todo)-1].Waits() {
		t.Errorf("declined: %+v", d.Todo)
	}
	if x := d.Known.Declined; len(x) != 1 || x[0].ID != claim || x[0].Answer != "No report." || x[0].Decider != "Ms Arden" || x[0].Course != "ALG1" {
		t.Errorf("what is known of it: %+v", x)
	}
	if got := code(h.Decide(t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &good, Reason: "x"})); got != "no-such-claim" {
		t.Errorf("settling it twice gives %s", got)
	}
	d = h.must(h.Decide(t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "waive", Course: "PHY1", Reason: "By the head."}))
	waiver := d.Known.Signals[len(d.Known.Signals)-1]
	if waiver.Kind != "waiver" || waiver.Code != "PHY1" || waiver.By != "k1" || waiver.Note != "By the head." || d.Known.Said[len(d.Known.Said)-1] != "Ms Arden" {
		t.Errorf("the waiver is %+v", waiver)
	}
}

// A counselor decides on their own caseload, or on the whole school where the school says so; the rest they see.
func TestCounselorsReach(t *testing.T) {
	h := newHouse(t)
	other := storetest.Value[string](t, h.db, `SELECT student_id FROM relation WHERE kind = 'counsels' AND person_id <> 'k1' ORDER BY student_id LIMIT 1`)
	at := school.Place{School: mara.School, Year: mara.Year, Student: other}
	decide := func() string {
		return code(h.Decide(t.Context(), h.who("ms.arden"), at, school.Decision{Answer: "waive", Course: "PHY1", Reason: "x"}))
	}
	if got := code(h.Sheet(t.Context(), h.who("ms.arden"), at)); got != "inProgress" {
		t.Errorf("she sees %s", got)
	}
	if got := decide(); got != "forbidden" {
		t.Errorf("she decides on another's student: %s", got)
	}
	h.settings(`{"counselors": "school"}`)
	if got := decide(); got != "inProgress" {
		t.Errorf("where counselors reach the whole school: %s", got)
	}
}

// A sheet is not cleared on a confirmation that is taken back while it is being cleared.
func TestClearingRestsOnWhatIsCommitted(t *testing.T) {
	h := newHouse(t)
	h.finish()
	h.waive()
	h.submit()
	h.sign()
	stop := make(chan struct{})
	go func() {
		defer close(stop)
		for i := range 30 {
			kind := []string{"waiver", "score"}[i%2] // the waiver comes and goes
			h.db.Exec(t, `WITH s AS (UPDATE signal SET kind = $1 WHERE course_code = 'PHY1' AND kind IN ('waiver', 'score'))
				UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 's0001'`, kind)
		}
	}()
	second := h.second()
	for range 20 {
		_, _ = h.Clear(t.Context(), h.who("ms.arden"), mara, 0, "")
		_, _ = second.Clear(t.Context(), h.who("office"), mara, 0, "")
	}
	<-stop
	h.db.Exec(t, `UPDATE signal SET kind = 'score' WHERE course_code = 'PHY1' AND kind = 'waiver'`)
	h.db.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1, state = 'signed', cleared_at = NULL WHERE student_id = 's0001'`)
	if got := code(second.Clear(t.Context(), h.who("ms.arden"), mara, 0, "")); got != "not-ready" {
		t.Errorf("clearing without the waiver gives %s", got)
	}
	if d := h.must(second.Sheet(t.Context(), h.who("ms.arden"), mara)); d.Ready {
		t.Error("the other server still has the waiver")
	}
}

func TestSettingsOfSigning(t *testing.T) {
	t.Run("none", func(t *testing.T) {
		h := newHouse(t)
		h.settings(`{"signing": "none"}`)
		h.finish()
		if d := h.submit(); d.Row.State != "signed" {
			t.Errorf("submitted it is %s", d.Row.State)
		}
		if got := code(h.Sign(t.Context(), h.who("ilse.quill"), mara, 0, fees, "")); got != "not-needed" {
			t.Errorf("signing gives %s", got)
		}
	})
	t.Run("all", func(t *testing.T) {
		h := newHouse(t)
		h.settings(`{"signing": "all"}`)
		h.db.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) SELECT 'pellworth', 'guards', person_id, 's0001', 'office' FROM relation
			WHERE kind = 'guards' AND student_id <> 's0001' AND person_id <> (SELECT person_id FROM relation WHERE kind = 'guards' AND student_id = 's0001') LIMIT 1`)
		h.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
		second := storetest.Value[string](t, h.db, `SELECT p.username FROM relation r JOIN person p ON p.id = r.person_id WHERE r.source = 'office'`)
		h.finish()
		h.submit()
		if d := h.sign(); d.Row.State != "submitted" || len(d.Row.Signatures.V) != 1 || d.Acts[acts.Sign].Why != acts.AlreadyDone {
			t.Errorf("after the first signature: %+v", d.Row)
		}
		if d := h.must(h.Sign(t.Context(), h.who(second), mara, 0, fees, "")); d.Row.State != "signed" || len(d.Row.Signatures.V) != 2 {
			t.Errorf("after the second: %+v", d.Row)
		}
	})
	t.Run("no paper", func(t *testing.T) {
		h := newHouse(t)
		h.settings(`{"paper": false}`)
		h.finish()
		h.submit()
		if got := code(h.Sign(t.Context(), h.who("office"), mara, 0, nil, "On paper.")); got != "no-paper" {
			t.Errorf("recording paper gives %s", got)
		}
	})
}

func TestSettingsOfTheLook(t *testing.T) {
	t.Run("before", func(t *testing.T) {
		h := newHouse(t)
		h.settings(`{"look": "before"}`)
		h.waive()
		if got := code(h.Look(t.Context(), h.who("ms.arden"), mara, 0)); got != "not-ready" {
			t.Errorf("agreeing to an unfinished sheet gives %s", got)
		}
		h.finish()
		if got := code(h.Submit(t.Context(), h.who("mara.quill"), mara, 0, "")); got != "not-looked-at" {
			t.Errorf("submitting without a look gives %s", got)
		}
		if d := h.must(h.Look(t.Context(), h.who("ms.arden"), mara, 0)); d.Row.Looked == nil || d.Acts[acts.Look].Why != acts.AlreadyDone {
			t.Errorf("looked: %+v", d.Acts[acts.Look])
		}
		h.edit(school.Edit{Act: "alternate", Course: "DRW1"})
		if got := code(h.Submit(t.Context(), h.who("mara.quill"), mara, 0, "")); got != "not-looked-at" {
			t.Errorf("submitting something else gives %s", got)
		}
		h.edit(school.Edit{Act: "undo"})
		if d := h.submit(); d.Row.State != "submitted" {
			t.Errorf("submitted: %s", d.Row.State)
		}
		if d := h.sign(); d.Row.State != "cleared" || d.Row.ClearedAt == nil {
			t.Errorf("signed: %s", d.Row.State)
		}
	})
	t.Run("none", func(t *testing.T) {
		h := newHouse(t)
		h.settings(`{"look": "none", "signing": "none"}`)
		h.finish()
		if d := h.submit(); d.Row.State != "signed" { // a claim is still open
			t.Errorf("submitted: %s", d.Row.State)
		}
		h.waive()
		h.edit(school.Edit{Act: "alternate", Course: "DRW1"})
		if d := h.submit(); d.Row.State != "cleared" {
			t.Errorf("submitted again: %s", d.Row.State)
		}
	})
}

func TestSettingsOfEditing(t *testing.T) {
	h := newHouse(t)
	h.settings(`{"editors": "family", "belowMinimum": "note"}`)
	h.refuses(school.Edit{Act: "alternate", Course: "DRW1"}, "forbidden")
	edit := school.Edit{Version: h.look("ilse.quill").Row.Version, Act: "alternate", Course: "DRW1"}
	if d := h.must(h.Change(t.Context(), h.who("ilse.quill"), mara, edit)); alternates(d) != "PRI1:CER1 DRW1" {
		t.Errorf("her guardian's change: %s", alternates(d))
	}
	// Below the minimum is noted, and does not hold the sheet up.
	if d := h.must(h.Submit(t.Context(), h.who("ilse.quill"), mara, 0, "")); d.Row.State != "submitted" || d.Ready {
		t.Errorf("submitted below the minimum: %+v", d.Row)
	}
	h.settings(`{"editors": "either", "late": "no"}`)
	h.edit(school.Edit{Act: "alternate", Course: "PHO1"})
	h.at(storetest.Now.AddDate(0, 0, 11))
	if got := code(h.RequestChange(t.Context(), h.who("ilse.quill"), mara, school.ChangeRequest{Message: "Please."})); got != "window-closed" {
		t.Errorf("asking late gives %s", got)
	}
}

// Windows: the student's own comes before the grade's, and that before everybody's.
func TestWhoseWindow(t *testing.T) {
	h := newHouse(t)
	set := func(w school.Window) {
		t.Helper()
		w.Families, w.Counselors = w.Opens.AddDate(0, 0, 1), w.Opens.AddDate(0, 0, 2)
		if err := h.SetWindow(t.Context(), mara.School, mara.Year, w); err != nil {
			t.Fatal(err)
		}
	}
	day := func(n int) time.Time { return storetest.Now.AddDate(0, 0, n) }
	for _, c := range []struct {
		w    school.Window
		want time.Time
	}{
		{school.Window{Grade: -1, Opens: day(1)}, day(1)},
		{school.Window{Grade: 11, Opens: day(2)}, day(1)},
		{school.Window{Grade: 10, Opens: day(3)}, day(3)},
		{school.Window{Grade: -1, Student: "s0002", Opens: day(4)}, day(3)},
		{school.Window{Grade: -1, Student: "s0001", Opens: day(5)}, day(5)},
		{school.Window{Grade: -1, Student: "s0001", Opens: day(6)}, day(6)},
	} {
		set(c.w)
		if got := h.look("mara.quill").Window().Opens; !got.Equal(c.want) {
			t.Errorf("after %+v it opens %v, want %v", c.w, got, c.want)
		}
		if got := *h.line().Opens; !got.Equal(c.want) {
			t.Errorf("in the caseload, after %+v it opens %v, want %v", c.w, got, c.want)
		}
	}
	for name, w := range map[string]school.Window{
		"closes before it opens":           {Grade: -1, Opens: day(2), Families: day(1), Counselors: day(3)},
		"closes when it opens":             {Grade: -1, Opens: day(2), Families: day(2), Counselors: day(3)},
		"closes for counselors before all": {Grade: -1, Opens: day(1), Families: day(3), Counselors: day(2)},
		"of a grade and a student":         {Grade: 10, Student: "s0001", Opens: day(1), Families: day(2), Counselors: day(3)},
	} {
		if err := h.SetWindow(t.Context(), mara.School, mara.Year, w); school.CodeOf(err) != school.BadWindow {
			t.Errorf("a window that %s gives %v", name, err)
		}
	}
	if err := h.SetWindow(t.Context(), mara.School, 2020, school.Window{Grade: -1, Opens: day(1), Families: day(2), Counselors: day(3)}); school.CodeOf(err) != school.NotFound {
		t.Errorf("a window of no year: %v", err)
	}
	if err := h.SetWindow(t.Context(), mara.School, mara.Year, school.Window{Grade: -1, Opens: day(1), Families: day(2), Counselors: day(2)}); err != nil {
		t.Errorf("a window that closes for all at once: %v", err)
	}
}

// An errand is ticked off by whoever decides, with a reason; that is taken back by an act that is kept too, and neither by the family.
func TestAnErrandIsTickedOff(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	counselor := h.who("ms.arden")
	settled := func() (done, there bool) {
		d := h.look("mara.quill")
		for _, r := range d.Known.Errands(&d.Sheet) {
			if d.Year.Codes[r.Course] == "CER1" && d.Year.Errands[r.Errand].Kind == "form" {
				return r.Settled, true
			}
		}
		return false, false
	}
	form := school.Settling{Course: "CER1", Kind: "form", Done: true, Reason: " Seen on paper. "}
	if done, there := settled(); done || !there {
		t.Fatalf("at the beginning: %v, %v", done, there)
	}
	if got := code(h.SettleErrand(ctx, h.who("mara.quill"), mara, form)); got != "forbidden" {
		t.Errorf("the student gets %s", got)
	}
	if got := code(h.SettleErrand(ctx, counselor, mara, school.Settling{Course: "CER1", Kind: "form", Done: true})); got != "needs-reason" {
		t.Errorf("without a reason: %s", got)
	}
	for _, x := range []school.Settling{{Course: "CER1", Kind: "audition", Done: true, Reason: "x"}, {Course: "TID1", Kind: "form", Done: true, Reason: "x"}} {
		if got := code(h.SettleErrand(ctx, counselor, mara, x)); got != "not-on-sheet" {
			t.Errorf("%+v gives %s", x, got)
		}
	}
	h.must(h.SettleErrand(ctx, counselor, mara, form))
	if done, _ := settled(); !done {
		t.Error("it is not ticked off")
	}
	if got := code(h.SettleErrand(ctx, counselor, mara, form)); got != "already-done" {
		t.Errorf("twice: %s", got)
	}
	form.Done = false
	h.must(h.SettleErrand(ctx, counselor, mara, form))
	if done, _ := settled(); done {
		t.Error("it is still ticked off")
	}
	if got := code(h.SettleErrand(ctx, counselor, mara, school.Settling{Course: "ROW1", Kind: "test", Reason: "x"})); got != "not-settled-here" {
		t.Errorf("what is settled by a score: %s", got)
	}
	if list, err := h.History(ctx, counselor, mara, 0); err != nil || len(list) < 2 || list[0].Kind != "errandOpen" || list[1].Kind != "errandDone" || list[1].Reason != "Seen on paper." {
		t.Errorf("what happened: %+v, %v", list, err)
	}
}
