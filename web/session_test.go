package web_test

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"rubricon/demo"
	"rubricon/internal/testdb"
)

// held keeps anyone who writes a table waiting until release is called.
func (s *site) held(table string) (release func()) {
	s.t.Helper()
	conn, err := pgx.Connect(s.t.Context(), s.db.Owner)
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { _ = conn.Close(context.Background()) })
	if _, err := conn.Exec(s.t.Context(), `BEGIN; LOCK TABLE `+table+` IN EXCLUSIVE MODE`); err != nil {
		s.t.Fatal(err)
	}
	return func() {
		if _, err := conn.Exec(s.t.Context(), `COMMIT`); err != nil {
			s.t.Fatal(err)
		}
	}
}

const somebodyWaits = `SELECT count(*) > 0 FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`

// underWay sends a request that waits in the database until release is called, and gives its answer then.
func (s *site) underWay(table string, client *http.Client, method, path, body string) (answer <-chan string, release func()) {
	s.t.Helper()
	free := s.held(table)
	out := make(chan string, 1)
	go func() { out <- said(s.call(client, method, path, body)) }()
	s.until(somebodyWaits)
	return out, free
}

// TestEndedSessionsStayEnded ends a session in each way there is while one of its requests is under way that will write the session when
// it ends: the session does not come back with it.
func TestEndedSessionsStayEnded(t *testing.T) {
	const person = "/api/schools/pellworth/years/2027/people/s0001"
	for _, c := range []struct {
		name string
		end  func(s *site, other *http.Client) string
		want string
	}{
		{"signing out", func(s *site, _ *http.Client) string {
			same := &http.Client{Jar: s.person("mara.quill").Jar}
			jar := s.cookies(same)
			res, body := s.send(&http.Client{}, "DELETE", "/api/session", "", map[string]string{"Cookie": jar})
			return said(res.StatusCode, body)
		}, "204"},
		{"signing out elsewhere", func(s *site, other *http.Client) string { return said(s.call(other, "DELETE", "/api/sessions", "")) }, "204"},
		{"changing the password elsewhere", func(s *site, other *http.Client) string {
			return said(s.call(other, "POST", "/api/password", fmt.Sprintf(`{"old":%q,"new":"heron over the sound"}`, demo.Password)))
		}, "204"},
		{"a password of the office", func(s *site, _ *http.Client) string {
			return said(s.call(s.person("office"), "POST", person+"/password", ""))
		}, "200"},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newSite(t)
			mara, other := s.person("mara.quill"), s.fresh()
			s.person("office")
			if got := said(s.signIn(other, "mara.quill", demo.Password)); got != "200" {
				t.Fatal(got)
			}
			version := s.version("s0001")
			s.at(s.clock().Add(10 * time.Minute)) // so that the request writes when it was seen
			answer, release := s.underWay("event", mara, "POST", maraSheet+"/changes", alternate(version, "AST1"))
			if got := c.end(s, other); got != c.want {
				t.Errorf("ending it: %s", got)
			}
			release()
			if got := <-answer; got != "200" {
				t.Errorf("what was under way: %s", got)
			}
			if got := said(s.call(mara, "GET", "/api/sessions", "")); got != "401 not-signed-in" {
				t.Errorf("the session afterwards: %s", got)
			}
		})
	}
}

// TestASignInUnderWayEndsToo: anyone who signs in with what has been changed in the meantime gets no session.
func TestASignInUnderWayEndsToo(t *testing.T) {
	for name, end := range map[string]func(s *site, other *http.Client) string{
		"all sessions ended": func(s *site, other *http.Client) string { return said(s.call(other, "DELETE", "/api/sessions", "")) },
		"the password changed": func(s *site, other *http.Client) string {
			return said(s.call(other, "POST", "/api/password", fmt.Sprintf(`{"old":%q,"new":"heron over the sound"}`, demo.Password)))
		},
	} {
		t.Run(name, func(t *testing.T) {
			s := newSite(t)
			mara, other := s.fresh(), s.person("mara.quill")
			answer, release := s.underWay("sign_in", mara, "POST", "/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password))
			if got := end(s, other); got != "204" {
				t.Errorf("%s", got)
			}
			release()
			if got := <-answer; got != "200" { // the password was right
				t.Errorf("signing in: %s", got)
			}
			for client, want := range map[*http.Client]string{mara: "401 not-signed-in", other: "200"} {
				if got := said(s.call(client, "GET", "/api/sessions", "")); got != want {
					t.Errorf("afterwards: %s, want %s", got, want)
				}
			}
			if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM session WHERE account_id IS NOT NULL`); n != 1 {
				t.Errorf("%d sessions", n)
			}
		})
	}
}

// TestThePasswordOfTheOfficeStands: one that someone else is about to choose does not come in its place.
func TestThePasswordOfTheOfficeStands(t *testing.T) {
	s := newSite(t)
	thief := s.person("mara.quill")
	office := s.person("office")
	answer, release := s.underWay("account_password", thief, "POST", "/api/password", fmt.Sprintf(`{"old":%q,"new":"heron over the sound"}`, demo.Password))
	given := make(chan string, 1)
	go func() {
		given <- said(s.call(office, "POST", "/api/schools/pellworth/years/2027/people/s0001/password", ""))
	}()
	s.until(strings.Replace(somebodyWaits, "> 0", "> 1", 1))
	release()
	first, second := <-answer, <-given
	if second != "200" {
		t.Errorf("the office: %s", second)
	}
	if got := said(s.signIn(s.fresh(), "mara.quill", "heron over the sound")); first != "204" && got != "401 sign-in-failed" || got == "200" {
		t.Errorf("changing it was answered %s; signing in with it afterwards %s", first, got)
	}
}

// TestTheSessionThatStays: anyone who signs out everywhere else goes on here.
func TestTheSessionThatStays(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	for range 2 {
		if got := said(s.call(mara, "DELETE", "/api/sessions", "")); got != "204" {
			t.Errorf("signing out elsewhere: %s", got)
		}
		s.at(s.clock().Add(6 * time.Minute))
		if got := said(s.call(mara, "GET", "/api/sessions", "")); got != "200" {
			t.Errorf("here: %s", got)
		}
	}
}
