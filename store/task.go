package store

import (
	"context"
	"time"
)

// TaskState is how far a task is.
type TaskState string

// The states of a task.
const (
	TaskWaiting TaskState = "waiting" // for its turn
	TaskRunning TaskState = "running"
	TaskAsking  TaskState = "asking"  // for a person to say whether it goes on
	TaskDone    TaskState = "done"    // for good, like what follows
	TaskRefused TaskState = "refused" // for what is wrong in the file
	TaskStopped TaskState = "stopped" // by someone
	TaskFailed  TaskState = "failed"
)

// TaskRow is a task: work that takes long, for one school.
type TaskRow struct {
	School  string     `db:"school_id"`
	ID      int64      `db:"id"`
	Year    int        `db:"year"`
	Kind    string     `db:"kind"`
	Name    string     `db:"name"`
	State   TaskState  `db:"state"`
	Agreed  bool       `db:"agreed"`
	By      *int64     `db:"by_account"`
	ByName  string     `db:"by_name"`
	MadeAt  time.Time  `db:"made_at"`
	EndedAt *time.Time `db:"ended_at"`
	Step    string     `db:"step"`
	Done    int        `db:"done"`
	Total   int        `db:"total"`
	Stop    bool       `db:"stop"`
	Begun   int        `db:"begun"`
	Result  string     `db:"result"` // JSON
	HasFile bool       `db:"has_file"`
	LeftOut bool       `db:"leave_out"` // its bad rows are left out
	HasWas  bool       `db:"has_was"`   // what was there before is kept
}

const taskColumns = `school_id, id, year, kind, name, state,
	agreed, by_account, by_name, made_at, ended_at, step, done, total, stop, begun, result,
	EXISTS (SELECT 1 FROM task_file f WHERE f.school_id = task.school_id AND f.task_id = task.id) AS has_file, leave_out,
	EXISTS (SELECT 1 FROM task_file f WHERE f.school_id = task.school_id AND f.task_id = task.id AND f.before IS NOT NULL) AS has_was`

// A task that runs is seen to every TaskSeen; when it was not for TaskLost, anyone who ran it is gone.
const (
	TaskSeen = 500 * time.Millisecond
	TaskLost = 20 * time.Second
)

// RunTask asks the job queue to run a task.
type RunTask struct {
	School string `json:"school"`
	Task   int64  `json:"task"`
}

// Kind names it in the queue.
func (RunTask) Kind() string { return "task" }

// AddTask notes a task, with the file it reads, and asks the queue to run it.
func (q BackgroundQueries) AddTask(ctx context.Context, t TaskRow, file []byte) (id int64, err error) {
	err = q.get(ctx, &id,
		`INSERT INTO task (school_id, year, kind, name, by_account, by_name, made_at) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
		t.School, t.Year, t.Kind, t.Name, t.By, t.ByName, t.MadeAt)
	if err != nil {
		return 0, err
	}
	if file != nil {
		if err := q.PutTaskFile(ctx, t.School, id, file); err != nil {
			return 0, err
		}
	}
	return id, q.Enqueue(ctx, RunTask{t.School, id})
}

// PutTaskFile keeps a task's file.
func (q BackgroundQueries) PutTaskFile(ctx context.Context, school string, id int64, content []byte) error {
	return q.exec(ctx, `INSERT INTO task_file (school_id, task_id, content) VALUES ($1, $2, $3)
		ON CONFLICT (school_id, task_id) DO UPDATE SET content = excluded.content`,
		school, id, content)
}

// TaskFile returns a task's file.
func (q BackgroundQueries) TaskFile(ctx context.Context, school string, id int64) (content []byte, err error) {
	return content, q.get(ctx, &content, `SELECT content FROM task_file WHERE school_id = $1 AND task_id = $2`, school, id)
}

// The files that are kept next to that of an import.
const (
	TaskBad    = "bad"    // its bad rows
	TaskBefore = "before" // what was there before it was taken in
)

// PutBeside keeps a file next to that of an import: TaskBad or TaskBefore.
func (q BackgroundQueries) PutBeside(ctx context.Context, school string, id int64, which string, content []byte) error {
	return q.exec(ctx, `UPDATE task_file SET bad = CASE WHEN $3 = 'bad' THEN $4 ELSE bad END, before = CASE
		WHEN $3 = 'before' THEN $4 ELSE before END
		WHERE school_id = $1 AND task_id = $2`, school, id, which, content)
}

// Beside returns a file that is kept with a task. The error is ErrNotFound where there is none.
func (q BackgroundQueries) Beside(ctx context.Context, school string, id int64, which string) (content []byte, err error) {
	return content, q.get(ctx, &content,
		`SELECT CASE WHEN $3 = 'bad' THEN bad ELSE before END FROM task_file WHERE school_id = $1 AND task_id = $2
		AND CASE WHEN $3 = 'bad' THEN bad ELSE before END IS NOT NULL`, school, id, which)
}

// LeaveOut lets an import that was refused for bad rows begin again without them; false where there is nothing to do.
func (q BackgroundQueries) LeaveOut(ctx context.Context, school string, id int64) (bool, error) {
	return q.begin(ctx, `UPDATE task SET state = 'waiting', leave_out = true,
		stop = false, begun = 0, ended_at = NULL, step = '', done = 0, total = 0
		WHERE school_id = $1 AND id = $2 AND state = 'refused' AND kind = 'import' AND NOT leave_out
		AND EXISTS (SELECT 1 FROM task_file f WHERE f.school_id = task.school_id AND f.task_id = task.id)`, school, id)
}

// Tasks lists the newest tasks of a school.
func (q BackgroundQueries) Tasks(ctx context.Context, school string, most int) (list []TaskRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+taskColumns+
		` FROM task WHERE school_id = $1 AND kind NOT IN ('place', 'help') ORDER BY id DESC LIMIT $2`, school, most)
}

// Task returns one task.
func (q BackgroundQueries) Task(ctx context.Context, school string, id int64) (t TaskRow, err error) {
	return t, q.get(ctx, &t, `SELECT `+taskColumns+` FROM task WHERE school_id = $1 AND id = $2`, school, id)
}

// OpenTasks counts the tasks of a school that are not over.
func (q BackgroundQueries) OpenTasks(ctx context.Context, school string) (n int, err error) {
	return n, q.get(ctx, &n, `SELECT count(*) FROM task WHERE school_id = $1 AND state IN ('waiting', 'running', 'asking')`, school)
}

// ClaimTask takes a task for running: one that waits, or whose runner is gone. It is ErrNotFound where there
// is nothing to run.
func (q BackgroundQueries) ClaimTask(ctx context.Context, school string, id int64) (t TaskRow, err error) {
	return t, q.get(ctx, &t, `UPDATE task SET state = 'running', seen_at = now(), begun = begun + 1
		WHERE school_id = $1 AND id = $2 AND (state = 'waiting' OR state = 'running' AND seen_at < now() - CAST($3 AS interval)) RETURNING `+
		taskColumns,
		school, id, TaskLost.String())
}

// SeeToTask notes how far a running task is, and reports whether it shall stop.
func (q BackgroundQueries) SeeToTask(ctx context.Context, school string, id int64, step string, done, total int) (stop bool, err error) {
	return stop, q.get(ctx, &stop,
		`UPDATE task SET seen_at = now(), step = $3, done = $4, total = $5 WHERE school_id = $1 AND id = $2 AND state = 'running' RETURNING stop`,
		school, id, step, done, total)
}

// PutTaskBack lets a running task wait again; whether the run counts as one that broke off.
func (q BackgroundQueries) PutTaskBack(ctx context.Context, school string, id int64, counts bool) error {
	return q.exec(ctx, `UPDATE task SET state = 'waiting', begun = begun - CASE WHEN $3 THEN 0 ELSE 1 END WHERE school_id = $1
		AND id = $2 AND state = 'running'`,
		school, id, counts)
}

// LeaveTask ends a run of a task in a state, with its result; it is over at a time, or goes on when it is
// told to (nil). Where it asks, an earlier yes counts no longer.
func (q BackgroundQueries) LeaveTask(ctx context.Context, school string, id int64, state TaskState, result string, ended *time.Time) error {
	return q.exec(ctx, `UPDATE task SET state = $3, agreed = agreed
		AND $3 <> 'asking', result = $4, ended_at = $5, begun = CASE WHEN $3 = 'asking' THEN 0 ELSE begun END
		WHERE school_id = $1 AND id = $2 AND state = 'running'`, school, id, state, result, ended)
}

// GoOnWithTask answers yes to what a task asks, or lets one that was stopped or has failed begin again; false
// where there is nothing to do.
func (q BackgroundQueries) GoOnWithTask(ctx context.Context, school string, id int64) (bool, error) {
	return q.begin(ctx, `UPDATE task SET state = 'waiting', agreed = agreed
		OR state = 'asking', stop = false, begun = 0, ended_at = NULL, step = '', done = 0, total = 0
		WHERE school_id = $1 AND id = $2 AND state IN ('asking', 'stopped', 'failed')
		AND (kind = 'export' OR EXISTS (SELECT 1 FROM task_file f WHERE f.school_id = task.school_id AND f.task_id = task.id))`, school, id)
}

// begin lets a task wait for its turn, where a statement changes one.
func (q BackgroundQueries) begin(ctx context.Context, statement, school string, id int64) (bool, error) {
	n, err := q.changed(ctx, statement, school, id)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.Enqueue(ctx, RunTask{school, id})
}

// StopTask stops a task that does not run, and asks one that runs to stop; false where it is over.
func (q BackgroundQueries) StopTask(ctx context.Context, school string, id int64, at time.Time) (bool, error) {
	n, err := q.changed(ctx,
		`UPDATE task SET stop = true, state = CASE WHEN state = 'running' THEN state ELSE 'stopped' END, ended_at = CASE
			WHEN state = 'running' THEN NULL ELSE CAST($3 AS timestamptz) END
		WHERE school_id = $1 AND id = $2 AND state IN ('waiting', 'running', 'asking')`, school, id, at)
	return n > 0, err
}

// LostTasks asks the queue once more for the tasks whose runners are gone, of all schools.
func (q BackgroundQueries) LostTasks(ctx context.Context) error {
	var lost []RunTask
	err := q.list(ctx, &lost,
		`SELECT school_id AS school, id AS task FROM task WHERE state = 'running'
			AND seen_at < now() - CAST($1 AS interval) FOR UPDATE SKIP LOCKED`,
		TaskLost.String())
	if err != nil {
		return err
	}
	for _, args := range lost {
		if err := q.Enqueue(ctx, args); err != nil {
			return err
		}
	}
	return nil
}

// taskKept is how long the file of a task is kept.
const taskKept = 7 * 24 * time.Hour

// forgetTasks takes away the files of tasks that are over since before a time, and stops those that no one
// has answered since.
func (q BackgroundQueries) forgetTasks(ctx context.Context, before time.Time) error {
	if err := q.exec(ctx, `UPDATE task SET state = 'stopped', ended_at = made_at WHERE state = 'asking' AND made_at < $1`,
		before); err != nil {
		return err
	}
	return q.exec(ctx, `DELETE FROM task_file f USING task t WHERE t.school_id = f.school_id AND t.id = f.task_id AND t.ended_at < $1`, before)
}
