package apptest

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/account"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// Enter signs in from a device.
func (h *House) Enter(username, password, device string) (*account.SignedIn, error) {
	return h.Account.SignIn(h.T.Context(), username, password, account.Client{Address: "here", Device: device})
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

// Plan writes Mara's plan and what is found of it.
func (h *House) Plan() (version int64, text string) {
	h.T.Helper()
	p, err := h.Sheet.Path(h.T.Context(), h.Who("mara.quill"), Mara)
	if err != nil {
		h.T.Fatal(err)
	}
	return p.Version, PlanText(p)
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

// Approve approves Mara's sheet as the counselor.
func (h *House) Approve() *appsheet.Desk {
	h.T.Helper()
	return h.Must(h.Sheet.Approve(h.T.Context(), h.Who("ms.arden"), Mara, 0, ""))
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

// Settings imports the demo school with settings.
func (h *House) Settings(settings string) {
	h.T.Helper()
	if _, err := h.Imports.Import(h.T.Context(),
		BundleWith(h.T, "policy.json", `"settings": {`, strings.TrimSuffix(`"settings": `+settings, "}")+","), 0); err != nil {
		h.T.Fatal(err)
	}
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
