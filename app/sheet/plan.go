package sheet

import (
	"context"
	"errors"
	"slices"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Path is a student's whole way: the sheet, what is planned for later years, and what both come to.
type Path struct {
	*Desk
	Version   int64 // of the plan
	Plan      []sheet.Planned
	Results   []sheet.PlannedResult // of Plan
	Prospects []sheet.Prospect
	Lists     []PathList // by audit
	Before    []int32    // what was planned for the grade being entered a year ago and is not on the sheet
}

// PathList is one list of requirements with the plan.
type PathList struct {
	Entries []sheet.AuditEntry
	Planned []sheet.PlannedEntry
}

// plan reads a student's plan in terms of the year; courses that have left the catalog, and grades that are
// past, are passed over.
func (s *Service) plan(ctx context.Context, d *Desk) (version int64, list []sheet.Planned, err error) {
	version, rows, err := s.base.DB.Queries().Sheet.Plan(ctx, d.Row.Place)
	if err != nil {
		return 0, nil, problem.AsNotFound(err)
	}
	for _, r := range rows {
		if course, ok := d.Year.Index(r.Course); ok && r.Grade > d.Row.Grade && r.Grade <= d.Year.Policy.LastGrade {
			list = append(list, sheet.Planned{Grade: r.Grade, Course: course, Alternate: r.Alternate})
		}
	}
	return version, list, nil
}

// Path returns a student's whole way to anyone who may see the sheet.
func (s *Service) Path(ctx context.Context, by int64, at schoolyear.Place) (*Path, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, err
	}
	p := &Path{Desk: d}
	if p.Version, p.Plan, err = s.plan(ctx, d); err != nil {
		return nil, err
	}
	before, err := s.base.DB.Queries().Sheet.PlannedBefore(ctx, at, d.Row.Grade)
	if err != nil {
		return nil, err
	}
	for _, code := range before {
		course, ok := d.Year.Index(code)
		if ok && !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == code }) {
			p.Before = append(p.Before, course)
		}
	}
	p.reckon()
	return p, nil
}

// reckon finds what the plan comes to.
func (p *Path) reckon() {
	p.Results = p.Known.Plan(&p.Sheet, p.Plan)
	p.Prospects = p.Known.Prospects(&p.Sheet, p.Plan)
	p.Lists = p.Lists[:0]
	for i := range p.Desk.Year.Audits {
		var list PathList
		list.Entries, list.Planned = p.Known.AuditPlan(i, &p.Sheet, p.Plan)
		p.Lists = append(p.Lists, list)
	}
}

// PlanEdit is one change to a plan.
type PlanEdit struct {
	Version   int64  // of the plan it was made on
	Act       string // "add", "remove", "move"
	Course    string
	Grade     int  // add, move: the grade it is for afterwards
	From      int  // remove, move: the grade it was for
	Alternate bool // add
}

// MaxPlanned bounds a plan that is made here; one from a bundle may be longer, and then only shrinks.
const MaxPlanned = 120

// ChangePlan makes one change to a plan and keeps it at once. The errors are NoCourse, BadGrade, OnSheet
// (planned for that grade already), NotOnSheet, SummerAlternate (a course of the summer round), AtLimit, and
// StalePlan.
func (s *Service) ChangePlan(ctx context.Context, by int64, at schoolyear.Place, edit PlanEdit) (*Path, error) {
	p, err := s.Path(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if err := p.Guard(acts.Plan, ""); err != nil {
		s.Refused(ctx, p.Desk, acts.Plan, err)
		return nil, err
	}
	if edit.Version != p.Version {
		return nil, problem.New(problem.StalePlan)
	}
	if p.Plan, err = p.edited(&edit); err != nil {
		return nil, err
	}
	slices.SortStableFunc(p.Plan, func(a, b sheet.Planned) int { return a.Grade - b.Grade })
	rows := []store.PlanRow{}
	for _, x := range p.Plan {
		rows = append(rows, store.PlanRow{Grade: x.Grade, Course: p.Desk.Year.Codes[x.Course], Alternate: x.Alternate})
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		saved, err := q.Sheet.SavePlan(ctx, at, p.Version, rows)
		if err == nil && !saved {
			err = problem.New(problem.StalePlan)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	p.Version++
	p.reckon()
	return p, nil
}

// edited is the plan with a change.
func (p *Path) edited(edit *PlanEdit) ([]sheet.Planned, error) {
	y := p.Desk.Year
	course, ok := y.Index(edit.Course)
	if !ok {
		return nil, &problem.Error{Code: problem.NoCourse, Param: edit.Course}
	}
	is := func(grade int) func(sheet.Planned) bool {
		return func(x sheet.Planned) bool { return x.Course == course && x.Grade == grade }
	}
	list := slices.Clone(p.Plan)
	moved := sheet.Planned{Grade: edit.Grade, Course: course, Alternate: edit.Alternate}
	if edit.Act != "add" {
		was := slices.IndexFunc(list, is(edit.From))
		if was < 0 {
			return nil, problem.New(problem.NotOnSheet)
		}
		moved.Alternate = list[was].Alternate
		list = slices.Delete(list, was, was+1)
	}
	if edit.Act == "remove" {
		return list, nil
	}
	switch {
	case edit.Act != "add" && edit.Act != "move":
		return nil, problem.New(problem.BadAct)
	case y.Courses[course].Summer:
		return nil, problem.New(problem.SummerAlternate)
	case edit.Grade <= p.Row.Grade || edit.Grade > y.Policy.LastGrade:
		return nil, problem.New(problem.BadGrade)
	case slices.ContainsFunc(list, is(edit.Grade)):
		return nil, problem.New(problem.OnSheet)
	case len(list) >= MaxPlanned:
		return nil, problem.New(problem.AtLimit)
	}
	return append(list, moved), nil
}

// CourseDesk is a course next to a sheet: what it asks for and rests on, where it comes from and leads, and
// what adding it would do.
type CourseDesk struct {
	*Desk
	Course   int32
	Effect   *sheet.Effect // nil where it is requested
	Outline  *sheet.Outline
	Evidence []sheet.Evidence
	Route    sheet.Route
	Plan     []sheet.Planned
}

// Course tells anyone who may see a sheet about a course next to it. The error is NoCourse where the catalog has
// none of the code.
func (s *Service) Course(ctx context.Context, by int64, at schoolyear.Place, code string) (*CourseDesk, error) {
	e, err := s.Effects(ctx, by, at, "")
	if err != nil {
		return nil, err
	}
	d := e.Desk
	course, ok := d.Year.Index(code)
	if !ok {
		return nil, &problem.Error{Code: problem.NoCourse, Param: code}
	}
	c := &CourseDesk{Desk: d, Course: course, Evidence: d.Known.Explain(&d.Sheet, course)}
	if at := slices.IndexFunc(e.Effects, func(x sheet.Effect) bool { return x.Course == course }); at >= 0 {
		c.Effect = &e.Effects[at]
	}
	if outline, ok := d.Known.Outline(&d.Sheet, course); ok {
		c.Outline = &outline
	}
	if _, c.Plan, err = s.plan(ctx, d); err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	c.Route = d.Known.Route(&d.Sheet, c.Plan, course, 2)
	return c, nil
}
