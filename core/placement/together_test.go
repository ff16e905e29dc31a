package placement

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// plain tries every choice.
func plain(sections [][][]int32, courses []int, used map[int32]bool) bool {
	if len(courses) == 0 {
		return true
	}
	for _, cells := range sections[courses[0]] {
		if slices.ContainsFunc(cells, func(c int32) bool { return used[c] }) {
			continue
		}
		for _, c := range cells {
			used[c] = true
		}
		ok := plain(sections, courses[1:], used)
		for _, c := range cells {
			delete(used, c)
		}
		if ok {
			return true
		}
	}
	return false
}

// plainClash tries every set of courses, the smallest first, then in order.
func plainClash(sections [][][]int32) []int {
	var with []int
	for i := range sections {
		if len(sections[i]) > 0 {
			with = append(with, i)
		}
	}
	for size := 1; size <= len(with); size++ {
		var found []int
		var choose func(from int, set []int)
		choose = func(from int, set []int) {
			if found != nil {
				return
			}
			if len(set) == size {
				if !plain(sections, set, map[int32]bool{}) {
					found = slices.Clone(set)
				}
				return
			}
			for k := from; k < len(with); k++ {
				choose(k+1, append(set, with[k]))
			}
		}
		choose(0, nil)
		if found != nil {
			return found
		}
	}
	return nil
}

// Whether a sheet can be had, and the smallest set that cannot, are what trying everything says.
func TestTogetherBesideTryingEverything(t *testing.T) {
	clashes, sizes := 0, map[int]int{}
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 1))
		sections := make([][][]int32, 1+r.IntN(7))
		for i := range sections {
			for range r.IntN(4) {
				var cells []int32
				for range 1 + r.IntN(3) {
					cells = append(cells, int32(r.IntN(7)))
				}
				slices.Sort(cells)
				sections[i] = append(sections[i], slices.Compact(cells))
			}
		}
		got, known := Together(sections)
		want := plainClash(sections)
		if !known || !slices.Equal(got, want) {
			t.Fatalf("seed %d: %v (known %v), want %v of %v", seed, got, known, want, sections)
		}
		if want != nil {
			clashes++
			sizes[len(want)]++
		}
	}
	if clashes < 300 || sizes[3] < 20 {
		t.Errorf("only %d of the random sheets clash: by size %v", clashes, sizes)
	}
}

// A course without a section is passed over, one without a fixed time never clashes, and what is beyond the limits is said to be.
func TestTogetherAtTheEdges(t *testing.T) {
	for _, c := range []struct {
		sections [][][]int32
		clash    []int
	}{
		{nil, nil},
		{[][][]int32{{}, {{1}}, {}}, nil},
		{[][][]int32{{{}}, {{1}}, {{}}}, nil},
		{[][][]int32{{{1}}, {{1}}}, []int{0, 1}},
		{[][][]int32{{{1}, {2}}, {{1}, {2}}, {{1}, {2}}}, []int{0, 1, 2}},
		{[][][]int32{{{1, 2}}, {{3}}, {{2, 3}, {1}}}, []int{0, 2}},
	} {
		if got, known := Together(c.sections); !known || !slices.Equal(got, c.clash) {
			t.Errorf("%v: %v, %v; want %v", c.sections, got, known, c.clash)
		}
	}
	if _, known := Together(make([][][]int32, MaxTogether+1)); known {
		t.Error("more than is looked at is known")
	}
}

func ExampleTogether() {
	choir, physics, latin := [][]int32{{2}}, [][]int32{{2}, {5}}, [][]int32{{5}}
	fmt.Println(Together([][][]int32{choir, physics}))
	fmt.Println(Together([][][]int32{choir, physics, latin}))
	// Output:
	// [] true
	// [0 1 2] true
}

// BenchmarkTogether is a sheet that fills eight periods, of which three courses cannot be had; and one with so much on it that the work is bounded.
func BenchmarkTogether(b *testing.B) {
	sheet := func(free int) [][][]int32 {
		sections := make([][][]int32, free+3)
		for i := range free {
			for k := range 6 {
				sections[i] = append(sections[i], []int32{int32((i + k) % 8), int32(8 + (i+k)%8)})
			}
		}
		for i := free; i < free+3; i++ {
			sections[i] = [][]int32{{1, 9}, {2, 10}}
		}
		return sections
	}
	for _, free := range []int{5, 12} {
		b.Run(fmt.Sprint(free+3), func(b *testing.B) {
			for b.Loop() {
				Together(sheet(free))
			}
		})
	}
}
