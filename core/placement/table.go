package placement

import "slices"

// timetable is what a student would get: the pools, ascending, and what they are worth without prices.
type timetable struct {
	pools []int32
	value int32
	key   uint64 // of the pools; two timetables of a pupil with the same key are the same
}

func newTimetable(pools []int32, value int32) timetable {
	slices.Sort(pools)
	t := timetable{pools: pools, value: value, key: 14695981039346656037}
	for _, p := range pools { // FNV-1a, a pool at a time
		t.key = (t.key ^ uint64(p+1)) * 1099511628211
		t.key ^= t.key >> 29
	}
	return t
}

// nothing is the timetable without a section.
var nothing = newTimetable(nil, 0)

// worth is what a timetable is worth after prices, in 1/scale.
func (t *timetable) worth(price []int64) int64 {
	sum := int64(t.value) * scale
	for _, p := range t.pools {
		sum -= price[p]
	}
	return sum
}

// table returns the timetable the searcher found last.
func (s *searcher) table() timetable {
	var pools []int32
	var value int32
	for k, o := range s.found {
		if o != None {
			pools = append(pools, s.p.pool[o])
			value += s.p.items[k].value
		}
	}
	return newTimetable(pools, value)
}

// board is a timetable for every pupil, and how many are in each pool.
type board struct {
	tables []timetable // by pupil
	load   []int32     // by pool
	value  int64
}

func newBoard(m *model) *board {
	return &board{tables: slices.Repeat([]timetable{nothing}, len(m.pupils)), load: make([]int32, len(m.pools))}
}

func (b *board) set(pupil int32, t timetable) {
	old := &b.tables[pupil]
	for _, p := range old.pools {
		b.load[p]--
	}
	for _, p := range t.pools {
		b.load[p]++
	}
	b.value += int64(t.value) - int64(old.value)
	*old = t
}

// settle gives the members, in their order, the best timetables for which there are seats left, at the
// prices; and then, while that helps anybody, betters each at no prices.
func (m *model) settle(b *board, members []int32, price []int64, s *searcher) {
	open := make([]int64, len(m.pools))
	for _, i := range members {
		b.set(i, nothing)
	}
	for _, i := range members {
		m.openPools(i, b, open, price)
		s.search(&m.pupils[i], open, -1)
		b.set(i, s.table())
	}
	m.polish(b, members, s)
}

// openPools makes prices of the pools a pupil could be in that close full ones. Price may be nil.
func (m *model) openPools(i int32, b *board, open, price []int64) {
	for _, p := range m.pupils[i].pool {
		switch {
		case b.load[p] >= m.seats[p]:
			open[p] = closed
		case price == nil:
			open[p] = 0
		default:
			open[p] = price[p]
		}
	}
}

// polish betters the members' timetables one by one with the seats that are free, until no one's gets better.
func (m *model) polish(b *board, members []int32, s *searcher) {
	open := make([]int64, len(m.pools))
	for better := true; better; {
		better = false
		for _, i := range members {
			if int64(b.tables[i].value) >= m.pupils[i].top {
				continue
			}
			old := b.tables[i]
			b.set(i, nothing)
			m.openPools(i, b, open, nil)
			floor := int64(old.value) * scale
			if best, _ := s.search(&m.pupils[i], open, floor); best > floor {
				old, better = s.table(), true
			}
			b.set(i, old)
		}
	}
}
