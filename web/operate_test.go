package web_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"rubricon/internal/testdb"
)

// What looks after a process is told whether it lives, whether it can serve, and what it has done; no name and no id is in what is counted.
func TestOperating(t *testing.T) {
	s := newSite(t)
	ask := func(h http.Handler, path string) (int, string) {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		text, _ := io.ReadAll(w.Result().Body)
		return w.Code, string(text)
	}
	said := func(path, want string) {
		t.Helper()
		if status, text := ask(s.server, path); fmt.Sprint(status, " ", text) != want {
			t.Errorf("%s: %d %q; %q is wanted", path, status, text, want)
		}
	}
	said("/healthz", "200 ok\n")
	said("/readyz", "200 ready\n")
	mara := s.person("mara.quill")
	s.call(mara, "GET", maraSheet, "")
	s.call(mara, "GET", "/api/schools/pellworth/years/2027/students/s0002/sheet", "")
	testdb.Value[int64](t, s.db, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, made_at, next_at, state)
		SELECT 'pellworth', 2027, 's0001', 's0001', 'opens', 'late', $1::timestamptz - interval '1 hour', $1::timestamptz - interval '1 hour', 'waiting' RETURNING id`, testdb.Now)
	status, text := ask(s.server.Metrics(), "/metrics")
	for _, want := range []string{
		`rubricon_request_seconds_count\{method="GET",route="/api/schools/:school/years/:year/students/:student/sheet",status="2xx"\} 1\n`,
		`rubricon_request_seconds_count\{method="GET",route="/api/schools/:school/years/:year/students/:student/sheet",status="4xx"\} 1\n`,
		`rubricon_database_up 1\n`, `rubricon_mails_due 1\n`, `rubricon_mail_delay_seconds 3600\n`, `rubricon_database_connections [1-9]`, `rubricon_jobs_due 0\n`, `go_goroutines `, `rubricon_streams 0\n`,
	} {
		if !regexp.MustCompile(want).MatchString(text) {
			t.Errorf("%d: %s is not in\n%s", status, want, text)
		}
	}
	for _, not := range []string{"mara", "s0001", "pellworth", "quill"} {
		if strings.Contains(text, not) {
			t.Errorf("%q is in what is counted", not)
		}
	}
	if status, _ := ask(s.server, "/metrics"); status != http.StatusNotFound {
		t.Errorf("what is counted, where the world can reach it: %d", status)
	}
	s.server.Leave()
	said("/readyz", "503 leaving\n")
	said("/healthz", "200 ok\n")
}

// Without the database a process lives, is not ready, and says so in what it counts.
func TestOperatingWithoutADatabase(t *testing.T) {
	s := newSite(t)
	s.store.Close()
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 503} {
		w := httptest.NewRecorder()
		s.server.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		if w.Code != want {
			t.Errorf("%s: %d; %d is wanted", path, w.Code, want)
		}
	}
	w := httptest.NewRecorder()
	s.server.Metrics().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
	if !strings.Contains(w.Body.String(), "rubricon_database_up 0\n") || strings.Contains(w.Body.String(), "rubricon_mails_due") {
		t.Errorf("without a database: %s", w.Body.String())
	}
}
