package background_test

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"rubricon/app/account"
	"rubricon/app/background"
	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
	"rubricon/store"
)

// TestLimitsHoldWhenAllComeAtOnce has many do at the same moment what may be done so often: as often it is done, and the rest are told.
func TestLimitsHoldWhenAllComeAtOnce(t *testing.T) {
	h := apptest.NewHouse(t)
	office, arden, student := h.Who("office"), h.Who("ms.arden"), h.Who("mara.quill")
	made := func(_ any, err error) error { return err }
	for _, c := range []struct {
		what string
		most int
		told problem.Code
		do   func(n int) error
	}{
		{"tasks", 4, problem.TooManyTasks, func(int) error {
			return made(h.Background.StartExport(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, "zip"))
		}},
		{"views", 30, problem.AtLimit, func(n int) error {
			return h.Caseload.SaveView(t.Context(), arden, apptest.Mara.School, apptest.Mara.Year, appcaseload.SavedView{Name: fmt.Sprint("v", n)})
		}},
		{"drafts", appsheet.MaxDrafts, problem.AtLimit, func(n int) error {
			return made(h.Sheet.Drafts().Make(t.Context(), student, apptest.Mara, fmt.Sprint("d", n)))
		}},
		{"passkeys", 10, problem.AtLimit, func(n int) error {
			return h.Account.AddPasskey(t.Context(), arden, account.Passkey{ID: fmt.Sprint("k", n), Name: "a key", Credential: []byte("{}")})
		}},
		{"tokens", 50, problem.AtLimit, func(n int) error {
			return made(h.Account.MakeToken(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, fmt.Sprint("t", n), account.ReadCourses, 30))
		}},
	} {
		before := 0
		if c.what == "drafts" {
			before = testdb.Value[int](t, h.DB, `SELECT count(*) FROM draft WHERE student_id = 's0001'`)
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
				case problem.CodeOf(err) != c.told:
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
	h := apptest.NewHouse(t)
	office := h.Who("office")
	start := func() (*background.Task, error) {
		return h.Background.StartExport(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, "zip")
	}
	first, err := start()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.Background.StopTask(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, first.ID); err != nil {
		t.Fatal(err)
	}
	for range 4 {
		if _, err := start(); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := h.Background.GoOnWithTask(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, first.ID, 0); problem.CodeOf(err) != problem.TooManyTasks {
		t.Errorf("a fifth begins again: %v", err)
	}
	h.DB.Exec(t, `UPDATE task SET state = 'done'`)
	if _, err := h.Background.GoOnWithTask(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, first.ID, 0); problem.CodeOf(err) != problem.TaskOver {
		t.Errorf("one that is done: %v", err)
	}
}

// TestAFileThatEndsTheProcessIsReadTwiceAtMost: each run is broken off as a process that ends leaves it.
func TestAFileThatEndsTheProcessIsReadTwiceAtMost(t *testing.T) {
	h := apptest.NewHouse(t)
	task, err := h.Background.StartImport(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, "x.zip", []byte("PK broken"))
	if err != nil {
		t.Fatal(err)
	}
	q := h.DB.Open(t).Queries()
	for n, want := range []error{nil, nil} {
		if _, err := q.Background.ClaimTask(t.Context(), apptest.Mara.School, task.ID); !errors.Is(err, want) {
			t.Fatalf("run %d: %v", n+1, err)
		}
		h.DB.Exec(t, `UPDATE task SET seen_at = now() - interval '1 hour'`)
	}
	if err := h.Background.RunTask(t.Context(), apptest.Mara.School, task.ID); err != nil {
		t.Fatal(err)
	}
	after, err := q.Background.Task(t.Context(), apptest.Mara.School, task.ID)
	if err != nil || after.State != store.TaskFailed {
		t.Errorf("after two runs that were broken off: %+v, %v", after.State, err)
	}
}
