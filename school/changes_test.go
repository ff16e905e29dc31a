package school_test

import (
	"context"
	"fmt"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/school"
	"rubricon/store/storetest"
)

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

// A counselor swaps a section from a date on: the old one ends as the new one begins, attendance from that day on goes along, and what was never attended leaves no trace.
func TestChangingFromADateOn(t *testing.T) {
	p := newPoint(t)
	s := p.withAttendance()
	at, who := p.of(1)
	counselor := p.who("ms.torvund")
	mine := p.planted["sk001"]
	english := mine[0]
	w := p.week(1)
	place := func(id string) int {
		return slices.IndexFunc(w.Sections, func(x school.TableSection) bool { return x.ID == id })
	}
	// What meets all year in the period of English, of another course.
	other := ""
	for i, x := range w.Sections {
		if x.Course != w.Sections[place(english)].Course && slices.Equal(x.Periods, w.Sections[place(english)].Periods) && len(x.Terms) == 2 && len(x.Days) == 6 && w.Lines[i].May == "" && !slices.ContainsFunc(mine, func(id string) bool { return w.Sections[place(id)].Course == x.Course }) {
			other = x.ID
		}
	}
	if got := p.takes(1, mine...); got != "" || other == "" {
		t.Fatal(got, other)
	}
	for _, x := range []string{"2027-10-12 present", "2027-10-13 present", "2027-10-14 absent", "2027-10-15 absent"} {
		day, mark, _ := strings.Cut(x, " ")
		s.Put(at.School, attendance.Mark{Student: at.Student, Section: english, Date: day, Mark: mark})
	}
	try := func(c school.DatedChange) string {
		e, err := p.TryChange(t.Context(), counselor, at, c)
		if err != nil {
			return p.said(err)
		}
		return fmt.Sprintf("%s %d %d", e.Why.Why, len(e.Never), len(e.Marks))
	}
	swap := school.DatedChange{Drop: []string{english}, Add: []string{other}, On: "2027-10-14"}
	for _, x := range []struct{ on, want string }{{"2027-10-14", " 0 2"}, {"2027-10-16", "no-school-day 0 0"}, {"2027-10-11", "no-school-day 0 0"}, {"2027-08-30", " 1 4"}, {"2029-01-01", "outside-terms 0 0"}} {
		c := swap
		c.On = x.on
		if got := try(c); got != x.want {
			t.Errorf("on %s: %q, want %q", x.on, got, x.want)
		}
	}
	if got := try(school.DatedChange{Add: []string{other}, On: "2027-10-14"}); got != "same-time 0 0" {
		t.Errorf("without leaving what meets then: %s", got)
	}
	change := func(account int64, c school.DatedChange) string {
		_, err := p.ChangeOn(t.Context(), account, at, c)
		return strings.TrimSuffix(p.said(err), " ")
	}
	if got := change(who, swap) + ", " + change(counselor, swap); got != "forbidden, needs-reason" {
		t.Errorf("as the student; without a reason: %s", got)
	}
	swap.Reason = "The bus."
	if got := change(counselor, swap); got != "needs-settling" {
		t.Errorf("with marks that hang: %s", got)
	}
	before := p.stays()
	swap.Settle, swap.As = "move", "present"
	s.Away(true)
	if got := change(counselor, swap); got != "attendance-away" || storetest.Value[int](t, p.db, `SELECT count(*) FROM enrollment WHERE ends IS NOT NULL`) != 0 {
		t.Errorf("while attendance is away: %s", got)
	}
	s.Away(false)
	seats := w.Sections[place(other)].Seats
	p.seatsOf(other, 0+1)
	if got := p.takes(4, other); got != "" {
		t.Fatal(got)
	}
	if got := change(counselor, swap); got != "seat-gone "+other || p.stays() != before || len(s.Marks(at.School, at.Student)) != 4 {
		t.Errorf("without a seat: %s, %s", got, p.stays())
	}
	p.seatsOf(other, seats)
	if got := change(counselor, swap); got != "" {
		t.Fatal(got)
	}
	after := p.stays()
	if !strings.HasPrefix(after, english+" 2027-08-30 2027-10-14 2, ") || !strings.HasSuffix(after, ", "+other+" 2027-10-14 2028-06-17 2") {
		t.Errorf("afterwards: %s", after)
	}
	var marks []string
	for _, m := range s.Marks(at.School, at.Student) {
		marks = append(marks, m.Section+" "+m.Date[8:]+" "+m.Mark)
	}
	if got := strings.Join(marks, ", "); got != english+" 12 present, "+english+" 13 present, "+other+" 14 present, "+other+" 15 present" {
		t.Errorf("attendance: %s", got)
	}
	// The seat that is left is free from that day on, and not before.
	p.seatsOf(english, 1)
	fourth, _ := p.of(4)
	for _, x := range []struct{ on, want string }{{"2027-10-13", "seat-gone " + english}, {"2027-10-14", ""}} {
		_, err := p.ChangeOn(t.Context(), counselor, fourth, school.DatedChange{Drop: []string{other}, Add: []string{english}, On: x.on, Reason: "Comes in."})
		if got := p.said(err); got != x.want {
			t.Errorf("another student comes in on %s: %q, want %q", x.on, got, x.want)
		}
	}
	// Left again from the day it began, it leaves no trace, and its marks are taken back.
	if got := change(counselor, school.DatedChange{Drop: []string{other}, On: "2027-10-14", Settle: "delete", Reason: "A slip."}); got != "" {
		t.Fatal(got)
	}
	if after := p.stays(); strings.Contains(after, other) || len(s.Marks(at.School, at.Student)) != 2 {
		t.Errorf("without a trace: %s, %v", after, s.Marks(at.School, at.Student))
	}
	// Nothing follows what has ended on a later day without a gap.
	if got := try(school.DatedChange{Add: []string{english}, On: "2027-10-18"}); got != "gap 0 0" {
		t.Errorf("a gap: %s", got)
	}
	kinds := storetest.Value[string](t, p.db, `SELECT string_agg(kind || ' ' || coalesce(on_date::text, '') || ' ' || reason, ', ' ORDER BY id) FROM seat_act WHERE student_id = 'sk001' AND kind = 'change'`)
	if kinds != "change 2027-10-14 The bus., change 2027-10-14 A slip." {
		t.Errorf("noted: %s", kinds)
	}
	if e, err := p.Enrolled(t.Context(), who, at); err != nil || len(e.Stays) != len(mine) || slices.ContainsFunc(e.Stays, func(x school.Stay) bool { return len(x.Marks) > 0 }) {
		t.Errorf("as the student: %v", err)
	}
}

// forgetful makes a change in the other system, and then hangs up.
type forgetful struct {
	school.Attendance
	once bool
}

func (f *forgetful) Change(ctx context.Context, at string, c *attendance.Change) error {
	err := f.Attendance.Change(ctx, at, c)
	if !f.once {
		f.once = true
		return attendance.ErrAway
	}
	return err
}

// Where the other system's answer is lost nothing is changed here, and what it may have moved is moved back.
func TestTheAnswerOfAttendanceIsLost(t *testing.T) {
	p := newPoint(t)
	s := standin.New("secret")
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	client, err := attendance.New(server.URL, "secret")
	if err != nil {
		t.Fatal(err)
	}
	p.Service = school.New(p.db.Open(t), school.Options{Now: p.clock, Log: storetest.Quiet, Hashes: storetest.Hashes, Attendance: &forgetful{Attendance: client}})
	section := p.planted["sk001"][0]
	if got := p.takes(1, section); got != "" {
		t.Fatal(got)
	}
	at, _ := p.of(1)
	s.Put(at.School, attendance.Mark{Student: at.Student, Section: section, Date: "2027-10-14", Mark: "late"})
	before := p.stays()
	drop := func() string {
		_, err := p.ChangeOn(t.Context(), p.who("ms.torvund"), at, school.DatedChange{Drop: []string{section}, On: "2027-10-14", Settle: "delete", Reason: "x"})
		return p.said(err)
	}
	if got := drop(); got != "attendance-away" || p.stays() != before {
		t.Errorf("%s; %s, before %s", got, p.stays(), before)
	}
	if got := drop(); got != "" || len(s.Marks(at.School, at.Student)) != 0 {
		t.Errorf("again: %s, %v", got, s.Marks(at.School, at.Student))
	}
}

// What is published is what students are enrolled in; taken back, or placed otherwise, they are not, but for whom somebody has changed something meanwhile.
func TestPublishedWeeksAreEnrollments(t *testing.T) {
	h := newHouse(t)
	h.kiln()
	ctx, office := t.Context(), h.who("office")
	r := h.placed(ctx)
	publish := func() {
		t.Helper()
		if n, err := h.Publish(ctx, office, mara.School, mara.Year, r.ID, -1); err != nil || n != 2 {
			t.Fatal(n, err)
		}
	}
	enrolled := func() string {
		return storetest.Value[string](t, h.db, `SELECT coalesce(string_agg(student_id || ' ' || section_id || coalesce(' until ' || ends, ''), ', ' ORDER BY student_id, id), '') FROM enrollment`)
	}
	// A seat that somebody else has chosen meanwhile is not given twice, neither by this run nor by the next.
	h.db.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, 's0005', 'cer1-1', now(), 'x')`)
	if _, err := h.Publish(ctx, office, mara.School, mara.Year, r.ID, -1); school.CodeOf(err) != school.RunBehind || enrolled() != "s0005 cer1-1" {
		t.Errorf("with the seat taken: %v, %s", err, enrolled())
	}
	later := h.placed(ctx)
	if a, b := h.has(later.ID, "s0003"), h.has(later.ID, "s0004"); a != "pri1-1, not CER1: full" || b != a {
		t.Errorf("placed beside the seat that is taken: %s; %s", a, b)
	}
	h.db.Exec(t, `DELETE FROM enrollment`)
	first, second := "s0003", "s0004"
	if h.has(r.ID, first) != "cer1-1" {
		first, second = second, first
	}
	// Nor where one of those who were placed otherwise has chosen it.
	h.db.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, '`+second+`', 'cer1-1', now(), 'x')`)
	if _, err := h.Publish(ctx, office, mara.School, mara.Year, r.ID, -1); school.CodeOf(err) != school.RunBehind || enrolled() != second+" cer1-1" {
		t.Errorf("with the seat taken by one who was placed: %v, %s", err, enrolled())
	}
	h.db.Exec(t, `DELETE FROM enrollment`)
	want := []string{first + " cer1-1", second + " pri1-1"}
	slices.Sort(want)
	publish()
	publish() // again: the same
	if got := enrolled(); got != strings.Join(want, ", ") {
		t.Errorf("published: %s", got)
	}
	back := func() {
		t.Helper()
		list, err := h.Publications(ctx, office, mara.School, mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range list {
			if x.BackAt == nil {
				if _, err := h.Unpublish(ctx, office, mara.School, mara.Year, x.ID, "x"); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	back()
	if got := enrolled(); got != "" {
		t.Errorf("taken back: %s", got)
	}
	publish()
	at := school.Place{School: mara.School, Year: mara.Year, Student: first}
	e, err := h.Enrolled(ctx, office, at)
	if err != nil || len(e.Stays) != 1 {
		t.Fatal(err, e)
	}
	on := e.Days[slices.IndexFunc(e.Days, func(d string) bool { return d > e.Stays[0].Begin })]
	if _, err := h.ChangeOn(ctx, office, at, school.DatedChange{Drop: []string{"cer1-1"}, On: on, Reason: "Moves away."}); err != nil {
		t.Fatal(err)
	}
	remove := func(id string) string {
		m, err := h.MasterSchedule(ctx, office, mara.School, mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		x := m.Sections[slices.IndexFunc(m.Sections, func(x school.Section) bool { return x.ID == id })]
		return string(school.CodeOf(h.RemoveSection(ctx, office, mara.School, mara.Year, id, x.Rev)))
	}
	back()
	if got := enrolled(); got != first+" cer1-1 until "+on {
		t.Errorf("taken back after a change: %s", got)
	}
	publish()
	if a, b := remove("cer1-1"), remove("pri1-1"); a != "section-taken" || b != "" {
		t.Errorf("taken away: one that somebody has left %q, one that is only published %q", a, b)
	}
	if got := enrolled(); got != first+" cer1-1 until "+on {
		t.Errorf("in the end: %s", got)
	}
}
