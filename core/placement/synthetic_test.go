package placement

import (
	"fmt"
	"math/rand/v2"
	"slices"
)

// synthetic makes a school for tests and experiments: eight periods in two terms; whole-year and one-term courses, some with
// many sections and many with one. Planted: everything can be placed. Else seats are short by a few percent and popular single
// sections meet at the same time; hard is from 1 to 3.
func synthetic(students int, seed uint64, planted bool, hard int) *Problem {
	r := rand.New(rand.NewPCG(seed, 99))
	const periods = 8
	p := &Problem{}
	type course struct {
		core     bool
		year     bool
		weight   float64
		sections []int32
	}
	var courses []course
	code := func(i int) string { return fmt.Sprintf("C%03d", i) }
	for range 24 {
		courses = append(courses, course{core: true, year: true, weight: 1})
	}
	electives := max(12, students/14)
	if electives > 120 {
		electives = 120
	}
	for i := range electives {
		courses = append(courses, course{year: r.Float64() < 0.4, weight: 1 / (1 + float64(i)*0.12)})
	}
	for i := range courses {
		p.Courses = append(p.Courses, code(i))
	}
	slices.Sort(p.Courses)
	cells := func(year bool, term, period int) []int32 {
		if year {
			return []int32{int32(period), int32(periods + period)}
		}
		return []int32{int32(term*periods + period)}
	}
	pick := func() int {
		sum := 0.0
		for i := 24; i < len(courses); i++ {
			sum += courses[i].weight
		}
		x := r.Float64() * sum
		for i := 24; i < len(courses); i++ {
			if x -= courses[i].weight; x <= 0 {
				return i
			}
		}
		return len(courses) - 1
	}
	// Wishes.
	wishes := make([][]int, students)
	want := make([]int, len(courses))
	for i := range wishes {
		grade := r.IntN(4)
		load := 0
		var list []int
		for k := range 5 {
			c := grade*6 + k + r.IntN(2)
			if !slices.Contains(list, c) {
				list = append(list, c)
				load += 2
			}
		}
		for load < 2*periods-r.IntN(2) {
			c := pick()
			n := 1
			if courses[c].year {
				n = 2
			}
			if !slices.Contains(list, c) && load+n <= 2*periods {
				list = append(list, c)
				load += n
			}
		}
		wishes[i] = list
		for _, c := range list {
			want[c]++
		}
	}
	short := []float64{0, 0.01, 0.03, 0.05}[hard]
	busy := 0
	for c := range courses {
		if want[c] == 0 {
			continue
		}
		size := 26
		n := max(1, (want[c]+size/2)/size)
		for k := range n {
			period := r.IntN(periods)
			if n > 1 {
				period = (busy + k*periods/n) % periods
			} else if !courses[c].core && r.IntN(4) < hard {
				period = r.IntN(3)
			}
			term := r.IntN(2)
			if n > 1 {
				term = k % 2
			}
			s := Section{ID: fmt.Sprintf("%s-%d", code(c), k+1), Course: int32(c), Cells: cells(courses[c].year, term, period)}
			s.Seats = int(float64(want[c])/float64(n)*(1-short*2*r.Float64())) + 1
			courses[c].sections = append(courses[c].sections, int32(len(p.Sections)))
			p.Sections = append(p.Sections, s)
		}
		busy++
	}
	if planted {
		for i := range p.Sections {
			p.Sections[i].Seats = 0
		}
	}
	for i, list := range wishes {
		s := Student{ID: fmt.Sprintf("s%05d", i), Senior: i % 4}
		if planted {
			list = plant(r, p, list, func(c int) []int32 { return courses[c].sections })
		}
		for k, c := range list {
			value := int32(60 - min(k+1, 20))
			if k < 2 {
				value = 100
			}
			s.Requests = append(s.Requests, Request{int32(c), value})
		}
		for k := range 3 {
			c := pick()
			if slices.Contains(list, c) || slices.ContainsFunc(s.Alternates, func(a Alternate) bool { return a.Course == int32(c) }) {
				continue
			}
			stands := None
			if r.IntN(3) == 0 {
				stands = int32(len(list) - 1)
			}
			s.Alternates = append(s.Alternates, Alternate{int32(c), int32(30 - (k + 1)), stands})
		}
		p.Students = append(p.Students, s)
	}
	if planted {
		for i := range p.Sections {
			p.Sections[i].Seats += r.IntN(3) * (3 - hard) / 2
		}
	}
	return p
}

// plant lays a list of courses out, the emptiest sections first, leaving out what does not fit, and adds a seat for each.
func plant(r *rand.Rand, p *Problem, list []int, sections func(int) []int32) (kept []int) {
	busy := map[int32]bool{}
	order := slices.Clone(list)
	slices.SortStableFunc(order, func(a, b int) int { return len(sections(a)) - len(sections(b)) })
	for _, c := range order {
		best := None
		for _, s := range sections(c) {
			if !slices.ContainsFunc(p.Sections[s].Cells, func(cell int32) bool { return busy[cell] }) && (best == None || p.Sections[s].Seats < p.Sections[best].Seats) {
				best = s
			}
		}
		if best == None {
			continue
		}
		for _, cell := range p.Sections[best].Cells {
			busy[cell] = true
		}
		p.Sections[best].Seats++
		kept = append(kept, c)
	}
	return kept
}
