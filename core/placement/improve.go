package placement

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"
)

// Room is where a section may be moved to: Patterns are the sets of cells that it may meet in, each
// ascending; with none it stays. Busy names what it takes with it, such as a teacher or a room: two sections
// that share one do not meet in the same cell.
type Room struct {
	Patterns [][]int32
	Busy     []int32
}

// Improvement is a schedule in which some sections have moved, and the placement into it.
type Improvement struct {
	Sections []Section     // as they are now
	Moves    []SectionMove // in the order in which they were made
	Before   *Placement
	After    *Placement
	// the context ended the search for moves, or a placement: more might be found, and either placement might be
	// worth more than is told
	Cut bool
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

// Improve looks for moves of sections that raise the value of the placement. It is a local search (Aarts and
// Lenstra 1997, "Local Search in Combinatorial Optimization") over the times of sections: a move is worth
// what it adds to the best timetables that the students who ask for the course could have if every seat were
// free; the best is made, then the next that is still worth something, until none is. Then everybody is
// placed again, and where that is worth less than half of the moves alone, or than before, the half or none of
// them stand. The placement is never worth less than before. Sections and students stay named by their
// places. The error is a *ProblemError.
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
	// What is told of the placement before must be so, or every move would look good: it has half of the time,
	// and where it takes less, as long is kept for the placement after.
	began := time.Now()
	first, done := share(0.5)
	before, err := Solve(first, p, o.Placement)
	done()
	if err != nil {
		return nil, err
	}
	placing := time.Since(began)
	now := *p
	now.Sections = slices.Clone(p.Sections)
	w := newWorkshop(&now, rooms, before, o.Placement)
	part := 0.5
	if left := time.Until(deadline); timed && left > 0 {
		part = min(part, max(0.4, 1-1.3*float64(placing)/float64(left)))
	}
	search, done := share(part)
	moves := w.climb(search, o.Moves)
	cut := search.Err() != nil || before.Cut
	done()
	best := &Improvement{Sections: p.Sections, Before: before, After: before}
	for n := len(moves); n > 0 && ctx.Err() == nil; n /= 2 { // all of them; where that was too much, half
		tried := *p
		tried.Sections = slices.Clone(p.Sections)
		for _, m := range moves[:n] {
			tried.Sections[m.Section].Cells = m.To
		}
		again, done := share(0.8)
		after, err := Solve(again, &tried, o.Placement)
		done()
		if err != nil {
			return nil, err
		}
		if after.Value > best.After.Value {
			best.Sections, best.After, best.Moves = tried.Sections, after, moves[:n]
			break
		}
	}
	if before.Cut && ctx.Err() == nil { // with the time that is left it may be worth more
		again, err := Solve(ctx, p, o.Placement)
		if err != nil {
			return nil, err
		}
		if again.Value > before.Value {
			best.Before = again
		}
		if best.Before.Value >= best.After.Value {
			best.Sections, best.After, best.Moves = p.Sections, best.Before, nil
		}
	}
	best.Cut = cut || best.After.Cut || ctx.Err() != nil
	return best, nil
}

// shaken is how many sections are moved by chance when no move is worth anything any more; shakes how often,
// for an effort of 100.
const (
	shaken = 4
	shakes = 6
)

// shift is one section that meets elsewhere, or two that change with each other because each is in the way of
// the other.
type shift []sectionTo

type sectionTo struct {
	section int32
	to      []int32
}

// climb makes moves while they are worth something, seats aside. Then some sections are moved by chance, and
// it climbs again; what is better in the end stands (iterated local search: Lourenço, Martin and Stützle
// 2003, in "Handbook of Metaheuristics"). It gives the moves from where the sections were at first.
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
			if list := w.singles(); len(list) > 0 {
				h := list[r.IntN(len(list))]
				gain += w.gain(h)
				w.make(h)
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
	// What is worth most on its own comes first; each is then told next to those before it.
	copy(w.p.Sections, first)
	alone := func(k int) shift { return shift{{made[k].Section, made[k].To}} }
	parallel(w.o.Workers, len(made), func(_, k int) { made[k].Gain = w.gain(alone(k)) })
	slices.SortStableFunc(made, func(a, b SectionMove) int { return cmp.Compare(b.Gain, a.Gain) })
	for k := range made {
		made[k].Gain = w.gain(alone(k))
		w.make(alone(k))
	}
	return made
}

// make moves sections.
func (w *workshop) make(h shift) {
	for _, x := range h {
		w.p.Sections[x.section].Cells = x.to
	}
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

// singles lists the moves of one section that are possible as the sections are.
func (w *workshop) singles() (list []shift) {
	for _, h := range w.moves() {
		list = append(list, shift{{h.Section, h.To}})
	}
	return list
}

// swaps lists the pairs of sections that could change times with each other, each being all that is in the
// way of the other.
func (w *workshop) swaps() (list []shift) {
	for i := range w.p.Sections {
		for k := i + 1; k < len(w.p.Sections); k++ {
			h := shift{{int32(i), w.p.Sections[k].Cells}, {int32(k), w.p.Sections[i].Cells}}
			if w.could(i, h[0].to) && w.could(k, h[1].to) && !slices.Equal(h[0].to, h[1].to) && w.share(i, k) && w.fits(h) {
				list = append(list, h)
			}
		}
	}
	return list
}

// could reports whether a section may meet in some cells.
func (w *workshop) could(section int, to []int32) bool {
	return slices.ContainsFunc(w.rooms[section].Patterns, func(p []int32) bool { return slices.Equal(p, to) })
}

func (w *workshop) share(a, b int) bool {
	return slices.ContainsFunc(w.rooms[a].Busy, func(x int32) bool { return slices.Contains(w.rooms[b].Busy, x) })
}

// fits reports whether sections could meet elsewhere together: what they take with them is free then.
func (w *workshop) fits(h shift) bool {
	where := func(k int) []int32 {
		for _, x := range h {
			if int(x.section) == k {
				return x.to
			}
		}
		return w.p.Sections[k].Cells
	}
	for _, x := range h {
		for k := range w.p.Sections {
			if k != int(x.section) && w.share(k, int(x.section)) && len(common(where(k), x.to)) > 0 {
				return false
			}
		}
	}
	return true
}

// ascend makes moves while they are worth something and no more than so many sections are elsewhere than at
// first: the best of all, then the next that still is, and all are looked at again. Where no section alone is
// worth moving, pairs that change with each other are looked at. It tells what they were worth.
func (w *workshop) ascend(ctx context.Context, first []Section, most int) (worth int64) {
	for ctx.Err() == nil {
		gain := w.step(ctx, w.singles(), first, most)
		if gain == 0 && ctx.Err() == nil {
			gain = w.step(ctx, w.swaps(), first, most)
		}
		if gain == 0 {
			break
		}
		worth += gain
	}
	return worth
}

// step makes the best of some moves, then the next that still is worth something, and tells what they were worth.
func (w *workshop) step(ctx context.Context, list []shift, first []Section, most int) (worth int64) {
	gains := make([]int64, len(list))
	base := map[int32]int64{} // by course: what those who ask for it could have as it is
	for _, h := range list {
		base[w.p.Sections[h[0].section].Course] = 0
	}
	courses := slices.Sorted(maps.Keys(base))
	bases := make([]int64, len(courses))
	parallel(w.o.Workers, len(courses), func(_, i int) { bases[i] = w.best(w.askers[courses[i]], nil) })
	for i, course := range courses {
		base[course] = bases[i]
	}
	parallel(w.o.Workers, len(list), func(_, i int) {
		if ctx.Err() != nil {
			return
		}
		if len(list[i]) == 1 {
			course := w.p.Sections[list[i][0].section].Course
			gains[i] = w.best(w.askers[course], list[i]) - base[course]
		} else {
			gains[i] = w.gain(list[i])
		}
	})
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(gains[b], gains[a]) })
	for _, i := range order {
		h := list[i]
		if gains[i] <= 0 || ctx.Err() != nil {
			break
		}
		if !w.fits(h) || w.distance(first)+w.fresh(h, first) > most {
			continue
		}
		gain := w.gain(h)
		if gain <= 0 || 2*gain < gains[i] { // it is tried again with the others
			continue
		}
		w.make(h)
		worth += gain
	}
	return worth
}

// fresh is how many of the sections are where they were at first, and would no longer be.
func (w *workshop) fresh(h shift, first []Section) (n int) {
	for _, x := range h {
		if slices.Equal(first[x.section].Cells, w.p.Sections[x.section].Cells) {
			n++
		}
	}
	return n
}

// gain is what moves add to the best timetables of those who ask for the courses, seats aside.
func (w *workshop) gain(h shift) int64 {
	who := w.askers[w.p.Sections[h[0].section].Course]
	if len(h) > 1 {
		who = slices.Concat(who, w.askers[w.p.Sections[h[1].section].Course])
		slices.Sort(who)
		who = slices.Compact(who)
	}
	return w.best(who, h) - w.best(who, nil)
}

// best is what some students could have at the most, seats aside, after moves.
func (w *workshop) best(who []int32, h shift) (sum int64) {
	part := &Problem{Courses: w.p.Courses, Sections: slices.Clone(w.p.Sections), Students: make([]Student, len(who))}
	for k, i := range who {
		part.Students[k] = w.p.Students[i]
	}
	for _, x := range h {
		part.Sections[x.section].Cells = x.to
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
