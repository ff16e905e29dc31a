// Command rush measures the opening minute of choosing seats: 1,200 students come at once, 300 of them at
// work at the same time, against server processes of their own on loopback and a database that keeps every
// commit. It tells how long answers take, how soon open screens hear of seats, whether a seat was sold twice
// or lost, and how many connections the database had. With -servers 2 -kill one of two processes is killed in
// the middle and started again; who was answered nothing asks the other one again.
package main

import (
	"context"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jmoiron/sqlx"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/bench/stage"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/store"
)

const year = 2027

func main() {
	o := options{}
	flag.IntVar(&o.students, "students", 1200, "how many students")
	flag.IntVar(&o.atOnce, "at-once", 300, "how many of them at the same time")
	flag.IntVar(&o.servers, "servers", 1, "how many server processes, 1 or 2")
	flag.BoolVar(&o.kill, "kill", false, "kill one of two processes in the middle, and start it again")
	flag.DurationVar(&o.think, "think", time.Second, "how long a student thinks between two acts, on average")
	flag.IntVar(&o.screens, "screens", 40, "how many open screens listen beside")
	flag.Parse()
	if err := run(context.Background(), &o); err != nil {
		fmt.Fprintln(os.Stderr, "rush:", err)
		os.Exit(1)
	}
}

type options struct {
	students, atOnce, servers, screens int
	kill                               bool
	think                              time.Duration
}

// rush is a school whose seats are chosen, with its server processes.
type rush struct {
	*options
	url       string
	ports     []string
	processes []*exec.Cmd
	table     map[string]section
	probed    string          // a section that the probing student alone takes
	took      []time.Duration // of each answer
	failed    []string
	again     atomic.Int64 // sent once more, since a process was gone
	gone      atomic.Int64 // seats that someone else had
	mu        sync.Mutex
	round     int               // of the probing student
	answered  map[int]time.Time // by round
	arrived   []arrival
}

type section struct {
	ID      string `json:"id"`
	Course  string `json:"course"`
	Seats   int    `json:"seats"`
	Terms   []int  `json:"terms"`
	Periods []int  `json:"periods"`
	Days    []int  `json:"days"`
}

func (s *section) clashes(t *section) bool {
	in := func(list []int) func(int) bool { return func(x int) bool { return slices.Contains(list, x) } }
	return s.Course == t.Course || slices.ContainsFunc(s.Terms, in(t.Terms)) &&
		slices.ContainsFunc(s.Periods, in(t.Periods)) && slices.ContainsFunc(s.Days, in(t.Days))
}

func run(ctx context.Context, o *options) error {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	r := &rush{options: o, table: map[string]section{}, answered: map[int]time.Time{}}
	on, err := stage.New(ctx, "rush")
	if err != nil {
		return err
	}
	defer on.Close()
	r.url = on.URL
	students, probe, opens, err := r.load(ctx, on.DB)
	if err != nil {
		return err
	}
	for i := range o.servers {
		port, err := stage.Free()
		if err != nil {
			return err
		}
		r.ports = append(r.ports, port)
		r.processes = append(r.processes, nil)
		if err := r.start(i); err != nil {
			return err
		}
	}
	defer func() {
		for _, p := range r.processes {
			_ = p.Process.Kill()
			_ = p.Wait()
		}
	}()
	if err := r.signIn(append(students, probe)); err != nil {
		return err
	}
	var table struct {
		Sections []section `json:"sections"`
	}
	if err := r.send(probe, "GET", r.path("seat-table"), "", &table); err != nil {
		return err
	}
	seats := 0
	for _, s := range table.Sections {
		r.table[s.ID] = s
		seats += s.Seats
		if slices.Contains(s.Periods, 9) && s.ID > r.probed { // of the clubs, which there are enough of
			r.probed = s.ID
		}
	}
	r.took = nil
	fmt.Printf("%d students, %d sections with %d seats, %d at once, %v of thinking, %d server processes, %d screens that listen\n",
		len(students), len(table.Sections), seats, o.atOnce, o.think, o.servers, o.screens)
	at, err := opens()
	if err != nil {
		return err
	}
	time.Sleep(time.Until(at))
	began := time.Now()
	if err := r.open(ctx, on.SQL, students, probe); err != nil {
		return err
	}
	r.report(began)
	return r.check(ctx, on.SQL, append(students, probe))
}

// load brings the school in, and gives how its seats are opened; passwords cost little at first, so that all
// can sign in before that.
func (r *rush) load(ctx context.Context, db *store.DB) (students []*student, probe *student, opens func() (time.Time, error), err error) {
	files, _ := demo.Skerry(7, r.students+1)
	for i := range files {
		if f := &files[i]; f.Name == "users.csv" {
			role, password := slices.Index(f.Header, "role"), slices.Index(f.Header, "password")
			for _, row := range f.Rows {
				if row[role] == "student" {
					row[password] = demo.Password
					students = append(students, &student{id: row[0], username: row[slices.Index(f.Header, "username")], at: len(students)})
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		return nil, nil, opens, err
	}
	cases := app.New(db, app.Options{FirstPasswordsStay: true, NoPost: true, Hashes: stage.Cheap})
	if _, err := cases.Imports.Import(ctx, b, 0); err != nil {
		return nil, nil, opens, err
	}
	probe = students[len(students)-1]
	return students[:len(students)-1], probe, func() (time.Time, error) {
		at := time.Now().Add(3 * time.Second)
		return at, cases.Catalog.SetWindow(ctx, demo.SkerryID, year,
			appcatalog.Window{Round: appcatalog.OfSeats, Grade: -1, Opens: at, Families: at.AddDate(0, 0, 1), Counselors: at.AddDate(0, 0, 2)})
	}, nil
}

func (r *rush) path(rest string) string {
	return fmt.Sprintf("/api/schools/%s/years/%d/%s", demo.SkerryID, year, rest)
}

// start starts a server process and waits until it is ready.
func (r *rush) start(i int) (err error) {
	url := r.url
	if r.servers > 1 { // as many connections together as one process has
		url += fmt.Sprintf("&pool_max_conns=%d", store.DefaultConns/r.servers)
	}
	r.processes[i], err = stage.Serve(url, r.ports[i], "--proxies", "127.0.0.1/32")
	return err
}

// open lets them come: so many at a time work, each until the week is full or nothing more can be had.
func (r *rush) open(ctx context.Context, db *sqlx.DB, students []*student, probe *student) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	var listening, working sync.WaitGroup
	for i := range r.screens {
		listening.Go(func() { r.listen(ctx, students[i*len(students)/r.screens]) })
	}
	most := 0
	listening.Go(func() { // how many connections the database has
		for ctx.Err() == nil {
			var n int
			if db.GetContext(ctx, &n, `SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend'`) == nil {
				most = max(most, n)
			}
			time.Sleep(100 * time.Millisecond)
		}
	})
	var done atomic.Int64
	listening.Go(func() { r.probe(ctx, probe) })
	if r.kill && len(r.processes) > 1 {
		listening.Go(func() {
			for ctx.Err() == nil && done.Load() < int64(len(students))/3 {
				time.Sleep(50 * time.Millisecond)
			}
			_ = r.processes[1].Process.Kill()
			_ = r.processes[1].Wait()
			fmt.Println("one process was killed")
			time.Sleep(3 * time.Second)
			if err := r.start(1); err != nil {
				r.fail(err)
			}
			fmt.Println("and started again")
		})
	}
	next := make(chan *student)
	for range r.atOnce {
		working.Go(func() {
			for s := range next {
				r.choose(s)
				done.Add(1)
			}
		})
	}
	for _, s := range students {
		next <- s
	}
	close(next)
	working.Wait()
	stop()
	listening.Wait()
	fmt.Printf("the database had at most %d connections (120 are let in)\n", most)
	return nil
}

func (r *rush) fail(err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.failed = append(r.failed, err.Error())
}
