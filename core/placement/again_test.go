package placement

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// fresh is what a student has who has nothing.
func fresh(s *Student) Given {
	return Given{slices.Repeat([]int32{None}, len(s.Requests)), slices.Repeat([]int32{None}, len(s.Alternates))}
}

// courses lists what a student is given, without where.
func coursesOf(p *Problem, g *Given) (list []int32) {
	for _, sections := range [][]int32{g.Requests, g.Alternates} {
		for _, section := range sections {
			if section != None {
				list = append(list, p.Sections[section].Course)
			}
		}
	}
	slices.Sort(list)
	return list
}

// A student placed again has as much as anything that leaves the others' courses as they are and moves at most so many of them, found by trying everything; the others keep their courses, and no one moves in vain.
func TestAnewAgainstEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 16))
	needed, helped := 0, 0
	for n := range 1500 {
		p := random(r, 4, 5+r.IntN(3))
		for k := range p.Sections { // scarce
			p.Sections[k].Seats = min(p.Sections[k].Seats, 1)
		}
		late, most := int32(r.IntN(4)), r.IntN(3)
		// The others have something each, as good as chance has it, without the late one.
		given := make([]Given, len(p.Students))
		free := make([]int, len(p.Sections))
		for k := range free {
			free[k] = p.Sections[k].Seats
		}
		for i := range given {
			given[i] = fresh(&p.Students[i])
			if int32(i) == late {
				continue
			}
			var ways []Given
			every(p, i, func(g Given) {
				for k, n := range p.Occupancy([]Given{g}) {
					if n > free[k] {
						return
					}
				}
				ways = append(ways, g)
			})
			slices.SortStableFunc(ways, func(a, b Given) int { return int(p.Students[i].Value(&b) - p.Students[i].Value(&a)) })
			given[i] = ways[r.IntN(min(len(ways), 3))]
			for k, n := range p.Occupancy(given[i : i+1]) {
				free[k] -= n
			}
		}
		was := slices.Clone(given)
		moved, err := p.Anew(given, []int32{late}, most)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := p.Check(given); err != nil {
			t.Fatalf("problem %d: %v", n, err)
		}
		for i := range given {
			same := slices.Equal(given[i].Requests, was[i].Requests) && slices.Equal(given[i].Alternates, was[i].Alternates)
			is := slices.Contains(moved, int32(i))
			if int32(i) != late && (same == is || !slices.Equal(coursesOf(p, &given[i]), coursesOf(p, &was[i]))) {
				t.Errorf("problem %d: student %d had %v, has %v, moved: %v", n, i, was[i], given[i], moved)
			}
		}
		if len(moved) > most {
			t.Errorf("problem %d: %d moved, at most %d should", n, len(moved), most)
		}
		// The best there is with no more than so many moves.
		stay := mostFor(p, was, late, 0)
		want := mostFor(p, was, late, most)
		got := p.Students[late].Value(&given[late])
		if got < stay || got > want {
			t.Errorf("problem %d: %d with %d moved; %d with none, at most %d", n, got, len(moved), stay, want)
		}
		if got == stay && len(moved) > 0 {
			t.Errorf("problem %d: %v moved in vain", n, moved)
		}
		if want > stay {
			if needed++; got == want {
				helped++
			}
		}
	}
	// A student who would need two seats at once from two others is beyond chains that go one by one.
	if needed < 20 || helped*100 < needed*95 {
		t.Errorf("of %d who needed others to move, %d were helped as far as can be", needed, helped)
	}
}

// mostFor tries everything: the most that the late student can have with at most so many others in other sections of the courses that they have.
func mostFor(p *Problem, was []Given, late int32, most int) (value int64) {
	value = -1
	ways := make([][]Given, len(was))
	for i := range was {
		if int32(i) == late {
			continue
		}
		every(p, i, func(g Given) {
			if slices.Equal(coursesOf(p, &g), coursesOf(p, &was[i])) {
				ways[i] = append(ways[i], g)
			}
		})
	}
	every(p, int(late), func(g Given) { ways[late] = append(ways[late], g) })
	now := slices.Clone(was)
	var try func(i, left int)
	try = func(i, left int) {
		if i == len(was) {
			if _, err := p.Check(now); err == nil {
				value = max(value, p.Students[late].Value(&now[late]))
			}
			return
		}
		now[i] = was[i]
		if int32(i) != late {
			try(i+1, left)
		}
		for _, g := range ways[i] {
			same := slices.Equal(g.Requests, was[i].Requests) && slices.Equal(g.Alternates, was[i].Alternates)
			cost := 0
			if int32(i) != late && !same {
				cost = 1
			}
			if cost > left || int32(i) != late && same {
				continue
			}
			now[i] = g
			try(i+1, left-cost)
		}
		now[i] = was[i]
	}
	try(0, most)
	return value
}

// What cannot be any more, such as a section that has gone, is replaced; what is as good as before stays.
func TestAnewKeepsWhatIsAsGood(t *testing.T) {
	p := &Problem{}
	a, b := one(p, "A", 0, 1), one(p, "B", 1, 1)
	p.Sections = append(p.Sections, Section{ID: "kA2", Course: a, Cells: []int32{2}, Seats: 1}, Section{ID: "kA0", Course: a, Cells: []int32{3}, Seats: 1})
	p.Students = []Student{{ID: "s", Requests: []Request{{a, 59}, {b, 58}}}}
	given := []Given{{[]int32{3, 1}, []int32{}}}
	if moved, err := p.Anew(given, []int32{0}, 3); err != nil || len(moved) > 0 || !slices.Equal(given[0].Requests, []int32{3, 1}) {
		t.Error(given, moved, err)
	}
	p.Sections[3].Seats = 0 // it is gone
	if _, err := p.Anew(given, []int32{0}, 3); err != nil || given[0].Requests[0] == 3 || given[0].Requests[1] != 1 {
		t.Error(given, err)
	}
}

// BenchmarkAnew places one late student again among 1,200 in a contested school.
func BenchmarkAnew(b *testing.B) {
	p := synthetic(1200, 1, false, 2)
	found, err := Solve(b.Context(), p, Options{Seed: 1, Workers: 2})
	if err != nil {
		b.Fatal(err)
	}
	moved, most := 0, 0
	for n := 0; b.Loop(); n++ {
		i := n % len(p.Students)
		given := slices.Clone(found.Given)
		given[i] = fresh(&p.Students[i])
		those, err := p.Anew(given, []int32{int32(i)}, 3)
		if err != nil {
			b.Fatal(err)
		}
		moved += len(those)
		most = max(most, len(those))
	}
	b.ReportMetric(float64(moved)/float64(b.N), "moved/op")
	b.ReportMetric(float64(most), "moved-most")
}
