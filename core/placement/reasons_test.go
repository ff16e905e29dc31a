package placement

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// The reasons of whole placements, against their definitions; a seat that is free and fits is never passed over, save for a link.
func TestReasonsAgainstDefinitions(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	seen := map[Why]int{}
	for n := range 300 {
		p := random(r, 3+r.IntN(6), 4+r.IntN(4))
		found := solve(t, p, Options{Seed: uint64(n), Effort: 50})
		taken := p.Occupancy(found.Given)
		for i := range p.Students {
			s, g := &p.Students[i], &found.Given[i]
			busy := map[int32]bool{}
			for _, cell := range s.Busy {
				busy[cell] = true
			}
			alternates := 0
			for _, list := range [][]int32{g.Requests, g.Alternates} {
				for _, section := range list {
					if section != None {
						for _, cell := range p.Sections[section].Cells {
							busy[cell] = true
						}
					}
				}
			}
			for _, section := range g.Alternates {
				if section != None {
					alternates++
				}
			}
			reasons := p.Reasons(i, g, taken)
			instead := 0
			for _, u := range reasons {
				seen[u.Why]++
				if u.InsteadOf != None {
					instead++
				}
				has, fits, free := false, false, false
				for k := range p.Sections {
					section := &p.Sections[k]
					if section.Course != s.Requests[u.Request].Course {
						continue
					}
					has = true
					if !slices.ContainsFunc(section.Cells, func(c int32) bool { return busy[c] }) {
						fits = true
						free = free || taken[k] < section.Seats
					}
				}
				linked := slices.ContainsFunc(s.Together, func(group []int32) bool { return slices.Contains(group, u.Request) })
				want := NoSection
				switch {
				case free:
					want = Link
				case fits:
					want = Full
				case has:
					want = Clash
				}
				if u.Why != want || want == Link && !linked {
					t.Errorf("problem %d, %s, request %d: %s, want %s; linked: %v", n, s.ID, u.Request, u.Why, want, linked)
				}
			}
			if instead != alternates {
				t.Errorf("problem %d, %s: %d alternates are given, %d are told", n, s.ID, alternates, instead)
			}
		}
	}
	for _, why := range []Why{NoSection, Full, Clash, Link} {
		if seen[why] == 0 {
			t.Errorf("%s never came up", why)
		}
	}
}

func TestInsteadOf(t *testing.T) {
	p := &Problem{}
	a, b, c := one(p, "A", 0, 1), one(p, "B", 0, 2), one(p, "C", 0, 3)
	d, e := one(p, "D", 1, 4), one(p, "E", 1, 5)
	p.Students = []Student{{ID: "s", Requests: []Request{{a, 59}, {b, 58}, {c, 57}}, Alternates: []Alternate{{d, 29, None}, {e, 28, 1}}}}
	found := solve(t, p, Options{})
	var got []string
	for _, u := range p.Reasons(0, &found.Given[0], p.Occupancy(found.Given)) {
		got = append(got, fmt.Sprintf("%d %s %d", u.Request, u.Why, u.InsteadOf))
	}
	if fmt.Sprint(got) != "[0 full 0 1 full 1 2 full -1]" {
		t.Error(got)
	}
}

// Both halves have a seat free and clash only with each other.
func TestLinkedHalvesThatClash(t *testing.T) {
	p := &Problem{}
	a, b := one(p, "A", 1, 1), one(p, "B", 1, 1)
	p.Students = []Student{{ID: "s", Requests: []Request{{a, 59}, {b, 58}}, Together: [][]int32{{0, 1}}}}
	found := solve(t, p, Options{})
	reasons := p.Reasons(0, &found.Given[0], p.Occupancy(found.Given))
	if len(reasons) != 2 || reasons[0].Why != Link || reasons[1].Why != Link {
		t.Error(reasons)
	}
}

// Each change that is told does make room.
func TestChanges(t *testing.T) {
	p := &Problem{}
	a, b := one(p, "A", 0, 1), one(p, "B", 1, 1)
	p.Sections = append(p.Sections, Section{ID: "kB2", Course: b, Cells: []int32{2}, Seats: 0})
	c := one(p, "C", 1, 1)
	p.Students = []Student{{ID: "s", Requests: []Request{{b, 59}, {a, 58}, {c, 57}}}}
	found := solve(t, p, Options{})
	taken := p.Occupancy(found.Given)
	leave(taken, &found.Given[0], -1)
	for request, want := range map[int32]string{
		1: "[]",                        // A: full, and B has its time
		2: "[{move 2 -1} {drop -1 0}]", // C: a seat in the other section of B, or doing without B
	} {
		got, err := p.Changes(0, &found.Given[0], request, taken, 9)
		if err != nil || fmt.Sprint(got) != want {
			t.Errorf("request %d: %v %v, want %s", request, got, err, want)
		}
	}
}
