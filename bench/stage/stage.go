// Package stage sets up what the load and fault scripts play on: a database of its own that keeps every
// commit, and server processes on loopback.
package stage

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"github.com/alexedwards/argon2id"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver "pgx"
	"github.com/jmoiron/sqlx"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/store"
	"rubricon/store/local"
)

// Cheap are hashes that cost next to nothing, for scripts in which signing in is not what is tried.
var Cheap = argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// Stage is a folder and a database in it.
type Stage struct {
	Dir string
	PG  *local.Server
	URL string // of the server's role
	DB  *store.DB
	SQL *sqlx.DB // for statements of a script's own
}

// New makes a folder that the database's own user can reach, and a database in it.
func New(ctx context.Context, name string, settings ...string) (s *Stage, err error) {
	s = &Stage{}
	defer func() {
		if err != nil {
			s.Close()
		}
	}()
	if s.Dir, err = Folder(name); err != nil {
		return nil, err
	}
	if s.PG, s.URL, err = Database(ctx, s.Dir, settings...); err != nil {
		return nil, err
	}
	if s.DB, err = store.Open(ctx, s.URL); err != nil {
		return nil, err
	}
	s.SQL, err = SQL(s.URL)
	return s, err
}

// Close ends the database and takes the folder away.
func (s *Stage) Close() {
	if s.SQL != nil {
		_ = s.SQL.Close()
	}
	if s.DB != nil {
		s.DB.Close()
	}
	if s.PG != nil {
		_ = s.PG.Stop()
	}
	_ = os.RemoveAll(s.Dir)
}

// SQL opens a database for statements of a script's own, with as many connections as the server's pool has.
func SQL(url string) (*sqlx.DB, error) {
	db, err := sqlx.Open("pgx", url)
	if err == nil {
		db.SetMaxOpenConns(store.DefaultConns)
		db.SetMaxIdleConns(store.DefaultConns)
	}
	return db, err
}

// Folder makes a folder for a script, which others can reach.
func Folder(name string) (string, error) {
	dir, err := os.MkdirTemp("", "rubricon-"+name)
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, 0o755)
}

// Database makes a database in a folder, and gives it with the URL of the server's role.
func Database(ctx context.Context, dir string, settings ...string) (*local.Server, string, error) {
	pg, err := local.Start(ctx, local.Options{Dir: filepath.Join(dir, "pg"), Settings: settings})
	if err != nil {
		return nil, "", err
	}
	if err := store.Migrate(ctx, pg.URL); err != nil {
		_ = pg.Stop()
		return nil, "", err
	}
	url, err := pg.Grant(ctx)
	if err != nil {
		_ = pg.Stop()
	}
	return pg, url, err
}

// School is the demo school with so many students, each of whom has the demo's password.
func School(students int) (*bundle.Bundle, error) {
	files := demo.Bundle(demo.Options{Students: students, Seed: 7})
	for i := range files {
		if f := &files[i]; f.Name == "users.csv" {
			role, password := slices.Index(f.Header, "role"), slices.Index(f.Header, "password")
			for _, row := range f.Rows {
				if row[role] == "student" {
					row[password] = demo.Password
				}
			}
		}
	}
	return bundle.ReadFiles(files)
}

// Serve starts a server process on an address and waits until it is ready.
func Serve(url, listen string, flags ...string) (*exec.Cmd, error) {
	cmd := exec.Command("bin/rubricon", append([]string{"serve", "--listen", listen}, flags...)...)
	cmd.Env = append(os.Environ(), "RUBRICON_DATABASE="+url)
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("%w (run make build first)", err)
	}
	for end := time.Now().Add(20 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if res, err := http.Get("http://" + listen + "/readyz"); err == nil {
			_ = res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return cmd, nil
			}
		}
	}
	_ = cmd.Process.Kill()
	return nil, errors.New("the server process is not ready")
}

// Free is an address on loopback that no one listens on.
func Free() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	defer l.Close()
	return l.Addr().String(), nil
}

// Hash hashes a password at next to no cost.
func Hash(password string) (string, error) { return argon2id.CreateHash(password, &Cheap) }
