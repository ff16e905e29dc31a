package account_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"rubricon/app/account"
	"rubricon/app/problem"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// The staff alone have passkeys, a bounded number, each with a name; who has one is asked for it, and where a school wants one of its staff, who has none is to
// make one. The office takes lost ones away with a reason, which ends all sessions, and only where it answers for all that the account leads to.
func TestPasskeys(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, arden, office, ilse := t.Context(), h.Who("ms.arden"), h.Who("office"), h.Who("ilse.quill")
	second := func(username string) account.Second {
		t.Helper()
		out, err := h.Account.Second(ctx, h.Who(username))
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	add := func(by int64, id, name string) problem.Code {
		return problem.CodeOf(h.Account.AddPasskey(ctx, by, account.Passkey{ID: id, Name: name, Credential: json.RawMessage(`{"id":"x"}`)}))
	}
	if got := second("ms.arden"); got != account.NoSecond {
		t.Errorf("by itself: %q", got)
	}
	if err := h.Account.SetSecond(ctx, arden, apptest.Mara.School, apptest.Mara.Year, true, "x"); problem.CodeOf(err) != "forbidden" {
		t.Errorf("a counselor asks for a second step: %v", err)
	}
	if err := h.Account.SetSecond(ctx, office, apptest.Mara.School, apptest.Mara.Year, true, "The board wants it."); err != nil {
		t.Fatal(err)
	}
	for username, want := range map[string]account.Second{"ms.arden": account.MakeOne, "office": account.MakeOne, "ilse.quill": account.NoSecond, "mara.quill": account.NoSecond} {
		if got := second(username); got != want {
			t.Errorf("%s: %q, want %q", username, got, want)
		}
	}
	if got := add(ilse, "k", "mine"); got != "forbidden" {
		t.Errorf("a guardian makes one: %s", got)
	}
	if got := add(arden, "k", " "); got != problem.NeedsName {
		t.Errorf("without a name: %s", got)
	}
	for n := range 10 {
		if got := add(arden, fmt.Sprint("k", n), "mine"); got != "" {
			t.Fatal(got)
		}
	}
	if got := add(arden, "k10", "mine"); got != problem.AtLimit {
		t.Errorf("an eleventh: %s", got)
	}
	if got := second("ms.arden"); got != account.AskPasskey {
		t.Errorf("with one: %q", got)
	}
	if err := h.Account.DropPasskey(ctx, office, "k0"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("somebody else's: %v", err)
	}
	if err := h.Account.DropPasskey(ctx, arden, "k0"); err != nil {
		t.Error(err)
	}
	for range 20 {
		if err := h.Account.TryPasskey(ctx, arden); problem.CodeOf(err) == problem.TooMany {
			break
		}
	}
	if err := h.Account.TryPasskey(ctx, arden); problem.CodeOf(err) != problem.TooMany {
		t.Errorf("answering again and again: %v", err)
	}

	person := testdb.Value[string](t, h.DB, `SELECT p.id FROM person p JOIN account a ON a.id = p.account_id WHERE a.username = 'ms.arden'`)
	forget := func(by int64, person, reason string) problem.Code {
		return problem.CodeOf(h.Account.ForgetPasskeys(ctx, by, apptest.Mara.School, apptest.Mara.Year, person, reason))
	}
	for what, c := range map[string][2]any{"by a counselor": {forget(arden, person, "x"), problem.Code("forbidden")}, "without a reason": {forget(office, person, " "), problem.NeedsReason},
		"of nobody": {forget(office, "nobody", "x"), problem.NotFound}, "of somebody who has none": {forget(office, "g0001", "x"), problem.NotFound}} {
		if c[0] != c[1] {
			t.Errorf("taking them away %s: %v, want %v", what, c[0], c[1])
		}
	}
	h.DB.Exec(t, `INSERT INTO session (token, account_id, data, expiry) SELECT 'x', id, '', now() + interval '1 day' FROM account WHERE username = 'ms.arden'`)
	if got := forget(office, person, "A new computer."); got != "" {
		t.Fatal(got)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM session s JOIN account a ON a.id = s.account_id WHERE a.username = 'ms.arden'`); n != 0 {
		t.Errorf("%d sessions go on", n)
	}
	if got := second("ms.arden"); got != account.MakeOne {
		t.Errorf("without any again: %q", got)
	}
	list, err := h.Office.OfficeActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0)
	if err != nil || len(list) < 2 || list[0].Kind != "passkeys" || list[0].Reason != "A new computer." || list[1].Kind != "second" {
		t.Errorf("what the office did: %+v, %v", list, err)
	}
	add(arden, "k", "mine")
	h.DB.Exec(t, `INSERT INTO school (id, name) VALUES ('elsewhere', 'Elsewhere')`)
	h.DB.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells) SELECT 'elsewhere', 'k9', 1, 'aide', true, 'x', id, 'Ms', 'Arden', '{}' FROM account WHERE username = 'ms.arden'`)
	if got := forget(office, person, "x"); got != problem.Elsewhere {
		t.Errorf("whose account leads to another school: %s", got)
	}
}
