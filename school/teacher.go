package school

import (
	"context"
	"slices"

	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Class is a course that somebody teaches now, with those whom they teach it. Nothing else of a student is in it.
type Class struct {
	Year    *SchoolYear
	Course  string
	Columns []int32 // the courses that are likely to come next, the last the same again
	Pupils  []Taught
}

// Taught is a student of a class.
type Taught struct {
	Known      *Known
	Sheet      sheet.Sheet
	GivenName  string
	FamilyName string
	Mark       *credit.Amount // in the class, so far
	Asks       []int32        // what the student requests in the subject of the class
	Word       int32          // what the teacher recommends; -1: nothing
	Reason     string
	May        acts.Answer // recommend

	desk  *Desk
	words []int64 // the recommendations, by id
}

// ClassHead is a class in a list.
type ClassHead struct {
	Course, Title string
	Pupils, Words int // how many there are, and how many have the teacher's word
}

// mostColumns is how many courses stand beside each other, the same again included.
const mostColumns = 4

// Classes lists the classes of the reader.
func (s *Service) Classes(ctx context.Context, by int64, school string, year int) (y *SchoolYear, heads []ClassHead, err error) {
	y, a, taught, err := s.teaching(ctx, by, school, year)
	if err != nil {
		return nil, nil, err
	}
	for _, t := range taught {
		if n := len(heads); n > 0 && heads[n-1].Course == t.Course {
			continue
		}
		class, err := s.class(ctx, y, a, taught, t.Course)
		if err != nil {
			return nil, nil, err
		}
		head := ClassHead{Course: t.Course, Title: t.Course, Pupils: len(class.Pupils)}
		for i := range class.Pupils {
			if class.Pupils[i].Word >= 0 {
				head.Words++
			}
		}
		heads = append(heads, head)
	}
	return y, heads, nil
}

// Class gives a class of the reader. The error is NotFound where they teach nobody that course.
func (s *Service) Class(ctx context.Context, by int64, school string, year int, course string) (*Class, error) {
	y, a, taught, err := s.teaching(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	return s.class(ctx, y, a, taught, course)
}

func (s *Service) teaching(ctx context.Context, by int64, school string, year int) (*SchoolYear, *actor, []store.Taught, error) {
	row, err := s.db.Queries().YearRow(ctx, school, year)
	if err != nil {
		return nil, nil, nil, asNotFound(err)
	}
	a, err := s.actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, nil, nil, err
	}
	taught, err := s.db.Queries().TaughtBy(ctx, school, year, a.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	is := a.inSchool()
	is.Teaches = len(taught) > 0
	if !acts.InSchool(acts.SeeClasses, is) {
		return nil, nil, nil, problem(Code(acts.NotYours))
	}
	y, err := s.year(ctx, school, year, row.Catalog, row.Policy)
	return y, a, taught, err
}

func (s *Service) class(ctx context.Context, y *SchoolYear, a *actor, taught []store.Taught, course string) (*Class, error) {
	class := &Class{Year: y, Course: course, Columns: columns(y, course)}
	for _, t := range taught {
		if t.Course != course {
			continue
		}
		p, err := s.taught(ctx, class, a, &t)
		if err != nil {
			return nil, err
		}
		class.Pupils = append(class.Pupils, *p)
	}
	if len(class.Pupils) == 0 {
		return nil, problem(NotFound)
	}
	return class, nil
}

// columns are the courses of a class's subject that rest on it, each with its variants, and itself.
func columns(y *SchoolYear, course string) (list []int32) {
	now, ok := y.Index(course)
	if !ok {
		return nil
	}
	c := &y.Courses[now]
	for _, code := range c.LeadsTo {
		for next := range y.Courses {
			n := &y.Courses[next]
			if (n.Code == code || n.VariantOf == code) && !n.Summer && n.Subjects[0] == c.Subjects[0] && len(list) < mostColumns-1 && !slices.Contains(list, int32(next)) {
				list = append(list, int32(next))
			}
		}
	}
	return append(list, now)
}

// taught reads what a teacher sees of a student.
func (s *Service) taught(ctx context.Context, class *Class, a *actor, t *store.Taught) (*Taught, error) {
	y := class.Year
	row, err := s.db.Queries().Sheet(ctx, Place{School: y.School, Year: y.Start, Student: t.Student})
	if err != nil {
		return nil, asNotFound(err)
	}
	d, err := s.lay(ctx, row, a)
	if err != nil {
		return nil, err
	}
	d.teaches = true
	d.answer(0)
	p := &Taught{Known: d.Known, GivenName: t.GivenName, FamilyName: t.FamilyName, Word: -1, May: d.Acts[acts.Recommend], desk: d}
	p.Sheet, _ = laid(d.Year.Year, d.Row.Entries)
	for i := range d.Known.Records {
		if r := &d.Known.Records[i]; r.Code == class.Course && r.Outcome == sheet.InProgress && r.HasMark {
			p.Mark = &r.Mark
		}
	}
	subject := ""
	if now, ok := y.Index(class.Course); ok {
		subject = y.Courses[now].Subjects[0]
	}
	for _, e := range p.Sheet.Requests {
		if y.Courses[e.Course].Subjects[0] == subject {
			p.Asks = append(p.Asks, e.Course)
		}
	}
	for i := range d.Known.Signals {
		x := &d.Known.Signals[i]
		if next, ok := y.Index(x.Code); ok && x.Kind == sheet.Recommendation && (x.By == a.ID || x.By == a.name().Name) && y.Courses[next].Subjects[0] == subject {
			p.Word, p.Reason = next, x.Note
			p.words = append(p.words, d.Known.SignalIDs[i])
		}
	}
	return p, nil
}

// Recommending is a teacher's word for some students of a class.
type Recommending struct {
	Students []string
	Course   string // a code; empty: the word is taken back
	Reason   string
}

// Recommend keeps a teacher's word for students of a class, in place of the one they have; the students see it at once, with the name.
// The errors are NotFound where somebody is not of the class, NoCourse, and BadAct where the course is none that can follow.
func (s *Service) Recommend(ctx context.Context, by int64, school string, year int, class string, r Recommending) (*Class, error) {
	r.Reason = tidy(r.Reason)
	y, a, taught, err := s.teaching(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	next := int32(-1)
	if r.Course != "" {
		course, ok := y.Index(r.Course)
		if !ok {
			return nil, &Error{Code: NoCourse, Param: r.Course}
		}
		if next = course; !slices.Contains(columns(y, class), next) {
			return nil, problem(BadAct)
		}
	}
	for _, student := range r.Students {
		if !slices.ContainsFunc(taught, func(t store.Taught) bool { return t.Course == class && t.Student == student }) {
			return nil, problem(NotFound)
		}
	}
	for _, student := range r.Students {
		at := slices.IndexFunc(taught, func(t store.Taught) bool { return t.Course == class && t.Student == student })
		if err := s.recommend(ctx, &Class{Year: y, Course: class}, a, &taught[at], next, r.Reason); err != nil {
			return nil, err
		}
	}
	return s.class(ctx, y, a, taught, class)
}

func (s *Service) recommend(ctx context.Context, class *Class, a *actor, t *store.Taught, next int32, reason string) error {
	for range tries {
		p, err := s.taught(ctx, class, a, t)
		if err != nil {
			return err
		}
		d := p.desk
		if err := d.guard(acts.Recommend, reason); err != nil {
			s.refused(ctx, d, acts.Recommend, err)
			return err
		}
		if p.Word == next && p.Reason == reason && len(p.words) < 2 {
			return nil
		}
		code := ""
		if next >= 0 {
			code = class.Year.Codes[next]
		}
		change := d.change("recommend", reason, map[string]any{"course": code, "class": class.Course})
		change.Withdraw = p.words
		if code != "" {
			change.Signal = &store.SignalRow{Kind: string(sheet.Recommendation), Code: code, By: a.ID, Note: reason,
				Cells: store.Cells{"student": t.Student, "kind": string(sheet.Recommendation), "courseCode": code, "by": a.ID, "note": reason}}
		}
		saved, err := s.db.Queries().SaveChange(ctx, change)
		if err != nil {
			return err
		}
		if saved {
			s.told(d.Row.Place, d.Row.Version+1)
			s.log.InfoContext(ctx, "a sheet", "act", change.Kind, "school", d.Row.School, "year", d.Row.Year, "account", a.account)
			return nil
		}
	}
	return problem(Busy)
}
