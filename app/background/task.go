package background

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"rubricon/app/actor"
	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/store"
)

// Work that takes long is done aside: it is noted as a task and put on the job queue (package jobs runs it),
// in whichever server process there is time. A task outlives the process that runs it: another takes it up
// again when its runner is gone.

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

	TaskLeaveOut TaskAct = "leaveOut" // read on without the bad rows
	TaskBadRows  TaskAct = "bad"      // take the list of bad rows
	TaskUndo     TaskAct = "undo"     // take in what was there before
)

// Acts lists what may be done with a task.
func (t *Task) Acts() (list []TaskAct) {
	if t.Outcome.Bad > 0 && t.HasFile {
		list = append(list, TaskBadRows)
		if t.State == store.TaskRefused && t.Outcome.Why == WhyBadRows && !t.LeftOut {
			list = append(list, TaskLeaveOut)
		}
	}
	switch {
	case t.State == store.TaskAsking:
		list = append(list, TaskGoOn, TaskStop)
	case t.State == store.TaskWaiting, t.State == store.TaskRunning && !t.Stop:
		list = append(list, TaskStop)
	case t.State == store.TaskDone && t.Kind == "export" && t.HasFile:
		list = append(list, TaskTake)
	case (t.State == store.TaskStopped || t.State == store.TaskFailed) && (t.Kind == "export" || t.HasFile):
		list = append(list, TaskAgain)
	case t.State == store.TaskDone && t.Kind == "import" && t.HasWas:
		list = append(list, TaskUndo)
	}
	return list
}

// Outline is the result of a task.
type Outline struct {
	Year     int              `json:"year,omitempty"` // of the data
	Students int              `json:"students,omitempty"`
	Tally    *bundle.Tally    `json:"tally,omitempty"`    // what changes
	Files    []FileRows       `json:"files,omitempty"`    // of the bundle
	Bad      int              `json:"bad,omitempty"`      // rows that cannot be read, or were left out
	Diffs    []FileDiff       `json:"diffs,omitempty"`    // what changes, file by file
	Policy   bool             `json:"policy,omitempty"`   // the rules change
	Problems []bundle.Problem `json:"problems,omitempty"` // the first of them
	Notices  []bundle.Problem `json:"notices,omitempty"`  // rows that can be read and should be looked at, the first of them
	Kept     []string         `json:"kept,omitempty"`     // students whose sheets were worked on here and stay as they are, the first of them
	KeptAll  int              `json:"keptAll,omitempty"`  // how many
	Left     []string         `json:"left,omitempty"`     // requests that no bundle can hold, the first of them
	Why      string           `json:"why,omitempty"`      // a code: why it was refused or has failed
	What     string           `json:"what,omitempty"`     // which file, for missing-file and unreadable
}

// FileDiff is how a file differs, with how many ask for each course that changes or goes.
type FileDiff struct {
	bundle.FileDiff
	Asked []int `json:"asked,omitempty"` // courses.csv: by row
}

// Kinds are the kinds of rows that an import counts, in the order of a tally.
var Kinds = bundle.Kinds

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
	ShownRows  = 200
	maxBegun   = 3 // a task that has broken off so often is not tried again
	maxRead    = 2 // nor a file that was to be read, which may be what ends the process
)

// mayBegin returns how often a task may be begun.
func mayBegin(t *store.TaskRow) int {
	if t.Kind == "import" && !t.Agreed {
		return maxRead
	}
	return maxBegun
}

// The codes of why a task was refused or has failed.
const (
	WhyBadRows     = "bad-rows"
	whyNotWhole    = "not-whole" // something is wrong that is no single row
	WhyNotZip      = "not-zip"
	WhyMissingFile = "missing-file"
	WhyUnreadable  = "unreadable"
	WhyOtherSchool = "other-school"
	WhyBusy        = "busy"
	whyBroken      = "broken"
)

// MayManageData reports whether an account may take a school's data in and give them out.
func (s *Service) MayManageData(ctx context.Context, by int64, school string, year int) error {
	_, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	return err
}

// StartImport begins to take in a school bundle that comes as a zip file, or as a workbook with a sheet for
// each file: it is read and checked, and then asks whether it shall be taken in; nothing changes before.
func (s *Service) StartImport(ctx context.Context, by int64, school string, year int, name string, file []byte) (*Task, error) {
	if !bytes.HasPrefix(file, []byte("PK")) {
		return nil, problem.New(problem.NotZip)
	}
	return s.start(ctx, by, school, year, "import", name, file)
}

// Workbook is the media type of an XLSX workbook (ECMA-376).
const Workbook = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

// StartExport begins to write a school year as a bundle in a zip file, or, in the form "xlsx", as a workbook
// with a sheet for each file.
func (s *Service) StartExport(ctx context.Context, by int64, school string, year int, form string) (*Task, error) {
	if form != "xlsx" {
		form = "zip"
	}
	return s.start(ctx, by, school, year, "export", fmt.Sprintf("%s-%s.%s", school, schoolyear.YearLabel(year), form), nil)
}

func (s *Service) start(ctx context.Context, by int64, school string, year int, kind, name string, file []byte) (*Task, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return nil, err
	}
	var id int64
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		id, err = s.AddTask(ctx, q, a, store.TaskRow{School: school, Year: year, Kind: kind, Name: name}, file)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.task(ctx, school, id)
}

// AddTask adds a task of someone's, unless too many of the school's are open.
func (s *Service) AddTask(ctx context.Context, q store.Queries, a *actor.Actor, task store.TaskRow, file []byte) (int64, error) {
	if err := roomForTask(ctx, q, task.School); err != nil {
		return 0, err
	}
	task.By, task.ByName, task.MadeAt = &a.Account, a.Name().Name, s.base.Now()
	return q.Background.AddTask(ctx, task, file)
}

// roomForTask reserves room for one more task of a school until the transaction ends. The error is TooManyTasks.
func roomForTask(ctx context.Context, q store.Queries, school string) error {
	if err := q.Serialize(ctx, "tasks", school); err != nil {
		return err
	}
	open, err := q.Background.OpenTasks(ctx, school)
	if err == nil && open >= maxTasks {
		err = problem.New(problem.TooManyTasks)
	}
	return err
}

func (s *Service) task(ctx context.Context, school string, id int64) (*Task, error) {
	row, err := s.base.DB.Queries().Background.Task(ctx, school, id)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	return NewTask(row)
}

// NewTask returns a task with its outcome decoded.
func NewTask(row store.TaskRow) (*Task, error) {
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
	rows, err := s.base.DB.Queries().Background.Tasks(ctx, school, shownTasks)
	if err != nil {
		return nil, err
	}
	list := []*Task{}
	for _, row := range rows {
		t, err := NewTask(row)
		if err != nil {
			return nil, err
		}
		list = append(list, t)
	}
	return list, nil
}

// GoOnWithTask says yes to what a task asks, or lets one that was stopped or has failed begin again. Where an
// import would remove much, removals must be how much; else the error is BadRemovals.
func (s *Service) GoOnWithTask(ctx context.Context, by int64, school string, year int, id int64, removals int) (*Task, error) {
	return s.say(ctx, by, school, year, id, func(q store.Queries) (bool, error) {
		t, err := q.Background.Task(ctx, school, id)
		if err == nil && (t.State == store.TaskStopped || t.State == store.TaskFailed) { // others count already, or do not begin again
			err = roomForTask(ctx, q, school)
		}
		if err == nil && t.State == store.TaskAsking {
			err = confirmed(t, removals)
		}
		if err != nil {
			return false, err
		}
		return q.Background.GoOnWithTask(ctx, school, id)
	})
}

// confirmed reports whether the number of what an import removes was said, where it must be.
func confirmed(row store.TaskRow, removals int) error {
	t, err := NewTask(row)
	if err == nil && t.Outcome.Confirm() && t.Outcome.Tally.Sum().Removed != removals {
		err = problem.New(problem.BadRemovals)
	}
	return err
}

// Confirm reports whether the number of what goes must be said before an import is taken in.
func (o *Outline) Confirm() bool { return o.Tally != nil && o.Tally.Much() }

// StopTask stops a task. What an import has written until then stays; taking the same in again makes it whole.
func (s *Service) StopTask(ctx context.Context, by int64, school string, year int, id int64) (*Task, error) {
	return s.say(ctx, by, school, year, id, func(q store.Queries) (bool, error) { return q.Background.StopTask(ctx, school, id, s.base.Now()) })
}

func (s *Service) say(ctx context.Context, by int64, school string, year int, id int64,
	do func(store.Queries) (bool, error)) (*Task, error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return nil, err
	}
	if _, err := s.task(ctx, school, id); err != nil {
		return nil, err
	}
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		if ok, err := do(q); err != nil || ok {
			return err
		}
		return problem.New(problem.TaskOver)
	})
	if err != nil {
		return nil, err
	}
	return s.task(ctx, school, id)
}

// LeaveOutBadRows reads an import that was refused again, without its bad rows; it then asks as others do.
func (s *Service) LeaveOutBadRows(ctx context.Context, by int64, school string, year int, id int64) (*Task, error) {
	return s.say(ctx, by, school, year, id, func(q store.Queries) (bool, error) {
		t, err := q.Background.Task(ctx, school, id)
		if err == nil && t.State == store.TaskRefused {
			err = roomForTask(ctx, q, school)
		}
		if err != nil {
			return false, err
		}
		return q.Background.LeaveOut(ctx, school, id)
	})
}

// UndoImport begins to take in what was there before an import, which must be the last that was done: it is
// read, checked and asks like any other. What was entered here since is kept as after every import.
func (s *Service) UndoImport(ctx context.Context, by int64, school string, year int, id int64) (*Task, error) {
	tasks, err := s.Tasks(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	for _, t := range tasks { // the newest first
		if t.Kind != "import" || t.State != store.TaskDone {
			continue
		}
		if t.ID != id {
			return nil, problem.New(problem.GoneOn)
		}
		before, err := s.base.DB.Queries().Background.Beside(ctx, school, id, store.TaskBefore)
		if err != nil {
			return nil, problem.AsNotFound(err)
		}
		return s.start(ctx, by, school, year, "import", "before-"+t.Name, before)
	}
	return nil, problem.New(problem.NotFound)
}

// BadRows returns the rows that an import could not read, as a CSV file.
func (s *Service) BadRows(ctx context.Context, by int64, school string, year int, id int64) ([]byte, error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return nil, err
	}
	content, err := s.base.DB.Queries().Background.Beside(ctx, school, id, store.TaskBad)
	return content, problem.AsNotFound(err)
}

// TaskFile returns the file that a task has made, with its name.
func (s *Service) TaskFile(ctx context.Context, by int64, school string, year int, id int64) (name string, content []byte, err error) {
	if err := s.MayManageData(ctx, by, school, year); err != nil {
		return "", nil, err
	}
	t, err := s.task(ctx, school, id)
	if err != nil {
		return "", nil, err
	}
	if t.Kind != "export" || t.State != store.TaskDone {
		return "", nil, problem.New(problem.NotFound)
	}
	content, err = s.base.DB.Queries().Background.TaskFile(ctx, school, id)
	return t.Name, content, problem.AsNotFound(err)
}

// ErrStopped is returned when someone has stopped a task.
var ErrStopped = errors.New("somebody has stopped it")
