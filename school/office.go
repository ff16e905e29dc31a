package school

import (
	"context"
	"errors"
	"fmt"
	"time"

	"rubricon/bundle"
	"rubricon/core/sheet"
	"rubricon/store"
)

// ImportResult says what an import did.
type ImportResult struct {
	School   string
	Students int
	Kept     int // sheets changed here that differ from what came, and stay as they are
	Notices  []bundle.Problem
}

// A BadBundle is a bundle with bad rows; nothing was changed.
type BadBundle struct{ Problems []bundle.Problem }

func (e *BadBundle) Error() string { return fmt.Sprintf("the bundle has %d bad rows", len(e.Problems)) }

// Import writes a bundle into the database, in one transaction. The error is a *BadBundle where rows are bad.
func (s *Service) Import(ctx context.Context, b *bundle.Bundle) (*ImportResult, error) {
	if len(b.Problems) > 0 {
		return nil, &BadBundle{b.Problems}
	}
	problems := unjudgeable(b)
	usernames := map[string]int{}
	for i := range b.Users {
		u := &b.Users[i]
		if line, twice := usernames[u.Username]; twice {
			problems = append(problems, bundle.Problem{File: "users.csv", Line: u.Row.Line, Column: "username", What: fmt.Sprintf("“%s” is already on line %d", u.Username, line)})
		}
		usernames[u.Username] = u.Row.Line
	}
	if len(problems) > 0 {
		return nil, &BadBundle{problems}
	}
	in := schoolIn(b)
	result := &ImportResult{School: b.SchoolID, Students: len(b.Pupils), Notices: b.Notices}
	err := s.db.Tx(ctx, func(q store.Queries) error {
		if err := q.LockSchool(ctx, in.ID); err != nil {
			return err
		}
		asked, err := q.CoursesAsked(ctx, in.ID)
		if err != nil {
			return err
		}
		for _, code := range asked {
			if _, ok := b.Year.Index(code); !ok {
				problems = append(problems, bundle.Problem{File: "courses.csv", Line: 1, Column: "courseCode",
					What: code + " is gone, but it is on sheets that were changed here; keep it, or have it taken off those sheets first"})
			}
		}
		if len(problems) > 0 {
			return &BadBundle{problems}
		}
		for i := range b.Users {
			if u := &b.Users[i]; u.Password != "" {
				if err := firstPassword(ctx, q, u.Username, u.Password); err != nil {
					return err
				}
			}
		}
		result.Kept, err = q.ReplaceSchool(ctx, in)
		return err
	})
	if err != nil {
		return nil, err
	}
	return result, nil
}

// unjudgeable finds sheets beyond the limits of judging, which no screen could show.
func unjudgeable(b *bundle.Bundle) (problems []bundle.Problem) {
	for i := range b.Pupils {
		p := &b.Pupils[i]
		f := sheet.NewFacts(b.Year, p.Student)
		laid := p.Sheet(b.Year)
		_, err := f.Judge(&laid)
		if err == nil {
			_, err = f.Cover(&laid)
		}
		if err != nil {
			problems = append(problems, bundle.RequestsProblem(p, err))
		}
	}
	return problems
}

func cells(t *bundle.Table, r *bundle.Row) store.Cells {
	c := store.Cells{}
	for i, column := range t.Header {
		if r.Cells[i] != "" && column != "password" {
			c[column] = r.Cells[i]
		}
	}
	return c
}

// schoolIn turns a bundle into rows for the database.
func schoolIn(b *bundle.Bundle) *store.School {
	in := &store.School{ID: b.SchoolID, Name: b.SchoolName, Policy: string(b.PolicyText), Headers: map[string][]string{}}
	for name, t := range b.Tables {
		if t.Header == nil {
			continue
		}
		for _, column := range t.Header {
			if column != "password" {
				in.Headers[name] = append(in.Headers[name], column)
			}
		}
		switch name {
		case "academicSessions.csv", "orgs.csv", "classes.csv":
			for i := range t.Rows {
				in.Rows = append(in.Rows, store.RowIn{File: name, Ord: i, Cells: cells(t, &t.Rows[i])})
			}
		}
	}
	courses := b.Tables["courses.csv"]
	for i := range courses.Rows {
		r := &courses.Rows[i]
		in.Courses = append(in.Courses, store.CourseIn{Code: courses.Cell(r, "courseCode"), Ord: i, Cells: cells(courses, r)})
	}
	students := map[string]bool{}
	for i := range b.Pupils {
		students[b.Pupils[i].ID] = true
	}
	users := b.Tables["users.csv"]
	for i := range b.Users {
		u := &b.Users[i]
		in.People = append(in.People, store.PersonIn{ID: u.ID, Ord: i, Role: u.Role, Enabled: u.Enabled, Username: u.Username, GivenName: u.GivenName,
			FamilyName: u.FamilyName, Grade: u.Grade, Programs: u.Programs, Counselor: u.Counselor, Language: u.Language, Cells: cells(users, u.Row)})
		guardians := map[string]bool{"guardian": true, "parent": true, "relative": true}
		for _, other := range u.Agents {
			if guardians[u.Role] && students[other] {
				in.Care = append(in.Care, store.CareIn{Guardian: u.ID, Student: other})
			}
		}
	}
	// A student's row may name guardians too.
	byID := map[string]*bundle.User{}
	for i := range b.Users {
		byID[b.Users[i].ID] = &b.Users[i]
	}
	for i := range b.Pupils {
		for _, other := range b.Pupils[i].Agents {
			if g := byID[other]; g != nil && (g.Role == "guardian" || g.Role == "parent" || g.Role == "relative") {
				in.Care = append(in.Care, store.CareIn{Guardian: other, Student: b.Pupils[i].ID})
			}
		}
	}
	addPupils(in, b)
	return in
}

// addPupils adds records, signals and entries, each in file order.
func addPupils(in *store.School, b *bundle.Bundle) {
	ord := map[string]int{}
	records, signals, requests := b.Tables["records.csv"], b.Tables["signals.csv"], b.Tables["requests.csv"]
	place := func(t *bundle.Table, id string) int {
		ord[t.Name+" "+id]++
		return ord[t.Name+" "+id]
	}
	pupils := map[string]*bundle.Pupil{}
	for i := range b.Pupils {
		pupils[b.Pupils[i].ID] = &b.Pupils[i]
	}
	for i := range records.Rows {
		r := &records.Rows[i]
		p := pupils[records.Cell(r, "student")]
		if p == nil {
			continue // of a student to be deleted
		}
		n := place(records, p.ID)
		x := &p.Student.Records[n-1]
		row := store.RecordIn{Student: p.ID, Ord: n, Course: x.Code, Title: x.Title, Subjects: x.Subjects, StartYear: x.Year, Term: x.Term, Credits: int64(x.Credits),
			Outcome: string(x.Outcome), Cells: cells(records, r)}
		if x.HasMark {
			mark := int64(x.Mark)
			row.Mark = &mark
		}
		in.Records = append(in.Records, row)
	}
	for i := range signals.Rows {
		r := &signals.Rows[i]
		p := pupils[signals.Cell(r, "student")]
		if p == nil {
			continue
		}
		n := place(signals, p.ID)
		x := &p.Student.Signals[n-1]
		in.Signals = append(in.Signals, store.SignalIn{Student: p.ID, Ord: n, Kind: string(x.Kind), Course: x.Code, Name: x.Name, Value: int64(x.Value), By: x.By,
			Note: x.Note, Cells: cells(signals, r)})
	}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		for n := range p.Requests {
			x := &p.Requests[n]
			row := store.EntryIn{Student: p.ID, Course: x.Course, Kind: "request", Rank: x.Rank, Ord: n + 1, Cells: cells(requests, x.Row)}
			if x.Alternate {
				row.Kind = "alternate"
			}
			if x.StandsFor != "" {
				row.StandsFor = &x.StandsFor
			}
			in.Entries = append(in.Entries, row)
		}
	}
}

// Export gives a school as a bundle.
func (s *Service) Export(ctx context.Context, school string) ([]bundle.File, error) {
	list, err := s.db.Queries().BundleFiles(ctx, school)
	if errors.Is(err, store.ErrNotFound) {
		return nil, problem(NotFound, "there is no school %q in the database", school)
	}
	return list, err
}

// SetWindow sets when sheets are open, for one grade or (-1) for every grade without a window of its own.
func (s *Service) SetWindow(ctx context.Context, school string, grade int, opens, families, counselors time.Time) error {
	if !opens.Before(families) || counselors.Before(families) {
		return problem(BadInput, "a window opens before it closes for families, and closes for counselors no earlier than that")
	}
	q := s.db.Queries()
	if _, err := q.School(ctx, school); err != nil {
		return asNotFound(err)
	}
	return q.SetWindow(ctx, school, grade, opens, families, counselors)
}

// Schools lists the ids of the schools in the database.
func (s *Service) Schools(ctx context.Context) ([]string, error) { return s.db.Queries().Schools(ctx) }
