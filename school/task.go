package school

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/store"
)

// Work that takes long is done aside: it is noted as a task and put on the job queue (package jobs runs it), in whichever server
// process there is time. A task outlives the process that runs it: another takes it up again when its runner is gone.

// Task is work that takes long, as people see it.
type Task struct {
	store.TaskRow
	Outcome Outline
}

// TaskAct is something that may be done with a task.
type TaskAct string

// The acts.
const (
	TaskGoOn  TaskAct = "goOn"  // say yes to what it asks
	TaskAgain TaskAct = "again" // let it begin again
	TaskStop  TaskAct = "stop"
	TaskTake  TaskAct = "file" // take the file it has made
)

// Acts lists what may be done with a task.
func (t *Task) Acts() []TaskAct {
	switch {
	case t.State == store.TaskAsking:
		return []TaskAct{TaskGoOn, TaskStop}
	case t.State == store.TaskWaiting, t.State == store.TaskRunning && !t.Stop:
		return []TaskAct{TaskStop}
	case t.State == store.TaskDone && t.Kind == "export" && t.HasFile:
		return []TaskAct{TaskTake}
	case (t.State == store.TaskStopped || t.State == store.TaskFailed) && (t.Kind == "export" || t.HasFile):
		return []TaskAct{TaskAgain}
	}
	return nil
}

// Outline is what a task has found or done.
type Outline struct {
	Year     int              `json:"year,omitempty"` // of the data
	Students int              `json:"students,omitempty"`
	New      int              `json:"new,omitempty"`      // students who were not there
	Changed  int              `json:"changed,omitempty"`  // students of whom something differs
	Gone     int              `json:"gone,omitempty"`     // students who are here and not in the data; they stay
	Files    []FileRows       `json:"files,omitempty"`    // of the bundle
	Bad      int              `json:"bad,omitempty"`      // rows that cannot be read
	Problems []bundle.Problem `json:"problems,omitempty"` // the first of them
	Notices  []bundle.Problem `json:"notices,omitempty"`  // rows that can be read and should be looked at, the first of them
	Kept     []string         `json:"kept,omitempty"`     // students whose sheets were worked on here and stay as they are, the first of them
	KeptAll  int              `json:"keptAll,omitempty"`  // how many
	Left     []string         `json:"left,omitempty"`     // requests that no bundle can hold, the first of them
	Why      string           `json:"why,omitempty"`      // a code: why it was refused or has failed
	What     string           `json:"what,omitempty"`     // which file, for missing-file and unreadable
}

// BadRow is a row of a bundle with what is wrong with it.
type BadRow = bundle.Problem

// FileRows is a file and how many rows it has.
type FileRows struct {
	Name string `json:"name"`
	Rows int    `json:"rows"`
}

// Bounds of tasks.
const (
	MaxUpload  = 64 << 20 // bytes of a zip file
	maxTasks   = 4        // of a school that are not over
	shownTasks = 20
	shownRows  = 200
	maxBegun   = 3 // a task that has broken off so often is not tried again
)

// The codes of why a task was refused or has failed.
const (
	whyBadRows     = "bad-rows"
	whyNotZip      = "not-zip"
	whyMissingFile = "missing-file"
	whyUnreadable  = "unreadable"
	whyOtherSchool = "other-school"
	whyBusy        = "busy"
	whyBroken      = "broken"
)

// MayManageData tells whether an account may take a school's data in and give them out.
func (s *Service) MayManageData(ctx context.Context, by int64, school string, year int) error {
	_, _, err := s.reader(ctx, by, school, year, acts.ManageData)
	return err
}

// StartImport begins to take in a school bundle that comes as a zip file: it is read and checked, and then asks whether it shall be
// taken in; nothing changes before.
func (s *Service) StartImport(ctx context.Context, by int64, school string, year int, name string, file []byte) (*Task, error) {
	if !bytes.HasPrefix(file, []byte("PK")) {
		return nil, problem(NotZip)
	}
	return s.start(ctx, by, school, year, "import", name, file)
}

// StartExport begins to write a school year as a bundle in a zip file.
func (s *Service) StartExport(ctx context.Context, by int64, school string, year int) (*Task, error) {
	return s.start(ctx, by, school, year, "export", fmt.Sprintf("%s-%s.zip", school, YearLabel(year)), nil)
}

func (s *Service) start(ctx context.Context, by int64, school string, year int, kind, name string, file []byte) (*Task, error) {
	_, a, err := s.reader(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return nil, err
	}
	var id int64
	err = s.db.Tx(ctx, func(q store.Queries) error {
		open, err := q.OpenTasks(ctx, school)
		if err != nil {
			return err
		}
		if open >= maxTasks {
			return problem(TooManyTasks)
		}
		id, err = q.AddTask(ctx, store.TaskRow{School: school, Year: year, Kind: kind, Name: name, By: &a.account, ByName: a.GivenName + " " + a.FamilyName, MadeAt: s.now()}, file)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.task(ctx, school, id)
}

func (s *Service) task(ctx context.Context, school string, id int64) (*Task, error) {
	row, err := s.db.Queries().Task(ctx, school, id)
	if err != nil {
		return nil, asNotFound(err)
	}
	return newTask(row)
}

func newTask(row store.TaskRow) (*Task, error) {
	t := &Task{TaskRow: row}
	if err := json.Unmarshal([]byte(row.Result), &t.Outcome); err != nil {
		return nil, fmt.Errorf("reading a task's result: %w", err)
	}
	return t, nil
}

// Tasks lists the newest tasks of a school, newest first.
func (s *Service) Tasks(ctx context.Context, by int64, school string, year int) ([]*Task, error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return nil, err
	}
	rows, err := s.db.Queries().Tasks(ctx, school, shownTasks)
	if err != nil {
		return nil, err
	}
	list := []*Task{}
	for _, row := range rows {
		t, err := newTask(row)
		if err != nil {
			return nil, err
		}
		list = append(list, t)
	}
	return list, nil
}

// GoOnWithTask says yes to what a task asks, or lets one that was stopped or has failed begin again.
func (s *Service) GoOnWithTask(ctx context.Context, by int64, school string, year int, id int64) (*Task, error) {
	return s.say(ctx, by, school, year, id, func(q store.Queries) (bool, error) { return q.GoOnWithTask(ctx, school, id) })
}

// StopTask stops a task. What an import has written until then stays; taking the same in again makes it whole.
func (s *Service) StopTask(ctx context.Context, by int64, school string, year int, id int64) (*Task, error) {
	return s.say(ctx, by, school, year, id, func(q store.Queries) (bool, error) { return q.StopTask(ctx, school, id, s.now()) })
}

func (s *Service) say(ctx context.Context, by int64, school string, year int, id int64, do func(store.Queries) (bool, error)) (*Task, error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return nil, err
	}
	if _, err := s.task(ctx, school, id); err != nil {
		return nil, err
	}
	err := s.db.Tx(ctx, func(q store.Queries) error {
		if ok, err := do(q); err != nil || ok {
			return err
		}
		return problem(TaskOver)
	})
	if err != nil {
		return nil, err
	}
	return s.task(ctx, school, id)
}

// TaskFile gives the file that a task has made, with its name.
func (s *Service) TaskFile(ctx context.Context, by int64, school string, year int, id int64) (name string, content []byte, err error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return "", nil, err
	}
	t, err := s.task(ctx, school, id)
	if err != nil {
		return "", nil, err
	}
	if t.Kind != "export" || t.State != store.TaskDone {
		return "", nil, problem(NotFound)
	}
	content, err = s.db.Queries().TaskFile(ctx, school, id)
	return t.Name, content, asNotFound(err)
}

// errStopped says that somebody has stopped a task.
var errStopped = errors.New("somebody has stopped it")

// run is one run of a task, which says how far it is while it is seen to.
type run struct {
	mu          sync.Mutex
	step        string
	done, total int
}

func (r *run) at(step string, done, total int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.step, r.done, r.total = step, done, total
}

func (r *run) now() (step string, done, total int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.step, r.done, r.total
}

// RunTask runs a task of a school, where it waits to be run. An error says that it should be tried again.
func (s *Service) RunTask(ctx context.Context, school string, id int64) error {
	t, err := s.db.Queries().ClaimTask(ctx, school, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil // it is over, or somebody else runs it
	} else if err != nil {
		return err
	}
	began := time.Now()
	state, outcome, err := store.TaskFailed, Outline{Why: whyBroken}, error(nil)
	if t.Begun <= maxBegun {
		state, outcome, err = s.runSeen(ctx, &t)
	}
	leave := context.WithoutCancel(ctx)
	if state == store.TaskWaiting { // the process ends or the database is gone: another run will do it
		return s.db.Tx(leave, func(q store.Queries) error {
			if err := q.PutTaskBack(leave, school, id, ctx.Err() == nil); err != nil {
				return err
			}
			return q.Enqueue(leave, store.RunTask{School: school, Task: id})
		})
	}
	text, failed := json.Marshal(outcome)
	if failed != nil {
		return failed
	}
	var ended *time.Time
	if state != store.TaskAsking {
		now := s.now()
		ended = &now
	}
	s.log.InfoContext(ctx, "a task", "school", school, "task", id, "kind", t.Kind, "state", state, "why", outcome.Why, "took", time.Since(began), "error", err)
	return s.db.Queries().LeaveTask(leave, school, id, state, string(text), ended)
}

// runSeen runs a task while it is seen to, and stops it where somebody wants that.
func (s *Service) runSeen(ctx context.Context, t *store.TaskRow) (store.TaskState, Outline, error) {
	work, stop := context.WithCancelCause(ctx)
	progress, ended := &run{}, make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(store.TaskSeen)
		defer tick.Stop()
		for {
			step, done, total := progress.now()
			switch halt, err := s.db.Queries().SeeToTask(work, t.School, t.ID, step, done, total); {
			case errors.Is(err, store.ErrNotFound):
				stop(err) // somebody else has taken it
			case err == nil && halt:
				stop(errStopped)
			}
			select {
			case <-work.Done():
				return
			case <-tick.C:
			}
		}
	}()
	state, outcome, err := s.perform(work, t, progress)
	stopped := errors.Is(context.Cause(work), errStopped)
	stop(nil)
	<-ended
	step, done, total := progress.now()
	_, _ = s.db.Queries().SeeToTask(context.WithoutCancel(ctx), t.School, t.ID, step, done, total) // how far it came
	switch {
	case err == nil:
		return state, outcome, nil
	case stopped:
		return store.TaskStopped, outcome, nil
	case ctx.Err() != nil, Unavailable(err):
		return store.TaskWaiting, outcome, err
	}
	outcome.Why = whyBroken
	return store.TaskFailed, outcome, err
}

func (s *Service) perform(ctx context.Context, t *store.TaskRow, progress *run) (store.TaskState, Outline, error) {
	switch t.Kind {
	case "import":
		return s.runImport(ctx, t, progress)
	case "export":
		return s.runExport(ctx, t, progress)
	}
	return store.TaskFailed, Outline{}, fmt.Errorf("a task of the kind %q", t.Kind)
}

// The steps of tasks.
const (
	stepRead  = "read"
	stepCheck = "check"
	stepWrite = "write"
)

func (s *Service) runImport(ctx context.Context, t *store.TaskRow, progress *run) (store.TaskState, Outline, error) {
	progress.at(stepRead, 0, 0)
	file, err := s.db.Queries().TaskFile(ctx, t.School, t.ID)
	if err != nil {
		return "", Outline{}, err
	}
	b, err := bundle.OpenZip(file)
	var missing *bundle.MissingFileError
	switch {
	case errors.Is(err, bundle.ErrNotZip):
		return store.TaskRefused, Outline{Why: whyNotZip}, nil
	case errors.As(err, &missing):
		return store.TaskRefused, Outline{Why: whyMissingFile, What: missing.Name}, nil
	case err != nil:
		return store.TaskRefused, Outline{Why: whyUnreadable, What: err.Error()}, nil
	}
	o := outline(b)
	if len(b.Problems) > 0 {
		return store.TaskRefused, o, nil
	}
	if b.SchoolID != t.School {
		return store.TaskRefused, Outline{Why: whyOtherSchool, What: b.SchoolName}, nil
	}
	if err := ctx.Err(); err != nil {
		return "", o, err
	}
	if !t.Agreed {
		progress.at(stepCheck, 0, 0)
		return s.lookBefore(ctx, b, o)
	}
	progress.at(stepWrite, 0, len(b.Pupils))
	result, err := s.takeIn(ctx, b, func(done, total int) { progress.at(stepWrite, done, total) })
	var bad *BadBundle
	switch {
	case errors.As(err, &bad):
		return store.TaskRefused, withBad(o, bad.Problems), nil
	case CodeOf(err) == Busy:
		o.Why = whyBusy
		return store.TaskFailed, o, nil
	case err != nil:
		return "", o, err
	}
	o.KeptAll, o.Kept = len(result.Kept), first(result.Kept)
	return store.TaskDone, o, nil
}

// lookBefore tells what taking a bundle in would change.
func (s *Service) lookBefore(ctx context.Context, b *bundle.Bundle, o Outline) (store.TaskState, Outline, error) {
	in := newIntake(b)
	newest, err := s.db.Queries().Newest(ctx, b.SchoolID)
	if err != nil {
		return "", o, err
	}
	in.newest = in.year >= newest
	var bad *BadBundle
	if err := s.check(ctx, in); errors.As(err, &bad) {
		return store.TaskRefused, withBad(o, bad.Problems), nil
	} else if err != nil {
		return "", o, err
	}
	have, err := s.db.Queries().Digests(ctx, b.SchoolID, in.year)
	if err != nil {
		return "", o, err
	}
	for i := range in.pupils {
		p := &in.pupils[i]
		was, there := have[p.Student]
		switch {
		case !there:
			o.New++
		case was != [2]string{p.FactsDigest, p.EntriesDigest}:
			o.Changed++
		}
		delete(have, p.Student)
	}
	o.Gone = len(have)
	return store.TaskAsking, o, nil
}

func outline(b *bundle.Bundle) Outline {
	o := Outline{Students: len(b.Pupils), Notices: first(b.Notices)}
	if b.Year != nil {
		o.Year = b.Year.Start
	}
	for _, name := range bundle.Names() {
		if t := b.Tables[name]; t != nil && t.Header != nil {
			o.Files = append(o.Files, FileRows{name, len(t.Rows)})
		}
	}
	if len(b.Problems) > 0 {
		o = withBad(o, b.Problems)
	}
	return o
}

func withBad(o Outline, problems []bundle.Problem) Outline {
	o.Why, o.Bad, o.Problems = whyBadRows, len(problems), first(problems)
	return o
}

// first cuts a list to what is shown.
func first[T any](list []T) []T { return list[:min(len(list), shownRows)] }

func (s *Service) runExport(ctx context.Context, t *store.TaskRow, progress *run) (store.TaskState, Outline, error) {
	progress.at(stepRead, 0, 0)
	files, left, err := s.Export(ctx, t.School, t.Year)
	if err != nil {
		return "", Outline{}, err
	}
	o := Outline{Year: t.Year, Left: first(left)}
	rows := 0
	for _, f := range files {
		rows += len(f.Rows)
		if f.Header != nil {
			o.Files = append(o.Files, FileRows{f.Name, len(f.Rows)})
		}
	}
	progress.at(stepWrite, 0, rows)
	var out bytes.Buffer
	if err := bundle.WriteZip(&out, files); err != nil {
		return "", o, err
	}
	if err := s.db.Queries().PutTaskFile(ctx, t.School, t.ID, out.Bytes()); err != nil {
		return "", o, err
	}
	progress.at(stepWrite, rows, rows)
	return store.TaskDone, o, nil
}

// TakeUpLost asks the queue once more for tasks whose runners are gone.
func (s *Service) TakeUpLost(ctx context.Context) error {
	return s.db.Tx(ctx, func(q store.Queries) error { return q.LostTasks(ctx) })
}
