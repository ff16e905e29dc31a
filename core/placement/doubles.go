package placement

import "slices"

// Double is what two sections take at the same time, such as a teacher or a room.
type Double struct {
	What          int32
	First, Second int32 // sections, the first before the second
	Cells         []int32
}

// Doubles lists what is taken twice in a cell. Takes names by section what it takes; the list is in the order
// of the first section, the second, and what they take.
func Doubles(sections []Section, takes [][]int32) (list []Double) {
	by := map[int32][]int32{}
	for i := range sections {
		for _, what := range takes[i] {
			by[what] = append(by[what], int32(i))
		}
	}
	for what, those := range by {
		for n, first := range those {
			for _, second := range those[n+1:] {
				if both := common(sections[first].Cells, sections[second].Cells); len(both) > 0 {
					list = append(list, Double{What: what, First: first, Second: second, Cells: both})
				}
			}
		}
	}
	slices.SortFunc(list, func(a, b Double) int {
		return slices.Compare([]int32{a.First, a.Second, a.What}, []int32{b.First, b.Second, b.What})
	})
	return list
}

// common returns what two ascending lists share.
func common(a, b []int32) (both []int32) {
	for len(a) > 0 && len(b) > 0 {
		switch {
		case a[0] < b[0]:
			a = a[1:]
		case a[0] > b[0]:
			b = b[1:]
		default:
			both = append(both, a[0])
			a, b = a[1:], b[1:]
		}
	}
	return both
}
