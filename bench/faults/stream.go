package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"rubricon/app"
	"rubricon/bench/stage"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/store"
)

const year = 2027

// streams is how many students change their sheets at once.
const streams = 8

// stream is students who change their sheets, one change after the other, and what they were answered.
type stream struct {
	db       *sqlx.DB
	base     string
	students []*student
	cancel   context.CancelFunc
	flowing  sync.WaitGroup

	mu      sync.Mutex
	answers []time.Time
	times   []time.Duration
	kept    map[string][]string // by student: the keys of changes that were answered
	why     string              // the first request without an answer had none
	lost    int                 // requests without an answer
	busy    int                 // 503 with when to come back
	strange []string            // any other answer
}

type student struct {
	id, username string
	client       *http.Client
	version      int64
	on           bool // the course that comes and goes is on the sheet
}

// signIn signs the students in; what they change is theirs alone.
func (b *bench) signIn(ctx context.Context) error {
	read, err := stage.SQL(b.url)
	if err != nil {
		return err
	}
	b.db = read
	var list []struct {
		ID       string `db:"id"`
		Username string `db:"username"`
	}
	if err := read.SelectContext(ctx, &list,
		`SELECT id, username FROM person WHERE school_id = $1 AND role = 'student' ORDER BY id LIMIT $2`, demo.SchoolID, streams); err != nil {
		return err
	}
	for _, x := range list {
		jar, err := cookiejar.New(nil)
		if err != nil {
			return err
		}
		s := &student{id: x.ID, username: x.Username, client: &http.Client{Jar: jar, Timeout: 20 * time.Second}}
		if status, text, err := b.send(s, "POST", "/api/session",
			fmt.Sprintf(`{"username":%q,"password":%q}`, s.username, demo.Password)); err != nil || status != http.StatusOK {
			return fmt.Errorf("signing in: %d %s %w", status, text, err)
		}
		if err := b.look(s); err != nil {
			return err
		}
		b.students = append(b.students, s)
	}
	return nil
}

func (b *stream) sheet(s *student) string {
	return fmt.Sprintf("/api/schools/%s/years/%d/students/%s/sheet", demo.SchoolID, year, s.id)
}

// send sends a request; an error is one of the connection.
func (b *stream) send(s *student, method, path, body string) (int, string, error) {
	req, err := http.NewRequest(method, b.base+path, strings.NewReader(body))
	if err != nil {
		return 0, "", err
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	res, err := s.client.Do(req)
	if err != nil {
		return 0, "", err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if res.StatusCode == http.StatusServiceUnavailable && res.Header.Get("Retry-After") == "" {
		return res.StatusCode, "", fmt.Errorf("503 without when to come back: %s", text)
	}
	return res.StatusCode, string(text), err
}

// look reads a student's sheet as it is.
func (b *stream) look(s *student) error {
	status, text, err := b.send(s, "GET", b.sheet(s), "")
	if err != nil {
		return err
	}
	var view struct {
		Version int64 `json:"version"`
		Entries []struct {
			Course string `json:"course"`
		} `json:"entries"`
	}
	if err := json.Unmarshal([]byte(text), &view); err != nil || status != http.StatusOK {
		return fmt.Errorf("a sheet: %d %s", status, text)
	}
	s.version = view.Version
	s.on = false
	for _, e := range view.Entries {
		s.on = s.on || e.Course == "GTR1"
	}
	return nil
}

// flow lets all students change their sheets until stop.
func (b *stream) flow() {
	ctx, cancel := context.WithCancel(context.Background())
	b.cancel = cancel
	for _, s := range b.students {
		b.flowing.Go(func() {
			for ctx.Err() == nil {
				b.change(s)
				time.Sleep(time.Duration(10+rand.IntN(30)) * time.Millisecond)
			}
		})
	}
}

func (b *stream) stop() {
	b.cancel()
	b.flowing.Wait()
}

// change makes one change, and asks again until it is answered, as a browser does.
func (b *stream) change(s *student) {
	key := fmt.Sprintf("%s-%d", s.id, rand.Uint64())
	act := map[bool]string{true: "remove", false: "request"}[s.on]
	began := time.Now()
	for tries := 0; tries < 200; tries++ {
		status, text, err := b.send(s, "POST", b.sheet(s)+"/changes",
			fmt.Sprintf(`{"version":%d,"key":%q,"act":%q,"course":"GTR1"}`, s.version, key, act))
		b.mu.Lock()
		switch {
		case err != nil:
			b.lost++
			if b.why == "" {
				b.why = err.Error()
			}
		case status == http.StatusServiceUnavailable:
			b.busy++
		case status == http.StatusOK:
			b.kept[s.id] = append(b.kept[s.id], key)
			b.answers = append(b.answers, time.Now())
			b.times = append(b.times, time.Since(began))
		default:
			b.strange = append(b.strange, fmt.Sprint(status, " ", text))
		}
		b.mu.Unlock()
		if err == nil && status != http.StatusServiceUnavailable {
			var view struct {
				Version int64 `json:"version"`
			}
			if status == http.StatusOK && json.Unmarshal([]byte(text), &view) == nil {
				s.version, s.on = view.Version, !s.on
			} else {
				_ = b.look(s)
			}
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// verify looks whether every change that was answered is there, once, and whether anything strange was said.
func (b *bench) verify(ctx context.Context) error {
	db, err := stage.SQL(b.url)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	_ = b.db.Close()
	all := 0
	for _, s := range b.students {
		var have []string
		if err := db.SelectContext(ctx, &have,
			`SELECT key FROM event WHERE school_id = $1 AND year = $2 AND student_id = $3 AND key <> ''`, demo.SchoolID, year, s.id); err != nil {
			return err
		}
		slices.Sort(have)
		if twice := len(have) - len(slices.Compact(slices.Clone(have))); twice > 0 {
			return fmt.Errorf("%d changes of %s were made twice", twice, s.id)
		}
		for _, key := range b.kept[s.id] {
			if _, found := slices.BinarySearch(have, key); !found {
				return fmt.Errorf("a change of %s that was answered is not there", s.id)
			}
		}
		all += len(b.kept[s.id])
	}
	if len(b.strange) > 0 {
		return fmt.Errorf("%d strange answers, the first: %s", len(b.strange), b.strange[0])
	}
	if all == 0 {
		return errors.New("nothing was answered at all")
	}
	fmt.Printf("  all %d changes that were answered are there, once\n", all)
	return nil
}

func (b *stream) counted() int    { b.mu.Lock(); defer b.mu.Unlock(); return len(b.answers) }
func (b *stream) unanswered() int { b.mu.Lock(); defer b.mu.Unlock(); return b.lost }
func (b *stream) away() int       { b.mu.Lock(); defer b.mu.Unlock(); return b.busy }

// pause is the longest time in which no one was answered.
func (b *stream) pause() (longest time.Duration) {
	b.mu.Lock()
	defer b.mu.Unlock()
	slices.SortFunc(b.answers, time.Time.Compare)
	for i := 1; i < len(b.answers); i++ {
		longest = max(longest, b.answers[i].Sub(b.answers[i-1]))
	}
	return longest
}

// took is how long a change took, of so many of a hundred.
func (b *stream) took(part float64) time.Duration {
	b.mu.Lock()
	defer b.mu.Unlock()
	slices.Sort(b.times)
	return b.times[int(part*float64(len(b.times)-1))]
}

func (b *stream) random() time.Duration { return time.Duration(100+rand.IntN(900)) * time.Millisecond }

// waitFollowed waits until the standby follows.
func (b *bench) waitFollowed(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, b.pg.URL)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for range 100 {
		var n int
		if err := conn.QueryRow(ctx, `SELECT count(*) FROM pg_stat_replication WHERE sync_state = 'sync'`).Scan(&n); err != nil || n == 1 {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return errors.New("the standby does not follow")
}

// promote makes a standby the database.
func promote(ctx context.Context, url string) error {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var done bool
	if err := conn.QueryRow(ctx, `SELECT pg_promote()`).Scan(&done); err != nil || !done {
		return fmt.Errorf("the standby is not promoted: %w", err)
	}
	return nil
}

// recovered waits until a database that is brought back takes changes again.
func recovered(ctx context.Context, url string) error {
	for range 200 {
		if conn, err := pgx.Connect(ctx, url); err == nil {
			var recovering bool
			err := conn.QueryRow(ctx, `SELECT pg_is_in_recovery()`).Scan(&recovering)
			_ = conn.Close(ctx)
			if err == nil && !recovering {
				return nil
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	return errors.New("the database is not brought back")
}

// export is the school as its bundle, zipped.
func (b *bench) export(ctx context.Context, url string) ([]byte, error) {
	db, err := store.Open(ctx, url)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	files, _, err := app.New(db, app.Options{}).Imports.Export(ctx, demo.SchoolID, 0)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = bundle.WriteZip(&out, files)
	return out.Bytes(), err
}
