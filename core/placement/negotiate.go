package placement

import (
	"math/rand/v2"
	"slices"
)

// negotiation lets students choose one after the other at prices of the pools, and makes what is overfull dearer, for the moment
// and for good, until nothing is (McMurchie and Ebeling 1995, "PathFinder: a negotiation-based performance-driven router"). Where
// everything can be placed it mostly finds how; elsewhere it gives first prices.
type negotiation struct {
	m       *model
	members []int32
	b       *board
	history []int64 // by pool: what it costs for good
	price   []int64 // by pool: what one more student pays now
	moment  int64   // what each student too many costs for the moment
	s       searcher
}

// quickNodes bounds a search that need not be exact.
const quickNodes = 20_000

func newNegotiation(m *model, members []int32) *negotiation {
	return &negotiation{m: m, members: members, b: newBoard(m), history: make([]int64, len(m.pools)), price: make([]int64, len(m.pools)),
		moment: scale / 2, s: searcher{weight: 50}}
}

func (n *negotiation) reprice(pool int32) {
	n.price[pool] = n.history[pool] + n.moment*int64(max(0, n.b.load[pool]+1-n.m.seats[pool]))
}

func (n *negotiation) choose(i int32) {
	old := n.b.tables[i].pools
	n.b.set(i, nothing)
	for _, p := range old {
		n.reprice(p)
	}
	n.s.limit = quickNodes
	n.s.search(&n.m.pupils[i], n.price, -1)
	t := n.s.table()
	if n.s.nodes > quickNodes && int64(t.value) < n.m.pupils[i].top { // there may be better, which the search was too short to find
		n.s.limit = maxNodes
		n.s.search(&n.m.pupils[i], n.price, -1)
		t = n.s.table()
	}
	n.b.set(i, t)
	for _, p := range t.pools {
		n.reprice(p)
	}
}

func (n *negotiation) crowded(i int32) bool {
	for _, p := range n.b.tables[i].pools {
		if n.b.load[p] > n.m.seats[p] {
			return true
		}
	}
	return false
}

// run negotiates, and tells whether nothing is overfull at the end. It gives up after so many rounds, or when it is clear early on
// that there are too few seats.
func (n *negotiation) run(r *rand.Rand, rounds int, stop func() bool) bool {
	order := append([]int32(nil), n.members...)
	for round := range rounds {
		r.Shuffle(len(order), func(i, k int) { order[i], order[k] = order[k], order[i] })
		for p := range n.price {
			n.reprice(int32(p))
		}
		for _, i := range order {
			if round == 0 || n.crowded(i) || n.short(i) {
				n.choose(i)
			}
		}
		over, short := n.over(), slices.ContainsFunc(n.members, n.short)
		for p, load := range n.b.load {
			n.history[p] += scale * int64(min(max(0, load-n.m.seats[p]), 4)) / 2
		}
		switch {
		case over == 0 && (!short || round == rounds-1):
			return true
		case stop() || round == trialRounds && over > len(n.members)/20:
			return false
		}
		if n.moment < 40*scale {
			n.moment += n.moment / 8
		}
	}
	return false
}

// short tells whether a member has given something up.
func (n *negotiation) short(i int32) bool { return int64(n.b.tables[i].value) < n.m.pupils[i].top }

// over is by how many students pools are overfull, all together.
func (n *negotiation) over() (over int) {
	for p, load := range n.b.load {
		over += max(0, int(load-n.m.seats[p]))
	}
	return over
}

// promising tells whether hardly anything is overfull.
func (n *negotiation) promising() bool { return n.over() <= 1+len(n.members)/100 }

// After trialRounds hardly anything is overfull where everything can be placed.
const trialRounds = 6
