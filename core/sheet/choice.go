package sheet

import (
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Section is a section of the master schedule: when it meets. Days are days of the cycle, from 1.
type Section struct {
	Course  int32
	Terms   catalog.TermSet
	Periods []int
	Days    []int
}

// Meets reports whether it meets in a term, a period and on a day.
func (s *Section) Meets(term, period, day int) bool {
	return s.Terms>>term&1 == 1 && slices.Contains(s.Periods, period) && slices.Contains(s.Days, day)
}

// Shares reports whether two sections meet in the same term, period and day.
func (s *Section) Shares(t *Section) bool {
	in := func(list []int) func(int) bool { return func(x int) bool { return slices.Contains(list, x) } }
	return s.Terms&t.Terms != 0 && slices.ContainsFunc(s.Periods, in(t.Periods)) && slices.ContainsFunc(s.Days, in(t.Days))
}

// Collides reports whether no one can be in both of two sections: they meet at the same time, or are of one course.
func (s *Section) Collides(t *Section) bool { return s.Course == t.Course || s.Shares(t) }

// OpenPeriod is a period of a term that is to be filled and is not, with the days on which it is open, ascending.
type OpenPeriod struct {
	Term, Period int
	Days         []int
}

// Choice is how far a choice of sections fills the week. Rules are those in force of the year's Fill.
type Choice struct {
	Open     []OpenPeriod
	Rules    []RuleResult
	Complete bool
}

// Choose judges a student's own sections next to their sheet. The error is one of Judge's.
func (f *Facts) Choose(s *Sheet, own []Section) (*Choice, error) {
	d := f.borrowDesk()
	defer d.giveBack()
	if err := d.layOut(s); err != nil {
		return nil, err
	}
	c := &Choice{Complete: true}
	fill := f.Year.Policy.Fill
	if fill == nil {
		return c, nil
	}
	for term := range f.Year.Terms {
		for _, period := range fill.Periods {
			open := OpenPeriod{Term: term, Period: period}
			for day := 1; day <= f.Year.Policy.Days; day++ {
				if !slices.ContainsFunc(own, func(s Section) bool { return s.Meets(term, period, day) }) {
					open.Days = append(open.Days, day)
				}
			}
			if len(open.Days) > 0 {
				c.Open = append(c.Open, open)
			}
		}
	}
	c.Complete = len(c.Open) == 0
	for i := range f.Year.Fill {
		r := &f.Year.Fill[i]
		if !r.Applies(f.Grade, f.Programs) || f.exempt[r.ID] || r.When != nil && !r.When.Holds(d.measureChoice(r.When, own)) {
			continue
		}
		measured := d.measureChoice(&r.Count, own)
		holds := r.Count.Holds(measured)
		c.Rules = append(c.Rules, RuleResult{i, measured, holds})
		c.Complete = c.Complete && (holds || r.Stance != policy.Block)
	}
	return c, nil
}

func (d *desk) measureChoice(c *catalog.Count, own []Section) (sum credit.Amount) {
	if c.On != policy.Sections {
		return d.measure(c, d.recordsIn(c))
	}
	for i := range own {
		course := &d.Year.Courses[own[i].Course]
		if c.Term >= 0 && own[i].Terms>>c.Term&1 == 0 || !c.HasSection(course, own[i].Periods) {
			continue
		}
		if c.Measure == policy.InCred {
			sum += course.Credits
		} else {
			sum += credit.One
		}
	}
	return sum
}

// Fills counts the open cells that a section would fill.
func (c *Choice) Fills(s *Section) (cells int) {
	for _, open := range c.Open {
		for _, day := range open.Days {
			if s.Meets(open.Term, open.Period, day) {
				cells++
			}
		}
	}
	return cells
}

// AsRequest judges a course as a request of it on this sheet would be.
func (f *Facts) AsRequest(s *Sheet, course int32) RequestResult {
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	defer func(before uint8) { d.place[course] = before }(d.place[course])
	d.place[course] = requested
	r, _ := d.request(course)
	return r
}
