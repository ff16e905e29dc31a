// Command bench measures what a change to a sheet costs beside bare statements through the same server, session, router and
// pool, in one run: 32 clients, each with a sheet of their own, on the demo school. The database keeps every commit.
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/school"
	"rubricon/store"
	"rubricon/store/local"
	"rubricon/web"
)

func main() {
	clients := flag.Int("clients", 32, "how many at once")
	requests := flag.Int("requests", 120, "how many requests of each kind a client sends")
	profile := flag.String("cpuprofile", "", "write a CPU profile of the whole run to this file")
	flag.Parse()
	if *profile != "" {
		file, err := os.Create(*profile)
		if err == nil {
			err = pprof.StartCPUProfile(file)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		defer pprof.StopCPUProfile()
	}
	if err := run(context.Background(), *clients, *requests); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, clients, requests int) error {
	dir, err := os.MkdirTemp("", "rubricon-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	pg, err := local.Start(ctx, local.Options{Dir: filepath.Join(dir, "pg")})
	if err != nil {
		return err
	}
	defer func() { _ = pg.Stop() }()
	db, err := store.Open(ctx, pg.URL)
	if err != nil {
		return err
	}
	defer db.Close()
	cases := school.New(db, nil)
	people, err := load(ctx, db, cases, filepath.Join(dir, "bundle"), clients)
	if err != nil {
		return err
	}
	handler := web.New(db, cases, web.Options{More: bare(db)})
	defer handler.Close()
	server := httptest.NewServer(handler)
	defer server.Close()
	for i := range people {
		if err := people[i].signIn(server.URL); err != nil {
			return err
		}
	}
	kinds := []struct {
		name string
		send func(p *person, n int) error
	}{
		{"bare SELECT by primary key", func(p *person, _ int) error { return p.call("GET", server.URL+"/api/bench/select?id="+p.id, "") }},
		{"bare UPDATE of one row", func(p *person, _ int) error { return p.call("POST", server.URL+"/api/bench/update?id="+p.id, "{}") }},
		{"change to a sheet, judged", func(p *person, n int) error { return p.change(server.URL, n) }},
		{"effects of every course", func(p *person, _ int) error {
			return p.call("GET", server.URL+"/api/schools/"+demo.SchoolID+"/students/"+p.id+"/sheet/effects", "")
		}},
	}
	fmt.Printf("%d clients, %d requests each, 1,200 students, 145 courses\n", clients, requests)
	// The kinds take turns, so that a busy moment of the machine falls on all of them.
	const rounds = 6
	took := make([][]time.Duration, len(kinds))
	for range rounds {
		for i, kind := range kinds {
			some, err := measure(people, max(1, requests/rounds), kind.send)
			if err != nil {
				return fmt.Errorf("%s: %w", kind.name, err)
			}
			took[i] = append(took[i], some...)
		}
	}
	var medians []time.Duration
	for i, kind := range kinds {
		slices.Sort(took[i])
		medians = append(medians, took[i][len(took[i])/2])
		fmt.Printf("%-28s median %8v   95%% %8v\n", kind.name, medians[i].Round(10*time.Microsecond), took[i][len(took[i])*95/100].Round(10*time.Microsecond))
	}
	fmt.Printf("a change costs %.2f bare writes at the median (at most 3 are wanted)\n", float64(medians[2])/float64(medians[1]))
	return nil
}

// bare adds the statements to compare with: the same way through session, router and pool, one statement, a short answer.
func bare(db *store.DB) func(*gin.Engine) {
	return func(engine *gin.Engine) {
		engine.GET("/api/bench/select", func(c *gin.Context) {
			var version int64
			if err := db.GetContext(c, &version, `SELECT version FROM sheet WHERE school_id = $1 AND student_id = $2`, demo.SchoolID, c.Query("id")); err != nil {
				c.String(500, "failed")
				return
			}
			c.JSON(200, gin.H{"version": version})
		})
		engine.POST("/api/bench/update", func(c *gin.Context) {
			if _, err := db.ExecContext(c, `UPDATE sheet SET changed_at = now() WHERE school_id = $1 AND student_id = $2`, demo.SchoolID, c.Query("id")); err != nil {
				c.String(500, "failed")
				return
			}
			c.JSON(200, gin.H{"done": true})
		})
	}
}

type person struct {
	username, id string
	client       *http.Client
	version      int64
	on           bool
}

func load(ctx context.Context, db *store.DB, cases *school.Service, dir string, clients int) ([]person, error) {
	if err := bundle.Write(dir, demo.Bundle(demo.Options{Students: 1200, Seed: 7})); err != nil {
		return nil, err
	}
	b, err := bundle.Open(dir)
	if err != nil {
		return nil, err
	}
	if _, err := cases.Import(ctx, b); err != nil {
		return nil, err
	}
	now := time.Now()
	if err := cases.SetWindow(ctx, b.SchoolID, -1, now.Add(-time.Hour), now.Add(time.Hour), now.Add(2*time.Hour)); err != nil {
		return nil, err
	}
	var people []person
	for i := range b.Pupils {
		// Grades 10 and 11 may take Printmaking, so that every client makes the same change.
		if p := &b.Pupils[i]; len(people) < clients && (p.Grade == 10 || p.Grade == 11) && len(p.Requests) > 6 && !takes(p, "GTR1") {
			people = append(people, person{username: p.Username, id: p.ID, version: 1})
			if _, err := db.ExecContext(ctx, `INSERT INTO account SELECT $1, password_hash FROM account WHERE username = 'mara.quill' ON CONFLICT DO NOTHING`, p.Username); err != nil {
				return nil, err
			}
		}
	}
	return people, nil
}

func takes(p *bundle.Pupil, code string) bool {
	for _, r := range p.Requests {
		if r.Course == code {
			return true
		}
	}
	for _, r := range p.Student.Records {
		if r.Code == code {
			return true
		}
	}
	return false
}

func (p *person) signIn(url string) error {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	p.client = &http.Client{Jar: jar, Timeout: time.Minute, Transport: &http.Transport{MaxIdleConnsPerHost: 4}}
	return p.call("POST", url+"/api/session", fmt.Sprintf(`{"username":%q,"password":%q}`, p.username, demo.Password))
}

func (p *person) call(method, url, body string) error {
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Accept-Encoding", "gzip") // as browsers do; the load script does not take the time to unpack
	res, err := p.client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	if res.StatusCode != 200 {
		return fmt.Errorf("%s %s: %d %.300s", method, url, res.StatusCode, text)
	}
	return nil
}

func (p *person) change(url string, _ int) error {
	act := "alternate"
	if p.on {
		act = "remove"
	}
	body := fmt.Sprintf(`{"version":%d,"act":%q,"course":"GTR1"}`, p.version, act)
	if err := p.call("POST", url+"/api/schools/"+demo.SchoolID+"/students/"+p.id+"/sheet/changes", body); err != nil {
		return err
	}
	p.version++
	p.on = !p.on
	return nil
}

func measure(people []person, requests int, send func(*person, int) error) ([]time.Duration, error) {
	var mu sync.Mutex
	var all []time.Duration
	var failed error
	var wait sync.WaitGroup
	for i := range people {
		wait.Go(func() {
			var mine []time.Duration
			for n := range requests {
				start := time.Now()
				err := send(&people[i], n)
				if err != nil {
					mu.Lock()
					failed = err
					mu.Unlock()
					return
				}
				mine = append(mine, time.Since(start))
			}
			mu.Lock()
			all = append(all, mine...)
			mu.Unlock()
		})
	}
	wait.Wait()
	return all, failed
}
