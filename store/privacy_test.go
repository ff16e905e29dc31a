package store_test

import (
	"slices"
	"testing"

	"rubricon/internal/testdb"
	"rubricon/store"
)

// A table that is new and has something of people must be thought of, where all that is kept about someone is given out or taken away.
func TestEveryTableOfPeopleIsKnown(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.Empty(t)
	known := store.PersonalTables()
	tables := testdb.Value[[]string](t, db, `SELECT array_agg(DISTINCT c.table_name::text ORDER BY c.table_name::text) FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
		WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND c.column_name IN ('student_id', 'person_id', 'account_id')`)
	for _, table := range tables {
		if !slices.Contains(known, table) && table != "account_password" { // hashes alone
			t.Errorf("%s has something of people, and is neither given out nor taken away", table)
		}
	}
}
