package catalog

import (
	"context"
	"fmt"
	"time"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// Windows lists the windows of a school year, for all, by grade and by student.
func (s *Service) Windows(ctx context.Context, by int64, school string, year int) (*schoolyear.SchoolYear, []Window, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return nil, nil, err
	}
	list, err := s.base.DB.Queries().Year.Windows(ctx, school, year)
	return y, list, err
}

// Local is a window with its times as they are in the school's time zone: 2027-03-12T16:00.
type Local struct {
	Round                       store.Round
	Grade                       int    // -1: every grade without one of its own
	Student                     string // an id; empty: not of one student
	Opens, Families, Counselors string
}

// localLayout is how times of the school are written.
const localLayout = "2006-01-02T15:04"

// PutWindow sets a window as the office. The errors are BadWindow, and NotFound where it is of a student who
// has no sheet in the year.
func (s *Service) PutWindow(ctx context.Context, by int64, school string, year int, l Local) error {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return err
	}
	w := Window{Round: l.Round, Grade: l.Grade, Student: text.Tidy(l.Student)}
	for i, at := range []*time.Time{&w.Opens, &w.Families, &w.Counselors} {
		if *at, err = time.ParseInLocation(localLayout, []string{l.Opens, l.Families, l.Counselors}[i], y.Zone()); err != nil {
			return problem.New(problem.BadWindow)
		}
	}
	if w.Student != "" {
		if _, err := s.base.DB.Queries().Sheet.Sheet(ctx, schoolyear.Place{School: school, Year: year, Student: w.Student}); err != nil {
			return problem.AsNotFound(err)
		}
	}
	err = s.setWindow(ctx, school, year, w, func(q store.Queries) error {
		return q.Office.NoteWindow(ctx, school, "window", whose(&w), a.Name().Name, s.base.Now())
	})
	s.ports.Messages.Missed()
	return err
}

// DropWindow takes a window away as the office; who had it then has that of the grade, or of all. The error
// is NotFound.
func (s *Service) DropWindow(ctx context.Context, by int64, school string, year int, w Window) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return err
	}
	gone := false
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		if gone, err = q.Year.DropWindow(ctx, school, year, w); err != nil || !gone {
			return err
		}
		return q.Office.NoteWindow(ctx, school, "noWindow", whose(&w), a.Name().Name, s.base.Now())
	})
	if err == nil && !gone {
		err = problem.New(problem.NotFound)
	}
	s.ports.Messages.Missed()
	return err
}

// whose writes for whom a window is: “*” for all, a grade, or a student's id; with a word before where it
// is not of the year.
func whose(w *Window) string {
	text := "*"
	switch {
	case w.Student != "":
		text = w.Student
	case w.Grade >= 0:
		text = fmt.Sprint(w.Grade)
	}
	if w.Round != store.OfTheYear {
		text = string(w.Round) + " " + text
	}
	return text
}

// LocalOf returns a window's times in the school's time zone.
func LocalOf(y *schoolyear.SchoolYear, w *Window) Local {
	write := func(t time.Time) string { return t.In(y.Zone()).Format(localLayout) }
	return Local{Round: w.Round, Grade: w.Grade, Student: w.Student, Opens: write(w.Opens), Families: write(w.Families),
		Counselors: write(w.Counselors)}
}

// Window is when sheets are open: of one student, else of a grade, else (grade -1) of every grade without a
// window of its own.
type Window = store.WindowRow

// Round names which choice a window is for.
type Round = store.Round

// The rounds.
const (
	OfTheYear   = store.OfTheYear
	OfTheSummer = store.OfTheSummer
	OfSeats     = store.OfSeats
)

// SetWindow sets when sheets are open.
func (s *Service) SetWindow(ctx context.Context, school string, year int, w Window) error {
	return s.setWindow(ctx, school, year, w, func(store.Queries) error { return nil })
}

// setWindow sets a window and notes it, or neither.
func (s *Service) setWindow(ctx context.Context, school string, year int, w Window, note func(store.Queries) error) error {
	if !w.Opens.Before(w.Families) || w.Counselors.Before(w.Families) || w.Student != "" && w.Grade != -1 {
		return problem.New(problem.BadWindow)
	}
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		if _, err := q.Year.YearRow(ctx, school, year); err != nil {
			return problem.AsNotFound(err)
		}
		if err := q.Year.SetWindow(ctx, school, year, w); err != nil {
			return err
		}
		return note(q)
	})
	if err == nil {
		s.base.Log.InfoContext(ctx, "a window was set", "school", school, "year", year, "grade", w.Grade, "opens", w.Opens,
			"families", w.Families, "counselors", w.Counselors)
	}
	return err
}
