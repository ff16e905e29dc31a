package school_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"rubricon/school"
	"rubricon/store/storetest"
)

// The staff alone have passkeys, a bounded number, each with a name; who has one is asked for it, and where a school wants one of its staff, who has none is to
// make one. The office takes lost ones away with a reason, which ends all sessions, and only where it answers for all that the account leads to.
func TestPasskeys(t *testing.T) {
	h := newHouse(t)
	ctx, arden, office, ilse := t.Context(), h.who("ms.arden"), h.who("office"), h.who("ilse.quill")
	second := func(username string) school.Second {
		t.Helper()
		out, err := h.Second(ctx, h.who(username))
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	add := func(by int64, id, name string) school.Code {
		return school.CodeOf(h.AddPasskey(ctx, by, school.Passkey{ID: id, Name: name, Credential: json.RawMessage(`{"id":"x"}`)}))
	}
	if got := second("ms.arden"); got != school.NoSecond {
		t.Errorf("by itself: %q", got)
	}
	if err := h.SetSecond(ctx, arden, mara.School, mara.Year, true, "x"); school.CodeOf(err) != "forbidden" {
		t.Errorf("a counselor asks for a second step: %v", err)
	}
	if err := h.SetSecond(ctx, office, mara.School, mara.Year, true, "The board wants it."); err != nil {
		t.Fatal(err)
	}
	for username, want := range map[string]school.Second{"ms.arden": school.MakeOne, "office": school.MakeOne, "ilse.quill": school.NoSecond, "mara.quill": school.NoSecond} {
		if got := second(username); got != want {
			t.Errorf("%s: %q, want %q", username, got, want)
		}
	}
	if got := add(ilse, "k", "mine"); got != "forbidden" {
		t.Errorf("a guardian makes one: %s", got)
	}
	if got := add(arden, "k", " "); got != school.NeedsName {
		t.Errorf("without a name: %s", got)
	}
	for n := range 10 {
		if got := add(arden, fmt.Sprint("k", n), "mine"); got != "" {
			t.Fatal(got)
		}
	}
	if got := add(arden, "k10", "mine"); got != school.AtLimit {
		t.Errorf("an eleventh: %s", got)
	}
	if got := second("ms.arden"); got != school.AskPasskey {
		t.Errorf("with one: %q", got)
	}
	if err := h.DropPasskey(ctx, office, "k0"); school.CodeOf(err) != school.NotFound {
		t.Errorf("somebody else's: %v", err)
	}
	if err := h.DropPasskey(ctx, arden, "k0"); err != nil {
		t.Error(err)
	}
	for range 20 {
		if err := h.TryPasskey(ctx, arden); school.CodeOf(err) == school.TooMany {
			break
		}
	}
	if err := h.TryPasskey(ctx, arden); school.CodeOf(err) != school.TooMany {
		t.Errorf("answering again and again: %v", err)
	}

	person := storetest.Value[string](t, h.db, `SELECT p.id FROM person p JOIN account a ON a.id = p.account_id WHERE a.username = 'ms.arden'`)
	forget := func(by int64, person, reason string) school.Code {
		return school.CodeOf(h.ForgetPasskeys(ctx, by, mara.School, mara.Year, person, reason))
	}
	for what, c := range map[string][2]any{"by a counselor": {forget(arden, person, "x"), school.Code("forbidden")}, "without a reason": {forget(office, person, " "), school.NeedsReason},
		"of nobody": {forget(office, "nobody", "x"), school.NotFound}, "of somebody who has none": {forget(office, "g0001", "x"), school.NotFound}} {
		if c[0] != c[1] {
			t.Errorf("taking them away %s: %v, want %v", what, c[0], c[1])
		}
	}
	h.db.Exec(t, `INSERT INTO session (token, account_id, data, expiry) SELECT 'x', id, '', now() + interval '1 day' FROM account WHERE username = 'ms.arden'`)
	if got := forget(office, person, "A new computer."); got != "" {
		t.Fatal(got)
	}
	if n := storetest.Value[int](t, h.db, `SELECT count(*) FROM session s JOIN account a ON a.id = s.account_id WHERE a.username = 'ms.arden'`); n != 0 {
		t.Errorf("%d sessions go on", n)
	}
	if got := second("ms.arden"); got != school.MakeOne {
		t.Errorf("without any again: %q", got)
	}
	list, err := h.OfficeActs(ctx, office, mara.School, mara.Year, 0)
	if err != nil || len(list) < 2 || list[0].Kind != "passkeys" || list[0].Reason != "A new computer." || list[1].Kind != "second" {
		t.Errorf("what the office did: %+v, %v", list, err)
	}
	add(arden, "k", "mine")
	h.db.Exec(t, `INSERT INTO school (id, name) VALUES ('elsewhere', 'Elsewhere')`)
	h.db.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells) SELECT 'elsewhere', 'k9', 1, 'aide', true, 'x', id, 'Ms', 'Arden', '{}' FROM account WHERE username = 'ms.arden'`)
	if got := forget(office, person, "x"); got != school.Elsewhere {
		t.Errorf("whose account leads to another school: %s", got)
	}
}
