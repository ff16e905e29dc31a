package placement

import (
	"math/rand/v2"
	"testing"
)

// The best timetable of a student at prices, against trying everything; again and again with the rents of the search before.
func TestSearchAgainstEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	plainly, anew := searcher{limit: maxNodes}, searcher{limit: maxNodes, patience: 1}
	for n := range 8000 {
		p := random(r, 1, 3+r.IntN(8))
		if n%2 == 0 {
			p = randomOf(r, 1, 10, 10)
		}
		if p.Students[0].Requests == nil && p.Students[0].Alternates == nil {
			continue
		}
		m := compile(p)
		for round := range 4 {
			s := &plainly
			if round%2 == 1 {
				s = &anew // sets rents again at once, as a hard search does
			}
			price := make([]int64, len(m.pools))
			for i := range price {
				switch r.IntN(4) {
				case 0:
					price[i] = r.Int64N(110 * scale)
				case 1:
					price[i] = closed
				}
			}
			inPool := make([]int, len(p.Sections))
			for k, pool := range m.pools {
				for _, i := range pool.sections {
					inPool[i] = k
				}
			}
			worth := func(g *Given) int64 {
				sum := p.Students[0].Value(g) * scale
				for _, list := range [][]int32{g.Requests, g.Alternates} {
					for _, section := range list {
						if section != None {
							sum -= price[inPool[section]]
						}
					}
				}
				return sum
			}
			want := int64(-1)
			every(p, 0, func(g Given) { want = max(want, worth(&g)) })
			got, bound := s.search(&m.pupils[0], price, -1)
			if got != want || bound != want {
				t.Fatalf("problem %d: best %d and bound %d, want %d", n, got, bound, want)
			}
			table := s.table()
			sum := int64(table.value) * scale
			for _, pool := range table.pools {
				sum -= price[pool]
			}
			if sum != got {
				t.Fatalf("problem %d: the timetable found is worth %d, not %d", n, sum, got)
			}
			if got, bound = s.search(&m.pupils[0], price, want); got != want || bound != want {
				t.Fatalf("problem %d: with nothing better to find: %d and %d, want %d", n, got, bound, want)
			}
		}
	}
}

func BenchmarkStudent(b *testing.B) {
	m := compile(synthetic(600, 1, false, 2))
	price := make([]int64, len(m.pools))
	for i := range price {
		price[i] = int64(i%7) * 5 * scale / 3
	}
	s := searcher{limit: maxNodes}
	nodes := 0
	for n := 0; b.Loop(); n++ {
		s.search(&m.pupils[n%len(m.pupils)], price, -1)
		nodes += s.nodes
	}
	b.ReportMetric(float64(nodes)/float64(b.N), "nodes/op")
}
