// Command morning measures the morning on which a window opens: so many students sign in within so many
// minutes, and change their sheets, against a server process of its own on loopback and a database that keeps
// every commit.
//
// The model: students come one after the other, at random, over the whole time. Each signs in (the password
// costs what it costs in operation), reads who they are, the catalog and the sheet; then makes six changes,
// thinking 20 s before each on average (exponential), and after every other one asks what each course would
// do, as the page does. A student who is answered 429 or 503 comes back when told to.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"slices"
	"sync"
	"time"

	"github.com/jmoiron/sqlx"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/bench/stage"
	"rubricon/demo"
)

const year = 2027

// changes is how many changes each student makes.
const changes = 6

func main() {
	students := flag.Int("students", 5000, "how many students")
	minutes := flag.Float64("minutes", 10, "within how many minutes they come")
	think := flag.Duration("think", 20*time.Second, "how long a student thinks before each change, on average")
	flag.Parse()
	slog.SetDefault(slog.New(slog.DiscardHandler))
	if err := run(context.Background(), *students, time.Duration(*minutes*float64(time.Minute)), *think); err != nil {
		fmt.Fprintln(os.Stderr, "morning:", err)
		os.Exit(1)
	}
}

// morning collects the measurements.
type morning struct {
	*stage.Visits
	think time.Duration
}

func run(ctx context.Context, students int, within, think time.Duration) error {
	at, err := stage.New(ctx, "morning")
	if err != nil {
		return err
	}
	defer at.Close()
	read, err := stage.School(students)
	if err != nil {
		return err
	}
	// at the first sign-in a hash is made again at its real cost
	cases := app.New(at.DB, app.Options{FirstPasswordsStay: true, NoPost: true, Hashes: stage.Cheap})
	if _, err := cases.Imports.Import(ctx, read, 0); err != nil {
		return err
	}
	now := time.Now()
	if err := cases.Catalog.SetWindow(ctx, demo.SchoolID, year,
		appcatalog.Window{Grade: -1, Opens: now, Families: now.AddDate(0, 0, 7), Counselors: now.AddDate(0, 0, 14)}); err != nil {
		return err
	}
	listen, err := stage.Free()
	if err != nil {
		return err
	}
	process, err := stage.Serve(at.URL, listen, "--proxies", "127.0.0.1/32")
	if err != nil {
		return err
	}
	defer func() {
		_ = process.Process.Kill()
		_ = process.Wait()
	}()
	m := &morning{stage.NewVisits("http://" + listen), think}
	bare, err := bareWrite(ctx, at.SQL)
	if err != nil {
		return err
	}
	fmt.Printf("%d students within %v, %d changes each, %v of thinking before each\n", students, within, changes, think)
	began := time.Now()
	var come sync.WaitGroup
	usernames := map[string]string{}
	for i := range read.Users {
		usernames[read.Users[i].ID] = read.Users[i].Username
	}
	for i := range read.Pupils {
		p := &read.Pupils[i]
		after := time.Duration(rand.Float64() * float64(within))
		come.Go(func() {
			time.Sleep(after)
			m.student(i, p.ID, usernames[p.ID])
		})
	}
	come.Wait()
	m.Report(time.Since(began), "signing in", "who one is", "the catalog", "the sheet", "a change", "what each course would do")
	fmt.Printf("a bare write of one row took %v: in the middle a change costs %.1f of them\n",
		bare.Round(10*time.Microsecond), float64(m.Median("a change"))/float64(bare))
	return m.Failed()
}

// bareWrite is how long a write of one row takes with no one else there, in the middle of 200.
func bareWrite(ctx context.Context, db *sqlx.DB) (time.Duration, error) {
	var took []time.Duration
	for range 200 {
		began := time.Now()
		if _, err := db.ExecContext(ctx,
			`UPDATE sheet SET touched = touched WHERE school_id = $1 AND year = $2 AND student_id = 's0001'`, demo.SchoolID, year); err != nil {
			return 0, err
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	return took[len(took)/2], nil
}

// student is one student's morning.
func (m *morning) student(n int, id, username string) {
	s := m.Browser(n)
	sheet := fmt.Sprintf("/api/schools/%s/years/%d/students/%s/sheet", demo.SchoolID, year, id)
	var view struct {
		Version int64     `json:"version"`
		Entries []onSheet `json:"entries"`
	}
	for _, step := range []struct{ what, method, path, body string }{
		{what: "signing in", method: "POST", path: "/api/session", body: fmt.Sprintf(`{"username":%q,"password":%q}`, username, demo.Password)},
		{what: "who one is", method: "GET", path: "/api/me", body: ""},
		{what: "the catalog", method: "GET", path: fmt.Sprintf("/api/schools/%s/years/%d/catalog", demo.SchoolID, year),
			body: ""}, {what: "the sheet", method: "GET", path: sheet, body: ""},
	} {
		var into any
		if step.what == "the sheet" {
			into = &view
		}
		if err := s.Ask(step.what, step.method, step.path, step.body, into); err != nil {
			m.Fail(err)
			return
		}
	}
	courses := []string{"GTR1", "CHO1", "PHO1", "AST1", "CER1"} // one that this student may ask for comes and goes
	on := false
	for len(courses) > 1 && slices.ContainsFunc(view.Entries, func(e onSheet) bool { return e.Course == courses[0] }) {
		courses = courses[1:]
	}
	for i := range changes {
		time.Sleep(time.Duration(rand.ExpFloat64() * float64(m.think)))
		act := map[bool]string{true: "remove", false: "request"}[on]
		err := s.Ask("a change", "POST", sheet+"/changes",
			fmt.Sprintf(`{"version":%d,"key":"%s-%d","act":%q,"course":%q}`, view.Version, id, i, act, courses[0]), &view)
		if errors.Is(err, stage.ErrRefused) && !on && len(courses) > 1 { // earned already, or not for this grade
			courses = courses[1:]
			continue
		}
		if err != nil {
			m.Fail(err)
			return
		}
		on = !on
		if i%2 == 0 {
			if err := s.Ask("what each course would do", "GET", sheet+"/effects", "", nil); err != nil {
				m.Fail(err)
				return
			}
		}
	}
}

type onSheet struct {
	Course string `json:"course"`
}
