package caseload

import (
	"context"
	"errors"
	"slices"
	"strings"

	"rubricon/app/actor"
	"rubricon/app/people"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/roster"
	"rubricon/store"
)

// Whom chooses students of a school year: all of whom everything given holds.
type Whom struct {
	Mine      bool  // of the reader's own
	Grades    []int // entered; none: any
	Programs  []string
	Condition string // of the condition language; empty: any
	Taking    bool   // a condition is met too where it will be once courses now being taken are passed
	Course    string // what “this course” in the condition means, a code; may be empty
	Roster    string // a list, a student a line; empty: any
}

// Cohort is whom someone has chosen.
type Cohort struct {
	Year     *schoolyear.SchoolYear
	Students []people.Member
	Unknown  []string     // codes in the condition that no course of the catalog has
	Lines    []RosterLine // of the list, that name no one, several, or someone once more
}

// RosterLine is a line of a list that does not name one student.
type RosterLine struct {
	Number int
	Text   string
	Twice  bool
	People []people.Member // whom it may mean
}

// Cohort lists the students that someone chooses, by name. The error is BadCondition, with what is wrong and
// where, for a condition that cannot be read.
func (s *Service) Cohort(ctx context.Context, by int64, school string, year int, w Whom) (*Cohort, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	if len(w.Roster) > people.MaxRoster {
		return nil, problem.New(problem.TooMuch)
	}
	wanted, subject, err := w.condition(y)
	if err != nil {
		return nil, err
	}
	counselor := ""
	if w.Mine && a.Counsels {
		counselor = a.ID
	}
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, school, year, counselor)
	if err != nil {
		return nil, err
	}
	out := &Cohort{Year: y}
	chosen, err := s.listed(ctx, out, w.Roster, heads)
	if err != nil {
		return nil, err
	}
	chosen = slices.DeleteFunc(chosen, func(h *store.HeadRow) bool {
		return len(w.Grades) > 0 && !slices.Contains(w.Grades, h.Grade) ||
			len(w.Programs) > 0 && !slices.ContainsFunc(h.Programs.V, func(p string) bool { return slices.Contains(w.Programs, p) })
	})
	if wanted != nil {
		out.Unknown = unknownCourses(y, wanted)
		if chosen, err = s.fitting(ctx, y, a, chosen, wanted, subject, w.Taking); err != nil {
			return nil, err
		}
	}
	for _, h := range chosen {
		out.Students = append(out.Students, people.MemberOf(h))
	}
	return out, nil
}

// unknownCourses lists the codes in a condition that no course of the catalog has.
func unknownCourses(y *schoolyear.SchoolYear, c *condition.Condition) (list []string) {
	c.Leaves(func(l *condition.Leaf) bool {
		if _, ok := y.Index(l.Name); !ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) && !slices.Contains(list, l.Name) {
			list = append(list, l.Name)
		}
		return true
	})
	return list
}

// condition reads the condition; nil where there is none. Subject is the course it is about, -1 for none.
func (w *Whom) condition(y *schoolyear.SchoolYear) (c *condition.Condition, subject int32, err error) {
	subject, ok := y.Index(w.Course)
	if w.Course == "" {
		subject = -1
	} else if !ok {
		return nil, 0, &problem.Error{Code: problem.NoCourse, Param: w.Course}
	}
	if strings.TrimSpace(w.Condition) == "" {
		return nil, subject, nil
	}
	if c, err = condition.Parse(w.Condition); err == nil {
		c, err = y.Bind(c, subject >= 0)
	}
	var syntax *condition.SyntaxError
	var bind *catalog.BindError
	if errors.As(err, &syntax) || errors.As(err, &bind) {
		err = &problem.Error{Code: problem.BadCondition, Param: err.Error()}
	}
	return c, subject, err
}

// Reading is a condition as it is read.
type Reading struct {
	Year      *schoolyear.SchoolYear
	Condition *condition.Condition   // nil where it cannot be read
	Syntax    *condition.SyntaxError // what is wrong with its text
	Mark      string                 // a mark that the policy lacks
	Unknown   []string               // codes that no course of the catalog has
}

// Read reads a condition about any course, for anyone who writes one.
func (s *Service) Read(ctx context.Context, by int64, school string, year int, text string) (*Reading, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	out := &Reading{Year: y}
	c, err := condition.Parse(text)
	if err != nil {
		errors.As(err, &out.Syntax)
		return out, nil
	}
	var bad *catalog.BindError
	if _, err := y.Bind(c, true); errors.As(err, &bad) {
		out.Mark = bad.Leaf.Mark
		return out, nil
	}
	out.Condition, out.Unknown = c, unknownCourses(y, c)
	return out, nil
}

// listed returns those whom a list names; all, where there is none.
func (s *Service) listed(ctx context.Context, out *Cohort, names string, heads []store.HeadRow) (chosen []*store.HeadRow, err error) {
	if strings.TrimSpace(names) == "" {
		for i := range heads {
			chosen = append(chosen, &heads[i])
		}
		return chosen, nil
	}
	roll, err := s.ports.People.Roll(ctx, out.Year.School, heads)
	if err != nil {
		return nil, err
	}
	named := make([]bool, len(heads))
	for _, l := range roster.Match(names, roll, text.Fold) {
		if len(l.People) == 1 && !l.Twice {
			named[l.People[0]] = true
			continue
		}
		line := RosterLine{Number: l.Number, Text: l.Text, Twice: l.Twice}
		for _, i := range l.People {
			line.People = append(line.People, people.MemberOf(&heads[i]))
		}
		out.Lines = append(out.Lines, line)
	}
	for i := range heads {
		if named[i] {
			chosen = append(chosen, &heads[i])
		}
	}
	return chosen, nil
}

// fitting returns those who meet a condition.
func (s *Service) fitting(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, heads []*store.HeadRow,
	c *condition.Condition, subject int32, taking bool) (out []*store.HeadRow, err error) {
	ids := make([]string, len(heads))
	for i, h := range heads {
		ids[i] = h.Student
	}
	desks, err := s.ports.Sheet.Desks(ctx, y, a, ids)
	if err != nil {
		return nil, err
	}
	fits := map[string]bool{}
	for _, d := range desks {
		laid, _ := appsheet.Laid(y.Year, d.Row.Entries)
		v := d.Known.Fits(&laid, c, subject)
		fits[d.Row.Student] = v == condition.Met || taking && v == condition.Expected
	}
	return slices.DeleteFunc(heads, func(h *store.HeadRow) bool { return !fits[h.Student] }), nil
}
