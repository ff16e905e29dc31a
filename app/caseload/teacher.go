package caseload

import (
	"cmp"
	"context"
	"slices"

	"rubricon/app/actor"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Class is a course that someone teaches now, with those whom they teach it. Nothing else of a student is in it.
type Class struct {
	Year    *schoolyear.SchoolYear
	Course  string
	Columns []int32 // the courses that are likely to come next, one more where it is wanted, the last the same again
	Others  []int32 // the other courses of the subject, by title
	Pupils  []Taught
}

// Taught is a student of a class.
type Taught struct {
	Known      *schoolyear.Known
	Sheet      sheet.Sheet
	GivenName  string
	FamilyName string
	Mark       *credit.Amount // in the class, so far
	Asks       []int32        // what the student requests in the subject of the class
	HandedIn   bool           // the school has that
	Word       int32          // what the teacher recommends; -1: nothing
	Reason     string
	May        acts.Answer // recommend

	words []int64 // the recommendations, by id
}

// ClassHead is a class in a list.
type ClassHead struct {
	Course        string
	Pupils, Words int // how many there are, and how many have the teacher's word
}

// mostColumns is how many courses stand next to each other, the same again included.
const mostColumns = 4

// lessons are what someone teaches: whom which course, and the sheets of all of them.
type lessons struct {
	year   *schoolyear.SchoolYear
	actor  *actor.Actor
	rows   []store.TaughtRow         // by course and name
	sheets map[string]*appsheet.Desk // by student; read where whole classes are looked at
}

// Classes lists the classes of the reader.
func (s *Service) Classes(ctx context.Context, by int64, school string, year int) (*schoolyear.SchoolYear, []ClassHead, error) {
	l, err := s.allLessons(ctx, by, school, year)
	if err != nil {
		return nil, nil, err
	}
	var heads []ClassHead
	for _, t := range l.rows {
		if n := len(heads); n > 0 && heads[n-1].Course == t.Course {
			continue
		}
		class, err := l.class(t.Course, "")
		if err != nil {
			return nil, nil, err
		}
		head := ClassHead{Course: t.Course, Pupils: len(class.Pupils)}
		for i := range class.Pupils {
			if class.Pupils[i].Word >= 0 {
				head.Words++
			}
		}
		heads = append(heads, head)
	}
	return l.year, heads, nil
}

// Class returns a class of the reader, with a column for also, a code, where it is another course of the
// subject. The error is NotFound where they teach no one that course.
func (s *Service) Class(ctx context.Context, by int64, school string, year int, course, also string) (*Class, error) {
	l, err := s.allLessons(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	return l.class(course, also)
}

func (s *Service) lessons(ctx context.Context, by int64, school string, year int) (*lessons, error) {
	row, err := s.base.DB.Queries().Year.YearRow(ctx, school, year)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	a, err := s.base.Years.Actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, err
	}
	taught, err := s.base.DB.Queries().People.TaughtBy(ctx, school, year, a.ID)
	if err != nil {
		return nil, err
	}
	is := a.InSchool()
	is.Teaches = len(taught) > 0
	if !acts.InSchool(acts.SeeClasses, is) {
		return nil, problem.New(problem.Code(acts.NotYours))
	}
	y, err := s.base.Years.Year(ctx, school, year, row.Catalog, row.Policy)
	return &lessons{year: y, actor: a, rows: taught}, err
}

// allLessons reads the sheets of all students in one go.
func (s *Service) allLessons(ctx context.Context, by int64, school string, year int) (*lessons, error) {
	l, err := s.lessons(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	list, err := s.base.DB.Queries().Sheet.Taught(ctx, school, year, l.actor.ID)
	if err != nil {
		return nil, err
	}
	sheets := make([]*store.SheetRow, len(list))
	for i := range list {
		sheets[i] = &list[i].SheetRow
	}
	known, err := s.base.Years.KnownOf(ctx, l.year, sheets)
	if err != nil {
		return nil, err
	}
	l.sheets = make(map[string]*appsheet.Desk, len(list))
	for i := range list {
		l.sheets[list[i].Student] = &appsheet.Desk{Row: list[i].SheetRow, Pupil: list[i].Pupil, Year: l.year,
			Known: known[i], Actor: l.actor, Now: s.base.Now()}
	}
	return l, nil
}

// has reports whether someone is of a class.
func (l *lessons) has(class, student string) bool {
	return slices.Contains(l.rows, store.TaughtRow{Course: class, Student: student})
}

func (l *lessons) class(course, also string) (*Class, error) {
	class := &Class{Year: l.year, Course: course, Columns: follow(l.year, course)}
	class.Others = slices.DeleteFunc(ofSubject(l.year, course), func(c int32) bool { return slices.Contains(class.Columns, c) })
	for _, t := range l.rows {
		if d := l.sheets[t.Student]; t.Course == course && d != nil {
			class.Pupils = append(class.Pupils, *taught(d, course))
		}
	}
	if len(class.Pupils) == 0 {
		return nil, problem.New(problem.NotFound)
	}
	// What some of them have been told has a column too.
	more := map[int32]bool{}
	if c, ok := l.year.Index(also); ok {
		more[c] = true
	}
	for i := range class.Pupils {
		more[class.Pupils[i].Word] = true
	}
	for at, c := range class.Others {
		if more[c] {
			class.Columns = slices.Insert(class.Columns, len(class.Columns)-1, class.Others[at])
		}
	}
	class.Others = slices.DeleteFunc(class.Others, func(c int32) bool { return more[c] })
	return class, nil
}

// follow lists what may come after the course of a class; nothing where the catalog has it no longer.
func follow(y *schoolyear.SchoolYear, course string) []int32 {
	now, ok := y.Index(course)
	if !ok {
		return nil
	}
	return append(y.Follow(now, mostColumns-1), now)
}

// ofSubject lists the courses of the year in the subject area of a class, by title; none that stands for
// others until a test or an audition.
func ofSubject(y *schoolyear.SchoolYear, course string) (list []int32) {
	now, ok := y.Index(course)
	for i := range y.Courses {
		if c := &y.Courses[i]; ok && !c.Summer && c.Subjects[0] == y.Courses[now].Subjects[0] && !y.Placeholder(int32(i)) {
			list = append(list, int32(i))
		}
	}
	slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(y.Courses[a].Title, y.Courses[b].Title) })
	return list
}

// taught returns the view that a teacher has of a student.
func taught(d *appsheet.Desk, class string) *Taught {
	y := d.Year
	d.Teaches = true
	d.Answer(0)
	p := &Taught{Known: d.Known, GivenName: d.Pupil.GivenName, FamilyName: d.Pupil.FamilyName, Word: -1, May: d.Acts[acts.Recommend]}
	p.Sheet, _ = appsheet.Laid(y.Year, d.Row.Entries)
	p.HandedIn = d.HandedIn()
	for i := range d.Known.Records {
		if r := &d.Known.Records[i]; r.Code == class && r.Outcome == sheet.InProgress && r.HasMark {
			p.Mark = &r.Mark
		}
	}
	subject := ""
	if now, ok := y.Index(class); ok {
		subject = y.Courses[now].Subjects[0]
	}
	for _, e := range p.Sheet.Requests {
		if y.Courses[e.Course].Subjects[0] == subject {
			p.Asks = append(p.Asks, e.Course)
		}
	}
	for i := range d.Known.Signals {
		x := &d.Known.Signals[i]
		if next, ok := y.Index(x.Code); ok && x.Kind == sheet.Recommendation &&
			(x.By == d.Actor.ID || x.By == d.Actor.Name().Name) && y.Courses[next].Subjects[0] == subject {
			p.Word, p.Reason = next, x.Note
			p.words = append(p.words, d.Known.SignalIDs[i])
		}
	}
	return p
}

// Recommending is a teacher's word for some students of a class.
type Recommending struct {
	Students []string
	Course   string // a code; empty: the word is taken back
	Reason   string
	Also     string // a course that is wanted as a column too, as in Class
}

// Recommend keeps a teacher's word for students of a class, in place of the one they have; the students see
// it at once, with the name. The errors are NotFound where someone is not of the class, NoCourse, and BadAct
// where the course is none that can follow.
func (s *Service) Recommend(ctx context.Context, by int64, school string, year int, class string, r Recommending) (*Class, error) {
	r.Reason = text.Tidy(r.Reason)
	l, err := s.lessons(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	next := int32(-1)
	if r.Course != "" {
		course, ok := l.year.Index(r.Course)
		if !ok {
			return nil, &problem.Error{Code: problem.NoCourse, Param: r.Course}
		}
		if next = course; !slices.Contains(ofSubject(l.year, class), next) {
			return nil, problem.New(problem.BadAct)
		}
	}
	for _, student := range r.Students {
		if !l.has(class, student) {
			return nil, problem.New(problem.NotFound)
		}
	}
	for _, student := range r.Students {
		if err := s.recommend(ctx, l.actor, schoolyear.Place{School: school, Year: year, Student: student}, class, next, r.Reason); err != nil {
			return nil, err
		}
	}
	return s.Class(ctx, by, school, year, class, r.Also)
}

// recommend keeps a teacher's word for one student of a class; next is -1 where it is taken back.
func (s *Service) recommend(ctx context.Context, a *actor.Actor, at schoolyear.Place, class string, next int32, reason string) error {
	return s.sayOf(ctx, a, at, acts.Recommend, reason, func(d *appsheet.Desk) *store.Change {
		p := taught(d, class)
		if p.Word == next && p.Reason == reason && len(p.words) < 2 {
			return nil
		}
		code := ""
		if next >= 0 {
			code = d.Year.Codes[next]
		}
		change := d.Change("recommend", reason, map[string]any{"course": code, "class": class})
		change.Withdraw = p.words
		if code != "" {
			change.Say(appsheet.SaidOf(at.Student, sheet.Recommendation, code, "", a.ID, reason))
		}
		return change
	})
}

// sayOf keeps what someone of the school says of a student whose sheet they do not see. The word answers
// what may be done with the sheet, and tells what changes, nil where nothing does; where someone was quicker
// it is asked again.
func (s *Service) sayOf(ctx context.Context, a *actor.Actor, at schoolyear.Place, act acts.Act, reason string,
	word func(d *appsheet.Desk) *store.Change) error {
	for range appsheet.Tries {
		row, err := s.base.DB.Queries().Sheet.Sheet(ctx, at)
		if err != nil {
			return problem.AsNotFound(err)
		}
		d, err := s.ports.Sheet.Lay(ctx, row, a)
		if err != nil {
			return err
		}
		change := word(d)
		if err := d.Guard(act, reason); err != nil {
			s.ports.Sheet.Refused(ctx, d, act, err)
			return err
		}
		if change == nil {
			return nil
		}
		change.Prepares = true
		saved, err := s.base.DB.Queries().Sheet.SaveChange(ctx, change)
		if err != nil {
			return err
		}
		if saved {
			s.ports.Messages.Told(at, d.Row.Version+1)
			s.base.Log.InfoContext(ctx, "a sheet", "act", change.Kind, "school", at.School, "year", at.Year, "account", a.Account)
			return nil
		}
	}
	return problem.New(problem.Busy)
}
