package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"os"
	"os/exec"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"rubricon/app"
	"rubricon/app/problem"
	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/locales"
	"rubricon/store"
	"rubricon/web"
	webaccount "rubricon/web/account"
	webcaseload "rubricon/web/caseload"
	webcatalog "rubricon/web/catalog"
	"rubricon/web/contracttest"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

func TestMain(m *testing.M) {
	testdb.Main(contracttest.Run{M: m, Except: []string{"GET /api/held"}})
}

const maraSheet = "/api/schools/pellworth/years/2027/students/s0001/sheet"

// site is a running server with people signed in.
type site struct {
	t *testing.T
	*httptest.Server
	db     testdb.Database
	store  *store.DB
	cases  *app.App
	server *server.Server
	log    *lockedBuffer
	mu     sync.Mutex
	now    time.Time
	people map[string]*http.Client
}

// lockedBuffer is a log that is read while it is written.
type lockedBuffer struct {
	mu  sync.Mutex
	buf bytes.Buffer
}

func (b *lockedBuffer) Write(text []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.buf.Write(text)
}

func (b *lockedBuffer) String() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.buf.String()
}

func (s *site) clock() time.Time {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.now
}

func (s *site) at(now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.now = now
}

func newSite(t *testing.T, change ...func(*web.Options)) *site {
	t.Helper()
	testdb.Parallel(t)
	s := &site{t: t, db: testdb.New(t), now: testdb.Now, people: map[string]*http.Client{}, log: &lockedBuffer{}}
	log := slog.New(server.LogHandler(slog.NewTextHandler(s.log, nil)))
	s.store = s.db.Open(t)
	s.cases = app.New(s.store, app.Options{Now: s.clock, Log: log, Hashes: testdb.Hashes})
	o := web.Options{Now: s.clock, Log: log}
	for _, c := range change {
		c(&o)
	}
	s.server = web.New(s.cases, o)
	s.Server = httptest.NewServer(contracttest.Hold(s.server))
	t.Cleanup(s.Close)
	return s
}

// strangers adds a second family, a teacher, and someone of another school, each with the demo's password.
func (s *site) strangers() {
	s.t.Helper()
	for _, text := range []string{
		`INSERT INTO account (username) SELECT unnest(ARRAY['other.student', 'other.guardian', 'a.teacher', 'foreign.counselor', 'foreign.office', 'ms.colleague'])`,
		`INSERT INTO account_password SELECT a.id, p.hash, p.set_at FROM account a, account_password p JOIN account m ON m.id = p.account_id AND m.username = 'mara.quill'
			WHERE a.username IN ('other.student', 'other.guardian', 'a.teacher', 'foreign.counselor', 'foreign.office', 'ms.colleague')`,
		`UPDATE person SET account_id = (SELECT id FROM account WHERE username = 'other.student') WHERE id = 's0003'`,
		`UPDATE person SET account_id = (SELECT id FROM account WHERE username = 'other.guardian') WHERE id = (SELECT person_id FROM relation WHERE kind = 'guards' AND student_id = 's0003' LIMIT 1)`,
		`UPDATE person SET account_id = (SELECT id FROM account WHERE username = 'a.teacher') WHERE id = 't05'`,
		`UPDATE person SET account_id = (SELECT id FROM account WHERE username = 'ms.colleague') WHERE id = (SELECT min(person_id) FROM relation WHERE kind = 'counsels' AND person_id <> 'k1')`,
		`DELETE FROM relation WHERE kind = 'counsels' AND student_id IN ('s0001', 's0003')`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, year, source) VALUES ('pellworth', 'counsels', 'k1', 's0001', 2027, 'import'), ('pellworth', 'counsels', 'k1', 's0003', 2027, 'import')`,
		`INSERT INTO school VALUES ('elsewhere', 'Elsewhere')`,
		`INSERT INTO school_year (school_id, year, catalog_version, policy_version) VALUES ('elsewhere', 2027, 1, 1)`,
		`INSERT INTO catalog SELECT 'elsewhere', year, version, files, at FROM catalog`,
		`INSERT INTO policy SELECT 'elsewhere', year, version, text, at FROM policy`,
		`INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells) VALUES
			('elsewhere', 'k9', 1, 'aide', true, 'foreign.counselor', (SELECT id FROM account WHERE username = 'foreign.counselor'), 'Ms', 'Elsewhere', '{}'),
			('elsewhere', 'o9', 1, 'administrator', true, 'foreign.office', (SELECT id FROM account WHERE username = 'foreign.office'), 'Mr', 'Elsewhere', '{}'),
			('elsewhere', 's9', 2, 'student', true, 'foreign.student', NULL, 'A', 'B', '{}')`,
		`INSERT INTO sheet (school_id, year, student_id, grade) VALUES ('elsewhere', 2027, 's9', 10)`,
		`INSERT INTO relation (school_id, kind, person_id, course_code, source) VALUES ('pellworth', 'leads', 't05', 'CHA1', 'office')`,
		`INSERT INTO relation (school_id, kind, person_id, student_id, year, source) VALUES ('elsewhere', 'counsels', 'k9', 's9', 2027, 'import'), ('elsewhere', 'administers', 'o9', NULL, NULL, 'import')`,
		`UPDATE school_year SET roster_version = roster_version + 1`,
	} {
		s.db.Exec(s.t, text)
	}
}

func (s *site) person(username string) *http.Client {
	if have := s.people[username]; have != nil {
		return have
	}
	client := s.fresh()
	s.people[username] = client
	if username == "" {
		return client
	}
	if status, body := s.signIn(client, username, demo.Password); status != 200 {
		s.t.Fatalf("%s cannot sign in: %d %s", username, status, body)
	}
	return client
}

func (s *site) fresh() *http.Client {
	jar, _ := cookiejar.New(nil)
	return &http.Client{Jar: jar}
}

func (s *site) signIn(client *http.Client, username, password string) (int, []byte) {
	s.t.Helper()
	return s.call(client, "POST", "/api/session", fmt.Sprintf(`{"username":%q,"password":%q}`, username, password))
}

func (s *site) call(client *http.Client, method, path, body string) (int, []byte) {
	s.t.Helper()
	res, text := s.send(client, method, path, body, nil)
	return res.StatusCode, text
}

func (s *site) send(client *http.Client, method, path, body string, headers map[string]string) (*http.Response, []byte) {
	s.t.Helper()
	req, err := http.NewRequestWithContext(s.t.Context(), method, s.URL+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for name, value := range headers {
		req.Header.Set(name, value)
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
	return res, text
}

func problemCode(body []byte) string {
	var p server.Problem
	_ = json.Unmarshal(body, &p)
	return p.Code
}

// said writes an answer as a status and, where there is one, the problem's code.
func said(status int, body []byte) string {
	return strings.TrimSpace(fmt.Sprint(status, " ", problemCode(body)))
}

func (s *site) version(student string) int64 {
	s.t.Helper()
	_, body := s.call(s.person("office"), "GET", "/api/schools/pellworth/years/2027/students/"+student+"/sheet", "")
	var v websheet.SheetView
	if err := json.Unmarshal(body, &v); err != nil || v.Version == 0 {
		s.t.Fatalf("%v: %s", err, body)
	}
	return v.Version
}

// Every route for every role, on one's own object, on another's, and on another school's: the exact answer.
func TestAuthorisation(t *testing.T) {
	s := newSite(t)
	s.strangers()
	const other = "/api/schools/pellworth/years/2027/students/s0003/sheet"
	const foreign = "/api/schools/elsewhere/years/2027/students/s9/sheet"
	const year, elsewhere = "/api/schools/pellworth/years/2027", "/api/schools/elsewhere/years/2027"
	ofMara, ofOther, ofForeign := strings.TrimSuffix(maraSheet, "sheet"), strings.TrimSuffix(other, "sheet"), strings.TrimSuffix(foreign, "sheet")
	roles := []string{"", "mara.quill", "other.student", "ilse.quill", "other.guardian", "ms.arden", "ms.colleague", "office", "a.teacher", "foreign.counselor", "foreign.office"}
	const ok, out, hidden, no, stale = "200", "401 not-signed-in", "404 not-found", "403 forbidden", "409 stale-version"
	const noClaim, noSeats, noSection = "409 no-such-claim", "409 no-window", "404 no-such-section"
	type answers map[string]string // those not named get hidden; no one signed in gets out
	reads := answers{"mara.quill": ok, "ilse.quill": ok, "ms.arden": ok, "ms.colleague": ok, "office": ok}
	decides := func(what string) answers {
		return answers{"mara.quill": no, "ilse.quill": no, "ms.arden": what, "ms.colleague": no, "office": what}
	}
	edits := answers{"mara.quill": stale, "ilse.quill": no, "ms.arden": stale, "ms.colleague": no, "office": stale}
	noRound := answers{"mara.quill": "409 not-needed", "ilse.quill": no, "ms.arden": "409 not-needed", "ms.colleague": no, "office": "409 not-needed"}
	signs := answers{"mara.quill": no, "ilse.quill": stale, "ms.arden": stale, "ms.colleague": no, "office": stale}
	otherReads := answers{"other.student": ok, "other.guardian": ok, "ms.arden": ok, "ms.colleague": ok, "office": ok}
	otherDecides := func(what string) answers {
		return answers{"other.student": no, "other.guardian": no, "ms.arden": what, "ms.colleague": no, "office": what}
	}
	foreignReads := answers{"foreign.counselor": ok, "foreign.office": ok}
	foreignDecides := answers{"foreign.counselor": stale, "foreign.office": stale}
	members := answers{"mara.quill": ok, "other.student": ok, "ilse.quill": ok, "other.guardian": ok, "ms.arden": ok, "ms.colleague": ok, "office": ok, "a.teacher": ok}
	staff := func(counselor, office string) answers {
		return answers{"mara.quill": no, "other.student": no, "ilse.quill": no, "other.guardian": no, "ms.arden": counselor, "ms.colleague": counselor, "office": office, "a.teacher": no}
	}
	teaches := func(what string) answers {
		out := staff(no, no)
		out["a.teacher"] = what
		return out
	}
	sectionOf := func(course string) string {
		return fmt.Sprintf(`{"course":%q,"title":"","terms":[0],"periods":[1],"days":[],"seats":20,"teacher":"","room":""}`, course)
	}
	const version, message, signature = `{"version":999}`, `{"version":999,"message":"x"}`, `{"version":999,"agreed":[]}`
	const agreeing = `{"kind":"fee","ref":"CER1","what":"3500","agree":true}`
	const blank = `{"kind":"question","text":" "}`
	decidesOr := func(what string, roles ...string) answers {
		out := answers{"ms.colleague": no}
		for _, role := range roles {
			out[role] = what
		}
		return out
	}
	const plan = `{"version":999,"act":"add","course":"PHY1","grade":11}`
	const undo, decision = `{"version":999,"act":"undo"}`, `{"version":999,"answer":"waive","course":"PHY1","reason":"x"}`
	rows := []struct {
		method, path, body string
		want               answers
	}{
		{"GET", maraSheet + "/live?seconds=0", "", reads}, {"GET", other + "/live?seconds=0", "", otherReads}, {"GET", foreign + "/live?seconds=0", "", foreignReads},
		{"GET", year + "/caseload/live?seconds=0", "", staff(ok, ok)}, {"GET", elsewhere + "/caseload/live?seconds=0", "", foreignReads},
		{"GET", maraSheet, "", reads}, {"GET", maraSheet + "/history", "", reads}, {"GET", maraSheet + "/effects", "", reads},
		{"POST", maraSheet + "/changes", undo, edits}, {"POST", maraSheet + "/submission", version, edits}, {"POST", maraSheet + "/summer", version, noRound}, {"POST", maraSheet + "/errands", `{"version":999,"course":"CER1","kind":"form","done":true,"reason":"x"}`, decides(stale)},
		{"POST", maraSheet + "/claims", `{"version":999,"course":"PHY1","kind":"passed","name":"ALG1","note":"x"}`, edits},
		{"POST", maraSheet + "/signature", signature, signs},
		{"DELETE", maraSheet + "/wish/1", "", answers{"mara.quill": hidden, "ilse.quill": hidden, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"DELETE", other + "/wish/1", "", answers{"other.student": hidden, "other.guardian": hidden, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"DELETE", foreign + "/wish/1", "", answers{"foreign.counselor": hidden, "foreign.office": hidden}},
		{"POST", maraSheet + "/wish/1/answer", `{"answer":"x"}`, answers{"mara.quill": no, "ilse.quill": no, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"POST", other + "/wish/1/answer", `{"answer":"x"}`, answers{"other.student": no, "other.guardian": no, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"POST", foreign + "/wish/1/answer", `{"answer":"x"}`, answers{"foreign.counselor": hidden, "foreign.office": hidden}},
		{"POST", maraSheet + "/wish", message, answers{"mara.quill": no, "ilse.quill": stale, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", maraSheet + "/look", version, decides("409 not-needed")}, {"POST", maraSheet + "/clearance", version, decides(stale)},
		{"POST", maraSheet + "/reopening", version, decides(stale)}, {"POST", maraSheet + "/return", message, decides(stale)},
		{"POST", maraSheet + "/decision", decision, decides(stale)},
		{"GET", other, "", otherReads}, {"GET", other + "/history", "", otherReads}, {"GET", other + "/effects", "", otherReads},
		{"POST", other + "/changes", undo, answers{"other.student": stale, "other.guardian": no, "ms.arden": stale, "ms.colleague": no, "office": stale}},
		{"POST", other + "/signature", signature, answers{"other.student": no, "other.guardian": stale, "ms.arden": stale, "ms.colleague": no, "office": stale}},
		{"POST", other + "/decision", decision, otherDecides(stale)}, {"POST", other + "/return", message, otherDecides(stale)},
		{"GET", foreign, "", foreignReads}, {"GET", foreign + "/history", "", foreignReads}, {"GET", foreign + "/effects", "", foreignReads},
		{"POST", foreign + "/changes", undo, foreignDecides}, {"POST", foreign + "/decision", decision, foreignDecides},
		{"GET", ofMara + "path", "", reads}, {"GET", ofOther + "path", "", otherReads}, {"GET", ofForeign + "path", "", foreignReads},
		{"GET", ofMara + "courses/PHY1", "", reads}, {"GET", ofOther + "courses/PHY1", "", otherReads}, {"GET", ofForeign + "courses/PHY1", "", foreignReads},
		{"POST", ofMara + "plan", plan, answers{"mara.quill": "409 stale-plan", "ilse.quill": "409 stale-plan", "ms.arden": "409 stale-plan", "ms.colleague": no, "office": "409 stale-plan"}},
		{"POST", ofOther + "plan", plan, answers{"other.student": "409 stale-plan", "other.guardian": "409 stale-plan", "ms.arden": "409 stale-plan", "ms.colleague": no, "office": "409 stale-plan"}},
		{"POST", ofForeign + "plan", plan, answers{"foreign.counselor": "409 stale-plan", "foreign.office": "409 stale-plan"}},
		{"GET", ofMara + "claims/1/file", "", answers{"mara.quill": hidden, "ilse.quill": hidden, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"GET", ofOther + "claims/1/file", "", answers{"ms.colleague": no}}, {"GET", ofForeign + "claims/1/file", "", nil},
		{"DELETE", ofMara + "claims/999999/file?reason=x", "", answers{"mara.quill": noClaim, "ilse.quill": no, "ms.arden": noClaim, "ms.colleague": no, "office": noClaim}},
		{"DELETE", ofOther + "claims/999999/file?reason=x", "", answers{"other.student": noClaim, "other.guardian": no, "ms.arden": noClaim, "ms.colleague": no, "office": noClaim}},
		{"DELETE", ofForeign + "claims/999999/file?reason=x", "", answers{"foreign.counselor": noClaim, "foreign.office": noClaim}},
		{"POST", ofMara + "claims/999999/file?name=x.txt&reason=x", "text", answers{"mara.quill": noClaim, "ilse.quill": no, "ms.arden": noClaim, "ms.colleague": no, "office": noClaim}},
		{"POST", ofOther + "claims/999999/file?name=x.txt&reason=x", "text", answers{"other.student": noClaim, "other.guardian": no, "ms.arden": noClaim, "ms.colleague": no, "office": noClaim}},
		{"POST", ofForeign + "claims/999999/file?name=x.txt&reason=x", "text", answers{"foreign.counselor": noClaim, "foreign.office": noClaim}},
		{"GET", maraSheet + "/hints", "", reads}, {"GET", other + "/hints", "", otherReads}, {"GET", foreign + "/hints", "", foreignReads},
		{"GET", maraSheet + "/what-if?lost=PHY1", "", reads}, {"GET", other + "/what-if?lost=NOSUCH", "", answers{"other.student": "404 no-such-course", "other.guardian": "404 no-such-course",
			"ms.arden": "404 no-such-course", "ms.colleague": "404 no-such-course", "office": "404 no-such-course"}}, {"GET", foreign + "/what-if?lost=PHY1", "", answers{"foreign.counselor": "409 not-on-sheet", "foreign.office": "409 not-on-sheet"}},
		{"GET", ofMara + "drafts", "", reads}, {"GET", ofOther + "drafts", "", otherReads}, {"GET", ofForeign + "drafts", "", foreignReads},
		{"POST", ofMara + "drafts", `{"name":" "}`, answers{"mara.quill": "422 needs-name", "ilse.quill": no, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", ofOther + "drafts", `{"name":" "}`, answers{"other.student": "422 needs-name", "other.guardian": no, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", ofForeign + "drafts", `{"name":" "}`, answers{"foreign.counselor": no, "foreign.office": no}},
		{"PUT", ofMara + "drafts/999", `{"name":"x"}`, nil}, {"DELETE", ofMara + "drafts/999", "", nil},
		{"GET", maraSheet + "?draft=999", "", nil}, {"GET", other + "?draft=999", "", nil}, {"POST", maraSheet + "/submission?draft=999", version, nil},
		{"GET", ofMara + "seats.pdf", "", reads}, {"GET", ofOther + "seats.pdf", "", otherReads}, {"GET", ofForeign + "seats.pdf", "", foreignReads},
		{"GET", ofMara + "seats", "", reads}, {"GET", ofMara + "seats/ways?period=1", "", reads}, {"GET", ofMara + "seats/proposal", "", reads}, {"GET", ofMara + "seats/acts", "", reads}, {"GET", ofMara + "seats/live?seconds=0", "", reads},
		{"POST", ofMara + "seats", `{"take":["x"]}`, answers{"mara.quill": noSeats, "ilse.quill": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofMara + "seats/submission", `{}`, answers{"mara.quill": noSeats, "ilse.quill": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofMara + "seats/look", "", answers{"mara.quill": no, "ilse.quill": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofMara + "seats/return", `{"reason":"x"}`, answers{"mara.quill": no, "ilse.quill": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}},
		{"PUT", ofMara + "seats/waits/x", "", answers{"mara.quill": noSection, "ilse.quill": noSection, "ms.arden": noSection, "ms.colleague": noSection, "office": noSection}}, {"DELETE", ofMara + "seats/waits/x", "", answers{"mara.quill": noSection, "ilse.quill": noSection, "ms.arden": noSection, "ms.colleague": noSection, "office": noSection}},
		{"GET", ofOther + "seats", "", otherReads}, {"GET", ofOther + "seats/ways?period=1", "", otherReads}, {"GET", ofOther + "seats/proposal", "", otherReads}, {"GET", ofOther + "seats/acts", "", otherReads}, {"GET", ofOther + "seats/live?seconds=0", "", otherReads},
		{"POST", ofOther + "seats", `{"take":["x"]}`, answers{"other.student": noSeats, "other.guardian": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofOther + "seats/submission", `{}`, answers{"other.student": noSeats, "other.guardian": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofOther + "seats/look", "", answers{"other.student": no, "other.guardian": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}}, {"POST", ofOther + "seats/return", `{"reason":"x"}`, answers{"other.student": no, "other.guardian": no, "ms.arden": noSeats, "ms.colleague": no, "office": noSeats}},
		{"PUT", ofOther + "seats/waits/x", "", answers{"other.student": noSection, "other.guardian": noSection, "ms.arden": noSection, "ms.colleague": noSection, "office": noSection}}, {"DELETE", ofOther + "seats/waits/x", "", answers{"other.student": noSection, "other.guardian": noSection, "ms.arden": noSection, "ms.colleague": noSection, "office": noSection}},
		{"GET", ofForeign + "seats", "", foreignReads}, {"GET", ofForeign + "seats/ways?period=1", "", foreignReads}, {"GET", ofForeign + "seats/proposal", "", foreignReads}, {"GET", ofForeign + "seats/acts", "", foreignReads}, {"GET", ofForeign + "seats/live?seconds=0", "", foreignReads},
		{"POST", ofForeign + "seats", `{"take":["x"]}`, answers{"foreign.counselor": noSeats, "foreign.office": noSeats}}, {"POST", ofForeign + "seats/submission", `{}`, answers{"foreign.counselor": noSeats, "foreign.office": noSeats}}, {"POST", ofForeign + "seats/look", "", answers{"foreign.counselor": noSeats, "foreign.office": noSeats}}, {"POST", ofForeign + "seats/return", `{"reason":"x"}`, answers{"foreign.counselor": noSeats, "foreign.office": noSeats}},
		{"PUT", ofForeign + "seats/waits/x", "", answers{"foreign.counselor": noSection, "foreign.office": noSection}}, {"DELETE", ofForeign + "seats/waits/x", "", answers{"foreign.counselor": noSection, "foreign.office": noSection}},
		{"GET", ofMara + "enrollments", "", reads}, {"POST", ofMara + "enrollments/trial", `{"add":["x"],"on":"2027-09-14"}`, answers{"mara.quill": no, "ilse.quill": no, "ms.arden": noSection, "ms.colleague": no, "office": noSection}}, {"POST", ofMara + "enrollments", `{"add":["x"],"on":"2027-09-14","reason":"x"}`, answers{"mara.quill": no, "ilse.quill": no, "ms.arden": noSection, "ms.colleague": no, "office": noSection}},
		{"GET", ofOther + "enrollments", "", otherReads}, {"POST", ofOther + "enrollments/trial", `{"add":["x"],"on":"2027-09-14"}`, answers{"other.student": no, "other.guardian": no, "ms.arden": noSection, "ms.colleague": no, "office": noSection}}, {"POST", ofOther + "enrollments", `{"add":["x"],"on":"2027-09-14","reason":"x"}`, answers{"other.student": no, "other.guardian": no, "ms.arden": noSection, "ms.colleague": no, "office": noSection}},
		{"GET", ofForeign + "enrollments", "", foreignReads}, {"POST", ofForeign + "enrollments/trial", `{"add":["x"],"on":"2027-09-14"}`, answers{"foreign.counselor": noSection, "foreign.office": noSection}}, {"POST", ofForeign + "enrollments", `{"add":["x"],"on":"2027-09-14","reason":"x"}`, answers{"foreign.counselor": noSection, "foreign.office": noSection}},
		{"GET", year + "/seat-table", "", members}, {"GET", elsewhere + "/seat-table", "", foreignReads}, {"GET", year + "/seats", "", staff(ok, ok)}, {"GET", elsewhere + "/seats", "", foreignReads},
		{"GET", year + "/seats/live?seconds=0", "", staff(ok, ok)}, {"GET", elsewhere + "/seats/live?seconds=0", "", foreignReads},
		{"PUT", year + "/seat-rules", `{"waiting":"order","minutes":60}`, staff(no, ok)}, {"PUT", elsewhere + "/seat-rules", `{"waiting":"order","minutes":60}`, answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", ofMara + "week.ics", "", nil}, {"GET", ofOther + "week.ics", "", nil}, {"GET", ofForeign + "week.ics", "", nil}, {"GET", ofMara + "week.pdf", "", nil}, {"GET", ofOther + "week.pdf", "", nil}, {"GET", ofForeign + "week.pdf", "", nil},
		{"GET", ofMara + "errands.ics", "", reads}, {"GET", ofOther + "errands.ics", "", otherReads}, {"GET", ofForeign + "errands.ics", "", foreignReads},
		{"GET", ofMara + "feed", "", reads}, {"GET", ofOther + "feed", "", otherReads}, {"GET", ofForeign + "feed", "", foreignReads},
		{"POST", ofMara + "feed", "", reads}, {"POST", ofOther + "feed", "", otherReads}, {"POST", ofForeign + "feed", "", foreignReads},
		{"DELETE", ofMara + "feed", "", reads}, {"DELETE", ofOther + "feed", "", otherReads}, {"DELETE", ofForeign + "feed", "", foreignReads},
		{"GET", strings.TrimSuffix(maraSheet, "/sheet") + "/worksheet.pdf", "", reads}, {"GET", strings.TrimSuffix(other, "/sheet") + "/worksheet.pdf", "", otherReads}, {"GET", strings.TrimSuffix(foreign, "/sheet") + "/worksheet.pdf", "", foreignReads},
		{"GET", maraSheet + "/paper.pdf", "", reads}, {"GET", other + "/paper.pdf", "", otherReads}, {"GET", foreign + "/paper.pdf", "", foreignReads},
		{"GET", maraSheet + "/versions/999", "", nil}, {"GET", other + "/versions/999", "", nil}, {"GET", foreign + "/versions/999", "", nil},
		{"GET", ofMara + "remarks", "", reads}, {"GET", ofOther + "remarks", "", otherReads}, {"GET", ofForeign + "remarks", "", foreignReads},
		{"POST", ofMara + "remarks", blank, decidesOr("422 needs-message", "mara.quill", "ilse.quill", "ms.arden", "office")},
		{"POST", ofOther + "remarks", blank, decidesOr("422 needs-message", "other.student", "other.guardian", "ms.arden", "office")},
		{"POST", ofForeign + "remarks", blank, answers{"foreign.counselor": "422 needs-message", "foreign.office": "422 needs-message"}},
		{"POST", ofMara + "remarks/999/answer", `{"answer":"x"}`, answers{"mara.quill": no, "ilse.quill": no, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"POST", ofOther + "remarks/999/answer", `{"answer":"x"}`, answers{"other.student": no, "other.guardian": no, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"POST", ofForeign + "remarks/999/answer", `{"answer":"x"}`, nil},
		{"GET", maraSheet + "/agreements", "", answers{"mara.quill": no, "ilse.quill": "409 nothing-submitted", "ms.arden": "409 nothing-submitted", "ms.colleague": no, "office": "409 nothing-submitted"}},
		{"GET", other + "/agreements", "", answers{"other.student": no, "other.guardian": "409 nothing-submitted", "ms.arden": "409 nothing-submitted", "ms.colleague": no, "office": "409 nothing-submitted"}},
		{"GET", foreign + "/agreements", "", answers{"foreign.counselor": "409 nothing-submitted", "foreign.office": "409 nothing-submitted"}},
		{"PUT", maraSheet + "/agreements", agreeing, answers{"mara.quill": no, "ilse.quill": "409 nothing-submitted", "ms.arden": "409 nothing-submitted", "ms.colleague": no, "office": "409 nothing-submitted"}},
		{"PUT", other + "/agreements", agreeing, answers{"other.student": no, "other.guardian": "409 nothing-submitted", "ms.arden": "409 nothing-submitted", "ms.colleague": no, "office": "409 nothing-submitted"}},
		{"PUT", foreign + "/agreements", agreeing, answers{"foreign.counselor": "409 nothing-submitted", "foreign.office": "409 nothing-submitted"}},
		{"PUT", ofMara + "drafts/999/shown", `{"shown":true}`, nil}, {"PUT", ofOther + "drafts/999/shown", `{"shown":true}`, nil}, {"PUT", ofForeign + "drafts/999/shown", `{"shown":true}`, nil},
		{"GET", year + "/students/nobody/sheet", "", nil}, {"GET", "/api/schools/nowhere/years/2027/students/s0001/sheet", "", nil},
		{"GET", "/api/schools/pellworth/years/2026/students/s0001/sheet", "", nil},
		{"GET", year + "/catalog", "", members}, {"GET", "/api/schools/pellworth/years/2026/catalog", "", nil}, {"GET", elsewhere + "/catalog", "", foreignReads},
		{"GET", year + "/classes", "", teaches(ok)}, {"GET", elsewhere + "/classes", "", answers{"foreign.counselor": no, "foreign.office": no}},
		{"GET", year + "/classes/GEO1", "", teaches(hidden)}, {"GET", elsewhere + "/classes/GEO1", "", answers{"foreign.counselor": no, "foreign.office": no}},
		{"POST", year + "/classes/GEO1/recommendations", `{"students":["s0001"],"course":"ALG2"}`, teaches(hidden)},
		{"POST", elsewhere + "/classes/GEO1/recommendations", `{"students":["s0001"],"course":"ALG2"}`, answers{"foreign.counselor": no, "foreign.office": no}},
		{"GET", year + "/tryouts", "", answers{"mara.quill": no, "ilse.quill": no, "other.student": no, "other.guardian": no, "a.teacher": ok, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"GET", elsewhere + "/tryouts", "", answers{"foreign.counselor": no, "foreign.office": no}},
		{"POST", year + "/tryouts/CHA1/answers", `{"students":["s0009"],"answer":"open"}`, answers{"mara.quill": no, "ilse.quill": no, "other.student": no, "other.guardian": no, "a.teacher": ok, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", year + "/tryouts/JAZ1/answers", `{"students":["s0009"],"answer":"open"}`, answers{"mara.quill": no, "ilse.quill": no, "other.student": no, "other.guardian": no, "a.teacher": hidden, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", elsewhere + "/tryouts/CHA1/answers", `{"students":["s9"],"answer":"open"}`, answers{"foreign.counselor": no, "foreign.office": no}},
		{"POST", year + "/tryouts/CHA1/named", `{"roster":"s0009"}`, answers{"mara.quill": no, "ilse.quill": no, "other.student": no, "other.guardian": no, "a.teacher": ok, "ms.arden": no, "ms.colleague": no, "office": no}},
		{"POST", elsewhere + "/tryouts/CHA1/named", `{"roster":"s9"}`, answers{"foreign.counselor": no, "foreign.office": no}},
		{"POST", year + "/people/nobody/passkeys", `{"reason":"x"}`, staff(no, hidden)}, {"POST", elsewhere + "/people/s0001/passkeys", `{"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"POST", year + "/placements/9/helps", `{"moves":5,"seconds":5}`, staff(no, hidden)}, {"POST", elsewhere + "/placements/9/helps", `{"moves":5,"seconds":5}`, answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"DELETE", year + "/placements/9/helps", "", staff(no, hidden)}, {"DELETE", elsewhere + "/placements/9/helps", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"POST", year + "/placements/9/sections", "", staff(no, hidden)}, {"POST", elsewhere + "/placements/9/sections", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placements/9/since", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/since", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"POST", year + "/placements/9/anew", "", staff(no, hidden)}, {"POST", elsewhere + "/placements/9/anew", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"PUT", year + "/placements/9/students/s0001", `{"course":"CER1","section":"","reason":"x"}`, staff(no, hidden)}, {"PUT", elsewhere + "/placements/9/students/s0001", `{"course":"CER1","section":"","reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placements/9/students/s0001/choices", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/students/s0001/choices", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placements/9/acts", "", staff(no, ok)}, {"GET", elsewhere + "/placements/9/acts", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/placements/9/beside/8", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/beside/8", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placement-holds", "", staff(no, ok)}, {"GET", elsewhere + "/placement-holds", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/placements/9/holds", `{"kind":"student","key":"s0001"}`, staff(no, hidden)}, {"POST", elsewhere + "/placements/9/holds", `{"kind":"student","key":"s0001"}`, answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"DELETE", year + "/placement-holds?kind=student&key=s0001", "", staff(no, hidden)}, {"DELETE", elsewhere + "/placement-holds?kind=student&key=s0001", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/sections", "", staff(no, ok)}, {"GET", elsewhere + "/sections", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/sections", sectionOf("CER1"), staff(no, ok)}, {"POST", elsewhere + "/sections", sectionOf("CER1"), answers{"foreign.counselor": no, "foreign.office": ok}},
		{"PUT", year + "/sections/x-1?rev=1", sectionOf("CER1"), staff(no, "409 section-changed")}, {"PUT", elsewhere + "/sections/x-1?rev=1", sectionOf("CER1"), answers{"foreign.counselor": no, "foreign.office": "409 section-changed"}},
		{"DELETE", year + "/sections/x-1?rev=1", "", staff(no, "409 section-changed")}, {"DELETE", elsewhere + "/sections/x-1?rev=1", "", answers{"foreign.counselor": no, "foreign.office": "409 section-changed"}},
		{"GET", year + "/placements", "", staff(no, ok)}, {"GET", elsewhere + "/placements", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/placements/readiness", "", staff(no, ok)}, {"GET", elsewhere + "/placements/readiness", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/placements/9/readiness", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/readiness", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"POST", year + "/placements/9/stop", "", staff(no, hidden)}, {"POST", elsewhere + "/placements/9/stop", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placements/9/lacking", "", staff(no, ok)}, {"GET", elsewhere + "/placements/9/lacking", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/placements/9/students/s0001", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/students/s9", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/placements/9/enrollments.csv", "", staff(no, hidden)}, {"GET", elsewhere + "/placements/9/enrollments.csv", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/publications", "", staff(no, ok)}, {"GET", elsewhere + "/publications", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/publications", `{"run":9,"grade":-1}`, staff(no, hidden)}, {"POST", elsewhere + "/publications", `{"run":9,"grade":-1}`, answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"POST", year + "/publications/9/return", `{"reason":"x"}`, staff(no, "409 already-done")}, {"POST", elsewhere + "/publications/9/return", `{"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": "409 already-done"}},
		{"POST", year + "/placements", `{"seed":1,"seconds":1}`, staff(no, ok)}, {"POST", elsewhere + "/placements", `{"seed":1,"seconds":1}`, answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/demand", "", staff(no, ok)}, {"GET", elsewhere + "/demand", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"PUT", year + "/demand", `{"size":24,"clashes":true}`, staff(no, "204")}, {"PUT", elsewhere + "/demand", `{"size":24,"clashes":true}`, answers{"foreign.counselor": no, "foreign.office": "204"}},
		{"GET", year + "/demand/courses/CER1", "", staff(no, ok)}, {"GET", elsewhere + "/demand/courses/CER1", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"PUT", year + "/demand/courses/CER1", `{}`, staff(no, "204")}, {"PUT", elsewhere + "/demand/courses/CER1", `{}`, answers{"foreign.counselor": no, "foreign.office": "204"}},
		{"PUT", year + "/demand/courses/CER1/runs", `{"runs":false}`, staff(no, "422 needs-reason")}, {"PUT", elsewhere + "/demand/courses/CER1/runs", `{"runs":false}`, answers{"foreign.counselor": no, "foreign.office": "422 needs-reason"}},
		{"GET", year + "/demand/file/json", "", staff(no, ok)}, {"GET", elsewhere + "/demand/file/json", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/demand/file/csv", "", staff(no, ok)}, {"GET", year + "/demand/file/xlsx", "", staff(no, ok)},
		{"GET", year + "/second-step", "", staff(no, ok)}, {"GET", elsewhere + "/second-step", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"PUT", year + "/second-step", `{"wanted":false,"reason":"x"}`, staff(no, "409 already-done")}, {"PUT", elsewhere + "/second-step", `{"wanted":false,"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": "409 already-done"}},
		{"POST", year + "/people/nobody/leads", `{"course":"CHA1","give":true,"reason":"x"}`, staff(no, "409 already-done")},
		{"POST", elsewhere + "/people/s0001/leads", `{"course":"CHA1","give":true,"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": "409 already-done"}},
		{"GET", year + "/caseload", "", staff(ok, ok)}, {"GET", year + "/caseload?all=true", "", staff(ok, ok)}, {"GET", elsewhere + "/caseload", "", foreignReads},
		{"POST", year + "/batches", `{"kind":"clear","sheets":[]}`, staff(ok, ok)}, {"POST", elsewhere + "/batches", `{"kind":"clear","sheets":[]}`, foreignReads},
		{"POST", year + "/batches/trial", `{"kind":"clear","sheets":[]}`, staff(ok, ok)}, {"POST", elsewhere + "/batches/trial", `{"kind":"clear","sheets":[]}`, foreignReads},
		{"GET", year + "/batches", "", staff(ok, ok)}, {"GET", elsewhere + "/batches", "", foreignReads},
		{"POST", year + "/batches/99/return", `{"reason":"x"}`, staff("404 not-found", "404 not-found")}, {"POST", elsewhere + "/batches/99/return", `{"reason":"x"}`, answers{}},
		{"GET", ofMara + "record", "", answers{"mara.quill": ok, "ilse.quill": ok, "ms.arden": ok, "ms.colleague": no, "office": ok}}, {"GET", ofOther + "record", "", answers{"other.student": ok, "other.guardian": ok, "ms.arden": ok, "ms.colleague": no, "office": ok}},
		{"GET", ofForeign + "record", "", foreignReads},
		{"GET", ofMara + "reminders", "", reads}, {"GET", ofOther + "reminders", "", otherReads}, {"GET", ofForeign + "reminders", "", foreignReads},
		{"POST", year + "/records", `{"text":"student,courseCode\ns0001,X"}`, staff(ok, ok)}, {"POST", elsewhere + "/records", `{"text":"student,courseCode"}`, foreignReads},
		{"POST", year + "/conditions", `{"text":"grade 10"}`, staff(ok, ok)}, {"POST", elsewhere + "/conditions", `{"text":"grade 10"}`, foreignReads},
		{"POST", year + "/pages", `{"code":"PE-1"}`, staff("422 bad-code", "422 bad-code")}, {"POST", elsewhere + "/pages", `{"code":"PE-1"}`, answers{"foreign.counselor": "422 bad-code", "foreign.office": "422 bad-code"}},
		{"POST", year + "/pages/signature", `{"code":"PE-1","guardian":"g0001","agreed":[],"commitments":[]}`, staff("422 bad-code", "422 bad-code")}, {"POST", elsewhere + "/pages/signature", `{"code":"PE-1","guardian":"g0001","agreed":[],"commitments":[]}`, answers{"foreign.counselor": "422 bad-code", "foreign.office": "422 bad-code"}},
		{"PUT", ofMara + "pages/g0001", "x", answers{"mara.quill": no, "ilse.quill": no, "ms.arden": "422 bad-file", "ms.colleague": no, "office": "422 bad-file"}},
		{"PUT", ofOther + "pages/g0001", "x", answers{"other.student": no, "other.guardian": no, "ms.arden": "422 bad-file", "ms.colleague": no, "office": "422 bad-file"}},
		{"PUT", ofForeign + "pages/g0001", "x", answers{"foreign.counselor": "422 bad-file", "foreign.office": "422 bad-file"}},
		{"GET", ofMara + "pages/g0001", "", answers{"mara.quill": hidden, "ilse.quill": hidden, "ms.arden": hidden, "ms.colleague": no, "office": hidden}},
		{"GET", ofOther + "pages/g0001", "", answers{"ms.colleague": no}}, {"GET", ofForeign + "pages/g0001", "", nil},
		{"GET", ofMara + "letters", "", answers{"mara.quill": no, "ilse.quill": no, "ms.arden": ok, "ms.colleague": no, "office": ok}},
		{"GET", ofMara + "looks", "", answers{"mara.quill": no, "ilse.quill": no, "ms.arden": ok, "ms.colleague": no, "office": ok}},
		{"GET", ofOther + "letters", "", answers{"other.student": no, "other.guardian": no, "ms.arden": ok, "ms.colleague": no, "office": ok}},
		{"GET", ofOther + "looks", "", answers{"other.student": no, "other.guardian": no, "ms.arden": ok, "ms.colleague": no, "office": ok}},
		{"GET", ofForeign + "letters", "", foreignReads},
		{"GET", ofForeign + "looks", "", foreignReads},
		{"POST", year + "/cohort", `{"roster":"s0001"}`, staff(ok, ok)}, {"POST", elsewhere + "/cohort", `{"roster":"x"}`, foreignReads},
		{"POST", year + "/caseload/views", `{"name":"x","filter":[]}`, staff(ok, ok)}, {"POST", elsewhere + "/caseload/views", `{"name":"x","filter":[]}`, foreignReads},
		{"GET", year + "/caseload/views", "", staff(ok, ok)}, {"GET", elsewhere + "/caseload/views", "", foreignReads},
		{"DELETE", year + "/caseload/views?name=x", "", staff(ok, ok)}, {"DELETE", elsewhere + "/caseload/views?name=x", "", foreignReads},
		{"GET", year + "/people?name=quill", "", staff(no, ok)}, {"GET", elsewhere + "/people?name=quill", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/tasks", "", staff(no, ok)}, {"GET", elsewhere + "/tasks", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/imports?name=x.zip", `{}`, staff(no, "422 not-zip")}, {"POST", elsewhere + "/imports?name=x.zip", `{}`, answers{"foreign.counselor": no, "foreign.office": "422 not-zip"}},
		{"POST", year + "/exports", "", staff(no, ok)}, {"POST", elsewhere + "/exports", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/tasks/1/consent", "", staff(no, "409 task-over")}, {"POST", elsewhere + "/tasks/1/consent", "", answers{"foreign.counselor": no}},
		{"GET", year + "/tasks/1/file", "", staff(no, hidden)}, {"GET", elsewhere + "/tasks/1/file", "", answers{"foreign.counselor": no}},
		{"POST", year + "/tasks/1/omission", "", staff(no, "409 task-over")}, {"POST", elsewhere + "/tasks/1/omission", "", answers{"foreign.counselor": no}},
		{"POST", year + "/tasks/1/undo", "", staff(no, hidden)}, {"POST", elsewhere + "/tasks/1/undo", "", answers{"foreign.counselor": no}},
		{"GET", year + "/tasks/1/bad", "", staff(no, hidden)}, {"GET", elsewhere + "/tasks/1/bad", "", answers{"foreign.counselor": no}},
		{"GET", year + "/rules", "", staff(no, ok)}, {"GET", elsewhere + "/rules", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/rules/trial", `{"catalog":1,"policy":1}`, staff(no, ok)}, {"POST", elsewhere + "/rules/trial", `{"catalog":9,"policy":9}`, answers{"foreign.counselor": no, "foreign.office": stale}},
		{"POST", year + "/rules", `{"catalog":9,"policy":9,"reason":"x"}`, staff(no, stale)}, {"POST", elsewhere + "/rules", `{"catalog":9,"policy":9,"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": stale}},
		{"GET", year + "/windows", "", staff(no, ok)}, {"GET", elsewhere + "/windows", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"PUT", year + "/windows", `{"grade":-1,"opens":"x","families":"x","counselors":"x"}`, staff(no, "422 bad-window")},
		{"PUT", elsewhere + "/windows", `{"grade":-1,"opens":"x","families":"x","counselors":"x"}`, answers{"foreign.counselor": no, "foreign.office": "422 bad-window"}},
		{"DELETE", year + "/windows?grade=19", "", staff(no, hidden)}, {"DELETE", elsewhere + "/windows?grade=19", "", answers{"foreign.counselor": no}},
		{"GET", year + "/rules/versions", "", staff(no, ok)}, {"GET", elsewhere + "/rules/versions", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/rules/versions/1", "", staff(no, ok)}, {"GET", elsewhere + "/rules/versions/99", "", answers{"foreign.counselor": no}},
		{"POST", year + "/tasks/1/stop", "", staff(no, ok)}, {"POST", elsewhere + "/tasks/1/stop", "", answers{"foreign.counselor": no}},
		{"POST", year + "/people/nobody/right", `{"give":true,"reason":"x"}`, staff(no, "409 already-done")}, {"POST", elsewhere + "/people/s0001/right", `{"give":true,"reason":"x"}`, answers{"foreign.counselor": no, "foreign.office": "409 already-done"}},
		{"GET", year + "/people/s0001/sign-ins", "", staff(no, ok)}, {"GET", elsewhere + "/people/s0001/sign-ins", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/people/codes", `{"grade":19,"guardians":false}`, staff(no, ok)}, {"POST", elsewhere + "/people/codes", `{"grade":19,"guardians":true}`, answers{"foreign.counselor": no, "foreign.office": ok}},
		{"GET", year + "/people/s0001/everything", "", staff(no, ok)}, {"GET", elsewhere + "/people/s0001/everything", "", answers{"foreign.counselor": no, "foreign.office": hidden}},
		{"GET", year + "/tokens", "", staff(no, ok)}, {"GET", elsewhere + "/tokens", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/tokens", `{"name":"x","purpose":"courses","days":1}`, staff(no, ok)}, {"POST", elsewhere + "/tokens", `{"name":"x","purpose":"people","days":1}`, answers{"foreign.counselor": no, "foreign.office": ok}},
		{"DELETE", year + "/tokens/99", "", staff(no, hidden)}, {"DELETE", elsewhere + "/tokens/1", "", answers{"foreign.counselor": no}},
		{"GET", year + "/hooks", "", staff(no, ok)}, {"GET", elsewhere + "/hooks", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/hooks", `{"name":"x","address":"https://127.0.0.1/","kinds":["placed"]}`, staff(no, "409 no-hook-key")}, {"POST", elsewhere + "/hooks", `{"name":"x","address":"https://127.0.0.1/","kinds":["placed"]}`, answers{"foreign.counselor": no, "foreign.office": "409 no-hook-key"}},
		{"DELETE", year + "/hooks/99", "", staff(no, hidden)}, {"DELETE", elsewhere + "/hooks/99", "", answers{"foreign.counselor": no}},
		{"POST", year + "/hooks/99/try", "", staff(no, hidden)}, {"POST", elsewhere + "/hooks/99/try", "", answers{"foreign.counselor": no}},
		{"POST", year + "/hooks/99/again", "", staff(no, hidden)}, {"POST", elsewhere + "/hooks/99/again", "", answers{"foreign.counselor": no}},
		{"GET", year + "/office-acts", "", staff(no, ok)}, {"GET", elsewhere + "/office-acts", "", answers{"foreign.counselor": no, "foreign.office": ok}},
		{"POST", year + "/people/nobody/password", "", staff(no, hidden)}, {"POST", elsewhere + "/people/s0001/password", "", answers{"foreign.counselor": no}},
	}
	routes := map[string]bool{}
	for _, row := range rows {
		path := regexp.MustCompile(`\?.*`).ReplaceAllString(row.path, "")
		for _, part := range [][2]string{{`students/\w+`, "students/{student}"}, {`schools/\w+`, "schools/{school}"}, {`years/\d+`, "years/{year}"}, {`people/(?:[^c/]|c[^o/]|co[^d/])\w*`, "people/{person}"}, {`tasks/\d+`, "tasks/{task}"}, {`tokens/\d+`, "tokens/{token}"}, {`hooks/\d+`, "hooks/{hook}"}, {`courses/\w+`, "courses/{course}"}, {`classes/\w+`, "classes/{class}"}, {`tryouts/\w+`, "tryouts/{course}"}, {`students/(\w+|\{student\})/pages/\w+`, "students/{student}/pages/{guardian}"}, {`claims/\d+`, "claims/{claim}"}, {`drafts/\d+`, "drafts/{id}"}, {`versions/\d+`, "versions/{version}"}, {`file/(json|csv|xlsx)`, "file/{form}"}, {`beside/\d+`, "beside/{other}"}, {`placements/\d+`, "placements/{run}"}, {`publications/\d+`, "publications/{publication}"}, {`/placements/\{run\}/students/\{student\}`, "/placements/{run}/students/{student}"}, {`sections/[\w-]+$`, "sections/{section}"}, {`remarks/\d+`, "remarks/{id}"}, {`wish/\d+`, "wish/{id}"}, {`batches/\d+`, "batches/{batch}"}, {`waits/\w+`, "waits/{section}"}} {
			path = regexp.MustCompile(part[0]).ReplaceAllString(path, part[1])
		}
		routes[row.method+" "+path] = true
		for _, role := range roles {
			want := row.want[role]
			if want == "" {
				want = hidden
			}
			if role == "" {
				want = out
			}
			if got := said(s.call(s.person(role), row.method, row.path, row.body)); got != want {
				t.Errorf("%s %s as %q: %s, want %s", row.method, row.path, role, got, want)
			}
		}
	}
	// No route may be missing from the table; those of one's own account are tested by themselves.
	own := []string{"POST /api/session", "DELETE /api/session", "GET /api/me", "GET /api/welcome", "PUT /api/me/language", "GET /api/sessions", "DELETE /api/sessions", "DELETE /api/sessions/{id}", "POST /api/password", "GET /api/calendar/{token}/errands.ics", "GET /api/mail", "PUT /api/mail",
		"GET /api/mail/stop/{token}", "POST /api/mail/stop/{token}", "GET /api/sign-on/{school}", "GET /api/sign-on/back", "GET /api/passkeys", "POST /api/passkeys", "DELETE /api/passkeys/{id}",
		"POST /api/passkeys/creation", "POST /api/passkeys/question", "POST /api/passkeys/answer"}
	contract, err := web.OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]struct{ Tags []string } `json:"paths"`
	}
	if err := json.Unmarshal(contract, &doc); err != nil {
		t.Fatal(err)
	}
	for path, methods := range doc.Paths {
		for method, op := range methods {
			route := strings.ToUpper(method) + " " + path
			if !routes[route] && !slices.Contains(own, route) && op.Tags == nil { // what has a tag is in no session
				t.Errorf("%s is not in the table", route)
			}
		}
	}
	for _, route := range own[2:] {
		method, path, _ := strings.Cut(route, " ")
		if path == "/api/welcome" || path == "/api/me" || strings.HasPrefix(path, "/api/calendar/") || strings.HasPrefix(path, "/api/mail/stop/") || strings.HasPrefix(path, "/api/sign-on/") {
			continue
		}
		body := map[string]string{"POST": `{"old":"x","new":"y"}`, "PUT": `{"language":"es"}`}[method]
		if path == "/api/mail" && method == "PUT" {
			body = `{"reminders":true}`
		}
		if strings.HasPrefix(path, "/api/passkeys") && method == "POST" {
			body = map[bool]string{true: `{"name":"x","credential":{}}`, false: ""}[!strings.HasSuffix(path, "n")]
			if strings.HasSuffix(path, "/answer") {
				body = `{"credential":{}}`
			}
		}
		if got := said(s.call(s.person(""), method, path, body)); got != out {
			t.Errorf("%s by nobody: %s", route, got)
		}
	}
}

func TestSigningInAndOut(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	status, body := s.call(mara, "GET", "/api/me", "")
	var me webaccount.MeView
	if err := json.Unmarshal(body, &me); err != nil || status != 200 || me.Username != "mara.quill" || len(me.Persons) != 1 || me.Persons[0].Job != "student" || me.Persons[0].Year != 2027 {
		t.Fatalf("signed in: %d %s", status, body)
	}
	_, body = s.call(s.person("ilse.quill"), "GET", "/api/me", "")
	if err := json.Unmarshal(body, &me); err != nil || len(me.Persons[0].Children) != 1 || me.Persons[0].Children[0].Given != "Mara" || me.Persons[0].Children[0].Grade != 10 || me.Persons[0].Job != "family" {
		t.Errorf("her mother: %s", body)
	}
	for username, job := range map[string]string{"ms.arden": "counselor", "office": "office"} {
		if _, body = s.call(s.person(username), "GET", "/api/me", ""); json.Unmarshal(body, &me) != nil || me.Persons[0].Job != job {
			t.Errorf("%s: %s", username, body)
		}
	}
	if status, _ := s.call(mara, "DELETE", "/api/session", ""); status != 204 {
		t.Fatalf("signing out: %d", status)
	}
	if got := said(s.call(mara, "GET", "/api/sessions", "")); got != "401 not-signed-in" {
		t.Errorf("after signing out: %s", got)
	}
	for username, password := range map[string]string{"mara.quill": "no", "nobody": demo.Password, "s0003": demo.Password} {
		if got := said(s.signIn(s.fresh(), username, password)); got != "401 sign-in-failed" {
			t.Errorf("%s with %q: %s", username, password, got)
		}
	}
	if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM session WHERE account_id IS NULL`); n != 0 {
		t.Errorf("%d sessions are nobody's", n)
	}
}

// A session that someone else has begun does not become mine by my signing in to it.
func TestSessionFixation(t *testing.T) {
	s := newSite(t)
	attacker := s.fresh()
	if status, _ := s.signIn(attacker, "ilse.quill", demo.Password); status != 200 {
		t.Fatal(status)
	}
	victim := s.fresh()
	here, _ := url.Parse(s.URL)
	victim.Jar.SetCookies(here, attacker.Jar.Cookies(here)) // planted
	if status, _ := s.signIn(victim, "mara.quill", demo.Password); status != 200 {
		t.Fatal(status)
	}
	if _, body := s.call(attacker, "GET", "/api/me", ""); strings.Contains(string(body), "mara.quill") {
		t.Error("the attacker is signed in as the victim")
	}
	if _, body := s.call(victim, "GET", "/api/me", ""); !strings.Contains(string(body), "mara.quill") {
		t.Errorf("the victim is %s", body)
	}
}

func TestTokensAreKeptHashed(t *testing.T) {
	s := newSite(t)
	client := s.person("mara.quill")
	here, _ := url.Parse(s.URL)
	for _, c := range client.Jar.Cookies(here) {
		for _, table := range []string{"session", "account_device"} {
			if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM `+table+` WHERE token = $1`, c.Value); n != 0 {
				t.Errorf("the cookie %s is in the clear in %s", c.Name, table)
			}
		}
	}
	if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM session s JOIN account_device d USING (account_id) JOIN account a ON a.id = s.account_id WHERE a.username = 'mara.quill'`); n != 1 {
		t.Errorf("%d sessions with a device", n)
	}
}

func TestASessionEnds(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	look := func(after time.Duration, want string) {
		t.Helper()
		s.at(s.clock().Add(after))
		if got := said(s.call(mara, "GET", "/api/sessions", "")); got != want {
			t.Errorf("after %v: %s, want %s", after, got, want)
		}
	}
	seen := func() time.Time {
		return testdb.Value[time.Time](t, s.db, `SELECT seen_at FROM session WHERE account_id IS NOT NULL`)
	}
	begun := seen()
	look(4*time.Minute, "200")
	if !seen().Equal(begun) {
		t.Error("a request after four minutes wrote the session")
	}
	look(2*time.Minute, "200")
	if !seen().After(begun) {
		t.Error("a request after six minutes did not")
	}
	look(119*time.Minute, "200")
	look(2*time.Hour+time.Second, "401 not-signed-in")
	look(-time.Hour, "401 not-signed-in") // it is over for good
	delete(s.people, "mara.quill")
	mara = s.person("mara.quill")
	for range 11 {
		look(time.Hour, "200")
	}
	look(time.Hour+time.Minute, "401 not-signed-in") // after twelve hours, however busy
}

func TestWhereOneIsSignedIn(t *testing.T) {
	s := newSite(t)
	one, two := s.person("mara.quill"), s.fresh()
	res, _ := s.send(two, "POST", "/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password), map[string]string{"User-Agent": "A phone " + strings.Repeat("x", 400)})
	if res.StatusCode != 200 {
		t.Fatal(res.StatusCode)
	}
	s.person("ilse.quill")
	list := func(client *http.Client) (out []webaccount.SessionView) {
		t.Helper()
		status, body := s.call(client, "GET", "/api/sessions", "")
		if err := json.Unmarshal(body, &out); err != nil || status != 200 {
			t.Fatalf("%d %s", status, body)
		}
		return out
	}
	mine := list(one)
	here := slices.IndexFunc(mine, func(v webaccount.SessionView) bool { return v.Here })
	if len(mine) != 2 || here < 0 || mine[1-here].Here || len(mine[1-here].Agent) != 300 || !strings.HasPrefix(mine[1-here].Agent, "A phone ") || !mine[here].BegunAt.Equal(testdb.Now) {
		t.Fatalf("sessions: %+v", mine)
	}
	theirs := list(s.person("ilse.quill"))[0].ID
	if got := said(s.call(one, "DELETE", "/api/sessions/"+theirs, "")); got != "404 not-found" {
		t.Errorf("ending somebody else's session: %s", got)
	}
	if got := said(s.call(one, "DELETE", "/api/sessions/"+mine[1-here].ID, "")); got != "204" {
		t.Errorf("ending one's own: %s", got)
	}
	for client, want := range map[*http.Client]string{one: "200", two: "401 not-signed-in", s.person("ilse.quill"): "200"} {
		if got := said(s.call(client, "GET", "/api/sessions", "")); got != want {
			t.Errorf("afterwards: %s, want %s", got, want)
		}
	}
}

func TestPasswords(t *testing.T) {
	s := newSite(t)
	office, mara, again := s.person("office"), s.person("mara.quill"), s.fresh()
	if status, _ := s.signIn(again, "mara.quill", demo.Password); status != 200 {
		t.Fatal(status)
	}
	const people = "/api/schools/pellworth/years/2027/people"
	_, body := s.call(office, "GET", people+"?name=Quill,+ma", "")
	var found []webaccount.FoundView
	if err := json.Unmarshal(body, &found); err != nil || len(found) != 1 || found[0].ID != "s0001" || !found[0].Password || found[0].Role != "student" || found[0].Username != "mara.quill" {
		t.Fatalf("found: %s", body)
	}
	if _, body = s.call(office, "GET", people+"?name=a", ""); json.Unmarshal(body, &found) != nil || len(found) != 50 {
		t.Errorf("%d are found by one letter", len(found))
	}
	if got := said(s.call(mara, "POST", people+"/s0001/password", "")); got != "403 forbidden" {
		t.Errorf("by herself: %s", got)
	}
	status, body := s.call(office, "POST", people+"/s0001/password", "")
	var given struct{ Password string }
	if err := json.Unmarshal(body, &given); err != nil || status != 200 || !regexp.MustCompile(`^[a-z2-9]{4}-[a-z2-9]{4}-[a-z2-9]{4}$`).MatchString(given.Password) {
		t.Fatalf("given: %d %s", status, body)
	}
	for _, client := range []*http.Client{mara, again} {
		if got := said(s.call(client, "GET", "/api/sessions", "")); got != "401 not-signed-in" {
			t.Errorf("with a session from before: %s", got)
		}
	}
	if got := said(s.signIn(s.fresh(), "mara.quill", demo.Password)); got != "401 sign-in-failed" {
		t.Errorf("with the old password: %s", got)
	}
	one, two := s.fresh(), s.fresh()
	for _, client := range []*http.Client{one, two} {
		if got := said(s.signIn(client, "mara.quill", given.Password)); got != "200" {
			t.Fatalf("with the new one: %s", got)
		}
	}
	// It is for one sign-in: nothing can be done with it but choosing another.
	for path, want := range map[string]string{"/api/sessions": "403 choose-password", people + "?name=a": "403 choose-password", "/api/me": "200"} {
		if got := said(s.call(one, "GET", path, "")); got != want {
			t.Errorf("with a password for one sign-in, %s: %s, want %s", path, got, want)
		}
	}
	var me webaccount.MeView
	if _, body := s.call(one, "GET", "/api/me", ""); json.Unmarshal(body, &me) != nil || !me.Once {
		t.Errorf("who is signed in: %s", body)
	}
	for body, want := range map[string]string{
		`{"old":"wrong","new":"long enough"}`:                                        "401 sign-in-failed",
		fmt.Sprintf(`{"old":%q,"new":"too short"}`, given.Password):                  "422 bad-password",
		fmt.Sprintf(`{"old":%q,"new":%q}`, given.Password, given.Password):           "422 bad-password",
		fmt.Sprintf(`{"old":%q,"new":%q}`, given.Password, strings.Repeat("x", 501)): "422 bad-input",
	} {
		if got := said(s.call(one, "POST", "/api/password", body)); got != want {
			t.Errorf("%.60s: %s, want %s", body, got, want)
		}
	}
	if got := said(s.call(one, "POST", "/api/password", fmt.Sprintf(`{"old":%q,"new":"ten letter"}`, given.Password))); got != "204" {
		t.Fatalf("changing it: %s", got)
	}
	for client, want := range map[*http.Client]string{one: "200", two: "401 not-signed-in"} {
		if got := said(s.call(client, "GET", "/api/sessions", "")); got != want {
			t.Errorf("after changing it: %s, want %s", got, want)
		}
	}
	if got := said(s.signIn(s.fresh(), "mara.quill", "ten letter")); got != "200" {
		t.Errorf("with the changed one: %s", got)
	}
	if strings.Contains(s.log.String(), given.Password) || strings.Contains(s.log.String(), "ten letter") || strings.Contains(s.log.String(), demo.Password) {
		t.Error("a password is in the log")
	}
}

// The office cannot take over an account that also leads to another school.
func TestPasswordsOfPeopleElsewhere(t *testing.T) {
	s := newSite(t)
	s.strangers()
	const path = "/api/schools/pellworth/years/2027/people/s0003/password"
	s.db.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells)
		SELECT 'elsewhere', 'x', 9, 'teacher', true, 'other.student', id, 'X', 'Y', '{}' FROM account WHERE username = 'other.student'`)
	if got := said(s.call(s.person("office"), "POST", path, "")); got != "409 also-elsewhere" {
		t.Errorf("%s", got)
	}
	s.db.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells)
		SELECT 'elsewhere', 'office', 9, 'administrator', true, 'office', id, 'X', 'Y', '{}' FROM account WHERE username = 'office'`)
	s.db.Exec(t, `INSERT INTO relation (school_id, kind, person_id, source) VALUES ('elsewhere', 'administers', 'office', 'import')`)
	if got := said(s.call(s.person("office"), "POST", path, "")); got != "200" {
		t.Errorf("by the office of both schools: %s", got)
	}
}

func TestThrottledSignIn(t *testing.T) {
	s := newSite(t)
	known := s.person("mara.quill") // this device has signed in before
	guess := func() (int, *http.Response) {
		res, _ := s.send(s.fresh(), "POST", "/api/session", `{"username":"mara.quill","password":"wrong"}`, nil)
		return res.StatusCode, res
	}
	// Two hundred guesses at once: only the first few are tried.
	var wait sync.WaitGroup
	var mu sync.Mutex
	counts := map[int]int{}
	for range 200 {
		wait.Go(func() {
			status, _ := guess()
			mu.Lock()
			counts[status]++
			mu.Unlock()
		})
	}
	wait.Wait()
	if counts[401] != 5 || counts[429] != 195 {
		t.Errorf("of 200 guesses at once: %v", counts)
	}
	status, res := guess()
	if status != 429 || res.Header.Get("Retry-After") != "1" {
		t.Errorf("the next: %d, try again after %q", status, res.Header.Get("Retry-After"))
	}
	// Each further guess waits twice as long, up to a minute.
	var waits []int
	for range 9 {
		if status, _ := guess(); status != 429 {
			t.Fatalf("a guess too early gives %d", status)
		}
		n := 0
		for {
			s.at(s.clock().Add(time.Second))
			if n++; n > 70 {
				t.Fatal("it waits longer than a minute")
			}
			if status, _ := guess(); status == 401 {
				break
			}
		}
		waits = append(waits, n)
	}
	for i, n := range waits {
		if i == 0 && n != 1 || i > 0 && (n < waits[i-1] || n > 2*waits[i-1]) {
			t.Errorf("the guesses waited %v s", waits)
		}
	}
	if waits[8] != 60 || waits[2] < 3 {
		t.Errorf("the guesses waited %v s, want up to a minute", waits)
	}
	if got := said(s.signIn(s.fresh(), "mara.quill", demo.Password)); got != "429 too-many-attempts" {
		t.Errorf("the right password from elsewhere: %s", got)
	}
	// But a device that has signed in before is not locked out by others.
	if got := said(s.signIn(known, "mara.quill", demo.Password)); got != "200" {
		t.Errorf("from a device that has signed in before: %s", got)
	}
	if got := said(s.signIn(s.fresh(), "ms.arden", demo.Password)); got != "200" {
		t.Errorf("somebody else: %s", got)
	}
	// It is no way around: the device has five of its own.
	counts = map[int]int{}
	for range 8 {
		status, _ := s.signIn(known, "mara.quill", "wrong")
		counts[status]++
	}
	if counts[401] != 5 || counts[429] != 3 {
		t.Errorf("from the known device: %v", counts)
	}
	// What was counted is forgotten with time, one in two minutes.
	s.at(s.clock().Add(time.Hour))
	if got := said(s.signIn(s.fresh(), "mara.quill", demo.Password)); got != "200" {
		t.Errorf("an hour later: %s", got)
	}
	for range 30 { // one failure every ten minutes locks no one out
		s.at(s.clock().Add(10 * time.Minute))
		if status, _ := guess(); status != 401 {
			t.Fatalf("a failure every ten minutes gives %d", status)
		}
	}
}

// Addresses are counted apart, as far as trusted proxies tell them.
func TestAddresses(t *testing.T) {
	s := newSite(t, func(o *web.Options) {
		o.Proxies = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("10.0.0.0/8")}
	})
	n := 0
	guess := func(forwarded string) int {
		n++
		res, _ := s.send(s.fresh(), "POST", "/api/session", fmt.Sprintf(`{"username":"nobody%d","password":"wrong"}`, n), map[string]string{"X-Forwarded-For": forwarded})
		return res.StatusCode
	}
	until := func(forwarded string) (tried int) {
		for guess(forwarded) == 401 {
			if tried++; tried > 70 {
				break
			}
		}
		return tried
	}
	if got := until("203.0.113.7"); got != 60 {
		t.Errorf("an address has %d attempts", got)
	}
	for forwarded, want := range map[string]int{
		"203.0.113.8": 401, "203.0.113.7": 429, "1.2.3.4, 203.0.113.7": 429, "203.0.113.7, 203.0.113.9": 401, "203.0.113.7, 10.1.2.3": 429, "203.0.113.7,10.1.2.3, 10.9.9.9": 429, "": 401,
		"203.0.113.7, nonsense": 401, "::ffff:203.0.113.7": 429,
	} {
		if got := guess(forwarded); got != want {
			t.Errorf("from %q: %d, want %d", forwarded, got, want)
		}
	}
	if got := until("2001:db8:1:2:3::4"); got != 60 {
		t.Errorf("an IPv6 address has %d attempts", got)
	}
	if got := guess("2001:db8:1:2:ffff::1"); got != 429 {
		t.Errorf("another of the same household: %d", got)
	}
	if got := guess("2001:db8:1:3::4"); got != 401 {
		t.Errorf("one of another: %d", got)
	}
	direct := newSiteOn(s, web.Options{}) // without proxies nobody's word is taken
	for range 61 {
		n++
		res, _ := direct.send(direct.fresh(), "POST", "/api/session", fmt.Sprintf(`{"username":"nobody%d","password":"wrong"}`, n), map[string]string{"X-Forwarded-For": fmt.Sprint("203.0.114.", n%250)})
		if res.StatusCode == 429 {
			return
		}
	}
	t.Error("whoever makes up addresses is not counted")
}

// newSiteOn is another server on the same database.
func newSiteOn(s *site, o web.Options) *site {
	s.t.Helper()
	other := &site{t: s.t, db: s.db, now: s.clock(), people: map[string]*http.Client{}, log: s.log}
	o.Now, o.Log = other.clock, slog.New(server.LogHandler(slog.NewTextHandler(s.log, nil)))
	other.cases = app.New(s.db.Open(s.t), app.Options{Now: other.clock, Log: o.Log, Hashes: testdb.Hashes})
	other.Server = httptest.NewServer(contracttest.Hold(web.New(other.cases, o)))
	s.t.Cleanup(other.Close)
	return other
}

func TestBadInput(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	was := s.version("s0001")
	path := maraSheet + "/changes"
	for body, want := range map[string]string{
		`{"version":1,"act":"request","course":"TID1"`:                                                  "400 bad-request",
		`{"version":"one","act":"request","course":"TID1"}`:                                             "422 bad-input",
		`{"version":1,"act":"sing","course":"TID1"}`:                                                    "422 bad-input",
		`{"version":0,"act":"request","course":"TID1"}`:                                                 "422 bad-input",
		`{"version":1,"act":"request","course":"` + strings.Repeat("X", 101) + `"}`:                     "422 bad-input",
		`{"version":1,"act":"request","course":"X","key":"` + strings.Repeat("X", 65) + `"}`:            "422 bad-input",
		`{"version":1,"act":"order","list":"requests","order":["` + strings.Repeat(`A","`, 61) + `B"]}`: "422 bad-input",
		`{"version":1,"act":"request","course":"TID1","surprise":true}`:                                 "422 bad-input",
		`{"version":2,"act":"request","course":"NONE"}`:                                                 "404 no-such-course",
		`{"version":7,"act":"request","course":"TID1"}`:                                                 "409 stale-version",
		`"` + strings.Repeat("x", 70_000) + `"`:                                                         "413 too-large",
		`{"version":2,"act":"request","course":"TI\u0000D1"}`:                                           "400 bad-text",
		"{\"version\":2,\"act\":\"request\",\"course\":\"TI\x00D1\"}":                                   "400 bad-text",
		"{\"version\":2,\"act\":\"request\",\"course\":\"TI\xffD1\"}":                                   "400 bad-text",
		`{"version":2,"act":"request","course":"\ud83d"}`:                                               "400 bad-text",
		`{"version":2,"act":"request","course":"\ud83d\ud83d"}`:                                         "400 bad-text",
		`{"version":2,"act":"request","course":"\ude00"}`:                                               "400 bad-text",
		`{"version":2,"act":"request","course":"\ud83d\ude00"}`:                                         "404 no-such-course",
		`{"version":2,"act":"request","course":"\\u0000"}`:                                              "404 no-such-course",
		`{"version":2,"act":"request","course":"\\\u0000"}`:                                             "400 bad-text",
		`{"version":2,"act":"request","course":"\u00`:                                                   "400 bad-request",
		`{"version":2,"act":"request","course":"\`:                                                      "400 bad-request",
	} {
		if got := said(s.call(mara, "POST", path, body)); got != want {
			t.Errorf("%.70q gives %s, want %s", body, got, want)
		}
	}
	for address, body := range map[string]string{"/changes": `{"act":"undo"}`, "/submission": `{}`, "/signature": `{"agreed":[]}`, "/wish": `{"message":"x"}`, "/look": `{}`, "/clearance": `{}`,
		"/reopening": `{"reason":"x"}`, "/return": `{"message":"x"}`, "/decision": `{"answer":"waive","course":"PHY1","reason":"x"}`} {
		for _, who := range []string{"mara.quill", "ms.arden"} {
			if got := said(s.call(s.person(who), "POST", maraSheet+address, body)); got != "422 bad-input" {
				t.Errorf("%s without a version, as %s: %s", address, who, got)
			}
		}
	}
	for address, want := range map[string]string{
		"/api/nothing": "404 not-found", "/api/schools/a%00b/years/2027/catalog": "400 bad-text", "/api/schools/a%ffb/years/2027/catalog": "400 bad-text",
		"/api/welcome?x=%00": "400 bad-text", "/api/welcome?x=%ff": "400 bad-text", "/api/welcome?x=%zz": "400 bad-text", "/api/schools/pellworth/years/12/catalog": "422 bad-input",
		"/api/schools/pellworth/years/soon/catalog": "422 bad-input", "/%00": "400 bad-text", "/api/welcome?x=%e2%82%ac": "200",
	} {
		if got := said(s.call(mara, "GET", address, "")); got != want {
			t.Errorf("%s gives %s, want %s", address, got, want)
		}
	}
	// Before signing in too.
	if got := said(s.call(s.fresh(), "POST", "/api/session", `{"username":"\u0000","password":"x"}`)); got != "400 bad-text" {
		t.Errorf("NUL before signing in: %s", got)
	}
	for _, c := range [][2]string{{"PUT", "/api/me"}, {"TRACE", "/api/me"}, {"PUT", "/"}, {"TRACE", "/"}, {"POST", "/anything"}, {"DELETE", "/assets/x.js"}} {
		if got := said(s.call(mara, c[0], c[1], "")); got != "405 method-not-allowed" && !(c[0] == "TRACE" && got == "404 not-found" && strings.HasPrefix(c[1], "/api")) {
			t.Errorf("%s %s: %s", c[0], c[1], got)
		}
	}
	if now := s.version("s0001"); now != was {
		t.Errorf("after all that the sheet is in version %d", now)
	}
}

// Any text but NUL and halves of characters survives.
func TestTextsSurvive(t *testing.T) {
	s := newSite(t)
	for _, text := range []string{"plain", "two\nlines", "a\ttab and a \v vertical one", "\u202eright to left", "e\u0301 é 😀", "\x01\x1e\x1f\x7f", `quotes " and ' and \ and ,`} {
		body, _ := json.Marshal(map[string]any{"version": s.version("s0001"), "answer": "waive", "course": "PHY1", "reason": text})
		if status, answer := s.call(s.person("ms.arden"), "POST", maraSheet+"/decision", string(body)); status != 200 {
			t.Fatalf("%q: %d %s", text, status, answer)
		}
		_, history := s.call(s.person("mara.quill"), "GET", maraSheet+"/history", "")
		var items []websheet.HistoryItem
		if err := json.Unmarshal(history, &items); err != nil || items[0].Reason != text {
			t.Errorf("%q came back as %q", text, items[0].Reason)
		}
	}
}

func TestCrossSiteRequestsAreRefused(t *testing.T) {
	s := newSite(t)
	for header, value := range map[string]string{"Sec-Fetch-Site": "cross-site", "Origin": "https://elsewhere.example"} {
		res, body := s.send(s.person("mara.quill"), "POST", maraSheet+"/changes", `{"version":1,"act":"undo"}`, map[string]string{header: value})
		if got := said(res.StatusCode, body); got != "403 cross-site" {
			t.Errorf("%s: %s gives %s", header, value, got)
		}
	}
}

func TestHeadersAndCookies(t *testing.T) {
	for _, tls := range []bool{false, true} {
		t.Run(fmt.Sprint("behind TLS ", tls), func(t *testing.T) {
			s := newSite(t, func(o *web.Options) { o.TLS = tls })
			res, _ := s.send(s.fresh(), "GET", "/", "", nil)
			for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "Referrer-Policy": "same-origin", "Content-Security-Policy": "default-src 'none'; script-src 'self';",
				"Cross-Origin-Opener-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin", "Permissions-Policy": "camera=()", "Cache-Control": "no-store"} {
				if got := res.Header.Get(name); !strings.HasPrefix(got, want) {
					t.Errorf("%s is %q", name, got)
				}
			}
			_, front := s.send(s.fresh(), "GET", "/", "", nil)
			sheet, _ := s.send(s.fresh(), "GET", regexp.MustCompile(`/assets/[^"]*\.css`).FindString(string(front)), "", map[string]string{"Accept-Encoding": "br"})
			if h := sheet.Header; sheet.StatusCode != http.StatusOK || h.Get("Content-Security-Policy") != "" || h.Get("X-Content-Type-Options") != "nosniff" || !strings.HasSuffix(h.Get("Cache-Control"), "immutable") || sheet.ContentLength <= 0 {
				t.Errorf("a style sheet: %d %v", sheet.StatusCode, h)
			}
			if hsts := res.Header.Get("Strict-Transport-Security"); (hsts != "") != tls {
				t.Errorf("Strict-Transport-Security is %q", hsts)
			}
			res, _ = s.send(s.fresh(), "POST", "/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password), nil)
			cookies := map[string]*http.Cookie{}
			for _, c := range res.Cookies() {
				cookies[strings.TrimPrefix(c.Name, "__Host-")] = c
				if strings.HasPrefix(c.Name, "__Host-") != tls || c.Secure != tls || !c.HttpOnly || c.SameSite != http.SameSiteStrictMode || c.Path != "/" || c.Domain != "" {
					t.Errorf("a cookie: %+v", c)
				}
			}
			if len(cookies) != 2 || cookies["rubricon"].MaxAge != 0 || !cookies["rubricon"].Expires.IsZero() || cookies["device"].MaxAge < 100*24*3600 {
				t.Errorf("the session ends with the browser, the device stays known: %v", res.Header["Set-Cookie"])
			}
			if got := res.Header.Get("Cache-Control"); got != "no-store" {
				t.Errorf("an answer may be stored: %q", got)
			}
			res, _ = s.send(s.fresh(), "GET", "/", "", map[string]string{"Accept-Encoding": "br"})
			if got := res.Header.Get("Content-Encoding"); got != "br" {
				t.Errorf("the page comes as %q", got)
			}
			bare := &http.Client{}
			missing, err := bare.Get(s.URL + "/assets/nothing.js")
			if err != nil || missing.StatusCode != 404 {
				t.Errorf("a missing asset gives %v, %v", missing.StatusCode, err)
			}
			missing.Body.Close()
		})
	}
}

// A sheet that is what it was is not sent again; any change sends it.
func TestTags(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	res, body := s.send(mara, "GET", maraSheet, "", nil)
	tag := res.Header.Get("ETag")
	if res.StatusCode != 200 || !strings.HasPrefix(tag, `"`) || len(body) == 0 {
		t.Fatalf("%d, tag %s", res.StatusCode, tag)
	}
	if res, body = s.send(mara, "GET", maraSheet, "", map[string]string{"If-None-Match": tag}); res.StatusCode != 304 || len(body) != 0 || res.Header.Get("ETag") != tag {
		t.Errorf("known: %d %s", res.StatusCode, body)
	}
	if res, _ = s.send(s.person("ilse.quill"), "GET", maraSheet, "", map[string]string{"If-None-Match": tag}); res.StatusCode != 200 {
		t.Errorf("with somebody else's tag: %d", res.StatusCode)
	}
	s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"alternate","course":"AST1"}`, s.version("s0001")))
	if res, _ = s.send(mara, "GET", maraSheet, "", map[string]string{"If-None-Match": tag}); res.StatusCode != 200 || res.Header.Get("ETag") == tag {
		t.Errorf("after a change: %d", res.StatusCode)
	}
}

// Every request is logged by its route, without names; what is refused, and why, too.
func TestTheLog(t *testing.T) {
	s := newSite(t, func(o *web.Options) {
		o.More = func(e *gin.Engine) { e.GET("/api/bench/panic", func(*gin.Context) { panic("at the disco") }) }
	})
	mara := s.person("mara.quill")
	s.call(mara, "GET", maraSheet+"?secret=1", "")
	s.call(mara, "POST", maraSheet+"/clearance", `{"version":1}`)
	s.signIn(s.fresh(), "mara.quill", "my secret word")
	s.send(mara, "HELLO\x21", "/", "", nil)
	res, body := s.send(mara, "GET", "/api/bench/panic", "", nil)
	if got := said(res.StatusCode, body); got != "500 internal" || !strings.Contains(string(body), res.Header.Get("X-Request-Id")) || strings.Contains(string(body), "disco") {
		t.Errorf("a panic: %s %s", got, body)
	}
	log := s.log.String()
	for _, want := range []string{
		`msg="a sign-in" account=`, `msg="a sign-in failed" account=`, `msg="an act was refused" act=clear school=pellworth year=2027 account=\d+ code=forbidden request=[0-9a-f]{16}`,
		`msg=request method=GET route=/api/schools/:school/years/:year/students/:student/sheet status=200 bytes=\d+ took=\S+ account=\d+ request=`,
		`route=/api/schools/:school/years/:year/students/:student/sheet/clearance status=403`, `method=other route="a page" status=405`,
		`level=ERROR msg="a panic" fault="at the disco" stack="goroutine \d+`, `web_test.go`,
	} {
		if !regexp.MustCompile(want).MatchString(log) {
			t.Errorf("the log has no %s", want)
		}
	}
	for _, not := range []string{"s0001", "secret", "mara.quill", "Quill"} {
		if strings.Contains(log, not) {
			t.Errorf("the log has %q", not)
		}
	}
}

// line is a connection to the database that can be cut.
type line struct {
	mu     sync.Mutex
	listen net.Listener
	open   []net.Conn
	at, to string
}

func newLine(t *testing.T, to string) *line {
	l := &line{at: "127.0.0.1:0", to: to}
	l.mend(t)
	t.Cleanup(l.cut)
	return l
}

func (l *line) mend(t *testing.T) {
	t.Helper()
	listen, err := net.Listen("tcp", l.at)
	if err != nil {
		t.Fatal(err)
	}
	l.listen, l.at = listen, listen.Addr().String()
	go func() {
		for {
			from, err := listen.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", l.to)
			if err != nil {
				from.Close()
				continue
			}
			l.mu.Lock()
			l.open = append(l.open, from, to)
			l.mu.Unlock()
			go func() { _, _ = io.Copy(to, from); to.Close() }()
			go func() { _, _ = io.Copy(from, to); from.Close() }()
		}
	}()
}

func (l *line) cut() {
	l.listen.Close()
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range l.open {
		c.Close()
	}
	l.open = nil
}

// The database goes and comes back: requests fail as problems that say so, and then succeed.
func TestTheDatabaseGone(t *testing.T) {
	s := newSite(t)
	u := mustParse(t, s.db.URL)
	l := newLine(t, u.Host)
	u.Host = l.at
	behind := newSiteOn(&site{t: t, db: testdb.Database{URL: u.String(), Owner: s.db.Owner}, now: s.now, log: s.log}, web.Options{})
	mara := behind.person("mara.quill")
	version := s.version("s0001")
	change := fmt.Sprintf(`{"version":%d,"act":"alternate","course":"AST1"}`, version)
	for range 3 {
		l.cut()
		for _, c := range [][3]string{{"GET", maraSheet}, {"GET", "/api/me"}, {"POST", maraSheet + "/submission", `{"version":1}`}, {"POST", maraSheet + "/changes", change}} {
			res, text := behind.send(mara, c[0], c[1], c[2], nil)
			if got := said(res.StatusCode, text); got != "503 unavailable" || res.Header.Get("Retry-After") != "2" {
				t.Errorf("%s %s: %s, try again after %q", c[0], c[1], got, res.Header.Get("Retry-After"))
			}
		}
		// Without a session to read first, it is the act itself that fails.
		res, text := behind.send(behind.fresh(), "POST", "/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password), nil)
		if got := said(res.StatusCode, text); got != "503 unavailable" || res.Header.Get("Retry-After") != "2" {
			t.Errorf("signing in: %s, try again after %q", got, res.Header.Get("Retry-After"))
		}
		if got := said(behind.call(behind.fresh(), "GET", "/", "")); got != "200" {
			t.Errorf("the page: %s", got)
		}
		l.mend(t)
		if got := said(behind.call(mara, "GET", maraSheet, "")); got != "200" {
			t.Errorf("when it is back: %s", got)
		}
	}
	if got := said(behind.call(mara, "POST", maraSheet+"/changes", change)); got != "200" {
		t.Errorf("the change, when it is back: %s", got)
	}
	if log := s.log.String(); strings.Contains(log, "level=ERROR") || !strings.Contains(log, "the database cannot be reached") {
		t.Errorf("the log: %s", log)
	}
}

func mustParse(t *testing.T, text string) *url.URL {
	t.Helper()
	u, err := url.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

// An act on many sheets is one act of the server; each that stays is named, and trying it changes nothing.
func TestBatches(t *testing.T) {
	s := newSite(t)
	const path = "/api/schools/pellworth/years/2027/batches"
	body := fmt.Sprintf(`{"kind":"clear","sheets":[{"student":"s0001","version":%d},{"student":"nobody","version":1}]}`, s.version("s0001"))
	for _, c := range []struct{ path, kept string }{{path + "/trial", `{`}, {path, `{"batch":1,`}} {
		status, answer := s.call(s.person("ms.arden"), "POST", c.path, body)
		want := fmt.Sprintf(`%s"sheets":[{"student":"s0001","given":"Mara","family":"Quill","grade":10,"code":"nothing-submitted","version":%d,"came":[],"gone":[]},`+
			`{"student":"nobody","given":"","family":"","grade":0,"code":"not-found","came":[],"gone":[]}]}`+"\n", c.kept, s.version("s0001"))
		if status != 200 || string(answer) != want {
			t.Errorf("%s: %d %s, want %s", c.path, status, answer, want)
		}
	}
	many := `{"kind":"clear","sheets":[` + strings.TrimSuffix(strings.Repeat(`{"student":"x","version":1},`, 2001), ",") + `]}`
	if got := said(s.call(s.person("ms.arden"), "POST", path, many)); got != "422 bad-input" {
		t.Errorf("more than 2000: %s", got)
	}
	_, answer := s.call(s.person("ms.arden"), "POST", path, `{"kind":"remind","name":"unsigned","message":"Soon.","sheets":[{"student":"s0001"}]}`)
	var done webcaseload.BatchOutcome
	if err := json.Unmarshal(answer, &done); err != nil || done.Batch == 0 {
		t.Fatalf("%v: %s", err, answer)
	}
	var list []webcaseload.BatchView
	_, answer = s.call(s.person("ms.arden"), "GET", path+"?student=s0001", "")
	if err := json.Unmarshal(answer, &list); err != nil || len(list) != 1 || list[0].Name != "unsigned" || list[0].Message != "Soon." || list[0].By != "Ms Arden" || list[0].Sheets != 1 || list[0].Back != 0 {
		t.Errorf("%v: %s", err, answer)
	}
	if got := said(s.call(s.person("ms.arden"), "POST", fmt.Sprintf("%s/%d/return", path, done.Batch), `{"reason":"By mistake."}`)); got != "200" {
		t.Errorf("taking it back: %s", got)
	}
	var cohort webcaseload.CohortView
	_, answer = s.call(s.person("office"), "POST", "/api/schools/pellworth/years/2027/cohort", `{"condition":"passed ALG9 or passed XYZ or passed ALG9"}`)
	if err := json.Unmarshal(answer, &cohort); err != nil || len(cohort.Students) != 0 || !slices.Equal(cohort.Unknown, []string{"ALG9", "XYZ"}) {
		t.Errorf("of courses that nobody has: %v: %s", err, answer)
	}
	_, answer = s.call(s.person("office"), "POST", "/api/schools/pellworth/years/2027/cohort", `{"roster":"s0001\nnobody"}`)
	if err := json.Unmarshal(answer, &cohort); err != nil || len(cohort.Students) != 1 || cohort.Students[0].ID != "s0001" || len(cohort.Lines) != 1 || cohort.Lines[0].Line != 2 {
		t.Errorf("%v: %s", err, answer)
	}
}

// What a refusal carries: what is still to do, the sheet as it is, the course that is meant.
func TestWhatProblemsCarry(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	version := s.version("s0001")
	type carries struct {
		server.Problem
		Todo  []websheet.Todo     `json:"todo"`
		Sheet *websheet.SheetView `json:"sheet"`
	}
	var p carries
	_, body := s.call(mara, "POST", maraSheet+"/submission", fmt.Sprintf(`{"version":%d}`, version))
	if err := json.Unmarshal(body, &p); err != nil || p.Code != "not-ready" || len(p.Todo) != 3 || p.Sheet != nil || p.Todo[0].Rule != "science-10" || !p.Todo[2].Waits || p.Todo[0].Waits {
		t.Errorf("not ready: %s", body)
	}
	p = carries{}
	_, body = s.call(mara, "POST", maraSheet+"/changes", `{"version":1,"act":"undo"}`)
	if err := json.Unmarshal(body, &p); err != nil || p.Code != "stale-version" || p.Sheet == nil || p.Sheet.Version != version || p.Sheet.Student.Given != "Mara" || len(p.Todo) != 0 {
		t.Errorf("stale: %s", body)
	}
	p = carries{}
	_, body = s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"request","course":"NONE"}`, version))
	if err := json.Unmarshal(body, &p); err != nil || p.Param != "NONE" || p.Detail == "" || p.Title != "Not Found" || p.Status != 404 || p.Type != "about:blank" {
		t.Errorf("no such course: %s", body)
	}
}

// The sheet as the interface shows it.
func TestTheSheetOnTheScreen(t *testing.T) {
	s := newSite(t)
	var v websheet.SheetView
	_, body := s.call(s.person("mara.quill"), "GET", maraSheet, "")
	if err := json.Unmarshal(body, &v); err != nil {
		t.Fatal(err)
	}
	by := map[string]websheet.Entry{}
	for _, e := range slices.Concat(v.Requests, v.Alternate) {
		by[e.Course] = e
	}
	physics := by["PHY1"]
	if physics.Mark != "stopped" || physics.Entry != "unverified" || len(physics.Needs) == 0 || len(physics.Claims) != 1 || physics.Claims[0].Course != "ALG1" || physics.Rank != 4 {
		t.Errorf("Physics: %+v", physics)
	}
	open := 0
	for _, n := range physics.Needs {
		if n.Open {
			open++
			if n.Name != "ALG1" || n.Title != "Algebra I" || n.Verdict != "unverified" || n.By == "" {
				t.Errorf("what is open: %+v", n)
			}
		}
	}
	if open != 1 {
		t.Errorf("%d needs are open", open)
	}
	if algebra := by["ALG2"]; algebra.Mark != "half" && algebra.Mark != "settled" {
		t.Errorf("Algebra II: %+v", algebra)
	}
	if w := by["WLD2"]; !w.Assigned || !w.Fixed || w.Mark != "settled" || len(w.Exchange) != 0 {
		t.Errorf("the fixed course: %+v", w)
	}
	if e := by["ENG10"]; !e.Assigned || e.Fixed || !slices.Contains(e.Exchange, "ENG10A") || e.WaivedBy != "Dagny Westerdale" {
		t.Errorf("the one that may be exchanged: %+v", e)
	}
	if p := by["PRI1"]; p.StandsFor != "CER1" || !slices.Equal(p.Saves, []string{"CER1"}) || p.Rank != 1 {
		t.Errorf("the alternate: %+v", p)
	}
	if c := by["CER1"]; len(v.Fees) != 1 || v.Fees[0] != "CER1" || c.Rank != 8 || len(c.Terms) == 0 {
		t.Errorf("fees %v, %+v", v.Fees, c)
	}
	if !v.Acts.Edit.Allowed || v.Acts.Submit.Why != "not-ready" || v.Acts.Sign.Why != "forbidden" || v.Acts.Undo.Why != "nothing-to-undo" || v.Acts.Approve.Allowed || v.Acts.Decide.Allowed {
		t.Errorf("acts: %+v", v.Acts)
	}
	st := v.Status
	if st.State != "inProgress" || st.Changed || st.HandedIn || st.Next != "inProgress" || st.Window == nil || st.Window.Zone != "America/Halifax" || !st.Window.Opens.Equal(testdb.Now.AddDate(0, 0, -7)) ||
		!st.Window.Families.Equal(testdb.Now.AddDate(0, 0, 10)) || !st.Window.Counselors.Equal(testdb.Now.AddDate(0, 1, 0)) || st.Receipt != "" {
		t.Errorf("status: %+v", st)
	}
	if v.Student != (websheet.Student{ID: "s0001", Given: "Mara", Family: "Quill", Grade: 10, Counselor: "Ms Arden", Guardians: 1}) || v.School != "pellworth" || v.Year != 2027 || v.Beyond {
		t.Errorf("whose: %+v", v.Student)
	}
	if len(v.Rules) == 0 || len(v.Audits) != 2 || len(v.Packing.Loads) != 2 || !v.Packing.Fits || v.Packing.Fill != nil {
		t.Errorf("%d rules, %d audits, %+v", len(v.Rules), len(v.Audits), v.Packing)
	}
	var a websheet.SheetView
	_, body = s.call(s.person("ms.arden"), "GET", maraSheet, "")
	if err := json.Unmarshal(body, &a); err != nil || !a.Acts.Decide.Allowed || !a.Acts.Edit.Reason || a.Acts.Approve.Why != "nothing-submitted" {
		t.Errorf("for her counselor: %+v", a.Acts)
	}
}

func TestEffectsOnTheScreen(t *testing.T) {
	s := newSite(t)
	var v websheet.EffectsView
	_, body := s.call(s.person("mara.quill"), "GET", maraSheet+"/effects", "")
	if err := json.Unmarshal(body, &v); err != nil {
		t.Fatal(err)
	}
	by := map[string]websheet.Effect{}
	for _, e := range v.Effects {
		by[e.Course] = e
	}
	tides := by["TID1"]
	completes := slices.ContainsFunc(tides.Rules, func(r websheet.RuleChange) bool { return r.Rule == "science-10" && r.Does == "completes" })
	if !tides.OK || !tides.Shown || !tides.Fits || tides.Refused != "" || !tides.Offered || !completes || tides.Weight < 20 {
		t.Errorf("Tidal Ecology: %+v", tides)
	}
	if e := by["ENG10A"]; !slices.Equal(e.Swaps, []string{"ENG10"}) {
		t.Errorf("the other level: %+v", e)
	}
	if e := by["CAL1"]; e.Refused != "barred" || e.Shown || e.OK || !e.Barred {
		t.Errorf("Calculus: %+v", e)
	}
	if m := slices.IndexFunc(v.Mends, func(m websheet.RuleMend) bool { return m.Rule == "science-10" }); m < 0 || !slices.Contains(v.Mends[m].Courses, "TID1") || len(v.Mends[m].Courses) > 12 {
		t.Errorf("mends: %+v", v.Mends)
	}
	if len(v.Room) != 2 || v.Room[0] == 0 || v.Version != s.version("s0001") {
		t.Errorf("room %v, version %d", v.Room, v.Version)
	}
}

func TestTheCatalogOnTheScreen(t *testing.T) {
	s := newSite(t)
	var v webcatalog.Catalog
	_, body := s.call(s.person("mara.quill"), "GET", "/api/schools/pellworth/years/2027/catalog", "")
	if err := json.Unmarshal(body, &v); err != nil || v.Label != "2027-28" || v.Year != 2027 || v.Name != "Pellworth Sound Secondary School" || v.Periods != 800 || len(v.Terms) != 2 || len(v.Courses) < 100 || len(v.Audits) != 2 {
		t.Fatalf("%v: %.300s", err, body)
	}
	for _, c := range v.Courses {
		if c.Code == "PHY1" && (c.Subject != "Science" || len(c.Spans) != 1 || len(c.Spans[0]) != 2) {
			t.Errorf("Physics: %+v", c)
		}
		if c.Code == "BIO1" && !slices.Contains(c.Teachers, "Mr Inkpen") {
			t.Errorf("who teaches biology: %v", c.Teachers)
		}
		if c.Code == "BIO1A" && c.VariantOf != "BIO1" {
			t.Errorf("the variant: %+v", c)
		}
	}
	for _, r := range v.Rules {
		if r.ID == "credits" && (len(r.Courses) != 0 || r.Measure != "credits") || r.ID == "science-10" && (len(r.Courses) == 0 || len(r.Courses) > 60) {
			t.Errorf("a rule: %+v", r)
		}
	}
}

func TestTheCaseloadOnTheScreen(t *testing.T) {
	s := newSite(t)
	var v webcaseload.CaseloadView
	_, body := s.call(s.person("ms.arden"), "GET", "/api/schools/pellworth/years/2027/caseload", "")
	if err := json.Unmarshal(body, &v); err != nil || !v.Mine || v.Name != "Ms Arden" || v.Year != 2027 {
		t.Fatalf("%v: %.300s", err, body)
	}
	at := slices.IndexFunc(v.Students, func(r webcaseload.CaseRow) bool { return r.ID == "s0001" })
	if at < 0 {
		t.Fatal("Mara is not there")
	}
	if r := v.Students[at]; r.Stage != "waiting" || r.Waits[0].Reason != "claim" || !r.Waits[0].School || r.Waits[0].Courses[0] != "PHY1" || r.Waits[0].Text == "" || r.Version != s.version("s0001") ||
		r.Approve.Why != "nothing-submitted" || r.Grade != 10 || r.Closes == nil {
		t.Errorf("%+v", r)
	}
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
	var late []problem.Code
	if have, err = os.ReadFile("../ui/codes.json"); err != nil || json.Unmarshal(have, &late) != nil || !slices.Equal(late, problem.Late()) {
		t.Error("ui/codes.json is not what the table of codes says; run make contract")
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

// What is asked of one school is held to it by the database.
func TestARequestIsHeldToItsSchool(t *testing.T) {
	s := newSite(t)
	s.db.Exec(t, `CREATE TABLE held (school text); GRANT INSERT ON held TO rubricon_server;
		CREATE FUNCTION note_held() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO held VALUES (current_setting('rubricon.school', true)); RETURN NEW; END $$;
		CREATE TRIGGER held BEFORE INSERT ON event FOR EACH ROW EXECUTE FUNCTION note_held()`)
	if status, body := s.call(s.person("mara.quill"), "POST", maraSheet+"/changes", fmt.Sprintf(`{"act":"request","course":"TID1","version":%d}`, s.version("s0001"))); status != http.StatusOK {
		t.Fatalf("%d %s", status, body)
	}
	if got := testdb.Value[string](t, s.db, `SELECT string_agg(school, ' ') FROM held`); got != "pellworth" {
		t.Errorf("held to %q", got)
	}
}

// Where there is too much to do, who comes is told at once when to come back; what was begun is answered.
func TestTooMuchToDo(t *testing.T) {
	held, release := make(chan bool, server.MostAtOnce), make(chan bool)
	s := newSite(t, func(o *web.Options) {
		o.More = func(e *gin.Engine) {
			e.GET("/api/held", func(c *gin.Context) {
				held <- true
				<-release
				c.String(http.StatusOK, "done")
			})
		}
	})
	mara := s.person("mara.quill")
	answers := make(chan string, server.MostAtOnce)
	for range server.MostAtOnce {
		go func() {
			res, err := http.Get(s.URL + "/api/held")
			if err != nil {
				answers <- err.Error()
				return
			}
			_ = res.Body.Close()
			answers <- res.Status
		}()
	}
	for range server.MostAtOnce {
		<-held
	}
	res, body := s.send(mara, "GET", "/api/me", "", nil)
	if wait, err := strconv.Atoi(res.Header.Get("Retry-After")); said(res.StatusCode, body) != "503 unavailable" || err != nil || wait < 2 || wait > 5 {
		t.Errorf("one more: %d, come back after %q", res.StatusCode, res.Header.Get("Retry-After"))
	}
	for _, path := range []string{"/", "/healthz", maraSheet + "/live?seconds=0"} {
		if got := said(s.call(mara, "GET", path, "")); got != "200" {
			t.Errorf("%s meanwhile: %s", path, got)
		}
	}
	close(release)
	for range server.MostAtOnce {
		if got := <-answers; got != "200 OK" {
			t.Fatalf("what was begun: %s", got)
		}
	}
	if got := said(s.call(mara, "GET", "/api/me", "")); got != "200" {
		t.Errorf("afterwards: %s", got)
	}
}

// Every kind of what the office has done is in the contract, and has words.
func TestWhatTheOfficeDidHasWords(t *testing.T) {
	kinds := map[string]bool{}
	field, _ := reflect.TypeFor[webaccount.OfficeAct]().FieldByName("Kind")
	for _, kind := range strings.Split(field.Tag.Get("enum"), ",") {
		kinds[kind] = true
		if text := locales.Match("en").Text("people.act."+kind, map[string]any{"about": "x"}); strings.Contains(text, "people.act") {
			t.Errorf("%s has no words", kind)
		}
	}
	s := newSite(t)
	for _, query := range []string{`SELECT string_agg(DISTINCT k, ',') FROM (SELECT (regexp_matches(pg_get_constraintdef(oid), '''(\w+)''', 'g'))[1] AS k FROM pg_constraint WHERE conname IN ('office_event_kind_check', 'task_kind_check')) x`} {
		for _, kind := range strings.Split(testdb.Value[string](t, s.db, query), ",") {
			if !kinds[kind] {
				t.Errorf("the database has the kind %s, the contract has not", kind)
			}
		}
	}
}
