package store_test

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"rubricon/internal/testdb"
	"rubricon/jobs"
	"rubricon/store"
)

func TestMain(m *testing.M) { testdb.Main(m) }

var mara = store.Place{School: "pellworth", Year: testdb.Year, Student: "s0001"}

// with is a URL with another parameter.
func with(t *testing.T, address, name, value string) string {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	q := u.Query()
	q.Set(name, value)
	u.RawQuery = q.Encode()
	return u.String()
}

func open(t *testing.T, address string) *store.DB {
	t.Helper()
	db, err := store.Open(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	return db
}

// The server's role reads and writes, but owns nothing, and what has happened it cannot alter.
func TestTheServerCannotAlterWhatHasHappened(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	db := d.Open(t)
	for _, text := range []string{`UPDATE event SET actor = 'x'`, `DELETE FROM event`, `TRUNCATE event`, `UPDATE submission SET receipt = 'x'`, `DELETE FROM submission`,
		`UPDATE signature SET name = 'x'`, `DELETE FROM signature`, `UPDATE policy SET text = ''`, `DELETE FROM policy`, `UPDATE catalog SET at = now()`, `DELETE FROM catalog`,
		`CREATE TABLE mine (x int)`, `DROP TABLE event`, `ALTER TABLE sheet ADD x int`, `UPDATE goose_db_version SET version_id = 9`, `ANALYZE VERBOSE pg_authid`} {
		_, err := db.Pool().ExecContext(t.Context(), text)
		var refused *pgconn.PgError
		if text == `ANALYZE VERBOSE pg_authid` {
			continue // only warns
		}
		if !errors.As(err, &refused) || refused.Code != "42501" {
			t.Errorf("%s gives %v, want insufficient privilege", text, err)
		}
	}
	if err := db.Queries().Imports.LookAtTables(t.Context()); err != nil {
		t.Error("the one thing it may have the owner do:", err)
	}
}

func TestDeadlines(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	for name, address := range map[string]string{"by itself": d.URL, "behind a pooler": with(t, d.URL, "default_query_exec_mode", "exec"),
		"behind a simpler one": with(t, d.URL, "default_query_exec_mode", "simple_protocol")} {
		t.Run(name, func(t *testing.T) {
			db := open(t, address)
			// Behind a pooler nothing is left in a connection; else every statement has a deadline.
			want := map[bool]string{true: "10s", false: "0"}[name == "by itself"]
			var got string
			if err := db.Pool().QueryRowxContext(t.Context(), `SELECT current_setting('statement_timeout')`).Scan(&got); err != nil || got != want {
				t.Errorf("outside a transaction statement_timeout is %q, %v, want %s", got, err, want)
			}
			for setting, want := range map[string]string{"statement_timeout": "10s", "lock_timeout": "5s", "idle_in_transaction_session_timeout": "15s"} {
				err := db.Tx(t.Context(), func(q store.Queries) error {
					var got string
					if err := q.Raw().QueryRowxContext(t.Context(), `SELECT current_setting($1)`, setting).Scan(&got); err != nil || got != want {
						t.Errorf("%s is %q, %v, want %s", setting, got, err, want)
					}
					return nil
				})
				if err != nil {
					t.Error(err)
				}
			}
		})
	}
}

// A lock that someone holds is not waited for for ever, and what is said of it is that trying again helps.
func TestALockThatIsHeld(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	db := d.Open(t)
	holding, release := make(chan struct{}), make(chan struct{})
	done := make(chan error)
	go func() {
		done <- db.Tx(context.Background(), func(q store.Queries) error {
			_, err := q.Raw().ExecContext(context.Background(), `SELECT 1 FROM sheet WHERE student_id = 's0001' FOR UPDATE`)
			close(holding)
			<-release
			return err
		})
	}()
	<-holding
	_, err := db.Pool().ExecContext(t.Context(), `SET lock_timeout = '50ms'; UPDATE sheet SET undoable = 0 WHERE student_id = 's0001'`)
	if !store.Unavailable(err) {
		t.Errorf("%v is not said to pass", err)
	}
	close(release)
	if err := <-done; err != nil {
		t.Error(err)
	}
}

func TestThePoolIsTheOperators(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	for address, want := range map[string]int{d.URL: store.DefaultConns, with(t, d.URL, "pool_max_conns", "3"): 3, with(t, d.URL, "pool_max_conns", "40"): 40} {
		db := open(t, address)
		held := make(chan struct{})
		var wait sync.WaitGroup
		var ready sync.WaitGroup
		ready.Add(want)
		for range want {
			wait.Go(func() {
				err := db.Tx(context.Background(), func(store.Queries) error {
					ready.Done()
					<-held
					return nil
				})
				if err != nil {
					t.Error(err)
				}
			})
		}
		ready.Wait() // so many at once
		ctx, stop := context.WithTimeout(t.Context(), 100*time.Millisecond)
		if err := db.Tx(ctx, func(store.Queries) error { return nil }); !store.Unavailable(err) {
			t.Errorf("of %d one more: %v", want, err)
		}
		stop()
		close(held)
		wait.Wait()
	}
}

// Through pgbouncer, which gives each transaction another connection.
func TestBehindATransactionPooler(t *testing.T) {
	testdb.Parallel(t)
	bin, err := exec.LookPath("pgbouncer")
	if err != nil {
		t.Fatal("pgbouncer is not installed; as root run: apt-get install pgbouncer")
	}
	d := testdb.New(t)
	u, err := url.Parse(d.URL)
	if err != nil {
		t.Fatal(err)
	}
	password, _ := u.User.Password()
	dir, err := os.MkdirTemp("", "rubricon-pooler")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := l.Addr().(*net.TCPAddr).Port
	l.Close()
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("users", fmt.Sprintf("%q %q\n", u.User.Username(), password))
	write("ini", fmt.Sprintf("[databases]\n* = host=%s port=%s\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = %d\nunix_socket_dir =\nauth_type = scram-sha-256\nauth_file = %s/users\npool_mode = transaction\ndefault_pool_size = 3\n",
		u.Hostname(), u.Port(), port, dir))
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(bin, filepath.Join(dir, "ini"))
	if os.Geteuid() == 0 {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	u.Host = fmt.Sprint("127.0.0.1:", port)
	address := with(t, u.String(), "default_query_exec_mode", "exec")
	var db *store.DB
	for until := time.Now().Add(20 * time.Second); ; {
		if db, err = store.Open(t.Context(), address); err == nil {
			break
		}
		if time.Now().After(until) {
			t.Fatal(err)
		}
	}
	t.Cleanup(db.Close)
	cases := testdb.Service(db)
	var wait sync.WaitGroup
	for n := range 12 {
		wait.Go(func() {
			for range 20 {
				at := store.Place{School: mara.School, Year: mara.Year, Student: fmt.Sprintf("s%04d", 1+n)}
				if _, err := cases.Sheet.Sheet(context.Background(), d.Account(t, "office"), at); err != nil {
					t.Error(err)
					return
				}
			}
		})
	}
	wait.Wait()
	d.Exec(t, `INSERT INTO school (id, name) SELECT 'x' || n, 'X' FROM generate_series(1, 5) n`)
	sees(t, db)
	// The job queue looks for itself there, since nothing is heard.
	queue, err := jobs.Start(t.Context(), db, cases, jobs.Post{}, nil, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	task, err := cases.Background.StartExport(t.Context(), d.Account(t, "office"), mara.School, mara.Year, "zip")
	if err != nil {
		t.Fatal(err)
	}
	for until := time.Now().Add(20 * time.Second); testdb.Value[string](t, d, `SELECT state FROM task WHERE id = $1`, task.ID) != "done"; {
		if time.Now().After(until) {
			t.Fatal("the export was not done")
		}
	}
}

func TestSchemas(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.Empty(t)
	if _, err := store.Open(t.Context(), d.URL); err != nil {
		t.Error("an empty schema:", err)
	}
	var wait sync.WaitGroup
	for range 4 { // any number may bring it up to date at once
		wait.Go(func() {
			if err := store.Migrate(context.Background(), d.Owner); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	d.Exec(t, `INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, true)`)
	if newer, err := store.Open(t.Context(), d.URL); err != nil {
		t.Errorf("a newer schema that serves older programs: %v", err)
	} else if newer.Close(); store.Migrate(t.Context(), d.Owner) != nil { // there is nothing to do
		t.Error("an older program's migrate fails on it")
	}
	d.Exec(t, `CREATE OR REPLACE FUNCTION oldest_program() RETURNS bigint LANGUAGE sql IMMUTABLE AS 'SELECT 98::bigint'`)
	if _, err := store.Open(t.Context(), d.URL); err == nil || !strings.Contains(err.Error(), "serves programs of version 98 or later, this one is of ") {
		t.Errorf("a newer schema that serves them no longer: %v", err)
	}
	d.Exec(t, `DROP TABLE goose_db_version`)
	if _, err := store.Open(t.Context(), d.URL); err == nil || !strings.Contains(err.Error(), "run rubricon migrate as the owner") {
		t.Errorf("no schema: %v", err)
	}
	if _, err := store.Open(t.Context(), "postgres://x:y@127.0.0.1:1/z"); err == nil || !strings.Contains(err.Error(), "cannot be reached") {
		t.Errorf("no server: %v", err)
	}
	for _, bad := range []string{"nonsense://", "postgres://a:b@[::1/x", "host=a port=many"} {
		if _, err := store.Open(t.Context(), bad); err == nil || !strings.Contains(err.Error(), "cannot be read") {
			t.Errorf("%s: %v", bad, err)
		}
		if err := store.Migrate(t.Context(), bad); err == nil || strings.Contains(err.Error(), bad) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

func TestUnavailable(t *testing.T) {
	testdb.Parallel(t)
	code := func(c string) error { return fmt.Errorf("saving: %w", &pgconn.PgError{Code: c}) }
	for _, c := range []struct {
		err  error
		want bool
	}{
		{code("08006"), true}, {code("53300"), true}, {code("57P01"), true}, {code("57P03"), true}, {code("55P03"), true}, {code("57014"), true}, {code("40P01"), true}, {code("40001"), true},
		{code("25P03"), true}, {code("23505"), false}, {code("42601"), false}, {code("22021"), false}, {code("57000"), false},
		{io.ErrUnexpectedEOF, true}, {io.EOF, true}, {driver.ErrBadConn, true}, {fmt.Errorf("x: %w", context.DeadlineExceeded), true}, {&net.OpError{Err: errors.New("refused")}, true},
		{net.ErrClosed, true}, {context.Canceled, false}, {errors.New("anything"), false}, {store.ErrNotFound, false}, {nil, false},
	} {
		if got := store.Unavailable(c.err); got != c.want {
			t.Errorf("%v: %v", c.err, got)
		}
	}
}

// A change is written only on the version and the facts it was decided on, and then whole.
func TestSaveChange(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	q := d.Open(t).Queries()
	row, err := q.Sheet.Sheet(t.Context(), mara)
	if err != nil {
		t.Fatal(err)
	}
	claim := testdb.Value[int64](t, d, `SELECT id FROM signal WHERE student_id = 's0001' AND kind = 'claim'`)
	mark := int64(8300)
	change := func() *store.Change {
		c := &store.Change{Place: mara, Version: row.Version + 1, FactsVersion: row.Facts, At: testdb.Now, Actor: store.Actor{ID: "k1", Name: "Ms Arden"}, Kind: "all", Reason: "why", Key: "key", Digest: "digest",
			Detail: map[string]any{"message": "m"}, State: row.SheetState,
			Delete: []string{"CER1"}, Upsert: []store.EntryRow{{Course: "AST1", Alternate: true, Rank: 2, StandsFor: "HLT1"}, {Course: "TID1", Rank: 9}, {Course: "ENG10", Rank: 13}},
			Submission: &store.Submission{Receipt: "R-1", Catalog: 1, Policy: 1, Entries: []store.EntryRow{{Course: "TID1", Rank: 1}}, Judgement: map[string]bool{"ready": true}},
			Settle:     &store.Settlement{Claim: claim, Answer: "confirmed"}, Signals: []*store.SignalRow{{Kind: "waiver", Code: "PHY1", By: "k1", Note: "n", Cells: store.Cells{"a": "b"}}},
			Records: []*store.RecordRow{{Code: "ALG1", Title: "T", Subjects: []string{"X"}, Year: 2026, Credits: 100, Mark: &mark, Outcome: "transfer", Cells: store.Cells{}}}}
		c.State.State, c.State.Submission, c.State.Asked, c.State.Message, c.State.Undoable = "submitted", 1, "asked", "message", 4
		c.State.Undoes, c.State.Redoable = &store.JSON[store.Trace]{V: store.Trace{Act: "request", Course: "TID1", At: testdb.Now}}, 3
		c.State.ChangedAt, c.State.ClearedAt = &testdb.Now, &testdb.Now
		c.State.Looked = &store.JSON[[]store.EntryRow]{V: []store.EntryRow{{Course: "TID1", Rank: 1}}}
		return c
	}
	everything := `SELECT (SELECT count(*) FROM event) || ' ' || (SELECT count(*) FROM submission) || ' ' || (SELECT count(*) FROM entry WHERE student_id = 's0001') || ' ' ||
		(SELECT count(*) FROM signal WHERE student_id = 's0001' AND settled = '') || ' ' || (SELECT count(*) FROM record WHERE here) || ' ' || (SELECT version || ' ' || facts_version || state FROM sheet WHERE student_id = 's0001')`
	was := testdb.Value[string](t, d, everything)
	for name, spoil := range map[string]func(*store.Change){
		"an older version": func(c *store.Change) { c.Version-- }, "a newer version": func(c *store.Change) { c.Version++ }, "other facts": func(c *store.Change) { c.FactsVersion++ },
		"another student": func(c *store.Change) { c.Student = "nobody" }, "another year": func(c *store.Change) { c.Year++ }, "another school": func(c *store.Change) { c.School = "x" },
	} {
		c := change()
		spoil(c)
		if saved, err := q.Sheet.SaveChange(t.Context(), c); saved || err != nil {
			t.Errorf("%s: saved %v, %v", name, saved, err)
		}
		if now := testdb.Value[string](t, d, everything); now != was {
			t.Errorf("%s: from %s to %s", name, was, now)
		}
	}
	if saved, err := q.Sheet.SaveChange(t.Context(), change()); !saved || err != nil {
		t.Fatalf("saved %v, %v", saved, err)
	}
	now, err := q.Sheet.Sheet(t.Context(), mara)
	if err != nil {
		t.Fatal(err)
	}
	if now.Version != row.Version+1 || now.Facts != row.Facts+1 || now.State != "submitted" || *now.Receipt != "R-1" || now.Asked != "asked" || now.Message != "message" || now.Undoable != 4 || now.Undoes.V.Course != "TID1" || now.Redoable != 3 ||
		!now.Touched || !now.ChangedAt.Equal(testdb.Now) || !now.ClearedAt.Equal(testdb.Now) || !now.SubmittedAt.Equal(testdb.Now) || len(now.Looked.V) != 1 || now.Submitted.V[0].Course != "TID1" {
		t.Errorf("the sheet: %+v", now)
	}
	var entries []string
	for _, e := range now.Entries {
		entries = append(entries, fmt.Sprintf("%s%v%d%s", e.Course, e.Alternate, e.Rank, e.StandsFor))
	}
	if got := strings.Join(entries, " "); got != "ALG2false2 WLD2false3 PHY1false4 NOR2false5 HLT1false6 ROW1false7 TID1false9 ENG10false13 PRI1true1CER1 AST1true2HLT1" {
		t.Errorf("entries: %s", got)
	}
	facts, err := q.Sheet.Facts(t.Context(), mara.School, mara.Year, []string{"s0001"})
	if err != nil {
		t.Fatal(err)
	}
	last := facts["s0001"].Signals.V[len(facts["s0001"].Signals.V)-1]
	record := facts["s0001"].Records.V[len(facts["s0001"].Records.V)-1]
	if last.Kind != "waiver" || last.Code != "PHY1" || last.By != "k1" || last.ByName != "Ms Arden" || last.Note != "n" || record.Code != "ALG1" || *record.Mark != 8300 || record.Subjects[0] != "X" {
		t.Errorf("signal %+v, record %+v", last, record)
	}
	if got := testdb.Value[string](t, d, `SELECT settled FROM signal WHERE id = $1`, claim); got != "confirmed" {
		t.Errorf("the claim is %q", got)
	}
	events, err := q.Sheet.Events(t.Context(), mara, 0, 10)
	if err != nil || len(events) != 1 || events[0].Actor != "Ms Arden" || events[0].Kind != "all" || events[0].Reason != "why" || events[0].Detail.V.Message != "m" || !events[0].At.Equal(testdb.Now) {
		t.Errorf("events: %+v, %v", events, err)
	}
	if got, err := q.Sheet.Answered(t.Context(), mara, row.Version, "key"); got != "digest" || err != nil {
		t.Errorf("what was asked with the key: %q, %v", got, err)
	}
	if _, err := q.Sheet.Answered(t.Context(), mara, row.Version, "other"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("what was asked with another key: %v", err)
	}
	if _, err := q.Sheet.Answered(t.Context(), mara, now.Version, "key"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a key counts from before: %v", err)
	}
	// Signing writes under the submission that stands, with whatever facts there are.
	sign := &store.Change{Place: mara, Version: now.Version + 1, At: testdb.Now, Actor: store.Actor{ID: "g0001", Name: "Ilse Quill"}, Kind: "sign", Reason: "", Detail: 1, State: now.SheetState, Signature: &store.Signature{}}
	if saved, err := q.Sheet.SaveChange(t.Context(), sign); !saved || err != nil {
		t.Fatalf("saved %v, %v", saved, err)
	}
	if now, _ = q.Sheet.Sheet(t.Context(), mara); len(now.Signatures.V) != 1 || now.Signatures.V[0].Name != "Ilse Quill" || now.Signatures.V[0].Person != "g0001" || now.Signatures.V[0].ForFamily || now.Facts != row.Facts+1 {
		t.Errorf("signatures: %+v", now.Signatures.V)
	}
}

// What the database itself refuses.
func TestTheDatabaseGuardsItself(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	db := d.Open(t)
	for _, text := range []string{
		`INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord) VALUES ('pellworth', 2027, 's0001', 'NOPE', 'request', 1, 1)`,
		`INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for) VALUES ('pellworth', 2027, 's0001', 'AST1', 'request', 1, 1, 'CER1')`,
		`INSERT INTO course VALUES ('pellworth', 2027, E'A\x1eB')`, `INSERT INTO course VALUES ('pellworth', 2027, '')`,
		`UPDATE sheet SET state = 'submitted' WHERE student_id = 's0001'`, `UPDATE sheet SET state = 'dreaming'`, `UPDATE sheet SET undoable = -1`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'counsels', 'k1', 's0001', 'office')`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, year, source) VALUES ('pellworth', 'counsels', 'nobody', 's0001', 2027, 'office')`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'administers', 'k1', 's0001', 'office')`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, source) SELECT school_id, kind, person_id, student_id, source FROM relation WHERE kind = 'guards' LIMIT 1`,
		`INSERT INTO request_window VALUES ('pellworth', 2027, 9, '', now(), now(), now())`, `INSERT INTO request_window VALUES ('pellworth', 2027, 9, 's0001', now(), now() + interval '1 day', now() + interval '2 days')`,
		`INSERT INTO signature VALUES ('pellworth', 2027, 's0001', 1, 'g0001', 'x', now(), false, '', '[]')`,
		`UPDATE signal SET settled = 'confirmed' WHERE kind <> 'claim'`, `INSERT INTO account (username) VALUES ('')`, `INSERT INTO school VALUES ('', 'x')`,
		`UPDATE person SET account_id = (SELECT account_id FROM person WHERE id = 's0001') WHERE id = 's0002'`,
	} {
		_, err := db.Pool().ExecContext(t.Context(), text)
		var refused *pgconn.PgError
		if !errors.As(err, &refused) || refused.Code[:2] != "23" {
			t.Errorf("%s gives %v, want a violated constraint", text, err)
		}
	}
}

// New versions of catalog and policy are made only where they differ from those in force.
func TestPublishYear(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.Empty(t)
	db := d.Open(t)
	source := func(title, policy string) store.Source {
		return store.Source{Files: map[string]store.Sheetful{"courses.csv": {Header: []string{"a"}, Rows: [][]string{{title}}}}, Policy: policy}
	}
	for i, c := range []struct {
		title, policy, name string
		want                string
	}{
		{"A", "p", "One", "1 1"}, {"A", "p", "Two", "1 1"}, {"B", "p", "Two", "2 1"}, {"B", "q", "Two", "2 2"}, {"A", "p", "Two", "3 3"},
	} {
		var got string
		err := db.Tx(t.Context(), func(q store.Queries) error {
			catalog, policy, err := q.Year.PublishYear(t.Context(), "x", c.name, 2030, source(c.title, c.policy), []string{c.title}, map[string][]string{"users.csv": {c.title}}, 0, testdb.Now)
			got = fmt.Sprint(catalog, " ", policy)
			return err
		})
		if err != nil || got != c.want {
			t.Errorf("%d: versions %s, %v, want %s", i, got, err, c.want)
		}
		row, err := db.Queries().Year.YearRow(t.Context(), "x", 2030)
		if err != nil || row.SchoolName != c.name || fmt.Sprint(row.Catalog, " ", row.Policy) != c.want {
			t.Errorf("%d: in force %+v, %v", i, row, err)
		}
		if s, err := db.Queries().Year.Source(t.Context(), "x", 2030, row.Catalog, row.Policy); err != nil || s.Policy != c.policy || s.Files["courses.csv"].Rows[0][0] != c.title {
			t.Errorf("%d: source %+v, %v", i, s, err)
		}
	}
	if s, err := db.Queries().Year.Source(t.Context(), "x", 2030, 1, 2); err != nil || s.Policy != "q" || s.Files["courses.csv"].Rows[0][0] != "A" {
		t.Errorf("an earlier version: %+v, %v", s, err)
	}
	if _, err := db.Queries().Year.Source(t.Context(), "x", 2030, 9, 1); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a version that is not there: %v", err)
	}
	// What is changed here stands on the versions that were looked at, or does nothing.
	for _, c := range []struct {
		catalog, policy int64
		done            bool
		want            string
	}{{3, 2, false, "3 3"}, {2, 3, false, "3 3"}, {3, 3, true, "3 4"}, {3, 3, false, "3 4"}} {
		var done bool
		err := db.Tx(t.Context(), func(q store.Queries) (err error) {
			done, err = q.Year.Revise(t.Context(), "x", 2030, store.Versions{Catalog: c.catalog, Policy: c.policy}, source("A", "r"), []string{"A"}, "Ada", "Because.", testdb.Now)
			return err
		})
		row, _ := db.Queries().Year.YearRow(t.Context(), "x", 2030)
		if got := fmt.Sprint(row.Catalog, " ", row.Policy); err != nil || done != c.done || got != c.want {
			t.Errorf("revised on %d and %d: %v, %v, in force %s, want %s", c.catalog, c.policy, done, err, got, c.want)
		}
	}
	list, err := db.Queries().Year.SourceVersions(t.Context(), "x", 2030)
	if err != nil || len(list) != 7 || list[3].Kind != "rules" || list[3].Version != 4 || list[3].By != "Ada" || list[3].Reason != "Because." {
		t.Errorf("the versions: %+v, %v", list, err)
	}
	if n, err := db.Queries().Year.Newest(t.Context(), "x"); n != 2030 || err != nil {
		t.Errorf("the newest year is %d, %v", n, err)
	}
	if n, err := db.Queries().Year.Newest(t.Context(), "y"); n != 0 || err != nil {
		t.Errorf("the newest year of no school is %d, %v", n, err)
	}
}

func TestForgetting(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	q := d.Open(t).Queries()
	account := d.Account(t, "mara.quill")
	ctx, now := t.Context(), testdb.Now
	for i, life := range []time.Duration{-time.Second, time.Hour} {
		if begun, err := q.Account.BeginSession(ctx, &store.NewSession{Token: fmt.Sprint("t", i), Account: account, Data: []byte("x"), Agent: "agent", Expiry: now.Add(life)}, now); err != nil || !begun {
			t.Fatal(begun, err)
		}
	}
	if _, err := q.Account.SessionData(ctx, "t0", now); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a session that is over is found: %v", err)
	}
	list, err := q.Account.Sessions(ctx, account, now)
	if err != nil || len(list) != 1 || list[0].Token != "t1" {
		t.Errorf("sessions: %+v, %v", list, err)
	}
	for key, at := range map[string]time.Time{"old": now.Add(-25 * time.Hour), "new": now.Add(-23 * time.Hour)} {
		if _, err := q.Account.Press(ctx, key, store.Pressure{Free: 1, Decay: time.Hour, Longest: time.Hour}, at); err != nil {
			t.Fatal(err)
		}
	}
	if err := q.Account.ForgetOld(ctx, now); err != nil {
		t.Fatal(err)
	}
	if got := testdb.Value[string](t, d, `SELECT string_agg(token, ' ') FROM session`) + testdb.Value[string](t, d, `SELECT string_agg(key, ' ') FROM sign_in_pressure`); got != "t1new" {
		t.Errorf("left: %s", got)
	}
	for i := range store.MaxDevices + 3 {
		if err := q.Account.RememberDevice(ctx, account, fmt.Sprint("d", i), now.Add(time.Duration(i)*time.Second)); err != nil {
			t.Fatal(err)
		}
	}
	for token, want := range map[string]bool{"d0": false, "d2": false, "d3": true, "d22": true} {
		if got, err := q.Account.KnowsDevice(ctx, "mara.quill", token); got != want || err != nil {
			t.Errorf("device %s known: %v, %v", token, got, err)
		}
	}
	if got, _ := q.Account.KnowsDevice(ctx, "ilse.quill", "d22"); got {
		t.Error("somebody else's device is known")
	}
}

// Attempts are counted one after the other, however many come at once, and forgotten with time.
func TestPress(t *testing.T) {
	testdb.Parallel(t)
	q := testdb.New(t).Open(t).Queries()
	p := store.Pressure{Free: 3, Decay: time.Minute, Longest: 8 * time.Second}
	now := testdb.Now
	press := func(after time.Duration) time.Duration {
		t.Helper()
		now = now.Add(after)
		wait, err := q.Account.Press(t.Context(), "k", p, now)
		if err != nil {
			t.Fatal(err)
		}
		return wait
	}
	var waits []string
	for _, after := range []time.Duration{0, 0, 0, 0, time.Second, 500 * time.Millisecond, 1500 * time.Millisecond, time.Second, 4 * time.Second, 0, 8 * time.Second, 0, 10 * time.Minute, 0, 0, 0} {
		waits = append(waits, press(after).String())
	}
	if got := strings.Join(waits, " "); got != "0s 0s 0s 1s 0s 1.5s 0s 3s 0s 8s 0s 8s 0s 0s 0s 1s" {
		t.Errorf("waits: %s", got)
	}
	if err := q.Account.ReleaseOne(t.Context(), "k"); err != nil || press(0) != 0 {
		t.Errorf("one taken back: %v", err)
	}
	if err := q.Account.Release(t.Context(), "k"); err != nil || press(0) != 0 || press(0) != 0 || press(0) != 0 || press(0) == 0 {
		t.Errorf("all taken back: %v", err)
	}
}
