package apptest

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http/httptest"
	"os"
	"regexp"
	"rubricon/app"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"rubricon/app/account"
	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/imports"
	"rubricon/app/messages"
	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// Enter signs in from a device.
func (h *House) Enter(username, password, device string) (*account.SignedIn, error) {
	return h.Account.SignIn(h.T.Context(), username, password, account.Client{Address: "here", Device: device})
}

// Batch does something with sheets as Ms Arden: what becomes of each, as "s0001" or "s0002:locked", and the
// number it is kept under.
func (h *House) Batch(b appcaseload.Batch, students ...string) (id int64, outcomes string) {
	h.T.Helper()
	for _, student := range students {
		b.Sheets = append(b.Sheets, appcaseload.Choice{Student: student})
	}
	tried, err := h.Caseload.TryBatch(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, b)
	if err != nil {
		return 0, string(problem.CodeOf(err))
	}
	id, done, err := h.Caseload.DoBatch(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, b)
	if err != nil {
		return 0, string(problem.CodeOf(err))
	}
	if x, y := Outcome(tried), Outcome(done); x != y {
		h.T.Errorf("%s: tried it gives %s, done %s", b.Kind, x, y)
	}
	return id, Outcome(done)
}

// Outcome writes the results of a batch, student by student.
func Outcome(list []appcaseload.Outcome) string {
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

// Back takes a batch back as Ms Arden.
func (h *House) Back(id int64, reason string) string {
	h.T.Helper()
	list, err := h.Caseload.TakeBack(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, id, "", reason)
	if err != nil {
		return string(problem.CodeOf(err))
	}
	return Outcome(list)
}

// Courses are the requests on Mara's sheet, by rank, with a star where the school has put them there.
func (h *House) Courses() string {
	d := h.Look("mara.quill")
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

// Between does something while another one, who has a lock on what it needs, has made the changes given but
// not yet let go: it has read what was before them, and meets what is after them. What is done returns what
// it was answered; it is done by so many at once.
func (h *House) Between(many int, do func() string, changes ...string) (said []string) {
	h.T.Helper()
	tx, err := h.DB.SQL(h.T).BeginTxx(h.T.Context(), nil)
	if err != nil {
		h.T.Fatal(err)
	}
	for _, change := range changes {
		if _, err := tx.ExecContext(h.T.Context(), change); err != nil {
			h.T.Fatal(err)
		}
	}
	answers := make(chan string, many)
	for range many {
		go func() { answers <- do() }()
	}
	for began := time.Now(); testdb.Value[int](h.T, h.DB,
		`SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`) < many; {
		if len(answers) > 0 || time.Since(began) > 20*time.Second {
			h.T.Fatal("they do not wait")
		}
	}
	if err := tx.Commit(); err != nil {
		h.T.Fatal(err)
	}
	for range many {
		said = append(said, <-answers)
	}
	return said
}

// Everybody is the filter that chooses all.
func Everybody(all bool) appcaseload.Filter { return appcaseload.Filter{All: all, Grade: -1} }

// Line is Mara's in her counselor's caseload.
func (h *House) Line() appcaseload.CaseLine {
	h.T.Helper()
	c, err := h.Caseload.Caseload(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, Everybody(false))
	if err != nil {
		h.T.Fatal(err)
	}
	for _, l := range c.Lines {
		if l.Student == Mara.Student {
			if d := h.Look("ms.arden"); l.Clear != d.Acts[acts.Clear] {
				h.T.Errorf("the list says %+v, the sheet %+v", l.Clear, d.Acts[acts.Clear])
			}
			return l
		}
	}
	h.T.Fatal("Mara is in no caseload")
	return appcaseload.CaseLine{}
}

// Waits writes where a sheet is and what it waits for: "waiting claim uncovered".
func Waits(l appcaseload.CaseLine) string {
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		list = append(list, string(w.Reason))
	}
	return strings.Join(list, " ")
}

// Says compares where Mara's sheet is and what it waits for, courses by code.
func (h *House) Says(when, want string) {
	h.T.Helper()
	l, d := h.Line(), h.Look("ms.arden")
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		word := string(w.Reason)
		for _, course := range w.Courses {
			word += ":" + d.Year.Codes[course]
		}
		list = append(list, word)
	}
	if got := strings.Join(list, " "); got != want {
		h.T.Errorf("%s: %s, want %s", when, got, want)
	}
}

// Remark sends a question as a user.
func (h *House) Remark(username, text string) error {
	_, err := h.Caseload.Remark(h.T.Context(), h.Who(username), Mara, appcaseload.RemarkRow{Kind: "question", Text: text})
	return err
}

// Since is since when a student waits.
func Since(l *appcaseload.CaseLine) time.Time {
	oldest := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	for _, w := range l.Waits {
		if !w.Since.IsZero() && w.Since.Before(oldest) {
			oldest = w.Since
		}
	}
	return oldest
}

// TwoGuardians makes g0002 a guardian of Mara beside g0001, and returns the two accounts and that of the counselor.
func (h *House) TwoGuardians() (ilse, other, arden int64) {
	h.T.Helper()
	h.DB.Exec(h.T, `INSERT INTO relation (school_id, kind, person_id, student_id, source)
		VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.DB.Exec(h.T, `UPDATE school_year SET roster_version = roster_version + 1`)
	return h.Who("ilse.quill"), testdb.Value[int64](h.T, h.DB,
		`SELECT account_id FROM person WHERE school_id = 'pellworth' AND id = 'g0002'`), h.Who("ms.arden")
}

// Open lists the open change requests on Mara's sheet.
func (h *House) Open() string {
	h.T.Helper()
	var list []string
	for _, r := range h.Look("mara.quill").Row.ChangeRequests.V {
		if r.AnsweredAt == nil {
			list = append(list, r.Person+" "+r.Kind+" "+r.Text)
		}
	}
	return strings.Join(list, ", ")
}

// WithAttendance connects a stand-in for the system that keeps attendance.
func (p *Point) WithAttendance() *standin.Server {
	p.T.Helper()
	s := standin.New("secret")
	server := httptest.NewServer(s)
	p.T.Cleanup(server.Close)
	c, err := attendance.New(server.URL, "secret")
	if err != nil {
		p.T.Fatal(err)
	}
	p.App = app.New(p.DB.Open(p.T), app.Options{Now: p.Clock, Log: testdb.Quiet, Hashes: testdb.Hashes, Attendance: c})
	return s
}

// Stays writes what the first student is or was enrolled in: section, dates, and how many marks.
func (p *Point) Stays() string {
	p.T.Helper()
	at, _ := p.Of(1)
	e, err := p.Seats.Enrolled(p.T.Context(), p.Who("ms.torvund"), at)
	if err != nil {
		p.T.Fatal(err)
	}
	var list []string
	for _, x := range e.Stays {
		list = append(list, fmt.Sprintf("%s %s %s %d", x.Row.Section, x.Begin, x.End, len(x.Marks)))
	}
	return strings.Join(list, ", ")
}

// Record writes Mara's records of a course: "85 earned 1 entered".
func (h *House) Record(course string) string {
	h.T.Helper()
	f, err := h.People.File(h.T.Context(), h.Who("ms.arden"), Mara)
	if err != nil {
		h.T.Fatal(err)
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

// HandsIn has a student hand in these requests and alternates.
func (h *House) HandsIn(student string, requests, alternates []string) {
	h.T.Helper()
	var entries []string
	for kind, list := range [][]string{requests, alternates} {
		for k, code := range list {
			entries = append(entries, fmt.Sprintf(`{"c":%q,"a":%v,"r":%d,"s":""}`, code, kind == 1, k+1))
		}
	}
	testdb.Value[int](h.T, h.DB,
		fmt.Sprintf(`WITH sub AS (INSERT INTO submission (school_id,
			year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement)
			SELECT 'pellworth', 2027, '%[1]s', coalesce(max(number), 0) + 1,
			'R-%[1]s-' || coalesce(max(number), 0) + 1, now(), '%[1]s', 'Test', 1, 1, '[%[2]s]', '{}'
			FROM submission WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s' RETURNING number),
		sheet AS (UPDATE sheet SET submission = sub.number, state = 'submitted', version = version + 1 FROM sub
		WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s')
		SELECT number FROM sub`, student, strings.Join(entries, ",")))
}

// Kiln is a school in which two students ask for Ceramics I, which has one seat; Printmaking comes in.
func (h *House) Kiln() {
	h.T.Helper()
	h.Classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,1,Ms A",
		"pri1-1,active,Printmaking,c-pri1,scheduled,pellworth,sy27-1,8,,5,Ms B",
		"pho1-1,active,Photography,c-pho1,scheduled,pellworth,sy27-1,7,,5,Ms C"})
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"CER1"}, []string{"PRI1"})
	}
}

// seats sets the seats of a section.
func (h *House) SeatsIn(section string, n int) {
	h.T.Helper()
	m, err := h.Schedule.MasterSchedule(h.T.Context(), h.Who("office"), Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := h.Schedule.PutSection(h.T.Context(), h.Who("office"), Mara.School, Mara.Year, &x); err != nil {
		h.T.Fatal(err)
	}
}

// Has lists what a run gives a student, and what not.
func (h *House) Has(run int, student string) string {
	h.T.Helper()
	p, err := h.Schedule.PlacedIn(h.T.Context(), h.Who("office"), Mara.School, Mara.Year, run, student)
	if err != nil {
		h.T.Fatal(err)
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

// Telling returns the use cases as a server runs them that tells other systems.
func (h *House) Telling(key string) *app.App {
	takes := func(address string) bool { return strings.HasPrefix(address, "https://") }
	return app.New(h.DB.Open(h.T), app.Options{Now: h.Clock, Log: testdb.Quiet, Hashes: testdb.Hashes,
		Hooks: messages.Hooks{Key: []byte(key), Takes: takes}})
}

// Hook lets a system be told, and gives the secret.
func (h *House) Hook(name string, kinds ...string) string {
	h.T.Helper()
	secret, err := h.Messages.MakeHook(h.T.Context(), h.Who("office"), Mara.School, Mara.Year, name, "https://"+name+".example/in", kinds)
	if err != nil {
		h.T.Fatal(err)
	}
	return secret
}

// Taken are the messages that are due, as texts.
func (h *House) Taken() (texts []string, list []messages.Message) {
	h.T.Helper()
	list, _, err := h.Messages.TakeMessages(h.T.Context(), 50)
	if err != nil {
		h.T.Fatal(err)
	}
	for _, m := range list {
		var said map[string]any
		if err := json.Unmarshal(m.Body, &said); err != nil {
			h.T.Fatal(err)
		}
		delete(said, "id")
		body, _ := json.Marshal(said)
		texts = append(texts, strings.TrimPrefix(m.URL, "https://")+" "+string(body))
	}
	return texts, list
}

// Hooks lists the systems that are told.
func (h *House) Hooks() []messages.Hook {
	h.T.Helper()
	list, err := h.Messages.Hooks(h.T.Context(), h.Who("office"), Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	return list
}

// Written are a bundle's files as they are written, by name.
func Written(t *testing.T, list []bundle.File) map[string]string {
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

// Read reads a bundle that must be good.
func Read(t *testing.T, files map[string]string) *bundle.Bundle {
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

// Export returns the files of the school, by name.
func (h *House) Export() map[string]string {
	h.T.Helper()
	list, left, err := h.Imports.Export(h.T.Context(), Mara.School, 0)
	if err != nil || len(left) > 0 {
		h.T.Fatal(left, err)
	}
	return Written(h.T, list)
}

// FirstDifference returns the first line in which two texts differ.
func FirstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range x {
		if i >= len(y) || x[i] != y[i] {
			return fmt.Sprintf("line %d: %q, then %q", i+1, x[i], append(y, "")[min(i, len(y))])
		}
	}
	return "lines were added"
}

// Same fails the test if two exports differ.
func Same(t *testing.T, what string, before, after map[string]string) {
	t.Helper()
	for name := range before {
		if before[name] != after[name] {
			t.Errorf("%s: %s changed: %s", what, name, FirstDifference(before[name], after[name]))
		}
	}
	if len(before) != len(after) {
		t.Errorf("%s: %d files, then %d", what, len(before), len(after))
	}
}

// UnusedBy is a course that a student has not got.
func UnusedBy(t *testing.T, h *House, student string) string {
	t.Helper()
	d := h.Must(h.Sheet.Sheet(t.Context(), h.Who("office"), schoolyear.Place{School: Mara.School, Year: Mara.Year, Student: student}))
	for _, code := range d.Year.Codes {
		if !strings.Contains(" "+Requests(d)+" "+Alternates(d)+" ", " "+code+" ") {
			return code
		}
	}
	t.Fatal("no course is unused")
	return ""
}

// Without reads the school's data as it is without some files, which are taken from what is there.
func (h *House) Without(names ...string) *bundle.Bundle {
	h.T.Helper()
	files, _, err := h.Imports.Export(h.T.Context(), Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	files = slices.DeleteFunc(files, func(f bundle.File) bool { return slices.Contains(names, f.Name) })
	b, err := bundle.ReadFiles(files, bundle.Fill(h.Imports.Existing(h.T.Context())))
	if err != nil || len(b.Problems) > 0 {
		h.T.Fatal(err, b.Problems)
	}
	return b
}

// Hears waits for what a watch hears next.
func Hears(t *testing.T, w *messages.Watch) messages.Heard {
	t.Helper()
	select {
	case heard := <-w.C:
		return heard
	case <-time.After(30 * time.Second):
		t.Fatal("nothing is heard")
		return messages.Heard{}
	}
}

// schedule gives the school a master schedule: a section of each course that Mara asks for but one, so that
// Ceramics I clashes with Health.
func (h *House) Scheduled() {
	h.T.Helper()
	rows := []string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher"}
	for i, c := range []struct{ code, terms, periods string }{{"eng10", "sy27", "1"}, {"alg2", "sy27", "2"},
		{"wld2", "sy27", "3"}, {"phy1", "sy27", "4"}, {"nor2", "sy27", "5"}, {"tid1", "sy27", "6"},
		{"hlt1", "sy27-1", "7"}, {"row1", "sy27-2", "7"}, {"cer1", "sy27-1", "7"}, {"pri1", "sy27-1", "8"}, {"pho1", "sy27-2", "8"}} {
		rows = append(rows, strings.Join([]string{c.code + "-1", "active", "Section " + c.code, "c-" + c.code, "scheduled",
			"pellworth", c.terms, c.periods, "", "30", "Ms Teacher " + string(rune('A'+i))}, ","))
	}
	h.Classes(rows)
}

// Classes brings the demo school again with a master schedule, and with other files where they are changed.
func (h *House) Classes(rows []string, change ...func([]bundle.File)) {
	h.T.Helper()
	files := testdb.Files()
	Takes("submitted")(files)
	for _, other := range change {
		other(files)
	}
	f := bundle.File{Name: "classes.csv", Header: strings.Split(rows[0], ",")}
	for _, row := range rows[1:] {
		f.Rows = append(f.Rows, strings.Split(row, ","))
	}
	b, err := bundle.ReadFiles(append(files, f))
	if err != nil {
		h.T.Fatal(err)
	}
	if len(b.Problems) > 0 {
		h.T.Fatal(b.Problems)
	}
	h.Bring(b)
}

// Takes lets the school place requests that have come so far.
func Takes(what string) func([]bundle.File) {
	return func(files []bundle.File) {
		for i := range files {
			if f := &files[i]; f.Name == "policy.json" {
				f.Text = regexp.MustCompile(`"placement": \{[^}]*\}`).ReplaceAll(f.Text, []byte(`"placement": {"seniority": true, "take": "`+what+`"}`))
			}
		}
	}
}

// Placed starts a run, runs it, and gives it.
func (h *House) Placed(ctx context.Context) *schedule.Run {
	h.T.Helper()
	office := h.Who("office")
	r, err := h.Schedule.StartRun(ctx, office, Mara.School, Mara.Year, 7, 20)
	if err != nil {
		h.T.Fatal(err)
	}
	if err := h.Background.RunTask(ctx, Mara.School, r.Task); err != nil {
		h.T.Fatal(err)
	}
	list, err := h.Schedule.Runs(ctx, office, Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	return list[0]
}

// Plan writes Mara's plan and what is found of it.
func (h *House) Plan() (version int64, text string) {
	h.T.Helper()
	p, err := h.Sheet.Path(h.T.Context(), h.Who("mara.quill"), Mara)
	if err != nil {
		h.T.Fatal(err)
	}
	return p.Version, PlanText(p)
}

// Letters are the mails that are on their way, by kind: to whom, and with what; they are taken away.
func (h *House) Letters() string {
	h.T.Helper()
	text := testdb.Value[string](h.T, h.DB,
		`SELECT coalesce(string_agg(kind || ' ' || person_id || ' ' || (detail - 'receipt')::text, '; '
			ORDER BY kind, person_id), '') FROM letter`)
	h.DB.Exec(h.T, `DELETE FROM letter`)
	return text
}

// Mara is the student shown first.
var Mara = schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}

// House is a database of a test's own with the use cases on it, and a clock.
type House struct {
	*app.App
	T   *testing.T
	DB  testdb.Database
	Now time.Time
	Mu  sync.Mutex
	ids map[string]int64
}

// NewHouse returns a house on a database of its own.
func NewHouse(t *testing.T) *House {
	t.Helper()
	testdb.Parallel(t)
	return HouseOn(t, testdb.New(t))
}

// HouseOn returns a house on a database.
func HouseOn(t *testing.T, db testdb.Database) *House {
	t.Helper()
	h := &House{T: t, DB: db, Now: testdb.Now, ids: map[string]int64{}}
	h.App = h.Second()
	return h
}

// Second is another server process on the same database.
func (h *House) Second() *app.App {
	return app.New(h.DB.Open(h.T), app.Options{Now: h.Clock, Log: testdb.Quiet, Hashes: testdb.Hashes})
}

// Clock returns the time of the test.
func (h *House) Clock() time.Time {
	h.Mu.Lock()
	defer h.Mu.Unlock()
	return h.Now
}

// At sets the clock.
func (h *House) At(now time.Time) {
	h.Mu.Lock()
	defer h.Mu.Unlock()
	h.Now = now
}

// Who is the account of a username.
func (h *House) Who(username string) int64 {
	h.T.Helper()
	if h.ids[username] == 0 {
		h.ids[username] = h.DB.Account(h.T, username)
	}
	return h.ids[username]
}

// Look returns Mara's sheet as a user sees it.
func (h *House) Look(username string) *appsheet.Desk {
	h.T.Helper()
	d, err := h.Sheet.Sheet(h.T.Context(), h.Who(username), Mara)
	if err != nil {
		h.T.Fatal(err)
	}
	return d
}

// Edit makes a change as Mara on the latest version.
func (h *House) Edit(e appsheet.Edit) *appsheet.Desk {
	h.T.Helper()
	if e.Version == 0 {
		e.Version = h.Look("mara.quill").Row.Version
	}
	d, err := h.Sheet.Change(h.T.Context(), h.Who("mara.quill"), Mara, e)
	if err != nil {
		h.T.Fatalf("%+v: %v", e, err)
	}
	return d
}

// Refuses makes a change that must be refused, and leave everything as it is.
func (h *House) Refuses(e appsheet.Edit, want problem.Code) {
	h.T.Helper()
	before := h.Look("mara.quill")
	if e.Version == 0 {
		e.Version = before.Row.Version
	}
	_, err := h.Sheet.Change(h.T.Context(), h.Who("mara.quill"), Mara, e)
	if problem.CodeOf(err) != want {
		h.T.Errorf("%+v gives %v, want %s", e, err, want)
	}
	after := h.Look("mara.quill")
	if after.Row.Version != before.Row.Version || Requests(after) != Requests(before) || Alternates(after) != Alternates(before) {
		h.T.Errorf("%+v was refused and changed the sheet", e)
	}
}

// Requests writes the requests of a sheet.
func Requests(d *appsheet.Desk) string { return list(d, false) }

// Alternates writes the alternates of a sheet.
func Alternates(d *appsheet.Desk) string { return list(d, true) }

// list writes codes in order; a tie is written after a colon.
func list(d *appsheet.Desk, alternate bool) string {
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

// Finish mends Mara's sheet.
func (h *House) Finish() *appsheet.Desk {
	h.T.Helper()
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	return h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
}

// submit, sign, decide and clear do what their names say, on the latest version.
func (h *House) Submit() *appsheet.Desk {
	h.T.Helper()
	return h.Must(h.Sheet.Submit(h.T.Context(), h.Who("mara.quill"), Mara, 0, ""))
}

// Fees are the courses with a fee on Mara's sheet when it is finished.
var Fees = []string{"CER1", "TID1"}

// Sign signs as Mara's mother, who agrees to the fees.
func (h *House) Sign() *appsheet.Desk {
	h.T.Helper()
	return h.Must(h.Sheet.Sign(h.T.Context(), h.Who("ilse.quill"), Mara, 0, Fees, ""))
}

// Waive waives the condition of Physics as the counselor.
func (h *House) Waive() *appsheet.Desk {
	h.T.Helper()
	return h.Must(h.Sheet.Decide(h.T.Context(), h.Who("ms.arden"), Mara,
		appsheet.Decision{Answer: "waive", Claim: h.Claim(), Course: "PHY1", Reason: "Report, seen."}))
}

// Claim returns the id of Mara's open claim.
func (h *House) Claim() int64 {
	h.T.Helper()
	claims := h.Look("ms.arden").Known.Claims
	if len(claims) != 1 {
		h.T.Fatalf("%d open claims", len(claims))
	}
	return claims[0].ID
}

// Clear approves Mara's sheet as the counselor.
func (h *House) Clear() *appsheet.Desk {
	h.T.Helper()
	return h.Must(h.Sheet.Clear(h.T.Context(), h.Who("ms.arden"), Mara, 0, ""))
}

// Must returns a sheet, and fails the test on an error.
func (h *House) Must(d *appsheet.Desk, err error) *appsheet.Desk {
	h.T.Helper()
	if err != nil {
		h.T.Fatal(err)
	}
	return d
}

// Code reports what an act gave: the state it led to, or the code of what was wrong.
func Code(d *appsheet.Desk, err error) string {
	if err != nil {
		if c := problem.CodeOf(err); c != "" {
			return string(c)
		}
		return err.Error()
	}
	return d.Row.State
}

// History writes what happened to Mara's sheet.
func (h *House) History() string {
	h.T.Helper()
	events, err := h.Sheet.History(h.T.Context(), h.Who("ms.arden"), Mara, 0)
	if err != nil {
		h.T.Fatal(err)
	}
	var kinds []string
	for _, e := range slices.Backward(events) {
		kinds = append(kinds, e.Kind)
	}
	return strings.Join(kinds, " ")
}

// BundleWith is the demo school as the template has it, with texts replaced in its files.
func BundleWith(t *testing.T, changes ...string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for _, f := range testdb.Files() {
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

// Settings imports the demo school with settings.
func (h *House) Settings(settings string) {
	h.T.Helper()
	if _, err := h.Imports.Import(h.T.Context(),
		BundleWith(h.T, "policy.json", `"settings": {`, strings.TrimSuffix(`"settings": `+settings, "}")+","), 0); err != nil {
		h.T.Fatal(err)
	}
}

// WithoutCourse is the demo school without one course, wherever that stands.
func WithoutCourse(t *testing.T, code string) *bundle.Bundle {
	t.Helper()
	files := testdb.Files()
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

// Window sets when families can edit until.
func (h *House) Window(families time.Time) {
	h.T.Helper()
	if err := h.Catalog.SetWindow(h.T.Context(), Mara.School, Mara.Year,
		appcatalog.Window{Grade: -1, Opens: testdb.Now.AddDate(0, 0, -7), Families: families,
			Counselors: families.AddDate(0, 1, 0)}); err != nil {
		h.T.Fatal(err)
	}
}

// Bring imports a bundle.
func (h *House) Bring(b *bundle.Bundle) *imports.ImportResult {
	h.T.Helper()
	result, err := h.Imports.Import(h.T.Context(), b, 0)
	var much *imports.MuchGoes
	if errors.As(err, &much) {
		result, err = h.Imports.Import(h.T.Context(), b, much.Tally.Sum().Removed)
	}
	if err != nil {
		h.T.Fatal(err)
	}
	return result
}

// Again takes the school's data in again, as they have become.
func (p *Point) Again(change func(f *bundle.File)) error {
	p.T.Helper()
	files, _ := demo.Skerry(7, PointStudents)
	for i := range files {
		change(&files[i])
	}
	files = append(files, bundle.File{Name: "enrollments.csv"})
	if change(&files[len(files)-1]); files[len(files)-1].Header == nil {
		files = files[:len(files)-1]
	}
	b, err := bundle.ReadFiles(files, bundle.WithEnrollments)
	if err != nil || len(b.Problems) > 0 {
		p.T.Fatal(err, b.Problems)
	}
	_, err = p.Imports.Import(p.T.Context(), b, 0)
	return err
}

// Holds exports the school and checks it as a bundle: what is wrong with its dates, how many are in each
// section on each day, and whether each student's week is what is shown of it.
func (p *Point) Holds(marks *standin.Server, who []int) {
	p.T.Helper()
	files, _, err := p.Imports.Export(p.T.Context(), demo.SkerryID, testdb.Year)
	if err != nil {
		p.T.Fatal(err)
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
		p.T.Fatal(err, b.Problems)
	}
	for _, x := range b.DatedProblems() {
		p.T.Errorf("%+v", x)
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
				p.T.Errorf("on %q %d are in %s, which has %d seats", day, n, b.Sections[i].ID, b.Sections[i].Seats)
			}
		}
	}
	for _, n := range who {
		w := p.Week(n)
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
			p.T.Errorf("student %d: %v %v; shown is %v", n, choice.Open, err, w.Found.Open)
		}
	}
}

// Point is Skerry Point School, small, whose seats are chosen now.
type Point struct {
	*House
	Planted map[string][]string // a whole week by student
}

// PointStudents is how many students Skerry Point has in tests.
const PointStudents = 150

// NewPoint returns Skerry Point on a database of its own.
func NewPoint(t *testing.T) *Point {
	t.Helper()
	h := NewHouse(t)
	files, planted := demo.Skerry(7, PointStudents)
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := h.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	p := &Point{h, planted}
	p.Opens(testdb.Now.Add(-time.Hour))
	return p
}

// Opens lets seats be chosen by everybody from a time on, for two days, and by counselors two days more.
func (p *Point) Opens(from time.Time) {
	p.T.Helper()
	w := appcatalog.Window{Round: appcatalog.OfSeats, Grade: -1, Opens: from, Families: from.AddDate(0, 0, 2),
		Counselors: from.AddDate(0, 0, 4)}
	if err := p.Catalog.SetWindow(p.T.Context(), demo.SkerryID, testdb.Year, w); err != nil {
		p.T.Fatal(err)
	}
}

// Of is the n-th student, from 1, and their account.
func (p *Point) Of(n int) (schoolyear.Place, int64) {
	id := fmt.Sprintf("sk%03d", n)
	return schoolyear.Place{School: demo.SkerryID, Year: testdb.Year, Student: id},
		p.Who(testdb.Value[string](p.T, p.DB, `SELECT username FROM person WHERE school_id = $1 AND id = $2`, demo.SkerryID, id))
}

// Week returns the sections of the nth student.
func (p *Point) Week(n int) *seats.Week {
	p.T.Helper()
	at, who := p.Of(n)
	w, err := p.Seats.Seats(p.T.Context(), who, at)
	if err != nil {
		p.T.Fatal(err)
	}
	return w
}

// Takes has the n-th student take seats, or give them back where they begin with a minus; the answer is the
// code of the refusal with what it is about, or "".
func (p *Point) Takes(n int, sections ...string) string {
	p.T.Helper()
	c := seats.SeatsChange{}
	for _, id := range sections {
		if rest, ok := strings.CutPrefix(id, "-"); ok {
			c.Give = append(c.Give, rest)
		} else {
			c.Take = append(c.Take, id)
		}
	}
	at, who := p.Of(n)
	_, err := p.Seats.TakeSeats(p.T.Context(), who, at, c)
	return p.Said(err)
}

// Said writes an error as its code and what belongs to it.
func (p *Point) Said(err error) string {
	p.T.Helper()
	if err == nil {
		return ""
	}
	var known *problem.Error
	if !errors.As(err, &known) {
		p.T.Fatal(err)
	}
	return strings.TrimSpace(string(known.Code) + " " + known.Param)
}

// has lists the sections that the n-th student has a seat in.
func (p *Point) Own(n int) string {
	p.T.Helper()
	w := p.Week(n)
	var ids []string
	for _, x := range w.Own {
		ids = append(ids, w.Sections[x.Section].ID)
	}
	return strings.Join(ids, " ")
}

// SeatsOf sets how many seats a section has.
func (p *Point) SeatsOf(section string, n int) {
	p.T.Helper()
	office := p.Who("office.skerry")
	m, err := p.Schedule.MasterSchedule(p.T.Context(), office, demo.SkerryID, testdb.Year)
	if err != nil {
		p.T.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := p.Schedule.PutSection(p.T.Context(), office, demo.SkerryID, testdb.Year, &x); err != nil {
		p.T.Fatal(err)
	}
}

// Line returns one section of a week.
func Line(w *seats.Week, id string) seats.SeatLine {
	return w.Lines[slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == id })]
}

// Crowd lets many sections of another school be waited for, with a free seat that no one who waits can take.
func (p *Point) Crowd(schoolID string, sections int, waiting string) {
	p.T.Helper()
	for _, text := range []string{
		`INSERT INTO school VALUES ($1, 'Crowded')`,
		`INSERT INTO school_year (school_id, year, catalog_version, policy_version)
			SELECT $1, year, catalog_version, policy_version FROM school_year WHERE school_id = '` +
			demo.SkerryID + `'`,
		`INSERT INTO catalog SELECT $1, year, version, files, at FROM catalog WHERE school_id = '` + demo.SkerryID + `'`,
		`INSERT INTO policy SELECT $1, year, version, text, at FROM policy WHERE school_id = '` + demo.SkerryID + `'`,
		`INSERT INTO person (school_id, id, ord, role, enabled, username, given_name, family_name, cells)
			VALUES ($1, 'x1', 1, 'student', true, $1 || '.x1', 'A', 'B', '{}')`,
		`INSERT INTO sheet (school_id, year, student_id, grade) SELECT $1, year, 'x1', 10 FROM school_year WHERE school_id = $1`,
	} {
		p.DB.Exec(p.T, text, schoolID)
	}
	p.DB.Exec(p.T, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells)
		SELECT $1, y.year, 'z' || n, n, s.course_code, 10, s.cells || jsonb_build_object('sourcedId', 'z' || n)
		FROM school_year y, generate_series(1, $2::int) n,
			(SELECT * FROM section WHERE school_id = $3 ORDER BY id LIMIT 1) s WHERE y.school_id = $1`, schoolID, sections, demo.SkerryID)
	p.DB.Exec(p.T, `INSERT INTO seat_wait (school_id, year, section_id, student_id, lot, at`+
		map[bool]string{true: ", offered_until"}[waiting != ""]+`)
		SELECT school_id, year, id, 'x1', 1, now() - interval '90 days'`+map[bool]string{true: ", " + waiting}[waiting != ""]+
		` FROM section WHERE school_id = $1`, schoolID)
}

// PlanText writes a plan.
func PlanText(p *appsheet.Path) string {
	var list []string
	for _, r := range p.Results {
		line := fmt.Sprint(r.Grade, " ", p.Desk.Year.Codes[r.Planned.Course])
		if r.Alternate {
			line += " in case"
		}
		if r.HasEntry {
			line += " " + r.Entry.String()
		}
		if r.Repeat {
			line += " repeats"
		}
		if r.Barred {
			line += " barred"
		}
		list = append(list, line)
	}
	return strings.Join(list, ", ")
}
