package caseload

import (
	"cmp"
	"context"
	"errors"
	"strings"

	"rubricon/app/people"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/core/roster"
	"rubricon/core/sheet"
)

// OwnEntry is a record of one student among many.
type OwnEntry struct {
	Student string
	Entry   appsheet.Entry
}

// RecordLine is a row of a list of records, whose it is, and what cannot be read in it.
type RecordLine struct {
	Line    int
	Named   string          // the student, as the row names them
	Student *people.Member  // nil where it names no one, or several
	People  []people.Member // whom it may mean
	Entry   appsheet.Entry
	Bad     string // the field of the entry that cannot be read; empty: none
}

// ReadRecords reads a list of records of another school, in the columns of records.csv: whose each row is, by
// number, username, mail or name, and what cannot be read. An empty outcome is that of a transfer, an empty
// school year the one before. It changes nothing.
func (s *Service) ReadRecords(ctx context.Context, by int64, school string, year int, file string) ([]RecordLine, []bundle.Problem, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, nil, err
	}
	if len(file) > people.MaxRoster {
		return nil, nil, problem.New(problem.TooMuch)
	}
	rows, problems := bundle.Loose("records.csv", file, "student", "courseCode")
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, school, year, "")
	if err != nil {
		return nil, nil, err
	}
	roll, err := s.ports.People.Roll(ctx, school, heads)
	if err != nil {
		return nil, nil, err
	}
	names := make([]string, len(rows))
	for i := range rows {
		names[i] = cmp.Or(strings.Join(strings.Fields(rows[i].Cells["student"]), " "), "?")
	}
	named := map[int][]int{}
	for _, l := range roster.Match(strings.Join(names, "\n"), roll, text.Fold) {
		named[l.Number] = l.People
	}
	var out []RecordLine
	for i, r := range rows {
		cell := func(column string) string { return r.Cells[column] }
		line := RecordLine{Line: r.Line, Named: names[i],
			Entry: appsheet.Entry{Course: cell("courseCode"), Title: cell("title"), Subject: cell("subject"),
				Term: cell("term"), Credits: cell("credits"),
				Mark: cell("mark"), SchoolYear: cmp.Or(cell("schoolYear"), policy.YearLabel(y.Start-1)),
				Outcome: cmp.Or(cell("outcome"), string(sheet.Transfer))}}
		if found := named[i+1]; len(found) == 1 {
			m := people.MemberOf(&heads[found[0]])
			line.Student = &m
		} else {
			for _, k := range found {
				line.People = append(line.People, people.MemberOf(&heads[k]))
			}
		}
		var bad *problem.Error
		if err := line.Entry.Check(y); errors.As(err, &bad) {
			line.Bad = bad.Param
		}
		out = append(out, line)
	}
	return out, problems, nil
}
