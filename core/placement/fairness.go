package placement

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"math/bits"
	"slices"
	"strconv"
)

// lots is the order in which students come where seats are scarce and nothing else decides.
type lots struct {
	m    *model
	rank []int32   // by pupil: 0 comes first
	luck []float64 // by pupil: from 1 for the first down to 0
}

// Draw draws the lottery: the students by the SHA-256 digest of the seed, a colon and the id, in ascending
// order. Anybody can draw it again. Seniority is not looked at.
func Draw(seed uint64, ids []string) []int32 {
	digests := make([][sha256.Size]byte, len(ids))
	order := make([]int32, len(ids))
	for i, id := range ids {
		digests[i] = sha256.Sum256([]byte(strconv.FormatUint(seed, 10) + ":" + id))
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return bytes.Compare(digests[a][:], digests[b][:]) })
	return order
}

// Order lists the students as they come where seats are scarce and nothing else decides: the more senior
// first, then by the lottery.
func (p *Problem) Order(draw []int32) []int32 {
	order := slices.Clone(draw)
	slices.SortStableFunc(order, func(a, b int32) int { return cmp.Compare(p.Students[b].Senior, p.Students[a].Senior) })
	return order
}

// newLots draws for a model: the more senior first, then by lot.
func newLots(m *model, draw []int32) *lots {
	pupilOf := make([]int32, len(m.problem.Students))
	for k := range m.pupils {
		pupilOf[m.pupils[k].student] = int32(k)
	}
	order := m.problem.Order(draw)
	l := &lots{m: m, rank: make([]int32, len(order)), luck: make([]float64, len(order))}
	for n, i := range order {
		l.rank[pupilOf[i]] = int32(n)
		l.luck[pupilOf[i]] = 1 - float64(n)/float64(len(order))
	}
	return l
}

// taste is a little that a timetable is worth more or less than its value, so that among solutions of equal
// value a program has one it likes best: that which leaves no one far behind, then that which follows the
// lots.
func (l *lots) taste(i int32, t *timetable) float64 {
	short := float64(l.m.pupils[i].top-int64(t.value)) / 60
	mixed := float64((t.key^uint64(i)*0x9e3779b97f4a7c15)*0xff51afd7ed558ccd>>11) / (1 << 53)
	return -tasteFair*short*short - tasteFair*short*l.luck[i] + tasteAny*mixed
}

// compareStanding compares what two groups fall short of what they wished for: the one whose worst-off is
// less far behind comes first, then by the next worst-off, and so on. It sorts its arguments.
func compareStanding(a, b []int64) int {
	slices.SortFunc(a, func(x, y int64) int { return cmp.Compare(y, x) })
	slices.SortFunc(b, func(x, y int64) int { return cmp.Compare(y, x) })
	return slices.Compare(a, b)
}

// exchange goes through the members in the order of their lots and lets each take a seat from another
// wherever that does not lower the value, and either the worse-off of the two is then less far behind, or
// they have only changed places and the lot is on the taker's side. It ends when no such exchange is left, or
// after so many rounds.
func (c *component) exchange(rounds int) {
	order := slices.Clone(c.members)
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(c.lots.rank[a], c.lots.rank[b]) })
	x := &exchanger{component: c, open: make([]int64, len(c.m.pools)), holders: make([][]int32, len(c.m.pools)),
		last:   make([]int, len(c.m.pools)),
		failed: slices.Repeat([]int{-1}, len(c.m.pupils))}
	for _, i := range c.members {
		for _, p := range c.b.tables[i].pools {
			x.holders[p] = append(x.holders[p], i)
		}
	}
	for range rounds {
		changed := false
		for _, i := range order {
			if c.stop() {
				return
			}
			if c.short(i) > 0 {
				changed = x.help(i) || changed
			}
		}
		if !changed {
			return
		}
	}
}

// short is what a member gets less than if every seat were free.
func (c *component) short(i int32) int64 { return c.m.pupils[i].top - int64(c.b.tables[i].value) }

// briefNodes bounds a search for an exchange; the few there are are found at once or not at all.
const briefNodes = 200

type exchanger struct {
	*component
	open    []int64
	holders [][]int32 // by pool
	used    []uint64  // a pupil's cells, words at a time
	moves   int
	last    []int // by pool: the last move that anybody made into or out of it
	failed  []int // by pupil: after which move no exchange was found
}

// help looks for an exchange for a member, and reports whether there was one.
func (x *exchanger) help(i int32) bool {
	p := &x.m.pupils[i]
	if !slices.ContainsFunc(p.pool, func(q int32) bool { return x.last[q] > x.failed[i] }) {
		return false // nothing has changed where it could be
	}
	mine := x.b.tables[i]
	for k := range p.items {
		o, end := p.first[k], p.first[k+1]
		if slices.ContainsFunc(p.pool[o:end], func(q int32) bool { return slices.Contains(mine.pools, q) }) {
			continue // given already
		}
		for ; o < end; o++ {
			q := p.pool[o]
			if x.b.load[q] >= x.m.seats[q] && (x.helpWith(i, q) || x.trade(i, q)) { // a free one would be taken if it fitted
				return true
			}
		}
	}
	x.failed[i] = x.moves
	return false
}

// helpWith looks for someone who could leave i a seat of a full pool.
func (x *exchanger) helpWith(i, q int32) bool {
	mine := x.b.tables[i]
	x.b.set(i, nothing)
	x.m.openPools(i, x.b, x.open, nil)
	x.open[q] = -takeIt // so that i is in it
	s := &x.work[0]
	floor := int64(mine.value)*scale + takeIt
	best, _ := s.search(&x.m.pupils[i], x.open, floor)
	if best <= floor {
		x.b.set(i, mine)
		return false
	}
	now := s.table()
	gain := int64(now.value - mine.value)
	x.b.set(i, now) // one too many, until someone goes
	short := x.short(i) + gain
	for _, j := range x.holders[q] {
		// The worse-off of the two must not be worse off than i was; where they would change places, the lot decides.
		after := x.short(j) + gain
		if j == i || after > short || after == short && x.lots.rank[i] > x.lots.rank[j] {
			continue
		}
		x.m.openPools(j, x.b, x.open, nil)
		if x.cheapest(j, q) <= gain && x.leave(j, gain) {
			x.moved(i, mine, now)
			return true
		}
	}
	x.b.set(i, mine)
	return false
}

// cheapest is what losing a seat of pool q costs j at least: nothing where another section of the course has
// a seat free, else the course less the best alternate.
func (x *exchanger) cheapest(j, q int32) int64 {
	p := &x.m.pupils[j]
	var worth, alternate int32
	for k := range p.items {
		options := p.pool[p.first[k]:p.first[k+1]]
		if slices.Contains(options, q) {
			if slices.ContainsFunc(options, func(o int32) bool { return o != q && x.open[o] == 0 }) {
				return 0
			}
			worth = p.items[k].value
		}
		if k >= p.requests {
			alternate = max(alternate, p.items[k].value)
		}
	}
	return int64(worth - alternate)
}

// leave has j choose again among the seats that are free, when that costs j exactly so much.
func (x *exchanger) leave(j int32, cost int64) bool {
	theirs := x.b.tables[j]
	x.b.set(j, nothing)
	x.m.openPools(j, x.b, x.open, nil)
	s := &x.work[0]
	floor := (int64(theirs.value)-cost)*scale - 1
	best, _ := s.search(&x.m.pupils[j], x.open, floor)
	if best <= floor {
		x.b.set(j, theirs)
		return false
	}
	then := s.table()
	x.b.set(j, then)
	x.moved(j, theirs, then)
	return true
}

// trade looks for someone who would leave i a seat of a full pool for one of i's that they have not got.
func (x *exchanger) trade(i, q int32) bool {
	mine := x.b.tables[i]
	for _, j := range x.holders[q] {
		if j == i || x.short(j) > x.short(i) {
			continue
		}
		for _, r := range mine.pools {
			if x.wants(j, r) && x.tradeFor(i, j, q, r) {
				return true
			}
		}
	}
	return false
}

// wants reports whether a member wishes for the course of a pool, could be in it, and has not got the course.
func (x *exchanger) wants(j, r int32) bool {
	p := &x.m.pupils[j]
	for k := range p.items {
		options := p.pool[p.first[k]:p.first[k+1]]
		if slices.Contains(options, r) {
			return !slices.ContainsFunc(options, func(o int32) bool { return slices.Contains(x.b.tables[j].pools, o) })
		}
	}
	return false
}

// tradeFor lets i and j change a seat of pool q for one of pool r, when that is as good for both together and
// fairer, or follows the lots.
func (x *exchanger) tradeFor(i, j, q, r int32) bool {
	if !x.fits(i, r, q) || !x.fits(j, q, r) {
		return false
	}
	mine, theirs := x.b.tables[i], x.b.tables[j]
	now, may := x.instead(i, r, q)
	then, might := x.instead(j, q, r)
	if !may || !might || now.value+then.value != mine.value+theirs.value {
		return false
	}
	shortI, shortJ := x.short(i), x.short(j)
	change := int64(now.value - mine.value)
	order := compareStanding([]int64{shortI - change, shortJ + change}, []int64{shortI, shortJ})
	if order > 0 || order == 0 && (change <= 0 || x.lots.rank[i] > x.lots.rank[j]) {
		return false
	}
	x.b.set(i, now)
	x.b.set(j, then)
	x.moved(i, mine, now)
	x.moved(j, theirs, then)
	return true
}

// fits reports whether a member could be in one pool in place of another without a clash.
func (x *exchanger) fits(i, without, with int32) bool {
	p := &x.m.pupils[i]
	x.used = resize(x.used, p.words)
	used := x.used
	clear(used)
	at := -1
	for o, q := range p.pool {
		if q == with {
			at = o
		}
		if q != without && slices.Contains(x.b.tables[i].pools, q) {
			for w := range used {
				used[w] |= p.mask[o*p.words+w]
			}
		}
	}
	for w := range used {
		if p.mask[at*p.words+w]&used[w] != 0 {
			return false
		}
	}
	return true
}

// instead returns what a member would have with one pool in place of another and all else as it is, where that
// is allowed.
func (x *exchanger) instead(i, without, with int32) (t timetable, ok bool) {
	p := &x.m.pupils[i]
	var pools []int32
	var given uint64 // requests
	var value int32
	alternates := 0
	for k := range p.items {
		for _, q := range p.pool[p.first[k]:p.first[k+1]] {
			if q != with && (q == without || !slices.Contains(x.b.tables[i].pools, q)) {
				continue
			}
			pools = append(pools, q)
			value += p.items[k].value
			if k < p.requests {
				given |= 1 << k
			} else if alternates++; p.items[k].stands != None && given>>p.items[k].stands&1 == 1 {
				return t, false
			}
		}
	}
	for _, group := range p.groups {
		if given&group != 0 && given&group != group {
			return t, false
		}
	}
	return newTimetable(pools, value), alternates <= p.lost+p.requests-bits.OnesCount64(given)
}

func (x *exchanger) moved(i int32, from, to timetable) {
	x.moves++
	for _, p := range from.pools {
		x.last[p] = x.moves
		at := slices.Index(x.holders[p], i)
		x.holders[p] = slices.Delete(x.holders[p], at, at+1)
	}
	for _, p := range to.pools {
		x.last[p] = x.moves
		x.holders[p] = append(x.holders[p], i)
	}
}

// takeIt is what a seat is made to be worth for someone who is to take it.
const takeIt = int64(100*MaxValue) * scale

// How much a program cares for fairness and lots, and for nothing in particular, next to the value.
const (
	tasteFair = 0.005
	tasteAny  = 0.02
)
