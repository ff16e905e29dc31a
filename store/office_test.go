package store_test

import (
	"testing"

	"rubricon/internal/testdb"
	"rubricon/store"
)

// A code takes the place of one that was not used, and of no password that someone has chosen, also where they have done so since it was looked.
func TestCodesReplaceNoPassword(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	q := d.Open(t).Queries()
	account := testdb.Value[int64](t, d, `SELECT id FROM account WHERE username = 'mara.quill'`)
	set := func() []int64 {
		t.Helper()
		list, err := q.Office.SetCodes(t.Context(), "pellworth", []store.HashRow{{Account: account, Hash: "other"}}, "10", "The office", testdb.Now)
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	hash := func() string {
		return testdb.Value[string](t, d, `SELECT hash FROM account_password p JOIN account a ON a.id = p.account_id WHERE a.username = 'mara.quill'`)
	}
	if list := set(); len(list) != 0 || hash() == "other" {
		t.Errorf("a password that was chosen is replaced: %v", list)
	}
	d.Exec(t, `UPDATE account_password SET once = true`)
	if list := set(); len(list) != 1 || hash() != "other" {
		t.Errorf("a code is not replaced: %v", list)
	}
}
