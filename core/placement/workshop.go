package placement

import (
	"cmp"
	"context"
	"runtime"
	"slices"
)

// workshop tries changes of the sections on a placement.
type workshop struct {
	p        *Problem
	rooms    []Room
	o        Options
	given    []Given
	value    int64
	complete int
	taken    []int
	askers   [][]int32 // by course: the students who wish for it
	lacking  []int     // by course: requests that are not given
	firstOf  []int     // by course: its first section
	draw     []int32   // by student: the place in the lottery
}

func newWorkshop(p *Problem, rooms []Room, found *Placement, o Options) *workshop {
	if o.Workers <= 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	w := &workshop{p: p, rooms: rooms, o: o, given: slices.Clone(found.Given), value: found.Value,
		askers: make([][]int32, len(p.Courses)), firstOf: slices.Repeat([]int{-1}, len(p.Courses)),
		draw: make([]int32, len(p.Students))}
	for n, i := range found.Draw {
		w.draw[i] = int32(n)
	}
	for i := range p.Students {
		s := &p.Students[i]
		for _, r := range s.Requests {
			w.askers[r.Course] = append(w.askers[r.Course], int32(i))
		}
		for _, a := range s.Alternates {
			w.askers[a.Course] = append(w.askers[a.Course], int32(i))
		}
	}
	for i := range p.Sections {
		if c := p.Sections[i].Course; w.firstOf[c] < 0 {
			w.firstOf[c] = i
		}
	}
	w.count()
	return w
}

// count looks at the placement again.
func (w *workshop) count() {
	w.taken, w.lacking, w.complete = w.p.Occupancy(w.given), make([]int, len(w.p.Courses)), 0
	for i := range w.p.Students {
		s, g := &w.p.Students[i], &w.given[i]
		for k, section := range g.Requests {
			if section == None {
				w.lacking[s.Requests[k].Course]++
			}
		}
		if s.whole(g) {
			w.complete++
		}
	}
}

// whole reports whether a student has as much as they asked for, and asked for something.
func (s *Student) whole(g *Given) bool {
	n := 0
	for _, section := range slices.Concat(g.Requests, g.Alternates) {
		if section != None {
			n++
		}
	}
	return len(s.Requests) > 0 && n >= len(s.Requests)
}

// moves lists the moves that are possible as the sections are.
func (w *workshop) moves() (list []Help) {
	for i := range w.p.Sections {
		for _, to := range w.rooms[i].Patterns {
			if w.free(i, to) {
				list = append(list, Help{Kind: MoveSection, Section: int32(i), To: to})
			}
		}
	}
	return list
}

// free reports whether a section could meet in some cells: they are others than now, and what it takes with it
// is free then.
func (w *workshop) free(section int, to []int32) bool {
	if slices.Equal(to, w.p.Sections[section].Cells) {
		return false
	}
	for k := range w.p.Sections {
		if k == section || !slices.ContainsFunc(w.rooms[k].Busy, func(x int32) bool { return slices.Contains(w.rooms[section].Busy, x) }) {
			continue
		}
		if slices.ContainsFunc(w.p.Sections[k].Cells, func(c int32) bool { _, ok := slices.BinarySearch(to, c); return ok }) {
			return false
		}
	}
	return true
}

// tryAll tries changes, each on its own, and gives those that were tried before the context ended, the most
// valuable first.
func (w *workshop) tryAll(ctx context.Context, tries []Help) []Help {
	done := make([]bool, len(tries))
	parallel(w.o.Workers, len(tries), func(_, i int) {
		if ctx.Err() == nil {
			w.try(&tries[i])
			done[i] = true
		}
	})
	var list []Help
	for i := range tries {
		if done[i] {
			list = append(list, tries[i])
		}
	}
	slices.SortStableFunc(list, func(a, b Help) int {
		return cmp.Or(cmp.Compare(b.Value, a.Value), cmp.Compare(b.Complete, a.Complete), cmp.Compare(a.Section, b.Section),
			slices.Compare(a.To, b.To))
	})
	return list
}

// changed is the problem of those whom a change concerns, with the seats that the others leave, and who they are.
func (w *workshop) changed(h *Help) (*Problem, []int32) {
	course := w.p.Sections[h.Section].Course
	who := slices.Clone(w.askers[course])
	slices.SortFunc(who, func(a, b int32) int { return cmp.Compare(w.p.Students[a].ID, w.p.Students[b].ID) })
	part := &Problem{Courses: w.p.Courses, Sections: slices.Clone(w.p.Sections), Students: make([]Student, len(who))}
	for i := range part.Sections {
		part.Sections[i].Seats -= w.taken[i]
	}
	for k, i := range who {
		part.Students[k] = w.p.Students[i]
		for _, section := range slices.Concat(w.given[i].Requests, w.given[i].Alternates) {
			if section != None {
				part.Sections[section].Seats++
			}
		}
	}
	switch s := &part.Sections[h.Section]; h.Kind {
	case MoveSection:
		s.Cells = h.To
	case OneSeat:
		s.Seats++
	case OneSection:
		more := *s
		more.ID, more.Cells, more.Seats = s.ID+"+", h.To, w.p.Sections[h.Section].Seats
		part.Sections = append(part.Sections, more)
	}
	return part, who
}

// try places those again whom a change concerns, and notes what the whole is worth then; it gives what they get.
func (w *workshop) try(h *Help) (who []int32, given []Given) {
	part, who := w.changed(h)
	m := compile(part)
	s := searcher{limit: hurriedNodes}
	l := newLots(m, w.drawOf(who))
	// Who lacks something chooses before who does not, and among those the lot decides; or everybody keeps what
	// still fits. What is worth more counts.
	order := make([]int32, len(who))
	for k := range order {
		order[k] = int32(k)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return cmp.Compare(l.rank[a], l.rank[b]) })
	anew := newBoard(m)
	m.settle(anew, order, make([]int64, len(m.pools)), &s)
	kept := newBoard(m)
	w.keep(m, kept, part, who)
	m.polish(kept, order, &s)
	best := anew
	if kept.value >= anew.value {
		best = kept
	}
	given = m.give(best, l)
	h.Value, h.Complete = w.value+best.value, w.complete
	for k, i := range who {
		student := &w.p.Students[i]
		h.Value -= student.Value(&w.given[i])
		if student.whole(&w.given[i]) {
			h.Complete--
		}
		if student.whole(&given[k]) {
			h.Complete++
		}
	}
	return who, given
}

// drawOf is the order of some students in the lottery.
func (w *workshop) drawOf(who []int32) []int32 {
	order := make([]int32, len(who))
	for k := range order {
		order[k] = int32(k)
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(w.draw[who[a]], w.draw[who[b]]) })
	return order
}

// keep leaves everybody what they had, but what no longer fits: a section that meets at the same time as
// another now, and what depends on it.
func (w *workshop) keep(m *model, b *board, part *Problem, who []int32) {
	poolOf := make([]int32, len(part.Sections))
	for q := range m.pools {
		for _, section := range m.pools[q].sections {
			poolOf[section] = int32(q)
		}
	}
	for pupil := range m.pupils { // by id, as who is
		k := int(m.pupils[pupil].student)
		g := w.given[who[k]]
		fits := Given{Requests: slices.Clone(g.Requests), Alternates: slices.Clone(g.Alternates)}
		if part.checkStudent(&part.Students[k], &fits, make([]int, len(part.Sections))) != nil {
			continue // polishing gives what there is
		}
		var pools []int32
		for _, section := range slices.Concat(fits.Requests, fits.Alternates) {
			if section != None {
				pools = append(pools, poolOf[section])
			}
		}
		t := newTimetable(pools, int32(part.Students[k].Value(&fits)))
		if slices.ContainsFunc(t.pools, func(q int32) bool { return b.load[q] >= m.seats[q] }) {
			continue
		}
		b.set(int32(pupil), t)
	}
}

// Complete counts the students who are given as much as they asked for, and asked for something.
func (p *Problem) Complete(given []Given) (n int) {
	for i := range p.Students {
		if p.Students[i].whole(&given[i]) {
			n++
		}
	}
	return n
}
