package main

import (
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

	"rubricon/demo"
)

// student is one of those who come.
type student struct {
	id, username string
	client       *http.Client
	at           int // which process
	own          []string
}

func (r *rush) signIn(list []*student) error {
	var wait sync.WaitGroup
	errs := make(chan error, len(list))
	slots := make(chan struct{}, 16)
	transport := &http.Transport{MaxIdleConnsPerHost: 2 * r.atOnce, MaxConnsPerHost: 0}
	for _, s := range list {
		wait.Go(func() {
			slots <- struct{}{}
			defer func() { <-slots }()
			jar, err := cookiejar.New(nil)
			if err == nil {
				s.client = &http.Client{Jar: jar, Transport: transport, Timeout: 30 * time.Second}
				err = r.send(s, "POST", "/api/session", fmt.Sprintf(`{"username":%q,"password":%q}`, s.username, demo.Password), nil)
			}
			errs <- err
		})
	}
	wait.Wait()
	close(errs)
	for err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// refused is an answer that says why something was not done.
type refused struct {
	Status int
	Code   string `json:"code"`
	Next   string `json:"next"`
}

func (e *refused) Error() string { return fmt.Sprint(e.Status, " ", e.Code) }

// send sends a request, to the other process where its own is gone. All that is sent can be sent again: what
// is taken is taken.
func (r *rush) send(s *student, method, path, body string, answer any) error {
	began := time.Now() // what is sent again counts as one answer that took so long
	for try := 0; ; try++ {
		req, err := http.NewRequest(method, "http://"+r.ports[(s.at+try)%len(r.ports)]+path, strings.NewReader(body))
		if err != nil {
			return err
		}
		req.Header.Set("X-Forwarded-For", fmt.Sprintf("10.%d.%d.1", s.at/250, s.at%250)) // each from an address of their own, as through a proxy
		if body != "" {
			req.Header.Set("Content-Type", "application/json")
		}
		if answer == nil {
			req.Header.Set("Accept-Encoding", "gzip") // as browsers do; it is not unpacked here
		}
		for _, c := range s.client.Jar.Cookies(req.URL) {
			req.AddCookie(c)
		}
		res, err := s.client.Transport.RoundTrip(req)
		var text []byte
		if err == nil {
			s.client.Jar.SetCookies(req.URL, res.Cookies())
			text, err = io.ReadAll(res.Body)
			_ = res.Body.Close()
		}
		if err != nil {
			if len(r.ports) > 1 && try < 40 { // the process is gone, or has gone in the middle
				r.again.Add(1)
				time.Sleep(50 * time.Millisecond)
				continue
			}
			return err
		}
		r.mu.Lock()
		r.took = append(r.took, time.Since(began))
		r.mu.Unlock()
		if res.StatusCode != 200 {
			e := &refused{Status: res.StatusCode}
			_ = json.Unmarshal(text, e)
			return e
		}
		if answer == nil {
			return nil
		}
		return json.Unmarshal(text, answer)
	}
}

// line is what a section would be to a student.
type line struct {
	Section string `json:"section"`
	Left    int    `json:"left"`
	May     string `json:"may"`
	Rank    int    `json:"rank"`
}

// choose is what a student does: looks at the week, and takes one section after another that fits, what was
// asked for first.
func (r *rush) choose(s *student) {
	path := r.path("students/" + s.id + "/seats")
	var week struct {
		Lines []line `json:"lines"`
	}
	if err := r.send(s, "GET", path, "", &week); err != nil {
		r.fail(err)
		return
	}
	random := rand.New(rand.NewPCG(1, uint64(len(s.id))+uint64(s.at)))
	random.Shuffle(len(week.Lines), func(i, k int) { week.Lines[i], week.Lines[k] = week.Lines[k], week.Lines[i] })
	slices.SortStableFunc(week.Lines, func(a, b line) int { return min(b.Rank, 1) - min(a.Rank, 1) })
	fits := func(id string) bool {
		x := r.table[id]
		return id != r.probed && !slices.ContainsFunc(s.own, func(own string) bool { o := r.table[own]; return o.clashes(&x) })
	}
	for _, l := range week.Lines {
		if l.May != "" || l.Left <= 0 || !fits(l.Section) {
			continue
		}
		for id := l.Section; id != ""; {
			if r.think > 0 {
				time.Sleep(time.Duration(float64(r.think) * (0.5 + random.Float64())))
			}
			err := r.send(s, "POST", path, fmt.Sprintf(`{"take":[%q]}`, id), nil)
			var no *refused
			switch {
			case err == nil:
				s.own = append(s.own, id)
				id = ""
			case errors.As(err, &no) && no.Code == "seat-gone":
				r.gone.Add(1)
				if id = no.Next; id != "" && !fits(id) {
					id = ""
				}
			default:
				r.fail(err)
				id = ""
			}
		}
	}
}
