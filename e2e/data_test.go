package e2e

import (
	"bytes"
	"context"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/hook"
	"rubricon/hook/sink"
	"rubricon/internal/testdb"
	"rubricon/jobs"
)

// zip writes the school as it is, changed, as a zip file.
func (s *site) zip(name string, change func(f *bundle.File)) string {
	s.t.Helper()
	files, _, err := s.cases.Imports.Export(s.t.Context(), demo.SchoolID, testdb.Year)
	if err != nil {
		s.t.Fatal(err)
	}
	for i := range files {
		change(&files[i])
	}
	var out bytes.Buffer
	if err := bundle.WriteZip(&out, files); err != nil {
		s.t.Fatal(err)
	}
	path := filepath.Join(s.t.TempDir(), name)
	if err := os.WriteFile(path, out.Bytes(), 0o600); err != nil {
		s.t.Fatal(err)
	}
	return path
}

// cell sets a cell of a file's first row.
func cell(file, column, value string) func(*bundle.File) {
	return func(f *bundle.File) {
		if f.Name == file {
			f.Rows[0][slices.Index(f.Header, column)] = value
		}
	}
}

// The office takes data in after a look at what would change, and gives them out.
func TestTheOfficeTakesDataIn(t *testing.T) {
	s := newSite(t)
	p := s.as("office", desk)
	p.press("nav a", "Data")
	p.says("h1", "No data have been taken in")
	p.accessible("the data before anything")
	choose := func(paths ...string) { p.MustElement("input[type=file]").MustSetFiles(paths...) }
	text := filepath.Join(t.TempDir(), "notes.txt")
	if err := os.WriteFile(text, []byte("hello"), 0o600); err != nil {
		t.Fatal(err)
	}
	choose(text)
	p.says("[role=alert]", "Choose one zip file, one workbook")
	// Nothing runs yet; it waits, and can be left.
	choose(s.zip("school.zip", cell("records.csv", "title", "Renamed")))
	p.says("h1", "school.zip waits for its turn")
	p.press("main button", "^Stop$")
	p.says("h1", "It was stopped. Nothing has changed")

	queue, err := jobs.Start(t.Context(), s.db, s.cases, jobs.Post{}, nil, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	choose(s.zip("bad.zip", cell("users.csv", "role", "king")))
	p.says("h1", "One row cannot be read. Nothing has changed")
	p.says("td", "users.csv")
	p.says("td", "king")
	p.accessible("bad rows")
	p.says("main a", "The bad rows as CSV")
	p.press("main button", "Leave out 1 bad row and look at the rest")
	p.says("main", "1 row is left out")
	p.press("main button", "Leave it")
	p.says("h1", "It was stopped. Nothing has changed")
	choose(s.zip("good.zip", cell("records.csv", "title", "Renamed")))
	p.says("h1", "^1 row to change. Nothing has changed yet.")
	p.says("main", "What would change in 2027-28")
	p.press("section[aria-label='File by file'] button", "records.csv\\s+1 changed")
	p.says("section[aria-label='File by file'] td", "Renamed")
	p.accessible("what would change")
	p.press("main button", "^Import$")
	p.says("h1", "good.zip is taken in, with 60 students")
	p.press("main button", "Undo this: take in what was there before")
	p.says("h1", "^1 row to change. Nothing has changed yet.")
	p.press("main button", "^Import$")
	p.says("h1", "before-good.zip is taken in")
	// The files of a folder come all at once.
	folder := t.TempDir()
	if err := bundle.Write(folder, testdb.Files()); err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob(filepath.Join(folder, "*.*"))
	if err != nil {
		t.Fatal(err)
	}
	choose(files...)
	p.says("h1", "^Nothing would change")
	p.press("main button", "Leave it")
	p.says("h1", "It was stopped. Nothing has changed")
	p.press("main button", "Write a workbook")
	p.says("li", "pellworth-2027-28.xlsx, to give out: done")
	p.press("main button", "Write the zip file")
	p.says("main a", "Take the file")
	p.says("li", "pellworth-2027-28.zip, to give out: done")
	p.language("es")
	p.says("h1", "Se detuvo. No ha cambiado nada.")
	p.accessible("the data in Spanish")
}

// The office makes a token for another system, which reads with it until it is taken back; what can be read, and how, is a page of the application.
func TestATokenForAnotherSystem(t *testing.T) {
	s := newSite(t)
	p := s.as("office", desk)
	p.press("header nav a", "^Data$")
	p.says("section[aria-labelledby=tokens]", "No other system has one")
	p.MustElement("section[aria-labelledby=tokens] input").MustInput("Library")
	p.MustElement("section[aria-labelledby=tokens] select").MustSelect("those, and people and enrollments")
	p.press("section[aria-labelledby=tokens] button", "Make a token")
	token := p.says("section[aria-labelledby=tokens] code", "^rubricon_").MustText()
	p.says("section[aria-labelledby=tokens] li", "Library.*not used yet")
	p.accessible("tokens of other systems")
	reads := func() int {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.url+"/ims/oneroster/v1p1/students?limit=1", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_ = res.Body.Close()
		return res.StatusCode
	}
	if got := reads(); got != http.StatusOK {
		t.Errorf("with the token: %d", got)
	}
	p.MustReload()
	p.says("section[aria-labelledby=tokens] li", "Library.*last used")
	if text := p.MustElement("section[aria-labelledby=tokens]").MustText(); strings.Contains(text, token) {
		t.Error("the token is shown again")
	}
	p.press("section[aria-labelledby=tokens] button", "Take back")
	p.says("section[aria-labelledby=tokens] li", "taken back by Dagny Westerdale")
	if got := reads(); got != http.StatusUnauthorized {
		t.Errorf("with a token that was taken back: %d", got)
	}
	p.press("section[aria-labelledby=tokens] a", "What it can read")
	p.says("h1", "The interface for programs")
	p.accessible("the reference")
}

// The office tells another system of what happens, sees that it arrives or why it does not, sends it again, and tells it nothing any more.
func TestTellingAnotherSystem(t *testing.T) {
	sender := hook.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	s := newSite(t)
	s.cases = app.New(s.db, app.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, Hashes: testdb.Hashes, Hooks: messages.Hooks{Key: []byte("a key of the test's own"), Takes: sender.Takes}})
	s.away()
	s.back()
	queue, err := jobs.Start(t.Context(), s.db, s.cases, jobs.Post{}, sender, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	other := sink.New()
	other.Away(true)
	at := httptest.NewServer(other)
	t.Cleanup(at.Close)
	const section = "section[aria-labelledby=hooks]"
	p := s.as("office", desk)
	p.press("header nav a", "^Data$")
	p.says(section, "No other system is told")
	p.MustElement(section + " input").MustInput("Registry")
	p.MustElement(section + " input[type=url]").MustInput("https://192.168.0.7/in")
	p.press(section+" button", "Tell it")
	p.says(section+" [role=alert]", "not to one inside this network")
	p.MustElement(section + " input[type=url]").MustSelectAllText().MustInput(at.URL + sink.In)
	p.press(section+" label", "^cleared$")
	p.press(section+" button", "Tell it")
	other.Know(p.says(section+" code", "^rubricon_hook_").MustText())
	p.says(section+" li", "submitted, placed · made by Dagny Westerdale · 0 messages arrived")
	p.press(section+" button", "Try it")
	p.says(section+" li", "1 message waits. The last try: it answered with 503. The next: ")
	p.accessible("telling other systems")
	other.Away(false)
	p.press(section+" button", "Send again")
	p.says(section+" li", "1 message arrived · the last ")
	if list := other.Messages(); len(list) != 1 || list[0].Sign != "" || !strings.Contains(list[0].Body, `"event":"tried"`) {
		t.Errorf("what has come: %+v", list)
	}
	p.press(section+" button", "Take back")
	p.says(section+" li", "taken back by Dagny Westerdale")
	p.language("es")
	p.says(section+" li", "1 aviso llegó")
}
