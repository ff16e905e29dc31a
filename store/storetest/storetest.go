// Package storetest gives tests a real PostgreSQL: one server for a test binary, and for each test a database of its own,
// cloned from a template.
package storetest

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/school"
	"rubricon/store"
	"rubricon/store/local"
)

var (
	server *local.Server
	count  atomic.Int64
)

// Now is the time at which tests take place, and the window of the demo school is open.
var Now = time.Date(2027, 3, 2, 10, 42, 0, 0, time.UTC)

// Students is how many students the template's school has.
const Students = 60

// Main starts the server, loads the demo school into the template, runs the tests and stops the server.
func Main(m interface{ Run() int }) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func run(m interface{ Run() int }) (int, error) {
	dir, err := os.MkdirTemp("", "rubricon-test")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the user postgres must reach the folder inside
		return 1, err
	}
	ctx := context.Background()
	if server, err = local.Start(ctx, local.Options{Dir: filepath.Join(dir, "pg"), Throwaway: true}); err != nil {
		return 1, err
	}
	defer func() { _ = server.Stop() }()
	if err := makeTemplate(ctx); err != nil {
		return 1, fmt.Errorf("making the template: %w", err)
	}
	return m.Run(), nil
}

// Bundle is the demo school as tests use it.
func Bundle() (*bundle.Bundle, error) {
	return demo.Read(demo.Options{Students: Students, Seed: 7})
}

func makeTemplate(ctx context.Context) error {
	if err := sql(ctx, "CREATE DATABASE template_school"); err != nil {
		return err
	}
	db, err := store.Open(ctx, address("template_school"))
	if err != nil {
		return err
	}
	defer db.Close()
	b, err := Bundle()
	if err != nil {
		return err
	}
	cases := school.New(db, func() time.Time { return Now })
	if _, err := cases.Import(ctx, b); err != nil {
		return err
	}
	return cases.SetWindow(ctx, demo.SchoolID, -1, Now.AddDate(0, 0, -7), Now.AddDate(0, 0, 10), Now.AddDate(0, 1, 0))
}

func address(name string) string {
	u, err := url.Parse(server.URL)
	if err != nil {
		panic(err)
	}
	u.Path = "/" + name
	return u.String()
}

func sql(ctx context.Context, text string) error {
	conn, err := pgx.Connect(ctx, server.URL)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, text)
	return err
}

// URL makes a database with the demo school and gives its address.
func URL(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", count.Add(1))
	if err := sql(t.Context(), "CREATE DATABASE "+name+" TEMPLATE template_school"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := sql(context.Background(), "DROP DATABASE "+name+" WITH (FORCE)"); err != nil {
			t.Error(err)
		}
	})
	return address(name)
}

// Open opens a database for a test.
func Open(t testing.TB, url string) *store.DB {
	t.Helper()
	db, err := store.Open(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	return db
}

// Cases gives the use cases on a database of the test's own, at the time Now.
func Cases(t testing.TB) *school.Service {
	t.Helper()
	return school.New(Open(t, URL(t)), func() time.Time { return Now })
}
