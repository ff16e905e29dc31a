package placement

import (
	"cmp"
	"slices"
)

// diver turns the fractions of a program into timetables: it fixes the members that are nearly whole and
// those furthest along, lets the program answer for the rest, with timetables found again at its prices, and
// so on until all are fixed (a price-and-dive heuristic, as Sadykov, Vanderbeck, Pessoa, Tahiri and Uchoa
// describe in 2019).
type diver struct {
	m     *model
	c     *certificate
	lots  *lots
	known *program // over all pupils of the component: their timetables so far
	work  []searcher
	stop  func() bool

	hasty   float64 // what share of the members that are not nearly whole is fixed at a time
	careful int     // how often the program is solved before some are fixed

	fresh []learned // timetables found on the way
	value int64     // of the members fixed
}

type learned struct {
	pupil int32
	table timetable
}

const (
	wholeShare = 0.97       // from which on a member is nearly whole
	diveFinest = 1e-8       // how finely a dive's programs are solved, relative to their value: so that most members come out whole
	diveNodes  = 1_500      // for a search while diving
	nearlyBest = 12 * scale // timetables that lose more at the certificate's prices are not looked at
	worthwhile = 1          // by how many values timetables found again must promise to better a program for it to be solved again,
	worthShare = 2e-5       // and by what share of its value
)

// dive gives each member a timetable; seats is what there is for them, by pool. Ok is false where it gave up,
// because all together would be worth less than least or there was a stop; tables are then those of the
// members fixed until then.
func (d *diver) dive(members, seats []int32, least int64) (tables map[int32]timetable, ok bool) {
	tables = make(map[int32]timetable, len(members))
	active, seats := slices.Clone(members), slices.Clone(seats)
	guess := make([]float64, len(d.m.pools))
	for p, price := range d.c.price {
		guess[p] = float64(price) / scale
	}
	d.value, d.fresh = 0, nil
	var before *program
	for len(active) > 0 {
		g := newProgram(d.m, active, seats, d.work)
		for k, i := range active {
			g.learn(k, nothing)
			if before == nil {
				for _, j := range d.known.of[d.m.pupils[i].member] {
					if t := &d.known.columns[j].table; g.possible(t) && d.loss(i, t) <= nearlyBest {
						g.learn(k, *t)
					}
				}
				continue
			}
			at, _ := slices.BinarySearch(before.members, i)
			for _, j := range before.of[at] {
				if t := &before.columns[j].table; g.possible(t) {
					g.learn(k, *t)
				}
			}
		}
		before = g
		in := newInterior(g)
		in.taste = d.lots.taste
		if !d.solve(g, in, guess, least) {
			return tables, false
		}
		active = d.fix(g, in, seats, tables)
	}
	return tables, d.value >= least
}

// solve solves the program, with timetables found again, and leaves its prices in guess. It gives up where the
// program cannot be worth enough.
func (d *diver) solve(g *program, in *interior, guess []float64, least int64) bool {
	for round := 1; ; round++ {
		value := in.solve(guess, diveFinest, d.stop)
		if d.stop() {
			return false
		}
		g.setPrices(guess)
		if round == d.careful {
			return true
		}
		fresh, bound := g.generate(diveNodes, d.stop)
		for k, i := range g.members {
			if d.loss(i, &g.found[k]) <= nearlyBest {
				d.fresh = append(d.fresh, learned{i, g.found[k]})
			}
		}
		if bound/scale+d.value < least {
			return false
		}
		if fresh == 0 || float64(bound)/scale-value < worthwhile+worthShare*value {
			return true
		}
	}
}

// fix fixes members, takes their seats, and gives those that are left.
func (d *diver) fix(g *program, in *interior, seats []int32, tables map[int32]timetable) (left []int32) {
	type share struct {
		k int
		t *timetable
		x float64
	}
	best := make([]share, len(g.members))
	whole := 0
	for k := range best {
		best[k].k = k
		for j := in.first[k]; j < in.first[k+1]; j++ {
			if in.x[j] > best[k].x {
				best[k].t, best[k].x = &in.list[j].table, in.x[j]
			}
		}
		if best[k].x >= wholeShare {
			whole++
		}
	}
	slices.SortStableFunc(best, func(a, b share) int { return cmp.Compare(b.x, a.x) })
	take := whole + max(1, int(d.hasty*float64(len(best)-whole)))
	fixed := 0
	for n, s := range best {
		if n >= take && fixed > 0 || !room(s.t, seats) {
			left = append(left, g.members[s.k])
			continue
		}
		for _, p := range s.t.pools {
			seats[p]--
		}
		tables[g.members[s.k]] = *s.t
		d.value += int64(s.t.value)
		fixed++
	}
	slices.Sort(left)
	return left
}

// room reports whether there is a seat in each pool of a timetable.
func room(t *timetable, seats []int32) bool {
	for _, p := range t.pools {
		if seats[p] <= 0 {
			return false
		}
	}
	return true
}

// loss is what a pupil's timetable falls short of the best at the certificate's prices, in 1/scale.
func (d *diver) loss(i int32, t *timetable) int64 { return d.c.best[i] - t.worth(d.c.price) }
