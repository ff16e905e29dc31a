package seats_test

import (
	"context"
	"fmt"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A counselor swaps a section from a date on: the old one ends as the new one begins, attendance from that day on goes along, and what was never attended leaves no trace.
func TestChangingFromADateOn(t *testing.T) {
	p := apptest.NewPoint(t)
	s := p.WithAttendance()
	at, who := p.Of(1)
	counselor := p.Who("ms.torvund")
	mine := p.Planted["sk001"]
	english := mine[0]
	w := p.Week(1)
	place := func(id string) int {
		return slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == id })
	}
	// What meets all year in the period of English, of another course.
	other := ""
	for i, x := range w.Sections {
		if x.Course != w.Sections[place(english)].Course && slices.Equal(x.Periods, w.Sections[place(english)].Periods) && len(x.Terms) == 2 && len(x.Days) == 6 && w.Lines[i].May == "" && !slices.ContainsFunc(mine, func(id string) bool { return w.Sections[place(id)].Course == x.Course }) {
			other = x.ID
		}
	}
	if got := p.Takes(1, mine...); got != "" || other == "" {
		t.Fatal(got, other)
	}
	for _, x := range []string{"2027-10-12 present", "2027-10-13 present", "2027-10-14 absent", "2027-10-15 absent"} {
		day, mark, _ := strings.Cut(x, " ")
		s.Put(at.School, attendance.Mark{Student: at.Student, Section: english, Date: day, Mark: mark})
	}
	try := func(c seats.DatedChange) string {
		e, err := p.Seats.TryChange(t.Context(), counselor, at, c)
		if err != nil {
			return p.Said(err)
		}
		return fmt.Sprintf("%s %d %d", e.Why.Why, len(e.Never), len(e.Marks))
	}
	swap := seats.DatedChange{Drop: []string{english}, Add: []string{other}, On: "2027-10-14"}
	for _, x := range []struct{ on, want string }{{"2027-10-14", " 0 2"}, {"2027-10-16", "no-school-day 0 0"}, {"2027-10-11", "no-school-day 0 0"}, {"2027-08-30", " 1 4"}, {"2029-01-01", "outside-terms 0 0"}} {
		c := swap
		c.On = x.on
		if got := try(c); got != x.want {
			t.Errorf("on %s: %q, want %q", x.on, got, x.want)
		}
	}
	if got := try(seats.DatedChange{Add: []string{other}, On: "2027-10-14"}); got != "same-time 0 0" {
		t.Errorf("without leaving what meets then: %s", got)
	}
	change := func(account int64, c seats.DatedChange) string {
		_, err := p.Seats.ChangeOn(t.Context(), account, at, c)
		return strings.TrimSuffix(p.Said(err), " ")
	}
	if got := change(who, swap) + ", " + change(counselor, swap); got != "forbidden, needs-reason" {
		t.Errorf("as the student; without a reason: %s", got)
	}
	swap.Reason = "The bus."
	if got := change(counselor, swap); got != "needs-settling" {
		t.Errorf("with marks that hang: %s", got)
	}
	before := p.Stays()
	swap.Settle, swap.As = "move", "present"
	s.Away(true)
	if got := change(counselor, swap); got != "attendance-away" || testdb.Value[int](t, p.DB, `SELECT count(*) FROM enrollment WHERE ends IS NOT NULL`) != 0 {
		t.Errorf("while attendance is away: %s", got)
	}
	s.Away(false)
	given := w.Sections[place(other)].Seats
	p.SeatsOf(other, 0+1)
	if got := p.Takes(4, other); got != "" {
		t.Fatal(got)
	}
	if got := change(counselor, swap); got != "seat-gone "+other || p.Stays() != before || len(s.Marks(at.School, at.Student)) != 4 {
		t.Errorf("without a seat: %s, %s", got, p.Stays())
	}
	p.SeatsOf(other, given)
	if got := change(counselor, swap); got != "" {
		t.Fatal(got)
	}
	after := p.Stays()
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
	p.SeatsOf(english, 1)
	fourth, _ := p.Of(4)
	for _, x := range []struct{ on, want string }{{"2027-10-13", "seat-gone " + english}, {"2027-10-14", ""}} {
		_, err := p.Seats.ChangeOn(t.Context(), counselor, fourth, seats.DatedChange{Drop: []string{other}, Add: []string{english}, On: x.on, Reason: "Comes in."})
		if got := p.Said(err); got != x.want {
			t.Errorf("another student comes in on %s: %q, want %q", x.on, got, x.want)
		}
	}
	// Left again from the day it began, it leaves no trace, and its marks are taken back.
	if got := change(counselor, seats.DatedChange{Drop: []string{other}, On: "2027-10-14", Settle: "delete", Reason: "A slip."}); got != "" {
		t.Fatal(got)
	}
	if after := p.Stays(); strings.Contains(after, other) || len(s.Marks(at.School, at.Student)) != 2 {
		t.Errorf("without a trace: %s, %v", after, s.Marks(at.School, at.Student))
	}
	// Nothing follows what has ended on a later day without a gap.
	if got := try(seats.DatedChange{Add: []string{english}, On: "2027-10-18"}); got != "gap 0 0" {
		t.Errorf("a gap: %s", got)
	}
	kinds := testdb.Value[string](t, p.DB, `SELECT string_agg(kind || ' ' || coalesce(on_date::text, '') || ' ' || reason, ', ' ORDER BY id) FROM seat_act WHERE student_id = 'sk001' AND kind = 'change'`)
	if kinds != "change 2027-10-14 The bus., change 2027-10-14 A slip." {
		t.Errorf("noted: %s", kinds)
	}
	if e, err := p.Seats.Enrolled(t.Context(), who, at); err != nil || len(e.Stays) != len(mine) || slices.ContainsFunc(e.Stays, func(x seats.Stay) bool { return len(x.Marks) > 0 }) {
		t.Errorf("as the student: %v", err)
	}
}

// forgetful makes a change in the other system, and then hangs up.
type forgetful struct {
	seats.Attendance
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

// kept is a school whose attendance is kept by a stand-in, with a student who has a seat in a section and a mark in it.
type kept struct {
	*apptest.Point
	marks   *standin.Server
	client  *attendance.Client
	place   schoolyear.Place
	section string
}

func newKept(t *testing.T) *kept {
	t.Helper()
	k := &kept{Point: apptest.NewPoint(t), marks: standin.New("secret")}
	server := httptest.NewServer(k.marks)
	t.Cleanup(server.Close)
	var err error
	if k.client, err = attendance.New(server.URL, "secret"); err != nil {
		t.Fatal(err)
	}
	k.by(k.client)
	k.section = k.Planted["sk001"][0]
	if got := k.Takes(1, k.section); got != "" {
		t.Fatal(got)
	}
	k.place, _ = k.Of(1)
	k.marks.Put(k.place.School, attendance.Mark{Student: k.place.Student, Section: k.section, Date: "2027-10-14", Mark: "late"})
	return k
}

// by lets a process ask the other system through something.
func (k *kept) by(through seats.Attendance) {
	k.App = app.New(k.DB.Open(k.T), app.Options{Now: k.Clock, Log: testdb.Quiet, Hashes: testdb.Hashes, Attendance: through})
}

// drop changes from a date on.
func (k *kept) drop() (*seats.Enrolled, string) {
	k.T.Helper()
	e, err := k.Seats.ChangeOn(k.T.Context(), k.Who("ms.torvund"), k.place, seats.DatedChange{Drop: []string{k.section}, On: "2027-10-14", Settle: "delete", Reason: "x"})
	return e, k.Said(err)
}

// settle has the job go on, some time later.
func (k *kept) settle(later time.Duration) {
	k.T.Helper()
	k.At(k.Clock().Add(later))
	if err := k.Seats.SettleChanges(k.T.Context()); err != nil {
		k.T.Fatal(err)
	}
}

// enrolled lists the student's enrollments with their dates.
func (k *kept) enrolled() string {
	k.T.Helper()
	return testdb.Value[string](k.T, k.DB, `SELECT coalesce(string_agg(section_id || coalesce(' from ' || begins, '') || coalesce(' to ' || ends, ''), ', ' ORDER BY id), 'none') FROM enrollment WHERE student_id = 'sk001'`)
}

// is reports how things stand in the two systems: the enrollments, how many marks there are, and how many changes are under way.
func (k *kept) is() string {
	k.T.Helper()
	return fmt.Sprint(k.enrolled(), " · ", len(k.marks.Marks(k.place.School, k.place.Student)), " · ", testdb.Value[int](k.T, k.DB, `SELECT count(*) FROM dated_change`))
}

// Where the other system's answer is lost the change stays under way, and is made once when it answers.
func TestTheAnswerOfAttendanceIsLost(t *testing.T) {
	k := newKept(t)
	k.by(&forgetful{Attendance: k.client})
	before := k.enrolled()
	e, got := k.drop()
	if got != "" || e.Going == nil || e.Going.Note.V.On != "2027-10-14" || k.enrolled() != before {
		t.Fatalf("%s; under way: %+v; %s, before %s", got, e.Going, k.enrolled(), before)
	}
	if _, got := k.drop(); got != "change-under-way" {
		t.Errorf("another one meanwhile: %s", got)
	}
	if got := k.Takes(1, "-"+k.section); got != "change-under-way" {
		t.Errorf("giving a seat back meanwhile: %s", got)
	}
	k.settle(time.Minute)
	if got, want := k.is(), k.section+" to 2027-10-14 · 0 · 0"; got != want {
		t.Errorf("when it answers: %s, want %s", got, want)
	}
}

// crash ends anyone who asks, as the end of a process does: before the other system has made the change, or after.
type crash struct {
	seats.Attendance
	after bool
}

func (c *crash) Change(ctx context.Context, at string, change *attendance.Change) error {
	if c.after {
		_ = c.Attendance.Change(ctx, at, change)
	}
	panic("the process ends")
}

// A change whose process ends between any two steps is made once, by another process, with its seat kept in the meantime.
func TestTheProcessEndsInAChange(t *testing.T) {
	for _, after := range []bool{false, true} {
		t.Run(fmt.Sprint("after the answer ", after), func(t *testing.T) {
			k := newKept(t)
			const to = "twin" // it meets when the other one does
			k.DB.Exec(t, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells) SELECT school_id, year, 'twin', 999, course_code, 1, cells || '{"sourcedId": "twin"}' FROM section WHERE school_id = $1 AND id = $2`, k.place.School, k.section)
			k.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1 WHERE school_id = $1`, k.place.School)
			k.by(&crash{k.client, after})
			func() {
				defer func() { _ = recover() }()
				_, err := k.Seats.ChangeOn(t.Context(), k.Who("ms.torvund"), k.place, seats.DatedChange{Drop: []string{k.section}, Add: []string{to}, On: "2027-10-14", Settle: "move", Reason: "x"})
				t.Error("the process goes on", err)
			}()
			k.by(k.client)
			if got := k.Takes(4, to); got != "seat-gone "+to {
				t.Errorf("the seat that it comes into: %q", got)
			}
			for range 2 { // by two processes, one after the other
				k.settle(time.Minute)
			}
			if got, want := k.is(), k.section+" to 2027-10-14, "+to+" from 2027-10-14 · 1 · 0"; got != want {
				t.Errorf("after %v: %s, want %s", after, got, want)
			}
			if marks := k.marks.Marks(k.place.School, k.place.Student); marks[0].Section != to {
				t.Errorf("the mark stands in %s", marks[0].Section)
			}
		})
	}
}

// A change that cannot be made here any more is taken back there.
func TestAChangeIsTakenBack(t *testing.T) {
	for name, c := range map[string]struct {
		meanwhile string
		away      time.Duration
	}{
		"other enrollments": {meanwhile: `UPDATE enrollment SET ends = '2027-12-01' WHERE student_id = 'sk001'`},
		"away for too long": {away: time.Hour},
	} {
		t.Run(name, func(t *testing.T) {
			k := newKept(t)
			k.by(&crash{k.client, true})
			func() {
				defer func() { _ = recover() }()
				k.drop()
			}()
			k.by(k.client)
			if n := len(k.marks.Marks(k.place.School, k.place.Student)); n != 0 {
				t.Fatalf("%d marks, the other system has taken it away", n)
			}
			if c.meanwhile != "" {
				k.DB.Exec(t, c.meanwhile)
			}
			if c.away > 0 {
				k.marks.Away(true)
				k.settle(c.away)
				k.settle(c.away)
				k.marks.Away(false)
			}
			before := k.enrolled()
			k.settle(2 * time.Hour)
			if got, want := k.is(), before+" · 1 · 0"; got != want {
				t.Errorf("%s, want %s", got, want)
			}
			if list, err := k.Seats.SeatHistory(t.Context(), k.Who("ms.torvund"), k.place, 0); err != nil || list[0].Kind != "changeBack" {
				t.Errorf("what is noted: %+v, %v", list[0], err)
			}
		})
	}
}

// No lock is held while the other system is asked: a student takes a seat of the very section in the meantime, and another change of the same
// student is told.
func TestNobodyWaitsForAttendance(t *testing.T) {
	k := newKept(t)
	asked, answer := make(chan bool), make(chan bool)
	k.by(&slowly{k.client, asked, answer})
	done := make(chan string)
	go func() {
		_, got := k.drop()
		done <- got
	}()
	<-asked
	if got := k.Takes(4, k.section); got != "" {
		t.Errorf("a seat of the section: %s", got)
	}
	if _, got := k.drop(); got != "change-under-way" {
		t.Errorf("another change: %s", got)
	}
	close(answer)
	if got := <-done; got != "" {
		t.Error(got)
	}
}

// slowly answers when it is let.
type slowly struct {
	seats.Attendance
	asked, answer chan bool
}

func (s *slowly) Change(ctx context.Context, at string, change *attendance.Change) error {
	s.asked <- true
	<-s.answer
	return s.Attendance.Change(ctx, at, change)
}

// What the other system refuses is not made, and said.
func TestAttendanceRefuses(t *testing.T) {
	k := newKept(t)
	k.by(&refuses{k.client})
	before := k.is()
	if _, got := k.drop(); got != "marks-changed" || k.is() != before {
		t.Errorf("%s; %s, before %s", got, k.is(), before)
	}
}

type refuses struct{ seats.Attendance }

func (r *refuses) Change(context.Context, string, *attendance.Change) error {
	return attendance.ErrRefused
}

// What is published is what students are enrolled in; taken back, or placed otherwise, they are not, except for whom someone has changed something in the meantime.
func TestPublishedWeeksAreEnrollments(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Kiln()
	ctx, office := t.Context(), h.Who("office")
	r := h.Placed(ctx)
	publish := func() {
		t.Helper()
		if n, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); err != nil || n != 2 {
			t.Fatal(n, err)
		}
	}
	enrolled := func() string {
		return testdb.Value[string](t, h.DB, `SELECT coalesce(string_agg(student_id || ' ' || section_id || coalesce(' until ' || ends, ''), ', ' ORDER BY student_id, id), '') FROM enrollment`)
	}
	// A seat that someone else has chosen in the meantime is not given twice, neither by this run nor by the next.
	h.DB.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, 's0005', 'cer1-1', now(), 'x')`)
	if _, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); problem.CodeOf(err) != problem.RunBehind || enrolled() != "s0005 cer1-1" {
		t.Errorf("with the seat taken: %v, %s", err, enrolled())
	}
	later := h.Placed(ctx)
	if a, b := h.Has(later.ID, "s0003"), h.Has(later.ID, "s0004"); a != "pri1-1, not CER1: full" || b != a {
		t.Errorf("placed beside the seat that is taken: %s; %s", a, b)
	}
	h.DB.Exec(t, `DELETE FROM enrollment`)
	first, second := "s0003", "s0004"
	if h.Has(r.ID, first) != "cer1-1" {
		first, second = second, first
	}
	// Nor where one of those who were placed otherwise has chosen it.
	h.DB.Exec(t, `INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ('pellworth', 2027, '`+second+`', 'cer1-1', now(), 'x')`)
	if _, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); problem.CodeOf(err) != problem.RunBehind || enrolled() != second+" cer1-1" {
		t.Errorf("with the seat taken by one who was placed: %v, %s", err, enrolled())
	}
	h.DB.Exec(t, `DELETE FROM enrollment`)
	want := []string{first + " cer1-1", second + " pri1-1"}
	slices.Sort(want)
	publish()
	publish() // again: the same
	if got := enrolled(); got != strings.Join(want, ", ") {
		t.Errorf("published: %s", got)
	}
	back := func() {
		t.Helper()
		list, err := h.Schedule.Publications(ctx, office, apptest.Mara.School, apptest.Mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range list {
			if x.BackAt == nil {
				if _, err := h.Schedule.Unpublish(ctx, office, apptest.Mara.School, apptest.Mara.Year, x.ID, "x"); err != nil {
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
	at := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: first}
	e, err := h.Seats.Enrolled(ctx, office, at)
	if err != nil || len(e.Stays) != 1 {
		t.Fatal(err, e)
	}
	on := e.Days[slices.IndexFunc(e.Days, func(d string) bool { return d > e.Stays[0].Begin })]
	if _, err := h.Seats.ChangeOn(ctx, office, at, seats.DatedChange{Drop: []string{"cer1-1"}, On: on, Reason: "Moves away."}); err != nil {
		t.Fatal(err)
	}
	remove := func(id string) string {
		m, err := h.Schedule.MasterSchedule(ctx, office, apptest.Mara.School, apptest.Mara.Year)
		if err != nil {
			t.Fatal(err)
		}
		x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == id })]
		return string(problem.CodeOf(h.Schedule.RemoveSection(ctx, office, apptest.Mara.School, apptest.Mara.Year, id, x.Rev)))
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
