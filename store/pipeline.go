package store

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// A pipeline is a list of statements that are sent together and done in one transaction: the first error takes
// back what was done before it.
type pipeline struct {
	pool  *pgxpool.Pool
	batch pgx.Batch
}

// pipeline returns an empty list of statements for the school of the context.
func (q *conn) pipeline(ctx context.Context) *pipeline {
	p := &pipeline{pool: q.pool}
	if q.pooled != nil && schoolOf(ctx) != everywhere {
		p.queue(setLocally, schoolOf(ctx), millis(StatementTimeout), millis(LockTimeout), millis(IdleTimeout))
	}
	return p
}

// queue adds a statement; its arguments are given in order, or as one pgx.NamedArgs.
func (p *pipeline) queue(statement string, args ...any) { p.batch.Queue(statement, args...) }

// send runs the statements.
func (p *pipeline) send(ctx context.Context) error {
	if p.pool == nil {
		return errors.New("a pipeline is a transaction of its own")
	}
	return p.pool.SendBatch(ctx, &p.batch).Close()
}
