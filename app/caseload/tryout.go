package caseload

import (
	"context"
	"slices"

	"rubricon/app/actor"
	"rubricon/app/people"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Tryout is a course into which the reader takes students, with those who ask for it or have an answer.
// Nothing else of a student is in it.
type Tryout struct {
	Year *schoolyear.SchoolYear
	catalog.Tryout
	Pupils []Trying
}

// Trying is a student who may be taken into a course.
type Trying struct {
	Student, GivenName, FamilyName string
	Grade                          int // the one entered
	Asks                           Asks
	Answer                         TryoutAnswer
	By, Note                       string // of the answer
	May                            acts.Answer

	said []int64 // the signals that are the answer, and what was done with it
}

// Asks is how a student asks for a course.
type Asks string

// The ways.
const (
	AsksNot         Asks = ""
	AsksRequest     Asks = "request"
	AsksAlternate   Asks = "alternate"
	AsksPlaceholder Asks = "placeholder" // for one that may become the course
)

// TryoutAnswer is its result.
type TryoutAnswer string

// The answers.
const (
	TryoutOpen  TryoutAnswer = "open"
	TryoutTaken TryoutAnswer = "taken"
	TryoutNot   TryoutAnswer = "not"
)

// leading returns the courses that someone leads.
func (s *Service) leading(ctx context.Context, by int64, school string,
	year int) (*schoolyear.SchoolYear, *actor.Actor, []catalog.Tryout, error) {
	row, err := s.base.DB.Queries().Year.YearRow(ctx, school, year)
	if err != nil {
		return nil, nil, nil, problem.AsNotFound(err)
	}
	a, err := s.base.Years.Actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, nil, nil, err
	}
	taught, err := s.base.DB.Queries().People.TaughtBy(ctx, school, year, a.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	y, err := s.base.Years.Year(ctx, school, year, row.Catalog, row.Policy)
	if err != nil {
		return nil, nil, nil, err
	}
	list := slices.DeleteFunc(y.Tryouts(), func(t catalog.Tryout) bool {
		code := y.Codes[t.Course]
		return !slices.Contains(a.Leads.V, code) && !slices.ContainsFunc(taught, func(r store.TaughtRow) bool { return r.Course == code })
	})
	is := a.InSchool()
	is.Leads = len(list) > 0
	if !acts.InSchool(acts.LeadCourses, is) {
		return nil, nil, nil, problem.New(problem.Code(acts.NotYours))
	}
	return y, a, list, nil
}

// led returns one of the courses that someone leads. The error is NotFound where it is none of theirs.
func (s *Service) led(ctx context.Context, by int64, school string, year int,
	course string) (*schoolyear.SchoolYear, *actor.Actor, *catalog.Tryout, error) {
	y, a, list, err := s.leading(ctx, by, school, year)
	if err != nil {
		return nil, nil, nil, err
	}
	at := slices.IndexFunc(list, func(t catalog.Tryout) bool { return y.Codes[t.Course] == course })
	if at < 0 {
		return nil, nil, nil, problem.New(problem.NotFound)
	}
	return y, a, &list[at], nil
}

// Tryouts lists the courses into which the reader takes students, each with its students. The error is
// NotYours where they lead none.
func (s *Service) Tryouts(ctx context.Context, by int64, school string, year int) ([]Tryout, error) {
	y, a, list, err := s.leading(ctx, by, school, year)
	if err != nil {
		return nil, err
	}
	var out []Tryout
	for i := range list {
		t, err := s.tryout(ctx, y, a, &list[i])
		if err != nil {
			return nil, err
		}
		out = append(out, *t)
	}
	return out, nil
}

func (s *Service) tryout(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, t *catalog.Tryout) (*Tryout, error) {
	out := &Tryout{Year: y, Tryout: *t}
	var asked []string
	for _, course := range t.Asked {
		asked = append(asked, y.Codes[course])
	}
	students, err := s.base.DB.Queries().Caseload.Trying(ctx, y.School, y.Start, asked, y.Codes[t.Course])
	if err != nil || len(students) == 0 {
		return out, err
	}
	desks, err := s.ports.Sheet.Desks(ctx, y, a, students)
	for _, d := range desks {
		out.Pupils = append(out.Pupils, *trying(d, t))
	}
	return out, err
}

// trying returns the view that a leader has of a student.
func trying(d *appsheet.Desk, t *catalog.Tryout) *Trying {
	d.Leads = true
	d.Answer(0)
	p := &Trying{Student: d.Row.Student, GivenName: d.Pupil.GivenName, FamilyName: d.Pupil.FamilyName,
		Grade: d.Known.Grade, Answer: TryoutOpen, May: d.Acts[acts.Take]}
	code := d.Year.Codes[t.Course]
	for _, e := range d.Row.Entries {
		switch i, ok := d.Year.Index(e.Course); {
		case !ok || !slices.Contains(t.Asked, i):
		case i == t.Course && e.Alternate:
			p.Asks = AsksAlternate
		case i == t.Course:
			p.Asks = AsksRequest
		case p.Asks == AsksNot:
			p.Asks = AsksPlaceholder
		}
	}
	for i := range d.Known.Signals {
		x := &d.Known.Signals[i]
		if course, ok := d.Year.Index(x.Code); x.Code != code {
			if ok && x.Kind == sheet.ErrandDone && x.By == d.Actor.ID && slices.Contains(t.Asked, course) { // of a placeholder
				p.said = append(p.said, d.Known.SignalIDs[i])
			}
			continue
		}
		taken := x.Kind == sheet.Permission && slices.Contains(t.Permissions, x.Name)
		held := x.Kind == sheet.ErrandDone && slices.ContainsFunc(t.Auditions, func(e int) bool { return d.Year.Errands[e].Kind == x.Name })
		if taken || held {
			p.said = append(p.said, d.Known.SignalIDs[i])
		}
		if taken || held && p.Answer == TryoutOpen {
			p.By, p.Note, p.Answer = d.Known.Said[i], x.Note, TryoutNot
			if taken {
				p.Answer = TryoutTaken
			}
		}
	}
	return p
}

// Taking is a leader's answer to some students.
type Taking struct {
	Students []string
	Answer   TryoutAnswer // open: what was answered is taken back
	Note     string       // for the student and the family
}

// Take keeps a leader's answer for students, in place of the one they have; the students see it at once, with
// the name. Anyone who is taken has the permission, and what there was to do for it is done. The errors are
// NotFound where someone is no student of the year, and BadAct where no one is heard for the course, so that
// no one can be turned down.
func (s *Service) Take(ctx context.Context, by int64, school string, year int, course string, x Taking) (*Tryout, error) {
	x.Note = text.Tidy(x.Note)
	y, a, t, err := s.led(ctx, by, school, year, course)
	if err != nil {
		return nil, err
	}
	if x.Answer != TryoutOpen && x.Answer != TryoutTaken && (x.Answer != TryoutNot || len(t.Auditions) == 0) {
		return nil, problem.New(problem.BadAct)
	}
	for _, student := range x.Students {
		if err := s.take(ctx, a, schoolyear.Place{School: school, Year: year, Student: student}, t, &x); err != nil {
			return nil, err
		}
	}
	return s.tryout(ctx, y, a, t)
}

// take keeps a leader's answer for one student.
func (s *Service) take(ctx context.Context, a *actor.Actor, at schoolyear.Place, t *catalog.Tryout, x *Taking) error {
	return s.sayOf(ctx, a, at, acts.Take, x.Note, func(d *appsheet.Desk) *store.Change {
		p := trying(d, t)
		if p.Answer == x.Answer && (x.Answer == TryoutOpen || p.Note == x.Note) {
			return nil
		}
		change := d.Change(map[TryoutAnswer]string{TryoutOpen: "tryoutOpen", TryoutTaken: "taken",
			TryoutNot: "notTaken"}[x.Answer], x.Note, map[string]any{"course": d.Year.Codes[t.Course]})
		change.Withdraw, change.Signals = p.said, answered(d, p, t, x)
		return change
	})
}

// answered returns the signals that record a leader's answer.
func answered(d *appsheet.Desk, p *Trying, t *catalog.Tryout, x *Taking) (list []*store.SignalRow) {
	code := d.Year.Codes[t.Course]
	done := func(course, kind string) {
		same := func(y *store.SignalRow) bool {
			return y.Code == course && y.Name == kind && y.Kind == string(sheet.ErrandDone)
		}
		for i, y := range d.Known.Signals {
			if y.Kind == sheet.ErrandDone && y.Code == course && y.Name == kind && !slices.Contains(p.said, d.Known.SignalIDs[i]) {
				return
			}
		}
		if !slices.ContainsFunc(list, same) {
			list = append(list, appsheet.SaidOf(d.Row.Student, sheet.ErrandDone, course, kind, d.Actor.ID, x.Note))
		}
	}
	switch x.Answer {
	case TryoutTaken:
		list = append(list, appsheet.SaidOf(d.Row.Student, sheet.Permission, code, t.Permissions[0], d.Actor.ID, x.Note))
		for _, i := range t.Auditions {
			e := &d.Year.Errands[i]
			if slices.ContainsFunc(d.Row.Entries, func(x store.EntryRow) bool { return x.Course == d.Year.Codes[e.Course] }) && e.SettledBy == nil {
				done(d.Year.Codes[e.Course], e.Kind)
			}
		}
	case TryoutNot:
		for _, i := range t.Auditions {
			done(code, d.Year.Errands[i].Kind)
		}
	}
	return list
}

// Named are the students whom the lines of a list name, and the lines that name no one, several, or someone once more.
func (s *Service) Named(ctx context.Context, by int64, school string, year int, course, text string) (*Cohort, error) {
	y, _, _, err := s.led(ctx, by, school, year, course)
	if err != nil {
		return nil, err
	}
	if len(text) > people.MaxRoster {
		return nil, problem.New(problem.TooMuch)
	}
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, school, year, "")
	if err != nil {
		return nil, err
	}
	out := &Cohort{Year: y}
	chosen, err := s.listed(ctx, out, text, heads)
	for _, h := range chosen {
		out.Students = append(out.Students, people.MemberOf(h))
	}
	return out, err
}

// SetLead lets a person of the staff lead a course, next to those who teach it now, or takes that back, with a
// reason. The errors are NeedsReason, NoCourse, and AlreadyDone where nothing changes.
func (s *Service) SetLead(ctx context.Context, by int64, school string, year int, person, course string, give bool, reason string) error {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return err
	}
	if reason = text.Tidy(reason); reason == "" {
		return problem.New(problem.NeedsReason)
	}
	if _, ok := y.Index(course); give && !ok {
		return &problem.Error{Code: problem.NoCourse, Param: course}
	}
	set := store.OfficeQueries.TakeLead
	if give {
		set = store.OfficeQueries.GiveLead
	}
	return s.ports.People.SetForRoster(ctx, a, "who leads a course was set", give, school, func(q store.Queries) (bool, error) {
		return set(q.Office, ctx, school, person, course, a.Name().Name, reason, s.base.Now())
	})
}
