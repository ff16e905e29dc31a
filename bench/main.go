// Command bench measures what a change to a sheet costs beside bare statements through the same server,
// session, router and pool, in one run: 32 clients, each with a sheet of their own, on the demo school. The
// database keeps every commit.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/bench/stage"
	"rubricon/bundle"
	"rubricon/core/sheet"
	"rubricon/demo"
	"rubricon/store"
	"rubricon/web"
)

var only = new(string)

func main() {
	clients := flag.Int("clients", 32, "how many at once")
	requests := flag.Int("requests", 120, "how many requests of each kind a client sends")
	profile := flag.String("cpuprofile", "", "write a CPU profile of the whole run to this file")
	flag.StringVar(only, "only", "", "receipts: print those alone")
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

// place is a running server with the demo school.
type place struct {
	owner  string
	db     *store.DB
	sql    *sqlx.DB
	cases  *app.App
	url    string
	people []person
	stop   []func()
}

func (p *place) close() {
	for i := len(p.stop) - 1; i >= 0; i-- {
		p.stop[i]()
	}
	p.stop = nil
}

// open starts a database that keeps every commit, loads the demo school and serves it.
func open(ctx context.Context, clients int, files []bundle.File) (p *place, err error) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	p = &place{}
	defer func() {
		if err != nil {
			p.close()
		}
	}()
	at, err := stage.New(ctx, "bench")
	if err != nil {
		return nil, err
	}
	p.stop = append(p.stop, at.Close)
	p.owner, p.db, p.sql = at.PG.URL, at.DB, at.SQL
	p.cases = app.New(p.db, app.Options{FirstPasswordsStay: true})
	if err := p.load(ctx, clients, files); err != nil {
		return p, err
	}
	server := httptest.NewServer(web.New(p.cases, web.Options{More: bare(at.SQL)}))
	p.stop = append(p.stop, server.Close)
	p.url = server.URL
	for i := range p.people {
		if err := p.people[i].signIn(server.URL); err != nil {
			return p, err
		}
	}
	return p, nil
}

func run(ctx context.Context, clients, requests int) error {
	p, err := open(ctx, clients, demo.Bundle(demo.Options{Students: 1200, Seed: 7}))
	if err != nil {
		return err
	}
	defer p.close()
	if *only == "receipts" {
		return p.receipts(ctx)
	}
	if err := p.changes(requests); err != nil {
		return err
	}
	if err := p.caseloads(ctx); err != nil {
		return err
	}
	if err := p.newPolicy(ctx); err != nil {
		return err
	}
	if err := p.receipts(ctx); err != nil {
		return err
	}
	p.close()
	return importTwice(ctx, clients)
}

// changes measures what acts on sheets cost beside bare statements.
func (p *place) changes(requests int) error {
	kinds := []struct {
		name string
		send func(p *person, n int) error
	}{
		{"bare SELECT by primary key", func(x *person, _ int) error { return x.call("GET", p.url+"/api/bench/select?id="+x.id, "") }},
		{"bare UPDATE of one row", func(x *person, _ int) error { return x.call("POST", p.url+"/api/bench/update?id="+x.id, "{}") }},
		{"change to a sheet, judged", func(x *person, _ int) error { return x.change(p.url) }},
		{"submit", func(x *person, _ int) error { return x.submit(p.url) }},
		{"sign", func(x *person, _ int) error { return x.sign(p.url) }},
		{"effects of every course", func(x *person, _ int) error { return x.call("GET", p.url+x.sheet()+"/effects", "") }},
		{"sheet, judged", func(x *person, _ int) error { return x.call("GET", p.url+x.sheet(), "") }},
	}
	fmt.Printf("%d clients, %d requests each, 1,200 students, 145 courses\n", len(p.people), requests)
	// The kinds take turns, so that a busy moment of the machine falls on all of them.
	const rounds = 6
	took := make([][]time.Duration, len(kinds))
	for range rounds {
		for i, kind := range kinds {
			n := requests/rounds | 1 // odd, so that a sheet differs from what was submitted before
			if kind.name == "submit" || kind.name == "sign" {
				n = 1 // once for each change
			}
			some, err := measure(p.people, n, kind.send)
			if err != nil {
				return fmt.Errorf("%s: %w", kind.name, err)
			}
			took[i] = append(took[i], some...)
		}
	}
	var medians []float64
	for i, kind := range kinds {
		slices.Sort(took[i])
		medians = append(medians, float64(took[i][len(took[i])/2]))
		fmt.Printf("%-28s median %8v   95%% %8v\n", kind.name, part(took[i], 50), part(took[i], 95))
	}
	fmt.Printf("in bare writes at the median: a change %.2f (at most 3 are wanted), submit %.2f, sign %.2f (at most 5)\n",
		medians[2]/medians[1], medians[3]/medians[1], medians[4]/medians[1])
	return nil
}

func part(sorted []time.Duration, percent int) time.Duration {
	return sorted[min(len(sorted)-1, len(sorted)*percent/100)].Round(10 * time.Microsecond)
}

// bare adds the statements to compare with: the same way through session, router and pool, one statement, a
// short answer.
func bare(db *sqlx.DB) func(*gin.Engine) {
	return func(engine *gin.Engine) {
		engine.GET("/api/bench/select", func(c *gin.Context) {
			var version int64
			if err := db.GetContext(c, &version,
				`SELECT version FROM sheet WHERE school_id = $1 AND year = $2 AND student_id = $3`, demo.SchoolID, year, c.Query("id")); err != nil {
				c.String(500, "failed")
				return
			}
			c.JSON(200, gin.H{"version": version})
		})
		engine.POST("/api/bench/update", func(c *gin.Context) {
			if _, err := db.ExecContext(c,
				`UPDATE sheet SET changed_at = now() WHERE school_id = $1 AND year = $2 AND student_id = $3`, demo.SchoolID, year,
				c.Query("id")); err != nil {
				c.String(500, "failed")
				return
			}
			c.JSON(200, gin.H{"done": true})
		})
	}
}

// year is the demo's school year.
const year = 2027

type person struct {
	username, id string
	guardian     string
	fees         []string // every course that has one
	client       *http.Client
	parent       *http.Client
	version      int64
	on           bool
}

func (p *person) sheet() string {
	return fmt.Sprintf("/api/schools/%s/years/%d/students/%s/sheet", demo.SchoolID, year, p.id)
}

// load imports the demo school and chooses students who can all make the same change, and submit.
func (p *place) load(ctx context.Context, clients int, files []bundle.File) error {
	b, err := bundle.ReadFiles(files)
	if err != nil {
		return err
	}
	if _, err := p.cases.Imports.Import(ctx, b, 0); err != nil {
		return err
	}
	now := time.Now()
	if err := p.cases.Catalog.SetWindow(ctx, b.SchoolID, year,
		appcatalog.Window{Grade: -1, Opens: now.Add(-time.Hour), Families: now.Add(time.Hour), Counselors: now.Add(2 * time.Hour)}); err != nil {
		return err
	}
	owner, err := pgx.Connect(ctx, p.owner)
	if err != nil {
		return err
	}
	defer owner.Close(ctx)
	var fees []string
	for i := range b.Courses {
		if b.Courses[i].Fee > 0 {
			fees = append(fees, b.Courses[i].Code)
		}
	}
	byID := map[string]*bundle.User{}
	for i := range b.Users {
		byID[b.Users[i].ID] = &b.Users[i]
	}
	for i := range b.Pupils {
		x := &b.Pupils[i]
		f := sheet.NewFacts(b.Year, x.Student)
		laid := x.Sheet(b.Year)
		j, err := f.Judge(&laid)
		if err != nil || !j.Ready || len(p.people) == clients || x.Grade != 10 && x.Grade != 11 || takes(x, "GTR1") || len(x.Agents) == 0 {
			continue
		}
		if _, _, taking := f.Acknowledge(j); len(taking) > 0 { // agrees to that course by course
			continue
		}
		one := person{username: x.Username, id: x.ID, guardian: byID[x.Agents[0]].Username, fees: fees}
		p.people = append(p.people, one)
		for _, username := range []string{one.username, one.guardian} {
			if _, err := owner.Exec(ctx,
				`INSERT INTO account_password SELECT a.id, m.hash, m.set_at FROM account a, account_password m JOIN account ma ON ma.id = m.account_id
				WHERE a.username = $1 AND ma.username = 'mara.quill' ON CONFLICT DO NOTHING`, username); err != nil {
				return err
			}
		}
	}
	if len(p.people) < clients {
		return fmt.Errorf("only %d students are ready", len(p.people))
	}
	return nil
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

// enter signs someone in.
func enter(url, username string) (*http.Client, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	client := &http.Client{Jar: jar, Timeout: time.Minute, Transport: &http.Transport{MaxIdleConnsPerHost: 4}}
	return client, send(client, "POST", url+"/api/session", fmt.Sprintf(`{"username":%q,"password":%q}`, username, demo.Password), nil)
}

func (p *person) signIn(url string) (err error) {
	if p.client, err = enter(url, p.username); err != nil {
		return err
	}
	p.parent, err = enter(url, p.guardian)
	if err != nil {
		return err
	}
	return p.look(url)
}

// look reads the sheet's version.
func (p *person) look(url string) error {
	var view struct{ Version int64 }
	err := send(p.client, "GET", url+p.sheet(), "", &view)
	p.version = view.Version
	return err
}

func (p *person) call(method, url, body string) error { return send(p.client, method, url, body, nil) }

// send sends a request; where an answer is wanted it is unpacked and read.
func send(client *http.Client, method, url, body string, answer any) error {
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		return err
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if answer == nil {
		req.Header.Set("Accept-Encoding", "gzip") // as browsers do; the load script does not take the time to unpack
	}
	res, err := client.Do(req)
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
	if answer == nil {
		return nil
	}
	return json.Unmarshal(text, answer)
}

func (p *person) change(url string) error {
	act := "alternate"
	if p.on {
		act = "remove"
	}
	if err := p.call("POST", url+p.sheet()+"/changes", fmt.Sprintf(`{"version":%d,"act":%q,"course":"GTR1"}`, p.version, act)); err != nil {
		return err
	}
	p.version++
	p.on = !p.on
	return nil
}

// submit hands in what the changes have led to.
func (p *person) submit(url string) error {
	err := p.call("POST", url+p.sheet()+"/submission", fmt.Sprintf(`{"version":%d,"agreed":["boats","advanced"]}`, p.version))
	p.version++
	return err
}

func (p *person) sign(url string) error {
	all, _ := json.Marshal(map[string]any{"version": p.version, "agreed": p.fees, "commitments": []string{"boats", "advanced"}})
	err := send(p.parent, "POST", url+p.sheet()+"/signature", string(all), nil)
	p.version++
	return err
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
