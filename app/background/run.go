package background

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/store"
)

// Run is one run of a task, which says how far it is while it is seen to.
type Run struct {
	mu          sync.Mutex
	step        string
	done, total int
}

// At records how far a run is: its step, and how much of it is done.
func (r *Run) At(step string, done, total int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.step, r.done, r.total = step, done, total
}

func (r *Run) now() (step string, done, total int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.step, r.done, r.total
}

// RunTask runs a task of a school, where it waits to be run. An error says that it should be tried again.
func (s *Service) RunTask(ctx context.Context, school string, id int64) error {
	t, err := s.base.DB.Queries().Background.ClaimTask(ctx, school, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil // it is over, or someone else runs it
	} else if err != nil {
		return err
	}
	began := time.Now()
	state, outcome, err := store.TaskFailed, Outline{Why: whyBroken}, error(nil)
	if t.Begun <= mayBegin(&t) {
		state, outcome, err = s.runSeen(ctx, &t)
	}
	leave := context.WithoutCancel(ctx)
	if state == store.TaskWaiting { // the process ends or the database is gone: another run will do it
		return s.base.DB.Tx(leave, func(q store.Queries) error {
			if err := q.Background.PutTaskBack(leave, school, id, ctx.Err() == nil); err != nil {
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
		now := s.base.Now()
		ended = &now
	}
	s.base.Log.InfoContext(ctx, "a task", "school", school, "task", id, "kind", t.Kind, "state", state, "why", outcome.Why,
		"took", time.Since(began), "error", err)
	return s.base.DB.Queries().Background.LeaveTask(leave, school, id, state, string(text), ended)
}

// runSeen runs a task while it is seen to, and stops it where someone wants that.
func (s *Service) runSeen(ctx context.Context, t *store.TaskRow) (store.TaskState, Outline, error) {
	work, stop := context.WithCancelCause(ctx)
	progress, ended := &Run{}, make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(store.TaskSeen)
		defer tick.Stop()
		for {
			step, done, total := progress.now()
			switch halt, err := s.base.DB.Queries().Background.SeeToTask(work, t.School, t.ID, step, done, total); {
			case errors.Is(err, store.ErrNotFound):
				stop(err) // someone else has taken it
			case err == nil && halt:
				stop(ErrStopped)
			}
			select {
			case <-work.Done():
				return
			case <-tick.C:
			}
		}
	}()
	state, outcome, err := s.perform(work, t, progress)
	stopped := errors.Is(context.Cause(work), ErrStopped)
	stop(nil)
	<-ended
	step, done, total := progress.now()
	_, _ = s.base.DB.Queries().Background.SeeToTask(context.WithoutCancel(ctx), t.School, t.ID, step, done, total) // how far it came
	switch {
	case err == nil:
		return state, outcome, nil
	case stopped:
		return store.TaskStopped, outcome, nil
	case ctx.Err() != nil, problem.Unavailable(err):
		return store.TaskWaiting, outcome, err
	}
	outcome.Why = whyBroken
	return store.TaskFailed, outcome, err
}

func (s *Service) perform(ctx context.Context, t *store.TaskRow, progress *Run) (store.TaskState, Outline, error) {
	if do := s.kinds[t.Kind]; do != nil {
		return do(ctx, t, progress)
	}
	return store.TaskFailed, Outline{}, fmt.Errorf("a task of the kind %q", t.Kind)
}

// Work does the tasks of one kind. It reports in progress how far it is.
type Work func(ctx context.Context, t *store.TaskRow, progress *Run) (store.TaskState, Outline, error)

// Handle sets the work for tasks of a kind. It must be called before tasks are run.
func (s *Service) Handle(kind string, work Work) { s.kinds[kind] = work }

// The steps of tasks.
const (
	StepRead  = "read"
	StepCheck = "check"
	StepWrite = "write"
)

// WithBad returns the outcome of an import whose bundle has bad rows.
func WithBad(o Outline, problems []bundle.Problem) Outline {
	o.Why, o.Bad, o.Problems = WhyBadRows, len(problems), First(problems)
	if !bundle.RowsAlone(problems) {
		o.Why = whyNotWhole
	}
	return o
}

// First cuts a list to what is shown.
func First[T any](list []T) []T { return list[:min(len(list), ShownRows)] }

// TakeUpLost asks the queue once more for tasks whose runners are gone.
func (s *Service) TakeUpLost(ctx context.Context) error {
	return s.base.DB.Tx(ctx, func(q store.Queries) error { return q.Background.LostTasks(ctx) })
}
