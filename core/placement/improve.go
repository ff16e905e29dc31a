package placement

import (
	"cmp"
	"context"
	"maps"
	"runtime"
	"slices"
	"time"
)

// Room is where a section may be moved to: Patterns are the sets of cells that it may meet in, each ascending; with none it stays. Busy names what it takes with it, such
// as a teacher or a room: two sections that share one do not meet in the same cell.
type Room struct {
	Patterns [][]int32
	Busy     []int32
}

// Help is a change of the sections, with what placing anew those whom it concerns makes of the placement: Value and Complete are what it is worth, and how many students have
// as much as they asked for, after the change. The placement that shows it was found, so that it is worth at least that much.
type Help struct {
	Kind     HelpKind
	Section  int32   // Move: the section; OneSeat: the section; OneSection: one like it
	To       []int32 // Move, OneSection: the cells
	Value    int64
	Complete int
}

// HelpKind is what is changed.
type HelpKind string

// The kinds of changes.
const (
	MoveSection HelpKind = "move"    // a section meets at another time
	OneSeat     HelpKind = "seat"    // a section has one seat more
	OneSection  HelpKind = "section" // a course has one section more, like one that it has, at the time given
)

// Improvement is a schedule in which some sections have moved, and the placement into it.
type Improvement struct {
	Sections []Section     // as they are now
	Moves    []SectionMove // in the order in which they were made
	Before   *Placement
	After    *Placement
}

// SectionMove is a section that meets at another time.
type SectionMove struct {
	Section  int32
	From, To []int32
	Gain     int64 // what it adds to the best timetables of those who ask for the course, seats aside, after the moves before it
}

// ImproveOptions say how to look for moves.
type ImproveOptions struct {
	Placement Options
	Moves     int // at most so many
}

// Improve looks for moves of sections that raise the value of the placement. It is a local search (Aarts and Lenstra 1997, "Local Search in Combinatorial Optimization") over the times of
// sections: a move is worth what it adds to the best timetables that the students who ask for the course could have if every seat were free; the best is made, then the next that is still worth
// something, until none is. Then everybody is placed anew, and where that is worth less than half of the moves alone, or than before, the half or none of them stand. The placement is never worth
// less than before. Sections and students stay named by their places. The error is a *ProblemError.
func Improve(ctx context.Context, p *Problem, rooms []Room, o ImproveOptions) (*Improvement, error) {
	if len(rooms) != len(p.Sections) {
		return nil, wrong("%d rooms for %d sections", len(rooms), len(p.Sections))
	}
	deadline, timed := ctx.Deadline()
	share := func(part float64) (context.Context, context.CancelFunc) { // of the time that is left
		if !timed {
			return context.WithCancel(ctx)
		}
		return context.WithTimeout(ctx, time.Duration(part*float64(time.Until(deadline))))
	}
	first, done := share(0.25)
	before, err := Solve(first, p, o.Placement)
	done()
	if err != nil {
		return nil, err
	}
	now := *p
	now.Sections = slices.Clone(p.Sections)
	w := newWorkshop(&now, rooms, before, o.Placement)
	search, done := share(0.5)
	moves := w.climb(search, o.Moves)
	done()
	best := &Improvement{Sections: p.Sections, Before: before, After: before}
	for n := len(moves); n > 0 && ctx.Err() == nil; n /= 2 { // all of them; where that was too much, half
		tried := *p
		tried.Sections = slices.Clone(p.Sections)
		for _, m := range moves[:n] {
			tried.Sections[m.Section].Cells = m.To
		}
		part, done := share(0.6)
		after, err := Solve(part, &tried, o.Placement)
		done()
		if err != nil {
			return nil, err
		}
		if after.Value > best.After.Value {
			best.Sections, best.After, best.Moves = tried.Sections, after, moves[:n]
			break
		}
	}
	return best, nil
}

// Helps lists the single changes that help most, the best first: a seat more in a full section, a section at another time, a section more. Each was placed anew, for those whom it concerns.
// The error is a *ProblemError.
func Helps(ctx context.Context, p *Problem, rooms []Room, found *Placement, o Options, most int) ([]Help, error) {
	if len(rooms) != len(p.Sections) {
		return nil, wrong("%d rooms for %d sections", len(rooms), len(p.Sections))
	}
	if _, err := p.Check(found.Given); err != nil {
		return nil, err
	}
	now := *p
	now.Sections = slices.Clone(p.Sections)
	w := newWorkshop(&now, rooms, found, o)
	tries := w.moves()
	for i := range p.Sections {
		s := &p.Sections[i]
		lacking := w.lacking[s.Course]
		if lacking == 0 {
			continue
		}
		if w.taken[i] >= s.Seats {
			tries = append(tries, Help{Kind: OneSeat, Section: int32(i)})
		}
		if i == w.firstOf[s.Course] {
			for _, to := range rooms[i].Patterns {
				tries = append(tries, Help{Kind: OneSection, Section: int32(i), To: to})
			}
		}
	}
	list := w.tryAll(ctx, tries)
	// Of the moves of one section, and of the sections more of one course, the best alone.
	seen := map[[2]any]bool{}
	list = slices.DeleteFunc(list, func(h Help) bool {
		key := [2]any{h.Kind, h.Section}
		if h.Value <= found.Value || seen[key] {
			return true
		}
		seen[key] = true
		return false
	})
	return list[:min(len(list), most)], nil
}

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
	w := &workshop{p: p, rooms: rooms, o: o, given: slices.Clone(found.Given), value: found.Value, askers: make([][]int32, len(p.Courses)), firstOf: slices.Repeat([]int{-1}, len(p.Courses)),
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

// count looks at the placement anew.
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

// whole tells whether a student has as much as they asked for, and asked for something.
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

// free tells whether a section could meet in some cells: they are others than now, and what it takes with it is free then.
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

// tryAll tries changes, each by itself, and gives those that were tried before the context ended, the most valuable first.
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
		return cmp.Or(cmp.Compare(b.Value, a.Value), cmp.Compare(b.Complete, a.Complete), cmp.Compare(a.Section, b.Section), slices.Compare(a.To, b.To))
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

// try places those anew whom a change concerns, and notes what the whole is worth then; it gives what they get.
func (w *workshop) try(h *Help) (who []int32, given []Given) {
	part, who := w.changed(h)
	m := compile(part)
	s := searcher{limit: hurriedNodes}
	l := newLots(m, w.drawOf(who))
	// Who lacks something chooses before who does not, and among those the lot decides; or everybody keeps what still fits. What is worth more counts.
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

// keep gives everybody what they had, but what no longer fits: a section that meets at the same time as another now, and what depends on it.
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

// shaken is how many sections are moved by chance when no move is worth anything any more; shakes how often, for an effort of 100.
const (
	shaken = 4
	shakes = 6
)

// climb makes moves while they are worth something, seats aside. Then some sections are moved by chance, and it climbs again; what is better in the end stands (iterated local search: Lourenço,
// Martin and Stützle 2003, in "Handbook of Metaheuristics"). It gives the moves from where the sections were at first.
func (w *workshop) climb(ctx context.Context, most int) (made []SectionMove) {
	first := slices.Clone(w.p.Sections)
	r := newRand(w.o.Seed, -1)
	worth := w.ascend(ctx, first, most)
	best := slices.Clone(w.p.Sections)
	for range shakes * w.o.Effort / 100 {
		if ctx.Err() != nil {
			break
		}
		gain := worth
		for range shaken {
			if list := w.moves(); len(list) > 0 {
				h := &list[r.IntN(len(list))]
				gain += w.gain(h)
				w.p.Sections[h.Section].Cells = h.To
			}
		}
		if gain += w.ascend(ctx, first, most); ctx.Err() == nil && gain > worth && w.distance(first) <= most {
			worth = gain
			copy(best, w.p.Sections)
		}
		copy(w.p.Sections, best)
	}
	for i := range first {
		if !slices.Equal(first[i].Cells, best[i].Cells) {
			made = append(made, SectionMove{Section: int32(i), From: first[i].Cells, To: best[i].Cells})
		}
	}
	// What is worth most by itself comes first; each is then told beside those before it.
	copy(w.p.Sections, first)
	parallel(w.o.Workers, len(made), func(_, k int) { made[k].Gain = w.gain(&Help{Section: made[k].Section, To: made[k].To}) })
	slices.SortStableFunc(made, func(a, b SectionMove) int { return cmp.Compare(b.Gain, a.Gain) })
	for k := range made {
		made[k].Gain = w.gain(&Help{Section: made[k].Section, To: made[k].To})
		w.p.Sections[made[k].Section].Cells = made[k].To
	}
	return made
}

// distance is how many sections are elsewhere than they were.
func (w *workshop) distance(first []Section) (n int) {
	for i := range first {
		if !slices.Equal(first[i].Cells, w.p.Sections[i].Cells) {
			n++
		}
	}
	return n
}

// ascend makes moves while they are worth something and no more than so many sections are elsewhere than at first: the best of all, then the next that still is, and all are looked at again. It
// tells what they were worth.
func (w *workshop) ascend(ctx context.Context, first []Section, most int) (worth int64) {
	for ctx.Err() == nil {
		list := w.moves()
		gains := make([]int64, len(list))
		base := map[int32]int64{} // by section: what those who ask for its course could have as it is
		for _, h := range list {
			base[h.Section] = 0
		}
		sections := slices.Sorted(maps.Keys(base))
		bases := make([]int64, len(sections))
		parallel(w.o.Workers, len(sections), func(_, i int) { bases[i] = w.best(w.askers[w.p.Sections[sections[i]].Course], nil) })
		for i, section := range sections {
			base[section] = bases[i]
		}
		parallel(w.o.Workers, len(list), func(_, i int) {
			if ctx.Err() == nil {
				gains[i] = w.best(w.askers[w.p.Sections[list[i].Section].Course], &list[i]) - base[list[i].Section]
			}
		})
		order := make([]int, len(list))
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(gains[b], gains[a]) })
		moved := false
		for _, i := range order {
			h := &list[i]
			if gains[i] <= 0 || ctx.Err() != nil {
				break
			}
			at := slices.Equal(first[h.Section].Cells, w.p.Sections[h.Section].Cells)
			if !w.free(int(h.Section), h.To) || at && w.distance(first) >= most {
				continue
			}
			gain := w.gain(h)
			if gain <= 0 || 2*gain < gains[i] { // it is tried again with the others
				continue
			}
			w.p.Sections[h.Section].Cells = h.To
			worth += gain
			moved = true
		}
		if !moved {
			break
		}
	}
	return worth
}

// gain is what a move adds to the best timetables of those who ask for the course, seats aside.
func (w *workshop) gain(h *Help) int64 {
	who := w.askers[w.p.Sections[h.Section].Course]
	return w.best(who, h) - w.best(who, nil)
}

// best is what some students could have at the most, seats aside, after a move.
func (w *workshop) best(who []int32, h *Help) (sum int64) {
	part := &Problem{Courses: w.p.Courses, Sections: slices.Clone(w.p.Sections), Students: make([]Student, len(who))}
	for k, i := range who {
		part.Students[k] = w.p.Students[i]
	}
	if h != nil {
		part.Sections[h.Section].Cells = h.To
	}
	m := compile(part)
	s := searcher{limit: briefNodes * 10}
	free := make([]int64, len(m.pools))
	for k := range m.pupils {
		value, _ := s.search(&m.pupils[k], free, -1)
		sum += value / scale
	}
	return sum
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
