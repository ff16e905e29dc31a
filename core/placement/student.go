package placement

import (
	"cmp"
	"math/bits"
)

// Scale is how finely prices are told: a price, or a worth after prices, is a whole number of 1/scale of a value.
const scale = 1 << 16

// closed is the price of a pool no one may enter.
const closed int64 = 1 << 50

// maxNodes bounds the search for one student's timetable where it should be exact. Beyond its limit a search
// gives the best it found, and a bound that holds nevertheless.
const maxNodes = 2_000_000

// searcher finds a student's best timetable at given prices by branch and bound over bitsets of clash cells:
// the request with the fewest sections left first, the sections of the greatest worth first; a branch is left
// when what its open requests could at most bring does not beat the best timetable known. Its buffers are
// reused; each goroutine has its own. What the open requests can bring is bounded with a rent for each cell
// (rents.go), set again further down where a search is hard. A table of states passes over what is reached a
// second time in another order.
//
// Depth-first branch and bound is Land and Doig's (1960), the fail-first order Haralick and Elliott's (1980).
type searcher struct {
	p     *pupil
	words int

	list  []choice // the options worth a look, item by item, the worthiest after rents first
	from  []int32  // by item: its first in list; the next item's is its end
	used  []uint64 // by depth, words at a time: the cells taken
	taken []int32  // by item: the option, or None
	most  []int64  // by request: what it could bring at most, in the branch under way
	total int64    // of the rents of all cells
	rent  []int64  // by cell
	uses  []int32  // by cell
	extra []choice // the best option of each alternate
	asked uint64   // the requests that rents are set for,
	room  int      // and the number of those not given before
	kept  []int64  // the rents in force

	levels    []level
	tightened int // how many of them are in use
	tight     int // the depth of the last

	alternates []int64 // what the alternates still free can bring, the best first
	best       int64
	found      []int32 // the best timetable: by item the option, or None
	nodes      int
	limit      int   // of nodes
	patience   int   // the nodes after which rents are set again in the branches; 0: hardNodes
	weight     int64 // how much more than usual a value counts beside prices; 0 is as 1
	open       int64 // the most that a branch not looked into could bring

	seen  []state // by hash: where the search has been
	epoch uint32  // of the search under way
}

type choice struct {
	net    int64 // the worth at the prices
	after  int64 // and after the rents of its cells
	option int32
}

// state is all of a partial timetable that bears on how it can be completed, with the most it was worth.
type state struct {
	undecided, without, used uint64
	sum                      int64
	epoch                    uint32
	skipped                  int32
}

// seenBits is the size of the table of states, as a power of two; a newer state takes the place of an older one.
const seenBits = 13

// been reports whether the search has been in this state with at least that worth, and remembers it. Without
// are the requests not given that some alternate stands for.
func (s *searcher) been(undecided, without, used uint64, sum int64, skipped int) bool {
	h := (undecided*0x9e3779b97f4a7c15 ^ (without+uint64(skipped))*0xc2b2ae3d27d4eb4f ^ used) * 0xff51afd7ed558ccd
	x := &s.seen[h>>(64-seenBits)]
	if x.epoch == s.epoch && x.undecided == undecided && x.without == without && x.used == used && int(x.skipped) == skipped {
		if x.sum >= sum {
			return true
		}
		x.sum = sum
		return false
	}
	*x = state{undecided: undecided, without: without, used: used, sum: sum, epoch: s.epoch, skipped: int32(skipped)}
	return false
}

// search finds the best timetable for a pupil. Price is by pool, in 1/scale of a value; closed pools are
// passed over. It gives the worth after prices of the timetable in s.found, and a bound on what any timetable
// is worth, which is the same unless the search was cut short. A timetable is only looked for where it is
// worth more than floor; where there is none, best is floor and s.found all None. The pupil's rents are left
// for the next search.
func (s *searcher) search(p *pupil, price []int64, floor int64) (best, bound int64) {
	s.prepare(p, price)
	s.best, s.nodes, s.open, s.tight = floor, 0, 0, 0
	for k := range s.found {
		s.found[k] = None
	}
	if s.setRents(floor) <= floor {
		return floor, floor
	}
	s.branch(0, uint64(1)<<p.requests-1, 0, 0, s.total, p.lost)
	return s.best, max(s.best, s.open)
}

// prepare lists each item's options by their worth at the prices, without those that another of the item
// makes needless.
func (s *searcher) prepare(p *pupil, price []int64) {
	s.p, s.words = p, p.words
	if s.epoch++; s.seen == nil || s.epoch == 0 {
		s.seen, s.epoch = make([]state, 1<<seenBits), 1
	}
	n := len(p.items)
	s.list, s.from = s.list[:0], append(s.from[:0], 0)
	s.taken = resize(s.taken, n)
	s.most = resize(s.most, n)
	s.found = resize(s.found, n)
	s.used = resize(s.used, (n+1)*p.words)
	clear(s.used[:p.words])
	s.alternates = s.alternates[:0]
	for k := range p.items {
		start := len(s.list)
		worth := int64(p.items[k].value) * scale * max(1, s.weight)
		least := int64(0)
		if p.items[k].group != 0 {
			least = -closed // worth nothing on its own, it may still be needed for the rest of its group
		}
		for o := p.first[k]; o < p.first[k+1]; o++ {
			net := worth - price[p.pool[o]]
			if net <= least || price[p.pool[o]] >= closed || s.needless(start, o, net) {
				continue
			}
			at := len(s.list)
			s.list = append(s.list, choice{})
			for ; at > start && s.list[at-1].net < net; at-- {
				s.list[at] = s.list[at-1]
			}
			s.list[at] = choice{net, net, o}
		}
		s.from = append(s.from, int32(len(s.list)))
		s.taken[k] = None
	}
}

func resize[T any](list []T, n int) []T {
	if cap(list) < n {
		return make([]T, n, n+n/2)
	}
	return list[:n]
}

// freeAlternates lists what the alternates that may still be given can bring, the best first.
func (s *searcher) freeAlternates(depth int) {
	s.alternates = s.alternates[:0]
	for k := s.p.requests; k < len(s.p.items); k++ {
		if f := s.p.items[k].stands; f != None && s.taken[f] != None {
			continue
		}
		for i := s.from[k]; i < s.from[k+1] && s.list[i].after > 0; i++ {
			if !s.free(depth, s.list[i].option) {
				continue
			}
			net := s.list[i].after
			s.alternates = append(s.alternates, net)
			for j := len(s.alternates) - 1; j > 0 && s.alternates[j] > s.alternates[j-1]; j-- {
				s.alternates[j], s.alternates[j-1] = s.alternates[j-1], s.alternates[j]
			}
			break
		}
	}
}

// needless reports whether an option listed already is worth as much and takes no cell that this one does not.
func (s *searcher) needless(start int, option int32, net int64) bool {
	for _, c := range s.list[start:] {
		if c.net < net {
			return false
		}
		if within(s.p.mask[int(c.option)*s.words:][:s.words], s.p.mask[int(option)*s.words:][:s.words]) {
			return true
		}
	}
	return false
}

func (s *searcher) free(depth int, option int32) bool {
	if s.words == 1 {
		return s.used[depth]&s.p.mask[option] == 0
	}
	used, mask := s.used[depth*s.words:], s.p.mask[int(option)*s.words:]
	for w := 0; w < s.words; w++ {
		if used[w]&mask[w] != 0 {
			return false
		}
	}
	return true
}

func (s *searcher) take(depth int, option int32) {
	for w := 0; w < s.words; w++ {
		s.used[(depth+1)*s.words+w] = s.used[depth*s.words+w] | s.p.mask[int(option)*s.words+w]
	}
}

// branch decides one more request. Sum is the worth so far, rest the rents of the cells that are free,
// without the requests that are not given and that alternates stand for, skipped the number of all requests
// that are not given.
func (s *searcher) branch(depth int, undecided, without uint64, sum, rest int64, skipped int) {
	if s.nodes++; undecided == 0 {
		s.finish(depth, sum, rest, skipped)
		return
	}
	// What the open requests can bring at most, and which of them has the fewest sections left.
	bound, skip := sum+rest, int64(0)
	s.freeAlternates(depth)
	for n, net := range s.alternates {
		if n == skipped { // what the next request that is not given could bring in
			skip = net
			break
		}
		bound += net
	}
	for set := undecided; set != 0; set &= set - 1 {
		k := bits.TrailingZeros64(set)
		most := int64(-closed)
		for i := s.from[k]; i < s.from[k+1]; i++ {
			if s.free(depth, s.list[i].option) {
				most = s.list[i].after
				break
			}
		}
		if group := s.p.items[k].group; group == 0 || !s.given(group) {
			most = max(most, skip)
		} else if most == -closed {
			return // the rest of its group is given, and it cannot be
		}
		s.most[k] = most
		bound += most
	}
	if bound <= s.best {
		return
	}
	again := depth > 0 && depth == s.tight // this is where rents have just been set again
	if !again && s.words == 1 && s.been(undecided, without, s.used[depth], sum, skipped) {
		return
	}
	if s.nodes > s.limit {
		s.open = max(s.open, bound)
		return
	}
	if s.nodes > cmp.Or(s.patience, hardNodes) && depth >= s.tight+tightEvery && bits.OnesCount64(undecided) >= tightLeast {
		s.tighten(depth, undecided, without, sum, skipped)
		return
	}
	pick := s.pick(depth, undecided, bound-s.best, skip)
	undecided &^= 1 << pick
	group := s.p.items[pick].group
	bound -= s.most[pick]
	for i := s.from[pick]; i < s.from[pick+1]; i++ {
		c := s.list[i]
		if bound+c.after <= s.best {
			break
		}
		if s.free(depth, c.option) {
			s.taken[pick] = c.option
			s.take(depth, c.option)
			s.branch(depth+1, undecided, without, sum+c.net, rest-(c.net-c.after), skipped)
		}
	}
	s.taken[pick] = None
	if (group == 0 || !s.given(group)) && (group != 0 || bound+skip > s.best) {
		// Not given; the rest of its group is not either.
		copy(s.used[(depth+1)*s.words:][:s.words], s.used[depth*s.words:][:s.words])
		s.branch(depth+1, undecided&^group, without|(group|1<<pick)&s.p.stood, sum, rest, skipped+1+bits.OnesCount64(group))
	}
}

// pick chooses the open request with the fewest choices left that could lead to something better; slack is by
// how much the bound is above the best timetable known.
func (s *searcher) pick(depth int, undecided uint64, slack, skip int64) int {
	pick, fewest := 0, 1<<30
	for set := undecided; set != 0; set &= set - 1 {
		k := bits.TrailingZeros64(set)
		least, left := s.most[k]-slack, 0
		if skip > least {
			left++
		}
		for i := s.from[k]; i < s.from[k+1] && s.list[i].after > least && left < fewest; i++ {
			if s.free(depth, s.list[i].option) {
				left++
			}
		}
		if left < fewest {
			if pick, fewest = k, left; fewest <= 1 {
				break
			}
		}
	}
	return pick
}

// given reports whether some request of the set is taken.
func (s *searcher) given(set uint64) bool {
	for ; set != 0; set &= set - 1 {
		if s.taken[bits.TrailingZeros64(set)] != None {
			return true
		}
	}
	return false
}

// finish adds the best alternates to a timetable of requests.
func (s *searcher) finish(depth int, sum, rest int64, skipped int) {
	if skipped == 0 || s.p.requests == len(s.p.items) {
		if sum > s.best {
			s.best = sum
			copy(s.found, s.taken)
		}
		return
	}
	s.addAlternates(depth, s.p.requests, sum, rest, skipped)
}

// addAlternates decides the alternates from item k on; room is how many more may be given.
func (s *searcher) addAlternates(depth, k int, sum, rest int64, room int) {
	s.nodes++
	n := len(s.p.items)
	if sum > s.best {
		s.best = sum
		copy(s.found, s.taken)
	}
	if k == n || room == 0 {
		return
	}
	bound := sum + rest
	for i := k; i < n; i++ {
		if s.from[i+1] > s.from[i] {
			bound += max(0, s.list[s.from[i]].after)
		}
	}
	if bound <= s.best {
		return
	}
	if s.nodes > s.limit {
		s.open = max(s.open, bound)
		return
	}
	if f := s.p.items[k].stands; f == None || s.taken[f] == None {
		for i := s.from[k]; i < s.from[k+1]; i++ {
			if c := s.list[i]; s.free(depth, c.option) {
				s.taken[k] = c.option
				s.take(depth, c.option)
				s.addAlternates(depth+1, k+1, sum+c.net, rest-(c.net-c.after), room-1)
			}
		}
		s.taken[k] = None
	}
	copy(s.used[(depth+1)*s.words:][:s.words], s.used[depth*s.words:][:s.words])
	s.addAlternates(depth+1, k+1, sum, rest, room)
}
