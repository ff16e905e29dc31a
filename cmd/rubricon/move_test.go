package main

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"rubricon/app"
	"rubricon/app/account"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// A school that moves is the same in the other database: its export to the byte, its history, its people, who are one with their namesakes there only where the operator says so; here nothing of it stays.
func TestMovingASchool(t *testing.T) {
	from, to := testdb.New(t), testdb.Empty(t)
	here, there := testdb.Service(from.Open(t)), testdb.Service(to.Open(t))
	tarn, err := bundle.ReadFiles(demo.Tarn(testdb.Files(), 7)) // Mara's brother is in the other school, with the same mother
	if err != nil {
		t.Fatal(err)
	}
	if _, err := there.Imports.Import(t.Context(), tarn, 0); err != nil {
		t.Fatal(err)
	}
	mara := schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}
	change := func(cases *app.App, who int64, course string) {
		t.Helper()
		desk, err := cases.Sheet.Sheet(t.Context(), who, mara)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := cases.Sheet.Change(t.Context(), who, mara, appsheet.Edit{Act: "request", Course: course, Version: desk.Row.Version}); err != nil {
			t.Fatal(err)
		}
	}
	change(here, from.Account(t, "mara.quill"), "CHO1")
	looks := func(cases *app.App, db testdb.Database) string {
		t.Helper()
		files, _, err := cases.Imports.Export(t.Context(), demo.SchoolID, 0)
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := bundle.WriteZip(&out, files); err != nil {
			t.Fatal(err)
		}
		return out.String() + testdb.Value[string](t, db, `SELECT string_agg(e::text, '' ORDER BY version) FROM event e WHERE school_id = 'pellworth' AND student_id = 's0001'`)
	}
	before, windows := looks(here, from), testdb.Value[int](t, from, `SELECT count(*) FROM request_window`)
	t.Setenv("RUBRICON_OWNER_DATABASE", from.Owner)
	if err := do(t, "move", demo.SchoolID); err == nil || !strings.Contains(err.Error(), "RUBRICON_TARGET_DATABASE") {
		t.Errorf("to nowhere: %v", err)
	}
	t.Setenv("RUBRICON_TARGET_DATABASE", to.Owner)
	for _, x := range []struct {
		name, school, said string
		first, then        string
	}{
		{"no such school", "nowhere", `there is no school "nowhere"`, `SELECT 1`, `SELECT 1`},
		{"namesakes", demo.SchoolID, "add --same-people", `SELECT 1`, `SELECT 1`},
		{"a task runs", demo.SchoolID, "a task of the school waits or runs", `INSERT INTO task (school_id, year, kind, name, by_name, made_at) VALUES ('pellworth', 2027, 'export', 'x', 'x', now())`, `DELETE FROM task`},
		{"another version", demo.SchoolID, "of different versions", `INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, true)`, `DELETE FROM goose_db_version WHERE version_id = 99`},
	} {
		from.Exec(t, x.first)
		if err := do(t, "move", x.school); err == nil || !strings.Contains(err.Error(), x.said) {
			t.Errorf("%s: %v", x.name, err)
		}
		from.Exec(t, x.then)
	}
	if looks(here, from) != before || testdb.Value[int](t, to, `SELECT count(*) FROM school`) != 1 {
		t.Error("what was refused has changed something")
	}
	// Someone changes something while it is copied: nothing moves.
	holds, err := pgx.Connect(t.Context(), to.Owner)
	if err != nil {
		t.Fatal(err)
	}
	defer holds.Close(context.Background())
	if _, err := holds.Exec(t.Context(), `BEGIN; LOCK TABLE event`); err != nil {
		t.Fatal(err)
	}
	moved := make(chan error, 1)
	go func() { moved <- do(t, "move", demo.SchoolID, "--same-people") }()
	for waits := 0; waits == 0; {
		waits = testdb.Value[int](t, to, `SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`)
	}
	change(here, from.Account(t, "mara.quill"), "PHO1")
	if _, err := holds.Exec(t.Context(), `ROLLBACK`); err != nil {
		t.Fatal(err)
	}
	if err := <-moved; err == nil || !strings.Contains(err.Error(), "was something changed meanwhile? try again") {
		t.Errorf("changed meanwhile: %v", err)
	}
	if got := testdb.Value[int](t, to, `SELECT count(*) FROM school`); got != 1 {
		t.Errorf("changed meanwhile: %d schools are there", got)
	}
	before = looks(here, from)
	if err := do(t, "move", demo.SchoolID, "--same-people"); err != nil {
		t.Fatal(err)
	}
	if looks(there, to) != before {
		t.Error("the school is another one there")
	}
	if got := testdb.Value[int](t, to, `SELECT count(*) FROM request_window`); got != windows {
		t.Errorf("%d windows", got)
	}
	if _, _, err := here.Imports.Export(t.Context(), demo.SchoolID, 0); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("here it is still: %v", err)
	}
	if got := testdb.Value[int](t, from, `SELECT (SELECT count(*) FROM sheet) + (SELECT count(*) FROM event) + (SELECT count(*) FROM person) + (SELECT count(*) FROM account)`); got != 0 {
		t.Errorf("%d rows of it are left here", got)
	}
	// People sign in, are who they were, and go on; who was there already is one with who has come.
	in, err := there.Account.SignIn(t.Context(), "mara.quill", demo.Password, account.Client{Address: "192.0.2.1"})
	if err != nil {
		t.Fatal(err)
	}
	change(there, in.Account, "AST1")
	me, err := there.Account.Me(t.Context(), to.Account(t, "ilse.quill"))
	if err != nil || len(me.Persons) != 2 {
		t.Errorf("Ilse is %+v, %v", me, err)
	}
	if err := do(t, "move", demo.SchoolID); err == nil || !strings.Contains(err.Error(), "there is no school") {
		t.Errorf("once more: %v", err)
	}
}
