package schedule

import (
	"context"
	"encoding/json"
	"slices"

	"rubricon/app/messages"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/store"
)

// Publication is the part of a run that families were shown.
type Publication = store.Publication

// Shown is the part of a placement that a family sees.
type Shown struct {
	Run     int            `json:"run"`
	At      string         `json:"at"` // RFC 3339
	Given   []GivenSection `json:"given"`
	Lacking []Lacking      `json:"lacking"`
}

// WeekOf returns the part of the placement that the family sees; nil if nothing.
func WeekOf(d *appsheet.Desk) *Shown {
	if d.Row.Placed == nil || acts.State(d.Row.State) != acts.Placed {
		return nil
	}
	out := &Shown{}
	if err := json.Unmarshal(*d.Row.Placed, out); err != nil {
		return nil
	}
	return out
}

// Publications lists what was published, the latest first.
func (s *Service) Publications(ctx context.Context, by int64, school string, year int) ([]Publication, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Schedule.Publications(ctx, school, year)
}

// Publish shows the families of a grade (-1: all) what a run gives them; those whose submission is the one
// that was placed are told, all of them or none, and are enrolled in what they are given, unless they have
// chosen seats themselves. It tells how many. The errors are NotFound where the run has found nothing,
// RunBehind where a section is not as it was placed, or would have more students than seats next to those who
// have chosen it, and acts.NothingSubmitted where no sheet is as it was placed.
func (s *Service) Publish(ctx context.Context, by int64, school string, year, run, grade int) (sheets int, err error) {
	r, a, err := s.foundRun(ctx, by, school, year, run)
	if err != nil {
		return 0, err
	}
	if since, err := s.since(ctx, school, year, r); err != nil {
		return 0, err
	} else if len(since.Gone)+len(since.Moved)+len(since.Over) > 0 { // what families are shown is how it will be
		return 0, problem.New(problem.RunBehind)
	}
	var shown []store.ShownSheet
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		if shown, err = q.Schedule.Publish(ctx, school, year, run, grade, a.Name(), s.base.Now(), !s.noPost); err == nil && len(shown) == 0 {
			err = problem.New(problem.Code(acts.NothingSubmitted))
		}
		if err != nil {
			return err
		}
		if err := s.enrollShown(ctx, q, school, year, shown, a.Name().Name); err != nil {
			return err
		}
		over, err := q.Seats.Overfull(ctx, school, year)
		if err == nil && len(over) > 0 { // seats have been chosen in the meantime
			err = problem.New(problem.RunBehind)
		}
		if err != nil {
			return err
		}
		return q.Messages.TellOthers(ctx, schoolyear.Place{School: school, Year: year},
			store.Notice{Kind: messages.TellPlaced, Detail: map[string]any{"students": len(shown)}}, s.base.Now())
	})
	sheets = s.tellShown(school, year, shown, err)
	if err == nil {
		s.base.Log.InfoContext(ctx, "a placement was published", "school", school, "year", year, "by", by, "run", run, "grade",
			grade, "sheets", sheets)
	}
	return sheets, err
}

// Unpublish takes a publication back, with a reason; the same people are told, and are enrolled in it no
// longer unless something was changed since. The errors are NeedsReason, and AlreadyDone where it does not
// stand.
func (s *Service) Unpublish(ctx context.Context, by int64, school string, year int, id int64, reason string) (sheets int, err error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return 0, err
	}
	if reason = text.Tidy(reason); reason == "" {
		return 0, problem.New(problem.NeedsReason)
	}
	var shown []store.ShownSheet
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		var done bool
		if shown, done, err = q.Schedule.Unpublish(ctx, school, year, id, a.Name(), reason, s.base.Now(), !s.noPost); err == nil && !done {
			err = problem.New(problem.Code(acts.AlreadyDone))
		}
		if err != nil {
			return err
		}
		if err := s.enrollShown(ctx, q, school, year, shown, a.Name().Name); err != nil {
			return err
		}
		return q.Messages.TellOthers(ctx, schoolyear.Place{School: school, Year: year},
			store.Notice{Kind: messages.TellPlaced, Detail: map[string]any{"students": len(shown), "takenBack": true}}, s.base.Now())
	})
	sheets = s.tellShown(school, year, shown, err)
	if err == nil {
		s.base.Log.InfoContext(ctx, "a publication was taken back", "school", school, "year", year, "by", by, "sheets", sheets)
	}
	return sheets, err
}

// enrollShown enrolls students in what they are shown now.
func (s *Service) enrollShown(ctx context.Context, q store.Queries, school string, year int, shown []store.ShownSheet, by string) error {
	students := studentsOf(shown)
	if err := q.Seats.LockSeats(ctx, school, year, students); err != nil {
		return err
	}
	return q.Seats.EnrollPlaced(ctx, school, year, students, by, s.base.Now())
}

func studentsOf(shown []store.ShownSheet) []string {
	list := make([]string, len(shown))
	for i, x := range shown {
		list[i] = x.Student
	}
	return list
}

// tellShown tells open screens of sheets that have changed, once that is committed, and how many they are.
func (s *Service) tellShown(school string, year int, shown []store.ShownSheet, err error) int {
	if err != nil {
		return 0
	}
	for _, x := range shown {
		s.ports.Messages.Told(schoolyear.Place{School: school, Year: year, Student: x.Student}, x.Version)
	}
	return len(shown)
}

// Enrollments returns what a run has found as enrollments.csv (OneRoster 1.1), a row for each section given,
// with the dates of its terms. The error is NotFound.
func (s *Service) Enrollments(ctx context.Context, by int64, school string, year, run int) (*bundle.File, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	_, _, err = s.foundRun(ctx, by, school, year, run)
	if err != nil {
		return nil, err
	}
	sections, err := s.base.DB.Queries().Schedule.Sections(ctx, school, year)
	if err != nil {
		return nil, err
	}
	b := y.Sections(sections)
	rows, err := s.base.DB.Queries().Schedule.AllGiven(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	f := b.EnrollmentFile()
	for _, row := range rows {
		var list []GivenSection
		if err := json.Unmarshal(row.Given, &list); err != nil {
			return nil, err
		}
		for _, g := range list {
			at := slices.IndexFunc(b.Sections, func(x bundle.Section) bool { return x.ID == g.Section })
			if at < 0 {
				return nil, problem.New(problem.GoneOn) // the master schedule has it no longer
			}
			f.Rows = append(f.Rows, b.Enrollment(at, row.Student))
		}
	}
	return &f, nil
}
