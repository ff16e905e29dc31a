package placement

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"
)

func never() bool { return false }

func everybody(m *model) []int32 {
	members := make([]int32, len(m.pupils))
	free := make([]int64, len(m.pools))
	s := searcher{limit: maxNodes}
	for i := range members {
		members[i] = int32(i)
		m.pupils[i].member = i
		_, bound := s.search(&m.pupils[i], free, -1)
		m.pupils[i].top = bound / scale
	}
	return members
}

func TestNegotiationPlacesAll(t *testing.T) {
	m := compile(synthetic(300, 4, true, 3))
	n, plenty := newNegotiation(m, everybody(m), true, 2), math.MaxInt
	if !n.run(rand.New(rand.NewPCG(1, 1)), firmRounds, &plenty, never) {
		t.Fatal("some pools are still overfull")
	}
	for p, load := range n.b.load {
		if load > m.seats[p] {
			t.Errorf("pool %d has %d seats and %d students", p, m.seats[p], load)
		}
	}
}

// The interior-point method against gonum's simplex method.
func TestInteriorAgainstSimplex(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for n := range 40 {
		m := compile(random(r, 3+r.IntN(5), 4+r.IntN(4)))
		members := everybody(m)
		g := newProgram(m, members, m.seats, []searcher{{}})
		for k := range members {
			g.learn(k, nothing)
		}
		for range 4 {
			price := make([]float64, len(m.pools))
			for i := range price {
				price[i] = r.Float64() * 50
			}
			g.setPrices(price)
			g.generate(maxNodes, never)
		}
		if len(g.seats) == 0 {
			continue
		}
		got := newInterior(g).solve(make([]float64, len(m.pools)), 1e-9, never)
		want := simplexValue(t, g)
		if math.Abs(got-want) > 1e-4*(1+want) {
			t.Errorf("problem %d: %g, the simplex method gives %g", n, got, want)
		}
	}
}

// simplexValue solves a program with a column for each timetable and a slack for each row.
func simplexValue(t *testing.T, g *program) float64 {
	rows, columns := len(g.members)+len(g.seats), len(g.columns)+len(g.seats)
	a, b, c := mat.NewDense(rows, columns, nil), make([]float64, rows), make([]float64, columns)
	for k, list := range g.of {
		b[k] = 1
		for _, j := range list {
			a.Set(k, int(j), 1)
			c[j] = -float64(g.columns[j].table.value)
			for _, row := range g.columns[j].rows {
				a.Set(len(g.members)+int(row), int(j), 1)
			}
		}
	}
	for row, seats := range g.seats {
		b[len(g.members)+row] = float64(seats)
		a.Set(len(g.members)+row, len(g.columns)+row, 1)
	}
	value, _, err := lp.Simplex(c, a, b, 1e-9, nil)
	if err != nil {
		t.Fatal(err)
	}
	return -value
}

// certified makes a component of everybody, with a bound that is proven and a first placement.
func certified(p *Problem) *component {
	m := compile(p)
	ids := make([]string, len(p.Students))
	for i := range ids {
		ids[i] = p.Students[i].ID
	}
	s := &solver{m: m, b: newBoard(m), work: make([]searcher, 2), lots: newLots(m, Draw(1, ids)), prices: make([]int64, len(m.pools)), limits: make([]int64, len(m.pupils))}
	for i := range m.pupils {
		s.work[0].limit = maxNodes
		_, bound := s.work[0].search(&m.pupils[i], s.prices, -1)
		m.pupils[i].top = bound / scale
	}
	c := s.component(everybody(m), 0)
	c.stop = never
	c.known = newProgram(m, c.members, m.seats, c.work)
	for k := range c.members {
		c.known.learn(k, nothing)
	}
	c.c.certify(c.known, make([]int64, len(m.pools)), func() {}, never)
	m.settle(c.b, c.members, c.c.price, &c.work[0])
	return c
}

// full fails where a pool has more students than seats.
func full(t *testing.T, b *board, m *model) {
	t.Helper()
	for p, load := range b.load {
		if load > m.seats[p] {
			t.Errorf("pool %d has %d seats and %d students", p, m.seats[p], load)
		}
	}
}

// The certificate's bound is that of the program over all timetables: no timetable betters its prices.
func TestCertificate(t *testing.T) {
	m := compile(synthetic(120, 8, false, 2))
	members := everybody(m)
	g := newProgram(m, members, m.seats, []searcher{{}, {}})
	for k := range members {
		g.learn(k, nothing)
	}
	c := certificate{price: make([]int64, len(m.pools)), best: make([]int64, len(m.pupils)), bound: math.MaxInt64}
	bounds := 0
	c.certify(g, make([]int64, len(m.pools)), func() { bounds++ }, never)
	value := newInterior(g).solve(make([]float64, len(m.pools)), 1e-9, never)
	if gap := float64(c.bound)/scale - value; gap < -1e-3 || gap > 1e-4*value || bounds < 3 {
		t.Errorf("the bound is %g, the program is worth %g, after %d bounds", float64(c.bound)/scale, value, bounds)
	}
	// Recomputed from the prices alone.
	var again int64
	s := searcher{limit: maxNodes}
	for i := range m.pupils {
		best, _ := s.search(&m.pupils[i], c.price, -1)
		again += best
	}
	for p, price := range c.price {
		again += price * int64(m.seats[p])
	}
	if again != c.bound {
		t.Errorf("the prices prove %d, the certificate says %d", again, c.bound)
	}
}

// A dive gives everybody something valid, and gives up what cannot be worth enough.
func TestDive(t *testing.T) {
	c := certified(synthetic(120, 9, false, 3))
	m, members, d := c.m, c.members, c.diver(0.12, 3)
	tables, ok := d.dive(members, m.seats, 0)
	b := newBoard(m)
	for i, table := range tables {
		b.set(i, table)
	}
	full(t, b, m)
	if !ok || len(tables) != len(members) || b.value != d.value || float64(b.value) < 0.998*float64(c.bound()) {
		t.Errorf("%v: %d students, worth %d or %d, of %d", ok, len(tables), b.value, d.value, c.bound())
	}
	if _, ok := d.dive(members, m.seats, c.bound()+1); ok {
		t.Error("a dive has found more than the bound")
	}
}

// What a dive has fixed when it is ended counts: the others choose among the seats that are left, and that is worth more than what all choose
// at the certificate's prices.
func TestDiveCutShort(t *testing.T) {
	c := certified(synthetic(600, 1, false, 3))
	alone := c.value()
	asked := 0
	count := c.diver(0.12, 1)
	count.stop = func() bool { asked++; return false }
	count.dive(c.members, c.m.seats, 0)
	d := c.diver(0.12, 1)
	left := asked / 2
	d.stop = func() bool { left--; return left < 0 }
	tables, ok := d.dive(c.members, c.m.seats, 0)
	if ok || len(tables) == 0 || len(tables) == len(c.members) {
		t.Fatalf("%v: %d of %d are fixed", ok, len(tables), len(c.members))
	}
	c.land(tables, c.members)
	full(t, c.b, c.m)
	if c.value() <= alone {
		t.Errorf("worth %d with %d of %d fixed, %d at the prices alone, of %d", c.value(), len(tables), len(c.members), alone, c.bound())
	}
}

// Where a search is ended, nothing is taken for proven: the students not asked could have more.
func TestNothingIsProvenAfterAStop(t *testing.T) {
	m := compile(synthetic(60, 4, false, 2))
	g := newProgram(m, everybody(m), m.seats, []searcher{{}, {}})
	for k := range g.members {
		g.learn(k, nothing)
	}
	asked := 0
	g.work = g.work[:1]
	fresh, bound := g.generate(maxNodes, func() bool { asked++; return asked > 30 })
	if fresh != 30 || bound != math.MaxInt64 {
		t.Errorf("%d new timetables and a bound of %d after a stop at 30 students", fresh, bound)
	}
}

// Neighbourhoods better a placement, never take from its value, and stay within the seats.
func TestNeighbourhoods(t *testing.T) {
	c := certified(synthetic(150, 10, false, 3))
	first := c.value()
	for range 20 {
		before := c.value()
		(&neighbourhoods{component: c}).round()
		if c.value() < before {
			t.Fatalf("from %d to %d", before, c.value())
		}
	}
	full(t, c.b, c.m)
	if c.value() == first || c.value() > c.bound() {
		t.Errorf("from %d to %d of %d", first, c.value(), c.bound())
	}
}

// Components share no contested pool, and are all there is.
func TestComponents(t *testing.T) {
	p := synthetic(60, 1, false, 3)
	other := synthetic(60, 2, false, 3)
	shift := int32(len(p.Courses))
	for _, code := range other.Courses {
		p.Courses = append(p.Courses, "D"+code)
	}
	for _, s := range other.Sections {
		s.ID, s.Course = "d"+s.ID, s.Course+shift
		p.Sections = append(p.Sections, s)
	}
	for _, s := range other.Students {
		s.ID = "d" + s.ID
		for k := range s.Requests {
			s.Requests[k].Course += shift
		}
		for k := range s.Alternates {
			s.Alternates[k].Course += shift
		}
		p.Students = append(p.Students, s)
	}
	m := compile(p)
	components, alone := m.components()
	of := slices.Repeat([]int{-1}, len(m.pupils))
	wanted := make([]int32, len(m.pools))
	n := len(alone)
	for k, members := range components {
		n += len(members)
		for _, i := range members {
			of[i] = k
		}
	}
	if n != 120 || len(components) < 2 {
		t.Fatalf("%d components with %d of 120 students", len(components), n)
	}
	for i := range m.pupils {
		for _, pool := range m.pupils[i].pool {
			wanted[pool]++
		}
	}
	owner := map[int32]int{}
	for i := range m.pupils {
		for _, pool := range m.pupils[i].pool {
			if wanted[pool] <= m.seats[pool] {
				continue
			}
			if k, ok := owner[pool]; ok && k != of[i] {
				t.Fatalf("pool %d is contested in two components", pool)
			}
			owner[pool] = of[i]
		}
	}
	found := solve(t, p, Options{Seed: 1, Effort: 20})
	if found.Gap() > 0.01 {
		t.Errorf("the gap is %g", found.Gap())
	}
}

func BenchmarkNegotiation(b *testing.B) {
	m := compile(synthetic(600, 1, true, 3))
	members := everybody(m)
	for b.Loop() {
		newNegotiation(m, members, true, 2).run(rand.New(rand.NewPCG(1, 1)), firmRounds, new(int), never)
	}
}

func BenchmarkCertificate(b *testing.B) {
	p := synthetic(600, 1, false, 2)
	for b.Loop() {
		certified(p)
	}
}

func BenchmarkDive(b *testing.B) {
	c := certified(synthetic(600, 1, false, 2))
	for b.Loop() {
		c.diver(0.12, 3).dive(c.members, c.m.seats, 0)
	}
}

// BenchmarkNeighbourhoods tries two neighbourhoods of a placement that is far from the best.
func BenchmarkNeighbourhoods(b *testing.B) {
	c := certified(synthetic(600, 1, false, 2))
	first := slices.Clone(c.b.tables)
	for b.Loop() {
		(&neighbourhoods{component: c}).round()
		for i, t := range first {
			c.b.set(int32(i), t)
		}
	}
}

func BenchmarkExchange(b *testing.B) {
	c := certified(synthetic(600, 1, false, 2))
	first := slices.Clone(c.b.tables)
	for b.Loop() {
		c.work[0].limit = briefNodes
		c.exchange(1)
		for i, t := range first {
			c.b.set(int32(i), t)
		}
	}
}

func BenchmarkInterior(b *testing.B) {
	m := compile(synthetic(600, 1, false, 2))
	members := everybody(m)
	g := newProgram(m, members, m.seats, []searcher{{}, {}})
	for k := range members {
		g.learn(k, nothing)
	}
	price := make([]float64, len(m.pools))
	for range 8 {
		g.setPrices(price)
		g.generate(hurriedNodes, never)
		newInterior(g).solve(price, 1e-3, never)
	}
	for b.Loop() {
		newInterior(g).solve(make([]float64, len(m.pools)), 1e-8, never)
	}
}

// leave takes a student's sections out of an occupancy, or puts them back.
func leave(taken []int, g *Given, by int) {
	for _, list := range [][]int32{g.Requests, g.Alternates} {
		for _, section := range list {
			if section != None {
				taken[section] += by
			}
		}
	}
}
