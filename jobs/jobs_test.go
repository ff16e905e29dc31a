package jobs_test

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/background"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/jobs"
	"rubricon/store"
)

func TestMain(m *testing.M) { testdb.Main(m) }

const office = "office"

// process is a server process that runs jobs.
type process struct {
	*app.App
	queue *jobs.Queue
}

func start(t *testing.T, db testdb.Database) *process {
	t.Helper()
	open := db.Open(t)
	p := &process{App: app.New(open, app.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, Hashes: testdb.Hashes})}
	queue, err := jobs.Start(t.Context(), open, p.App, jobs.Post{}, nil, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	p.queue = queue
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	return p
}

func (p *process) task(t *testing.T, db testdb.Database, id int64) *background.Task {
	t.Helper()
	tasks, err := p.Background.Tasks(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	for _, task := range tasks {
		if task.ID == id {
			return task
		}
	}
	t.Fatalf("there is no task %d", id)
	return nil
}

// until waits for a task to be in a state; the time is for a test that hangs.
func (p *process) until(t *testing.T, db testdb.Database, id int64, good func(*background.Task) bool) *background.Task {
	t.Helper()
	for began := time.Now(); ; {
		task := p.task(t, db, id)
		if good(task) {
			return task
		}
		if time.Since(began) > 40*time.Second {
			t.Fatalf("task %d is %s at %s %d of %d: %+v", id, task.State, task.Step, task.Done, task.Total, task.Outcome)
		}
	}
}

func is(state store.TaskState) func(*background.Task) bool {
	return func(t *background.Task) bool { return t.State == state }
}

// zipped returns the school as it is, changed, as a zip file.
func zipped(t *testing.T, p *process, change func(files map[string]*bundle.File)) []byte {
	t.Helper()
	files, _, err := p.Imports.Export(t.Context(), demo.SchoolID, testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	named := map[string]*bundle.File{}
	for i := range files {
		named[files[i].Name] = &files[i]
	}
	change(named)
	var out bytes.Buffer
	files = nil
	for _, name := range slices.Sorted(maps.Keys(named)) {
		files = append(files, *named[name])
	}
	if err := bundle.WriteZip(&out, files); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// renamed gives the first student's first record another title.
func renamed(files map[string]*bundle.File) {
	f := files["records.csv"]
	f.Rows[0][slices.Index(f.Header, "title")] = "Renamed"
}

func titles(t *testing.T, db testdb.Database) int {
	return testdb.Value[int](t, db, `SELECT count(*) FROM record WHERE title = 'Renamed'`)
}

func (p *process) send(t *testing.T, db testdb.Database, file []byte) int64 {
	t.Helper()
	task, err := p.Background.StartImport(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, "school.zip", file)
	if err != nil {
		t.Fatal(err)
	}
	return task.ID
}

func (p *process) goOn(t *testing.T, db testdb.Database, id int64) {
	t.Helper()
	if _, err := p.Background.GoOnWithTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id, 0); err != nil {
		t.Fatal(err)
	}
}

// held keeps an import from writing students until it is let go.
func held(t *testing.T, db testdb.Database) (letGo func()) {
	t.Helper()
	tx, err := db.SQL(t).BeginTxx(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(`SELECT 1 FROM sheet WHERE student_id = 's0001' FOR UPDATE`); err != nil {
		t.Fatal(err)
	}
	return func() { _ = tx.Rollback() }
}

func writing(t *background.Task) bool { return t.State == store.TaskRunning && t.Step == "write" }

func TestImport(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	id := p.send(t, db, zipped(t, p, renamed))
	task := p.until(t, db, id, is(store.TaskAsking))
	if o := task.Outcome; o.Year != testdb.Year || o.Students != testdb.Students || o.Bad != 0 || o.Confirm() ||
		!strings.HasSuffix(o.Tally.String(), "0 enrollments, 1 records, 0 requests; removed 0 students, 0 guardians, 0 staff, 0 courses, 0 sections, 0 enrollments, 0 records, 0 requests") || o.Tally.Sum().Added != 0 {
		t.Errorf("it asks with %+v", o)
	}
	if n := titles(t, db); n != 0 {
		t.Errorf("%d records have changed before it was agreed to", n)
	}
	p.goOn(t, db, id)
	task = p.until(t, db, id, is(store.TaskDone))
	if task.Step != "write" || task.Done != testdb.Students || task.Total != testdb.Students {
		t.Errorf("it is done at %s %d of %d", task.Step, task.Done, task.Total)
	}
	if n := titles(t, db); n != 1 {
		t.Errorf("%d records have changed", n)
	}
	// What is over takes no more orders.
	if _, err := p.Background.GoOnWithTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id, 0); problem.CodeOf(err) != problem.TaskOver {
		t.Errorf("going on gives %v", err)
	}
	if _, err := p.Background.StopTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id); problem.CodeOf(err) != problem.TaskOver {
		t.Errorf("stopping gives %v", err)
	}
}

func TestBadFilesAreRefused(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	for name, x := range map[string]struct {
		file []byte
		why  string
		said string
	}{
		"a bad row": {zipped(t, p, func(f map[string]*bundle.File) {
			renamed(f)
			f["users.csv"].Rows[0][slices.Index(f["users.csv"].Header, "role")] = "king"
		}), "bad-rows", "users.csv:2: role"},
		"a file that is cut off": {zipped(t, p, renamed)[:5000], "not-zip", ""},
		"no rules":               {zipped(t, p, func(f map[string]*bundle.File) { delete(f, "policy.json") }), "missing-file", "policy.json"},
		"another school": {zipped(t, p, func(f map[string]*bundle.File) {
			for _, file := range f {
				for _, row := range file.Rows {
					for i := range row {
						if row[i] == demo.SchoolID {
							row[i] = "another"
						}
					}
				}
			}
		}), "other-school", "Pellworth"},
	} {
		task := p.until(t, db, p.send(t, db, x.file), is(store.TaskRefused))
		said := task.Outcome.What
		for _, row := range task.Outcome.Problems {
			said += row.String()
		}
		if task.Outcome.Why != x.why || !strings.Contains(said, x.said) {
			t.Errorf("%s: %s, %s; want %s, %s", name, task.Outcome.Why, said, x.why, x.said)
		}
	}
	if n := titles(t, db); n != 0 {
		t.Errorf("%d records have changed", n)
	}
	if _, err := p.Background.StartImport(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, "notes.txt", []byte("hello")); problem.CodeOf(err) != problem.NotZip {
		t.Errorf("a text gives %v", err)
	}
}

func TestStopping(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	letGo := held(t, db)
	defer letGo()
	id := p.send(t, db, zipped(t, p, renamed))
	p.until(t, db, id, is(store.TaskAsking))
	p.goOn(t, db, id)
	p.until(t, db, id, writing)
	if task, err := p.Background.StopTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id); err != nil || !task.Stop {
		t.Fatalf("%+v, %v", task, err)
	}
	p.until(t, db, id, is(store.TaskStopped))
	letGo()
	if n := titles(t, db); n != 0 {
		t.Errorf("%d records have changed", n)
	}
	p.goOn(t, db, id) // again, without asking once more
	p.until(t, db, id, is(store.TaskDone))
	if n := titles(t, db); n != 1 {
		t.Errorf("%d records have changed", n)
	}
}

// A process that ends leaves its tasks to the next.
func TestAProcessThatEndsLeavesItsTasks(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	first := start(t, db)
	letGo := held(t, db)
	defer letGo()
	id := first.send(t, db, zipped(t, first, renamed))
	first.until(t, db, id, is(store.TaskAsking))
	first.goOn(t, db, id)
	first.until(t, db, id, writing)
	if err := first.queue.Stop(t.Context()); err != nil {
		t.Fatal(err)
	}
	if task := first.task(t, db, id); task.State != store.TaskWaiting || task.Begun != 0 {
		t.Errorf("it is %s after %d runs", task.State, task.Begun)
	}
	letGo()
	second := start(t, db)
	second.until(t, db, id, is(store.TaskDone))
	if n := titles(t, db); n != 1 {
		t.Errorf("%d records have changed", n)
	}
}

// A process that is gone without a word is noticed by the next; a task that has broken off three times is left.
func TestAProcessThatIsGone(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	id := p.send(t, db, zipped(t, p, renamed))
	p.until(t, db, id, is(store.TaskAsking))
	if err := p.queue.Stop(t.Context()); err != nil {
		t.Fatal(err)
	}
	gone := func(begun int) {
		db.Exec(t, `UPDATE task SET state = 'running', agreed = true, begun = $2, seen_at = now() - interval '1 minute' WHERE id = $1`, id, begun)
	}
	gone(1)
	second := start(t, db)
	second.until(t, db, id, is(store.TaskDone))
	if n := titles(t, db); n != 1 {
		t.Errorf("%d records have changed", n)
	}
	if err := second.queue.Stop(t.Context()); err != nil {
		t.Fatal(err)
	}
	gone(3)
	third := start(t, db)
	if task := third.until(t, db, id, is(store.TaskFailed)); task.Outcome.Why != "broken" {
		t.Errorf("it has failed for %s", task.Outcome.Why)
	}
	// One that is seen to is left alone.
	db.Exec(t, `UPDATE task SET state = 'running', begun = 1, seen_at = now() WHERE id = $1`, id)
	if err := third.Background.RunTask(t.Context(), demo.SchoolID, id); err != nil {
		t.Fatal(err)
	}
	if task := third.task(t, db, id); task.State != store.TaskRunning || task.Begun != 1 {
		t.Errorf("it is %s after %d runs", task.State, task.Begun)
	}
}

func TestExport(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	task, err := p.Background.StartExport(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, "zip")
	if err != nil {
		t.Fatal(err)
	}
	p.until(t, db, task.ID, is(store.TaskDone))
	name, content, err := p.Background.TaskFile(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, task.ID)
	if err != nil || name != "pellworth-2027-28.zip" {
		t.Fatalf("%s, %v", name, err)
	}
	b, err := bundle.OpenZip(content)
	if err != nil || len(b.Problems) > 0 || len(b.Pupils) != testdb.Students || b.SchoolID != demo.SchoolID {
		t.Errorf("it has %d students, %v, %v", len(b.Pupils), b.Problems, err)
	}
}

func TestOnlySoManyTasksAtOnce(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	s := app.New(db.Open(t), app.Options{Log: testdb.Quiet}) // nothing runs them
	for n := range 5 {
		_, err := s.Background.StartExport(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, "zip")
		if got, want := problem.CodeOf(err), map[bool]problem.Code{true: problem.TooManyTasks}[n == 4]; got != want {
			t.Errorf("number %d gives %v", n, err)
		}
	}
}

// What was exported and comes back untouched, as a zip file or as a workbook, would change nothing.
func TestAnUntouchedExportChangesNothing(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	at := schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}
	d, err := p.Sheet.Sheet(t.Context(), db.Account(t, "mara.quill"), at)
	if err == nil {
		_, err = p.Sheet.Change(t.Context(), db.Account(t, "mara.quill"), at, appsheet.Edit{Version: d.Row.Version, Act: "alternate", Course: "PHO1"})
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, form := range []string{"zip", "xlsx"} {
		out, err := p.Background.StartExport(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, form)
		if err != nil {
			t.Fatal(err)
		}
		p.until(t, db, out.ID, is(store.TaskDone))
		_, file, err := p.Background.TaskFile(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, out.ID)
		if err != nil {
			t.Fatal(err)
		}
		id := p.send(t, db, file)
		o := p.until(t, db, id, is(store.TaskAsking)).Outcome
		if sum := o.Tally.Sum(); sum.Added+sum.Changed+sum.Removed+sum.With > 0 || len(o.Diffs) > 0 || o.Policy {
			t.Errorf("%s: %s; %+v, policy %v", form, o.Tally, o.Diffs, o.Policy)
		}
		if _, err := p.Background.StopTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id); err != nil {
			t.Fatal(err)
		}
	}
}

// Where much would go, an import goes on only with the number; a file that is absent leaves what it would describe.
func TestMuchGoesOnlyWithTheNumber(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	records := func() int { return testdb.Value[int](t, db, `SELECT count(*) FROM record`) }
	before, entries := records(), testdb.Value[int](t, db, `SELECT count(*) FROM entry`)
	id := p.send(t, db, zipped(t, p, func(files map[string]*bundle.File) {
		for name := range files {
			if name != "policy.json" && name != "records.csv" {
				delete(files, name)
			}
		}
		files["records.csv"].Rows = nil
	}))
	task := p.until(t, db, id, is(store.TaskAsking))
	if o := task.Outcome; !o.Confirm() || o.Tally.Sum().Removed != before || o.Tally.Sum().Added+o.Tally.Sum().Changed != 0 {
		t.Fatalf("%d records are there, and it asks with %s", before, o.Tally)
	}
	for _, n := range []int{0, before - 1, before + 1} {
		if _, err := p.Background.GoOnWithTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id, n); problem.CodeOf(err) != problem.BadRemovals {
			t.Errorf("with %d of %d: %v", n, before, err)
		}
	}
	if _, err := p.Background.GoOnWithTask(t.Context(), db.Account(t, office), demo.SchoolID, testdb.Year, id, before); err != nil {
		t.Fatal(err)
	}
	p.until(t, db, id, is(store.TaskDone))
	if n, now := records(), testdb.Value[int](t, db, `SELECT count(*) FROM entry`); n != 0 || now != entries || testdb.Value[int](t, db, `SELECT count(*) FROM person WHERE NOT present`) != 0 {
		t.Errorf("%d records are left; of %d entries %d", n, entries, now)
	}
}

// What an import asks a second time, since more would go than was agreed to, it asks again after it was left and begun again: an earlier yes does not count.
func TestAnEarlierYesDoesNotCount(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	p := start(t, db)
	who := db.Account(t, office)
	db.Exec(t, `DELETE FROM record WHERE id NOT IN (SELECT id FROM record ORDER BY id LIMIT 3)`)
	id := p.send(t, db, zipped(t, p, func(files map[string]*bundle.File) { files["records.csv"].Rows = nil }))
	if o := p.until(t, db, id, is(store.TaskAsking)).Outcome; o.Confirm() || o.Tally.Sum().Removed != 3 {
		t.Fatalf("it asks with %s", o.Tally)
	}
	db.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, outcome, cells)
		SELECT r.school_id, r.student_id, 100 + n, 'OLD' || n, '', '[]', 2025, '', 100, 'earned', jsonb_build_object('student', r.student_id, 'courseCode', 'OLD' || n, 'schoolYear', '2025-26', 'credits', '1', 'outcome', 'earned')
		FROM (SELECT * FROM record ORDER BY id LIMIT 1) r, generate_series(1, 40) n`)
	again := func(what string) {
		t.Helper()
		if o := p.until(t, db, id, is(store.TaskAsking)).Outcome; !o.Confirm() || o.Tally.Sum().Removed != 43 {
			t.Fatalf("%s it asks with %s", what, o.Tally)
		}
		if n := testdb.Value[int](t, db, `SELECT count(*) FROM record`); n != 43 {
			t.Fatalf("%s %d records are left", what, n)
		}
	}
	if _, err := p.Background.GoOnWithTask(t.Context(), who, demo.SchoolID, testdb.Year, id, 0); err != nil {
		t.Fatal(err)
	}
	again("after a yes to fewer")
	if _, err := p.Background.StopTask(t.Context(), who, demo.SchoolID, testdb.Year, id); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Background.GoOnWithTask(t.Context(), who, demo.SchoolID, testdb.Year, id, 0); err != nil {
		t.Fatal(err)
	}
	again("left and begun anew")
}
