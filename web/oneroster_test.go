package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// machine is another system with a token.
type machine struct {
	*site
	token string
}

func (s *site) machine(purpose string) *machine {
	s.t.Helper()
	status, body := s.call(s.person("office"), "POST", "/api/schools/pellworth/years/2027/tokens", fmt.Sprintf(`{"name":"Library","purpose":%q,"days":30}`, purpose))
	var made struct{ Token string }
	if err := json.Unmarshal(body, &made); err != nil || status != http.StatusOK || len(made.Token) < 30 {
		s.t.Fatalf("making a token: %d %s", status, body)
	}
	return &machine{s, made.Token}
}

// reads asks one call, and gives the answer with the total and the links.
func (m *machine) reads(path string) (status int, body map[string]any, header http.Header) {
	m.t.Helper()
	req, err := http.NewRequestWithContext(m.t.Context(), "GET", m.URL+"/ims/oneroster/v1p1/"+path, nil)
	if err != nil {
		m.t.Fatal(err)
	}
	if m.token != "" {
		req.Header.Set("Authorization", "Bearer "+m.token)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		m.t.Fatal(err)
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&body); err != nil {
		m.t.Fatalf("%s: %d %v", path, res.StatusCode, err)
	}
	return res.StatusCode, body, res.Header
}

// ids are the sourcedIds of what a collection answers.
func ids(body map[string]any, of string) (list []string) {
	items, _ := body[of].([]any)
	for _, x := range items {
		list = append(list, x.(map[string]any)["sourcedId"].(string))
	}
	return list
}

// minor is the code of an error as the standard has it.
func minor(body map[string]any) string {
	text, _ := json.Marshal(body["imsx_codeMinor"])
	return strings.TrimSuffix(text2(text), `"}]}`)
}

func text2(text []byte) string {
	_, after, _ := strings.Cut(string(text), `imsx_codeMinorFieldValue":"`)
	return after
}

// Other systems read the roster by OneRoster 1.1, page by page, filtered, sorted, with the fields that they want: the same as the CSV files have.
func TestRosterForOtherSystems(t *testing.T) {
	s := newSite(t)
	m := s.machine("people")
	files := map[string][][]string{}
	columns := map[string][]string{}
	for _, f := range testdb.Files() {
		files[f.Name], columns[f.Name] = f.Rows, f.Header
	}
	column := func(file, name string) (list []string) {
		at := slices.Index(columns[file], name)
		for _, row := range files[file] {
			list = append(list, row[at])
		}
		return list
	}
	for _, c := range []struct{ collection, of, file string }{{"orgs", "orgs", "orgs.csv"}, {"academicSessions", "academicSessions", "academicSessions.csv"}, {"courses", "courses", "courses.csv"}, {"users", "users", "users.csv"}} {
		var got []string
		for offset := 0; ; offset += 70 {
			status, body, header := m.reads(fmt.Sprintf("%s?limit=70&offset=%d", c.collection, offset))
			if status != 200 || header.Get("X-Total-Count") != fmt.Sprint(len(files[c.file])) {
				t.Fatalf("%s: %d, %s in all; %d are wanted", c.collection, status, header.Get("X-Total-Count"), len(files[c.file]))
			}
			got = append(got, ids(body, c.of)...)
			if more := strings.Contains(header.Get("Link"), `rel="next"`); more != (offset+70 < len(files[c.file])) {
				t.Errorf("%s from %d: links %s", c.collection, offset, header.Get("Link"))
			}
			if !strings.Contains(header.Get("Link"), `rel="next"`) {
				break
			}
		}
		if want := column(c.file, "sourcedId"); !slices.Equal(got, want) {
			t.Errorf("%s: %d of %d, or in another order", c.collection, len(got), len(want))
		}
	}
	_, body, _ := m.reads("users/s0001")
	user := body["user"].(map[string]any)
	if user["givenName"] != "Mara" || user["enabledUser"] != true || user["role"] != "student" || user["status"] != "active" || fmt.Sprint(user["grades"]) != "[09]" || user["password"] != nil || user["metadata"] != nil {
		t.Errorf("Mara: %v", user)
	}
	if org := user["orgs"].([]any)[0].(map[string]any); org["sourcedId"] != demo.SchoolID || org["type"] != "org" || org["href"] != s.URL+"/ims/oneroster/v1p1/orgs/"+demo.SchoolID {
		t.Errorf("her school: %v", org)
	}
	all := column("users.csv", "sourcedId")
	roles, families := column("users.csv", "role"), column("users.csv", "familyName")
	picked := func(keep func(i int) bool) (list []string) {
		for i, id := range all {
			if keep(i) {
				list = append(list, id)
			}
		}
		return list
	}
	for query, want := range map[string][]string{
		"users?limit=5000&filter=role%3D'teacher'":                          picked(func(i int) bool { return roles[i] == "teacher" }),
		"teachers?limit=5000":                                               picked(func(i int) bool { return roles[i] == "teacher" }),
		"users?limit=5000&filter=role%3D'student'+AND+familyName%3D'Quill'": picked(func(i int) bool { return roles[i] == "student" && families[i] == "Quill" }),
		"users?limit=5000&filter=familyName~'QUI'+OR+role%3D'administrator'": picked(func(i int) bool {
			return strings.Contains(strings.ToLower(families[i]), "qui") || roles[i] == "administrator"
		}),
		"users?limit=5000&filter=sourcedId%3E%3D's0058'+AND+role!%3D'teacher'": picked(func(i int) bool { return all[i] >= "s0058" && roles[i] != "teacher" }),
		"students?limit=3&offset=2":                    picked(func(i int) bool { return roles[i] == "student" })[2:5],
		"students?limit=2&sort=sourcedId&orderBy=desc": {"s0060", "s0059"},
		"users?filter=familyName%3D'nobody''s'":        nil,
	} {
		status, body, _ := m.reads(query)
		if got := ids(body, "users"); status != 200 || !slices.Equal(got, want) {
			t.Errorf("%s: %d %v; %v are wanted", query, status, got, want)
		}
	}
	_, body, _ = m.reads("users?limit=1&fields=sourcedId,familyName")
	if got := body["users"].([]any)[0].(map[string]any); len(got) != 2 || got["familyName"] == nil {
		t.Errorf("two fields: %v", got)
	}
	for query, want := range map[string]string{
		"users?filter=password%3D'x'": "400 invalid_filter_field", "users?filter=role": "400 invalid_filter_field", "users?filter=role%3D'a'+AND+role%3D'b'+AND+role%3D'c'": "400 invalid_filter_field",
		"users?sort=password": "400 invalid_sort_field", "users?orderBy=up&sort=role": "400 invalid_sort_field", "users?fields=password": "400 invalid_selection_field",
		"users?limit=0": "400 invaliddata", "users?limit=5001": "400 invaliddata", "users?offset=-1": "400 invaliddata", "users/nobody": "404 unknownobject",
	} {
		status, body, _ := m.reads(query)
		if got := fmt.Sprint(status, " ", minor(body)); got != want {
			t.Errorf("%s: %s; %s is wanted", query, got, want)
		}
	}
}

// A token reads what it was made for, in its own school, until it is over or taken back; it is kept hashed and no one sees it again.
func TestTokens(t *testing.T) {
	s := newSite(t)
	s.strangers()
	m := s.machine("courses")
	said := func(m *machine, path, want string) {
		t.Helper()
		status, body, _ := m.reads(path)
		if got := strings.TrimSpace(fmt.Sprint(status, " ", minor(body))); got != want {
			t.Errorf("%s: %s; %s is wanted", path, got, want)
		}
	}
	said(m, "courses?limit=1", "200")
	said(m, "classes", "200")
	said(m, "users", "403 forbidden")
	said(m, "users/s0001", "403 forbidden")
	said(m, "enrollments", "403 forbidden")
	said(&machine{s, ""}, "courses", "401 unauthorisedrequest")
	said(&machine{s, m.token + "x"}, "courses", "401 unauthorisedrequest")
	said(&machine{s, strings.Repeat("x", 200)}, "courses", "401 unauthorisedrequest")
	if n := testdb.Value[int](t, s.db, `SELECT count(*) FROM access_token t WHERE t::text LIKE '%' || $1 || '%'`, strings.TrimPrefix(m.token, "rubricon_")); n != 0 {
		t.Error("the token itself is kept")
	}
	_, list := s.call(s.person("office"), "GET", "/api/schools/pellworth/years/2027/tokens", "")
	if strings.Contains(string(list), m.token) || !strings.Contains(string(list), `"name":"Library"`) || !strings.Contains(string(list), `"usedAt"`) {
		t.Errorf("the list: %s", list)
	}
	if strings.Contains(s.log.String(), m.token) {
		t.Error("the token is in the log")
	}
	// Another school's token reads that school.
	status, body := s.call(s.person("foreign.office"), "POST", "/api/schools/elsewhere/years/2027/tokens", `{"name":"Library","purpose":"people","days":1}`)
	var made struct{ Token string }
	if err := json.Unmarshal(body, &made); err != nil || status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	_, users, _ := (&machine{s, made.Token}).reads("users")
	if got := ids(users, "users"); slices.Contains(got, "s0001") {
		t.Errorf("another school's token reads ours: %v", got)
	}
	longer := s.machine("courses")
	if status, body := s.call(s.person("office"), "DELETE", "/api/schools/pellworth/years/2027/tokens/1", ""); status != http.StatusNoContent {
		t.Errorf("taking it back: %d %s", status, body)
	}
	said(m, "courses?limit=1", "401 unauthorisedrequest")
	s.at(testdb.Now.Add(25 * time.Hour))
	said(&machine{s, made.Token}, "courses", "401 unauthorisedrequest")
	said(longer, "courses?limit=1", "200")
}

// The reference is made of the contract, without scripts, and the application's own policy lets it be shown.
func TestTheReference(t *testing.T) {
	s := newSite(t)
	status, page := s.call(s.person(""), "GET", "/api/reference", "")
	text := string(page)
	for _, want := range []string{`<section id="get-sheet">`, `GET /api/schools/{school}/years/{year}/students/{student}/sheet`, `<a href="#SheetView">SheetView</a>`, `<section id="SheetView">`, "/ims/oneroster/v1p1/enrollments"} {
		if status != 200 || !strings.Contains(text, want) {
			t.Errorf("%d: %q is not in the reference", status, want)
		}
	}
	for _, not := range []string{"<script", "style=", "http://", "https://"} {
		if strings.Contains(text, not) {
			t.Errorf("%q is in the reference", not)
		}
	}
	for _, link := range strings.Split(text, `href="#`)[1:] {
		name, _, _ := strings.Cut(link, `"`)
		if !strings.Contains(text, `id="`+name+`"`) {
			t.Errorf("a link leads nowhere: %s", name)
		}
	}
	if status, contract := s.call(s.person(""), "GET", "/api/openapi.json", ""); status != 200 || !json.Valid(contract) {
		t.Errorf("the contract: %d", status)
	}
}

// Collections within one of another answer as the standard says: the classes of a school, a course or a student, the students of a class.
func TestRosterParts(t *testing.T) {
	s := newSite(t)
	classes := bundle.File{Name: "classes.csv", Header: strings.Split("sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.seats", ","),
		Rows: [][]string{{"e1", "One", "c-eng10", "scheduled", "pellworth", "sy27", "1", "30"}, {"e2", "Two", "c-eng10", "scheduled", "pellworth", "sy27", "2", "30"}, {"h1", "One", "c-hlt1", "scheduled", "pellworth", "sy27-1", "7", "30"}}}
	enrollments := bundle.File{Name: "enrollments.csv", Header: strings.Split("sourcedId,classSourcedId,schoolSourcedId,userSourcedId,role", ","),
		Rows: [][]string{{"1", "e1", "pellworth", "s0001", "student"}, {"2", "e1", "pellworth", "s0002", "student"}, {"3", "h1", "pellworth", "s0001", "student"}}}
	b, err := bundle.ReadFiles(append(testdb.Files(), classes, enrollments), bundle.WithEnrollments)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	m := s.machine("people")
	for path, want := range map[string]string{
		"schools/pellworth/classes": "classes e1 e2 h1", "courses/c-eng10/classes": "classes e1 e2", "courses/c-alg2/classes": "classes", "terms/sy27-1/classes": "classes h1",
		"students/s0001/classes": "classes e1 h1", "students/s0001/classes?filter=sourcedId%3D'h1'": "classes h1", "classes/e1/students": "users s0001 s0002", "classes/e1/students?limit=1&offset=1": "users s0002",
		"classes/e2/students": "users", "schools/pellworth/students?limit=2": "users s0001 s0002",
	} {
		name, _, _ := strings.Cut(want, " ")
		status, body, header := m.reads(path)
		if got := strings.TrimSpace(name + " " + strings.Join(ids(body, name), " ")); status != 200 || got != want || header.Get("X-Total-Count") == "" {
			t.Errorf("%s: %d, %s; want %s", path, status, got, want)
		}
	}
	for _, path := range []string{"schools/elsewhere/classes", "courses/none/classes", "students/t1/classes", "classes/none/students"} {
		if status, body, _ := m.reads(path); status != 404 || minor(body) != "unknownobject" {
			t.Errorf("%s: %d %v", path, status, body)
		}
	}
	courses := s.machine("courses")
	for path, want := range map[string]int{"courses/c-eng10/classes": 200, "classes/e1/students": 403, "students/s0001/classes": 403, "schools/pellworth/enrollments": 403} {
		if status, _, _ := courses.reads(path); status != want {
			t.Errorf("with a token for courses, %s: %d, want %d", path, status, want)
		}
	}
}

// Every row says when it was last changed, and who asks for what has changed since gets that alone: people, classes, courses.
func TestRowsSayWhenTheyWereChanged(t *testing.T) {
	s := newSite(t)
	m := s.machine("people")
	for _, collection := range []string{"orgs", "academicSessions", "courses", "classes", "users", "enrollments"} {
		_, body, _ := m.reads(collection + "?limit=5000")
		items, _ := body[collection].([]any)
		for _, x := range items {
			if at, err := time.Parse("2006-01-02T15:04:05.000Z", x.(map[string]any)["dateLastModified"].(string)); err != nil || at.IsZero() {
				t.Fatalf("%s: %v was last changed at %v", collection, x, err)
			}
		}
	}
	latest := func(collection string) string {
		_, body, _ := m.reads(collection + "?limit=1&sort=dateLastModified&orderBy=desc")
		return body[collection].([]any)[0].(map[string]any)["dateLastModified"].(string)
	}
	before := map[string]string{"users": latest("users"), "courses": latest("courses")}
	s.at(s.clock().Add(time.Hour))
	files := testdb.Files()
	for i := range files {
		f := &files[i]
		for _, row := range f.Rows {
			switch {
			case f.Name == "users.csv" && row[slices.Index(f.Header, "sourcedId")] == "s0003":
				row[slices.Index(f.Header, "familyName")] = "Otherwise"
			case f.Name == "courses.csv" && row[slices.Index(f.Header, "courseCode")] == "CER1":
				row[slices.Index(f.Header, "title")] = "Clay I"
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	for collection, want := range map[string]string{"users": "s0003", "courses": "c-cer1"} {
		since := before[collection]
		_, body, _ := m.reads(collection + "?limit=5000&filter=dateLastModified%3E'" + since + "'")
		if got := ids(body, collection); len(got) != 1 || !strings.Contains(strings.ToLower(got[0]), want) {
			t.Errorf("%s changed after %s: %v; %s is wanted", collection, since, got, want)
		}
		_, all, _ := m.reads(collection + "?limit=5000&filter=dateLastModified%3E%3D'2020-01-01'")
		_, whole, _ := m.reads(collection + "?limit=5000")
		if got, want := len(ids(all, collection)), len(ids(whole, collection)); got != want {
			t.Errorf("%s since 2020: %d of %d", collection, got, want)
		}
		if _, none, _ := m.reads(collection + "?filter=dateLastModified%3E'2099-01-01T00:00:00%2B01:00'"); len(ids(none, collection)) != 0 {
			t.Errorf("%s have changed in 2099", collection)
		}
	}
	// A class, an enrollment and a person are changed when what is read of them is, and not by what others see alone.
	s.db.Exec(t, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells) VALUES ('pellworth', 2027, 'cer1-1', 1, 'CER1', 20, '{"sourcedId": "cer1-1", "title": "Clay"}')`)
	s.db.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, 's0001', 'cer1-1', now(), '')`)
	for _, c := range []struct{ table, quiet, loud string }{
		{"section", "seats = 21", `cells = cells || '{"title": "Clay, again"}'`}, {"enrollment", "by_name = 'x'", "ends = '2027-12-01'"}, {"person", "language = 'es'", `cells = cells || '{"middleName": "O."}'`},
	} {
		stamp := func() string {
			return testdb.Value[string](t, s.db, `SELECT max(modified_at)::text FROM `+c.table)
		}
		was := stamp()
		if s.db.Exec(t, `UPDATE `+c.table+` SET `+c.quiet); stamp() != was {
			t.Errorf("%s: %s is a change", c.table, c.quiet)
		}
		if s.db.Exec(t, `UPDATE `+c.table+` SET `+c.loud); stamp() == was {
			t.Errorf("%s: %s is no change", c.table, c.loud)
		}
	}
	if status, body, _ := m.reads("users?filter=dateLastModified%3E'soon'"); status != 400 || minor(body) != "invalid_filter_field" {
		t.Errorf("since soon: %d %v", status, body)
	}
}
