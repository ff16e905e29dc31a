// Command district measures a district in one database on one machine: so many schools with so many students
// each are checked and taken in by the commands that an operator uses, one after the other; then one server
// process answers for all of them. What must stay linear (time by school) and bounded (memory) is printed for
// the first and the last of them.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/bench/stage"
	"rubricon/bundle"
	"rubricon/demo"
)

const year = 2027

func main() {
	schools := flag.Int("schools", 40, "how many schools")
	students := flag.Int("students", 1250, "how many students each has")
	flag.Parse()
	slog.SetDefault(slog.New(slog.DiscardHandler))
	if err := run(context.Background(), *schools, *students); err != nil {
		fmt.Fprintln(os.Stderr, "district:", err)
		os.Exit(1)
	}
}

// files are a school of the district: the demo school by another name, with its own people.
func files(id string, students int, seed uint64) []bundle.File {
	list := demo.Bundle(demo.Options{Students: students, Seed: seed})
	for i := range list {
		f := &list[i]
		username, password := slices.Index(f.Header, "username"), slices.Index(f.Header, "password")
		for _, row := range f.Rows {
			for k := range row {
				if row[k] == demo.SchoolID {
					row[k] = id
				}
			}
			if f.Name == "users.csv" {
				row[username] += "." + id
				row[password] = "" // they all get one below, without its cost
			}
		}
	}
	return list
}

// used is the time and memory of a command.
type used struct {
	time   time.Duration
	memory int64 // at most, in bytes
}

func command(url string, args ...string) (u used, err error) {
	cmd := exec.Command("bin/rubricon", args...)
	cmd.Env = append(os.Environ(), "RUBRICON_DATABASE="+url)
	began := time.Now()
	out, err := cmd.CombinedOutput()
	if err != nil {
		return u, fmt.Errorf("rubricon %s: %w\n%s (run make build first)", args[0], err, out)
	}
	usage, _ := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	return used{time.Since(began), usage.Maxrss << 10}, nil
}

func run(ctx context.Context, schools, students int) error {
	at, err := stage.New(ctx, "district")
	if err != nil {
		return err
	}
	defer at.Close()
	cases := app.New(at.DB, app.Options{FirstPasswordsStay: true, NoPost: true})
	var ids []string
	var checks, imports []used
	fmt.Printf("%d schools of %d students, %d in all\n", schools, students, schools*students)
	for n := range schools {
		id := fmt.Sprintf("school%02d", n+1)
		ids = append(ids, id)
		folder := filepath.Join(at.Dir, id)
		if err := os.Mkdir(folder, 0o755); err != nil {
			return err
		}
		if err := bundle.Write(folder, files(id, students, uint64(n+1))); err != nil {
			return err
		}
		check, err := command(at.URL, "check", folder)
		if err != nil {
			return err
		}
		took, err := command(at.URL, "import", folder)
		if err != nil {
			return err
		}
		checks, imports = append(checks, check), append(imports, took)
		if err := os.RemoveAll(folder); err != nil {
			return err
		}
		now := time.Now()
		if err := cases.Catalog.SetWindow(ctx, id, year,
			appcatalog.Window{Grade: -1, Opens: now, Families: now.AddDate(0, 0, 7), Counselors: now.AddDate(0, 0, 14)}); err != nil {
			return err
		}
	}
	report("check", checks)
	report("import", imports)
	if err := passwords(ctx, at.PG.URL); err != nil {
		return err
	}
	var size string
	if err := at.SQL.GetContext(ctx, &size, `SELECT pg_size_pretty(pg_database_size(current_database()))`); err != nil {
		return err
	}
	fmt.Println("the database is", size, "large")
	return serve(at.URL, ids, students)
}

// report prints what a command took for the schools, the first quarter next to the last.
func report(what string, list []used) {
	all, most := time.Duration(0), int64(0)
	mean := func(part []used) (sum time.Duration) {
		for _, u := range part {
			sum += u.time
		}
		return (sum / time.Duration(len(part))).Round(10 * time.Millisecond)
	}
	for _, u := range list {
		all, most = all+u.time, max(most, u.memory)
	}
	quarter := max(1, len(list)/4)
	fmt.Printf("%s: %v in all; a school %v, of the first quarter %v, of the last %v; memory at most %d MB\n", what,
		all.Round(time.Second), mean(list), mean(list[:quarter]), mean(list[len(list)-quarter:]), most>>20)
}

// passwords gives every account the demo's, hashed once, at next to no cost; at the first sign-in it is
// hashed again as in operation.
func passwords(ctx context.Context, owner string) error {
	own, err := stage.SQL(owner)
	if err != nil {
		return err
	}
	defer func() { _ = own.Close() }()
	hash, err := stage.Hash(demo.Password)
	if err != nil {
		return err
	}
	_, err = own.ExecContext(ctx,
		`INSERT INTO account_password (account_id, hash, once, set_at) SELECT id, $1, false, now() FROM account
			ON CONFLICT (account_id) DO UPDATE SET hash = $1, once = false`,
		hash)
	if err == nil {
		_, err = own.ExecContext(ctx, `ANALYZE`)
	}
	return err
}

// perSchool is how many students of each school are at work.
const perSchool = 3

func serve(url string, ids []string, students int) error {
	listen, err := stage.Free()
	if err != nil {
		return err
	}
	process, err := stage.Serve(url, listen, "--proxies", "127.0.0.1/32")
	if err != nil {
		return err
	}
	defer func() {
		_ = process.Process.Kill()
		_ = process.Wait()
	}()
	v := stage.NewVisits("http://" + listen)
	began := time.Now()
	memory := func(when string) error {
		text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", process.Process.Pid))
		if err != nil {
			return err
		}
		_, rest, _ := strings.Cut(string(text), "VmRSS:")
		line, _, _ := strings.Cut(rest, "\n")
		fmt.Printf("memory of the server process, %s: %s\n", when, strings.TrimSpace(line))
		return nil
	}
	if err := memory("at the start"); err != nil {
		return err
	}
	// One after the other: the first page of a student, and what the office looks at, when no one of the school
	// was there before, and again.
	type pupil struct {
		b     *stage.Browser
		sheet string
	}
	var at []pupil
	for n, id := range ids {
		path := fmt.Sprintf("/api/schools/%s/years/%d", id, year)
		office := v.Browser(n)
		if err := office.Ask("signing in", "POST", "/api/session",
			fmt.Sprintf(`{"username":%q,"password":%q}`, "office."+id, demo.Password), nil); err != nil {
			return err
		}
		for _, when := range []string{"first", "again"} {
			for _, what := range []string{"caseload", "demand"} {
				if err := office.Ask(what+", "+when, "GET", path+"/"+what, "", nil); err != nil {
					return err
				}
			}
		}
		var found []struct {
			ID       string `json:"id"`
			Username string `json:"username"`
			Role     string `json:"role"`
		}
		if err := office.Ask("finding people", "GET", path+"/people?name=a", "", &found); err != nil {
			return err
		}
		of := 0
		for _, f := range found {
			if f.Role != "student" || of == perSchool {
				continue
			}
			of++
			p := pupil{v.Browser(1000 + len(at)), path + "/students/" + f.ID + "/sheet"}
			for _, step := range []struct{ what, method, path, body string }{
				{what: "signing in", method: "POST", path: "/api/session",
					body: fmt.Sprintf(`{"username":%q,"password":%q}`, f.Username, demo.Password)},
				{what: "first page: the page", method: "GET", path: "/", body: ""},
				{what: "first page: who one is", method: "GET", path: "/api/me", body: ""},
				{what: "first page: the catalog", method: "GET", path: path + "/catalog", body: ""},
				{what: "first page: the sheet", method: "GET", path: p.sheet, body: ""},
			} {
				if err := p.b.Ask(step.what, step.method, step.path, step.body, nil); err != nil {
					return err
				}
			}
			at = append(at, p)
		}
		if n == len(ids)/4 || n == len(ids)-1 {
			if err := memory(fmt.Sprintf("with %d schools of %d students looked at", n+1, students)); err != nil {
				return err
			}
		}
	}
	// All at once: changes over all schools, without a pause.
	var work sync.WaitGroup
	for _, part := range slices.Collect(slices.Chunk(at, max(1, len(at)/clients))) {
		work.Go(func() {
			for range changes {
				p := part[rand.IntN(len(part))]
				if err := change(p.b, p.sheet); err != nil {
					v.Fail(err)
					return
				}
			}
		})
	}
	work.Wait()
	if err := memory("after all"); err != nil {
		return err
	}
	v.Report(time.Since(began), "signing in", "first page: the page", "first page: who one is", "first page: the catalog",
		"first page: the sheet", "caseload, first", "caseload, again", "demand, first", "demand, again", "the sheet", "a change")
	return v.Failed()
}

// clients is how many browsers change sheets at once, and changes how many each makes.
const (
	clients = 16
	changes = 60
)

// change asks for a course, or takes it away again.
func change(b *stage.Browser, sheet string) error {
	var view struct {
		Version  int64 `json:"version"`
		Requests []struct {
			Course string `json:"course"`
		} `json:"requests"`
	}
	if err := b.Ask("the sheet", "GET", sheet, "", &view); err != nil {
		return err
	}
	on := map[string]bool{}
	for _, e := range view.Requests {
		on[e.Course] = true
	}
	for _, course := range []string{"CHO1", "PHO1", "AST1", "GTR1", "CER1"} { // the first that this student may ask for
		act := map[bool]string{true: "remove", false: "request"}[on[course]]
		err := b.Ask("a change", "POST", sheet+"/changes", fmt.Sprintf(`{"version":%d,"act":%q,"course":%q}`, view.Version, act, course), nil)
		if !errors.Is(err, stage.ErrRefused) {
			return err
		}
	}
	return nil // none of them: earned, or not for this grade
}
