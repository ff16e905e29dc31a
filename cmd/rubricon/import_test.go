package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// rubricon import says what it adds, changes and removes; it removes much only where that number is given, and leaves what an absent file would describe.
func TestImportSaysWhatGoes(t *testing.T) {
	db := testdb.New(t)
	t.Setenv("RUBRICON_DATABASE", db.URL)
	files, _, err := testdb.Service(db.Open(t)).Imports.Export(t.Context(), demo.SchoolID, testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	if err := bundle.Write(dir, files); err != nil {
		t.Fatal(err)
	}
	const none = "0 students, 0 guardians, 0 staff, 0 courses, 0 sections, 0 enrollments, 0 records, 0 requests"
	if out, said, code := run(t, "import", dir); code != 0 || !strings.HasSuffix(out, "\nadded "+none+"; changed "+none+"; removed "+none+"\n") {
		t.Fatalf("untouched: %d\n%s%s", code, out, said)
	}
	for _, name := range bundle.Names() {
		if name != "records.csv" {
			if err := os.RemoveAll(filepath.Join(dir, name)); err != nil {
				t.Fatal(err)
			}
		}
	}
	text, err := os.ReadFile(filepath.Join(dir, "records.csv"))
	if err != nil {
		t.Fatal(err)
	}
	header, _, _ := strings.Cut(string(text), "\n")
	if err := os.WriteFile(filepath.Join(dir, "records.csv"), []byte(header+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	records := func() int { return testdb.Value[int](t, db, `SELECT count(*) FROM record`) }
	there := records()
	counts := fmt.Sprintf("added %s; changed %s; removed %s", none, none, strings.Replace(none, "0 records", fmt.Sprint(there, " records"), 1))
	for _, n := range []int{0, there - 1} {
		if out, said, code := run(t, "import", dir, "--removals", fmt.Sprint(n)); code != 3 || out != "" || said != "would "+counts+"\n" || records() != there {
			t.Errorf("with %d: %d, %d of %d records\n%s%s", n, code, records(), there, out, said)
		}
	}
	if out, said, code := run(t, "import", dir, "--removals", fmt.Sprint(there)); code != 0 || !strings.HasSuffix(out, "\n"+counts+"\n") || records() != 0 {
		t.Errorf("with %d: %d, %d records\n%s%s", there, code, records(), out, said)
	}
	if people := testdb.Value[int](t, db, `SELECT count(*) FROM person WHERE NOT present`); people != 0 {
		t.Errorf("%d people are gone", people)
	}
}
