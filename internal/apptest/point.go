package apptest

import (
	"errors"
	"fmt"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/bundle"
	"rubricon/core/sheet"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

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
