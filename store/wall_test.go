package store_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/jmoiron/sqlx"

	"rubricon/internal/testdb"
	"rubricon/store"
)

// elsewhere puts a second school next to the first, with a row of it in every table of schools that has a row of the first.
func elsewhere(t *testing.T, d testdb.Database) (tables []string) {
	t.Helper()
	tables = strings.Fields(testdb.Value[string](t, d, `SELECT string_agg(table_name, ' ' ORDER BY table_name) FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
		WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND c.column_name = 'school_id'`))
	for _, table := range tables {
		columns := testdb.Value[string](t, d, `SELECT string_agg(quote_ident(column_name), ', ') FROM information_schema.columns WHERE table_schema = 'public' AND table_name = $1 AND column_name <> 'school_id' AND is_generated = 'NEVER'`, table)
		d.Exec(t, `SET session_replication_role = replica; INSERT INTO `+table+` (school_id, `+columns+`) OVERRIDING SYSTEM VALUE SELECT 'elsewhere', `+columns+` FROM `+table+` WHERE school_id = 'pellworth'`)
	}
	d.Exec(t, `INSERT INTO school (id, name) VALUES ('elsewhere', 'Elsewhere')`)
	return tables
}

// Every table of schools has the wall: held to a school, a statement that forgets the school finds rows of that school alone, writes none of another, and changes none.
func TestTheWallBetweenSchools(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	tables := elsewhere(t, d)
	q := d.Open(t).Queries()
	here, both := store.Within(t.Context(), "elsewhere"), t.Context()
	count := func(ctx context.Context, text string) (n int) {
		t.Helper()
		if err := sqlx.GetContext(ctx, q.Raw(), &n, text); err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		return n
	}
	if len(tables) < 40 {
		t.Fatalf("only %d tables are of schools", len(tables))
	}
	some := 0
	for _, table := range append([]string{"school"}, tables...) {
		if !testdb.Value[bool](t, d, `SELECT relrowsecurity AND EXISTS (SELECT 1 FROM pg_policy WHERE polrelid = c.oid) FROM pg_class c WHERE oid = $1::regclass`, table) {
			t.Errorf("%s has no wall", table)
		}
		if !testdb.Value[bool](t, d, `SELECT has_table_privilege('rubricon_server', $1, 'SELECT')`, table) {
			continue
		}
		all, mine, others := count(both, `SELECT count(*) FROM `+table), count(here, `SELECT count(*) FROM `+table), 0
		if table != "school" {
			others = count(here, `SELECT count(*) FROM `+table+` WHERE school_id <> 'elsewhere'`)
		}
		if mine*2 != all || others != 0 {
			t.Errorf("%s has %d rows, of which %d are to be seen from one of two schools, %d of the other one", table, all, mine, others)
		}
		some += mine
	}
	if some < 1000 {
		t.Errorf("%d rows were looked at", some)
	}
	if _, err := q.Raw().ExecContext(here, `INSERT INTO school_year (school_id, year) VALUES ('pellworth', 2099)`); err == nil || !strings.Contains(err.Error(), "row-level security") {
		t.Errorf("a row of another school is written: %v", err)
	}
	if _, err := q.Raw().ExecContext(here, `UPDATE sheet SET message = 'x'`); err != nil {
		t.Error(err)
	}
	if got := testdb.Value[string](t, d, `SELECT string_agg(DISTINCT school_id, ' ') FROM sheet WHERE message = 'x'`); got != "elsewhere" {
		t.Errorf("sheets of %s are changed", got)
	}
	// In a transaction too, and what is of a person in all their schools is seen from each.
	err := d.Open(t).Tx(here, func(q store.Queries) error {
		ids, err := q.Year.Schools(here)
		if err != nil || !slices.Equal(ids, []string{"elsewhere"}) {
			t.Errorf("in a transaction: %v, %v", ids, err)
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
	if list, err := q.People.PersonsOf(here, d.Account(t, "mara.quill")); err != nil || len(list) != 2 {
		t.Errorf("Mara is %d persons, %v", len(list), err)
	}
	if _, reach, err := q.People.AccountOf(here, "elsewhere", "s0001", 0); err != nil || reach {
		t.Errorf("her account is within reach of somebody who administers nothing: %v", err)
	}
}

// Connections go from hand to hand; each holder sees what they are held to.
func TestTheWallMovesWithTheConnection(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	d.Exec(t, `INSERT INTO school (id, name) SELECT 'x' || n, 'X' FROM generate_series(1, 5) n`)
	db, err := store.Open(t.Context(), with(t, d.URL, "pool_max_conns", "2"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	sees(t, db)
}

func sees(t *testing.T, db *store.DB) {
	t.Helper()
	var wait sync.WaitGroup
	for n := range 6 {
		wait.Go(func() {
			ctx, want := t.Context(), 6
			if n > 0 {
				ctx, want = store.Within(ctx, fmt.Sprint("x", n)), 1
			}
			for range 40 {
				ids, err := db.Queries().Year.Schools(ctx)
				if err != nil || len(ids) != want || want == 1 && ids[0] != fmt.Sprint("x", n) {
					t.Errorf("held to %d: %v, %v", n, ids, err)
					return
				}
			}
		})
	}
	wait.Wait()
}
