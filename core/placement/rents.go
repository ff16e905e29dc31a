package placement

import "math/bits"

// Rents are prices of a student's own cells: what a request brings after rents, and the rents of all cells,
// together bound what any timetable is worth, for each cell is used at most once. The rents are found by
// subgradient steps on that bound, which is the Lagrangian dual of the cells (Held, Wolfe and Crowder 1974;
// the length of the steps is Polyak's 1969), from those of the search before; prices change little from
// search to search.

// rentSteps is the most steps that are taken for one search, fewer where it is to be brief; restSteps how
// many without a better bound shorten the steps.
const (
	rentSteps = 120
	restSteps = 3
)

// setRents lowers the bound at the root and gives it. It stops when the bound reaches floor.
func (s *searcher) setRents(floor int64) (root int64) {
	p := s.p
	if p.rent == nil {
		p.rent = make([]int64, p.cells)
	}
	s.asked, s.room = uint64(1)<<p.requests-1, p.lost
	return s.lower(p.rent, min(rentSteps, s.limit/10), floor)
}

// lower lowers the bound on what the requests that are asked about bring, from the rents given on, and sorts
// each item's options by what they bring after rents.
func (s *searcher) lower(rent []int64, steps int, floor int64) (root int64) {
	s.rent = append(s.rent[:0], rent...)
	s.uses = resize(s.uses, len(rent))
	root = 1 << 62
	length, since := 1.0, 0
	for step := range steps {
		bound := s.afterRents()
		if bound < root {
			root, since = bound, 0
			copy(rent, s.rent)
		} else if since++; since >= restSteps {
			since = 0
			length /= 2
			copy(s.rent, rent)
			if length < 0.03 {
				break
			}
			s.afterRents()
		}
		if bound <= floor || step == steps-1 {
			break
		}
		norm := int64(0)
		for c, n := range s.uses {
			if n > 1 || s.rent[c] > 0 {
				norm += int64(n-1) * int64(n-1)
			}
		}
		if norm == 0 {
			break // each cell that costs something is used once: no rents bound better
		}
		move := int64(length * float64(min(root-floor, 64*scale)) / float64(norm))
		for c, n := range s.uses {
			s.rent[c] = max(0, s.rent[c]+move*int64(n-1))
		}
	}
	copy(s.rent, rent)
	root = s.afterRents()
	s.kept = rent
	s.total = 0
	for _, rent := range s.rent {
		s.total += rent
	}
	for k := range s.p.items {
		list := s.list[s.from[k]:s.from[k+1]]
		for i := 1; i < len(list); i++ {
			for j := i; j > 0 && list[j].after > list[j-1].after; j-- {
				list[j], list[j-1] = list[j-1], list[j]
			}
		}
	}
	return root
}

// afterRents reports what each option brings after rents and how often each cell is used when every item takes
// what is best on its own, and gives the bound.
func (s *searcher) afterRents() (bound int64) {
	p := s.p
	for _, rent := range s.rent {
		bound += rent
	}
	clear(s.uses)
	for i := range s.list {
		c := &s.list[i]
		c.after = c.net
		for w := range s.words {
			for m := p.mask[int(c.option)*s.words+w]; m != 0; m &= m - 1 {
				c.after -= s.rent[w<<6|bits.TrailingZeros64(m)]
			}
		}
	}
	// The alternates: as many as there are requests without a section come in next to the others, the next for a
	// request that is not given.
	s.extra = s.extra[:0]
	for k := p.requests; k < len(p.items); k++ {
		best := choice{option: None}
		for i := s.from[k]; i < s.from[k+1]; i++ {
			if s.list[i].after > best.after {
				best = s.list[i]
			}
		}
		if best.option == None {
			continue
		}
		s.extra = append(s.extra, best)
		for j := len(s.extra) - 1; j > 0 && s.extra[j].after > s.extra[j-1].after; j-- {
			s.extra[j], s.extra[j-1] = s.extra[j-1], s.extra[j]
		}
	}
	skip := choice{option: None}
	for n := range s.extra {
		if n == s.room {
			skip = s.extra[n]
			break
		}
		bound += s.extra[n].after
		s.use(s.extra[n].option)
	}
	for asked := s.asked; asked != 0; asked &= asked - 1 {
		k := bits.TrailingZeros64(asked)
		best := skip
		for i := s.from[k]; i < s.from[k+1]; i++ {
			if s.list[i].after > best.after {
				best = s.list[i]
			}
		}
		bound += best.after
		if best.option != None {
			s.use(best.option)
		}
	}
	return bound
}

func (s *searcher) use(option int32) {
	for w := range s.words {
		for m := s.p.mask[int(option)*s.words+w]; m != 0; m &= m - 1 {
			s.uses[w<<6|bits.TrailingZeros64(m)]++
		}
	}
}

// level is the list of options of a part of the search that has rents of its own.
type level struct {
	list []choice
	from []int32
	rent []int64
}

const (
	hardNodes  = 10_000 // after which a search is hard
	tightEvery = 2      // levels of the tree, for rents to be set again
	tightLeast = 3      // requests must be open
	tightSteps = 15
	tightNodes = 10 // how much work it is, in nodes
)

// tighten goes on with the branch that comes to this depth with rents of its own, and only the options that
// are still free.
func (s *searcher) tighten(depth int, undecided, without uint64, sum int64, skipped int) {
	list, from, kept, total, asked, room, tight := s.list, s.from, s.kept, s.total, s.asked, s.room, s.tight
	s.nodes += tightNodes
	if s.tightened++; s.tightened > len(s.levels) {
		s.levels = append(s.levels, level{})
	}
	l := s.levels[s.tightened-1]
	l.list, l.from, l.rent = l.list[:0], append(l.from[:0], 0), append(l.rent[:0], kept...)
	for k := range s.p.items {
		open := k < s.p.requests && undecided>>k&1 == 1
		if k >= s.p.requests {
			f := s.p.items[k].stands
			open = f == None || s.taken[f] == None
		}
		for i := from[k]; open && i < from[k+1]; i++ {
			if s.free(depth, list[i].option) {
				l.list = append(l.list, list[i])
			}
		}
		l.from = append(l.from, int32(len(l.list)))
	}
	for w, used := range s.used[depth*s.words:][:s.words] {
		for ; used != 0; used &= used - 1 {
			l.rent[w<<6|bits.TrailingZeros64(used)] = 0
		}
	}
	s.list, s.from, s.asked, s.room, s.tight = l.list, l.from, undecided, skipped, depth
	if root := s.lower(l.rent, tightSteps, s.best-sum); sum+root > s.best {
		s.branch(depth, undecided, without, sum, s.total, skipped)
	}
	s.tightened--
	s.levels[s.tightened] = l
	s.list, s.from, s.kept, s.total, s.asked, s.room, s.tight = list, from, kept, total, asked, room, tight
}
