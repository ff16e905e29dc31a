package store_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/jackc/pgx/v5"

	"rubricon/internal/testdb"
	"rubricon/store"
)

// kept is what every version of the schema has: a digest of it reports whether an upgrade has lost or changed a row.
const kept = `SELECT md5(string_agg(x, '' ORDER BY x)) FROM (
	SELECT p.school_id || p.id || p.given_name || p.family_name || p.cells::text AS x FROM person p
	UNION ALL SELECT r.student_id || r.course_code || r.credits || r.outcome || r.cells::text FROM record r
	UNION ALL SELECT s.student_id || s.kind || s.course_code || s.cells::text FROM signal s
	UNION ALL SELECT s.student_id || s.version || s.state || s.grade FROM sheet s
	UNION ALL SELECT e.student_id || e.course_code || e.kind || e.rank FROM entry e
	UNION ALL SELECT e.student_id || e.version || e.kind || e.actor_name || e.detail::text FROM event e
	UNION ALL SELECT s.student_id || s.number || s.entries::text || s.receipt FROM submission s) y`

// From each version of the schema that there was, with a school's data in it, the newest is come to without losing or changing a row, and the server works on it.
func TestUpgrades(t *testing.T) {
	for version := store.SchemaVersions() - 1; version >= 1; version-- {
		t.Run(fmt.Sprint("from ", version), func(t *testing.T) {
			testdb.Parallel(t)
			db := testdb.New(t)
			if err := store.DownTo(t.Context(), db.Owner, version); err != nil {
				t.Fatal(err)
			}
			before := testdb.Value[string](t, db, kept)
			if _, err := store.Open(t.Context(), db.URL); err == nil {
				t.Error("the server works on an old schema")
			}
			if err := store.Migrate(t.Context(), db.Owner); err != nil {
				t.Fatal(err)
			}
			if after := testdb.Value[string](t, db, kept); after != before || before == "" {
				t.Error("rows are lost, or other")
			}
			if _, err := testdb.Service(db.Open(t)).Office.Schools(t.Context()); err != nil {
				t.Error(err)
			}
		})
	}
}

// A migration whose connection is lost half-way is taken back, and done by the next that runs.
func TestAMigrationBrokenOff(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	if err := store.DownTo(t.Context(), db.Owner, 5); err != nil {
		t.Fatal(err)
	}
	before := testdb.Value[string](t, db, kept)
	holds, err := pgx.Connect(t.Context(), db.Owner)
	if err != nil {
		t.Fatal(err)
	}
	defer holds.Close(context.Background())
	if _, err := holds.Exec(t.Context(), `BEGIN; LOCK TABLE policy`); err != nil { // which the sixth alters after much else
		t.Fatal(err)
	}
	broken := make(chan error, 1)
	go func() { broken <- store.Migrate(t.Context(), db.Owner) }()
	for ended := 0; ended == 0; {
		ended = testdb.Value[int](t, db, `SELECT count(*) FILTER (WHERE pg_terminate_backend(pid)) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock' AND query LIKE '%policy%'`)
	}
	if err := <-broken; err == nil {
		t.Error("a migration without a connection is done")
	}
	if _, err := holds.Exec(t.Context(), `ROLLBACK`); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Open(t.Context(), db.URL); err == nil {
		t.Error("the server works on half a schema")
	}
	if got := testdb.Value[string](t, db, kept); got != before {
		t.Error("what was broken off has changed rows")
	}
	if err := store.Migrate(t.Context(), db.Owner); err != nil {
		t.Fatalf("the next: %v", err)
	}
	if _, err := testdb.Service(db.Open(t)).Office.Schools(t.Context()); err != nil {
		t.Error(err)
	}
}
