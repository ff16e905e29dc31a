package placement

import (
	"math/rand/v2"
	"slices"
)

// neighbourhoods betters a placement by large neighbourhood search (Shaw 1998): the timetables of some
// students are taken apart and put together again by a dive, all others left as they are, and what comes out
// is kept when it is not worth less. Whom to take apart the certificate tells: what a placement falls short
// of the bound is the sum of what each student loses at the prices and of the prices of the seats left free.
type neighbourhoods struct {
	*component
	fair    bool      // take what is worth as much only where it is fairer
	holders [][]int32 // by pool: who is in it
}

// neighbourhoodSize is how many students are taken apart at a time.
const neighbourhoodSize = 90

// together is how many neighbourhoods are tried at a time, side by side. They share no student, and seats
// that are free are for the first that may want them; so what comes out is the same however many workers
// there are.
const together = 2

// round tries some neighbourhoods.
func (n *neighbourhoods) round() {
	n.holders = make([][]int32, len(n.m.pools))
	for _, i := range n.members {
		for _, p := range n.b.tables[i].pools {
			n.holders[p] = append(n.holders[p], i)
		}
	}
	free := make([]int32, len(n.m.pools))
	for p := range free {
		free[p] = n.m.seats[p] - n.b.load[p]
	}
	taken := map[int32]bool{}
	divers, groups, seats, before := make([]*diver, together), make([][]int32, together), make([][]int32, together), make([]int64, together)
	for k := range divers {
		groups[k] = n.pick(taken)
		seats[k] = make([]int32, len(free))
		for _, i := range groups[k] {
			t := &n.b.tables[i]
			before[k] += int64(t.value)
			n.known.learn(n.m.pupils[i].member, *t)
			for _, p := range n.m.pupils[i].pool {
				seats[k][p] += free[p]
				free[p] = 0
			}
			for _, p := range t.pools {
				seats[k][p]++
			}
		}
		divers[k] = n.diver(0.15, 3)
		divers[k].work = n.work[k%len(n.work) : k%len(n.work)+1]
	}
	tables := make([]map[int32]timetable, together)
	parallelParts(len(n.work), together, func(k int) {
		if found, ok := divers[k].dive(groups[k], seats[k], before[k]); ok {
			tables[k] = found
		}
	})
	for k, d := range divers {
		for _, l := range d.fresh {
			n.known.learn(n.m.pupils[l.pupil].member, l.table)
		}
		if tables[k] != nil && (d.value > before[k] || !n.fair || n.fairer(groups[k], tables[k])) {
			for _, i := range groups[k] {
				n.b.set(i, tables[k][i])
			}
		}
	}
}

// fairer reports whether new timetables of the same value leave no one worse off than someone was.
func (n *neighbourhoods) fairer(group []int32, tables map[int32]timetable) bool {
	var old, now []int64
	for _, i := range group {
		old = append(old, n.m.pupils[i].top-int64(n.b.tables[i].value))
		now = append(now, n.m.pupils[i].top-int64(tables[i].value))
	}
	return compareStanding(now, old) <= 0
}

// pick chooses members around one that loses: those who hold the seats it wants, those who hold the seats
// they want, and so on.
func (n *neighbourhoods) pick(taken map[int32]bool) []int32 {
	var group []int32
	add := func(i int32) {
		if !taken[i] {
			taken[i] = true
			group = append(group, i)
		}
	}
	add(n.seed())
	for head := 0; head < len(group) && len(group) < neighbourhoodSize; head++ {
		pools := n.wanted(group[head])
		n.r.Shuffle(len(pools), func(a, b int) { pools[a], pools[b] = pools[b], pools[a] })
		for _, p := range pools[:min(len(pools), 4)] {
			list := n.holders[p]
			for range min(4, len(list)) {
				if add(list[n.r.IntN(len(list))]); len(group) == neighbourhoodSize {
					break
				}
			}
		}
	}
	for tries := 0; len(group) < neighbourhoodSize && tries < 4*neighbourhoodSize; tries++ {
		add(n.members[n.r.IntN(len(n.members))])
	}
	slices.Sort(group)
	return group[:min(len(group), neighbourhoodSize)]
}

// seed chooses a member, mostly by what it loses.
func (n *neighbourhoods) seed() int32 {
	var total int64
	for _, i := range n.members {
		total += n.loss(i)
	}
	if total > 0 && n.r.IntN(8) > 0 {
		x := n.r.Int64N(total)
		for _, i := range n.members {
			if x -= n.loss(i); x < 0 {
				return i
			}
		}
	}
	return n.members[n.r.IntN(len(n.members))]
}

// loss is what a member's timetable falls short of the best at the prices, in 1/scale.
func (n *neighbourhoods) loss(i int32) int64 { return n.c.best[i] - n.b.tables[i].worth(n.c.price) }

// wanted lists pools a member is not in and could be in at little loss.
func (n *neighbourhoods) wanted(i int32) (pools []int32) {
	for _, j := range n.known.of[n.m.pupils[i].member] {
		t := &n.known.columns[j].table
		if n.c.best[i]-t.worth(n.c.price) > 2*scale {
			continue
		}
		for _, p := range t.pools {
			if !slices.Contains(pools, p) && !slices.Contains(n.b.tables[i].pools, p) {
				pools = append(pools, p)
			}
		}
	}
	return pools
}

func newRand(seed uint64, stream int) *rand.Rand { return rand.New(rand.NewPCG(seed, uint64(stream))) }
