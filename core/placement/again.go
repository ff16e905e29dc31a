package placement

import (
	"cmp"
	"slices"
)

// Anew places some students again, one after the other in the order given, after a change of their wishes or
// of the sections; what they had is kept where it is as good. Everybody else stays, but where a student could
// have more if someone gave up a seat: then at most so many others sit in other sections of the courses that
// they have, and lose none of them. Given is what everybody had, those who are placed again perhaps in
// sections that cannot be any more; it is changed. Moved are the others who sit elsewhere, ascending.
//
// A chain of others who each make room for the one before is an augmenting path, as in Kuhn's method for
// assignments (1955, "The Hungarian method for the assignment problem"). The error is a *ProblemError.
func (p *Problem) Anew(given []Given, who []int32, most int) (moved []int32, err error) {
	if err := p.validate(); err != nil {
		return nil, err
	}
	m := compile(p)
	a := &anew{m: m, b: newBoard(m), s: searcher{limit: briefNodes}, open: make([]int64, len(m.pools)),
		late: map[int32]bool{}, holders: make([][]int32, len(m.pools)), moved: map[int32]bool{}}
	poolOf, pupilOf := make([]int32, len(p.Sections)), make([]int32, len(p.Students))
	for k := range m.pools {
		for _, section := range m.pools[k].sections {
			poolOf[section] = int32(k)
		}
	}
	for k := range m.pupils {
		pupilOf[m.pupils[k].student] = int32(k)
	}
	for _, student := range who {
		a.late[pupilOf[student]] = true
	}
	for k := range m.pupils {
		student := m.pupils[k].student
		g := &given[student]
		if a.late[int32(k)] {
			continue
		}
		var pools []int32
		for _, list := range [][]int32{g.Requests, g.Alternates} {
			for _, section := range list {
				if section != None {
					pools = append(pools, poolOf[section])
				}
			}
		}
		a.b.set(int32(k), newTimetable(pools, int32(p.Students[student].Value(g))))
		for _, q := range pools {
			a.holders[q] = append(a.holders[q], int32(k))
		}
	}
	for _, student := range who {
		k := pupilOf[student]
		var had []int32
		for _, list := range [][]int32{given[student].Requests, given[student].Alternates} {
			for _, section := range list {
				if section != None && int(section) < len(p.Sections) {
					had = append(had, poolOf[section])
				}
			}
		}
		a.place(k, had, most)
	}
	for k := range a.moved {
		moved = append(moved, m.pupils[k].student)
	}
	slices.Sort(moved)
	a.seat(given, append(slices.Clone(who), moved...))
	return moved, nil
}

// anew places students again on a board.
type anew struct {
	m       *model
	b       *board
	s       searcher
	open    []int64
	late    map[int32]bool // pupils who are placed again
	holders [][]int32      // by pool
	moved   map[int32]bool
	left    int // searches, for the student under way
}

// maxSearches bounds the searches for one student.
const maxSearches = 1500

// place returns a pupil the best for which there are seats; then, while that gives more, others make room.
func (a *anew) place(k int32, had []int32, most int) {
	a.left = maxSearches
	for q := range a.open {
		a.open[q] = 0
	}
	_, top := a.s.search(&a.m.pupils[k], a.open, -1)
	like := func() { // what was had is a trifle cheaper
		a.m.openPools(k, a.b, a.open, nil)
		for _, q := range had {
			if a.open[q] == 0 {
				a.open[q] = -1
			}
		}
	}
	like()
	a.s.search(&a.m.pupils[k], a.open, -1)
	a.set(k, a.s.table())
	for most > 0 && int64(a.b.tables[k].value) < top/scale {
		was := a.b.tables[k]
		a.set(k, nothing)
		type wish struct {
			pool  int32
			table timetable
		}
		var wishes []wish
		for _, q := range slices.Compact(slices.Sorted(slices.Values(a.m.pupils[k].pool))) {
			like()
			if a.open[q] != closed {
				continue
			}
			a.open[q] = 0
			floor := int64(was.value) * scale
			if best, _ := a.s.search(&a.m.pupils[k], a.open, floor+scale-1); best >= floor+scale {
				wishes = append(wishes, wish{q, a.s.table()})
			}
		}
		slices.SortStableFunc(wishes, func(x, y wish) int { return cmp.Compare(y.table.value, x.table.value) })
		done := false
	search:
		for n := 1; n <= most; n++ {
			for _, w := range wishes {
				// What the pupil takes is taken while the others look for room.
				a.set(k, w.table)
				if used := a.free(w.pool, n, nil); used > 0 {
					most -= used
					done = true
					break search
				}
				a.set(k, nothing)
			}
		}
		if !done {
			a.set(k, was)
			break
		}
	}
}

// free gets someone out of a pool that holds one too many, with so many moves at the most, and tells how
// many it took; 0: it cannot be done, and nothing has changed. Chain are those on the way.
func (a *anew) free(pool int32, moves int, chain []int32) int {
	for _, deep := range []bool{false, true} {
		if deep && moves == 1 {
			break
		}
		for _, u := range slices.Clone(a.holders[pool]) {
			if a.late[u] || slices.Contains(chain, u) {
				continue
			}
			if used := a.away(u, pool, moves, chain, deep); used > 0 {
				return used
			}
			if a.left <= 0 {
				return 0
			}
		}
	}
	return 0
}

// away gets a pupil out of a pool without losing a course: where seats are free, or, deep, where someone
// else makes room.
func (a *anew) away(u, pool int32, moves int, chain []int32, deep bool) int {
	was := a.b.tables[u]
	a.set(u, nothing)
	courses := map[int32]bool{}
	for _, q := range was.pools {
		courses[a.m.pools[q].course] = true
	}
	price := func(also int32) {
		a.m.openPools(u, a.b, a.open, nil)
		for _, q := range a.m.pupils[u].pool {
			if q == pool || !courses[a.m.pools[q].course] {
				a.open[q] = closed
			} else if q == also {
				a.open[q] = 0
			} else if a.open[q] == 0 && !slices.Contains(was.pools, q) {
				a.open[q] = 1 // as little as can be changes
			}
		}
	}
	floor := (int64(was.value) - 1) * scale
	try := func(also int32) bool {
		a.left--
		price(also)
		best, _ := a.s.search(&a.m.pupils[u], a.open, floor)
		return best > floor && len(a.s.table().pools) == len(was.pools)
	}
	if !deep {
		if try(None) {
			a.set(u, a.s.table())
			a.moved[u] = true
			return 1
		}
	} else {
		for _, q := range slices.Compact(slices.Sorted(slices.Values(a.m.pupils[u].pool))) {
			if a.left <= 0 || q == pool || !courses[a.m.pools[q].course] || a.b.load[q] < a.m.seats[q] || !try(q) {
				continue
			}
			a.set(u, a.s.table())
			if a.b.load[q] > a.m.seats[q] {
				if used := a.free(q, moves-1, append(slices.Clone(chain), u)); used > 0 {
					a.moved[u] = true
					return used + 1
				}
			}
			a.set(u, nothing)
		}
	}
	a.set(u, was)
	return 0
}

// set gives a pupil a timetable, and records who is in each pool.
func (a *anew) set(k int32, t timetable) {
	for _, q := range a.b.tables[k].pools {
		a.holders[q] = slices.DeleteFunc(a.holders[q], func(u int32) bool { return u == k })
	}
	a.b.set(k, t)
	for _, q := range t.pools {
		a.holders[q] = append(a.holders[q], k)
	}
}

// seat turns the pools of those concerned into sections: the one that they had where a seat of it is free,
// else the one with the most.
func (a *anew) seat(given []Given, who []int32) {
	p := a.m.problem
	left := make([]int, len(p.Sections))
	for i := range left {
		left[i] = p.Sections[i].Seats
	}
	concerned := map[int32]bool{}
	for _, student := range who {
		concerned[student] = true
	}
	for i := range given {
		if concerned[int32(i)] {
			continue
		}
		for _, list := range [][]int32{given[i].Requests, given[i].Alternates} {
			for _, section := range list {
				if section != None {
					left[section]--
				}
			}
		}
	}
	for k := range a.m.pupils {
		student := a.m.pupils[k].student
		if !concerned[student] {
			continue
		}
		s, g := &p.Students[student], &given[student]
		had := append(slices.Clone(g.Requests), g.Alternates...)
		sections := map[int32]int32{} // by course
		for _, q := range a.b.tables[k].pools {
			best := a.m.pools[q].sections[0]
			for _, section := range a.m.pools[q].sections {
				if slices.Contains(had, section) && left[section] > 0 {
					best = section
					break
				}
				if left[section] > left[best] {
					best = section
				}
			}
			left[best]--
			sections[a.m.pools[q].course] = best
		}
		*g = Given{}
		for _, r := range s.Requests {
			g.Requests = append(g.Requests, sectionOf(sections, r.Course))
		}
		for _, x := range s.Alternates {
			g.Alternates = append(g.Alternates, sectionOf(sections, x.Course))
		}
	}
}
