package school

import (
	"context"
	"fmt"
	"slices"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/core/sheet"
	"rubricon/store"
)

// timetable is the finished master schedule of a year as seats are chosen in it. It is immutable.
type timetable struct {
	sections []TableSection
	meets    []sheet.Section // by section
	at       map[string]int  // by id: its place
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

// timetable reads the master schedule of a year, in a version of the roster, with which it changes.
func (s *Service) timetable(ctx context.Context, y *SchoolYear, roster int64) (*timetable, error) {
	key := scheduleKey{yearKey{y.School, y.Start, y.CatalogVersion, y.PolicyVersion}, roster}
	if have, ok := s.timetables.Get(key); ok {
		return have, nil
	}
	return together(ctx, &s.once, fmt.Sprint("timetable ", key), func(ctx context.Context) (*timetable, error) {
		rows, err := s.db.Queries().Sections(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		b, err := s.withClasses(ctx, y, rows)
		if err != nil {
			return nil, err
		}
		t := newTimetable(b)
		s.timetables.Add(key, t)
		return t, nil
	})
}

func newTimetable(b *bundle.Bundle) *timetable {
	t := &timetable{meets: b.Choices(), at: map[string]int{}}
	classes := b.Tables["classes.csv"]
	for i := range b.Sections {
		x := &b.Sections[i]
		t.at[x.ID] = i
		t.sections = append(t.sections, TableSection{ID: x.ID, Course: x.Course, Title: x.Title, Teacher: x.Teacher, Room: classes.Cell(x.Row, "location"), Seats: x.Seats,
			Terms: x.Terms.Positions(), Periods: append([]int{}, x.Periods...), Days: append([]int{}, x.Days...)})
	}
	return t
}

// places finds sections by their ids, in the order of the master schedule; those that are gone are left out.
func (t *timetable) places(ids []string) (list []int) {
	for _, id := range ids {
		if i, ok := t.at[id]; ok {
			list = append(list, i)
		}
	}
	slices.Sort(list)
	return list
}

// own are the seats that a student has of all that they are or were enrolled in.
func (t *timetable) own(enrolled []store.EnrollmentRow) (list []OwnSeat) {
	for _, e := range enrolled {
		if i, ok := t.at[e.Section]; ok && e.Ends == "" {
			list = append(list, OwnSeat{i, e})
		}
	}
	return list
}

func (t *timetable) of(places []int) (list []sheet.Section) {
	for _, i := range places {
		list = append(list, t.meets[i])
	}
	return list
}

func (t *timetable) ids(places []int) []string {
	list := []string{}
	for _, i := range places {
		list = append(list, t.sections[i].ID)
	}
	return list
}

// clash finds an own section that collides with another one; -1: none.
func (t *timetable) clash(own []int, section int) int {
	k := slices.IndexFunc(own, func(i int) bool {
		return i != section && t.meets[i].Collides(&t.meets[section])
	})
	if k < 0 {
		return -1
	}
	return own[k]
}

// placing is the problem of placing one sheet into sections with so many seats left.
func (t *timetable) placing(y *SchoolYear, f *sheet.Facts, laid sheet.Sheet, left []int) *placement.Problem {
	meetings := make([]placement.Meeting, len(t.sections))
	for i := range t.sections {
		x := &t.meets[i]
		meetings[i] = placement.Meeting{ID: t.sections[i].ID, Course: x.Course, Terms: x.Terms, Periods: x.Periods, Days: x.Days, Seats: max(left[i], 0)}
	}
	p, _ := placement.Build(y.Year, []placement.Sheet{{Facts: f, Sheet: laid}}, meetings)
	return p
}

// OwnSeat is a seat that the student has.
type OwnSeat struct {
	Section int
	Row     store.EnrollmentRow
}
