package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"
)

// arrival is that a screen has heard of the probing student's act.
type arrival struct {
	round int
	at    time.Time
}

// probe takes a seat and gives it back, again and again, so that how soon others hear of it is known.
func (r *rush) probe(ctx context.Context, s *student) {
	path := r.path("students/" + s.id + "/seats")
	for n := 0; ctx.Err() == nil; n++ {
		act := "take"
		if n%2 == 1 {
			act = "give"
		}
		r.mu.Lock()
		r.round++
		round := r.round
		r.mu.Unlock()
		if err := r.send(s, "POST", path, fmt.Sprintf(`{%q:[%q]}`, act, r.probed), nil); err != nil {
			r.fail(err)
		}
		r.mu.Lock()
		r.answered[round] = time.Now()
		r.mu.Unlock()
		time.Sleep(1200 * time.Millisecond)
	}
	if err := r.send(s, "POST", path, fmt.Sprintf(`{"give":[%q]}`, r.probed), nil); err != nil {
		r.fail(err)
	}
}

// listen is an open screen: it hears of seats until the context ends, and comes back where the process goes.
func (r *rush) listen(ctx context.Context, s *student) {
	last := 0
	for try := 0; ctx.Err() == nil; try++ {
		req, err := http.NewRequestWithContext(ctx, "GET", "http://"+r.ports[(s.at+try)%len(r.ports)]+r.path("students/"+s.id+"/seats/live"), nil)
		if err != nil {
			return
		}
		for _, c := range s.client.Jar.Cookies(req.URL) {
			req.AddCookie(c)
		}
		res, err := s.client.Transport.RoundTrip(req)
		if err != nil {
			time.Sleep(100 * time.Millisecond)
			continue
		}
		lines := bufio.NewScanner(res.Body)
		for lines.Scan() {
			text, ok := strings.CutPrefix(lines.Text(), "data: ")
			if !ok {
				continue
			}
			var heard struct {
				Left map[string]int `json:"left"`
			}
			if json.Unmarshal([]byte(text), &heard) != nil {
				continue
			}
			if _, mine := heard.Left[r.probed]; mine {
				r.mu.Lock()
				if r.round != last {
					last = r.round
					r.arrived = append(r.arrived, arrival{last, time.Now()})
				}
				r.mu.Unlock()
			}
		}
		_ = res.Body.Close()
	}
}
