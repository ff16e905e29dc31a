package placement

import (
	"math"
	"sync/atomic"
)

// program is the linear program over timetables for some pupils and the seats they may have: choose, in
// fractions that sum to one for each pupil, among the timetables known, so that no pool has more pupils than
// seats and the worth is greatest. Its dual gives each pool a price. Timetables become known one by one,
// where they better the program (Dantzig and Wolfe 1960); finding one is the search for a student's best
// timetable.
type program struct {
	m       *model
	members []int32 // pupils of the model
	rowOf   []int32 // by pool: its row, or None where it cannot be overfull
	poolOf  []int32 // by row
	seats   []int32 // by row
	columns []column
	of      [][]int32 // by member: its columns
	closed  []bool    // by pool: no seat to be had

	price []int64 // by pool: what is searched at, in 1/scale of a value
	limit []int64 // by member: the bound of the search
	found []timetable
	work  []searcher
}

// column is a timetable of a member. Rows are those of its pools that have one, ascending.
type column struct {
	table timetable
	rows  []int32
}

// newProgram prepares the program for some pupils. Seats is by pool.
func newProgram(m *model, members, seats []int32, workers []searcher) *program {
	g := &program{m: m, members: members, rowOf: make([]int32, len(m.pools)), closed: make([]bool, len(m.pools)),
		price: make([]int64, len(m.pools)),
		of:    make([][]int32, len(members)), limit: make([]int64, len(members)), found: make([]timetable, len(members)), work: workers}
	wanted := make([]int32, len(m.pools))
	for _, i := range members {
		for _, p := range m.pupils[i].pool {
			wanted[p]++
		}
	}
	for p := range m.pools {
		g.rowOf[p] = None
		if g.closed[p] = seats[p] <= 0; g.closed[p] {
			g.price[p] = closed
		} else if wanted[p] > seats[p] {
			g.rowOf[p] = int32(len(g.poolOf))
			g.poolOf = append(g.poolOf, int32(p))
			g.seats = append(g.seats, seats[p])
		}
	}
	return g
}

// possible reports whether all pools of a timetable have seats to be had.
func (g *program) possible(t *timetable) bool {
	for _, p := range t.pools {
		if g.closed[p] {
			return false
		}
	}
	return true
}

// learn makes a timetable of a member known, and reports whether it was not.
func (g *program) learn(k int, t timetable) bool {
	for _, j := range g.of[k] {
		if g.columns[j].table.key == t.key {
			return false
		}
	}
	c := column{table: t}
	for _, p := range t.pools {
		if r := g.rowOf[p]; r != None {
			c.rows = append(c.rows, r)
		}
	}
	g.of[k] = append(g.of[k], int32(len(g.columns)))
	g.columns = append(g.columns, c)
	return true
}

// setPrices takes prices, by pool; only those of pools with a row count. None is below 0, as a bound needs,
// nor is what is not a number.
func (g *program) setPrices(price []float64) {
	for _, p := range g.poolOf {
		g.price[p] = 0
		if price[p] > 0 {
			g.price[p] = int64(math.Round(min(price[p], MaxValue) * scale))
		}
	}
}

// generate searches for each member's best timetable at the prices, makes it known, and gives how many were
// not, and a bound on the value of the program with all timetables, in 1/scale of a value. Nodes bounds each
// search. After a stop no one is searched for any more, and the bound is that of nothing known.
func (g *program) generate(nodes int, stop func() bool) (fresh int, bound int64) {
	var cut atomic.Bool
	parallel(len(g.work), len(g.members), func(w, k int) {
		// The search begins with the best of the known timetables.
		floor, at := int64(-1), None
		for _, j := range g.of[k] {
			if worth := g.columns[j].table.worth(g.price); worth > floor {
				floor, at = worth, j
			}
		}
		if g.found[k] = g.columns[at].table; stop() {
			cut.Store(true)
			return
		}
		s := &g.work[w]
		s.limit = nodes
		var best int64
		if best, g.limit[k] = s.search(&g.m.pupils[g.members[k]], g.price, floor); best > floor {
			g.found[k] = s.table()
		}
	})
	for k := range g.members {
		if g.learn(k, g.found[k]) {
			fresh++
		}
		bound += g.limit[k]
	}
	if cut.Load() {
		return fresh, math.MaxInt64
	}
	for r, p := range g.poolOf {
		bound += g.price[p] * int64(g.seats[r])
	}
	return fresh, bound
}
