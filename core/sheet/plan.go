package sheet

import (
	"slices"

	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/graduation"
)

// Planned is a course planned for a later year. An alternate is judged alike and counts nowhere else.
type Planned struct {
	Grade     int
	Course    int32
	Alternate bool
}

// PlannedResult is how a planned course stands, judged as if its year were the one requested.
type PlannedResult struct {
	Planned
	RequestResult
	Missing []*condition.Leaf // what keeps the condition below Expected
}

// PlannedEntry is how far one requirement of an audit is with a plan.
type PlannedEntry struct {
	Planned credit.Amount // what the plan adds to what the sheet has
	Open    credit.Amount // what is left even so
	BeginBy int           // the last grade in which the shortest chain of courses that feeds the requirement can begin
	CanFeed bool          // whether there is such a chain; BeginBy means nothing without, nor where nothing is open
}

// planDesk judges planned courses.
type planDesk struct {
	*desk
	plan  []Planned // requests alone
	grade int       // the grade of the course being judged
}

func (f *Facts) planDesk(s *Sheet, plan []Planned) *planDesk {
	d := &planDesk{desk: f.borrowDesk()}
	d.spread(s)
	for _, p := range plan {
		if !p.Alternate {
			d.plan = append(d.plan, p)
		}
	}
	return d
}

// Plan judges a plan, in its order, next to a sheet.
func (f *Facts) Plan(s *Sheet, plan []Planned) []PlannedResult {
	d := f.planDesk(s, plan)
	defer d.giveBack()
	list := make([]PlannedResult, 0, len(plan))
	for _, p := range plan {
		d.grade, d.subject = p.Grade, p.Course
		c := &f.Year.Courses[p.Course]
		out := PlannedResult{Planned: p, RequestResult: RequestResult{Course: p.Course, Waiver: -1,
			Barred: !c.Offers(p.Grade), Repeat: d.repeats(p.Course)}}
		if c.Entry != nil {
			out.HasEntry = true
			if out.Entry = c.Entry.Judge(d); out.Entry < condition.Met && f.codes[p.Course].flags&isWaived != 0 {
				out.Entry, out.Waiver = condition.Met, f.waiverOf(p.Course)
			}
			if out.Entry < condition.Expected {
				out.Missing = c.Entry.Missing(d, nil)
			}
		}
		list = append(list, out)
	}
	return list
}

// Leaf makes planDesk a condition.Witness: what is planned for earlier grades, and requested now, is expected by then.
func (d *planDesk) Leaf(l *condition.Leaf) condition.Verdict {
	switch l.Kind {
	case condition.Grade:
		if credit.Amount(d.grade)*credit.One >= l.At {
			return condition.Met
		}
		return condition.Unmet
	case condition.Passed, condition.Alongside:
	default:
		return d.desk.Leaf(l)
	}
	verdict := d.onRecord(l)
	if l.Kind == condition.Alongside && d.same(l.Ref, d.beside) {
		return condition.Met
	}
	if verdict < condition.Expected && d.same(l.Ref, func(c int32) bool { return d.before(c) || d.place[c] == inSummer && d.summerCounts() }) {
		return condition.Expected
	}
	return d.orClaimed(l, verdict)
}

// before reports whether a course is requested in the year, or planned for a grade before the one being judged.
func (d *planDesk) before(course int32) bool {
	return d.place[course] == requested || slices.ContainsFunc(d.plan, func(p Planned) bool { return p.Course == course && p.Grade < d.grade })
}

// beside reports whether a course is planned for the grade being judged.
func (d *planDesk) beside(course int32) bool {
	return slices.ContainsFunc(d.plan, func(p Planned) bool { return p.Course == course && p.Grade == d.grade })
}

func (d *planDesk) repeats(course int32) bool {
	taken := func(c int32) bool { return d.AlreadyEarned(c) || d.before(c) }
	c := &d.Year.Courses[course]
	return !c.Repeatable && taken(course) || slices.ContainsFunc(c.Excludes, func(other int32) bool { return taken(other) || d.beside(other) })
}

// AuditPlan is Audit together with what a plan adds to it; the plan is in order of grade, then as it was given.
func (f *Facts) AuditPlan(index int, s *Sheet, plan []Planned) ([]AuditEntry, []PlannedEntry) {
	var a graduation.Assignment
	wishes := f.wishes(s)
	entries := f.audit(index, wishes, &a)
	audit := &f.Year.Audits[index]
	for _, p := range plan {
		if !p.Alternate {
			wishes = append(wishes, p.Course)
			a.Add(auditMask(audit, p.Course), f.net(wishes, len(wishes)-1))
		}
	}
	a.Settle()
	out := make([]PlannedEntry, len(entries))
	var ways []int
	for e, total := range a.Totals() {
		entry := &entries[e]
		out[e] = PlannedEntry{Planned: total - (entry.Need - entry.Short), Open: entry.Need - total}
		if out[e].Open == 0 {
			continue
		}
		if ways == nil {
			ways = f.ways(s)
		}
		if least, ok := f.leastWay(ways, func(c int32) bool { return audit.Of[e].Has(c) }); ok {
			out[e].BeginBy, out[e].CanFeed = f.Year.Policy.LastGrade-least+1, true
		}
	}
	return entries, out
}

// noWay is the way to a course that cannot be reached.
const noWay = 1 << 30

// ways gives, by course, how many years it takes to have it: 0 where it, or one that counts as the same, is
// on record or requested, else one more than what its condition needs. Where courses require each other it is
// the least solution of that, found from below.
func (f *Facts) ways(s *Sheet) []int {
	have := func(course int32) bool { return f.codes[course].flags&(hasEarned|hasProgress) != 0 }
	on := map[int32]bool{}
	for _, course := range f.wishes(s) {
		on[course] = true
	}
	ways := make([]int, len(f.Year.Codes))
	var open []int32 // those whose conditions may raise them
	limit := 1       // no finite way is longer
	for i := range ways {
		course := int32(i)
		switch {
		case i >= len(f.Year.Courses):
			if !have(course) {
				ways[i] = noWay
			}
		case f.same(course, func(c int32) bool { return have(c) || on[c] }):
		default:
			ways[i] = 1
			if f.Year.Courses[i].Entry != nil {
				open = append(open, course)
				limit++
			}
		}
	}
	for changed := true; changed; {
		changed = false
		for _, course := range open {
			if ways[course] == noWay {
				continue
			}
			way := 1 + needed(f.Year.Courses[course].Entry, ways)
			if way > limit {
				way = noWay
			}
			if way > ways[course] {
				ways[course], changed = way, true
			}
		}
	}
	return ways
}

// needed is how many years a condition needs before the course that has it.
func needed(c *condition.Condition, ways []int) int {
	switch c.Op {
	case condition.Single:
		switch c.Leaf.Kind {
		case condition.Passed:
			return ways[c.Leaf.Ref]
		case condition.Alongside:
			if way := ways[c.Leaf.Ref]; way == noWay {
				return noWay
			} else {
				return max(0, way-1)
			}
		}
		return 0
	case condition.And, condition.Or:
		best := needed(c.Parts[0], ways)
		for _, part := range c.Parts[1:] {
			if c.Op == condition.And {
				best = max(best, needed(part, ways))
			} else {
				best = min(best, needed(part, ways))
			}
		}
		return best
	}
	all := make([]int, len(c.Parts))
	for i, part := range c.Parts {
		all[i] = needed(part, ways)
	}
	slices.Sort(all)
	return all[c.N-1]
}

// leastWay is the least way of at least one year to a selected course of the year that has credits and is
// offered in some later grade.
func (f *Facts) leastWay(ways []int, selected func(int32) bool) (least int, ok bool) {
	least = noWay
	for i := range f.Year.Courses {
		c := &f.Year.Courses[i]
		if ways[i] < 1 || ways[i] >= least || c.Credits <= 0 || c.Summer || !selected(int32(i)) {
			continue
		}
		for grade := f.Grade + 1; grade <= f.Year.Policy.LastGrade; grade++ {
			if c.Offers(grade) {
				least = ways[i]
				break
			}
		}
	}
	return least, least < noWay
}

// Prospect is a course that could be added to a plan, and the grades in which.
type Prospect struct {
	Course int32
	Grades []int
}

// Prospects lists, in the order of the year's courses, those that could be planned for some later grade:
// offered there, their condition met or expected by then, and repeating nothing on record, requested or
// planned before.
func (f *Facts) Prospects(s *Sheet, plan []Planned) (list []Prospect) {
	d := f.planDesk(s, plan)
	defer d.giveBack()
	for i := range f.Year.Courses {
		c, course := &f.Year.Courses[i], int32(i)
		if c.Summer || slices.ContainsFunc(plan, func(p Planned) bool { return p.Course == course }) {
			continue
		}
		var grades []int
		for d.grade = f.Grade + 1; d.grade <= f.Year.Policy.LastGrade; d.grade++ {
			d.subject = course
			if c.Offers(d.grade) && !d.repeats(course) &&
				(c.Entry == nil || f.codes[course].flags&isWaived != 0 || c.Entry.Judge(d) >= condition.Expected) {
				grades = append(grades, d.grade)
			}
		}
		if grades != nil {
			list = append(list, Prospect{course, grades})
		}
	}
	return list
}
