package sheet

import (
	"context"
	"maps"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/condition"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Claiming is a family's statement that what a course asks for was met elsewhere.
type Claiming struct {
	Version int64
	Course  string // the requested course, or alternate, whose condition it is
	Kind    string // of the leaf: passed, alongside, score, recommended, permission, program, credits
	Name    string // of the leaf
	Note    string // where it was met, in words

	SchoolYear string // in which it was met, as 2025-26; empty: it is not said
	Term       string
	Mark       string // as the report has it
}

// MakeClaim keeps a family's statement; it counts as met only when a counselor confirms it. Anyone who may
// change the sheet may make one, about what the condition of a course on it asks for and nothing meets. The
// error is BadRecord where the school year is none.
func (s *Service) MakeClaim(ctx context.Context, by int64, at schoolyear.Place, c Claiming) (*Desk, error) {
	for _, said := range []*string{&c.Note, &c.SchoolYear, &c.Term, &c.Mark} {
		*said = text.Tidy(*said)
	}
	return s.Act(ctx, by, at, c.Version, acts.Edit, c.Note, func(d *Desk) (*store.Change, error) {
		if c.Note == "" {
			return nil, problem.New(problem.NeedsMessage)
		}
		if year, err := policy.StartYear(c.SchoolYear); c.SchoolYear != "" && (err != nil || year > d.Year.Start) {
			return nil, &problem.Error{Code: problem.BadRecord, Param: "schoolYear"}
		}
		signal, err := d.claimed(&c)
		if err != nil {
			return nil, err
		}
		signal.By, signal.Note = d.Actor.ID, c.Note
		signal.Cells = store.Cells{"student": at.Student, "kind": signal.Kind, "courseCode": signal.Code,
			"name": signal.Name, "by": signal.By, "note": signal.Note,
			"schoolYear": c.SchoolYear, "term": c.Term, "mark": c.Mark}
		maps.DeleteFunc(signal.Cells, func(_, cell string) bool { return cell == "" }) // as a file that is read has them
		change := d.Change("claim", "", map[string]any{"course": c.Course, "message": c.Note})
		change.Say(signal)
		return change, nil
	})
}

// claimed makes of a claim a signal. The errors are NotOnSheet, and NoClaim where there is nothing of the
// kind to be claimed.
func (d *Desk) claimed(c *Claiming) (*store.SignalRow, error) {
	course, ok := d.Year.Index(c.Course)
	if !ok || !slices.ContainsFunc(slices.Concat(d.Sheet.Requests, d.Sheet.Summer, d.Sheet.Alternates),
		func(e sheet.Entry) bool { return e.Course == course }) {
		return nil, problem.New(problem.NotOnSheet)
	}
	for _, proof := range d.Known.Explain(&d.Sheet, course) {
		leaf := proof.Leaf
		if leaf.Kind.String() != c.Kind || leaf.Name != c.Name || leaf.Kind == condition.Grade || proof.Verdict >= condition.Expected {
			continue
		}
		signal := &store.SignalRow{Kind: string(sheet.Claim), Name: leaf.Name}
		switch leaf.Kind {
		case condition.Passed, condition.Alongside:
			signal.Code, signal.Name = leaf.Name, ""
		case condition.Recommended:
			signal.Code, signal.Name = c.Course, "recommended"
		}
		for i := range d.Known.Claims {
			if d.Known.Claims[i].About(leaf, c.Course) {
				return nil, problem.New(problem.Code(acts.AlreadyDone))
			}
		}
		return signal, nil
	}
	return nil, problem.New(problem.NoClaim)
}

// SaidOf is something that someone of the school says of a student, as a signal.
func SaidOf(student string, kind sheet.SignalKind, course, name, by, note string) *store.SignalRow {
	cells := store.Cells{"student": student, "kind": string(kind), "courseCode": course, "by": by, "note": note}
	if name != "" {
		cells["name"] = name
	}
	return &store.SignalRow{Kind: string(kind), Code: course, Name: name, By: by, Note: note, Cells: cells}
}
