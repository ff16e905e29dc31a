package web_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/web"
	"rubricon/web/server"
)

// slowly makes each event that is kept take so many seconds.
func (s *site) slowly(seconds string) {
	s.t.Helper()
	s.db.Exec(s.t, `CREATE FUNCTION slowly() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM pg_sleep(`+seconds+`); RETURN NEW; END $$`)
	s.db.Exec(s.t, `CREATE TRIGGER slowly BEFORE INSERT ON event FOR EACH ROW EXECUTE FUNCTION slowly()`)
}

func alternate(version int64, course string) string {
	return fmt.Sprintf(`{"version":%d,"act":"alternate","course":%q}`, version, course)
}

// TestARequestThatTakesLong is answered, and so is the next one on its connection: no deadline for reading a body goes on while work is
// done for it.
func TestARequestThatTakesLong(t *testing.T) {
	s := newSite(t)
	mara, version := s.person("mara.quill"), s.version("s0001")
	s.slowly("5.5")
	for _, course := range []string{"AST1", "PHO1"} {
		if got := said(s.call(mara, "POST", maraSheet+"/changes", alternate(version, course))); got != "200" {
			t.Fatalf("after five seconds and a half: %s", got)
		}
		if got := said(s.call(mara, "GET", maraSheet, "")); got != "200" {
			t.Fatalf("the next request on the connection: %s", got)
		}
		version++
	}
	if log := s.log.String(); strings.Contains(log, "level=ERROR") {
		t.Errorf("the log: %s", log)
	}
}

// TestAFailureIsLoggedWithItsCause: a client is told no more than that, and by what number it is found in the log.
func TestAFailureIsLoggedWithItsCause(t *testing.T) {
	s := newSite(t)
	mara, version := s.person("mara.quill"), s.version("s0001")
	s.db.Exec(t, `CREATE FUNCTION broken() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'a cause of its own'; END $$`)
	s.db.Exec(t, `CREATE TRIGGER broken BEFORE INSERT ON event FOR EACH ROW EXECUTE FUNCTION broken()`)
	res, body := s.send(mara, "POST", maraSheet+"/changes", alternate(version, "AST1"), nil)
	if got := said(res.StatusCode, body); got != "500 internal" || strings.Contains(string(body), "cause") {
		t.Errorf("the answer: %s %s", got, body)
	}
	var line string
	for _, x := range strings.Split(s.log.String(), "\n") {
		if strings.Contains(x, "level=ERROR") {
			line += x
		}
	}
	if !strings.Contains(line, "a cause of its own") || !strings.Contains(line, res.Header.Get("X-Request-Id")) {
		t.Errorf("the log of request %s: %s", res.Header.Get("X-Request-Id"), line)
	}
}

// TestAClientThatLeaves is no failure of the server: it is counted on its own, and is in no log as an error.
func TestAClientThatLeaves(t *testing.T) {
	s := newSite(t)
	mara, version := s.person("mara.quill"), s.version("s0001")
	s.slowly("1")
	ctx, leave := context.WithCancel(t.Context())
	req, err := http.NewRequestWithContext(ctx, "POST", s.URL+maraSheet+"/changes", strings.NewReader(alternate(version, "AST1")))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	left := make(chan error, 1)
	go func() {
		_, err := mara.Do(req)
		left <- err
	}()
	s.until(`SELECT count(*) > 0 FROM pg_stat_activity WHERE datname = current_database() AND wait_event = 'PgSleep'`)
	leave()
	if err := <-left; err == nil {
		t.Fatal("it was answered")
	}
	const counted = `rubricon_request_seconds_count{method="POST",route="/api/schools/:school/years/:year/students/:student/sheet/changes",status=`
	var text string
	for end := time.Now().Add(20 * time.Second); !strings.Contains(text, counted); text = s.metrics() {
		if time.Now().After(end) {
			t.Fatal("it is not counted")
		}
	}
	if !strings.Contains(text, counted+`"4xx"} 1`) || strings.Contains(text, `status="5xx"`) {
		t.Errorf("counted as %s", text[strings.Index(text, counted):][:len(counted)+20])
	}
	if log := s.log.String(); strings.Contains(log, "level=ERROR") || !strings.Contains(log, "status=499") {
		t.Errorf("the log: %s", log)
	}
}

// until waits until a query says true.
func (s *site) until(query string) {
	s.t.Helper()
	for end := time.Now().Add(30 * time.Second); !testdb.Value[bool](s.t, s.db, query); {
		if time.Now().After(end) {
			s.t.Fatalf("never true: %s", query)
		}
	}
}

func (s *site) metrics() string {
	w := httptest.NewRecorder()
	s.server.Metrics().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
	return w.Body.String()
}

// TestOneAnswerIsOneDocument: where a session cannot be written at the end of a request, that is the whole answer.
func TestOneAnswerIsOneDocument(t *testing.T) {
	s := newSite(t)
	s.db.Exec(t, `CREATE FUNCTION broken() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'no sessions today'; END $$`)
	s.db.Exec(t, `CREATE TRIGGER broken BEFORE INSERT ON session FOR EACH ROW EXECUTE FUNCTION broken()`)
	for _, encoding := range []string{"identity", "gzip"} {
		res, body := s.send(s.fresh(), "POST", "/api/session", fmt.Sprintf(`{"username":"mara.quill","password":%q}`, demo.Password), map[string]string{"Accept-Encoding": encoding})
		in := json.NewDecoder(strings.NewReader(string(body)))
		var p server.Problem
		if err := in.Decode(&p); err != nil || p.Code != "internal" || res.StatusCode != 500 {
			t.Errorf("%s: %d %s", encoding, res.StatusCode, body)
		}
		if rest, _ := io.ReadAll(in.Buffered()); strings.TrimSpace(string(rest)) != "" {
			t.Errorf("%s: after the document there is %s", encoding, rest)
		}
		if len(res.Cookies()) != 0 {
			t.Errorf("%s: cookies of a session that is not: %v", encoding, res.Cookies())
		}
	}
	if !strings.Contains(s.log.String(), "no sessions today") {
		t.Error("the cause is not in the log")
	}
}

// raw sends bytes on a connection of its own, and returns the answer's status, without ending the request.
func (s *site) raw(text string) (conn net.Conn, in *bufio.Reader) {
	s.t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { _ = conn.Close() })
	if _, err := io.WriteString(conn, text); err != nil {
		s.t.Fatal(err)
	}
	return conn, bufio.NewReader(conn)
}

// cookies are what a client sends to the site.
func (s *site) cookies(client *http.Client) (text string) {
	for _, c := range client.Jar.Cookies(mustParse(s.t, s.URL)) {
		text += c.Name + "=" + c.Value + "; "
	}
	return strings.TrimSuffix(text, "; ")
}

func TestABodyThatDoesNotArrive(t *testing.T) {
	s := newSite(t)
	began := time.Now()
	_, in := s.raw("POST /api/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{")
	res, err := http.ReadResponse(in, nil)
	if err != nil {
		t.Fatal(err)
	}
	body, _ := io.ReadAll(res.Body)
	if got := said(res.StatusCode, body); got != "408 slow-body" || !res.Close {
		t.Errorf("%s, the connection stays: %v", got, !res.Close)
	}
	if took := time.Since(began); took < 9*time.Second {
		t.Errorf("it was given %v", took)
	}
}

// TestOnlyTextIsRead: a body that is compressed is refused as such, and one that is longer than the first part that is read is read whole.
func TestOnlyTextIsRead(t *testing.T) {
	s := newSite(t)
	office := s.person("office")
	const rules = "/api/schools/pellworth/years/2027/rules/trial"
	res, body := s.send(office, "POST", rules, "\x1f\x8b\x08\x00\x00", map[string]string{"Content-Encoding": "gzip"})
	if got := said(res.StatusCode, body); got != "415 unsupported-media-type" {
		t.Errorf("gzip: %s", got)
	}
	long := strings.Repeat(" ", 80<<10)
	for text, want := range map[string]string{long + "\x00": "400 bad-text", `"` + long + `\ud800"`: "400 bad-text", strings.Repeat(" ", 2<<20+1): "413 too-large"} {
		if got := said(s.call(office, "POST", rules, text)); got != want {
			t.Errorf("%d bytes: %s, want %s", len(text), got, want)
		}
	}
}

// TestHead: what is read with GET answers HEAD with the same status and no body, a live stream at once.
func TestHead(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	for path, want := range map[string]string{"/": "200", "/api/me": "200", maraSheet: "200", maraSheet + "/live": "200", "/api/openapi.json": "200", "/healthz": "200",
		"/api/nowhere": "404", "/api/schools/pellworth/years/2027/rules": "403", maraSheet + "/submission": "405"} {
		res, body := s.send(mara, "HEAD", path, "", nil)
		if fmt.Sprint(res.StatusCode) != want || len(body) != 0 {
			t.Errorf("%s: %d %q, want %s", path, res.StatusCode, body, want)
		}
	}
}

// TestYearsOutOfRange are refused by every route alike, before the database is asked.
func TestYearsOutOfRange(t *testing.T) {
	s := newSite(t)
	office := s.person("office")
	for _, year := range []string{"1899", "10000", "99999999999", "x"} {
		for _, c := range [][2]string{{"POST", "/imports?name=x.zip"}, {"POST", "/students/s0001/claims/1/file?name=x"}, {"PUT", "/students/s0001/pages/g0001"}, {"GET", "/students/s0001/sheet"}} {
			res, body := s.send(office, c[0], "/api/schools/pellworth/years/"+year+c[1], "", nil)
			if res.StatusCode != 422 {
				t.Errorf("%s %s in %s: %d %s", c[0], c[1], year, res.StatusCode, body)
			}
		}
	}
}

// TestAKeyIsForOneChange: the same change with the same key is answered again, another one is refused.
func TestAKeyIsForOneChange(t *testing.T) {
	s := newSite(t)
	mara, version := s.person("mara.quill"), s.version("s0001")
	send := func(course string) string {
		return said(s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"alternate","course":%q,"key":"k"}`, version, course)))
	}
	for i, c := range []struct{ course, want string }{{"AST1", "200"}, {"AST1", "200"}, {"PHO1", "422 key-reused"}} {
		if got := send(c.course); got != c.want {
			t.Errorf("%d, %s: %s, want %s", i, c.course, got, c.want)
		}
	}
	if now := s.version("s0001"); now != version+1 {
		t.Errorf("%d changes were made", now-version)
	}
}

// TestStreamsOfOne: an account holds so many live streams and no more, when all come at once, and again as many when they have ended.
func TestStreamsOfOne(t *testing.T) {
	s := newSite(t)
	cookies := s.cookies(s.person("mara.quill"))
	open := func() (status []int, ends func()) {
		var all sync.WaitGroup
		var mu sync.Mutex
		var conns []net.Conn
		for range 30 {
			all.Go(func() {
				conn, in := s.raw("GET " + maraSheet + "/live HTTP/1.1\r\nHost: x\r\nCookie: " + cookies + "\r\n\r\n")
				res, err := http.ReadResponse(in, nil)
				if err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				defer mu.Unlock()
				status, conns = append(status, res.StatusCode), append(conns, conn)
			})
		}
		all.Wait()
		slices.Sort(status)
		return status, func() {
			for _, c := range conns {
				_ = c.Close()
			}
		}
	}
	want := append(slices.Repeat([]int{200}, 20), slices.Repeat([]int{429}, 10)...)
	for range 2 {
		status, ends := open()
		if !slices.Equal(status, want) {
			t.Errorf("thirty at once: %v", status)
		}
		if got := said(s.call(s.person("ilse.quill"), "GET", maraSheet+"/live?seconds=0", "")); got != "200" {
			t.Errorf("somebody else's meanwhile: %s", got)
		}
		ends()
		for end := time.Now().Add(20 * time.Second); !strings.Contains(s.metrics(), "rubricon_streams 0\n"); {
			if time.Now().After(end) {
				t.Fatal("the streams do not end")
			}
		}
	}
}

// TestAStreamEndsWithWhatLetItBegin: who has been signed out elsewhere, or has lost the right, hears no more; others go on hearing.
func TestAStreamEndsWithWhatLetItBegin(t *testing.T) {
	s := newSiteOn(newSite(t), web.Options{LiveCheck: 50 * time.Millisecond})
	hears := func(who *http.Client) (ended chan struct{}) {
		t.Helper()
		conn, in := s.raw("GET " + maraSheet + "/live HTTP/1.1\r\nHost: x\r\nCookie: " + s.cookies(who) + "\r\n\r\n")
		t.Cleanup(func() { _ = conn.Close() })
		res, err := http.ReadResponse(in, nil)
		if err != nil || res.StatusCode != 200 {
			t.Fatal(res, err)
		}
		ended = make(chan struct{})
		go func() {
			_, _ = io.Copy(io.Discard, res.Body)
			close(ended)
		}()
		return ended
	}
	over := func(what string, ended chan struct{}) {
		t.Helper()
		select {
		case <-ended:
		case <-time.After(20 * time.Second):
			t.Errorf("%s is still heard", what)
		}
	}
	mara, ilse := s.person("mara.quill"), s.person("ilse.quill")
	s.db.Exec(t, `DELETE FROM sheet_look`)
	hears(s.person("ms.arden"))
	delete(s.people, "mara.quill")
	elsewhere := s.person("mara.quill")
	first, second, third := hears(mara), hears(elsewhere), hears(ilse)
	if got := said(s.call(elsewhere, "DELETE", "/api/sessions", "")); got != "204" {
		t.Fatalf("signing out elsewhere: %s", got)
	}
	over("a session that has ended", first)
	s.db.Exec(t, `DELETE FROM relation WHERE kind = 'guards' AND person_id = 'g0001'`)
	s.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	over("a sheet that one may not see any more", third)
	if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM sheet_look`); n != 0 {
		t.Errorf("a counselor who only hears has looked at the student %d times", n)
	}
	select {
	case <-second:
		t.Error("who signed the other out hears no more")
	default:
	}
}

// TestLongOperations: what the contract says may take up to a minute is given that, and nothing else is.
func TestLongOperations(t *testing.T) {
	text, err := web.OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	var contract struct {
		Paths map[string]map[string]struct{ OperationID, Description string }
	}
	if err := json.Unmarshal(text, &contract); err != nil {
		t.Fatal(err)
	}
	var long []string
	for _, item := range contract.Paths {
		for _, op := range item {
			if strings.Contains(op.Description, "a minute") {
				long = append(long, op.OperationID)
			}
		}
	}
	slices.Sort(long)
	if got, want := strings.Join(long, " "), "do-batch place-anew print-codes publish revise take-back-batch take-back-publication try-batch try-revision"; got != want {
		t.Errorf("may take long: %s", got)
	}
}
