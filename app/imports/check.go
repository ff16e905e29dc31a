package imports

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"rubricon/app/account"
	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/sheet"
)

// check finds what makes a bundle that was read well unfit for this database, before anything is written.
func (s *Service) check(ctx context.Context, in *prepared, newest int) error {
	problems, err := s.takenOut(ctx, in, newest)
	if err != nil {
		return err
	}
	weak, err := s.weakPasswords(ctx, in)
	if err != nil {
		return err
	}
	problems = append(problems, slices.Concat(weak, unjudgeable(in.Bundle), twice(in.Bundle), notStaff(in.Bundle),
		enrolledTwice(in.Bundle))...)
	kept, err := s.base.DB.Queries().Imports.KeptSheets(ctx, in.SchoolID, in.year)
	if err != nil {
		return err
	}
	gone := map[string]int{}
	for _, k := range kept {
		for _, code := range k.Codes.V {
			if _, ok := in.Year.Index(code); !ok {
				gone[code]++
			}
		}
	}
	for _, code := range slices.Sorted(maps.Keys(gone)) {
		problems = append(problems, bundle.Problem{File: "courses.csv", Line: 1, Column: "courseCode",
			What: fmt.Sprintf("%s is gone, but it is on %d sheets that were worked on here; keep it, or have it taken off those sheets first",
				code, gone[code])})
	}
	enrolled := map[string]int{}
	if in.Has("classes.csv") {
		if enrolled, err = s.base.DB.Queries().Seats.EnrolledIn(ctx, in.SchoolID, in.year, in.sectionIDs()); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(enrolled)) {
		problems = append(problems, bundle.Problem{File: "classes.csv", Line: 1, Column: "sourcedId",
			What: fmt.Sprintf("%s is gone, but students are or were enrolled in it here (%d); keep it, or move them first", id, enrolled[id])})
	}
	if !in.newest {
		var ids []string
		for i := range in.people {
			ids = append(ids, in.people[i].ID)
		}
		strangers, err := s.base.DB.Queries().Imports.Strangers(ctx, in.SchoolID, ids)
		if err != nil {
			return err
		}
		users := in.Tables["users.csv"]
		for i := range in.Users {
			if u := &in.Users[i]; slices.Contains(strangers, u.ID) {
				problems = append(problems, bundle.Problem{File: users.Name, Line: u.Row.Line, Column: "sourcedId",
					What: fmt.Sprintf("“%s” is nobody of the school; people come with the newest year's data", u.ID)})
			}
		}
	}
	if len(problems) > 0 {
		return &BadBundle{problems}
	}
	return nil
}

// takenOut finds whether a bundle of a new year would take people out of one that runs still, or is to come:
// they could no longer sign in.
func (s *Service) takenOut(ctx context.Context, in *prepared, newest int) ([]bundle.Problem, error) {
	if newest == 0 || in.year <= newest {
		return nil, nil
	}
	var ids []string
	for i := range in.people {
		ids = append(ids, in.people[i].ID)
	}
	n, err := s.base.DB.Queries().Imports.Missing(ctx, in.SchoolID, ids)
	if err != nil || n == 0 {
		return nil, err
	}
	row, err := s.base.DB.Queries().Year.YearRow(ctx, in.SchoolID, newest)
	if err != nil {
		return nil, err
	}
	y, err := s.base.Years.Year(ctx, in.SchoolID, newest, row.Catalog, row.Policy)
	if err != nil {
		return nil, err
	}
	last := ""
	for _, dates := range y.Frame.Dates {
		last = max(last, dates[1])
	}
	if today := s.base.Now().In(y.Zone()).Format(time.DateOnly); last == "" || today > last {
		return nil, nil
	}
	return []bundle.Problem{{File: "users.csv",
		What: fmt.Sprintf("people of %s are missing: %d. They could no longer sign in, and that year runs until %s. Include "+
			"them, or import after that day",
			schoolyear.YearLabel(newest), n, last)}}, nil
}

// weakPasswords finds first passwords that no one could choose, among those that would be set.
func (s *Service) weakPasswords(ctx context.Context, in *prepared) (problems []bundle.Problem, err error) {
	var usernames []string
	for i := range in.Users {
		if u := &in.Users[i]; u.Password != "" {
			usernames = append(usernames, u.Username)
		}
	}
	if len(usernames) == 0 || !in.newest {
		return nil, nil
	}
	list, err := s.base.DB.Queries().Account.WithPassword(ctx, usernames)
	if err != nil {
		return nil, err
	}
	have := map[string]bool{}
	for _, username := range list {
		have[username] = true
	}
	for i := range in.Users {
		u := &in.Users[i]
		if u.Password == "" || have[u.Username] {
			continue
		}
		what := ""
		switch account.WeakPassword(u.Password, u.Username, u.GivenName, u.FamilyName) {
		case problem.BadPassword:
			what = fmt.Sprintf("has fewer than %d or more than %d characters; give another, or none: the office can give a code",
				account.MinPassword, account.MaxPassword)
		case problem.CommonPassword:
			what = "is a password that many people have, or made of the person's own name; give another, or none: the office can give a code"
		default:
			continue
		}
		problems = append(problems, bundle.Problem{File: "users.csv", Line: u.Row.Line, Column: "password", What: what})
	}
	return problems, nil
}

func (in *prepared) sectionIDs() []string {
	ids := []string{}
	for _, x := range sectionRows(in.Bundle) {
		ids = append(ids, x.ID)
	}
	return ids
}

// unjudgeable finds sheets beyond the limits of judging.
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

// twice finds usernames that two people have.
func twice(b *bundle.Bundle) (problems []bundle.Problem) {
	usernames := map[string]int{}
	for i := range b.Users {
		u := &b.Users[i]
		if line, there := usernames[u.Username]; there {
			problems = append(problems, bundle.Problem{File: "users.csv", Line: u.Row.Line, Column: "username",
				What: fmt.Sprintf("“%s” is already on line %d", u.Username, line)})
		}
		usernames[u.Username] = u.Row.Line
		if len([]rune(u.Username)) > 200 {
			problems = append(problems, bundle.Problem{File: "users.csv", Line: u.Row.Line, Column: "username",
				What: "is longer than 200 characters"})
		}
	}
	return problems
}

// enrolledTwice finds what is wrong with the dates of enrollments, and who is in a section twice at once
// though it meets at no time.
func enrolledTwice(b *bundle.Bundle) (problems []bundle.Problem) {
	if !b.Has("enrollments.csv") {
		return nil
	}
	problems = slices.Clone(b.DatedProblems())
	named := map[int]bool{}
	for _, p := range problems {
		named[p.Line] = true
	}
	lines := map[[2]int]int{}
	for i := range b.Enrollments {
		e := &b.Enrollments[i]
		at := [2]int{e.Pupil, e.Section}
		if e.End != "" || named[e.Row.Line] {
			continue
		}
		if line, there := lines[at]; there {
			problems = append(problems, bundle.Problem{File: "enrollments.csv", Line: e.Row.Line, Column: "classSourcedId",
				What: fmt.Sprintf("the student is in it to the end by line %d already", line)})
		}
		lines[at] = e.Row.Line
	}
	return problems
}

// notStaff finds counselors who are not of the school's staff: who counsels a student reads and decides their sheet.
func notStaff(b *bundle.Bundle) (problems []bundle.Problem) {
	staff := map[string]bool{}
	for i := range b.Users {
		u := &b.Users[i]
		staff[u.ID] = u.Role != "student" && !account.Guards(u.Role)
	}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		if p.Counselor != "" && !staff[p.Counselor] {
			problems = append(problems, bundle.Problem{File: "users.csv", Line: p.Row.Line, Column: "metadata.counselor",
				What: fmt.Sprintf("“%s” is not of the school's staff (a user with the role teacher, administrator, aide or proctor)", p.Counselor)})
		}
	}
	return problems
}
