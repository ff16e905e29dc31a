package placement

import "math/rand/v2"

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
		moment: scale / 2, s: searcher{limit: quickNodes}}
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
	n.s.search(&n.m.pupils[i], n.price, -1)
	t := n.s.table()
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

// run negotiates for at most so many rounds, or until more than lost is given up by all together, and tells whether nothing is
// overfull at the end.
func (n *negotiation) run(r *rand.Rand, rounds int, lost int64, stop func() bool) bool {
	order := append([]int32(nil), n.members...)
	var top int64
	for _, i := range n.members {
		top += n.m.pupils[i].top
	}
	for round := range rounds {
		r.Shuffle(len(order), func(i, k int) { order[i], order[k] = order[k], order[i] })
		for p := range n.price {
			n.reprice(int32(p))
		}
		for _, i := range order {
			if round == 0 || n.crowded(i) {
				n.choose(i)
			}
		}
		over := false
		for p, load := range n.b.load {
			if d := load - n.m.seats[p]; d > 0 {
				n.history[p] += scale * int64(min(d, 4)) / 2
				over = true
			}
		}
		if !over {
			return true
		}
		if stop() || round > patientRounds && top-n.b.value > lost {
			return false
		}
		if n.moment < 40*scale {
			n.moment += n.moment / 8
		}
	}
	return false
}

// patientRounds is how many rounds are negotiated whatever is given up.
const patientRounds = 4
