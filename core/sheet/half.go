package sheet

import (
	"math/bits"

	"rubricon/core/catalog"
)

// Halves reports, by the place of each request, the place of the other half of a course that is requested as
// two: they are linked both ways, have the same load, and are laid into single terms that follow each other.
// A request that is no half has −1.
func (j *Judgement) Halves(y *catalog.Year, s *Sheet) []int {
	halves := make([]int, len(s.Requests))
	for i := range halves {
		halves[i] = -1
	}
	linked := func(a, b int32) bool {
		for _, c := range y.Courses[a].Links {
			if c == b {
				return true
			}
		}
		return false
	}
	for i, a := range s.Requests {
		for k, b := range s.Requests {
			first, second := j.Packing.Spans[i], j.Packing.Spans[k]
			single := bits.OnesCount32(uint32(first)) == 1 && (first == second<<1 || second == first<<1)
			if single && halves[i] < 0 && linked(a.Course, b.Course) && linked(b.Course, a.Course) &&
				y.Courses[a.Course].Load == y.Courses[b.Course].Load {
				halves[i] = k
			}
		}
	}
	return halves
}
