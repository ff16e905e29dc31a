package placement

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// What is held stays, what is denied is not given, and the rest is as good as anything that leaves it so, found by trying everything.
func TestHoldAgainstEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 17))
	keptInAll, dropped, deniedInAll := 0, 0, 0
	for n := range 500 {
		p := random(r, 3, 4+r.IntN(3))
		before := solve(t, p, Options{Seed: uint64(n)}).Given
		var kept []Kept
		var denied []Denied
		for i := range before {
			s := &p.Students[i]
			whole := r.IntN(3) == 0
			for k, section := range before[i].Requests {
				if section != None && (whole || r.IntN(4) == 0) {
					kept = append(kept, Kept{int32(i), section, None})
				} else if r.IntN(6) == 0 {
					denied = append(denied, Denied{int32(i), s.Requests[k].Course})
				}
			}
			for _, u := range p.Reasons(i, &before[i], p.Occupancy(before)) {
				if u.InsteadOf != None && (whole || r.IntN(3) == 0) {
					kept = append(kept, Kept{int32(i), before[i].Alternates[u.InsteadOf], s.Requests[u.Request].Course})
				}
			}
		}
		h := p.Deny(denied).Hold(kept)
		if err := h.Problem.validate(); err != nil {
			t.Fatal(err)
		}
		found := h.Whole(solve(t, h.Problem, Options{Seed: uint64(n)}))
		if _, err := p.Check(found.Given); err != nil {
			t.Fatalf("problem %d: %v", n, err)
		}
		if value, err := h.Problem.Check(h.Rest(found.Given)); err != nil || value+h.Value != found.Value {
			t.Errorf("problem %d: the rest is worth %d beside %d of %d: %v", n, value, h.Value, found.Value, err)
		}
		has := func(g *Given, k Kept) bool {
			if k.For == None {
				return slices.Contains(g.Requests, k.Section)
			}
			at := slices.IndexFunc(p.Students[k.Student].Requests, func(r Request) bool { return r.Course == k.For })
			return slices.Contains(g.Alternates, k.Section) && g.Requests[at] == None
		}
		value := int64(0)
		for i := range found.Given {
			value += p.Students[i].Value(&found.Given[i])
			for _, d := range denied {
				if d.Student == int32(i) && slices.Contains(coursesOf(p, &found.Given[i]), d.Course) {
					t.Errorf("problem %d: student %d is given %d all the same", n, i, d.Course)
				}
			}
		}
		held := slices.DeleteFunc(slices.Clone(kept), func(k Kept) bool { return slices.Contains(h.Unkept, k) })
		for _, k := range held {
			if !has(&found.Given[k.Student], k) {
				t.Errorf("problem %d: %+v is not kept: %+v", n, k, found.Given[k.Student])
			}
		}
		if value != found.Value || found.Value > found.Bound {
			t.Errorf("problem %d: worth %d, told %d of %d", n, value, found.Value, found.Bound)
		}
		want := bestAmong(p, func(i int, g *Given) bool {
			for _, k := range held {
				if k.Student == int32(i) && !has(g, k) {
					return false
				}
			}
			for _, d := range denied {
				if d.Student == int32(i) && slices.Contains(coursesOf(p, g), d.Course) {
					return false
				}
			}
			return true
		})
		if found.Bound < want || found.Value > want {
			t.Errorf("problem %d: %d of at most %d, the best is %d", n, found.Value, found.Bound, want)
		}
		keptInAll += len(held)
		dropped += len(h.Unkept)
		deniedInAll += len(denied)
	}
	if keptInAll < 400 || dropped == 0 || deniedInAll < 200 {
		t.Errorf("%d kept, %d not, %d denied", keptInAll, dropped, deniedInAll)
	}
}

// A seat that is gone, one that meets with another that is kept, and one of a course that is not asked for are not kept, and said to be.
func TestHoldSaysWhatCannotBeKept(t *testing.T) {
	p := &Problem{}
	a, b, c := one(p, "A", 1, 0), one(p, "B", 1, 0), one(p, "C", 0, 1)
	p.Students = []Student{{ID: "s", Requests: []Request{{a, 59}, {b, 58}, {c, 57}}}, {ID: "t", Requests: []Request{{a, 59}}}}
	h := p.Hold([]Kept{{0, 0, None}, {0, 1, None}, {0, 2, None}, {1, 0, None}, {1, 1, None}, {1, 7, None}})
	if want := []Kept{{0, 1, None}, {0, 2, None}, {1, 0, None}, {1, 1, None}, {1, 7, None}}; !slices.Equal(h.Unkept, want) {
		t.Errorf("%v, want %v", h.Unkept, want)
	}
	found := h.Whole(solve(t, h.Problem, Options{}))
	if !slices.Equal(found.Given[0].Requests, []int32{0, None, None}) || found.Given[1].Requests[0] != None {
		t.Error(found.Given)
	}
}
