package main

import (
	"bytes"
	"strings"
	"testing"

	"rubricon/internal/testdb"
)

// Without --do nothing is taken away; what is meant is said before.
func TestErase(t *testing.T) {
	db := testdb.New(t)
	t.Setenv("RUBRICON_OWNER_DATABASE", db.Owner)
	db.Exec(t, `UPDATE person SET present = false, gone_at = now() - interval '3 years' WHERE id = 's0005'`)
	erase := func(args ...string) (string, error) {
		cmd := eraseCommand()
		var out bytes.Buffer
		cmd.SetOut(&out)
		cmd.SetArgs(args)
		cmd.SilenceErrors, cmd.SilenceUsage = true, true
		err := cmd.ExecuteContext(t.Context())
		return out.String(), err
	}
	if _, err := erase("pellworth", "--after", "0", "--do"); err == nil {
		t.Error("nobody's data may be kept at all")
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"pellworth", "--after", "48"}, "0 people left pellworth before "},
		{[]string{"pellworth"}, "1 people left pellworth before "},
		{[]string{"elsewhere", "--do"}, "All that was kept about 0 people"},
		{[]string{"pellworth", "--do"}, "All that was kept about 1 people"},
		{[]string{"pellworth", "--do"}, "All that was kept about 0 people"},
	} {
		got, err := erase(c.args...)
		if err != nil || !strings.HasPrefix(got, c.want) {
			t.Errorf("%v: %v %s", c.args, err, got)
		}
		if n := testdb.Value[int](t, db, `SELECT count(*) FROM sheet WHERE student_id = 's0005'`); n == 0 && len(c.args) > 1 && c.args[0] == "pellworth" && c.args[1] != "--do" || n == 0 && len(c.args) == 1 {
			t.Errorf("%v takes away", c.args)
		}
	}
	if n := testdb.Value[int](t, db, `SELECT count(*) FROM sheet WHERE student_id = 's0005'`); n != 0 {
		t.Error("the sheet is there")
	}
}
