package demand

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

func TestSections(t *testing.T) {
	for _, c := range []struct {
		students, size int
		want           string
	}{{0, 28, "[]"}, {1, 28, "[1]"}, {28, 28, "[28]"}, {29, 28, "[15 14]"}, {100, 30, "[25 25 25 25]"}, {7, 3, "[3 2 2]"}} {
		if got := fmt.Sprint(Sections(c.students, c.size)); got != c.want {
			t.Errorf("%d students at %d: %s, want %s", c.students, c.size, got, c.want)
		}
	}
}

func TestSectionsHoldEverybodyAndAreEven(t *testing.T) {
	for students := range 300 {
		for size := 1; size < 40; size++ {
			sum, low, high := 0, size, 0
			sizes := Sections(students, size)
			for _, n := range sizes {
				sum, low, high = sum+n, min(low, n), max(high, n)
			}
			if sum != students || high > size || len(sizes) > 0 && high-low > 1 || len(sizes) > 1 && (len(sizes)-1)*size >= students {
				t.Fatalf("%d students at %d give %v", students, size, sizes)
			}
		}
	}
}

func TestCountAgainstCountingEachQuestion(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		n := 4 + r.IntN(5)
		var wishes []Wish
		for s := range r.IntN(12) {
			w := Wish{Student: fmt.Sprint(s), Grade: 9 + r.IntN(3)}
			for i, c := range r.Perm(n)[:r.IntN(n+1)] {
				switch i % 3 {
				case 2:
					w.Alternates = append(w.Alternates, int32(c))
				case 1:
					w.Uncovered = append(w.Uncovered, int32(c))
					fallthrough
				default:
					w.Requests = append(w.Requests, int32(c))
				}
			}
			wishes = append(wishes, w)
		}
		tally := Count(n, wishes)
		has := func(list []int32, c int) bool {
			for _, x := range list {
				if int(x) == c {
					return true
				}
			}
			return false
		}
		pairs := map[[2]int]int{}
		for _, p := range tally.Pairs {
			pairs[[2]int{int(p.First), int(p.Second)}] = p.Students
		}
		for c := range n {
			requests, alternates, tenth, uncovered := 0, 0, 0, 0
			for _, w := range wishes {
				if has(w.Requests, c) {
					requests++
					if w.Grade == 10 {
						tenth++
					}
				}
				if has(w.Alternates, c) {
					alternates++
				}
				if has(w.Uncovered, c) {
					uncovered++
				}
			}
			got := tally.Courses[c]
			if got.Requests != requests || got.Alternates != alternates || got.ByGrade[10] != tenth || len(got.Uncovered) != uncovered {
				t.Fatalf("course %d: %+v; want %d, %d, %d, %d", c, got, requests, alternates, tenth, uncovered)
			}
			for d := c + 1; d < n; d++ {
				both := 0
				for _, w := range wishes {
					if has(w.Requests, c) && has(w.Requests, d) {
						both++
					}
				}
				if pairs[[2]int{c, d}] != both {
					t.Fatalf("pair %d, %d: %d, want %d", c, d, pairs[[2]int{c, d}], both)
				}
			}
		}
		for _, p := range tally.SingleClashes(2) {
			if tally.Courses[p.First].Requests > 2 || tally.Courses[p.Second].Requests > 2 || p.Students == 0 {
				t.Fatalf("%+v is no clash of single sections", p)
			}
		}
	}
}
