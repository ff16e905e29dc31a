package placement

import (
	"cmp"
	"math/bits"
	"slices"
)

// model is a problem made ready for search: sections of a course that meet at the same times are one pool,
// and each student's options know by a few bits which of them clash.
type model struct {
	problem *Problem
	pools   []pool
	pupils  []pupil // by id
	seats   []int32 // by pool
}

// pool are the sections of one course with the same cells; anyone who is in the pool can be in any of them.
type pool struct {
	course   int32
	sections []int32 // by id
}

// pupil is a student with the wishes that have a section. Items are the requests, then the alternates; the
// options of item k are first[k] to first[k+1].
type pupil struct {
	student  int32
	member   int // its place in its component
	requests int // how many items are requests
	lost     int // requests that cannot be given at all: each makes room for an alternate
	items    []item
	first    []int32
	pool     []int32  // by option
	mask     []uint64 // by option, words at a time: options of different items clash when they share a bit
	words    int
	cells    int      // how many bits there are
	rent     []int64  // by cell, from the search before
	stood    uint64   // requests that some alternate stands for
	groups   []uint64 // sets of requests given all or not at all
	top      int64    // the value of the best timetable if every seat were free
}

type item struct {
	place  int32 // in the student's requests or alternates
	value  int32
	stands int32  // alternates: the item it stands for, or None
	group  uint64 // requests: the others of its group
}

func compile(p *Problem) *model {
	m := &model{problem: p}
	poolsOf := m.makePools()
	order := make([]int32, len(p.Students))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(p.Students[a].ID, p.Students[b].ID) })
	m.pupils = make([]pupil, len(order))
	c := compiler{model: m, poolsOf: poolsOf, cells: make([][]int32, len(m.pools))}
	for k := range m.pools {
		c.cells[k] = p.Sections[m.pools[k].sections[0]].Cells
	}
	for k, i := range order {
		m.pupils[k] = c.pupil(i)
	}
	return m
}

// makePools groups the sections and gives the pools of each course.
func (m *model) makePools() [][]int32 {
	p := m.problem
	order := make([]int32, len(p.Sections))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int {
		x, y := &p.Sections[a], &p.Sections[b]
		return cmp.Or(cmp.Compare(x.Course, y.Course), slices.Compare(x.Cells, y.Cells), cmp.Compare(x.ID, y.ID))
	})
	poolsOf := make([][]int32, len(p.Courses))
	for n, i := range order {
		s := &p.Sections[i]
		if n == 0 || p.Sections[order[n-1]].Course != s.Course || !slices.Equal(p.Sections[order[n-1]].Cells, s.Cells) {
			poolsOf[s.Course] = append(poolsOf[s.Course], int32(len(m.pools)))
			m.pools = append(m.pools, pool{course: s.Course})
			m.seats = append(m.seats, 0)
		}
		last := len(m.pools) - 1
		m.pools[last].sections = append(m.pools[last].sections, i)
		m.seats[last] += int32(s.Seats)
	}
	return poolsOf
}

// compiler makes pupils; its buffers are reused.
type compiler struct {
	*model
	poolsOf [][]int32
	cells   [][]int32 // by pool

	users map[int32]int // the place of a cell among those used
	sets  [][]uint64    // by cell used: the options that meet in it
	items [][]int32     // by cell used: the items of those options, each once
}

func (c *compiler) pupil(index int32) pupil {
	s := &c.problem.Students[index]
	p := pupil{student: index, first: []int32{0}}
	impossible := uint64(0)
	for k, r := range s.Requests {
		if !c.open(r.Course, s.Busy) {
			impossible |= 1 << k
		}
	}
	for _, group := range s.Together {
		var set uint64
		for _, k := range group {
			set |= 1 << k
		}
		if set&impossible != 0 {
			impossible |= set
		}
	}
	at := make([]int32, len(s.Requests)) // the item of each request
	for k, r := range s.Requests {
		if at[k] = None; impossible>>k&1 == 1 {
			p.lost++
			continue
		}
		at[k] = int32(len(p.items))
		p.add(c, item{place: int32(k), value: r.Value, stands: None}, r.Course, s.Busy)
	}
	p.requests = len(p.items)
	for _, group := range s.Together {
		var set uint64
		for _, k := range group {
			if at[k] != None {
				set |= 1 << at[k]
			}
		}
		if bits.OnesCount64(set) > 1 {
			p.groups = append(p.groups, set)
			for rest := set; rest != 0; rest &= rest - 1 {
				k := bits.TrailingZeros64(rest)
				p.items[k].group = set &^ (1 << k)
			}
		}
	}
	for k, a := range s.Alternates {
		if c.open(a.Course, s.Busy) {
			stands := None // one that stands for a request without a section is like a general one
			if a.StandsFor != None {
				if stands = at[a.StandsFor]; stands != None {
					p.stood |= 1 << stands
				}
			}
			p.add(c, item{place: int32(k), value: a.Value, stands: stands}, a.Course, s.Busy)
		}
	}
	c.masks(&p)
	return p
}

// open reports whether some section of the course has a seat, in cells that are free.
func (c *compiler) open(course int32, busy []int32) bool {
	return slices.ContainsFunc(c.poolsOf[course], func(pool int32) bool { return c.possible(pool, busy) })
}

func (c *compiler) possible(pool int32, busy []int32) bool {
	return c.seats[pool] > 0 && (len(busy) == 0 || len(common(c.cells[pool], busy)) == 0)
}

func (p *pupil) add(c *compiler, it item, course int32, busy []int32) {
	p.items = append(p.items, it)
	for _, pool := range c.poolsOf[course] {
		if c.possible(pool, busy) {
			p.pool = append(p.pool, pool)
		}
	}
	p.first = append(p.first, int32(len(p.pool)))
}

// masks gives each option its bits. A bit is a cell in which options of different items meet; a cell all
// whose options also meet in another needs none.
func (c *compiler) masks(p *pupil) {
	c.users = map[int32]int{}
	c.sets, c.items = c.sets[:0], c.items[:0]
	words := (len(p.pool) + 63) / 64
	for k := range p.items {
		for o := p.first[k]; o < p.first[k+1]; o++ {
			for _, cell := range c.cells[p.pool[o]] {
				n, ok := c.users[cell]
				if !ok {
					n = len(c.sets)
					c.users[cell] = n
					c.sets = append(c.sets, make([]uint64, words))
					c.items = append(c.items, nil)
				}
				c.sets[n][o>>6] |= 1 << (o & 63)
				if last := c.items[n]; len(last) == 0 || last[len(last)-1] != int32(k) {
					c.items[n] = append(c.items[n], int32(k))
				}
			}
		}
	}
	var kept [][]uint64
	order := make([]int, 0, len(c.sets))
	for n := range c.sets {
		if len(c.items[n]) > 1 {
			order = append(order, n)
		}
	}
	// The largest sets first, so that a set is kept unless it lies in one that is.
	size := func(set []uint64) (n int) {
		for _, w := range set {
			n += bits.OnesCount64(w)
		}
		return n
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(size(c.sets[b]), size(c.sets[a])) })
	for _, n := range order {
		if !slices.ContainsFunc(kept, func(set []uint64) bool { return within(c.sets[n], set) }) {
			kept = append(kept, c.sets[n])
		}
	}
	p.cells, p.words = len(kept), max(1, (len(kept)+63)/64)
	p.mask = make([]uint64, len(p.pool)*p.words)
	for bit, set := range kept {
		for w, word := range set {
			for ; word != 0; word &= word - 1 {
				o := w<<6 | bits.TrailingZeros64(word)
				p.mask[o*p.words+bit>>6] |= 1 << (bit & 63)
			}
		}
	}
}

func within(a, b []uint64) bool {
	for w := range a {
		if a[w]&^b[w] != 0 {
			return false
		}
	}
	return true
}
