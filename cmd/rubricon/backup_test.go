package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rubricon/app"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/store"
)

// A backup that is restored into an empty database is the same school: its export is the same to the byte, what has happened is there, and people sign in. Where something is in the way, nothing is
// overwritten.
func TestABackupIsRestored(t *testing.T) {
	db := testdb.New(t)
	cases := testdb.Service(db.Open(t))
	mara := schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}
	who := db.Account(t, "mara.quill")
	desk, err := cases.Sheet.Sheet(t.Context(), who, mara)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := cases.Sheet.Change(t.Context(), who, mara, appsheet.Edit{Act: "request", Course: "CHO1", Version: desk.Row.Version}); err != nil {
		t.Fatal(err)
	}
	export := func(cases *app.App) []byte {
		files, _, err := cases.Imports.Export(t.Context(), demo.SchoolID, 0)
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := bundle.WriteZip(&out, files); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	name := filepath.Join(t.TempDir(), "kept")
	t.Setenv("RUBRICON_OWNER_DATABASE", db.Owner)
	if err := do(t, "backup", name); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(name); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("who may read it: %v %v", info.Mode(), err)
	}
	if err := do(t, "backup", name); err == nil || !strings.Contains(err.Error(), "is there already") {
		t.Errorf("over another: %v", err)
	}
	if err := do(t, "restore", name); err == nil || !strings.Contains(err.Error(), "a backup is restored into an empty one") {
		t.Errorf("over a database: %v", err)
	}
	into := testdb.Bare(t)
	t.Setenv("RUBRICON_OWNER_DATABASE", into.Owner)
	broken := filepath.Join(t.TempDir(), "broken")
	text, _ := os.ReadFile(name)
	if err := os.WriteFile(broken, text[:len(text)*2/3], 0o600); err != nil {
		t.Fatal(err)
	}
	if err := do(t, "restore", broken); err == nil || testdb.Value[int](t, into, `SELECT count(*) FROM pg_tables WHERE schemaname = 'public'`) != 0 {
		t.Errorf("half a backup: %v", err)
	}
	if err := do(t, "restore", name); err != nil {
		t.Fatal(err)
	}
	restored, err := store.Open(t.Context(), into.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(restored.Close)
	again := testdb.Service(restored)
	if !bytes.Equal(export(cases), export(again)) {
		t.Error("the export is another")
	}
	const acts = `SELECT string_agg(to_jsonb(e)::text, ', ' ORDER BY version) FROM event e WHERE student_id = 's0001'`
	if a, b := testdb.Value[string](t, db, acts), testdb.Value[string](t, into, acts); a != b || a == "" {
		t.Errorf("what has happened: %s; %s", a, b)
	}
	if _, err := again.Sheet.Sheet(t.Context(), into.Account(t, "mara.quill"), mara); err != nil {
		t.Errorf("the student's sheet: %v", err)
	}
}

func do(t *testing.T, args ...string) error {
	t.Helper()
	for _, cmd := range commands() {
		if cmd.Name() == args[0] {
			cmd.SetArgs(args[1:])
			cmd.SetOut(&bytes.Buffer{})
			cmd.SilenceErrors, cmd.SilenceUsage = true, true
			return cmd.ExecuteContext(t.Context())
		}
	}
	t.Fatalf("no command %s", args[0])
	return nil
}
