package web_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rubricon/internal/testdb"
	"rubricon/jobs"
	"rubricon/web"
	webcatalog "rubricon/web/catalog"
	webimports "rubricon/web/imports"
	websheet "rubricon/web/sheet"
)

// behindProxy puts two server processes on one database behind a small reverse proxy, which takes them in turn, or the one it is told to.
type behindProxy struct {
	*site
	processes [2]*site
	turn      atomic.Int64
	only      atomic.Int64 // 0: in turn; n: process n-1
}

func newBehindProxy(t *testing.T) *behindProxy {
	t.Helper()
	first := newSite(t)
	p := &behindProxy{processes: [2]*site{first, newSiteOn(first, web.Options{})}}
	ctx, stop := context.WithCancel(context.WithoutCancel(t.Context()))
	t.Cleanup(stop)
	var forward [2]*httputil.ReverseProxy
	for i, s := range p.processes {
		go s.cases.Messages.Live(ctx)
		forward[i] = &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(mustParse(t, s.URL))
			r.Out.Host = r.In.Host
			r.SetXForwarded()
		}}
	}
	proxy := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := p.only.Load() - 1
		if n < 0 {
			n = p.turn.Add(1) % 2
		}
		forward[n].ServeHTTP(w, r)
	}))
	t.Cleanup(proxy.Close)
	p.site = &site{t: t, Server: proxy, db: first.db, now: first.now, people: map[string]*http.Client{}, log: first.log}
	return p
}

// through lets the proxy take one process, 1 or 2, until it is told otherwise.
func (p *behindProxy) through(n int64) *site {
	p.only.Store(n)
	return p.site
}

func (p *behindProxy) sheet(by *http.Client) (v websheet.SheetView) {
	p.t.Helper()
	status, body := p.call(by, "GET", maraSheet, "")
	if err := json.Unmarshal(body, &v); status != http.StatusOK || err != nil {
		p.t.Fatalf("%d %s", status, body)
	}
	return v
}

// Sessions, changes, rules, live updates and jobs are those of the database: it does not matter which process is asked, nor that one of them goes.
func TestTwoProcessesBehindAProxy(t *testing.T) {
	p := newBehindProxy(t)
	const year = "/api/schools/pellworth/years/2027"
	mara, office := p.person("mara.quill"), p.person("office")
	for range 6 { // signed in at one, known at both
		if got := said(p.call(mara, "GET", "/api/me", "")); got != "200" {
			t.Fatalf("signed in: %s", got)
		}
	}
	// What is changed at one is heard at the other at once, and seen there.
	p.through(2)
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, p.URL+maraSheet+"/live?seconds=60", nil)
	if err != nil {
		t.Fatal(err)
	}
	stream, err := mara.Do(req)
	if err != nil || stream.StatusCode != http.StatusOK {
		t.Fatalf("%v %v", stream, err)
	}
	defer stream.Body.Close()
	heard := make(chan string, 100)
	go func() {
		defer close(heard)
		for lines := bufio.NewScanner(stream.Body); lines.Scan(); {
			heard <- lines.Text()
		}
	}()
	version := p.sheet(mara).Version
	p.through(1)
	if got := said(p.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"alternate","course":"AST1"}`, version))); got != "200" {
		t.Fatal(got)
	}
	want, limit := fmt.Sprintf(`"version":%d`, version+1), time.After(20*time.Second)
	for found := false; !found; {
		select {
		case line, open := <-heard:
			if found = strings.Contains(line, want); !open {
				t.Fatal("the stream has ended without the change")
			}
		case <-limit:
			t.Fatal("the change was not heard at the other process")
		}
	}
	p.through(2)
	if got := p.sheet(mara); got.Version != version+1 {
		t.Errorf("the other process has version %d", got.Version)
	}
	// Rules that are put in force at one judge at both.
	least := func() (least string) {
		for _, r := range p.sheet(mara).Rules {
			if r.ID == "alternates" {
				least = fmt.Sprint(*r.Min)
			}
		}
		return least
	}
	if got := least(); got != "3" {
		t.Fatalf("%s alternates are wanted", got)
	}
	p.through(1)
	_, body := p.call(office, "GET", year+"/rules", "")
	var rules webcatalog.RulesView
	if err := json.Unmarshal(body, &rules); err != nil {
		t.Fatal(err)
	}
	var policy map[string]any
	if err := json.Unmarshal([]byte(rules.Text), &policy); err != nil {
		t.Fatal(err)
	}
	for _, r := range policy["rules"].([]any) {
		if r := r.(map[string]any); r["id"] == "alternates" {
			r["min"] = 4
		}
	}
	text, _ := json.Marshal(policy)
	asked, _ := json.Marshal(map[string]any{"catalog": rules.Catalog, "policy": rules.Policy, "reason": "More of them.", "text": string(text)})
	if status, body := p.call(office, "POST", year+"/rules", string(asked)); status != http.StatusOK {
		t.Fatalf("%d %s", status, body)
	}
	for n := range int64(2) {
		p.through(n + 1)
		if got := least(); got != "4" {
			t.Errorf("process %d wants %s alternates", n+1, got)
		}
	}
	// What is begun at one is done by the other, which alone runs jobs, and fetched at either.
	queue, err := jobs.Start(t.Context(), p.processes[1].db.Open(t), p.processes[1].cases, jobs.Post{}, nil, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	p.through(1)
	status, body := p.call(office, "POST", year+"/exports", `{"form":"zip"}`)
	var task webimports.TaskView
	if err := json.Unmarshal(body, &task); status != http.StatusOK || err != nil {
		t.Fatalf("%d %s", status, body)
	}
	p.through(0)
	for began := time.Now(); ; {
		if got := said(p.call(office, "GET", fmt.Sprintf("%s/tasks/%d/file", year, task.ID), "")); got == "200" {
			break
		} else if time.Since(began) > time.Minute {
			t.Fatalf("the file: %s", got)
		}
	}
	// One goes: the other goes on with everybody's sessions. Who signs out there is out everywhere.
	p.processes[0].CloseClientConnections()
	p.processes[0].Close()
	p.through(2)
	if got := p.sheet(mara); got.Version <= version {
		t.Errorf("with one process, version %d", got.Version)
	}
	other := newSiteOn(p.processes[1], web.Options{})
	if got := said(p.call(mara, "DELETE", "/api/session", "")); got != "204" {
		t.Fatal(got)
	}
	if got := said(other.call(mara, "GET", maraSheet, "")); got != "401 not-signed-in" {
		t.Errorf("signed out elsewhere: %s", got)
	}
}
