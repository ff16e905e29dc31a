package school_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http/httptest"
	"os"
	"regexp"
	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/demo"
	"rubricon/school"
	"rubricon/store/storetest"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"
)

func (h *house) enter(username, password, device string) (*school.SignedIn, error) {
	return h.SignIn(h.t.Context(), username, password, school.Client{Address: "here", Device: device})
}

// batch does something with sheets as Ms Arden: what becomes of each, as "s0001" or "s0002:locked", and the number it is kept under.
func (h *house) batch(b school.Batch, students ...string) (id int64, outcomes string) {
	h.t.Helper()
	for _, student := range students {
		b.Sheets = append(b.Sheets, school.Choice{Student: student})
	}
	tried, err := h.TryBatch(h.t.Context(), h.who("ms.arden"), mara.School, mara.Year, b)
	if err != nil {
		return 0, string(school.CodeOf(err))
	}
	id, done, err := h.DoBatch(h.t.Context(), h.who("ms.arden"), mara.School, mara.Year, b)
	if err != nil {
		return 0, string(school.CodeOf(err))
	}
	if x, y := outcome(tried), outcome(done); x != y {
		h.t.Errorf("%s: tried it gives %s, done %s", b.Kind, x, y)
	}
	return id, outcome(done)
}

func outcome(list []school.Outcome) string {
	var words []string
	for _, o := range list {
		word := o.Student
		if o.Code != "" {
			word += ":" + string(o.Code)
		}
		words = append(words, word)
	}
	slices.Sort(words)
	return strings.Join(words, " ")
}

// back takes a batch back as Ms Arden.
func (h *house) back(id int64, reason string) string {
	h.t.Helper()
	list, err := h.TakeBack(h.t.Context(), h.who("ms.arden"), mara.School, mara.Year, id, "", reason)
	if err != nil {
		return string(school.CodeOf(err))
	}
	return outcome(list)
}

// courses are the requests on Mara's sheet, by rank, with a star where the school has put them there.
func (h *house) courses() string {
	d := h.look("mara.quill")
	var words []string
	for _, e := range d.Sheet.Requests {
		word := d.Year.Codes[e.Course]
		if assigned, fixed := d.Known.Assigned(e.Course); fixed {
			word += "!"
		} else if assigned {
			word += "*"
		}
		words = append(words, word)
	}
	return strings.Join(words, " ")
}

// between does something while another one, who has a lock on what it needs, has made the changes given but not yet let go: it has read what
// was before them, and meets what is after them. What is done returns what it was answered; it is done by so many at once.
func (h *house) between(many int, do func() string, changes ...string) (said []string) {
	h.t.Helper()
	tx, err := h.db.Open(h.t).BeginTxx(h.t.Context(), nil)
	if err != nil {
		h.t.Fatal(err)
	}
	for _, change := range changes {
		if _, err := tx.ExecContext(h.t.Context(), change); err != nil {
			h.t.Fatal(err)
		}
	}
	answers := make(chan string, many)
	for range many {
		go func() { answers <- do() }()
	}
	for began := time.Now(); storetest.Value[int](h.t, h.db, `SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`) < many; {
		if len(answers) > 0 || time.Since(began) > 20*time.Second {
			h.t.Fatal("they do not wait")
		}
	}
	if err := tx.Commit(); err != nil {
		h.t.Fatal(err)
	}
	for range many {
		said = append(said, <-answers)
	}
	return said
}

// everybody is the filter that chooses all.
func everybody(all bool) school.Filter { return school.Filter{All: all, Grade: -1} }

// line is Mara's in her counselor's caseload.
func (h *house) line() school.CaseLine {
	h.t.Helper()
	c, err := h.Caseload(h.t.Context(), h.who("ms.arden"), mara.School, mara.Year, everybody(false))
	if err != nil {
		h.t.Fatal(err)
	}
	for _, l := range c.Lines {
		if l.Student == mara.Student {
			if d := h.look("ms.arden"); l.Clear != d.Acts[acts.Clear] {
				h.t.Errorf("the list says %+v, the sheet %+v", l.Clear, d.Acts[acts.Clear])
			}
			return l
		}
	}
	h.t.Fatal("Mara is in no caseload")
	return school.CaseLine{}
}

// waits writes where a sheet is and what it waits for: "waiting claim uncovered".
func waits(l school.CaseLine) string {
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		list = append(list, string(w.Reason))
	}
	return strings.Join(list, " ")
}

// says compares where Mara's sheet is and what it waits for, courses by code.
func (h *house) says(when, want string) {
	h.t.Helper()
	l, d := h.line(), h.look("ms.arden")
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		word := string(w.Reason)
		for _, course := range w.Courses {
			word += ":" + d.Year.Codes[course]
		}
		list = append(list, word)
	}
	if got := strings.Join(list, " "); got != want {
		h.t.Errorf("%s: %s, want %s", when, got, want)
	}
}

func (h *house) remark(username, text string) error {
	_, err := h.Remark(h.t.Context(), h.who(username), mara, school.RemarkRow{Kind: "question", Text: text})
	return err
}

// since is since when a student waits.
func since(l *school.CaseLine) time.Time {
	oldest := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	for _, w := range l.Waits {
		if !w.Since.IsZero() && w.Since.Before(oldest) {
			oldest = w.Since
		}
	}
	return oldest
}

// twoGuardians makes g0002 a guardian of Mara beside g0001, and returns the two accounts and that of the counselor.
func (h *house) twoGuardians() (ilse, other, arden int64) {
	h.t.Helper()
	h.db.Exec(h.t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.db.Exec(h.t, `UPDATE school_year SET roster_version = roster_version + 1`)
	return h.who("ilse.quill"), storetest.Value[int64](h.t, h.db, `SELECT account_id FROM person WHERE school_id = 'pellworth' AND id = 'g0002'`), h.who("ms.arden")
}

// open lists the open change requests on Mara's sheet.
func (h *house) open() string {
	h.t.Helper()
	var list []string
	for _, r := range h.look("mara.quill").Row.ChangeRequests.V {
		if r.AnsweredAt == nil {
			list = append(list, r.Person+" "+r.Kind+" "+r.Text)
		}
	}
	return strings.Join(list, ", ")
}

// withAttendance connects a stand-in for the system that keeps attendance.
func (p *point) withAttendance() *standin.Server {
	p.t.Helper()
	s := standin.New("secret")
	server := httptest.NewServer(s)
	p.t.Cleanup(server.Close)
	c, err := attendance.New(server.URL, "secret")
	if err != nil {
		p.t.Fatal(err)
	}
	p.Service = school.New(p.db.Open(p.t), school.Options{Now: p.clock, Log: storetest.Quiet, Hashes: storetest.Hashes, Attendance: c})
	return s
}

// stays writes what the first student is or was enrolled in: section, dates, and how many marks.
func (p *point) stays() string {
	p.t.Helper()
	at, _ := p.of(1)
	e, err := p.Enrolled(p.t.Context(), p.who("ms.torvund"), at)
	if err != nil {
		p.t.Fatal(err)
	}
	var list []string
	for _, x := range e.Stays {
		list = append(list, fmt.Sprintf("%s %s %s %d", x.Row.Section, x.Begin, x.End, len(x.Marks)))
	}
	return strings.Join(list, ", ")
}

// record writes Mara's records of a course: "85 earned 1 entered".
func (h *house) record(course string) string {
	h.t.Helper()
	f, err := h.File(h.t.Context(), h.who("ms.arden"), mara)
	if err != nil {
		h.t.Fatal(err)
	}
	var words []string
	for i, r := range f.Desk.Known.Records {
		if r.Code == course || r.Title == course {
			word := fmt.Sprint(r.Mark, " ", r.Outcome, " ", r.Credits)
			if f.Desk.Known.Entered[i] {
				word += " entered"
			}
			words = append(words, word)
		}
	}
	return strings.Join(words, ", ")
}

// handsIn has a student hand in these requests and alternates.
func (h *house) handsIn(student string, requests, alternates []string) {
	h.t.Helper()
	var entries []string
	for kind, list := range [][]string{requests, alternates} {
		for k, code := range list {
			entries = append(entries, fmt.Sprintf(`{"c":%q,"a":%v,"r":%d,"s":""}`, code, kind == 1, k+1))
		}
	}
	storetest.Value[int](h.t, h.db, fmt.Sprintf(`WITH sub AS (INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement)
			SELECT 'pellworth', 2027, '%[1]s', coalesce(max(number), 0) + 1, 'R-%[1]s-' || coalesce(max(number), 0) + 1, now(), '%[1]s', 'Test', 1, 1, '[%[2]s]', '{}'
			FROM submission WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s' RETURNING number),
		sheet AS (UPDATE sheet SET submission = sub.number, state = 'submitted', version = version + 1 FROM sub WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s')
		SELECT number FROM sub`, student, strings.Join(entries, ",")))
}

// kiln is a school in which two students ask for Ceramics I, which has one seat; Printmaking comes in.
func (h *house) kiln() {
	h.t.Helper()
	h.classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,1,Ms A", "pri1-1,active,Printmaking,c-pri1,scheduled,pellworth,sy27-1,8,,5,Ms B", "pho1-1,active,Photography,c-pho1,scheduled,pellworth,sy27-1,7,,5,Ms C"})
	for _, student := range []string{"s0003", "s0004"} {
		h.handsIn(student, []string{"CER1"}, []string{"PRI1"})
	}
}

// seats sets the seats of a section.
func (h *house) seatsIn(section string, n int) {
	h.t.Helper()
	m, err := h.MasterSchedule(h.t.Context(), h.who("office"), mara.School, mara.Year)
	if err != nil {
		h.t.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x school.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := h.PutSection(h.t.Context(), h.who("office"), mara.School, mara.Year, &x); err != nil {
		h.t.Fatal(err)
	}
}

// has lists what a run gives a student, and what not.
func (h *house) has(run int, student string) string {
	h.t.Helper()
	p, err := h.PlacedIn(h.t.Context(), h.who("office"), mara.School, mara.Year, run, student)
	if err != nil {
		h.t.Fatal(err)
	}
	var out []string
	for _, g := range p.Given {
		out = append(out, g.Section)
	}
	for _, l := range p.Lacking {
		out = append(out, "not "+l.Course+": "+string(l.Why))
	}
	return strings.Join(out, ", ")
}

func (h *house) telling(key string) *school.Service {
	takes := func(address string) bool { return strings.HasPrefix(address, "https://") }
	return school.New(h.db.Open(h.t), school.Options{Now: h.clock, Log: storetest.Quiet, Hashes: storetest.Hashes, Hooks: school.Hooks{Key: []byte(key), Takes: takes}})
}

// hook lets a system be told, and gives the secret.
func (h *house) hook(name string, kinds ...string) string {
	h.t.Helper()
	secret, err := h.MakeHook(h.t.Context(), h.who("office"), mara.School, mara.Year, name, "https://"+name+".example/in", kinds)
	if err != nil {
		h.t.Fatal(err)
	}
	return secret
}

// taken are the messages that are due, as texts.
func (h *house) taken() (texts []string, list []school.Message) {
	h.t.Helper()
	list, _, err := h.TakeMessages(h.t.Context(), 50)
	if err != nil {
		h.t.Fatal(err)
	}
	for _, m := range list {
		var said map[string]any
		if err := json.Unmarshal(m.Body, &said); err != nil {
			h.t.Fatal(err)
		}
		delete(said, "id")
		body, _ := json.Marshal(said)
		texts = append(texts, strings.TrimPrefix(m.URL, "https://")+" "+string(body))
	}
	return texts, list
}

func (h *house) hooks() []school.Hook {
	h.t.Helper()
	list, err := h.Hooks(h.t.Context(), h.who("office"), mara.School, mara.Year)
	if err != nil {
		h.t.Fatal(err)
	}
	return list
}

// written are a bundle's files as they are written, by name.
func written(t *testing.T, list []bundle.File) map[string]string {
	t.Helper()
	dir := t.TempDir()
	if err := bundle.Write(dir, list); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		text, err := os.ReadFile(dir + "/" + e.Name())
		if err != nil {
			t.Fatal(err)
		}
		out[e.Name()] = string(text)
	}
	return out
}

func read(t *testing.T, files map[string]string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for name, text := range files {
		fsys[name] = &fstest.MapFile{Data: []byte(text)}
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func (h *house) export() map[string]string {
	h.t.Helper()
	list, left, err := h.Export(h.t.Context(), mara.School, 0)
	if err != nil || len(left) > 0 {
		h.t.Fatal(left, err)
	}
	return written(h.t, list)
}

func firstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range x {
		if i >= len(y) || x[i] != y[i] {
			return fmt.Sprintf("line %d: %q, then %q", i+1, x[i], append(y, "")[min(i, len(y))])
		}
	}
	return "lines were added"
}

func same(t *testing.T, what string, before, after map[string]string) {
	t.Helper()
	for name := range before {
		if before[name] != after[name] {
			t.Errorf("%s: %s changed: %s", what, name, firstDifference(before[name], after[name]))
		}
	}
	if len(before) != len(after) {
		t.Errorf("%s: %d files, then %d", what, len(before), len(after))
	}
}

// unusedBy is a course that a student has not got.
func unusedBy(t *testing.T, h *house, student string) string {
	t.Helper()
	d := h.must(h.Sheet(t.Context(), h.who("office"), school.Place{School: mara.School, Year: mara.Year, Student: student}))
	for _, code := range d.Year.Codes {
		if !strings.Contains(" "+requests(d)+" "+alternates(d)+" ", " "+code+" ") {
			return code
		}
	}
	t.Fatal("no course is unused")
	return ""
}

// without reads the school's data as it is without some files, which are taken from what is there.
func (h *house) without(names ...string) *bundle.Bundle {
	h.t.Helper()
	files, _, err := h.Export(h.t.Context(), mara.School, mara.Year)
	if err != nil {
		h.t.Fatal(err)
	}
	files = slices.DeleteFunc(files, func(f bundle.File) bool { return slices.Contains(names, f.Name) })
	b, err := bundle.ReadFiles(files, bundle.Fill(h.Existing(h.t.Context())))
	if err != nil || len(b.Problems) > 0 {
		h.t.Fatal(err, b.Problems)
	}
	return b
}

// hears waits for what a watch hears next.
func hears(t *testing.T, w *school.Watch) school.Heard {
	t.Helper()
	select {
	case heard := <-w.C:
		return heard
	case <-time.After(30 * time.Second):
		t.Fatal("nothing is heard")
		return school.Heard{}
	}
}

// schedule gives the school a master schedule: a section of each course that Mara asks for but one, so that Ceramics I clashes with Health.
func (h *house) scheduled() {
	h.t.Helper()
	rows := []string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher"}
	for i, c := range []struct{ code, terms, periods string }{{"eng10", "sy27", "1"}, {"alg2", "sy27", "2"}, {"wld2", "sy27", "3"}, {"phy1", "sy27", "4"}, {"nor2", "sy27", "5"}, {"tid1", "sy27", "6"},
		{"hlt1", "sy27-1", "7"}, {"row1", "sy27-2", "7"}, {"cer1", "sy27-1", "7"}, {"pri1", "sy27-1", "8"}, {"pho1", "sy27-2", "8"}} {
		rows = append(rows, strings.Join([]string{c.code + "-1", "active", "Section " + c.code, "c-" + c.code, "scheduled", "pellworth", c.terms, c.periods, "", "30", "Ms Teacher " + string(rune('A'+i))}, ","))
	}
	h.classes(rows)
}

// classes brings the demo school again with a master schedule, and with other files where they are changed.
func (h *house) classes(rows []string, change ...func([]bundle.File)) {
	h.t.Helper()
	files := storetest.Files()
	takes("submitted")(files)
	for _, other := range change {
		other(files)
	}
	f := bundle.File{Name: "classes.csv", Header: strings.Split(rows[0], ",")}
	for _, row := range rows[1:] {
		f.Rows = append(f.Rows, strings.Split(row, ","))
	}
	b, err := bundle.ReadFiles(append(files, f))
	if err != nil {
		h.t.Fatal(err)
	}
	if len(b.Problems) > 0 {
		h.t.Fatal(b.Problems)
	}
	h.bring(b)
}

// takes lets the school place requests that have come so far.
func takes(what string) func([]bundle.File) {
	return func(files []bundle.File) {
		for i := range files {
			if f := &files[i]; f.Name == "policy.json" {
				f.Text = regexp.MustCompile(`"placement": \{[^}]*\}`).ReplaceAll(f.Text, []byte(`"placement": {"seniority": true, "take": "`+what+`"}`))
			}
		}
	}
}

// placed starts a run, runs it, and gives it.
func (h *house) placed(ctx context.Context) *school.Run {
	h.t.Helper()
	office := h.who("office")
	r, err := h.StartRun(ctx, office, mara.School, mara.Year, 7, 20)
	if err != nil {
		h.t.Fatal(err)
	}
	if err := h.RunTask(ctx, mara.School, r.Task); err != nil {
		h.t.Fatal(err)
	}
	list, err := h.Runs(ctx, office, mara.School, mara.Year)
	if err != nil {
		h.t.Fatal(err)
	}
	return list[0]
}

// plan writes Mara's plan and what is found of it.
func (h *house) plan() (version int64, text string) {
	h.t.Helper()
	p, err := h.Path(h.t.Context(), h.who("mara.quill"), mara)
	if err != nil {
		h.t.Fatal(err)
	}
	return p.Version, planText(p)
}

// letters are the mails that are on their way, by kind: to whom, and with what; they are taken away.
func (h *house) letters() string {
	h.t.Helper()
	text := storetest.Value[string](h.t, h.db, `SELECT coalesce(string_agg(kind || ' ' || person_id || ' ' || (detail - 'receipt')::text, '; ' ORDER BY kind, person_id), '') FROM letter`)
	h.db.Exec(h.t, `DELETE FROM letter`)
	return text
}

// mara is the student shown first.
var mara = school.Place{School: demo.SchoolID, Year: storetest.Year, Student: "s0001"}

// house is a database of a test's own with the use cases on it, and a clock.
type house struct {
	*school.Service
	t   *testing.T
	db  storetest.Database
	now time.Time
	mu  sync.Mutex
	ids map[string]int64
}

func newHouse(t *testing.T) *house {
	t.Helper()
	storetest.Parallel(t)
	return houseOn(t, storetest.New(t))
}

func houseOn(t *testing.T, db storetest.Database) *house {
	t.Helper()
	h := &house{t: t, db: db, now: storetest.Now, ids: map[string]int64{}}
	h.Service = h.second()
	return h
}

// second is another server process on the same database.
func (h *house) second() *school.Service {
	return school.New(h.db.Open(h.t), school.Options{Now: h.clock, Log: storetest.Quiet, Hashes: storetest.Hashes})
}

// clock tells the time of the test.
func (h *house) clock() time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.now
}

func (h *house) at(now time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.now = now
}

// who is the account of a username.
func (h *house) who(username string) int64 {
	h.t.Helper()
	if h.ids[username] == 0 {
		h.ids[username] = h.db.Account(h.t, username)
	}
	return h.ids[username]
}

func (h *house) look(username string) *school.Desk {
	h.t.Helper()
	d, err := h.Sheet(h.t.Context(), h.who(username), mara)
	if err != nil {
		h.t.Fatal(err)
	}
	return d
}

// edit makes a change as Mara on the latest version.
func (h *house) edit(e school.Edit) *school.Desk {
	h.t.Helper()
	if e.Version == 0 {
		e.Version = h.look("mara.quill").Row.Version
	}
	d, err := h.Change(h.t.Context(), h.who("mara.quill"), mara, e)
	if err != nil {
		h.t.Fatalf("%+v: %v", e, err)
	}
	return d
}

// refuses makes a change that must be refused, and leave everything as it is.
func (h *house) refuses(e school.Edit, want school.Code) {
	h.t.Helper()
	before := h.look("mara.quill")
	if e.Version == 0 {
		e.Version = before.Row.Version
	}
	_, err := h.Change(h.t.Context(), h.who("mara.quill"), mara, e)
	if school.CodeOf(err) != want {
		h.t.Errorf("%+v gives %v, want %s", e, err, want)
	}
	after := h.look("mara.quill")
	if after.Row.Version != before.Row.Version || requests(after) != requests(before) || alternates(after) != alternates(before) {
		h.t.Errorf("%+v was refused and changed the sheet", e)
	}
}

func requests(d *school.Desk) string { return list(d, false) }

func alternates(d *school.Desk) string { return list(d, true) }

// list writes codes in order; a tie is written after a colon.
func list(d *school.Desk, alternate bool) string {
	var codes []string
	for _, e := range d.Row.Entries {
		if e.Alternate == alternate {
			code := e.Course
			if e.StandsFor != "" {
				code += ":" + e.StandsFor
			}
			codes = append(codes, code)
		}
	}
	return strings.Join(codes, " ")
}

// finish mends Mara's sheet.
func (h *house) finish() *school.Desk {
	h.t.Helper()
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	h.edit(school.Edit{Act: "alternate", Course: "PHO1"})
	return h.edit(school.Edit{Act: "alternate", Course: "AST1"})
}

// submit, sign, decide and clear do what their names say, on the latest version.
func (h *house) submit() *school.Desk {
	h.t.Helper()
	return h.must(h.Submit(h.t.Context(), h.who("mara.quill"), mara, 0, ""))
}

var fees = []string{"CER1", "TID1"}

func (h *house) sign() *school.Desk {
	h.t.Helper()
	return h.must(h.Sign(h.t.Context(), h.who("ilse.quill"), mara, 0, fees, ""))
}

func (h *house) waive() *school.Desk {
	h.t.Helper()
	return h.must(h.Decide(h.t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "waive", Claim: h.claim(), Course: "PHY1", Reason: "Report, seen."}))
}

func (h *house) claim() int64 {
	h.t.Helper()
	claims := h.look("ms.arden").Known.Claims
	if len(claims) != 1 {
		h.t.Fatalf("%d open claims", len(claims))
	}
	return claims[0].ID
}

func (h *house) clear() *school.Desk {
	h.t.Helper()
	return h.must(h.Clear(h.t.Context(), h.who("ms.arden"), mara, 0, ""))
}

func (h *house) must(d *school.Desk, err error) *school.Desk {
	h.t.Helper()
	if err != nil {
		h.t.Fatal(err)
	}
	return d
}

// code says what an act gave: the state it led to, or the code of what was wrong.
func code(d *school.Desk, err error) string {
	if err != nil {
		if c := school.CodeOf(err); c != "" {
			return string(c)
		}
		return err.Error()
	}
	return d.Row.State
}

func (h *house) history() string {
	h.t.Helper()
	events, err := h.History(h.t.Context(), h.who("ms.arden"), mara, 0)
	if err != nil {
		h.t.Fatal(err)
	}
	var kinds []string
	for _, e := range slices.Backward(events) {
		kinds = append(kinds, e.Kind)
	}
	return strings.Join(kinds, " ")
}

// bundleWith is the demo school as the template has it, with texts replaced in its files.
func bundleWith(t *testing.T, changes ...string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for _, f := range storetest.Files() {
		text, err := f.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		fsys[f.Name] = &fstest.MapFile{Data: text}
	}
	for i := 0; i < len(changes); i += 3 {
		f := fsys[changes[i]]
		if !strings.Contains(string(f.Data), changes[i+1]) {
			t.Fatalf("%s has no %q", changes[i], changes[i+1])
		}
		f.Data = []byte(strings.ReplaceAll(string(f.Data), changes[i+1], changes[i+2]))
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// settings imports the demo school with settings.
func (h *house) settings(settings string) {
	h.t.Helper()
	if _, err := h.Import(h.t.Context(), bundleWith(h.t, "policy.json", `"settings": {`, strings.TrimSuffix(`"settings": `+settings, "}")+","), 0); err != nil {
		h.t.Fatal(err)
	}
}

// withoutCourse is the demo school without one course, wherever that stands.
func withoutCourse(t *testing.T, code string) *bundle.Bundle {
	t.Helper()
	files := storetest.Files()
	for i := range files {
		f := &files[i]
		if !slices.Contains([]string{"courses.csv", "requests.csv", "plans.csv", "errands.csv"}, f.Name) {
			continue
		}
		at := slices.Index(f.Header, "courseCode")
		f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return row[at] == code })
		for _, row := range f.Rows {
			for k, cell := range row {
				codes := strings.Split(cell, ",")
				if slices.Contains(codes, code) {
					row[k] = strings.Join(slices.DeleteFunc(codes, func(c string) bool { return c == code }), ",")
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatalf("%v %v", err, b.Problems)
	}
	return b
}

func (h *house) window(families time.Time) {
	h.t.Helper()
	if err := h.SetWindow(h.t.Context(), mara.School, mara.Year, school.Window{Grade: -1, Opens: storetest.Now.AddDate(0, 0, -7), Families: families, Counselors: families.AddDate(0, 1, 0)}); err != nil {
		h.t.Fatal(err)
	}
}

func (h *house) bring(b *bundle.Bundle) *school.ImportResult {
	h.t.Helper()
	result, err := h.Import(h.t.Context(), b, 0)
	var much *school.MuchGoes
	if errors.As(err, &much) {
		result, err = h.Import(h.t.Context(), b, much.Tally.Sum().Removed)
	}
	if err != nil {
		h.t.Fatal(err)
	}
	return result
}

// again takes the school's data in again, as they have become.
func (p *point) again(change func(f *bundle.File)) error {
	p.t.Helper()
	files, _ := demo.Skerry(7, pointStudents)
	for i := range files {
		change(&files[i])
	}
	files = append(files, bundle.File{Name: "enrollments.csv"})
	if change(&files[len(files)-1]); files[len(files)-1].Header == nil {
		files = files[:len(files)-1]
	}
	b, err := bundle.ReadFiles(files, bundle.WithEnrollments)
	if err != nil || len(b.Problems) > 0 {
		p.t.Fatal(err, b.Problems)
	}
	_, err = p.Import(p.t.Context(), b, 0)
	return err
}

// holds gives the school out and looks at it as a bundle: what is wrong with its dates, how many are in each section on each day, and whether each student's week is what is shown of it.
func (p *point) holds(marks *standin.Server, who []int) {
	p.t.Helper()
	files, _, err := p.Export(p.t.Context(), demo.SkerryID, storetest.Year)
	if err != nil {
		p.t.Fatal(err)
	}
	if marks != nil {
		f := bundle.File{Name: "attendance.csv", Header: []string{"student", "classSourcedId", "date", "mark"}}
		for _, m := range marks.Marks(demo.SkerryID, "") {
			f.Rows = append(f.Rows, []string{m.Student, m.Section, m.Date, m.Mark})
		}
		files = append(files, f)
	}
	b, err := bundle.ReadFiles(files, bundle.WithDates)
	if err != nil || len(b.Problems) > 0 {
		p.t.Fatal(err, b.Problems)
	}
	for _, x := range b.DatedProblems() {
		p.t.Errorf("%+v", x)
	}
	all := b.Choices()
	for _, day := range []string{"2027-08-30", "2027-09-14", "2027-10-14", "2027-11-03", "2028-02-15", ""} {
		taken := make([]int, len(all))
		for i := range b.Enrollments {
			if e := &b.Enrollments[i]; e.InForce(day) {
				taken[e.Section]++
			}
		}
		for i, n := range taken {
			if n > b.Sections[i].Seats {
				p.t.Errorf("on %q %d are in %s, which has %d seats", day, n, b.Sections[i].ID, b.Sections[i].Seats)
			}
		}
	}
	for _, n := range who {
		w := p.week(n)
		i := slices.IndexFunc(b.Pupils, func(x bundle.Pupil) bool { return x.ID == w.Row.Student })
		var own []sheet.Section
		for k := range b.Enrollments {
			if e := &b.Enrollments[k]; e.Pupil == i && e.InForce("") {
				own = append(own, all[e.Section])
			}
		}
		laid := b.Pupils[i].Sheet(b.Year)
		choice, err := sheet.NewFacts(b.Year, b.Pupils[i].Student).Choose(&laid, own)
		if err != nil || fmt.Sprint(choice.Open, choice.Complete) != fmt.Sprint(w.Found.Open, w.Found.Complete) {
			p.t.Errorf("student %d: %v %v; shown is %v", n, choice.Open, err, w.Found.Open)
		}
	}
}

// point is Skerry Point School, small, whose seats are chosen now.
type point struct {
	*house
	planted map[string][]string // a whole week by student
}

const pointStudents = 150

func newPoint(t *testing.T) *point {
	t.Helper()
	h := newHouse(t)
	files, planted := demo.Skerry(7, pointStudents)
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := h.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	p := &point{h, planted}
	p.opens(storetest.Now.Add(-time.Hour))
	return p
}

// opens lets seats be chosen by everybody from a time on, for two days, and by counselors two days more.
func (p *point) opens(from time.Time) {
	p.t.Helper()
	w := school.Window{Round: school.OfSeats, Grade: -1, Opens: from, Families: from.AddDate(0, 0, 2), Counselors: from.AddDate(0, 0, 4)}
	if err := p.SetWindow(p.t.Context(), demo.SkerryID, storetest.Year, w); err != nil {
		p.t.Fatal(err)
	}
}

// of is the n-th student, from 1, and their account.
func (p *point) of(n int) (school.Place, int64) {
	id := fmt.Sprintf("sk%03d", n)
	return school.Place{School: demo.SkerryID, Year: storetest.Year, Student: id}, p.who(storetest.Value[string](p.t, p.db, `SELECT username FROM person WHERE school_id = $1 AND id = $2`, demo.SkerryID, id))
}

func (p *point) week(n int) *school.Week {
	p.t.Helper()
	at, who := p.of(n)
	w, err := p.Seats(p.t.Context(), who, at)
	if err != nil {
		p.t.Fatal(err)
	}
	return w
}

// takes has the n-th student take seats, or give them back where they begin with a minus; the answer is the code of the refusal with what it is about, or "".
func (p *point) takes(n int, sections ...string) string {
	p.t.Helper()
	c := school.SeatsChange{}
	for _, id := range sections {
		if rest, ok := strings.CutPrefix(id, "-"); ok {
			c.Give = append(c.Give, rest)
		} else {
			c.Take = append(c.Take, id)
		}
	}
	at, who := p.of(n)
	_, err := p.TakeSeats(p.t.Context(), who, at, c)
	return p.said(err)
}

func (p *point) said(err error) string {
	p.t.Helper()
	if err == nil {
		return ""
	}
	var known *school.Error
	if !errors.As(err, &known) {
		p.t.Fatal(err)
	}
	return strings.TrimSpace(string(known.Code) + " " + known.Param)
}

// has lists the sections that the n-th student has a seat in.
func (p *point) own(n int) string {
	p.t.Helper()
	w := p.week(n)
	var ids []string
	for _, x := range w.Own {
		ids = append(ids, w.Sections[x.Section].ID)
	}
	return strings.Join(ids, " ")
}

// seatsOf sets how many seats a section has.
func (p *point) seatsOf(section string, n int) {
	p.t.Helper()
	office := p.who("office.skerry")
	m, err := p.MasterSchedule(p.t.Context(), office, demo.SkerryID, storetest.Year)
	if err != nil {
		p.t.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x school.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := p.PutSection(p.t.Context(), office, demo.SkerryID, storetest.Year, &x); err != nil {
		p.t.Fatal(err)
	}
}

func line(w *school.Week, id string) school.SeatLine {
	return w.Lines[slices.IndexFunc(w.Sections, func(x school.TableSection) bool { return x.ID == id })]
}

// crowd lets many sections of another school be waited for, with a free seat that nobody who waits can take.
func (p *point) crowd(schoolID string, sections int, waiting string) {
	p.t.Helper()
	for _, text := range []string{
		`INSERT INTO school VALUES ($1, 'Crowded')`,
		`INSERT INTO school_year (school_id, year, catalog_version, policy_version) SELECT $1, year, catalog_version, policy_version FROM school_year WHERE school_id = '` + demo.SkerryID + `'`,
		`INSERT INTO catalog SELECT $1, year, version, files, at FROM catalog WHERE school_id = '` + demo.SkerryID + `'`,
		`INSERT INTO policy SELECT $1, year, version, text, at FROM policy WHERE school_id = '` + demo.SkerryID + `'`,
		`INSERT INTO person (school_id, id, ord, role, enabled, username, given_name, family_name, cells) VALUES ($1, 'x1', 1, 'student', true, $1 || '.x1', 'A', 'B', '{}')`,
		`INSERT INTO sheet (school_id, year, student_id, grade) SELECT $1, year, 'x1', 10 FROM school_year WHERE school_id = $1`,
	} {
		p.db.Exec(p.t, text, schoolID)
	}
	p.db.Exec(p.t, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells)
		SELECT $1, y.year, 'z' || n, n, s.course_code, 10, s.cells || jsonb_build_object('sourcedId', 'z' || n) FROM school_year y, generate_series(1, $2::int) n,
			(SELECT * FROM section WHERE school_id = $3 ORDER BY id LIMIT 1) s WHERE y.school_id = $1`, schoolID, sections, demo.SkerryID)
	p.db.Exec(p.t, `INSERT INTO seat_wait (school_id, year, section_id, student_id, lot, at`+map[bool]string{true: ", offered_until"}[waiting != ""]+`)
		SELECT school_id, year, id, 'x1', 1, now() - interval '90 days'`+map[bool]string{true: ", " + waiting}[waiting != ""]+` FROM section WHERE school_id = $1`, schoolID)
}
