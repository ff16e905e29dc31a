package placement

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Doubles finds what looking at every pair of sections, cell by cell, finds.
func TestDoubles(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	found := 0
	for range 300 {
		sections, takes := make([]Section, 2+r.IntN(7)), make([][]int32, 9)
		for i := range sections {
			for cell := range int32(6) {
				if r.IntN(3) == 0 {
					sections[i].Cells = append(sections[i].Cells, cell)
				}
			}
			for what := range int32(3) {
				if r.IntN(2) == 0 {
					takes[i] = append(takes[i], what)
				}
			}
		}
		var want []Double
		for i := range sections {
			for k := i + 1; k < len(sections); k++ {
				for what := range int32(3) {
					if !slices.Contains(takes[i], what) || !slices.Contains(takes[k], what) {
						continue
					}
					d := Double{What: what, First: int32(i), Second: int32(k)}
					for cell := range int32(6) {
						if slices.Contains(sections[i].Cells, cell) && slices.Contains(sections[k].Cells, cell) {
							d.Cells = append(d.Cells, cell)
						}
					}
					if len(d.Cells) > 0 {
						want = append(want, d)
					}
				}
			}
		}
		got := Doubles(sections, takes)
		if !slices.EqualFunc(got, want, func(a, b Double) bool {
			return a.What == b.What && a.First == b.First && a.Second == b.Second && slices.Equal(a.Cells, b.Cells)
		}) {
			t.Fatalf("%v %v: %v, want %v", sections, takes, got, want)
		}
		found += len(got)
	}
	if found < 100 {
		t.Errorf("only %d were there to be found", found)
	}
}
