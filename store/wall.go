package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"
)

type wallKey struct{}

// everywhere is what a connection is set to that is held back from nothing.
const everywhere = "*"

// Within holds what is read and written with the context to one school: the database sees to it, whatever a
// statement says.
func Within(ctx context.Context, school string) context.Context {
	return context.WithValue(ctx, wallKey{}, school)
}

// Anywhere takes that back, for what concerns a person in all their schools.
func Anywhere(ctx context.Context) context.Context {
	return context.WithValue(ctx, wallKey{}, everywhere)
}

func schoolOf(ctx context.Context) string {
	if school, ok := ctx.Value(wallKey{}).(string); ok && school != "" {
		return school
	}
	return everywhere
}

// setSchool sets what a connection is held to; setLocally does until the transaction ends, with its deadlines.
const (
	setSchool  = `SELECT set_config('rubricon.school', $1, false)`
	setLocally = `SELECT set_config('rubricon.school', $1, true),
		set_config('statement_timeout', $2, true), set_config('lock_timeout',
		$3, true), set_config('idle_in_transaction_session_timeout', $4, true)`
)

// hold sets a connection to the school of the context it is taken with, unless it is already.
func hold(ctx context.Context, conn *pgx.Conn) (bool, error) {
	school, known := schoolOf(ctx), conn.PgConn().CustomData()
	if known["school"] == school || known["school"] == nil && school == everywhere { // as it begins
		return true, nil
	}
	if _, err := conn.Exec(ctx, setSchool, school); err != nil {
		return false, ctx.Err() // the connection is gone: another one is taken, if there is time
	}
	known["school"] = school
	return true, nil
}

// alone runs one statement, where it may on the database that follows; behind a transaction pooler, where a
// connection cannot be set for longer than a transaction, in one of its own.
func (q *conn) alone(ctx context.Context, work func(sqlx.ExtContext) error) error {
	if follows := reading(ctx); follows != nil && !q.inTx {
		q = follows.Queries().conn
	}
	if q.pooled == nil || schoolOf(ctx) == everywhere {
		return work(q.ext)
	}
	return q.pooled.Tx(ctx, func(q Queries) error { return work(q.ext) })
}
