package placement

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync/atomic"
	"time"
)

// Options say how to solve a problem. The same problem, seed and effort give the same placement, however many
// workers there are, unless the context ends the search.
type Options struct {
	Seed     uint64
	Effort   int            // how much is searched beyond the first placement: 100 is a good deal, 0 is nothing
	Workers  int            // 0: as many as there are processors
	Progress func(Progress) // may be nil; called from one goroutine
}

// Phase is what the search is at.
type Phase string

// The phases.
const (
	Negotiating Phase = "negotiating" // first timetables and prices
	Bounding    Phase = "bounding"    // proving how good a placement can be at most
	Diving      Phase = "diving"      // a first whole placement from the prices
	Searching   Phase = "searching"   // bettering it part by part
	Finished    Phase = "finished"
)

// Progress is how far the search is: the students whose part is settled, the value of the best placement so
// far and the bound.
type Progress struct {
	Phase             Phase
	Settled, Students int
	Value, Bound      int64
}

// Placement is the outcome. Value ≤ the best possible ≤ Bound.
type Placement struct {
	Given []Given // by student
	Value int64
	Bound int64
	Draw  []int32 // the students in the order of the lottery
	Cut   bool    // the search was ended by the context, or by the time that there was for a part of it
}

// Gap is (Bound − Value) / Bound, 0 where the bound is 0.
func (p *Placement) Gap() float64 {
	if p.Bound == 0 {
		return 0
	}
	return float64(p.Bound-p.Value) / float64(p.Bound)
}

// Solve places the students. It searches until the placement is proven best, the effort is spent, or the
// context ends; then it gives the best placement found. The error is a *ProblemError.
func Solve(ctx context.Context, p *Problem, o Options) (*Placement, error) {
	if err := p.validate(); err != nil {
		return nil, err
	}
	if o.Workers <= 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	m := compile(p)
	ids := make([]string, len(p.Students))
	for i := range p.Students {
		ids[i] = p.Students[i].ID
	}
	s := &solver{m: m, o: o, b: newBoard(m), work: make([]searcher, o.Workers), result: &Placement{Draw: Draw(o.Seed, ids)},
		prices: make([]int64, len(m.pools)), limits: make([]int64, len(m.pupils))}
	s.lots = newLots(m, s.result.Draw)
	s.run(ctx)
	s.result.Value, s.result.Given = s.b.value, m.give(s.b, s.lots)
	s.result.Cut = (s.cut.Load() || ctx.Err() != nil) && s.result.Bound > s.result.Value
	return s.result, nil
}

// solver solves the components of a problem one after the other.
type solver struct {
	m      *model
	o      Options
	b      *board
	prices []int64 // by pool: of the certificates of the components
	limits []int64 // by pupil
	lots   *lots
	work   []searcher
	result *Placement
	cut    atomic.Bool // the share of the time of a component was over

	settled int
	proven  int64 // the bound of the components that are done, and what students alone are worth
	waiting int64 // what those not yet looked at are worth at most
}

func (s *solver) run(ctx context.Context) {
	for i := range s.work {
		s.work[i].limit = maxNodes
	}
	tops := make([]timetable, len(s.m.pupils))
	free := make([]int64, len(s.m.pools))
	parallel(len(s.work), len(s.m.pupils), func(w, i int) {
		_, bound := s.work[w].search(&s.m.pupils[i], free, -1)
		tops[i] = s.work[w].table()
		s.m.pupils[i].top = bound / scale
	})
	components, alone := s.m.components()
	for _, i := range alone { // no one contests what they want
		s.b.set(i, tops[i])
		s.proven += s.m.pupils[i].top
		s.settled++
	}
	students := 0
	for _, members := range components {
		students += len(members)
		for _, i := range members {
			s.waiting += s.m.pupils[i].top
		}
	}
	deadline, timed := ctx.Deadline()
	for n, members := range components {
		c := s.component(members, n)
		if timed { // what time is left is shared out by size
			c.until = time.Now().Add(time.Duration(float64(time.Until(deadline)) * float64(len(members)) / float64(students)))
		}
		for _, i := range members {
			s.waiting -= s.m.pupils[i].top
		}
		c.solve(ctx)
		students -= len(members)
		s.settled += len(members)
		s.proven += c.bound()
	}
	s.result.Bound = s.proven
	s.report(Finished, 0)
}

func (s *solver) report(phase Phase, bound int64) {
	if s.o.Progress != nil {
		s.o.Progress(Progress{Phase: phase, Settled: s.settled, Students: len(s.m.pupils), Value: s.b.value, Bound: s.proven + s.waiting + bound})
	}
}

// component is a part of a problem that has nothing to do with the rest: its members share no pool that could
// be overfull with anybody else.
type component struct {
	*solver
	members []int32
	known   *program // the timetables of the members found so far
	c       certificate
	r       *rand.Rand
	until   time.Time // when its share of the time is over; zero: never
	stop    func() bool
	top     int64 // what the members would get if every seat were free
}

func (s *solver) component(members []int32, n int) *component {
	c := &component{solver: s, members: members, r: newRand(s.o.Seed, n),
		c: certificate{price: s.prices, best: s.limits, bound: math.MaxInt64}}
	for k, i := range members {
		s.m.pupils[i].member = k
		c.top += s.m.pupils[i].top
	}
	return c
}

// bound is the proven bound in whole values.
func (c *component) bound() int64 { return min(c.top, c.c.proven()) }

// value is what the members have now.
func (c *component) value() (sum int64) {
	for _, i := range c.members {
		sum += int64(c.b.tables[i].value)
	}
	return sum
}

func (c *component) report(phase Phase) { c.solver.report(phase, c.bound()) }

func (c *component) best() bool { return c.value() == c.bound() }

func (c *component) solve(ctx context.Context) {
	// A tenth of the time is kept for evening things out.
	search := c.until.Add(-time.Until(c.until) / 10)
	c.stop = c.over(ctx, search)
	c.report(Negotiating)
	byLot := slices.Clone(c.members)
	slices.SortFunc(byLot, func(a, b int32) int { return int(c.lots.rank[a] - c.lots.rank[b]) })
	n, agreed := c.negotiate()
	c.work[0].limit = hurriedNodes
	if agreed {
		for _, i := range c.members {
			c.b.set(i, n.b.tables[i])
		}
	} else {
		c.m.settle(c.b, byLot, n.history, &c.work[0])
	}
	if !c.best() && !c.stop() {
		c.search(n, byLot)
	}
	c.stop = c.over(ctx, c.until)
	c.work[0].limit = briefNodes
	c.exchange(3)
	c.work[0].limit = maxNodes
	c.m.polish(c.b, byLot, &c.work[0])
}

// over reports whether a time is over or the context has ended; where it is asked then, the search is cut short.
func (c *component) over(ctx context.Context, until time.Time) func() bool {
	return func() bool {
		if ctx.Err() == nil && (c.until.IsZero() || time.Now().Before(until)) {
			return false
		}
		c.cut.Store(true)
		return true
	}
}

// search proves a bound and betters what the negotiation has found.
func (c *component) search(n *negotiation, byLot []int32) {
	c.known = newProgram(c.m, c.members, c.m.seats, c.work)
	for k, i := range c.members {
		c.known.learn(k, nothing)
		c.known.learn(k, c.b.tables[i])
	}
	for _, l := range n.chosen {
		c.known.learn(c.m.pupils[l.pupil].member, l.table)
	}
	c.report(Bounding)
	c.c.certify(c.known, n.history, func() { c.report(Bounding) }, c.stop)
	c.tryOut(func() { c.m.settle(c.b, byLot, c.c.price, &c.work[0]) })
	if c.best() || c.stop() {
		return
	}
	c.report(Diving)
	d := c.diver(0.12, 3)
	tables, _ := d.dive(c.members, c.m.seats, 0)
	c.tryOut(func() { c.land(tables, byLot) })
	for _, l := range d.fresh {
		c.known.learn(c.m.pupils[l.pupil].member, l.table)
	}
	c.report(Searching)
	rounds := c.o.Effort * len(c.members) / roundsPer
	for range rounds {
		if c.best() || c.stop() {
			return
		}
		(&neighbourhoods{component: c}).round()
		c.report(Searching)
	}
}

// roundsPer sets how many rounds an effort of one buys: one for so many students.
const roundsPer = 2000

// land gives the members what a dive has fixed; where it was ended before all were, the others choose among
// the seats that are left.
func (c *component) land(tables map[int32]timetable, byLot []int32) {
	for _, i := range byLot {
		t, fixed := tables[i]
		if !fixed {
			t = nothing
		}
		c.b.set(i, t)
	}
	c.m.polish(c.b, byLot, &c.work[0])
}

// tryOut gives the members other timetables, and what they had where that was worth more. Searches in it are hurried.
func (c *component) tryOut(change func()) {
	before := make([]timetable, len(c.members))
	value := c.value()
	for k, i := range c.members {
		before[k] = c.b.tables[i]
	}
	c.work[0].limit = hurriedNodes
	change()
	if c.value() >= value {
		return
	}
	for k, i := range c.members {
		c.b.set(i, before[k])
	}
}

func (c *component) diver(hasty float64, careful int) *diver {
	return &diver{m: c.m, c: &c.c, lots: c.lots, known: c.known, work: c.work, stop: c.stop, hasty: hasty, careful: careful}
}

// components groups the pupils that contest pools with each other; alone are those who contest none.
func (m *model) components() (components [][]int32, alone []int32) {
	wanted := make([]int32, len(m.pools))
	for i := range m.pupils {
		for _, p := range m.pupils[i].pool {
			wanted[p]++
		}
	}
	parent := make([]int32, len(m.pupils))
	for i := range parent {
		parent[i] = int32(i)
	}
	find := func(i int32) int32 {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	first := slices.Repeat([]int32{None}, len(m.pools))
	contests := make([]bool, len(m.pupils))
	for i := range m.pupils {
		for _, p := range m.pupils[i].pool {
			if wanted[p] <= m.seats[p] {
				continue
			}
			contests[i] = true
			if first[p] == None {
				first[p] = int32(i)
			}
			parent[find(int32(i))] = find(first[p])
		}
	}
	at := map[int32]int{}
	for i := range m.pupils {
		if !contests[i] {
			alone = append(alone, int32(i))
			continue
		}
		root := find(int32(i))
		if _, ok := at[root]; !ok {
			at[root] = len(components)
			components = append(components, nil)
		}
		components[at[root]] = append(components[at[root]], int32(i))
	}
	return components, alone
}

// give turns pools into sections: in the order of the lots each goes where most seats are free.
func (m *model) give(b *board, l *lots) []Given {
	p := m.problem
	given := make([]Given, len(p.Students))
	left := make([]int32, len(p.Sections))
	for i := range left {
		left[i] = int32(p.Sections[i].Seats)
	}
	order := make([]int32, len(m.pupils))
	for i, rank := range l.rank {
		order[rank] = int32(i)
	}
	for _, i := range order {
		s := &p.Students[m.pupils[i].student]
		sections := map[int32]int32{} // by course
		for _, q := range b.tables[i].pools {
			best := m.pools[q].sections[0]
			for _, section := range m.pools[q].sections[1:] {
				if left[section] > left[best] {
					best = section
				}
			}
			left[best]--
			sections[m.pools[q].course] = best
		}
		g := &given[m.pupils[i].student]
		for _, r := range s.Requests {
			g.Requests = append(g.Requests, sectionOf(sections, r.Course))
		}
		for _, a := range s.Alternates {
			g.Alternates = append(g.Alternates, sectionOf(sections, a.Course))
		}
	}
	return given
}

func sectionOf(sections map[int32]int32, course int32) int32 {
	if section, ok := sections[course]; ok {
		return section
	}
	return None
}
