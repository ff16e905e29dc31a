package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/demo"
	"rubricon/school"
	"rubricon/store/storetest"
	"rubricon/web"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// site is a running server with people signed in.
type site struct {
	t *testing.T
	*httptest.Server
	people map[string]*http.Client
}

func newSite(t *testing.T) *site {
	t.Helper()
	db := storetest.Open(t, storetest.URL(t))
	// Beside the demo's people: a second family, a teacher, and somebody of another school.
	for _, text := range []string{
		`INSERT INTO account (username, password_hash) SELECT u, password_hash FROM account, unnest(ARRAY['other.student', 'other.guardian', 'a.teacher', 'foreign.counselor']) u WHERE username = 'mara.quill'`,
		`UPDATE person SET username = 'other.student' WHERE id = 's0003'`,
		`UPDATE person SET username = 'other.guardian' WHERE id = (SELECT guardian_id FROM guardianship WHERE student_id = 's0003' LIMIT 1)`,
		`UPDATE person SET username = 'a.teacher' WHERE id = 't05'`,
		`INSERT INTO school (id, name, policy) SELECT 'elsewhere', 'Elsewhere', policy FROM school`,
		`INSERT INTO person (school_id, id, ord, role, enabled, username, given_name, family_name, cells) VALUES
			('elsewhere', 'k9', 1, 'aide', true, 'foreign.counselor', 'Ms', 'Elsewhere', '{}'), ('elsewhere', 's9', 2, 'student', true, 'foreign.student', 'A', 'B', '{}')`,
		`UPDATE person SET counselor = 'k9' WHERE school_id = 'elsewhere' AND id = 's9'`,
	} {
		if _, err := db.ExecContext(t.Context(), text); err != nil {
			t.Fatal(text, err)
		}
	}
	server := web.New(db, school.New(db, func() time.Time { return storetest.Now }), web.Options{})
	t.Cleanup(server.Close)
	s := &site{t, httptest.NewServer(server), map[string]*http.Client{}}
	t.Cleanup(s.Close)
	return s
}

func (s *site) person(username string) *http.Client {
	if have := s.people[username]; have != nil {
		return have
	}
	jar, _ := cookiejar.New(nil)
	client := &http.Client{Jar: jar}
	s.people[username] = client
	if username == "" {
		return client
	}
	status, body := s.call(client, "POST", "/api/session", fmt.Sprintf(`{"username":%q,"password":%q}`, username, demo.Password))
	if status != 200 {
		s.t.Fatalf("%s cannot sign in: %d %s", username, status, body)
	}
	return client
}

func (s *site) call(client *http.Client, method, path, body string) (int, []byte) {
	s.t.Helper()
	req, err := http.NewRequestWithContext(s.t.Context(), method, s.URL+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	res, err := client.Do(req)
	if err != nil {
		s.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	if res.StatusCode >= 400 && res.Header.Get("Content-Type") != "application/problem+json" {
		s.t.Errorf("%s %s: an error as %s: %s", method, path, res.Header.Get("Content-Type"), text)
	}
	return res.StatusCode, text
}

func problemCode(body []byte) string {
	var p web.Problem
	_ = json.Unmarshal(body, &p)
	return p.Code
}

// Every route for every role, on one's own object and on another's. A cell is the set of statuses that are right: 2xx means
// allowed; 409 and 422 mean allowed to try, and refused by the state of the sheet or for the input.
func TestAuthorisation(t *testing.T) {
	s := newSite(t)
	const mara, other = "/api/schools/pellworth/students/s0001/sheet", "/api/schools/pellworth/students/s0003/sheet"
	try, no, hidden, out := []int{200, 409, 422}, []int{403}, []int{404}, []int{401}
	roles := []string{"", "mara.quill", "other.student", "ilse.quill", "other.guardian", "ms.arden", "office", "a.teacher", "foreign.counselor"}
	stale := `{"version":999}`
	message := `{"version":999,"message":"x"}`
	rows := []struct {
		method, path, body string
		want               map[string][]int // those not named get hidden; nobody signed in gets out
	}{
		{"GET", mara, "", map[string][]int{"mara.quill": try, "ilse.quill": try, "ms.arden": try, "office": try}},
		{"GET", mara + "/history", "", map[string][]int{"mara.quill": try, "ilse.quill": try, "ms.arden": try, "office": try}},
		{"GET", mara + "/effects", "", map[string][]int{"mara.quill": try, "ilse.quill": try, "ms.arden": try, "office": try}},
		{"POST", mara + "/changes", `{"version":999,"act":"undo"}`, map[string][]int{"mara.quill": try, "ilse.quill": no, "ms.arden": no, "office": no}},
		{"POST", mara + "/submission", stale, map[string][]int{"mara.quill": try, "ilse.quill": no, "ms.arden": no, "office": no}},
		{"POST", mara + "/signature", `{"version":999,"agreed":[]}`, map[string][]int{"mara.quill": no, "ilse.quill": try, "ms.arden": no, "office": no}},
		{"POST", mara + "/wish", message, map[string][]int{"mara.quill": no, "ilse.quill": try, "ms.arden": no, "office": no}},
		{"POST", mara + "/clearance", stale, map[string][]int{"mara.quill": no, "ilse.quill": no, "ms.arden": try, "office": try}},
		{"POST", mara + "/return", message, map[string][]int{"mara.quill": no, "ilse.quill": no, "ms.arden": try, "office": try}},
		{"POST", mara + "/decision", `{"version":999,"answer":"waive","course":"PHY1","reason":"x"}`, map[string][]int{"mara.quill": no, "ilse.quill": no, "ms.arden": try, "office": try}},
		{"GET", other, "", map[string][]int{"other.student": try, "other.guardian": try, "ms.arden": try, "office": try}},
		{"POST", other + "/changes", `{"version":999,"act":"undo"}`, map[string][]int{"other.student": try, "other.guardian": no, "ms.arden": no, "office": no}},
		{"POST", other + "/signature", `{"version":999,"agreed":[]}`, map[string][]int{"other.student": no, "other.guardian": try, "ms.arden": no, "office": no}},
		{"GET", "/api/schools/pellworth/students/nobody/sheet", "", nil},
		{"GET", "/api/schools/nowhere/students/s0001/sheet", "", nil},
		{"GET", "/api/schools/pellworth/catalog", "", map[string][]int{"mara.quill": try, "other.student": try, "ilse.quill": try, "other.guardian": try, "ms.arden": try, "office": try, "a.teacher": try}},
		{"GET", "/api/schools/pellworth/caseload", "", map[string][]int{"mara.quill": no, "other.student": no, "ilse.quill": no, "other.guardian": no, "ms.arden": try, "office": try, "a.teacher": no}},
		{"GET", "/api/schools/pellworth/caseload?all=true", "", map[string][]int{"mara.quill": no, "other.student": no, "ilse.quill": no, "other.guardian": no, "ms.arden": try, "office": try, "a.teacher": no}},
	}
	routes := map[string]bool{}
	for _, row := range rows {
		routes[row.method+" "+regexp.MustCompile(`schools/\w+`).ReplaceAllString(regexp.MustCompile(`students/\w+|\?.*`).ReplaceAllStringFunc(row.path, func(s string) string {
			if s[0] == '?' {
				return ""
			}
			return "students/{student}"
		}), "schools/{school}")] = true
		for _, role := range roles {
			want := row.want[role]
			if want == nil {
				want = hidden
			}
			if role == "" {
				want = out
			}
			status, body := s.call(s.person(role), row.method, row.path, row.body)
			if !slices.Contains(want, status) {
				t.Errorf("%s %s as %q: %d, want %v: %.200s", row.method, row.path, role, status, want, body)
			}
		}
	}
	// No route may be missing from the table; those of sign-in are open to everybody.
	contract, err := web.OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]any `json:"paths"`
	}
	if err := json.Unmarshal(contract, &doc); err != nil {
		t.Fatal(err)
	}
	for path, methods := range doc.Paths {
		for method := range methods {
			route := strings.ToUpper(method) + " " + path
			if !routes[route] && !slices.Contains([]string{"POST /api/session", "DELETE /api/session", "GET /api/me", "GET /api/welcome"}, route) {
				t.Errorf("%s is not in the table", route)
			}
		}
	}
}

func TestSigningInAndOut(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	if status, _ := s.call(mara, "GET", "/api/me", ""); status != 200 {
		t.Fatalf("signed in: %d", status)
	}
	if status, _ := s.call(mara, "DELETE", "/api/session", ""); status != 204 {
		t.Fatalf("signing out: %d", status)
	}
	if status, body := s.call(mara, "GET", "/api/me", ""); status != 401 || problemCode(body) != "not-signed-in" {
		t.Errorf("after signing out: %d %s", status, body)
	}
	if status, body := s.call(s.person(""), "POST", "/api/session", `{"username":"mara.quill","password":"no"}`); status != 401 || problemCode(body) != "sign-in-failed" {
		t.Errorf("a wrong password: %d %s", status, body)
	}
}

func TestBadInput(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	const path = "/api/schools/pellworth/students/s0001/sheet/changes"
	for body, want := range map[string]string{
		`{"version":1,"act":"request","course":"TID1"`:                                                  "400 bad-request",
		`{"version":"one","act":"request","course":"TID1"}`:                                             "422 bad-input",
		`{"version":1,"act":"sing","course":"TID1"}`:                                                    "422 bad-input",
		`{"version":0,"act":"request","course":"TID1"}`:                                                 "422 bad-input",
		`{"version":1,"act":"request","course":"` + strings.Repeat("X", 101) + `"}`:                     "422 bad-input",
		`{"version":1,"act":"order","list":"requests","order":["` + strings.Repeat(`A","`, 61) + `B"]}`: "422 bad-input",
		`{"version":1,"act":"request","course":"TID1","surprise":true}`:                                 "422 bad-input",
		`{"version":1,"act":"request","course":"NONE"}`:                                                 "404 not-found",
		`{"version":7,"act":"request","course":"TID1"}`:                                                 "409 stale-version",
		`"` + strings.Repeat("x", 70_000) + `"`:                                                         "413 too-large",
	} {
		status, answer := s.call(mara, "POST", path, body)
		if got := fmt.Sprint(status, " ", problemCode(answer)); got != want {
			t.Errorf("%.60s gives %s, want %s: %.300s", body, got, want, answer)
		}
	}
	if status, body := s.call(mara, "GET", "/api/nothing", ""); status != 404 || problemCode(body) != "not-found" {
		t.Errorf("an unknown address: %d %s", status, body)
	}
	if status, body := s.call(mara, "PUT", "/api/me", ""); status != 405 || problemCode(body) != "method-not-allowed" {
		t.Errorf("a wrong method: %d %s", status, body)
	}
	if status, body := s.call(mara, "GET", "/api/schools/pellworth/students/s0001/sheet", ""); status != 200 || !bytes.Contains(body, []byte(`"version":1,`)) {
		t.Errorf("after all that the sheet is %d %.200s", status, body)
	}
}

func TestCrossSiteRequestsAreRefused(t *testing.T) {
	s := newSite(t)
	for header, value := range map[string]string{"Sec-Fetch-Site": "cross-site", "Origin": "https://elsewhere.example"} {
		req, _ := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/api/schools/pellworth/students/s0001/sheet/changes", strings.NewReader(`{"version":1,"act":"undo"}`))
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set(header, value)
		res, err := s.person("mara.quill").Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if res.StatusCode != 403 || problemCode(body) != "cross-site" {
			t.Errorf("%s: %s gives %d %s", header, value, res.StatusCode, body)
		}
	}
}

func TestHeaders(t *testing.T) {
	s := newSite(t)
	res, err := http.Get(s.URL + "/")
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "Referrer-Policy": "same-origin", "Content-Security-Policy": "default-src 'none'"} {
		if got := res.Header.Get(name); !strings.HasPrefix(got, want) {
			t.Errorf("%s is %q", name, got)
		}
	}
	cookie := ""
	req, _ := http.NewRequest("POST", s.URL+"/api/session", strings.NewReader(fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password)))
	req.Header.Set("Content-Type", "application/json")
	if res, err = http.DefaultClient.Do(req); err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	cookie = res.Header.Get("Set-Cookie")
	if !strings.Contains(cookie, "HttpOnly") || !strings.Contains(cookie, "SameSite=Strict") {
		t.Errorf("the session's cookie is %q", cookie)
	}
	if res, err = http.Get(s.URL + "/assets/nothing.js"); err != nil || res.StatusCode != 404 {
		t.Errorf("a missing asset gives %v, %v", res.StatusCode, err)
	}
	res.Body.Close()
}

func TestContractIsTheOneInTheRepository(t *testing.T) {
	want, err := web.OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	have, err := os.ReadFile("../docs/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	if strings.TrimSpace(string(have)) != string(want) {
		t.Error("docs/openapi.json is not what the handlers say; run make contract")
	}
}

func TestGeneratedTypesAreThoseOfTheContract(t *testing.T) {
	out := t.TempDir() + "/schema.ts"
	cmd := exec.CommandContext(t.Context(), "node", "node_modules/openapi-typescript/bin/cli.js", "../docs/openapi.json", "-o", out)
	cmd.Dir = "../ui"
	if text, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("generating the types: %v\n%s", err, text)
	}
	want, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	have, err := os.ReadFile("../ui/src/api/schema.gen.ts")
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(have, want) {
		t.Error("ui/src/api/schema.gen.ts is not generated from the contract; run make contract")
	}
}
