package store

import "github.com/jmoiron/sqlx"

// Raw returns where statements run to tests of the wall, the deadlines and the rights of the server's role.
func (q Queries) Raw() sqlx.ExtContext { return q.ext }

// Pool returns the pool itself.
func (db *DB) Pool() *sqlx.DB { return db.db }
