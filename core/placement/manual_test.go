package placement

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"
)

// By hand is done what leaves the placement valid, and nothing else: what is refused would not be, whatever the reason.
func TestByHandBesideTheCheck(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 18))
	seen := map[RefusalWhy]int{}
	done := 0
	for n := range 400 {
		p := random(r, 4, 5+r.IntN(3))
		given := solve(t, p, Options{Seed: uint64(n)}).Given
		for range 12 {
			student, course := int32(r.IntN(4)), int32(r.IntN(len(p.Courses)))
			section := None
			if r.IntN(3) > 0 {
				var of []int32
				for i := range p.Sections {
					if p.Sections[i].Course == course {
						of = append(of, int32(i))
					}
				}
				if len(of) == 0 {
					continue
				}
				section = of[r.IntN(len(of))]
			}
			// The same by force, checked as a whole.
			forced := slices.Clone(given)
			g := Given{slices.Clone(given[student].Requests), slices.Clone(given[student].Alternates)}
			asked := false
			for k, x := range p.Students[student].Requests {
				if x.Course == course {
					g.Requests[k], asked = section, true
				}
			}
			for k, x := range p.Students[student].Alternates {
				if x.Course == course {
					g.Alternates[k], asked = section, true
				}
			}
			forced[student] = g
			_, invalid := p.Check(forced)
			before := slices.Clone(given)
			err := p.ByHand(given, student, course, section)
			var refusal *Refusal
			if errors.As(err, &refusal) {
				if seen[refusal.Why]++; asked && invalid == nil || asked == (refusal.Why == NotAsked) {
					t.Fatalf("problem %d: %v, and %v", n, err, invalid)
				}
				forced = before
			} else if err != nil || !asked || invalid != nil {
				t.Fatalf("problem %d: done, and %v", n, invalid)
			} else {
				done++
			}
			for i := range given {
				if !slices.Equal(given[i].Requests, forced[i].Requests) || !slices.Equal(given[i].Alternates, forced[i].Alternates) {
					t.Fatalf("problem %d: student %d has %v, want %v", n, i, given[i], forced[i])
				}
			}
		}
	}
	for _, why := range []RefusalWhy{NotAsked, NoSeat, SameTime, BesideRequest, LinkedApart} {
		if seen[why] < 10 {
			t.Errorf("refused: %v", seen)
		}
	}
	if done < 300 {
		t.Errorf("%d done", done)
	}
}

// Who came last leaves first, the more senior last, and anyone who's seat is kept only where no one else is left.
func TestOverfull(t *testing.T) {
	p := &Problem{}
	a := one(p, "A", 2, 0)
	for _, id := range []string{"r", "s", "t", "u"} {
		p.Students = append(p.Students, Student{ID: id, Requests: []Request{{a, 59}}})
	}
	p.Students[3].Senior = 1
	given := slices.Repeat([]Given{{[]int32{0}, nil}}, 4)
	draw := []int32{2, 0, 1, 3}
	for name, c := range map[string]struct {
		kept []int32
		want []Place
	}{
		"by lot":           {nil, []Place{{1, 0}, {0, 0}}},
		"around one kept":  {[]int32{1}, []Place{{0, 0}, {2, 0}}},
		"among those kept": {[]int32{0, 1, 2}, []Place{{3, 0}, {1, 0}}},
	} {
		if got := p.Overfull(given, draw, func(x Place) bool { return slices.Contains(c.kept, x.Student) }); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	p.Sections[0].Seats = 4
	if got := p.Overfull(given, draw, func(Place) bool { return false }); len(got) != 0 {
		t.Errorf("nobody has to leave: %v", got)
	}
}
