package schedule

import (
	"context"
	"fmt"
	"slices"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Timetable is the finished master schedule of a year as seats are chosen in it. It is immutable.
type Timetable struct {
	Sections []TableSection
	Meets    []sheet.Section // by section
	At       map[string]int  // by id: its place
}

// TableSection is a section of the finished master schedule.
type TableSection struct {
	ID      string
	Course  string
	Title   string
	Teacher string
	Room    string
	Seats   int
	Terms   []int // positions of the year's terms
	Periods []int
	Days    []int // of the cycle
}

// Timetable reads the master schedule of a year, in a version of the roster, with which it changes.
func (s *Service) Timetable(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*Timetable, error) {
	key := appsheet.ScheduleKey{Key: y.Key(), Roster: roster}
	if have, ok := s.timetables.Get(key); ok {
		return have, nil
	}
	return schoolyear.Together(ctx, &s.once, fmt.Sprint("timetable ", key), func(ctx context.Context) (*Timetable, error) {
		rows, err := s.base.DB.Queries().Schedule.Sections(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		t := newTimetable(y.Sections(rows))
		s.timetables.Add(key, t)
		return t, nil
	})
}

func newTimetable(b *bundle.Bundle) *Timetable {
	t := &Timetable{Meets: b.Choices(), At: map[string]int{}}
	classes := b.Tables["classes.csv"]
	for i := range b.Sections {
		x := &b.Sections[i]
		t.At[x.ID] = i
		t.Sections = append(t.Sections, TableSection{ID: x.ID, Course: x.Course, Title: x.Title, Teacher: x.Teacher,
			Room: classes.Cell(x.Row, "location"), Seats: x.Seats,
			Terms: x.Terms.Positions(), Periods: append([]int{}, x.Periods...), Days: append([]int{}, x.Days...)})
	}
	return t
}

// Places finds sections by their ids, in the order of the master schedule; those that are gone are left out.
func (t *Timetable) Places(ids []string) (list []int) {
	for _, id := range ids {
		if i, ok := t.At[id]; ok {
			list = append(list, i)
		}
	}
	slices.Sort(list)
	return list
}

// Own are the seats that a student has of all that they are or were enrolled in.
func (t *Timetable) Own(enrolled []store.EnrollmentRow) (list []OwnSeat) {
	for _, e := range enrolled {
		if i, ok := t.At[e.Section]; ok && e.Ends == "" {
			list = append(list, OwnSeat{i, e})
		}
	}
	return list
}

// Of returns the sections at some positions, as the core judges them.
func (t *Timetable) Of(places []int) (list []sheet.Section) {
	for _, i := range places {
		list = append(list, t.Meets[i])
	}
	return list
}

// IDs returns the ids of the sections at some positions.
func (t *Timetable) IDs(places []int) []string {
	list := []string{}
	for _, i := range places {
		list = append(list, t.Sections[i].ID)
	}
	return list
}

// Clash finds an own section that collides with another one; -1: none.
func (t *Timetable) Clash(own []int, section int) int {
	k := slices.IndexFunc(own, func(i int) bool {
		return i != section && t.Meets[i].Collides(&t.Meets[section])
	})
	if k < 0 {
		return -1
	}
	return own[k]
}

// Placing is the problem of placing one sheet into sections with so many seats left.
func (t *Timetable) Placing(y *schoolyear.SchoolYear, f *sheet.Facts, laid sheet.Sheet, left []int) *placement.Problem {
	meetings := make([]placement.Meeting, len(t.Sections))
	for i := range t.Sections {
		x := &t.Meets[i]
		meetings[i] = placement.Meeting{ID: t.Sections[i].ID, Course: x.Course, Terms: x.Terms, Periods: x.Periods,
			Days: x.Days, Seats: max(left[i], 0)}
	}
	p, _ := placement.Build(y.Year, []placement.Sheet{{Facts: f, Sheet: laid}}, meetings)
	return p
}

// OwnSeat is a seat that the student has.
type OwnSeat struct {
	Section int
	Row     store.EnrollmentRow
}
