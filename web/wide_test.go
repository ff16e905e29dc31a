package web_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"slices"
	"strings"
	"testing"
	"time"

	appsheet "rubricon/app/sheet"
	"rubricon/bundle"
	"rubricon/core/receipt"
	"rubricon/internal/testdb"
	webaccount "rubricon/web/account"
	webcatalog "rubricon/web/catalog"
	webseats "rubricon/web/seats"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
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
	var sheet websheet.SheetView
	if _, body := s.call(s.person("mara.quill"), "GET", maraSheet, ""); json.Unmarshal(body, &sheet) != nil {
		t.Fatal(string(body))
	}
	if got := said(s.call(s.person("mara.quill"), "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"alternate","course":"AST1"}`, sheet.Version))); got != "200" {
		t.Fatal(got)
	}
	if got, want := next(), fmt.Sprintf(`data: {"student":"s0001","version":%d}`, sheet.Version+1); got != want {
		t.Errorf("heard %q, want %q", got, want)
	}
	s.server.EndStreams() // the server goes
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
		var me webaccount.MeView
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
		var c webcatalog.Catalog
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
		var p server.Problem
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

// A file next to a claim is taken by its content, kept for the family and anyone who decides, and given out to be kept, never to be shown.
func TestFilesBesideClaims(t *testing.T) {
	s := newSite(t)
	s.strangers()
	mara := s.person("mara.quill")
	_, body := s.call(mara, "GET", maraSheet, "")
	var sheet websheet.SheetView
	if err := json.Unmarshal(body, &sheet); err != nil {
		t.Fatal(err)
	}
	var claim int64
	for _, e := range sheet.Requests {
		for _, c := range e.Claims {
			claim = c.ID
		}
	}
	path := fmt.Sprintf("%s/claims/%d/file", strings.TrimSuffix(maraSheet, "/sheet"), claim)
	heic := "\x00\x00\x00\x18ftypheic\x00\x00\x00\x00mif1heic"
	for _, c := range []struct{ name, content, want string }{
		{"report.pdf", "%PDF-1.7\n%\xe2\xe3\xcf\xd3\n", "200"},
		{"photo.png", "\x89PNG\r\n\x1a\n0000", "200"},
		{"photo.jpg", "\xff\xd8\xff\xe0\x00\x10JFIF", "200"},
		{"photo.heic", heic, "200"},
		{"page.html", "<script>alert(1)</script>", "200"},
		{"program.exe", "MZ\x90\x00\x03\x00\x00\x00", "422 bad-file"},
		{"archive.pdf", "PK\x03\x04\x14\x00\x00\x00", "422 bad-file"},
		{"empty.txt", "", "400 bad-request"},
		{"big.txt", strings.Repeat("x", appsheet.MaxAttachment+1), "413 too-large"},
	} {
		if got := said(s.call(mara, "POST", path+"?name="+c.name, c.content)); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
	if got := said(s.call(s.person("ms.arden"), "POST", path+"?name=x.txt", "x")); got != "422 needs-reason" {
		t.Errorf("for the family without a reason: %s", got)
	}
	for username, want := range map[string]string{"mara.quill": "200", "ilse.quill": "200", "ms.arden": "200", "office": "200", "ms.colleague": "403 forbidden", "other.student": "404 not-found",
		"other.guardian": "404 not-found", "a.teacher": "404 not-found", "foreign.office": "404 not-found", "": "401 not-signed-in"} {
		request, err := http.NewRequest("GET", s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := s.person(username).Do(request)
		if err != nil {
			t.Fatal(err)
		}
		content, _ := io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		if got := said(answer.StatusCode, content); got != want && (want != "200" || answer.StatusCode != 200) {
			t.Errorf("%s: %s, want %s", username, got, want)
		}
		if h := answer.Header; want == "200" && (string(content) != "<script>alert(1)</script>" || h.Get("Content-Disposition") != "attachment; filename=page.html" ||
			h.Get("Content-Type") != "application/octet-stream" || h.Get("X-Content-Type-Options") != "nosniff" || !strings.Contains(h.Get("Content-Security-Policy"), "sandbox")) {
			t.Errorf("%s gets %q with %v", username, content, h)
		}
	}
	if _, body = s.call(mara, "GET", maraSheet, ""); !strings.Contains(string(body), `"file":"page.html"`) {
		t.Error("the claim does not name its file")
	}
	for _, c := range []struct{ username, path, want string }{
		{"ilse.quill", path, "403 forbidden"}, {"ms.arden", path, "422 needs-reason"}, {"mara.quill", path, "200"}, {"mara.quill", path, "404 not-found"},
	} {
		if got := said(s.call(s.person(c.username), "DELETE", c.path, "")); got != c.want {
			t.Errorf("%s takes it away: %s, want %s", c.username, got, c.want)
		}
	}
	if _, body = s.call(mara, "GET", maraSheet, ""); strings.Contains(string(body), `"file":`) {
		t.Error("the claim still names a file")
	}
	if got := said(s.call(mara, "GET", path, "")); got != "404 not-found" {
		t.Errorf("the file that was taken away: %s", got)
	}
}

// A secret address gives the errands to anyone who has it, in the language it was made in, until it is taken away, another is made, or the
// person it was made for may not see the sheet any more. Its token is in no log and not in the database.
func TestTheCalendarsAddress(t *testing.T) {
	s := newSite(t)
	ilse, nobody := s.person("ilse.quill"), s.person("")
	path := strings.TrimSuffix(maraSheet, "sheet") + "feed"
	feed := func(client *http.Client) string {
		t.Helper()
		_, body := s.send(client, "POST", path, "", map[string]string{"Accept-Language": "es"})
		var v webseats.FeedView
		if err := json.Unmarshal(body, &v); err != nil || v.Path == "" || v.MadeAt == nil {
			t.Fatalf("%v: %s", err, body)
		}
		return v.Path
	}
	first := feed(ilse)
	res, body := s.send(nobody, "GET", first, "", nil)
	if text := strings.ReplaceAll(string(body), "\r\n ", ""); res.StatusCode != 200 || !strings.HasPrefix(res.Header.Get("Content-Type"), "text/calendar") || !strings.Contains(text, "Gestiones de Mara Quill") ||
		!strings.Contains(text, "DTSTART:20270312T104200Z") {
		t.Errorf("%d %v\n%s", res.StatusCode, res.Header, body)
	}
	if status, body := s.call(ilse, "GET", path, ""); status != 200 || strings.Contains(string(body), "path") || !strings.Contains(string(body), "madeAt") {
		t.Errorf("looked at again: %d %s", status, body)
	}
	second := feed(ilse)
	if got := said(s.call(nobody, "GET", first, "")); got != "404 not-found" {
		t.Errorf("the address before: %s", got)
	}
	if status, _ := s.call(nobody, "GET", second, ""); status != 200 {
		t.Errorf("the new address: %d", status)
	}
	s.call(ilse, "DELETE", path, "")
	if got := said(s.call(nobody, "GET", second, "")); got != "404 not-found" {
		t.Errorf("an address taken away: %s", got)
	}
	if got := said(s.call(nobody, "GET", "/api/calendar/guess/errands.ics", "")); got != "404 not-found" {
		t.Errorf("a guess: %s", got)
	}
}

// A date of the calendar is the same date after the school's list of errands has one more row; one that moves is a later one of itself, one that
// goes is cancelled, and says when.
func TestTheCalendarsDatesStayTheSame(t *testing.T) {
	s := newSite(t)
	dates := func() map[string]string {
		t.Helper()
		_, body := s.call(s.person("mara.quill"), "GET", strings.TrimSuffix(maraSheet, "sheet")+"errands.ics", "")
		list := map[string]string{}
		for _, event := range strings.Split(strings.ReplaceAll(strings.ReplaceAll(string(body), "\r\n ", ""), "\r\n", "\n"), "BEGIN:VEVENT\n")[1:] {
			of := map[string]string{}
			for line := range strings.Lines(event) {
				name, value, _ := strings.Cut(strings.TrimSpace(line), ":")
				of[strings.Split(name, ";")[0]] = value
			}
			list[of["UID"]] = strings.TrimSpace(of["SUMMARY"] + " " + of["DTSTART"] + " " + of["SEQUENCE"] + " " + of["LAST-MODIFIED"] + " " + of["STATUS"])
		}
		return list
	}
	before := dates()
	files := testdb.Files()
	for i := range files {
		if f := &files[i]; f.Name == "errands.csv" {
			row := slices.Clone(f.Rows[0])
			row[slices.Index(f.Header, "title")] = "Bring a towel"
			f.Rows = append([][]string{row}, f.Rows...)
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	after := dates()
	if len(before) < 2 {
		t.Fatalf("the calendar has %v", before)
	}
	for id, was := range before {
		if after[id] != was {
			t.Errorf("%s was %q, is %q", id, was, after[id])
		}
	}
	said := func(want map[string]string) {
		t.Helper()
		got := dates()
		for id, want := range want {
			if got[id] != want {
				t.Errorf("%s is %q, want %q", id, got[id], want)
			}
		}
	}
	// The request period ends a day later, and the course with the safety form goes and comes back.
	form, closes := "", ""
	for id, was := range before {
		switch {
		case strings.Contains(id, "-closes"):
			closes = id
		case strings.HasPrefix(was, "Studio safety form"):
			form = id
		}
	}
	if form == "" || before[form] != "Studio safety form 20270528 0 20270302T104200Z" {
		t.Fatalf("the form is %q among %v", before[form], before)
	}
	s.at(s.clock().Add(time.Hour))
	s.db.Exec(t, `UPDATE request_window SET families_close = '2027-03-20T16:00:00Z' WHERE school_id = 'pellworth' AND year = 2027 AND round = 'year'`)
	s.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	mara := s.person("mara.quill")
	change := func(act string) {
		t.Helper()
		if status, body := s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,%s}`, s.version("s0001"), act)); status != 200 {
			t.Fatalf("%s: %d %s", act, status, body)
		}
	}
	change(`"act":"remove","course":"CER1"`)
	said(map[string]string{form: "Studio safety form 20270528 1 20270302T114200Z CANCELLED", closes: "Course requests close at Pellworth Sound Secondary School 20270320T160000Z 1 20270302T114200Z"})
	s.at(s.clock().Add(time.Hour))
	said(map[string]string{form: "Studio safety form 20270528 1 20270302T114200Z CANCELLED"})
	change(`"act":"undo"`)
	said(map[string]string{form: "Studio safety form 20270528 2 20270302T124200Z"})
}

// printedText is what a reader sees of a PDF, by poppler's pdftotext.
func printedText(t *testing.T, pdf []byte) string {
	t.Helper()
	run := exec.Command("pdftotext", "-layout", "-", "-")
	run.Stdin = bytes.NewReader(pdf)
	out, err := run.Output()
	if err != nil {
		t.Fatalf("pdftotext (poppler-utils): %v", err)
	}
	return string(out)
}

// The worksheet has the rules with what they want, and every course that is offered to the student, by subject, on two pages; in both
// languages and for a school of three terms with a unit of its own.
func TestTheWorksheetOnPaper(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	read := func(language string) string {
		t.Helper()
		res, body := s.send(mara, "GET", strings.TrimSuffix(maraSheet, "/sheet")+"/worksheet.pdf?language="+language, "", nil)
		if res.StatusCode != 200 || res.Header.Get("Content-Type") != "application/pdf" || !strings.Contains(res.Header.Get("Content-Disposition"), "worksheet.pdf") {
			t.Fatalf("%d %v", res.StatusCode, res.Header)
		}
		return strings.Join(strings.Fields(printedText(t, body)), " ")
	}
	english, spanish := read("en"), read("es")
	for _, want := range []string{"Worksheet for grade 10", "6 to 8 credits", "2 credits", "up to 3 courses", "mine:", "first semester", "Tidal Ecology", "ANI1 · one term, any · 0.5", "3 to 5 alternates",
		"needs Geometry", "page 1 / 2", "page 2 / 2"} {
		if !strings.Contains(english, want) {
			t.Errorf("no %q in\n%s", want, english)
		}
	}
	for _, want := range []string{"Hoja de trabajo para el grado 10", "de 6 a 8 créditos", "hasta 3 cursos", "lo mío:", "0,5", "página 2 / 2"} {
		if !strings.Contains(spanish, want) {
			t.Errorf("no %q in\n%s", want, spanish)
		}
	}
	if strings.Contains(english, "English 12") || strings.Contains(english, "page 3") {
		t.Errorf("it has what is not for grade 10, or a third page:\n%s", english)
	}
}

// What is printed says what the sheet says, in the language that is asked for: with a code once it is handed in, and none before.
func TestTheSheetOnPaper(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	read := func(language string) string {
		t.Helper()
		res, body := s.send(mara, "GET", maraSheet+"/paper.pdf?language="+language, "", nil)
		if res.StatusCode != 200 || res.Header.Get("Content-Type") != "application/pdf" || !strings.Contains(res.Header.Get("Content-Disposition"), "sheet.pdf") {
			t.Fatalf("%d %v", res.StatusCode, res.Header)
		}
		return printedText(t, body)
	}
	english, spanish := read("en"), read("es")
	for _, want := range []string{"Mara Quill", "Not handed in yet", "8 requests", "English 10", "first semester", "Printmaking", "stands in for Ceramics I", "Studio safety form", "Fri 28 May 2027", "page 1 / 1"} {
		if !strings.Contains(english, want) {
			t.Errorf("no %q in\n%s", want, english)
		}
	}
	for _, want := range []string{"Todavía no se ha entregado", "8 solicitudes", "todo el curso", "vie 28 may 2027", "0,5", "página 1 / 1"} {
		if !strings.Contains(spanish, want) {
			t.Errorf("no %q in\n%s", want, spanish)
		}
	}
	if strings.Contains(english, "Give this page back") {
		t.Error("what is not handed in has a code")
	}
	for _, edit := range []string{`"act":"request","course":"TID1"`, `"act":"alternate","course":"WOO1"`, `"act":"alternate","course":"SAI1"`} {
		s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,%s}`, s.version("s0001"), edit))
	}
	_, body := s.call(mara, "POST", maraSheet+"/submission", fmt.Sprintf(`{"version":%d}`, s.version("s0001")))
	var v websheet.SheetView
	if err := json.Unmarshal(body, &v); err != nil || v.Status.Receipt == "" {
		t.Fatalf("%v: %s", err, body)
	}
	handed := read("en")
	code := receipt.Code(v.Status.Receipt)
	for _, want := range []string{"Receipt " + v.Status.Receipt, code, "Give this page back signed", "Guardian: name, signature, date", "Tue 2 Mar 2027"} {
		if !strings.Contains(handed, want) {
			t.Errorf("no %q in\n%s", want, handed)
		}
	}
	// Changed afterwards, what was submitted is still what is printed.
	s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"remove","course":"CER1"}`, s.version("s0001")))
	changed := read("en")
	for _, want := range []string{"Receipt " + v.Status.Receipt, code, "The requests were changed since.", "9 requests", "Ceramics I"} {
		if !strings.Contains(changed, want) {
			t.Errorf("no %q in\n%s", want, changed)
		}
	}
	// Signed, then changed: who has signed is said, no one signs it once more, and what was agreed to is not still to be agreed to.
	s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"undo"}`, s.version("s0001")))
	if signed, answer := s.call(s.person("ilse.quill"), "POST", maraSheet+"/signature", fmt.Sprintf(`{"version":%d,"agreed":["CER1","TID1"],"commitments":[]}`, s.version("s0001"))); signed != 200 {
		t.Fatalf("signing: %d %s", signed, answer)
	}
	s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,"act":"remove","course":"CER1"}`, s.version("s0001")))
	signed := read("en")
	for _, want := range []string{"Signed by Ilse Quill, Tue 2 Mar 2027", "The requests were changed since.", "Agreed to with the signature", "Ceramics I: fee 35"} {
		if !strings.Contains(signed, want) {
			t.Errorf("no %q in\n%s", want, signed)
		}
	}
	for _, not := range []string{"Guardian: name, signature, date", "Give this page back", "To be agreed to"} {
		if strings.Contains(signed, not) {
			t.Errorf("%q in\n%s", not, signed)
		}
	}
	// Submitted again, what was handed in before is kept, by its receipt.
	_, body = s.call(mara, "POST", maraSheet+"/submission", fmt.Sprintf(`{"version":%d}`, s.version("s0001")))
	var again websheet.SheetView
	if err := json.Unmarshal(body, &again); err != nil || again.Status.Receipt == "" || again.Status.Receipt == v.Status.Receipt {
		t.Fatalf("%v: %s", err, body)
	}
	before := read("en&receipt=" + v.Status.Receipt)
	for _, want := range []string{"Receipt " + v.Status.Receipt, "something newer has been handed in since", "9 requests", "Ceramics I"} {
		if !strings.Contains(before, want) {
			t.Errorf("no %q in\n%s", want, before)
		}
	}
	for _, not := range []string{"Give this page back", "Agreed to with the signature", "To be agreed to"} { // no one has signed this one, or signs it now
		if strings.Contains(before, not) {
			t.Errorf("what no longer stands says %q:\n%s", not, before)
		}
	}
	if stands := read("en&receipt=" + again.Status.Receipt); !strings.Contains(stands, "8 requests") || !strings.Contains(stands, "Give this page back") {
		t.Errorf("by the receipt that stands:\n%s", stands)
	}
	if res, _ := s.send(mara, "GET", maraSheet+"/paper.pdf?receipt=PE-999999", "", nil); res.StatusCode != 404 {
		t.Errorf("a receipt that never was gives %d", res.StatusCode)
	}
	_, body = s.call(mara, "GET", maraSheet+"/history", "")
	if !strings.Contains(string(body), `"receipt":"`+v.Status.Receipt+`"`) {
		t.Errorf("the history does not name the receipt: %s", body)
	}
}

// Where all guardians sign and one has, the other still has what to agree to, and where to sign.
func TestThePaperForTheSecondGuardian(t *testing.T) {
	s := newSite(t)
	s.db.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	s.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	files := testdb.Files()
	for i := range files {
		if f := &files[i]; f.Name == "policy.json" {
			f.Text = bytes.Replace(f.Text, []byte(`"settings": {`), []byte(`"settings": {"signing": "all",`), 1)
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	mara := s.person("mara.quill")
	for _, edit := range []string{`"act":"request","course":"TID1"`, `"act":"alternate","course":"WOO1"`, `"act":"alternate","course":"SAI1"`} {
		s.call(mara, "POST", maraSheet+"/changes", fmt.Sprintf(`{"version":%d,%s}`, s.version("s0001"), edit))
	}
	s.call(mara, "POST", maraSheet+"/submission", fmt.Sprintf(`{"version":%d}`, s.version("s0001")))
	if signed, answer := s.call(s.person("ilse.quill"), "POST", maraSheet+"/signature", fmt.Sprintf(`{"version":%d,"agreed":["CER1","TID1"],"commitments":[]}`, s.version("s0001"))); signed != 200 {
		t.Fatalf("signing: %d %s", signed, answer)
	}
	_, body := s.send(mara, "GET", maraSheet+"/paper.pdf?language=en", "", nil)
	page := printedText(t, body)
	for _, want := range []string{"Signed by Ilse Quill", "To be agreed to, each by itself", "Guardian: name, signature, date"} {
		if !strings.Contains(page, want) {
			t.Errorf("no %q in\n%s", want, page)
		}
	}
	if strings.Contains(page, "Agreed to with the signature") {
		t.Errorf("the second guardian reads that it was agreed to:\n%s", page)
	}
}

// What is to be acknowledged stands on the printed sheet, each on its own, with what the school advises or a course asks for.
func TestAcknowledgementsOnPaper(t *testing.T) {
	files := testdb.Files()
	for i := range files {
		switch f := &files[i]; f.Name {
		case "policy.json":
			f.Text = bytes.Replace(f.Text, []byte(`{ "id": "study",`), []byte(`{ "id": "clay", "label": {"en": "Clay", "es": "Barro"}, "stance": "acknowledge", "of": { "courses": ["CER1"] }, "max": 0 }, { "id": "study",`), 1)
		case "courses.csv":
			code, stance := slices.Index(f.Header, "courseCode"), slices.Index(f.Header, "metadata.entryStance")
			for _, row := range f.Rows {
				if row[code] == "PHY1" {
					row[stance] = "acknowledge"
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	s := newSite(t)
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	_, body := s.send(s.person("mara.quill"), "GET", maraSheet+"/paper.pdf?language=es", "", nil)
	out := printedText(t, body)
	for _, want := range []string{"Barro: 1 · hasta 0", "Física pide Álgebra I con 70"} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}
}
