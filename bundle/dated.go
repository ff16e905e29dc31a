package bundle

import (
	"cmp"
	"slices"
	"time"

	"rubricon/core/catalog"
)

// Enrollment is a student's row of enrollments.csv. Begin is inclusive, End exclusive; either may be empty.
type Enrollment struct {
	Row     *Row
	Pupil   int // its place in Pupils
	Section int // its place in Sections
	Begin   string
	End     string
}

// InForce reports whether it is in force on a date; on no date (""), whether it has no end. One that ends on or
// before its beginning never is.
func (e *Enrollment) InForce(date string) bool {
	if date == "" {
		return e.End == ""
	}
	return e.Begin <= date && (e.End == "" || date < e.End)
}

// Attended is a row of attendance.csv.
type Attended struct {
	Row     *Row
	Pupil   int
	Section int
	Date    string
	Mark    string // present, absent, late or excused
}

// named finds the student and the section that a row names by the ids in two columns; ok is false where one
// is not there, which is a bad row unless it is to be deleted or takes no part.
func (b *Bundle) named(t *Table, r *Row, student string, pupils, sections map[string]int) (pupil, section int, ok bool) {
	pupil, known := pupils[t.Cell(r, student)]
	if !known && !b.Tables["users.csv"].Deleted[t.Cell(r, student)] {
		b.bad(t, r, student, "no student has the id “%s”", t.Cell(r, student))
	}
	id := t.Cell(r, "classSourcedId")
	section, ok = sections[id]
	if !ok && !b.passed[id] && !b.Tables["classes.csv"].Deleted[id] {
		b.bad(t, r, "classSourcedId", "no section has the id “%s”", id)
	}
	return pupil, section, ok && known
}

func (b *Bundle) places() (pupils, sections map[string]int) {
	pupils, sections = map[string]int{}, map[string]int{}
	for i := range b.Pupils {
		pupils[b.Pupils[i].ID] = i
	}
	for i := range b.Sections {
		sections[b.Sections[i].ID] = i
	}
	return pupils, sections
}

// date reads a date; what is empty is no bad row.
func (b *Bundle) date(t *Table, r *Row, column string) string {
	text := t.Cell(r, column)
	if _, err := time.Parse(time.DateOnly, text); text != "" && err != nil {
		b.bad(t, r, column, "“%s” is not a date; write it like 2027-09-01", text)
		return ""
	}
	return text
}

func (b *Bundle) enrollments() {
	t := b.Tables["enrollments.csv"]
	pupils, sections := b.places()
	ids := map[string]int{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if t.Cell(r, "role") != "student" || !b.needed(t, r, "sourcedId") || !b.unique(t, r, "sourcedId", ids) {
			continue
		}
		e := Enrollment{Row: r, Begin: b.date(t, r, "beginDate"), End: b.date(t, r, "endDate")}
		var ok bool
		if e.Pupil, e.Section, ok = b.named(t, r, "userSourcedId", pupils, sections); ok {
			b.Enrollments = append(b.Enrollments, e)
		}
	}
}

func (b *Bundle) attendance() {
	t := b.Tables["attendance.csv"]
	pupils, sections := b.places()
	for i := range t.Rows {
		r := &t.Rows[i]
		b.needed(t, r, "date")
		a := Attended{Row: r, Date: b.date(t, r, "date"), Mark: oneOf(b, t, r, "mark", "", "present", "absent", "late", "excused")}
		var ok bool
		if a.Pupil, a.Section, ok = b.named(t, r, "student", pupils, sections); ok {
			b.Attendance = append(b.Attendance, a)
		}
	}
}

// stay is an enrollment with its dates filled in.
type stay struct {
	*Enrollment
	begin, end string
}

// DatedProblems lists what is wrong with the dates of enrollments and attendance, of a bundle read WithDates
// and without bad rows: an enrollment that begins or ends inside its terms on no school day; one that meets
// at the same time as an earlier row of the same student; one that begins school days after the one before
// it, with which it shares a time, has ended; attendance outside of every enrollment in the section.
func (b *Bundle) DatedProblems() (problems []Problem) {
	before := b.Problems
	b.Problems = nil
	defer func() { b.Problems = before }()
	t := b.Tables["enrollments.csv"]
	stays := make([][]stay, len(b.Pupils))
	for i := range b.Enrollments {
		e := &b.Enrollments[i]
		terms := b.Sections[e.Section].Terms
		for _, d := range []struct{ column, date string }{{"beginDate", e.Begin}, {"endDate", e.End}} {
			if d.date != "" && b.inside(terms, d.date) && !b.Year.SchoolDay(d.date) {
				b.bad(t, e.Row, d.column, "%s is no school day", d.date)
			}
		}
		first, last := b.Dates(terms)
		s := stay{e, cmp.Or(e.Begin, first), cmp.Or(e.End, catalog.NextDay(last))}
		if s.begin < s.end {
			stays[e.Pupil] = append(stays[e.Pupil], s)
		}
	}
	for _, list := range stays {
		b.overlaps(t, list)
		b.gaps(t, list)
	}
	at := b.Tables["attendance.csv"]
	for i := range b.Attendance {
		a := &b.Attendance[i]
		if !slices.ContainsFunc(stays[a.Pupil], func(s stay) bool { return s.Section == a.Section && s.begin <= a.Date && a.Date < s.end }) {
			b.bad(at, a.Row, "date", "on %s the student is not enrolled in %s", a.Date, b.Sections[a.Section].ID)
		}
	}
	slices.SortStableFunc(b.Problems, func(x, y Problem) int {
		return cmp.Or(-cmp.Compare(x.File, y.File), cmp.Compare(x.Line, y.Line)) // enrollments, then attendance
	})
	return b.Problems
}

// overlaps names the later rows of a student's enrollments that meet, on a date inside that term, when an
// earlier one does.
func (b *Bundle) overlaps(t *Table, list []stay) {
	for i, later := range list {
		for _, s := range list[:i] {
			common := b.common(s, later)
			begin, end := max(s.begin, later.begin), min(s.end, later.end)
			clash := slices.ContainsFunc(b.termsOf(common), func(d [2]string) bool { return max(begin, d[0]) < min(end, catalog.NextDay(d[1])) })
			if clash {
				b.bad(t, later.Row, "beginDate", "the student is then also enrolled in %s, which meets at the same time (line %d)",
					b.Sections[s.Section].ID, s.Row.Line)
				break
			}
		}
	}
}

// gaps names enrollments that begin school days after the one before it at the same time has ended.
func (b *Bundle) gaps(t *Table, list []stay) {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(x, y stay) int { return cmp.Compare(x.begin, y.begin) })
	said := map[int]bool{}
	for i, s := range list {
		for _, next := range list[i+1:] {
			if b.common(s, next) == 0 {
				continue
			}
			if b.schoolDayIn(s.end, next.begin) && !said[next.Row.Line] {
				said[next.Row.Line] = true
				b.bad(t, next.Row, "beginDate", "from %s, when %s ends (line %d), the student has nothing at that time", s.end,
					b.Sections[s.Section].ID, s.Row.Line)
			}
			break
		}
	}
}

// common returns the terms in which two enrollments' sections meet at the same time.
func (b *Bundle) common(s, t stay) catalog.TermSet {
	x, y := b.meeting(s.Section), b.meeting(t.Section)
	if !x.Shares(&y) {
		return 0
	}
	return x.Terms & y.Terms
}

// termsOf returns the first and last days of some terms.
func (b *Bundle) termsOf(terms catalog.TermSet) (list [][2]string) {
	for i, d := range b.Frame.Dates {
		if terms>>i&1 == 1 {
			list = append(list, d)
		}
	}
	return list
}

func (b *Bundle) inside(terms catalog.TermSet, date string) bool {
	return slices.ContainsFunc(b.termsOf(terms), func(d [2]string) bool { return d[0] <= date && date <= d[1] })
}

func (b *Bundle) schoolDayIn(from, until string) bool {
	for ; from < until; from = catalog.NextDay(from) {
		if b.Year.SchoolDay(from) {
			return true
		}
	}
	return false
}
