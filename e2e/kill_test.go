package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
	websheet "rubricon/web/sheet"
)

// process is the real program, serving.
type process struct {
	cmd *exec.Cmd
	url string
}

func start(t *testing.T, binary, database string) *process {
	t.Helper()
	cmd := exec.Command(binary, "serve", "--listen", "127.0.0.1:0")
	cmd.Env = append(os.Environ(), "RUBRICON_DATABASE="+database)
	cmd.Stderr = io.Discard
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	return &process{cmd, strings.Fields(line[strings.Index(line, "http://"):])[0]}
}

func post(client *http.Client, url, body string, answer any) (int, error) {
	res, err := client.Post(url, "application/json", strings.NewReader(body))
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != 200 {
		return res.StatusCode, err
	}
	return res.StatusCode, json.Unmarshal(text, answer)
}

// TestKillLosesNothingAnswered kills the server in the middle of a stream of changes, several times; what was answered is there
// after each start, and nothing that was never asked for.
func TestKillLosesNothingAnswered(t *testing.T) {
	t.Parallel()
	binary := filepath.Join(t.TempDir(), "rubricon")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/rubricon").CombinedOutput(); err != nil {
		t.Fatalf("building: %v\n%s", err, out)
	}
	database := testdb.New(t)
	cases := app.New(database.Open(t), app.Options{Log: testdb.Quiet})
	now := time.Now()
	window := appcatalog.Window{Grade: -1, Opens: now.Add(-time.Hour), Families: now.Add(time.Hour), Counselors: now.Add(2 * time.Hour)}
	if err := cases.Catalog.SetWindow(t.Context(), demo.SchoolID, testdb.Year, window); err != nil {
		t.Fatal(err)
	}
	const sheet = "/api/schools/pellworth/years/2027/students/s0001/sheet"
	mara := schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}
	first, err := cases.Sheet.Sheet(t.Context(), database.Account(t, "mara.quill"), mara)
	if err != nil {
		t.Fatal(err)
	}
	version := first.Row.Version
	on := false // whether Astronomy was an alternate in the last answer
	for round := range 3 {
		p := start(t, binary, database.URL)
		jar, _ := cookiejar.New(nil)
		client := &http.Client{Jar: jar, Timeout: 20 * time.Second}
		if status, err := post(client, p.url+"/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password), &struct{}{}); status != 200 {
			t.Fatalf("signing in: %d, %v", status, err)
		}
		var answered atomic.Int64
		killed := make(chan struct{})
		go func() { // the kill comes at no particular moment of a change
			for answered.Load() < int64(15+round) {
				time.Sleep(time.Millisecond)
			}
			_ = p.cmd.Process.Signal(syscall.SIGKILL)
			close(killed)
		}()
		for {
			act := "alternate"
			if on {
				act = "remove"
			}
			var view websheet.SheetView
			status, err := post(client, p.url+sheet+"/changes", fmt.Sprintf(`{"version":%d,"act":%q,"course":"AST1"}`, version, act), &view)
			if err != nil {
				break // the server is gone; this change was not answered
			}
			if status != 200 {
				t.Fatalf("a change gives %d", status)
			}
			if view.Version != version+1 {
				t.Fatalf("version %d follows %d", view.Version, version)
			}
			version, on = view.Version, !on
			answered.Add(1)
		}
		<-killed
		_ = p.cmd.Wait()
		d, err := cases.Sheet.Sheet(t.Context(), database.Account(t, "mara.quill"), mara)
		if err != nil {
			t.Fatal(err)
		}
		has := false
		for _, e := range d.Row.Entries {
			has = has || e.Course == "AST1" && e.Alternate
		}
		switch d.Row.Version {
		case version:
			if has != on {
				t.Fatalf("round %d: version %d is there, but not its change", round, version)
			}
		case version + 1: // the change under way was kept, and could not be answered any more
			if has == on {
				t.Fatalf("round %d: version %d is there, but not its change", round, version+1)
			}
			version, on = d.Row.Version, has
		default:
			t.Fatalf("round %d: version %d was answered, %d is there", round, version, d.Row.Version)
		}
	}
}

// TestKillLeavesNoTaskUndone kills the server while it takes data in; the next one takes the task up again.
func TestKillLeavesNoTaskUndone(t *testing.T) {
	t.Parallel()
	binary := filepath.Join(t.TempDir(), "rubricon")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/rubricon").CombinedOutput(); err != nil {
		t.Fatalf("building: %v\n%s", err, out)
	}
	database := testdb.New(t)
	cases := app.New(database.Open(t), app.Options{Log: testdb.Quiet})
	office := database.Account(t, "office")
	files, _, err := cases.Imports.Export(t.Context(), demo.SchoolID, testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		if f.Name == "records.csv" {
			f.Rows[0][slices.Index(f.Header, "title")] = "Renamed"
		}
	}
	var file bytes.Buffer
	if err := bundle.WriteZip(&file, files); err != nil {
		t.Fatal(err)
	}
	p := start(t, binary, database.URL)
	task, err := cases.Background.StartImport(t.Context(), office, demo.SchoolID, testdb.Year, "school.zip", file.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	until := func(what string) {
		t.Helper()
		for began := time.Now(); testdb.Value[string](t, database, `SELECT state || ' ' || step FROM task WHERE id = $1`, task.ID) != what; {
			if time.Since(began) > 40*time.Second {
				t.Fatalf("the task is never %s", what)
			}
		}
	}
	until("asking check")
	hold, err := database.SQL(t).BeginTxx(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := hold.Exec(`SELECT 1 FROM sheet WHERE student_id = 's0001' FOR UPDATE`); err != nil {
		t.Fatal(err)
	}
	if _, err := cases.Background.GoOnWithTask(t.Context(), office, demo.SchoolID, testdb.Year, task.ID, 0); err != nil {
		t.Fatal(err)
	}
	until("running write")
	_ = p.cmd.Process.Signal(syscall.SIGKILL)
	_ = p.cmd.Wait()
	_ = hold.Rollback()
	until("running write") // no one has told that its runner is gone
	database.Exec(t, `UPDATE task SET seen_at = seen_at - interval '1 minute'`)
	start(t, binary, database.URL)
	until("done write")
	if n := testdb.Value[int](t, database, `SELECT count(*) FROM record WHERE title = 'Renamed'`); n != 1 {
		t.Errorf("%d records have changed", n)
	}
}

// TestTheDemoNoticesThatItsDatabaseHasEnded kills the demo's database: the demo says so, and ends.
func TestTheDemoNoticesThatItsDatabaseHasEnded(t *testing.T) {
	t.Parallel()
	dir, err := os.MkdirTemp("", "rubricon-demo-end")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil { // the user postgres must reach the folder inside
		t.Fatal(err)
	}
	binary := filepath.Join(dir, "rubricon")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/rubricon").CombinedOutput(); err != nil {
		t.Fatalf("building: %v\n%s", err, out)
	}
	cmd := exec.Command(binary, "demo", "--listen", "127.0.0.1:0")
	cmd.Dir = dir
	var said strings.Builder
	cmd.Stderr = &said
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	lines := bufio.NewScanner(out)
	serves := false
	for !serves && lines.Scan() {
		serves = strings.Contains(lines.Text(), "serves on")
	}
	if !serves {
		t.Fatalf("the demo ends before it serves: %v\n%s", cmd.Wait(), said.String())
	}
	text, err := os.ReadFile(filepath.Join(dir, ".data", "pg", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.Split(string(text), "\n")[0])
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGQUIT); err != nil {
		t.Fatal(err)
	}
	err = cmd.Wait()
	var exit *exec.ExitError
	if !errors.As(err, &exit) || !strings.Contains(said.String(), "the demo's database has ended by itself") || !strings.Contains(said.String(), "Start again with make demo") {
		t.Errorf("it ends with %v, saying %s", err, said.String())
	}
}

// TestKillInTheMiddleOfPlacing kills the server at the end of a run, and in the middle of publishing: the run is run again, publishing is whole or not at all.
func TestKillInTheMiddleOfPlacing(t *testing.T) {
	t.Parallel()
	binary := filepath.Join(t.TempDir(), "rubricon")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/rubricon").CombinedOutput(); err != nil {
		t.Fatalf("building: %v\n%s", err, out)
	}
	database := testdb.New(t)
	db := database.Open(t)
	cases := app.New(db, app.Options{Log: testdb.Quiet})
	office := database.Account(t, "office")
	(&site{t: t, cases: cases}).withSchedule()
	for _, student := range []string{"s0003", "s0004", "s0005"} {
		database.Exec(t, fmt.Sprintf(`INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement)
			VALUES ('pellworth', 2027, '%[1]s', 1, 'R-%[1]s', now(), '%[1]s', 'Test', 1, 1, '[{"c":"CER1","a":false,"r":1,"s":""}]', '{}')`, student))
		database.Exec(t, fmt.Sprintf(`UPDATE sheet SET submission = 1, state = 'submitted', version = version + 1 WHERE student_id = '%s'`, student))
	}
	until := func(what, query string, args ...any) {
		t.Helper()
		for began := time.Now(); !testdb.Value[bool](t, database, query, args...); {
			if time.Since(began) > 40*time.Second {
				t.Fatalf("never: %s", what)
			}
		}
	}
	hold := func(query string) (let func()) {
		t.Helper()
		tx, err := database.SQL(t).BeginTxx(t.Context(), nil)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := tx.Exec(query); err != nil {
			t.Fatal(err)
		}
		return func() { _ = tx.Rollback() }
	}
	kill := func(p *process) {
		t.Helper()
		_ = p.cmd.Process.Signal(syscall.SIGKILL)
		_ = p.cmd.Wait()
	}
	run, err := cases.Schedule.StartRun(t.Context(), office, demo.SchoolID, testdb.Year, 1, 20)
	if err != nil {
		t.Fatal(err)
	}
	let := hold(`SELECT 1 FROM placement_run FOR UPDATE`)
	p := start(t, binary, database.URL)
	until("the run waits to be kept", `SELECT EXISTS (SELECT 1 FROM task WHERE id = $1 AND state = 'running') AND EXISTS (SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query LIKE 'UPDATE placement_run%')`, run.Task)
	kill(p)
	let()
	if n := testdb.Value[int](t, database, `SELECT count(*) FROM placement_given`); n != 0 {
		t.Errorf("%d weeks are there of a run that was killed", n)
	}
	database.Exec(t, `UPDATE task SET seen_at = seen_at - interval '1 minute'`)
	p = start(t, binary, database.URL)
	until("the run is run again", `SELECT state = 'done' FROM task WHERE id = $1`, run.Task)
	if n := testdb.Value[int](t, database, `SELECT count(*) FROM placement_given WHERE given <> '[]'`); n != 3 {
		t.Errorf("%d of 3 have a week", n)
	}

	publish := func(p *process) (int, error) {
		jar, _ := cookiejar.New(nil)
		client := &http.Client{Jar: jar, Timeout: 30 * time.Second}
		if status, err := post(client, p.url+"/api/session", fmt.Sprintf(`{"username":"office","password":%q}`, demo.Password), &struct{}{}); status != 200 {
			return status, err
		}
		return post(client, p.url+"/api/schools/pellworth/years/2027/publications", fmt.Sprintf(`{"run":%d,"grade":-1}`, run.ID), &struct{}{})
	}
	shown := func(want int) {
		t.Helper()
		for _, query := range []string{`SELECT count(*) FROM sheet WHERE state = 'placed'`, `SELECT count(*) FROM event WHERE kind = 'placed'`, `SELECT count(DISTINCT student_id) FROM letter WHERE kind = 'placed'`, `SELECT coalesce(sum(sheets), 0) FROM publication`} {
			if n := testdb.Value[int](t, database, query); n != want {
				t.Errorf("%s: %d, want %d", query, n, want)
			}
		}
	}
	let = hold(`SELECT 1 FROM sheet WHERE student_id = 's0005' FOR UPDATE`)
	gone := make(chan error)
	go func() {
		_, err := publish(p)
		gone <- err
	}()
	until("publishing waits for a sheet", `SELECT EXISTS (SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query LIKE 'WITH who AS%')`)
	kill(p)
	let()
	if err := <-gone; err == nil {
		t.Error("publishing was answered by a server that was killed")
	}
	// What the server had begun ends with its connection.
	until("nothing of it goes on", `SELECT NOT EXISTS (SELECT 1 FROM pg_stat_activity WHERE query LIKE 'WITH who AS%' AND state = 'active' AND pid <> pg_backend_pid())`)
	if n := testdb.Value[int](t, database, `SELECT count(*) FROM publication`); n == 0 {
		shown(0)
		if status, err := publish(start(t, binary, database.URL)); status != 200 || err != nil {
			t.Errorf("publishing again: %d, %v", status, err)
		}
	}
	shown(3)
}
