package schedule

import (
	"context"
	"math/bits"
	"slices"

	"rubricon/app/actor"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/demand"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Demand is the number of requests for each course of a school year, with the sections planned for it.
type Demand struct {
	Year      *schoolyear.SchoolYear
	Size      int            // of a section, in students
	Students  int            // of the school
	Submitted int            // whose sheet is handed in
	Drafts    bool           // also what is not handed in is counted
	Courses   []DemandCourse // by course
	Tally     *demand.Tally
	Planned   credit.Amount // teaching periods that the planned sections take: a section of load 1 all year is one
	Periods   *int          // that teachers can give; nil: not known
	Clashes   bool          // families are told which requests no choice of sections gives together
}

// DemandCourse is the demand for one course, and the plan for it.
type DemandCourse struct {
	*demand.Course
	Needed   int  // sections of the size that it takes
	Set      *int // sections that were planned; nil: as many as it takes
	Plan     demand.Planned
	StepIn   int // students for whom it comes in for a course that does not run
	Sections int // in the master schedule
	Seats    int
	Stopped  *store.SectionPlan
}

// wishKey names a sheet as it is counted: in a version, with the courses that do not run.
type wishKey struct {
	appsheet.FoundKey
	drafts bool
	lost   string
}

// counted is a sheet as it is counted.
type counted struct {
	demand.Wish
	handed bool
	stepIn []int32    // what comes in for courses that do not run
	lost   [][2]int32 // each such course with the first that comes in for it, or -1
}

// wishes returns the sheets of a year as they are counted: what was submitted where that stands, else, with
// drafts, what is on the sheet. For courses that do not run the alternates come in that Cover gives.
func (s *Service) wishes(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, drafts bool,
	stopped []store.SectionPlan) ([]*counted, error) {
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, y.School, y.Start, "")
	if err != nil {
		return nil, err
	}
	var lost []int32
	text := ""
	for i := range stopped {
		if course, ok := y.Index(stopped[i].Course); ok && !stopped[i].Runs {
			lost = append(lost, course)
			text += stopped[i].Course + "\x1f"
		}
	}
	out, err := appsheet.OfMany(ctx, s.ports.Sheet, y, a, heads, s.wishesBefore,
		func(k appsheet.FoundKey) wishKey { return wishKey{k, drafts, text} }, func(d *appsheet.Desk) *counted { return count(d, drafts, lost) })
	return slices.DeleteFunc(out, func(c *counted) bool { return c == nil }), err
}

// count counts one sheet.
func count(d *appsheet.Desk, drafts bool, lost []int32) *counted {
	out := &counted{Wish: demand.Wish{Student: d.Row.Student, Grade: d.Row.Grade}, handed: acts.State(d.Row.State).HandedIn()}
	entries := d.Row.Entries
	if out.handed {
		entries = d.Row.Submitted.V
	} else if !drafts {
		return out
	}
	laid, _ := appsheet.Laid(d.Year.Year, entries)
	for _, course := range lost {
		if !slices.ContainsFunc(laid.Requests, func(e sheet.Entry) bool { return e.Course == course }) {
			continue
		}
		what, err := d.Known.WhatIf(&laid, []int32{course})
		if err != nil { // beyond the limits of judging: it is lost, and nothing comes in
			laid.Requests = slices.DeleteFunc(laid.Requests, func(e sheet.Entry) bool { return e.Course == course })
			out.lost = append(out.lost, [2]int32{course, -1})
			continue
		}
		laid = what.Sheet
		first := int32(-1)
		for _, mend := range what.Lost[0].Mend {
			if out.stepIn = append(out.stepIn, mend); first < 0 {
				first = mend
			}
		}
		out.lost = append(out.lost, [2]int32{course, first})
	}
	for _, e := range laid.Requests {
		out.Requests = append(out.Requests, e.Course)
	}
	for _, e := range laid.Alternates {
		if !slices.Contains(lost, e.Course) {
			out.Alternates = append(out.Alternates, e.Course)
		}
	}
	if list, err := d.Known.Uncovered(&laid); err == nil {
		out.Uncovered = list
	}
	return out
}

// Demand counts what is asked for; size 0 is the one that is planned with. Drafts: also what is not handed in.
func (s *Service) Demand(ctx context.Context, by int64, school string, year, size int, drafts bool) (*Demand, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	ctx = s.base.DB.Reading(ctx)
	q := s.base.DB.Queries()
	plan, err := q.Schedule.YearPlan(ctx, school, year)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if size == 0 {
		size = plan.Size
	}
	plans, err := q.Schedule.SectionPlans(ctx, school, year)
	if err != nil {
		return nil, err
	}
	list, err := s.wishes(ctx, y, a, drafts, plans)
	if err != nil {
		return nil, err
	}
	out := &Demand{Year: y, Size: size, Students: len(list), Drafts: drafts, Periods: plan.Periods, Clashes: plan.Clashes,
		Courses: make([]DemandCourse, len(y.Courses))}
	wishes := make([]demand.Wish, len(list))
	for i, c := range list {
		if wishes[i] = c.Wish; c.handed {
			out.Submitted++
		}
		for _, course := range c.stepIn {
			out.Courses[course].StepIn++
		}
	}
	out.Tally = demand.Count(len(y.Courses), wishes)
	seats, err := q.Caseload.SectionCounts(ctx, school, year)
	if err != nil {
		return nil, err
	}
	for i := range out.Courses {
		c := &out.Courses[i]
		c.Course = &out.Tally.Courses[i]
		c.Needed = len(demand.Sections(c.Requests, size))
	}
	for _, x := range seats {
		if course, ok := y.Index(x.Course); ok {
			out.Courses[course].Sections, out.Courses[course].Seats = x.Sections, x.Seats
		}
	}
	for i := range plans {
		course, ok := y.Index(plans[i].Course)
		if !ok {
			continue
		}
		c := &out.Courses[course]
		if c.Set = plans[i].Sections; !plans[i].Runs {
			c.Stopped = &plans[i]
		}
	}
	for i := range out.Courses {
		c := &out.Courses[i]
		c.Plan = demand.Plan(c.Requests, size, c.Set, c.Stopped != nil)
		out.Planned += credit.Amount(c.Plan.Sections) * teachingIn(out.Year, int32(i))
	}
	return out, nil
}

// teachingIn is how many teaching periods a section of a course takes: one of load 1 all year is one, one of
// a term its share of the year.
func teachingIn(y *schoolyear.SchoolYear, course int32) credit.Amount {
	c := &y.Courses[course]
	if len(c.Spans) == 0 || len(y.Terms) == 0 {
		return 0
	}
	return c.Load * credit.Amount(bits.OnesCount16(uint16(c.Spans[0]))) / credit.Amount(len(y.Terms))
}

// DemandFor is one course: whom it would leave with nothing, what it is wanted together with, and with which
// courses of a single section it would clash.
type DemandFor struct {
	*Demand
	Course    int32
	Asking    int
	Uncovered []PersonName
	Pairs     []demand.Pair // the most first
	Clashes   []demand.Pair
}

// PersonName is someone by name.
type PersonName struct {
	ID, Name string
	Grade    int
}

// maxPairs bounds what is listed of a course.
const maxPairs = 12

// DemandFor returns the demand for one course. The errors are those of Demand, and NoCourse.
func (s *Service) DemandFor(ctx context.Context, by int64, school string, year, size int, drafts bool, code string) (*DemandFor, error) {
	d, err := s.Demand(ctx, by, school, year, size, drafts)
	if err != nil {
		return nil, err
	}
	course, ok := d.Year.Index(code)
	if !ok {
		return nil, &problem.Error{Code: problem.NoCourse, Param: code}
	}
	out := &DemandFor{Demand: d, Course: course}
	names, err := s.base.DB.Queries().Caseload.StudentNames(ctx, school, year, d.Courses[course].Uncovered)
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		out.Uncovered = append(out.Uncovered, PersonName{n.ID, n.Name, n.Grade})
	}
	of := func(list []demand.Pair) (out []demand.Pair) {
		for _, p := range list {
			if (p.First == course || p.Second == course) && len(out) < maxPairs {
				out = append(out, p)
			}
		}
		return out
	}
	out.Pairs, out.Clashes = of(d.Tally.Pairs), of(d.Tally.SingleClashes(d.Size))
	return out, nil
}

// PlanSections plans a number of sections of a course; nil: as many as it takes. The error is NoCourse.
func (s *Service) PlanSections(ctx context.Context, by int64, school string, year int, code string, sections *int) error {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return err
	}
	if _, ok := y.Index(code); !ok {
		return &problem.Error{Code: problem.NoCourse, Param: code}
	}
	return s.base.DB.Queries().Schedule.PlanSections(ctx, school, year,
		&store.SectionPlan{Course: code, Sections: sections, By: a.Name().Name, At: s.base.Now()})
}

// YearPlan is what a year's sections are planned by, and whether families are told which of their requests no
// choice of sections gives together.
type YearPlan = store.YearPlan

// PlanYear sets that.
func (s *Service) PlanYear(ctx context.Context, by int64, school string, year int, p YearPlan) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return err
	}
	return s.base.DB.Queries().Schedule.SetYearPlan(ctx, school, year, p)
}

// SetRuns records that a course does not run, with a reason, or does after all. Those whose handed-in sheet asks
// for it are told, with what comes in for it. The errors are NoCourse, NeedsReason, and AlreadyDone.
func (s *Service) SetRuns(ctx context.Context, by int64, school string, year int, code string, runs bool,
	reason string) (told int, err error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return 0, err
	}
	course, ok := y.Index(code)
	if !ok {
		return 0, &problem.Error{Code: problem.NoCourse, Param: code}
	}
	if reason = text.Tidy(reason); runs {
		reason = ""
	} else if reason == "" {
		return 0, problem.New(problem.NeedsReason)
	}
	plans, err := s.base.DB.Queries().Schedule.SectionPlans(ctx, school, year)
	if err != nil {
		return 0, err
	}
	// What comes in is worked out with the course not running, whichever way it is set.
	plans = slices.DeleteFunc(plans, func(p store.SectionPlan) bool { return p.Course == code })
	list, err := s.wishes(ctx, y, a, false, append(plans, store.SectionPlan{Course: code}))
	if err != nil {
		return 0, err
	}
	var tell []store.RunTold
	for _, c := range list {
		for _, l := range c.lost {
			if l[0] == course {
				t := store.RunTold{Student: c.Student}
				if l[1] >= 0 {
					t.Instead = y.Codes[l[1]]
				}
				tell = append(tell, t)
			}
		}
	}
	kind := "notRunning"
	if runs {
		kind = "running"
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		done, err := q.Schedule.SetRuns(ctx, school, year,
			&store.SectionPlan{Course: code, Runs: runs, Reason: reason, By: a.Name().Name, At: s.base.Now()})
		if err != nil {
			return err
		}
		if !done {
			return problem.New(problem.Code(acts.AlreadyDone))
		}
		if s.noPost || len(tell) == 0 {
			return nil
		}
		return q.Schedule.TellRunning(ctx, school, year, kind, code, reason, tell, s.base.Now())
	})
	if err == nil {
		s.base.Log.InfoContext(ctx, "whether a course runs", "school", school, "year", year, "by", by, "course", code, "runs", runs, "told", len(tell))
	}
	return len(tell), err
}
