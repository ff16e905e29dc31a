package placement

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"
	"time"
)

// movable makes a small school whose sections may move to any of some periods, each with one of few teachers.
func movable(seed uint64) (*Problem, []Room) {
	r := rand.New(rand.NewPCG(seed, 9))
	const periods = 4
	p := &Problem{Courses: []string{"A", "B", "C", "D", "E"}}
	var rooms []Room
	taught := map[[2]int32]bool{}
	for c := range p.Courses {
		for range 1 + r.IntN(2) {
			teacher, cell := int32(r.IntN(4)), int32(r.IntN(periods))
			for taught[[2]int32{teacher, cell}] { // no one is in two places at once to begin with
				teacher, cell = int32(r.IntN(4)), int32(r.IntN(periods))
			}
			taught[[2]int32{teacher, cell}] = true
			p.Sections = append(p.Sections, Section{ID: p.Courses[c] + string(rune('1'+len(p.Sections))), Course: int32(c), Cells: []int32{cell}, Seats: 1 + r.IntN(4)})
			room := Room{Busy: []int32{teacher}}
			if r.IntN(3) > 0 {
				for k := range int32(periods) {
					room.Patterns = append(room.Patterns, []int32{k})
				}
			}
			rooms = append(rooms, room)
		}
	}
	for i := range 6 {
		s := Student{ID: string(rune('a' + i))}
		order := r.Perm(len(p.Courses))
		for k, c := range order[:2+r.IntN(3)] {
			s.Requests = append(s.Requests, Request{int32(c), int32(59 - k)})
		}
		if r.IntN(2) == 0 {
			s.Alternates = append(s.Alternates, Alternate{int32(order[4]), 29, None})
		}
		p.Students = append(p.Students, s)
	}
	return p, rooms
}

// teachersFree reports whether no teacher is in two places at once.
func teachersFree(sections []Section, rooms []Room) bool {
	for i := range sections {
		for k := range i {
			if rooms[i].Busy[0] == rooms[k].Busy[0] && slices.ContainsFunc(sections[i].Cells, func(c int32) bool { return slices.Contains(sections[k].Cells, c) }) {
				return false
			}
		}
	}
	return true
}

// bestOf is what no placement into some sections is worth more than.
func bestOf(t *testing.T, p *Problem, sections []Section) int64 {
	t.Helper()
	now := *p
	now.Sections = sections
	found, err := Solve(context.Background(), &now, Options{Seed: 1, Effort: 100, Workers: 1})
	if err != nil {
		t.Fatal(err)
	}
	return found.Bound
}

// An improvement is a valid placement into sections that are where they may be, with teachers who are in one place at a time; it is never worth less than before, often more, and never more than
// the best that trying every schedule finds.
func TestImproveBesideEverySchedule(t *testing.T) {
	better, best := 0, 0
	for seed := range uint64(60) {
		p, rooms := movable(seed)
		found, err := Improve(context.Background(), p, rooms, ImproveOptions{Placement: Options{Seed: 1, Effort: 100, Workers: 2}, Moves: 20})
		if err != nil {
			t.Fatal(err)
		}
		now := *p
		now.Sections = found.Sections
		value, err := now.Check(found.After.Given)
		if err != nil || value != found.After.Value || value < found.Before.Value {
			t.Fatalf("seed %d: %v; %d, said to be %d, before %d", seed, err, value, found.After.Value, found.Before.Value)
		}
		if !teachersFree(found.Sections, rooms) {
			t.Fatalf("seed %d: a teacher is in two places at once", seed)
		}
		at := slices.Clone(p.Sections)
		for _, m := range found.Moves {
			if !slices.Equal(at[m.Section].Cells, m.From) || !slices.ContainsFunc(rooms[m.Section].Patterns, func(x []int32) bool { return slices.Equal(x, m.To) }) {
				t.Fatalf("seed %d: the move %+v", seed, m)
			}
			at[m.Section].Cells = m.To
		}
		for i := range at {
			if !slices.Equal(at[i].Cells, found.Sections[i].Cells) {
				t.Fatalf("seed %d: section %s is not where the moves say", seed, at[i].ID)
			}
		}
		// Every schedule.
		most := int64(0)
		var every func(k int)
		sections := slices.Clone(p.Sections)
		every = func(k int) {
			if k == len(sections) {
				if teachersFree(sections, rooms) {
					most = max(most, bestOf(t, p, slices.Clone(sections)))
				}
				return
			}
			every(k + 1)
			for _, to := range rooms[k].Patterns {
				if was := sections[k].Cells; !slices.Equal(was, to) {
					sections[k].Cells = to
					every(k + 1)
					sections[k].Cells = was
				}
			}
		}
		if len(movableOf(rooms)) <= 4 {
			every(0)
			if value > most {
				t.Fatalf("seed %d: %d is more than every schedule gives, %d", seed, value, most)
			}
			if value == most {
				best++
			}
		}
		if value > found.Before.Value {
			better++
		}
	}
	if better < 20 || best < 5 {
		t.Errorf("better %d times, the best %d times", better, best)
	}
}

func movableOf(rooms []Room) (list []int) {
	for i := range rooms {
		if len(rooms[i].Patterns) > 0 {
			list = append(list, i)
		}
	}
	return list
}

// What is said of a single change holds: with it, a placement of that worth can be had, and it is more than before.
func TestHelpsHold(t *testing.T) {
	kinds := map[HelpKind]int{}
	for seed := range uint64(80) {
		p, rooms := movable(seed)
		found, err := Solve(context.Background(), p, Options{Seed: 1, Effort: 100, Workers: 1})
		if err != nil {
			t.Fatal(err)
		}
		list, err := Helps(context.Background(), p, rooms, found, Options{Seed: 1, Workers: 2}, 20)
		if err != nil {
			t.Fatal(err)
		}
		last := int64(1 << 60)
		for _, h := range list {
			sections := slices.Clone(p.Sections)
			switch h.Kind {
			case MoveSection:
				sections[h.Section].Cells = h.To
				if !teachersFree(sections, rooms) {
					t.Fatalf("seed %d: %+v has a teacher in two places", seed, h)
				}
			case OneSeat:
				sections[h.Section].Seats++
			case OneSection:
				more := sections[h.Section]
				more.ID, more.Cells = more.ID+"+", h.To
				sections = append(sections, more)
			}
			if most := bestOf(t, p, sections); h.Value > most || h.Value <= found.Value {
				t.Fatalf("seed %d: %+v is said to be worth %d, at most it is %d, before %d", seed, h, h.Value, most, found.Value)
			}
			if h.Value > last {
				t.Fatalf("seed %d: the best is not first", seed)
			}
			last = h.Value
			kinds[h.Kind]++
		}
	}
	if kinds[MoveSection] < 10 || kinds[OneSeat] < 10 || kinds[OneSection] < 10 {
		t.Errorf("the helps were %v", kinds)
	}
}

// The same problem and seed give the same moves, however many work on it.
func TestImproveIsTheSameForASeed(t *testing.T) {
	for seed := range uint64(10) {
		p, rooms := movable(seed)
		one, err := Improve(context.Background(), p, rooms, ImproveOptions{Placement: Options{Seed: 3, Effort: 100, Workers: 1}, Moves: 20})
		if err != nil {
			t.Fatal(err)
		}
		two, err := Improve(context.Background(), p, rooms, ImproveOptions{Placement: Options{Seed: 3, Effort: 100, Workers: 4}, Moves: 20})
		if err != nil {
			t.Fatal(err)
		}
		if one.After.Value != two.After.Value || len(one.Moves) != len(two.Moves) {
			t.Errorf("seed %d: %d with %d moves, %d with %d", seed, one.After.Value, len(one.Moves), two.After.Value, len(two.Moves))
		}
	}
	p, rooms := movable(1)
	if _, err := Improve(context.Background(), p, rooms[1:], ImproveOptions{}); err == nil {
		t.Error("rooms of other sections are taken")
	}
	if found, err := Improve(context.Background(), p, rooms, ImproveOptions{Placement: Options{Seed: 1, Effort: 100}, Moves: 0}); err != nil || len(found.Moves) != 0 {
		t.Errorf("no moves are allowed: %+v, %v", found, err)
	}
}

// Where time is short, what is told of the placement before is either what it is worth with all the time, or said to be cut short; and so is what is
// found then.
func TestImproveTellsThatTimeWasShort(t *testing.T) {
	p := randomOf(rand.New(rand.NewPCG(5, 8)), 300, 30, 8)
	rooms := make([]Room, len(p.Sections))
	for i := range rooms {
		p.Sections[i].Seats = 1 + i%9
		rooms[i].Busy = []int32{int32(i)}
		for cell := range int32(3) {
			rooms[i].Patterns = append(rooms[i].Patterns, []int32{cell})
		}
	}
	options := Options{Seed: 1, Effort: 100, Workers: 2}
	whole, err := Solve(context.Background(), p, options)
	if err != nil {
		t.Fatal(err)
	}
	cut := 0
	for _, limit := range []time.Duration{time.Microsecond, time.Millisecond, 5 * time.Millisecond, 20 * time.Millisecond, 80 * time.Millisecond, 300 * time.Millisecond} {
		timed, stop := context.WithTimeout(context.Background(), limit)
		found, err := Improve(timed, p, rooms, ImproveOptions{Placement: options, Moves: 20})
		stop()
		if err != nil {
			t.Fatal(err)
		}
		if !found.Before.Cut && found.Before.Value < whole.Value {
			t.Errorf("in %v the placement before is told as worth %d, and is worth %d", limit, found.Before.Value, whole.Value)
		}
		if found.Before.Cut && !found.Cut {
			t.Errorf("in %v the placement before is cut short, and the improvement is not", limit)
		}
		if found.After.Value < found.Before.Value || len(found.Moves) == 0 && found.After != found.Before {
			t.Errorf("in %v: %d before, %d after %d moves", limit, found.Before.Value, found.After.Value, len(found.Moves))
		}
		if found.Before.Cut {
			cut++
		}
	}
	if cut == 0 {
		t.Error("the time was never short")
	}
}
