package catalog

import (
	"context"
	"maps"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"rubricon/app/actor"
	"rubricon/app/background"
	"rubricon/app/people"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Revision changes the rules, or courses of the catalog, of a school year.
type Revision struct {
	Catalog, Policy int64   // the versions that were looked at
	Rules           *string // policy.json; nil: as it is
	Courses         []CourseEdit
	Errands         *[]map[string]string // the rows of errands.csv, by column; nil: as they are
	Reason          string
}

// CourseEdit changes cells of a course, adds one, or takes one away.
type CourseEdit struct {
	Code   string // of the catalog, or a new one
	Cells  map[string]string
	Remove bool
}

// RevisionEffect is the effect that a revision would have.
type RevisionEffect struct {
	Problems []bundle.Problem // what is wrong in it; nothing else is said then
	Sheets   int              // that were judged
	Rules    []RuleStanding   // by the rules as they come, then those that go
	Lapsed   []people.Member  // whose sheet held and would no longer
	Mended   []people.Member  // whose sheet would hold and does not now
	Gone     []GoneCourse     // courses that are taken away
	Removed  []policy.Part    // of the rules, in the order in which they were
}

// RuleStanding is how the real sheets stand to a rule: as it is, and as it would be; nil where there is none.
type RuleStanding struct {
	ID, Label string
	Was, Now  *Standing
}

// Standing counts sheets by how they stand to a rule.
type Standing struct{ Holds, Short, Over, Apart int }

// GoneCourse is a course that is taken away, with how many request it and how many of them have handed that in.
type GoneCourse struct {
	Code, Title        string
	Requested, Entered int
}

// SourceFile is a file of the catalog as it was read.
type SourceFile = store.Sheetful

// Source returns what the rules and courses of a school year are read from.
func (s *Service) Source(ctx context.Context, by int64, school string, year int) (*schoolyear.SchoolYear, *store.Source, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return nil, nil, err
	}
	source, err := s.base.DB.Queries().Year.Source(ctx, school, year, y.CatalogVersion, y.PolicyVersion)
	return y, &source, err
}

// TryRevision reports what a revision would do to the real sheets, and changes nothing.
func (s *Service) TryRevision(ctx context.Context, by int64, school string, year int, r Revision) (*RevisionEffect, error) {
	_, _, effect, err := s.revised(ctx, by, school, year, &r)
	return effect, err
}

// Revise puts a revision in force, with a reason. The errors are NeedsReason, BadRevision where something is
// wrong in it, and Stale where someone else has changed the same in the meantime.
func (s *Service) Revise(ctx context.Context, by int64, school string, year int, r Revision) (*RevisionEffect, error) {
	if r.Reason = text.Tidy(r.Reason); r.Reason == "" {
		return nil, problem.New(problem.NeedsReason)
	}
	source, b, effect, err := s.revised(ctx, by, school, year, &r)
	if err != nil {
		return nil, err
	}
	if len(effect.Problems) > 0 {
		return nil, &problem.Error{Code: problem.BadRevision, Param: effect.Problems[0].String()}
	}
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return nil, err
	}
	var codes []string
	for i := range b.Courses {
		codes = append(codes, b.Courses[i].Code)
	}
	slices.Sort(codes)
	done := false
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		done, err = q.Year.Revise(ctx, school, year, store.Versions{Catalog: r.Catalog, Policy: r.Policy}, *source, codes,
			a.Name().Name, r.Reason, s.base.Now())
		return err
	})
	if err == nil && !done {
		err = problem.New(problem.Code(acts.Stale))
	}
	if err == nil {
		s.base.Log.InfoContext(ctx, "rules or courses were revised", "school", school, "year", year, "account", by)
		s.ports.Messages.Missed()
	}
	return effect, err
}

// revised makes the revision and judges all sheets by it.
func (s *Service) revised(ctx context.Context, by int64, school string, year int,
	r *Revision) (*store.Source, *bundle.Bundle, *RevisionEffect, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules)
	if err != nil {
		return nil, nil, nil, err
	}
	if r.Catalog != y.CatalogVersion || r.Policy != y.PolicyVersion {
		return nil, nil, nil, problem.New(problem.Code(acts.Stale))
	}
	source, err := s.base.DB.Queries().Year.Source(ctx, school, year, y.CatalogVersion, y.PolicyVersion)
	if err != nil {
		return nil, nil, nil, err
	}
	if r.Rules != nil {
		source.Policy = *r.Rules
	}
	if err := editCourses(&source, r.Courses); err != nil {
		return nil, nil, nil, err
	}
	if err := editErrands(&source, r.Errands); err != nil {
		return nil, nil, nil, err
	}
	b, err := bundle.ReadFiles(schoolyear.SourceFiles(source))
	if err != nil {
		return nil, nil, nil, err
	}
	if len(b.Problems) == 0 && b.Year.Start != year {
		b.Problems = append(b.Problems, bundle.Problem{File: "policy.json", Line: 1, Column: "schoolYear",
			What: "a school year stays the one it is"})
	}
	if len(b.Problems) > 0 {
		return nil, b, &RevisionEffect{Problems: background.First(b.Problems)}, nil
	}
	effect, err := s.effect(ctx, a, y, &schoolyear.SchoolYear{Year: b.Year, School: school, Name: y.Name, CatalogVersion: 0, PolicyVersion: 0})
	return &source, b, effect, err
}

// editCourses changes rows of courses.csv.
func editCourses(source *store.Source, edits []CourseEdit) error {
	if len(edits) == 0 {
		return nil
	}
	f := source.Files["courses.csv"]
	f.Header = slices.Clone(f.Header)
	rows := make([][]string, len(f.Rows))
	for i, row := range f.Rows {
		rows[i] = slices.Clone(row)
	}
	column := func(name string) int {
		at := slices.Index(f.Header, name)
		if at < 0 {
			f.Header = append(f.Header, name)
			for i := range rows {
				rows[i] = append(rows[i], "")
			}
			at = len(f.Header) - 1
		}
		return at
	}
	code, gone := column("courseCode"), map[string]bool{}
	for _, e := range edits {
		at := slices.IndexFunc(rows, func(row []string) bool { return row[code] == e.Code })
		if e.Remove {
			if at < 0 {
				return &problem.Error{Code: problem.NoCourse, Param: e.Code}
			}
			rows = slices.Delete(rows, at, at+1)
			gone[e.Code] = true
			continue
		}
		if at < 0 {
			rows = append(rows, make([]string, len(f.Header)))
			at = len(rows) - 1
			rows[at][code], rows[at][column("sourcedId")] = e.Code, "c-"+strings.ToLower(e.Code)
		}
		for name, cell := range e.Cells {
			if !slices.Contains(bundle.Columns("courses.csv"), name) && !strings.HasPrefix(name, "metadata.") ||
				name == "sourcedId" || name == "courseCode" {
				return &problem.Error{Code: problem.BadRevision, Param: name}
			}
			k := column(name)
			rows[at][k] = text.Tidy(cell)
		}
	}
	f.Rows = rows
	files := map[string]store.Sheetful{}
	maps.Copy(files, source.Files)
	files["courses.csv"] = f
	// What a course that goes has brought with it goes too.
	errands := files["errands.csv"]
	if at := slices.Index(errands.Header, "courseCode"); at >= 0 {
		errands.Rows = slices.DeleteFunc(slices.Clone(errands.Rows), func(row []string) bool { return gone[row[at]] })
		files["errands.csv"] = errands
	}
	source.Files = files
	return nil
}

// editErrands puts other rows into errands.csv.
func editErrands(source *store.Source, rows *[]map[string]string) error {
	if rows == nil {
		return nil
	}
	f := store.Sheetful{Header: slices.Clone(source.Files["errands.csv"].Header)}
	for _, name := range bundle.Columns("errands.csv") {
		if !slices.Contains(f.Header, name) {
			f.Header = append(f.Header, name)
		}
	}
	for _, cells := range *rows {
		row := make([]string, len(f.Header))
		for name, cell := range cells {
			at := slices.Index(f.Header, name)
			if at < 0 {
				return &problem.Error{Code: problem.BadRevision, Param: name}
			}
			row[at] = text.Tidy(cell)
		}
		f.Rows = append(f.Rows, row)
	}
	files := map[string]store.Sheetful{}
	maps.Copy(files, source.Files)
	files["errands.csv"] = f
	source.Files = files
	return nil
}

// effect judges all sheets of a year by the rules and courses in force, and by those that would be.
func (s *Service) effect(ctx context.Context, a *actor.Actor, was, now *schoolyear.SchoolYear) (*RevisionEffect, error) {
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, was.School, was.Start, "")
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(heads))
	for i := range heads {
		ids[i] = heads[i].Student
	}
	desks, err := s.ports.Sheet.Desks(ctx, was, a, ids)
	if err != nil {
		return nil, err
	}
	type judged struct {
		held, holds bool
		was, now    []sheet.RuleResult
	}
	all := make([]judged, len(desks))
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i, d := range desks {
		work.Go(func() error {
			before, after := appsheet.Judge(d.Known,
				d.Row.Entries), appsheet.Judge(&schoolyear.Known{Facts: sheet.NewFacts(now.Year, d.Known.Student)}, d.Row.Entries)
			all[i] = judged{held: before.Ready, holds: after.Ready}
			if before.Judgement != nil {
				all[i].was = before.Judgement.Rules
			}
			if after.Judgement != nil {
				all[i].now = after.Judgement.Rules
			}
			return nil
		})
	}
	_ = work.Wait() // nothing of it fails
	e := &RevisionEffect{Sheets: len(desks)}
	for i := range now.Rules {
		e.Rules = append(e.Rules, RuleStanding{ID: now.Rules[i].ID, Label: now.Rules[i].Label, Now: &Standing{Apart: len(desks)}})
	}
	for i := range was.Rules {
		id := was.Rules[i].ID
		at := slices.IndexFunc(e.Rules, func(r RuleStanding) bool { return r.ID == id })
		if at < 0 {
			e.Rules = append(e.Rules, RuleStanding{ID: id, Label: was.Rules[i].Label})
			at = len(e.Rules) - 1
		}
		e.Rules[at].Was = &Standing{Apart: len(desks)}
	}
	for i, d := range desks {
		e.count(was, all[i].was, func(r *RuleStanding) *Standing { return r.Was })
		e.count(now, all[i].now, func(r *RuleStanding) *Standing { return r.Now })
		m := people.Member{Student: d.Row.Student, GivenName: d.Pupil.GivenName, FamilyName: d.Pupil.FamilyName,
			Grade: d.Row.Grade, Version: d.Row.Version}
		switch {
		case all[i].held && !all[i].holds:
			e.Lapsed = append(e.Lapsed, m)
		case all[i].holds && !all[i].held:
			e.Mended = append(e.Mended, m)
		}
	}
	e.gone(was, now, desks)
	e.Removed = policy.Removed(was.Policy, now.Policy)
	return e, nil
}

// count adds how one sheet stands.
func (e *RevisionEffect) count(y *schoolyear.SchoolYear, results []sheet.RuleResult, of func(*RuleStanding) *Standing) {
	for _, r := range results {
		rule := &y.Rules[r.Rule]
		at := slices.IndexFunc(e.Rules, func(x RuleStanding) bool { return x.ID == rule.ID })
		s := of(&e.Rules[at])
		s.Apart--
		switch {
		case r.Holds:
			s.Holds++
		case r.Below(rule):
			s.Short++
		default:
			s.Over++
		}
	}
}

// gone lists the courses that are taken away, with whom that concerns.
func (e *RevisionEffect) gone(was, now *schoolyear.SchoolYear, desks []*appsheet.Desk) {
	for i := range was.Courses {
		c := &was.Courses[i]
		if _, there := now.Index(c.Code); there {
			continue
		}
		g := GoneCourse{Code: c.Code, Title: c.Title}
		for _, d := range desks {
			if slices.ContainsFunc(d.Row.Entries, func(x store.EntryRow) bool { return x.Course == c.Code && !x.Alternate }) {
				g.Requested++
				if acts.State(d.Row.State).HandedIn() {
					g.Entered++
				}
			}
		}
		e.Gone = append(e.Gone, g)
	}
}

// Versions lists the versions of the rules and of the catalog of a year, the latest first.
func (s *Service) Versions(ctx context.Context, by int64, school string, year int) ([]store.VersionRow, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Year.SourceVersions(ctx, school, year)
}

// RulesOf returns policy.json as it was in a version.
func (s *Service) RulesOf(ctx context.Context, by int64, school string, year int, version int64) (string, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules); err != nil {
		return "", err
	}
	text, err := s.base.DB.Queries().Year.PolicyText(ctx, school, year, version)
	return text, problem.AsNotFound(err)
}
