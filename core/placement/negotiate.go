package placement

import (
	"math/rand/v2"
	"slices"
)

// negotiation lets students choose one after the other at prices of the pools, and makes what is overfull
// dearer, for the moment and for good, until nothing is (McMurchie and Ebeling 1995, "PathFinder: a
// negotiation-based performance-driven router"). A firm one, in which no one gives anything up, mostly finds
// how everything can be placed where that is possible; elsewhere a few rounds of an easy one give first
// prices and timetables.
type negotiation struct {
	m       *model
	members []int32
	firm    bool
	b       *board
	history []int64 // by pool: what it costs for good
	price   []int64 // by pool: what one more student pays now
	moment  int64   // what each student too many costs for the moment
	over    int     // by how many students pools are overfull, all together
	nodes   int     // of all searches
	work    []searcher

	chosen []learned // whatever anybody has chosen, in an easy one

	found   []timetable // of those who choose
	nodesOf []int
}

const (
	quickNodes = 20_000 // bounds a search that need not be exact
	firmness   = 50     // how much more values count than usual beside prices in a firm negotiation

	easyRounds = 2
	atOnce     = 4 // how many choose side by side in an easy negotiation; in a firm one that would only make them meet again
	firmRounds = 400
	firmTries  = 8  // how often a firm negotiation that is nearly agreed begins again
	firmEffort = 25 // how much work all of them may be, in that of the first round
)

func newNegotiation(m *model, members []int32, firm bool, workers int) *negotiation {
	n := &negotiation{m: m, members: members, firm: firm, b: newBoard(m), history: make([]int64, len(m.pools)),
		price: make([]int64, len(m.pools)), moment: scale / 2,
		work: make([]searcher, workers)}
	if firm {
		for w := range n.work {
			n.work[w].weight = firmness
		}
	}
	return n
}

// negotiate returns a negotiation, and whether everybody has all they can have in it and nothing is overfull.
func (c *component) negotiate() (n *negotiation, agreed bool) {
	budget := 0
	for try := 0; try < firmTries && (try == 0 || budget > 0) && c.m.couldHaveAll(c.members) && !c.stop(); try++ {
		n = newNegotiation(c.m, c.members, true, len(c.work))
		if n.run(c.r, firmRounds, &budget, c.stop) {
			return n, true
		}
		if n.over > 1+len(c.members)/100 {
			break
		}
	}
	n = newNegotiation(c.m, c.members, false, len(c.work))
	return n, n.run(c.r, easyRounds, new(int), c.stop)
}

// couldHaveAll reports whether there are enough seats in each course for those who must have it to lose nothing.
func (m *model) couldHaveAll(members []int32) bool {
	seats, wanted := make([]int, len(m.problem.Courses)), make([]int, len(m.problem.Courses))
	for p := range m.pools {
		seats[m.pools[p].course] += int(m.seats[p])
	}
	for _, i := range members {
		p := &m.pupils[i]
		var all int64
		for k := range p.requests {
			all += int64(p.items[k].value)
		}
		for k := range p.requests {
			if all == p.top {
				wanted[m.pools[p.pool[p.first[k]]].course]++
			}
		}
	}
	for course := range seats {
		if wanted[course] > seats[course] {
			return false
		}
	}
	return true
}

func (n *negotiation) reprice(pool int32) {
	n.price[pool] = n.history[pool] + n.moment*int64(n.tooMany(pool, 1))
}

// tooMany is by how many students a pool is overfull with so many more.
func (n *negotiation) tooMany(pool int32, more int32) int {
	return int(max(0, n.b.load[pool]+more-n.m.seats[pool]))
}

// choose has some members choose again, side by side at the same prices.
func (n *negotiation) choose(some []int32) {
	for _, i := range some {
		old := n.b.tables[i].pools
		for _, p := range old {
			n.over -= n.tooMany(p, 0) - n.tooMany(p, -1)
		}
		n.b.set(i, nothing)
		for _, p := range old {
			n.reprice(p)
		}
	}
	n.found, n.nodesOf = resize(n.found, len(some)), resize(n.nodesOf, len(some))
	parallel(len(n.work), len(some), func(w, k int) { n.found[k], n.nodesOf[k] = n.best(&n.work[w], some[k]) })
	for k, i := range some {
		n.nodes += n.nodesOf[k]
		t := n.found[k]
		for _, p := range t.pools {
			n.over += n.tooMany(p, 1) - n.tooMany(p, 0)
		}
		n.b.set(i, t)
		for _, p := range t.pools {
			n.reprice(p)
		}
		if !n.firm {
			n.chosen = append(n.chosen, learned{i, t})
		}
	}
}

// best searches for a member's best timetable at the prices, and counts the nodes.
func (n *negotiation) best(s *searcher, i int32) (t timetable, nodes int) {
	s.limit = hurriedNodes
	if n.firm {
		s.limit = quickNodes
	}
	s.search(&n.m.pupils[i], n.price, -1)
	t, nodes = s.table(), s.nodes
	if n.firm && nodes > quickNodes && int64(t.value) < n.m.pupils[i].top { // there may be better, which the search was too short to find
		s.limit = maxNodes
		s.search(&n.m.pupils[i], n.price, -1)
		t, nodes = s.table(), nodes+s.nodes
	}
	return t, nodes
}

func (n *negotiation) crowded(i int32) bool {
	return slices.ContainsFunc(n.b.tables[i].pools, func(p int32) bool { return n.tooMany(p, 0) > 0 })
}

// short reports whether a member has given something up.
func (n *negotiation) short(i int32) bool { return int64(n.b.tables[i].value) < n.m.pupils[i].top }

// run negotiates, and reports whether everybody has all they can have and nothing is overfull. It gives up
// after so many rounds, when a firm negotiation shows that there are too few seats, or when the budget of
// nodes is used up; the first round of the first negotiation sets that.
func (n *negotiation) run(r *rand.Rand, rounds int, budget *int, stop func() bool) bool {
	order := slices.Clone(n.members)
	for round := range rounds {
		r.Shuffle(len(order), func(i, k int) { order[i], order[k] = order[k], order[i] })
		for p := range n.price {
			n.reprice(int32(p))
		}
		before := n.nodes
		together := 1
		if !n.firm {
			together = atOnce
		}
		some := make([]int32, 0, together)
		for k, i := range order {
			if round == 0 || n.crowded(i) || n.firm && n.short(i) {
				some = append(some, i)
			}
			if len(some) < together && k < len(order)-1 {
				continue
			}
			n.choose(some)
			some = some[:0]
			if stop() || n.firm && n.over > len(order) {
				return false
			}
		}
		switch work := n.nodes - before; {
		case round == 0 && *budget == 0:
			*budget = work * firmEffort
		default:
			*budget -= work
		}
		for p := range n.history {
			n.history[p] += scale * int64(min(n.tooMany(int32(p), 0), 4)) / 2
		}
		if n.over == 0 && !slices.ContainsFunc(n.members, n.short) {
			return true
		}
		if n.firm && (*budget <= 0 || n.hopeless(round)) {
			return false
		}
		if n.moment < 40*scale {
			n.moment += n.moment / 8
		}
	}
	return false
}

// hopeless reports whether more is overfull after a round than it ever is where everything can be placed.
func (n *negotiation) hopeless(round int) bool {
	return round >= 2 && n.over > len(n.members)/4 || round >= 6 && n.over > len(n.members)/20
}
