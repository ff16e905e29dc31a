package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"

	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"
)

//go:embed migrations/*.sql
var migrations embed.FS

func (db *DB) provider() (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, db.db.DB, files, goose.WithSessionLocker(locker))
}

// Migrate brings the schema up to date, as the role that owns it; any number may do so at once. The role that
// the server uses must be a member of rubricon_server, which the first migration makes where it is missing.
func Migrate(ctx context.Context, url string) error {
	db, err := connect(ctx, url)
	if err != nil {
		return err
	}
	defer db.Close()
	provider, err := db.provider()
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bringing the database up to date: %w", err)
	}
	if err := db.migrateQueue(ctx); err != nil {
		return fmt.Errorf("bringing the job queue up to date: %w", err)
	}
	return nil
}

// queueSchema is where the job queue has its tables.
const queueSchema = "river"

func (db *DB) migrator() (*rivermigrate.Migrator[*sql.Tx], error) {
	return rivermigrate.New(riverdatabasesql.New(db.db.DB), &rivermigrate.Config{Schema: queueSchema, Logger: slog.New(slog.DiscardHandler)})
}

// migrateQueue brings the job queue's own tables up to date, one process at a time.
func (db *DB) migrateQueue(ctx context.Context) error {
	migrator, err := db.migrator()
	if err != nil {
		return err
	}
	return db.Tx(ctx, func(q Queries) error {
		if err := q.exec(ctx, `SELECT pg_advisory_xact_lock(hashtext('rubricon queue'))`); err != nil {
			return err
		}
		if _, err := migrator.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
			return err
		}
		for _, grant := range []string{`GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA ` + queueSchema + ` TO rubricon_server`,
			`GRANT USAGE ON ALL SEQUENCES IN SCHEMA ` + queueSchema + ` TO rubricon_server`,
			`REVOKE INSERT, UPDATE, DELETE ON ` + queueSchema + `.river_migration FROM rubricon_server`} {
			if err := q.exec(ctx, grant); err != nil {
				return err
			}
		}
		return nil
	})
}

// checkSchema refuses a database whose schema is older than what this program knows, or so much newer that it
// serves it no longer.
func (db *DB) checkSchema(ctx context.Context) error {
	provider, err := db.provider()
	if err != nil {
		return err
	}
	sources := provider.ListSources()
	want := sources[len(sources)-1].Version
	var have int64
	if err := db.Queries().get(ctx, &have, `SELECT coalesce(max(version_id) FILTER (WHERE is_applied), 0) FROM goose_db_version`); err != nil {
		if unavailable := Unavailable(err); unavailable {
			return fmt.Errorf("the database cannot be reached: %w", err)
		}
		return errors.New("the database has no tables for this role; run rubricon migrate as the owner, and make the " +
			"server's role a member of rubricon_server")
	}
	oldest := have
	if have > want {
		if err := db.Queries().get(ctx, &oldest, `SELECT oldest_program()`); err != nil {
			return fmt.Errorf("asking for the oldest program that the database serves: %w", err)
		}
	}
	switch {
	case have < want:
		return fmt.Errorf("the database is at version %d, this program needs %d; run rubricon migrate", have, want)
	case want < oldest:
		return fmt.Errorf("the database is at version %d, and serves programs of version %d or later, this one is of %d; start a newer one",
			have, oldest, want)
	case want < have:
		slog.WarnContext(ctx, "the database is of a newer version, and serves this program still; replace it soon",
			"database", have, "program", want)
	}
	migrator, err := db.migrator()
	if err != nil {
		return err
	}
	if result, err := migrator.Validate(ctx, nil); err != nil {
		return fmt.Errorf("looking at the job queue: %w", err)
	} else if !result.OK {
		return errors.New("the job queue's tables are not those this program needs; run rubricon migrate")
	}
	return nil
}
