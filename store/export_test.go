package store

import "context"

// DownTo takes a schema back to an earlier version, as its owner; only tests do that.
func DownTo(ctx context.Context, url string, version int64) error {
	db, err := connect(ctx, url)
	if err != nil {
		return err
	}
	defer db.Close()
	provider, err := db.provider()
	if err != nil {
		return err
	}
	_, err = provider.DownTo(ctx, version)
	return err
}

// SchemaVersions is how many versions of the schema there are.
func SchemaVersions() int64 {
	list, err := migrations.ReadDir("migrations")
	if err != nil {
		panic(err) // they are part of the program
	}
	return int64(len(list))
}

// PersonalTables lists the tables of allPersonal.
func PersonalTables() (list []string) {
	for _, p := range allPersonal {
		list = append(list, p.table)
	}
	return list
}

// AskReplicaAgain lets the database that follows be asked again at once.
func (db *DB) AskReplicaAgain() { db.rests.Store(0) }
