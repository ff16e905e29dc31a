// Package dated changes what a student is enrolled in from a date on, so that there is neither a gap nor an
// overlap, and so that attendance stays where it belongs.
//
//	after, err := dated.Apply(year, sections, stays, marks, dated.Change{Drop: []int{0}, Add: []int{1}, On: "2027-09-14"})
//	after.Stays // the old section until that day, the new one from it on
package dated

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"rubricon/core/catalog"
	"rubricon/core/sheet"
)

// Stay is an enrollment: a section, by its place in a list, from Begin on until before End (OneRoster 1.1),
// YYYY-MM-DD. An empty Begin is the first day of the section's first term, an empty End the day after its
// last. One that ends on or before its beginning is never in force.
type Stay struct {
	Section    int
	Begin, End string
}

// Mark is that attendance was taken of the student in a section on a date.
type Mark struct {
	Section int
	Date    string
}

// Change is what is to change from a date on: sections that the student leaves, and those that they come into.
type Change struct {
	Drop, Add []int
	On        string
}

// Outcome is what is to be after a change. Marks are by their places among those given.
type Outcome struct {
	Stays  []Stay  // in the order of the ones before, then the new ones
	Never  []int   // places of stays that leave no trace: the student never attended
	Move   []Moved // attendance that belongs into another section now
	Delete []int   // attendance on days on which the student is no longer enrolled at that time
}

// Moved is a mark that goes to a section.
type Moved struct{ Mark, To int }

// Why says why a change cannot be made.
type Why string

// The reasons.
const (
	NoSchoolDay  Why = "no-school-day" // the date is on a weekend or a holiday
	OutsideTerms Why = "outside-terms" // the date is in none of the section's terms; Section says which
	NotEnrolled  Why = "not-enrolled"  // the student is not in the section then; Section says which
	AlreadyIn    Why = "already-in"    // the student is in the section then, or will be; Section says which
	SameCourse   Why = "same-course"   // the student is in a section of the same course then; Section and Other say which
	SameTime     Why = "same-time"     // two sections meet at the same time; Section and Other say which
	// school days would be left with nothing at that time; Date says from when on the new section could begin,
	// or until when the old one must last
	Gap Why = "gap"
)

// Error is why a change cannot be made.
type Error struct {
	Why            Why
	Section, Other int    // places in the list of sections; -1: none
	Date           string // for Gap
}

func (e *Error) Error() string {
	return fmt.Sprintf("dated: %s (%d, %d, %s)", e.Why, e.Section, e.Other, e.Date)
}

func refuse(why Why, section, other int, date string) error {
	return &Error{Why: why, Section: section, Other: other, Date: date}
}

// book knows the dates of the year.
type book struct {
	y        *catalog.Year
	sections []sheet.Section
}

// filled is a stay with its dates filled in.
func (b *book) filled(s Stay) Stay {
	begin, end := Filled(b.y, &b.sections[s.Section], s)
	return Stay{s.Section, begin, end}
}

// Filled returns the dates of a stay in a section, where they are empty those of the section's terms.
func Filled(y *catalog.Year, section *sheet.Section, s Stay) (begin, end string) {
	first, last := y.SpanOf(section.Terms)
	return cmp.Or(s.Begin, first), cmp.Or(s.End, catalog.NextDay(last))
}

// Apply makes a change to a student's stays. A section that is left ends on the date; where that is not after
// its beginning, the student never attended, and it leaves no trace. A section that is come into begins on
// the date. Attendance on the date or later in a section that is left goes to the one that comes in its
// place, at the same time, or else is to be deleted. The error is an *Error.
func Apply(y *catalog.Year, sections []sheet.Section, stays []Stay, marks []Mark, c Change) (*Outcome, error) {
	b := &book{y, sections}
	if !y.SchoolDay(c.On) {
		return nil, refuse(NoSchoolDay, -1, -1, "")
	}
	for _, section := range slices.Concat(c.Drop, c.Add) {
		if !b.during(sections[section].Terms, c.On) {
			return nil, refuse(OutsideTerms, section, -1, "")
		}
	}
	out := &Outcome{Stays: slices.Clone(stays)}
	for _, section := range c.Drop {
		at := slices.IndexFunc(stays, func(s Stay) bool { // the one in force then, or one that has not begun
			f := b.filled(s)
			return s.Section == section && f.Begin < f.End && c.On < f.End
		})
		if at < 0 {
			return nil, refuse(NotEnrolled, section, -1, "")
		}
		if c.On <= b.filled(stays[at]).Begin {
			out.Never = append(out.Never, at)
		} else {
			out.Stays[at].End = c.On
		}
	}
	slices.Sort(out.Never)
	for _, at := range slices.Backward(out.Never) {
		out.Stays = slices.Delete(out.Stays, at, at+1)
	}
	for _, section := range c.Add {
		s := Stay{Section: section, Begin: c.On}
		for _, other := range out.Stays {
			if why := b.apart(other, s); why != nil {
				return nil, why
			}
		}
		out.Stays = append(out.Stays, s)
	}
	if err := b.gaps(out.Stays); err != nil {
		return nil, err
	}
	b.attendance(out, stays, marks, &c)
	return out, nil
}

// Leave is what becomes of the stays of a student who leaves the school, the last day of attendance being a
// date: what has begun by then ends with the next school day, what has not leaves no trace, and what is over
// stays as it is. Places are those of the stays; on is that school day, empty where the year has none left,
// and then nothing is changed.
func Leave(y *catalog.Year, sections []sheet.Section, stays []Stay, last string) (on string, ends, never []int) {
	for _, d := range y.SchoolDays() {
		if day := d.Date.Format(time.DateOnly); day > last {
			on = day
			break
		}
	}
	if on == "" {
		return "", nil, nil
	}
	b := &book{y, sections}
	for i, s := range stays {
		switch f := b.filled(s); {
		case f.Begin >= on:
			never = append(never, i)
		case f.End > on:
			ends = append(ends, i)
		}
	}
	return on, ends, never
}

// during reports whether a date lies in one of some terms.
func (b *book) during(terms catalog.TermSet, date string) bool {
	for i, d := range b.y.Dates {
		if terms>>i&1 == 1 && d[0] <= date && date <= d[1] {
			return true
		}
	}
	return false
}

// apart reports why two stays cannot both be: they are of one section or of one course on one day, or meet at
// the same time.
func (b *book) apart(s, t Stay) error {
	x, z := b.filled(s), b.filled(t)
	begin, end := max(x.Begin, z.Begin), min(x.End, z.End)
	if x.Begin >= x.End || z.Begin >= z.End || begin >= end {
		return nil
	}
	if s.Section == t.Section {
		return refuse(AlreadyIn, s.Section, -1, "")
	}
	if b.sections[s.Section].Course == b.sections[t.Section].Course {
		return refuse(SameCourse, t.Section, s.Section, "")
	}
	if !b.sections[s.Section].Shares(&b.sections[t.Section]) {
		return nil
	}
	for i, d := range b.y.Dates {
		if b.sections[s.Section].Terms>>i&1 == 1 && b.sections[t.Section].Terms>>i&1 == 1 && max(begin, d[0]) < min(end, catalog.NextDay(d[1])) {
			return refuse(SameTime, t.Section, s.Section, "")
		}
	}
	return nil
}

// gaps reports whether school days lie between the end of a stay and the beginning of the next one at the same time.
func (b *book) gaps(stays []Stay) error {
	var list []Stay
	for _, s := range stays {
		if f := b.filled(s); f.Begin < f.End {
			list = append(list, f)
		}
	}
	slices.SortStableFunc(list, func(x, y Stay) int { return cmp.Compare(x.Begin, y.Begin) })
	for i, s := range list {
		for _, next := range list[i+1:] {
			if !b.sections[s.Section].Shares(&b.sections[next.Section]) {
				continue
			}
			for day := s.End; day < next.Begin; day = catalog.NextDay(day) {
				if b.y.SchoolDay(day) {
					return refuse(Gap, next.Section, s.Section, s.End)
				}
			}
			break
		}
	}
	return nil
}

// attendance reports what becomes of marks in the sections that are left.
func (b *book) attendance(out *Outcome, stays []Stay, marks []Mark, c *Change) {
	in := func(list []Stay, section int, date string) bool {
		return slices.ContainsFunc(list, func(s Stay) bool {
			f := b.filled(s)
			return s.Section == section && f.Begin <= date && date < f.End
		})
	}
	for k, m := range marks {
		if !slices.Contains(c.Drop, m.Section) || in(out.Stays, m.Section, m.Date) || !in(stays, m.Section, m.Date) {
			continue
		}
		to := slices.IndexFunc(c.Add, func(section int) bool {
			return b.sections[section].Shares(&b.sections[m.Section]) && in(out.Stays, section, m.Date)
		})
		if to >= 0 {
			out.Move = append(out.Move, Moved{k, c.Add[to]})
		} else {
			out.Delete = append(out.Delete, k)
		}
	}
}
