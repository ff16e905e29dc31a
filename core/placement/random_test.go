package placement

import (
	"fmt"
	"math/rand/v2"
	"slices"
)

// random makes a small problem with everything in it: doubles, courses of one term, sections without a time, links, alternates
// that stand for a request, courses without sections or seats, equal wishes.
func random(r *rand.Rand, students, courses int) *Problem { return randomOf(r, students, courses, 6) }

// randomOf has at most so many wishes a student.
func randomOf(r *rand.Rand, students, courses, most int) *Problem {
	p := &Problem{}
	cells := 3 + r.IntN(4)
	for c := range courses {
		p.Courses = append(p.Courses, fmt.Sprintf("C%02d", c))
		for k := range r.IntN(4) {
			s := Section{ID: fmt.Sprintf("k%02d.%d", c, k), Course: int32(c), Seats: r.IntN(max(2, 1+students/2))}
			for cell := range cells {
				if r.IntN(3) == 0 {
					s.Cells = append(s.Cells, int32(cell))
				}
			}
			p.Sections = append(p.Sections, s)
		}
	}
	for i := range students {
		s := Student{ID: fmt.Sprintf("s%02d", i), Senior: r.IntN(2)}
		wishes := r.Perm(courses)[:1+r.IntN(min(most, courses))]
		n := r.IntN(len(wishes) + 1)
		for k, c := range wishes {
			if k < n {
				value := int32(60 - (k + 1))
				if r.IntN(4) == 0 {
					value = 100
				}
				s.Requests = append(s.Requests, Request{int32(c), value})
				continue
			}
			stands := None
			if n > 0 && r.IntN(2) == 0 {
				stands = int32(r.IntN(n))
			}
			s.Alternates = append(s.Alternates, Alternate{int32(c), int32(30 - (k - n + 1)), stands})
		}
		if n > 1 && r.IntN(3) == 0 {
			group := []int32{0, int32(n - 1)}
			if n > 3 && r.IntN(2) == 0 {
				group = append(group, 1)
			}
			s.Together = append(s.Together, group)
		}
		for cell := range cells {
			if r.IntN(12) == 0 {
				s.Busy = append(s.Busy, int32(cell))
			}
		}
		p.Students = append(p.Students, s)
	}
	return p
}

// every calls visit with each way to give one student sections, seats not looked at.
func every(p *Problem, student int, visit func(Given)) {
	s := &p.Students[student]
	g := Given{slices.Repeat([]int32{None}, len(s.Requests)), slices.Repeat([]int32{None}, len(s.Alternates))}
	taken := make([]int, len(p.Sections))
	var place func(k int)
	place = func(k int) {
		if k == len(s.Requests)+len(s.Alternates) {
			if p.checkStudent(s, &g, taken) == nil {
				visit(Given{slices.Clone(g.Requests), slices.Clone(g.Alternates)})
			}
			return
		}
		at, course := &g.Requests, int32(0)
		n := k
		if k < len(s.Requests) {
			course = s.Requests[k].Course
		} else {
			at, n = &g.Alternates, k-len(s.Requests)
			course = s.Alternates[n].Course
		}
		place(k + 1)
		for i := range p.Sections {
			if p.Sections[i].Course == course && p.Sections[i].Seats > 0 {
				(*at)[n] = int32(i)
				place(k + 1)
			}
		}
		(*at)[n] = None
	}
	place(0)
}

// best finds the value of the best placement of a small problem by trying everything.
func best(p *Problem) (most int64) {
	return bestAmong(p, func(int, *Given) bool { return true })
}

// bestAmong finds it among the ways of giving a student sections that are allowed; -1: there is none.
func bestAmong(p *Problem, allowed func(student int, g *Given) bool) (most int64) {
	most = -1
	ways := make([][]Given, len(p.Students))
	for i := range p.Students {
		every(p, i, func(g Given) {
			if allowed(i, &g) {
				ways[i] = append(ways[i], g)
			}
		})
		if len(ways[i]) == 0 {
			return -1
		}
		slices.SortStableFunc(ways[i], func(a, b Given) int { return int(p.Students[i].Value(&b) - p.Students[i].Value(&a)) })
	}
	rest := make([]int64, len(p.Students)+1) // the most that the students from here on can get
	for i := len(p.Students) - 1; i >= 0; i-- {
		rest[i] = rest[i+1] + p.Students[i].Value(&ways[i][0])
	}
	free := make([]int, len(p.Sections))
	for i := range free {
		free[i] = p.Sections[i].Seats
	}
	var place func(i int, value int64)
	place = func(i int, value int64) {
		if i == len(ways) {
			most = max(most, value)
			return
		}
		for w := range ways[i] {
			g := &ways[i][w]
			worth := p.Students[i].Value(g)
			if value+worth+rest[i+1] <= most {
				return
			}
			ok := true
			for _, list := range [][]int32{g.Requests, g.Alternates} {
				for _, section := range list {
					if section != None {
						free[section]--
						ok = ok && free[section] >= 0
					}
				}
			}
			if ok {
				place(i+1, value+worth)
			}
			for _, list := range [][]int32{g.Requests, g.Alternates} {
				for _, section := range list {
					if section != None {
						free[section]++
					}
				}
			}
		}
	}
	place(0, 0)
	return most
}
