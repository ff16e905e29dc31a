package store_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/store"
	"rubricon/store/local"
)

// What reads much is read from a database that follows, once it has all that was committed; where it has not, or is gone, all is read here.
func TestReadingFromAReplica(t *testing.T) {
	testdb.Parallel(t)
	ctx := t.Context()
	dir, err := os.MkdirTemp("", "rubricon-replica")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil { // the user postgres must reach the folders inside
		t.Fatal(err)
	}
	start := func(name string, settings ...string) *local.Server {
		t.Helper()
		// As in operation: what is committed is written, so that what follows can have it.
		pg, err := local.Start(context.WithoutCancel(ctx), local.Options{Dir: filepath.Join(dir, name), Settings: settings})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = pg.Stop() })
		return pg
	}
	first := start("first")
	if err := store.Migrate(ctx, first.URL); err != nil {
		t.Fatal(err)
	}
	url, err := first.Grant(ctx)
	if err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	cases := testdb.Service(db)
	b, err := bundle.ReadFiles(testdb.Files())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := cases.Imports.Import(ctx, b, 0); err != nil {
		t.Fatal(err)
	}
	if err := first.Copy(filepath.Join(dir, "second")); err != nil {
		t.Fatal(err)
	}
	second := start("second", "log_statement=all")
	secondURL, err := second.Grant(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if err := db.Follow(ctx, secondURL); err != nil {
		t.Fatal(err)
	}
	q := db.Queries()
	follows := func(ctx context.Context) bool {
		t.Helper()
		s, err := q.Office.SetUp(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return s.Replica
	}
	if follows(ctx) || !follows(db.Reading(ctx)) {
		t.Error("what is to be read beside is read here, or the other way round")
	}
	// Who has changed something reads it, each time, and is held to the school there too.
	for n := range 30 {
		if err := q.Schedule.SetYearPlan(ctx, demo.SchoolID, testdb.Year, store.YearPlan{Size: 20 + n}); err != nil {
			t.Fatal(err)
		}
		at := db.Reading(store.Within(ctx, demo.SchoolID))
		if plan, err := q.Schedule.YearPlan(at, demo.SchoolID, testdb.Year); err != nil || plan.Size != 20+n || !follows(at) {
			t.Fatalf("the size is %d after it was set to %d, %v", plan.Size, 20+n, err)
		}
		if _, err := q.Schedule.YearPlan(db.Reading(store.Within(ctx, "another")), demo.SchoolID, testdb.Year); err == nil {
			t.Fatal("another school sees it")
		}
	}
	if err := q.Schedule.SetYearPlan(db.Reading(ctx), demo.SchoolID, testdb.Year, store.YearPlan{Size: 9}); err == nil {
		t.Error("something is written to what follows")
	}
	// Demand and exports are read there.
	said := func(since int) string {
		text, err := os.ReadFile(filepath.Join(dir, "second.log"))
		if err != nil {
			t.Fatal(err)
		}
		return string(text[since:])
	}
	office := testdb.Value[int64](t, testdb.Database{Owner: first.URL}, `SELECT id FROM account WHERE username = 'office'`)
	before := len(said(0))
	if _, err := cases.Schedule.Demand(ctx, office, demo.SchoolID, testdb.Year, 0, true); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(said(before), "FROM section_plan") || !strings.Contains(said(before), "FROM sheet") {
		t.Error("the demand was not read from what follows")
	}
	before = len(said(0))
	if _, _, err := cases.Imports.Export(ctx, demo.SchoolID, testdb.Year); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(said(before), "FROM record") {
		t.Error("the export was not read from what follows")
	}
	// Behind: after half a second all is read here, and at once for a while.
	stop := testdb.Database{Owner: second.URL}
	stop.Exec(t, `SELECT pg_wal_replay_pause()`)
	if err := q.Schedule.SetYearPlan(ctx, demo.SchoolID, testdb.Year, store.YearPlan{Size: 7}); err != nil {
		t.Fatal(err)
	}
	at := db.Reading(ctx)
	if plan, err := q.Schedule.YearPlan(at, demo.SchoolID, testdb.Year); err != nil || plan.Size != 7 || follows(at) {
		t.Errorf("behind: %+v, %v", plan, err)
	}
	began := time.Now()
	if at := db.Reading(ctx); follows(at) || time.Since(began) > 300*time.Millisecond {
		t.Errorf("what is behind is asked again after %s", time.Since(began))
	}
	// Gone: the same.
	if err := second.Stop(); err != nil {
		t.Fatal(err)
	}
	db.AskReplicaAgain()
	at = db.Reading(ctx)
	if plan, err := q.Schedule.YearPlan(at, demo.SchoolID, testdb.Year); err != nil || plan.Size != 7 {
		t.Errorf("gone: %+v, %v", plan, err)
	}
}
