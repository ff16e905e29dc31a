package schedule

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rubricon/app/background"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/placement"
	"rubricon/store"
)

// MasterSchedule is the sections of a school year, and what is taken twice.
type MasterSchedule struct {
	Sections []Section
	Doubles  []Double            // at most 200
	Twice    int                 // how many there are
	Bad      []background.BadRow // rows of classes.csv that are none
	Run      int                 // the newest run that has found something; 0: none
	Periods  int                 // of a day
	Days     int                 // of the cycle
}

// Section is a section of the master schedule as it can be changed.
type Section struct {
	ID      string
	Rev     int64
	Course  string
	Title   string
	Terms   []int // positions of the year's terms
	Periods []int
	Days    []int // of the cycle; empty: every day
	Seats   int
	Teacher string
	Room    string
	Taken   *int // in the newest run; nil: it has not placed anybody here
}

// Double is a teacher or a room that two sections take at the same time.
type Double struct {
	What     string // teacher, room
	Name     string
	Sections [2]string
	Periods  []int
}

// The bounds of a master schedule.
const (
	maxSections = 5000
	maxDoubles  = 200
)

// MasterSchedule returns the sections of a school year.
func (s *Service) MasterSchedule(ctx context.Context, by int64, school string, year int) (*MasterSchedule, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	q := s.base.DB.Queries()
	rows, err := q.Schedule.Sections(ctx, school, year)
	if err != nil {
		return nil, err
	}
	b := y.Sections(rows)
	out := &MasterSchedule{Bad: b.Problems, Periods: y.Policy.Periods, Days: y.Policy.Days}
	taken := map[string]int{}
	runs, err := q.Schedule.Runs(ctx, school, year)
	if err != nil {
		return nil, err
	}
	for i := range runs {
		if runs[i].Found == nil {
			continue
		}
		r, err := newRun(runs[i])
		if err != nil {
			return nil, err
		}
		out.Run = r.ID
		for _, x := range r.Summary.Sections {
			taken[x.Section] = x.Taken
		}
		break
	}
	byID := map[string]*store.ClassRow{}
	for i := range rows {
		byID[rows[i].ID] = &rows[i]
	}
	for i := range b.Sections {
		x := &b.Sections[i]
		row := byID[x.ID]
		c := Section{ID: x.ID, Rev: row.Rev, Course: x.Course, Title: x.Title, Terms: x.Terms.Positions(),
			Periods: append([]int{}, x.Periods...), Days: []int{}, Seats: x.Seats, Teacher: x.Teacher, Room: row.Cells.V["location"]}
		if len(x.Days) < y.Policy.Days {
			c.Days = x.Days
		}
		if n, ok := taken[x.ID]; ok {
			c.Taken = &n
		}
		out.Sections = append(out.Sections, c)
	}
	meets, takes, list := b.Takes()
	doubles := placement.Doubles(meets, takes)
	out.Twice = len(doubles)
	for _, d := range doubles[:min(len(doubles), maxDoubles)] {
		out.Doubles = append(out.Doubles, Double{What: list[d.What].Kind, Name: list[d.What].Name,
			Sections: [2]string{b.Sections[d.First].ID, b.Sections[d.Second].ID}, Periods: b.PeriodsOf(d.Cells)})
	}
	return out, nil
}

// PutSection writes a section as it is wanted: one that is there in a rev, or with rev 0 a new one, whose id
// is made. It gives the id. The errors are NoCourse, BadSection, SectionChanged where someone else has
// changed it in the meantime, and TooMuch.
func (s *Service) PutSection(ctx context.Context, by int64, school string, year int, want *Section) (string, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return "", err
	}
	course, ok := y.Index(want.Course)
	if !ok {
		return "", &problem.Error{Code: problem.NoCourse, Param: want.Course}
	}
	rows, err := s.base.DB.Queries().Schedule.Sections(ctx, school, year)
	if err != nil {
		return "", err
	}
	row := store.ClassRow{Cells: store.JSON[store.Cells]{V: store.Cells{}}}
	if want.Rev == 0 {
		if len(rows) >= maxSections {
			return "", problem.New(problem.TooMuch)
		}
		row.ID = newSectionID(rows, want.Course)
	} else {
		at := slices.IndexFunc(rows, func(r store.ClassRow) bool { return r.ID == want.ID && r.Rev == want.Rev })
		if at < 0 {
			return "", problem.New(problem.SectionChanged)
		}
		row = rows[at]
	}
	terms := catalog.TermSet(0)
	for _, at := range want.Terms {
		terms |= 1 << min(uint(at), catalog.MaxTerms)
	}
	set := map[string]string{"sourcedId": row.ID, "title": text.Tidy(want.Title), "classType": "scheduled",
		"termSourcedIds": y.Catalog.TermIDs(terms), "periods": bundle.NumberList(want.Periods),
		"metadata.days": bundle.NumberList(want.Days), "metadata.seats": strconv.Itoa(want.Seats),
		"metadata.teacher": text.Tidy(want.Teacher), "location": text.Tidy(want.Room)}
	if want.Rev == 0 {
		set["status"], set["schoolSourcedId"] = "active", school
	}
	if set["title"] == "" {
		set["title"] = y.Courses[course].Title
	}
	for id, code := range y.Catalog.CourseIDs {
		if code == want.Course {
			set["courseSourcedId"] = id
		}
	}
	for column, cell := range set {
		row.Cells.V[column] = cell
	}
	b := y.Sections([]store.ClassRow{row})
	if len(b.Problems) > 0 || len(b.Sections) == 0 {
		p := &problem.Error{Code: problem.BadSection}
		if len(b.Problems) > 0 {
			p.Param = b.Problems[0].What
		}
		return "", p
	}
	done := false
	var offered []store.Place
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		done, err = q.Schedule.PutSection(ctx, school, year,
			&store.SectionRow{ID: row.ID, Course: want.Course, Seats: want.Seats, Cells: row.Cells.V}, want.Rev)
		if err != nil || !done {
			return err
		}
		d := &appsheet.Desk{Row: store.SheetRow{Place: schoolyear.Place{School: school, Year: year}}, Year: y, Now: s.base.Now()}
		offered, err = s.ports.Seats.Offer(ctx, q, d, newTimetable(b), row.ID) // where it has more seats now
		return err
	})
	if err == nil && !done {
		err = problem.New(problem.SectionChanged)
	}
	if err != nil {
		return "", err
	}
	s.ports.Seats.ToldOffers(row.ID, offered)
	s.base.Log.InfoContext(ctx, "a section was written", "school", school, "year", year, "by", by, "section", row.ID)
	s.ports.Messages.Missed()
	return row.ID, nil
}

// RemoveSection takes a section away that is as it was in a rev. The errors are SectionChanged, and
// SectionTaken where students have chosen it, or were moved into or out of it; who only has it by a
// publication is enrolled in it no longer.
func (s *Service) RemoveSection(ctx context.Context, by int64, school string, year int, id string, rev int64) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return err
	}
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		if taken, err := q.Seats.EnrolledIn(ctx, school, year, nil); err != nil {
			return err
		} else if taken[id] > 0 {
			return problem.New(problem.SectionTaken)
		}
		rows, err := q.Schedule.Sections(ctx, school, year)
		if err != nil {
			return err
		}
		var kept []string
		for i := range rows {
			if rows[i].ID != id {
				kept = append(kept, rows[i].ID)
			}
		}
		if err := q.Seats.LeavePlaced(ctx, school, year, kept); err != nil {
			return err
		}
		if done, err := q.Schedule.RemoveSection(ctx, school, year, id, rev); err != nil || done {
			return err
		}
		return problem.New(problem.SectionChanged)
	})
	if err == nil {
		s.base.Log.InfoContext(ctx, "a section was taken away", "school", school, "year", year, "by", by, "section", id)
		s.ports.Messages.Missed()
	}
	return err
}

// newSectionID makes an id that no section has.
func newSectionID(rows []store.ClassRow, course string) string {
	for n := 1; ; n++ {
		id := fmt.Sprintf("%s-%d", strings.ToLower(course), n)
		if !slices.ContainsFunc(rows, func(r store.ClassRow) bool { return r.ID == id }) {
			return id
		}
	}
}
