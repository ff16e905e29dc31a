package main

import (
	"net/url"
	"strings"
	"testing"

	"rubricon/app"
	"rubricon/app/account"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// The operator lets in an administrator who is locked out: with an address for one sign-in, of which the office reads.
func TestLettingIn(t *testing.T) {
	db := testdb.New(t)
	t.Setenv("RUBRICON_DATABASE", db.URL)
	db.Exec(t, `DELETE FROM account_password WHERE account_id = (SELECT id FROM account WHERE username = 'office')`)
	for _, args := range [][]string{{"let-in", demo.SchoolID, "nobody"}, {"let-in", "nowhere", "office"}, {"let-in", demo.SchoolID, "office", "--address", "courses"}} {
		if out, _, code := run(t, args...); code != exitWrongUse || out != "" {
			t.Errorf("%v: %d, %q", args, code, out)
		}
	}
	out, _, code := run(t, "let-in", demo.SchoolID, "office", "--address", "https://courses.example.org")
	address, err := url.Parse(strings.TrimSpace(out))
	if code != 0 || err != nil || address.Host != "courses.example.org" || address.Path != "/" || address.RawQuery != "" {
		t.Fatalf("%d, %q, %v", code, out, err)
	}
	with, err := url.ParseQuery(address.Fragment)
	if err != nil {
		t.Fatal(err)
	}
	cases := app.New(db.Open(t), app.Options{Log: testdb.Quiet}) // by the clock of the command
	in, err := cases.Account.SignIn(t.Context(), with.Get("username"), with.Get("code"), account.Client{})
	if err != nil || !in.Once {
		t.Errorf("signing in: %+v, %v", in, err)
	}
	if n := testdb.Value[int](t, db, `SELECT count(*) FROM office_event WHERE kind = 'code' AND by_name = 'rubricon let-in'`); n != 1 {
		t.Errorf("it is noted %d times", n)
	}
	// Passkeys stay unless they are lost too.
	db.Exec(t, `INSERT INTO account_passkey (account_id, id, name, credential, made_at) SELECT id, 'lost', 'A key', '{}', now() FROM account WHERE username = 'office'`)
	for _, c := range []struct {
		args []string
		want int
	}{{nil, 1}, {[]string{"--forget-passkeys"}, 0}} {
		if _, _, code := run(t, append([]string{"let-in", demo.SchoolID, "office"}, c.args...)...); code != 0 {
			t.Errorf("%v: %d", c.args, code)
		}
		if n := testdb.Value[int](t, db, `SELECT count(*) FROM account_passkey`); n != c.want {
			t.Errorf("%v: %d passkeys are left, want %d", c.args, n, c.want)
		}
	}
}
