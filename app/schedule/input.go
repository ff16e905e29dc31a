package schedule

import (
	"cmp"
	"context"
	"slices"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/store"
)

// input is a school year as it is to be placed: its sections, without those of courses that do not run and with
// the seats that are not chosen by others, and every student's requests. Only what has come as far as the school
// places is in the requests and, by student, in handed: the number of the submission.
type input struct {
	*bundle.Bundle // of the sections
	sheets         []placement.Sheet
	handed         map[string]int
}

// problem makes the problem of placing it; bad is what keeps it from being placed.
func (in *input) problem() (p *placement.Problem, bad []bundle.Problem) {
	if len(in.Problems) > 0 {
		return nil, in.Problems
	}
	p, errs := in.Place(in.sheets)
	for i := range in.sheets {
		if err := errs[i]; err != nil {
			bad = append(bad, bundle.SheetProblem(in.sheets[i].Facts.ID, 1, err))
		}
	}
	return p, bad
}

// input reads a school year from the database. What is known of a student is compiled once for each version.
func (s *Service) input(ctx context.Context, school string, year int) (*input, error) {
	at, err := s.base.DB.Queries().Year.YearRow(ctx, school, year)
	if err != nil {
		return nil, err
	}
	y, err := s.base.Years.Year(ctx, school, year, at.Catalog, at.Policy)
	if err != nil {
		return nil, err
	}
	var students []store.ToPlaceRow
	var sections []store.ClassRow
	var plans []store.SectionPlan
	var chosen []store.SeatOf
	err = s.base.DB.Snapshot(ctx, func(q store.Queries) (err error) {
		if students, err = q.Schedule.ToPlace(ctx, school, year); err != nil {
			return err
		}
		if sections, err = q.Schedule.Sections(ctx, school, year); err != nil {
			return err
		}
		if plans, err = q.Schedule.SectionPlans(ctx, school, year); err != nil {
			return err
		}
		chosen, err = q.Seats.Chosen(ctx, school, year)
		return err
	})
	if err != nil {
		return nil, err
	}
	in := &input{Bundle: y.Sections(sections), handed: map[string]int{}}
	if err := s.sheetsOf(ctx, in, y, students); err != nil {
		return nil, err
	}
	taken := map[string]int{} // seats of those who choose, and request nothing
	for _, x := range chosen {
		if in.handed[x.Student] == 0 {
			taken[x.Section]++
		}
	}
	for i := range in.Sections {
		x := &in.Sections[i]
		x.Seats = max(x.Seats-taken[x.ID], 0)
	}
	in.Sections = slices.DeleteFunc(in.Sections, func(x bundle.Section) bool {
		return slices.ContainsFunc(plans, func(p store.SectionPlan) bool { return p.Course == x.Course && !p.Runs })
	})
	return in, nil
}

// sheetsOf reads every student's requests, those that are not to be placed as none.
func (s *Service) sheetsOf(ctx context.Context, in *input, y *schoolyear.SchoolYear, students []store.ToPlaceRow) error {
	rows := make([]*store.SheetRow, len(students))
	for i := range students {
		rows[i] = &students[i].SheetRow
	}
	known, err := s.base.Years.KnownOf(ctx, y, rows)
	if err != nil {
		return err
	}
	for i := range students {
		x := placement.Sheet{Facts: known[i].Facts}
		if row := rows[i]; row.Submission > 0 && row.State != "" && takes(y.Policy.Take, acts.State(row.State)) {
			in.handed[row.Student] = row.Submission
			x.Sheet, _ = appsheet.Laid(y.Year, submitted(row))
		}
		in.sheets = append(in.sheets, x)
	}
	return nil
}

// submitted returns what stands submitted, by rank; courses submitted for the summer alone come last.
func submitted(row *store.SheetRow) []store.EntryRow {
	list := slices.Clone(row.Submitted.V)
	if row.Summer != nil {
		for i, course := range row.Summer.V.Courses {
			if !slices.ContainsFunc(row.Submitted.V, func(e store.EntryRow) bool { return e.Course == course }) {
				list = append(list, store.EntryRow{Course: course, Rank: len(row.Submitted.V) + i + 1})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b store.EntryRow) int { return cmp.Compare(a.Rank, b.Rank) })
	return list
}
