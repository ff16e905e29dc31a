package contracttest

import (
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
)

// What is not as the contract has it is noticed: the status, the media type, a value, a field, a route.
func TestHold(t *testing.T) {
	t.Cleanup(func() { clear(faults) })
	for _, c := range []struct {
		method, path, kind, body string
		status                   int
		want                     string
	}{
		{"GET", "/healthz", "text/plain; charset=utf-8", "ok\n", 200, ""},
		{"GET", "/healthz", "text/plain; charset=utf-8", "ok\n", 202, "GET /healthz answers 202, which it does not have"},
		{"GET", "/api/me", "text/html", "<p>", 200, `GET /api/me answers 200 with "text/html"`},
		{"GET", "/api/me", "application/json", `{}`, 200, "GET /api/me answers 200: expected required property"},
		{"GET", "/api/me", "application/json", `{`, 200, "GET /api/me answers 200 with what is no JSON"},
		{"GET", "/api/me", "application/problem+json", `{"type":"about:blank","status":401,"title":"Unauthorized","code":"x","detail":"x"}`, 401, ""},
		{"GET", "/api/schools/a/years/2027/tasks/3/file", "application/zip", "PK", 200, ""},
		{"GET", "/api/schools/a/years/2027/tasks/3/file", "application/json", "{}", 200, `/file answers 200 with "application/json"`},
		{"GET", "/api/nowhere", "application/json", `{}`, 200, "GET /api/nowhere answers 200, and is no route"},
		{"GET", "/api/nowhere", "text/plain", "404", 404, ""},
		{"GET", "/ims/oneroster/v1p1/orgs", "application/json", `{"orgs":[{"sourcedId":"x"}]}`, 200, ""},
		{"GET", "/ims/oneroster/v1p1/orgs", "application/json", `{"users":[]}`, 200, "/orgs answers 200: "},
	} {
		clear(faults)
		h := Hold(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", c.kind)
			w.WriteHeader(c.status)
			_, _ = w.Write([]byte(c.body))
		}))
		out := httptest.NewRecorder()
		h.ServeHTTP(out, httptest.NewRequest(c.method, c.path, nil))
		got := fmt.Sprint(slices.Collect(maps.Keys(faults)))
		if c.want == "" && len(faults) > 0 || !strings.Contains(got, c.want) {
			t.Errorf("%s %s, %d %s %s: %s, want %q", c.method, c.path, c.status, c.kind, c.body, got, c.want)
		}
		if out.Code != c.status || out.Body.String() != c.body {
			t.Errorf("%s is not answered as it was: %d %s", c.path, out.Code, out.Body)
		}
	}
}

type green struct{}

func (green) Run() int { return 0 }

func TestRun(t *testing.T) {
	t.Cleanup(func() { clear(faults) })
	stderr := os.Stderr
	if null, err := os.OpenFile(os.DevNull, os.O_WRONLY, 0); err == nil {
		os.Stderr = null
		t.Cleanup(func() { os.Stderr = stderr })
	}
	clear(faults)
	faults["GET /api/held answers 200, and is no route"] = true
	for _, c := range []struct {
		except []string
		want   int
	}{{nil, 1}, {[]string{"GET /api/held"}, 0}} {
		if got := (Run{M: green{}, Except: c.except}).Run(); got != c.want {
			t.Errorf("without %v the run ends with %d, want %d", c.except, got, c.want)
		}
	}
}
