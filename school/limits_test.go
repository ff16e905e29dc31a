package school_test

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"rubricon/school"
	"rubricon/store"
	"rubricon/store/storetest"
)

// TestLimitsHoldWhenAllComeAtOnce has many do at the same moment what may be done so often: as often it is done, and the rest are told.
func TestLimitsHoldWhenAllComeAtOnce(t *testing.T) {
	h := newHouse(t)
	office, arden, student := h.who("office"), h.who("ms.arden"), h.who("mara.quill")
	made := func(_ any, err error) error { return err }
	for _, c := range []struct {
		what string
		most int
		told school.Code
		do   func(n int) error
	}{
		{"tasks", 4, school.TooManyTasks, func(int) error { return made(h.StartExport(t.Context(), office, mara.School, mara.Year, "zip")) }},
		{"views", 30, school.AtLimit, func(n int) error {
			return h.SaveView(t.Context(), arden, mara.School, mara.Year, school.SavedView{Name: fmt.Sprint("v", n)})
		}},
		{"drafts", school.MaxDrafts, school.AtLimit, func(n int) error { return made(h.MakeDraft(t.Context(), student, mara, fmt.Sprint("d", n))) }},
		{"passkeys", 10, school.AtLimit, func(n int) error {
			return h.AddPasskey(t.Context(), arden, school.Passkey{ID: fmt.Sprint("k", n), Name: "a key", Credential: []byte("{}")})
		}},
		{"tokens", 50, school.AtLimit, func(n int) error {
			return made(h.MakeToken(t.Context(), office, mara.School, mara.Year, fmt.Sprint("t", n), school.ReadCourses, 30))
		}},
	} {
		before := 0
		if c.what == "drafts" {
			before = storetest.Value[int](t, h.db, `SELECT count(*) FROM draft WHERE student_id = 's0001'`)
		}
		begin := make(chan struct{})
		var done atomic.Int64
		var all sync.WaitGroup
		for n := range 3 * c.most {
			all.Go(func() {
				<-begin
				switch err := c.do(n); {
				case err == nil:
					done.Add(1)
				case school.CodeOf(err) != c.told:
					t.Errorf("%s: one too many is told %v", c.what, err)
				}
			})
		}
		close(begin)
		all.Wait()
		if got := int(done.Load()) + before; got != c.most {
			t.Errorf("%s: %d were made, the limit is %d", c.what, got, c.most)
		}
	}
}

// TestStoppedTasksBeginAgainWithinTheLimit: what begins again counts like what begins.
func TestStoppedTasksBeginAgainWithinTheLimit(t *testing.T) {
	h := newHouse(t)
	office := h.who("office")
	start := func() (*school.Task, error) { return h.StartExport(t.Context(), office, mara.School, mara.Year, "zip") }
	first, err := start()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.StopTask(t.Context(), office, mara.School, mara.Year, first.ID); err != nil {
		t.Fatal(err)
	}
	for range 4 {
		if _, err := start(); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := h.GoOnWithTask(t.Context(), office, mara.School, mara.Year, first.ID, 0); school.CodeOf(err) != school.TooManyTasks {
		t.Errorf("a fifth begins again: %v", err)
	}
	h.db.Exec(t, `UPDATE task SET state = 'done'`)
	if _, err := h.GoOnWithTask(t.Context(), office, mara.School, mara.Year, first.ID, 0); school.CodeOf(err) != school.TaskOver {
		t.Errorf("one that is done: %v", err)
	}
}

// TestAFileThatEndsTheProcessIsReadTwiceAtMost: each run is broken off as a process that ends leaves it.
func TestAFileThatEndsTheProcessIsReadTwiceAtMost(t *testing.T) {
	h := newHouse(t)
	task, err := h.StartImport(t.Context(), h.who("office"), mara.School, mara.Year, "x.zip", []byte("PK broken"))
	if err != nil {
		t.Fatal(err)
	}
	q := h.db.Open(t).Queries()
	for n, want := range []error{nil, nil} {
		if _, err := q.ClaimTask(t.Context(), mara.School, task.ID); !errors.Is(err, want) {
			t.Fatalf("run %d: %v", n+1, err)
		}
		h.db.Exec(t, `UPDATE task SET seen_at = now() - interval '1 hour'`)
	}
	if err := h.RunTask(t.Context(), mara.School, task.ID); err != nil {
		t.Fatal(err)
	}
	after, err := q.Task(t.Context(), mara.School, task.ID)
	if err != nil || after.State != store.TaskFailed {
		t.Errorf("after two runs that were broken off: %+v, %v", after.State, err)
	}
}
