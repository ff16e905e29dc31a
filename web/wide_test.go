package web_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"rubricon/web"
)

// A change that one person makes is heard on another's screen at once, through the whole server.
func TestChangesAreHeard(t *testing.T) {
	s := newSite(t)
	answer, err := s.person("ilse.quill").Get(s.URL + maraSheet + "/live")
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if kind := answer.Header.Get("Content-Type"); answer.StatusCode != 200 || kind != "text/event-stream" {
		t.Fatalf("%d %s", answer.StatusCode, kind)
	}
	lines := bufio.NewScanner(answer.Body)
	next := func() string {
		for lines.Scan() {
			if lines.Text() != "" {
				return lines.Text()
			}
		}
		return "the end"
	}
	if got := next(); got != ": here" {
		t.Errorf("it begins with %q", got)
	}
	var sheet web.SheetView
	if _, body := s.call(s.person("mara.quill"), "GET", maraSheet, ""); json.Unmarshal(body, &sheet) != nil {
		t.Fatal(string(body))
	}
	if got := said(s.call(s.person("mara.quill"), "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"alternate","course":"AST1"}`, sheet.Version))); got != "200" {
		t.Fatal(got)
	}
	if got, want := next(), fmt.Sprintf(`data: {"student":"s0001","version":%d}`, sheet.Version+1); got != want {
		t.Errorf("heard %q, want %q", got, want)
	}
	s.Config.Handler.(*web.Server).EndStreams() // the server goes
	if got := next(); got != "the end" {
		t.Errorf("after the server has gone: %q", got)
	}
}

// Asking who is signed in is no error, so that a browser has nothing to complain of before anybody signs in.
func TestNobodyIsSignedIn(t *testing.T) {
	s := newSite(t)
	status, body := s.call(s.person(""), "GET", "/api/me", "")
	if want := `{"username":"","persons":[]}`; status != 200 || strings.TrimSpace(string(body)) != want {
		t.Errorf("%d %s, want %s", status, body, want)
	}
}

func TestTheLanguageIsOnesOwn(t *testing.T) {
	s := newSite(t)
	ilse := s.person("ilse.quill")
	for body, want := range map[string]string{`{"language":"es-MX"}`: "204", `{"language":"Spanish!"}`: "422 bad-act"} {
		if got := said(s.call(ilse, "PUT", "/api/me/language", body)); got != want {
			t.Errorf("%s: %s, want %s", body, got, want)
		}
	}
	for username, want := range map[string]string{"ilse.quill": "es-MX", "mara.quill": ""} {
		var me web.MeView
		if _, body := s.call(s.person(username), "GET", "/api/me", ""); json.Unmarshal(body, &me) != nil || me.Language != want {
			t.Errorf("%s reads %q, want %q", username, me.Language, want)
		}
	}
}

// The school's texts come in the language asked for, as far as it has them, and refusals are said in the sender's.
func TestWhatIsSaidInALanguage(t *testing.T) {
	s := newSite(t)
	const year = "/api/schools/pellworth/years/2027"
	mara := s.person("mara.quill")
	for language, want := range map[string]string{"en": "Tidal Ecology, Science, To graduate, English, ", "es": "Ecología de mareas, Ciencias, Para graduarse, Inglés, ", "es-MX": "Ecología de mareas, Ciencias, Para graduarse, Inglés, ",
		"no": "Tidal Ecology, Science, To graduate, English, ", "": "Tidal Ecology, Science, To graduate, English, "} {
		var c web.Catalog
		if _, body := s.call(mara, "GET", year+"/catalog?language="+language, ""); json.Unmarshal(body, &c) != nil {
			t.Fatal(string(body))
		}
		got := ""
		for _, x := range c.Courses {
			if x.Code == "TID1" {
				got = x.Title + ", "
			}
		}
		for _, r := range c.Rules {
			if r.ID == "science-10" {
				got += r.Label + ", "
			}
		}
		if got += c.Audits[0].Label + ", " + c.Audits[0].Entries[0].Label + ", "; got != want {
			t.Errorf("in %q: %s, want %s", language, got, want)
		}
		if c.Zone != "America/Halifax" || c.Currency != "USD" || c.Language != "en" || !slices.Equal(c.Languages, []string{"en", "es"}) || c.Unit != nil || !c.Exchange ||
			len(c.Contacts) != 2 || len(c.Stages) != 4 || len(c.Welcome) != 2 || len(c.Commitments) != 2 || len(c.Errands) != 7 {
			t.Errorf("in %q: the school's own: %+v", language, c)
		}
	}
	for language, want := range map[string]string{"es-ES,en;q=0.5": "Aquí no hay nada para ti.", "en": "There is nothing here for you.", "tlh": "There is nothing here for you."} {
		request, err := http.NewRequestWithContext(t.Context(), "GET", s.URL+year+"/students/nobody/sheet", nil)
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Accept-Language", language)
		answer, err := mara.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		var p web.Problem
		if err := json.NewDecoder(answer.Body).Decode(&p); err != nil || p.Detail != want {
			t.Errorf("in %s: %q, %v, want %q", language, p.Detail, err, want)
		}
		_ = answer.Body.Close()
	}
}

// Only the addresses that the front end has are answered with it; search engines are told that nothing is for them.
func TestWhatIsServed(t *testing.T) {
	s := newSite(t)
	for path, want := range map[string]int{"/": 200, "/hand-in": 200, "/account": 200, "/people": 200, "/data": 200, "/d/office-tarnridge/data": 200, "/d/family": 200, "/d/student-tarnridge/hand-in": 200, "/d/family/child/tarnridge/tr001": 200,
		"/d/family/child/tarnridge/tr001/hand-in": 200, "/child/pellworth/s0001": 200, "/robots.txt": 200, "/mark.svg": 200, "/hand-in/": 200,
		"/nothing": 404, "/d/": 404, "/d/family/nothing": 404, "/child/pellworth": 404, "/child/pellworth/s0001/nothing": 404, "/index.html": 404, "/wp-login.php": 404, "/.gitkeep": 404} {
		answer, err := http.Get(s.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(answer.Body)
		if answer.Body.Close(); err != nil || answer.StatusCode != want {
			t.Errorf("%s: %d %v, want %d", path, answer.StatusCode, err, want)
		}
		if path == "/robots.txt" && !strings.Contains(string(body), "Disallow: /") {
			t.Errorf("robots.txt says %q", body)
		}
		if path == "/" && !strings.Contains(string(body), `<meta name="description"`) {
			t.Error("the page's head has no description")
		}
	}
}
