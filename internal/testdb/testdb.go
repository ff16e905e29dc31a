// Package testdb gives tests a real PostgreSQL: one server for a test binary, or the one at
// $RUBRICON_TEST_POSTGRES (as its owner), and for each test a database of its own, cloned from a template.
package testdb

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"rubricon/app"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/jackc/pgx/v5"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver "pgx"
	"github.com/jmoiron/sqlx"

	appcatalog "rubricon/app/catalog"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/store"
	"rubricon/store/local"
)

var (
	owner  string // how to connect as the owner, and as the server
	server string
	count  atomic.Int64
	prefix = fmt.Sprintf("test_%d_%d", os.Getpid(), time.Now().UnixNano())
)

// Now is the time at which tests take place, and the window of the demo school is open.
var Now = time.Date(2027, 3, 2, 10, 42, 0, 0, time.UTC)

// Students is how many students the template's school has.
const Students = 60

// Year is the school year of the template's school.
const Year = 2027

// Hashes cost little, so that tests can sign in often; the stored ones are checked by what is stored with them.
var Hashes = argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// Quiet discards a log.
var Quiet = slog.New(slog.DiscardHandler)

// Main starts the server, loads the demo school into the template, runs the tests and stops the server.
func Main(m interface{ Run() int }) {
	slog.SetDefault(Quiet)
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func run(m interface{ Run() int }) (int, error) {
	ctx := context.Background()
	pg := &local.Server{URL: os.Getenv("RUBRICON_TEST_POSTGRES")}
	if owner = pg.URL; owner == "" {
		dir, err := os.MkdirTemp(memory(), "rubricon-test")
		if err != nil {
			return 1, err
		}
		defer os.RemoveAll(dir)
		if err := os.Chmod(dir, 0o755); err != nil { // the user postgres must reach the folder inside
			return 1, err
		}
		if pg, err = local.Start(ctx, local.Options{Dir: filepath.Join(dir, "pg"), Throwaway: true}); err != nil {
			return 1, err
		}
		defer func() { _ = pg.Stop() }()
		owner = pg.URL
	}
	if err := makeTemplate(ctx, pg); err != nil {
		return 1, fmt.Errorf("making the template: %w", err)
	}
	defer func() { _ = sql(ctx, owner, "DROP DATABASE IF EXISTS "+prefix+" WITH (FORCE)") }()
	return m.Run(), nil
}

// memory is a folder in memory, where a throwaway database is quickest, or "" where the machine has none.
func memory() string {
	if info, err := os.Stat("/dev/shm"); err == nil && info.IsDir() {
		return "/dev/shm"
	}
	return ""
}

var made = sync.OnceValue(func() []bundle.File { return demo.Bundle(demo.Options{Students: Students, Seed: 7}) })

// Files are the demo school as tests use it; the copy may be changed.
func Files() []bundle.File {
	files := slices.Clone(made())
	for i := range files {
		f := &files[i]
		f.Header, f.Rows = slices.Clone(f.Header), slices.Clone(f.Rows)
		for k, row := range f.Rows {
			f.Rows[k] = slices.Clone(row)
		}
	}
	return files
}

func makeTemplate(ctx context.Context, pg *local.Server) (err error) {
	if err := sql(ctx, owner, "CREATE DATABASE "+prefix); err != nil {
		return err
	}
	if err := store.Migrate(ctx, named(owner, prefix)); err != nil {
		return err
	}
	if server, err = pg.Grant(ctx); err != nil {
		return err
	}
	db, err := store.Open(ctx, named(server, prefix))
	if err != nil {
		return err
	}
	defer db.Close()
	b, err := bundle.ReadFiles(Files())
	if err != nil {
		return err
	}
	cases := Service(db)
	if _, err := cases.Imports.Import(ctx, b, 0); err != nil {
		return err
	}
	return cases.Catalog.SetWindow(ctx, demo.SchoolID, Year,
		appcatalog.Window{Grade: -1, Opens: Now.AddDate(0, 0, -7), Families: Now.AddDate(0, 0, 10), Counselors: Now.AddDate(0, 1, 0)})
}

// Parallel lets a test run next to others, unless many test runs share a server: then the first failure ends the run.
func Parallel(t *testing.T) {
	t.Helper()
	if os.Getenv("RUBRICON_TEST_POSTGRES") == "" {
		t.Parallel()
	}
}

func named(base, name string) string {
	u, err := url.Parse(base)
	if err != nil {
		panic(err)
	}
	u.Path = "/" + name
	return u.String()
}

func sql(ctx context.Context, address, text string, args ...any) error {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, text, args...)
	return err
}

// Database is a test's own.
type Database struct {
	URL   string // as the server
	Owner string
}

// New makes a database with the demo school.
func New(t testing.TB) Database { return clone(t, " TEMPLATE "+prefix+" STRATEGY WAL_LOG") }

// Bare makes a database without anything in it.
func Bare(t testing.TB) Database { return clone(t, " TEMPLATE template0") }

// Empty makes a database with the schema alone.
func Empty(t testing.TB) Database {
	t.Helper()
	d := clone(t, "")
	if err := store.Migrate(t.Context(), d.Owner); err != nil {
		t.Fatal(err)
	}
	return d
}

func clone(t testing.TB, how string) Database {
	t.Helper()
	name := fmt.Sprintf("%s_%d", prefix, count.Add(1))
	if err := sql(t.Context(), owner, "CREATE DATABASE "+name+how); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if os.Getenv("RUBRICON_TEST_POSTGRES") == "" {
			return // the whole server goes, soon
		}
		if err := sql(context.Background(), owner, "DROP DATABASE "+name+" WITH (FORCE)"); err != nil {
			t.Error(err)
		}
	})
	return Database{named(server, name), named(owner, name)}
}

// Exec runs a statement as the owner, who may do everything.
func (d Database) Exec(t testing.TB, text string, args ...any) {
	t.Helper()
	if err := sql(t.Context(), d.Owner, text, args...); err != nil {
		t.Fatalf("%s: %v", text, err)
	}
}

// Value reads one value.
func Value[T any](t testing.TB, d Database, query string, args ...any) (v T) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), d.Owner)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if err := conn.QueryRow(t.Context(), query, args...).Scan(&v); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return v
}

// SQL opens the database for statements of a test's own, in the server's role.
func (d Database) SQL(t testing.TB) *sqlx.DB {
	t.Helper()
	db, err := sqlx.Open("pgx", d.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// Open opens the database as the server does.
func (d Database) Open(t testing.TB) *store.DB {
	t.Helper()
	db, err := store.Open(t.Context(), d.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	return db
}

// Service returns the use cases at the time Now.
func Service(db *store.DB) *app.App {
	return app.New(db, app.Options{FirstPasswordsStay: true, Now: func() time.Time { return Now }, Log: Quiet, Hashes: Hashes})
}

// Cases returns the use cases on a database of the test's own, at the time Now.
func Cases(t testing.TB) *app.App {
	t.Helper()
	return Service(New(t).Open(t))
}

// Account returns the account of a username.
func (d Database) Account(t testing.TB, username string) int64 {
	t.Helper()
	return Value[int64](t, d, `SELECT id FROM account WHERE username = $1`, username)
}
