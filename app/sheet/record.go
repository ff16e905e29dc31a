package sheet

import (
	"maps"
	"slices"
	"strings"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Entry is a record as it is entered by hand. Credits and Mark are texts as a file has them.
type Entry struct {
	Replaces       int64 // the record in whose place it comes; 0: it is a further one
	Course         string
	Title, Subject string // where the catalog has no such course
	SchoolYear     string
	Term           string
	Credits        string // empty: those of the course
	Mark           string // a number, or the name of a mark
	Outcome        string
}

// Check checks the entry. The error is BadRecord with the field.
func (e *Entry) Check(y *schoolyear.SchoolYear) error {
	for _, cell := range []*string{&e.Course, &e.Title, &e.Subject, &e.SchoolYear, &e.Term, &e.Credits, &e.Mark} {
		*cell = text.Tidy(*cell)
	}
	_, err := e.Row(y)
	return err
}

// Row makes of what was entered a record.
func (e *Entry) Row(y *schoolyear.SchoolYear) (*store.RecordRow, error) {
	bad := func(field string) error { return &problem.Error{Code: problem.BadRecord, Param: field} }
	r := &store.RecordRow{Code: e.Course, Title: e.Title, Subjects: []string{}, Term: e.Term, Outcome: e.Outcome}
	if e.Subject != "" {
		r.Subjects = []string{e.Subject}
	}
	course, known := y.Index(e.Course)
	if known && e.Course != "" {
		c := &y.Courses[course]
		r.Title, r.Subjects, r.Credits = c.Title, c.Subjects, int64(c.Credits)
	}
	if r.Title == "" {
		return nil, bad("title")
	}
	year, err := policy.StartYear(e.SchoolYear)
	if err != nil || year > y.Start {
		return nil, bad("schoolYear")
	}
	r.Year = year
	if e.Credits != "" {
		credits, err := credit.Parse(e.Credits)
		if err != nil || credits < 0 || credits > 100*credit.One {
			return nil, bad("credits")
		}
		r.Credits = int64(credits)
	} else if !known || e.Course == "" {
		return nil, bad("credits")
	}
	if e.Mark != "" {
		mark, named := y.Policy.Marks[e.Mark]
		if !named {
			parsed, err := credit.Parse(e.Mark)
			if err != nil || parsed < 0 || parsed > 100*credit.One {
				return nil, bad("mark")
			}
			mark = parsed
		}
		value := int64(mark)
		r.Mark = &value
	}
	if !slices.Contains([]sheet.Outcome{sheet.Earned, sheet.InProgress, sheet.Failed, sheet.Withdrawn, sheet.Transfer},
		sheet.Outcome(e.Outcome)) {
		return nil, bad("outcome")
	}
	return r, nil
}

// Cells are those of a record that was entered, as a file that is read has them.
func (e *Entry) Cells(student string, r *store.RecordRow) store.Cells {
	cells := store.Cells{"student": student, "courseCode": r.Code, "title": r.Title,
		"subject": strings.Join(r.Subjects, ","), "schoolYear": e.SchoolYear,
		"term": r.Term, "credits": credit.Amount(r.Credits).String(), "mark": e.Mark, "outcome": r.Outcome}
	maps.DeleteFunc(cells, func(_, cell string) bool { return cell == "" })
	return cells
}
