package sheet

import (
	"slices"
	"sort"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/graduation"
	"rubricon/core/policy"
)

// RuleChange is a rule whose result an addition changes: it comes to hold, breaks, or comes nearer.
type RuleChange struct {
	Rule          int
	Before, After credit.Amount
	Held, Holds   bool
}

// Fed is a requirement of an audit that an addition brings credits to.
type Fed struct {
	Audit, Entry int
	Credits      credit.Amount
}

// Effect is what adding a course as a request would do to a sheet: together with the linked courses it brings
// along (With) and in place of the requests it excludes (Swaps).
type Effect struct {
	Course   int32
	HasEntry bool
	Entry    condition.Verdict
	Missing  []*condition.Leaf // what keeps the condition below Expected
	// why Apply would not do it: ErrBarred, ErrEarned, ErrFixed, ErrFull, ErrOver; the rest then tells what it
	// would come to
	Refused     error
	Over        int // with ErrOver: the rule
	Barred      bool
	Earned      bool // already earned, and not repeatable
	Repeat      bool // it would still repeat, after the swap
	Retake      bool // failed before
	Taking      bool // being taken now, and not repeatable: it would not count again
	Admissible  bool // it could be submitted, as far as the course itself goes
	Recommended bool // someone recommends it
	Usual       bool // it is the usual course of its subject in the grade being entered
	Span        catalog.TermSet
	Fits        bool
	Fill        []int32 // where it does not fit: the fewest requests that overfill a term with it
	Room        []int32 // where it does not fit: requests whose removal makes room for it, with the least harm; none: no one or two of them do
	Swaps       []int32
	With        []int32
	Rules       []RuleChange
	Moved       []RuleChange // rules that it changes the measure of and that are none of the above
	Fed         []Fed
}

// Possible reports whether the course can be on the student's sheet at all, as a request or as an alternate.
func (e *Effect) Possible() bool { return !e.Barred && !e.Earned }

// Suggested reports whether the course is one to offer because someone recommends it: it can be requested, and
// is not on the sheet as an alternate.
func (e *Effect) Suggested(s *Sheet) bool {
	return e.Recommended && e.Possible() && !e.Repeat && e.Refused == nil && find(s.Alternates, e.Course) < 0
}

// Effects reports what adding each course that is not on the sheet would do, in the order of the year's
// courses, for the family or for the school; an alternate counts as not requested. The error is one of
// Judge's.
func (f *Facts) Effects(s *Sheet, school bool) ([]Effect, error) {
	return f.effects(s, &addition{school: school})
}

// EffectsInstead is Effects where each course takes the place of one that is requested. The error is
// ErrNotOnSheet or one of Judge's.
func (f *Facts) EffectsInstead(s *Sheet, instead int32, school bool) ([]Effect, error) {
	switch {
	case find(s.Requests, instead) >= 0:
		return f.effects(s, &addition{school: school, leaving: f.leaving(s.courses(), instead)})
	case find(s.Summer, instead) >= 0:
		return f.effects(s, &addition{school: school, leaving: []int32{instead}})
	}
	return nil, ErrNotOnSheet
}

func (f *Facts) effects(s *Sheet, a *addition) ([]Effect, error) {
	school := a.school
	e := &effector{addition: *a, desk: *f.newDesk(), audits: make([]graduation.Assignment, len(f.Year.Audits))}
	if err := e.layOut(s); err != nil {
		return nil, err
	}
	e.base = append([]int32(nil), e.requests...)
	e.alts = append([]int32(nil), e.alternates...)
	e.summers = append([]int32(nil), e.summer...)
	e.before = make([]RuleChange, len(f.Year.Rules))
	for i := range f.Year.Rules {
		if e.before[i].Rule = -1; e.inForce(i) {
			e.before[i].Rule = i
			e.before[i].Before, e.before[i].Held = e.rule(i)
		}
	}
	for i := range e.audits {
		f.beginAudit(i, &e.audits[i])
		e.audits[i].Save()
		for k, course := range f.wishes(s) {
			e.audits[i].Add(auditMask(&f.Year.Audits[i], course), f.net(f.wishes(s), k))
		}
		e.audits[i].Settle()
		e.totals = append(e.totals, append([]credit.Amount(nil), e.audits[i].Totals()...))
		e.known = append(e.known, map[supply]fed{})
	}
	e.packed, e.roomFor, e.spare = map[likeness]packedLike{}, map[roomLike]*room{}, newPacker(f.Year)
	e.refusesOver = !school && f.Year.Policy.Settings.OverMaximum == policy.RefuseOver
	for i := range f.Year.Rules {
		r := &f.Year.Rules[i]
		e.byTerm = e.byTerm || looksAtTerms(&r.Count) || r.When != nil && looksAtTerms(r.When)
	}
	effects := make([]Effect, 0, len(f.Year.Courses))
	for course := range f.Year.Courses {
		if index(e.base, int32(course)) >= 0 || index(e.summers, int32(course)) >= 0 {
			continue
		}
		effect, err := e.effect(int32(course))
		if err != nil {
			return nil, err
		}
		effects = append(effects, effect)
	}
	return effects, nil
}

type effector struct {
	desk
	base, alts []int32 // the sheet as it is
	summers    []int32
	before     []RuleChange
	audits     []graduation.Assignment // settled up to what is in progress, and saved
	totals     [][]credit.Amount       // with the requests as they are
	addition   addition                // the one under way
	trial      []int32                 // the requests with it
	rest       []int32                 // the alternates that stay
	wished     []int32                 // what audits count of the sheet with it
	changes    []RuleChange
	moves      []RuleChange
	fed        []Fed

	plain bool             // the addition under way swaps nothing, brings nothing along and is no alternate
	known []map[supply]fed // by audit: what a plain addition of such credits brings; many courses are alike in this

	refusesOver bool // an addition must not bring a block rule above its maximum

	byTerm bool // some rule counts loads or terms, so that how the other requests are laid matters
	packed map[likeness]packedLike

	spare   packer
	roomFor map[roomLike]*room
}

// likeness is all of a plainly added course that bears on the packing: its spans, its load, and its place by
// code among the requests that have a choice of span.
type likeness struct {
	spans [4]catalog.TermSet
	load  credit.Amount
	place int
}

type packedLike struct {
	over int32
	span catalog.TermSet
}

// like returns a course's likeness; not ok where it has more spans than are told apart.
func (e *effector) like(course int32) (l likeness, ok bool) {
	c := &e.Year.Courses[course]
	if e.byTerm || len(c.Sorted) > len(l.spans) {
		return l, false
	}
	copy(l.spans[:], c.Sorted)
	l.load = c.Load
	if len(c.Sorted) > 1 {
		for _, other := range e.base {
			if other < course && len(e.Year.Courses[other].Sorted) > 1 {
				l.place++
			}
		}
	}
	return l, true
}

// layAddition lays the trial; where a plain addition like it has been packed before and fits, it is not packed again.
func (e *effector) layAddition(course int32) (span catalog.TermSet, err error) {
	like, alike := e.like(course)
	if alike = alike && e.plain; alike {
		if before, ok := e.packed[like]; ok && before.over == 0 {
			e.put(e.trial, e.rest)
			e.packer.over = 0
			for len(e.packer.spans) < len(e.trial) {
				e.packer.spans = append(e.packer.spans, 0) // no rule looks at them
			}
			return before.span, nil
		}
	}
	if err := e.lay(e.trial, e.rest); err != nil {
		return 0, err
	}
	if place := index(e.trial, course); place >= 0 { // not so for the summer, which is in no term
		span = e.packer.spans[place]
	}
	if alike {
		e.packed[like] = packedLike{e.packer.over, span}
	}
	return span, nil
}

type fed []Fed

func (e *effector) effect(course int32) (Effect, error) {
	c := &e.Year.Courses[course]
	out := Effect{Course: course, Barred: e.Barred(course), Earned: !c.Repeatable && e.AlreadyEarned(course),
		Retake: e.Retake(course), Taking: e.Taking(course),
		Recommended: e.Recommended(course), Usual: slices.Contains(c.Usual, e.Grade)}
	e.add(&e.addition, e.base, e.summers, course)
	e.trial = e.addition.requests
	e.wipe()
	e.summer = append(e.summer[:0], e.addition.summer...)
	out.Refused = e.addition.refused
	out.Swaps = append(out.Swaps, e.addition.swaps...)
	out.With = append(out.With, e.addition.with...)
	e.rest = e.rest[:0]
	for _, a := range e.alts {
		if index(e.trial, a) < 0 {
			e.rest = append(e.rest, a)
		}
	}
	e.plain = len(e.trial) == len(e.base)+1 && e.trial[len(e.base)] == course && len(e.rest) == len(e.alts) &&
		len(e.summer) == len(e.summers) && len(e.addition.leaving) == 0
	var err error
	if out.Span, err = e.layAddition(course); err != nil {
		return out, err
	}
	out.Entry, out.HasEntry, _ = e.entry(course)
	out.Missing = e.missing(course)
	out.Repeat = e.repeats(course)
	out.Admissible = !out.Barred && !out.Repeat && !e.blocked(course)
	if out.Fits = e.packer.over == 0 || c.Summer; !out.Fits {
		out.Fill = e.overfilled()
	}
	e.rulesAfter(&out)
	e.feeds(&out)
	if !out.Fits {
		out.Room = e.makeRoom(course)
	}
	return out, nil
}

// Standing reports how each alternate of a sheet would stand as a request, in their order.
func (f *Facts) Standing(s *Sheet) []RequestResult {
	d := f.borrowDesk()
	defer d.giveBack()
	requests := s.courses()
	list := make([]RequestResult, 0, len(s.Alternates))
	var trial addition
	d.spread(s)
	for _, a := range s.Alternates {
		f.add(&trial, requests, courses(s.Summer), a.Course)
		d.put(trial.requests, nil)
		r := RequestResult{Course: a.Course, Waiver: -1, Repeat: d.repeats(a.Course), Barred: f.Barred(a.Course)}
		r.Entry, r.HasEntry, _ = d.entry(a.Course)
		list = append(list, r)
	}
	return list
}

func (e *effector) rulesAfter(out *Effect) {
	start, moved := len(e.changes), len(e.moves)
	for i := range e.Year.Rules {
		rule := &e.Year.Rules[i]
		if !e.rules[i] || e.plain && rule.When == nil && !looksAtTerms(&rule.Count) && !rule.Count.Has(out.Course) {
			continue // not in force, or not touched
		}
		in := e.inForce(i)
		change := e.before[i]
		if !in {
			continue // a rule that leaves force is no news to act on
		}
		change.Rule = i
		change.After, change.Holds = e.rule(i)
		if out.Refused == nil && e.refusesOver && above(rule, e.before[i].Rule >= 0, change.Before, change.After) {
			out.Refused, out.Over = ErrOver, i
		}
		if e.before[i].Rule < 0 {
			change.Held = true // it was not in force
			if change.Holds {
				continue
			}
		}
		if change.Held != change.Holds || !change.Held &&
			distance(&e.Year.Rules[i].Count, change.After) < distance(&e.Year.Rules[i].Count, change.Before) {
			e.changes = append(e.changes, change)
		} else if change.After != change.Before {
			e.moves = append(e.moves, change)
		}
	}
	if len(e.changes) > start {
		out.Rules = e.changes[start:len(e.changes):len(e.changes)]
	}
	if len(e.moves) > moved {
		out.Moved = e.moves[moved:len(e.moves):len(e.moves)]
	}
}

func looksAtTerms(c *catalog.Count) bool { return c.Term >= 0 || c.Measure == policy.Load }

// distance is how far a measured amount is from the bounds.
func distance(c *catalog.Count, measured credit.Amount) credit.Amount {
	if c.Min != nil && measured < *c.Min {
		return *c.Min - measured
	}
	if c.Max != nil && measured > *c.Max {
		return measured - *c.Max
	}
	return 0
}

func (e *effector) feeds(out *Effect) {
	start := len(e.fed)
	e.wished = e.wished[:0]
	if e.summerCounts() {
		e.wished = append(e.wished, e.summer...)
	}
	e.wished = append(e.wished, e.trial...)
	for i := range e.audits {
		a := &e.audits[i]
		audit := &e.Year.Audits[i]
		own := supply{auditMask(audit, out.Course), 0}
		if own.mask == 0 && e.plain {
			continue
		}
		if e.plain {
			own.credits = e.net(e.wished, len(e.wished)-1)
			if before, ok := e.known[i][own]; ok {
				e.fed = append(e.fed, before...)
				continue
			}
		}
		first := len(e.fed)
		a.Restore()
		for k, course := range e.wished {
			a.Add(auditMask(audit, course), e.net(e.wished, k))
		}
		a.Settle()
		for entry, total := range a.Totals() {
			if more := total - e.totals[i][entry]; more > 0 {
				e.fed = append(e.fed, Fed{i, entry, more})
			}
		}
		if e.plain {
			e.known[i][own] = e.fed[first:len(e.fed):len(e.fed)]
		}
	}
	if len(e.fed) > start {
		out.Fed = e.fed[start:len(e.fed):len(e.fed)]
	}
}

// overfilled returns the fewest requests on the desk that overfill a term, the heaviest first; of several terms
// the first with the fewest.
func (d *desk) overfilled() []int32 {
	var best []int32
	for t := range d.Year.Terms {
		if d.packer.load[t] <= d.packer.capacity {
			continue
		}
		var in []int32
		for i, course := range d.requests {
			if d.packer.spans[i]>>t&1 == 1 {
				in = append(in, course)
			}
		}
		sort.SliceStable(in, func(a, b int) bool { return d.Year.Courses[in[a]].Load > d.Year.Courses[in[b]].Load })
		sum := int32(0)
		for k, course := range in {
			if sum += int32(d.Year.Courses[course].Load); sum > d.packer.capacity {
				in = in[:k+1]
				break
			}
		}
		if best == nil || len(in) < len(best) {
			best = in
		}
	}
	return best
}

// Overfilled gives, for a sheet that does not fit, the fewest requests that overfill a term; nil where it fits.
func (f *Facts) Overfilled(s *Sheet) []int32 {
	d := f.newDesk()
	if d.layOut(s) != nil || d.packer.over == 0 {
		return nil
	}
	return d.overfilled()
}
