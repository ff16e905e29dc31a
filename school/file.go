package school

import (
	"context"
	"maps"
	"slices"
	"strings"

	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

// File is what is on record of a student.
type File struct {
	Desk      *Desk
	Guardians []store.GuardianRow
}

// File gives what is on record of a student to the student, the guardians, and whoever decides.
func (s *Service) File(ctx context.Context, by int64, at Place) (*File, error) {
	d, err := s.open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if d.answer(0); !d.Acts[acts.SeeFiles].Allowed {
		return nil, problem(Code(d.Acts[acts.SeeFiles].Why))
	}
	list, err := s.db.Queries().GuardiansOf(ctx, at.School, at.Student)
	return &File{d, list}, err
}

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

// check looks at what was entered. The error is BadRecord with the field.
func (e *Entry) check(y *SchoolYear) error {
	for _, text := range []*string{&e.Course, &e.Title, &e.Subject, &e.SchoolYear, &e.Term, &e.Credits, &e.Mark} {
		*text = tidy(*text)
	}
	_, err := e.row(y)
	return err
}

// row makes of what was entered a record.
func (e *Entry) row(y *SchoolYear) (*store.RecordRow, error) {
	bad := func(field string) error { return &Error{Code: BadRecord, Param: field} }
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
	if !slices.Contains([]sheet.Outcome{sheet.Earned, sheet.InProgress, sheet.Failed, sheet.Withdrawn, sheet.Transfer}, sheet.Outcome(e.Outcome)) {
		return nil, bad("outcome")
	}
	return r, nil
}

// recorded is the change that enters records, or puts one in the place of another.
func (d *Desk) recorded(b *Batch) (*store.Change, error) {
	change := d.change(BatchRecord, b.Reason, nil)
	change.Prepares, change.Batch = true, &store.BatchPart{Batch: b.ID, Was: d.Row.State}
	var titles []string
	for i := range b.entries(d.Row.Student) {
		e := &b.entries(d.Row.Student)[i]
		r, err := e.row(d.Year)
		if err != nil {
			return nil, err
		}
		if d.onRecord(r) {
			continue
		}
		if e.Replaces != 0 && !slices.Contains(d.Known.RecordIDs, e.Replaces) {
			return nil, problem(NotFound)
		}
		r.Cells = e.cells(d.Row.Student, r)
		change.Records, change.Replace = append(change.Records, r), e.Replaces
		titles = append(titles, r.Title)
		change.Detail = map[string]any{"course": r.Code, "message": strings.Join(titles, ", ")}
	}
	if len(change.Records) == 0 {
		return nil, problem(Code(acts.AlreadyDone))
	}
	return change, nil
}

// cells are those of a record that was entered, as a file that is read has them.
func (e *Entry) cells(student string, r *store.RecordRow) store.Cells {
	cells := store.Cells{"student": student, "courseCode": r.Code, "title": r.Title, "subject": strings.Join(r.Subjects, ","), "schoolYear": e.SchoolYear,
		"term": r.Term, "credits": credit.Amount(r.Credits).String(), "mark": e.Mark, "outcome": r.Outcome}
	maps.DeleteFunc(cells, func(_, cell string) bool { return cell == "" })
	return cells
}

// entries are the records that a batch enters for a student.
func (b *Batch) entries(student string) (list []Entry) {
	if b.Own == nil {
		return []Entry{b.Record}
	}
	for _, own := range b.Own {
		if own.Student == student {
			list = append(list, own.Entry)
		}
	}
	return list
}

// onRecord tells whether the same is on record.
func (d *Desk) onRecord(r *store.RecordRow) bool {
	return slices.ContainsFunc(d.Known.Records, func(x sheet.Record) bool {
		return x.Code == r.Code && x.Title == r.Title && x.Year == r.Year && x.Term == r.Term && int64(x.Credits) == r.Credits && string(x.Outcome) == r.Outcome &&
			x.HasMark == (r.Mark != nil) && (r.Mark == nil || int64(x.Mark) == *r.Mark)
	})
}
