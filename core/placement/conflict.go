package placement

import "slices"

// MaxTogether bounds the requests that are looked at, and steps the work of looking for the smallest set that clashes.
const (
	MaxTogether   = 64
	togetherSteps = 4_000
)

// Together reports whether some choice of one section for each course has no clash, seats aside. Sections lists
// for each course the cells of each of its sections, ascending; a course without a section is passed over.
// Where there is no such choice, clash is the smallest set of courses, by their places, that cannot be had
// together (of several, the first in lexicographic order). Known is false where that is beyond what is looked
// at; then clash is a set that cannot be had together, perhaps not the smallest.
func Together(sections [][][]int32) (clash []int, known bool) {
	t := newSharing(sections)
	if t == nil {
		return nil, false
	}
	all := make([]int, 0, len(t.options))
	for i := range t.options {
		if len(t.options[i]) > 0 {
			all = append(all, i)
		}
	}
	if t.fits(all) {
		return nil, t.steps < togetherSteps
	}
	if t.steps >= togetherSteps {
		return nil, false
	}
	// A set that cannot be had and of which none can be spared: what is smaller is looked for below its size.
	core := slices.Clone(all)
	for i := len(core) - 1; i >= 0; i-- {
		without := slices.Delete(slices.Clone(core), i, i+1)
		if !t.fits(without) {
			core = without
		}
	}
	for size := 2; size < len(core); size++ {
		if found := t.smallest(all, nil, size); found != nil {
			return found, t.steps < togetherSteps
		}
		if t.steps >= togetherSteps {
			return core, false
		}
	}
	// Of the same size the first in order.
	if found := t.smallest(all, nil, len(core)); found != nil && t.steps < togetherSteps {
		core = found
	}
	return core, t.steps < togetherSteps
}

// sharing searches over sets of cells.
type sharing struct {
	words   int
	options [][][]uint64 // by course, by section: the cells it meets in
	steps   int

	order []int    // of a search
	used  []uint64 // the cells that are used after each choice
}

func newSharing(sections [][][]int32) *sharing {
	if len(sections) > MaxTogether {
		return nil
	}
	// Only cells that sections of two courses use can clash.
	seen, shared := map[int32]int{}, map[int32]int{}
	for i, course := range sections {
		for _, cells := range course {
			for _, c := range cells {
				if at, ok := seen[c]; ok && at != i {
					if _, ok := shared[c]; !ok {
						shared[c] = len(shared)
					}
				}
				seen[c] = i
			}
		}
	}
	t := &sharing{words: (len(shared) + 63) / 64, options: make([][][]uint64, len(sections))}
	for i, course := range sections {
		for _, cells := range course {
			mask := make([]uint64, t.words)
			for _, c := range cells {
				if bit, ok := shared[c]; ok {
					mask[bit/64] |= 1 << (bit % 64)
				}
			}
			if !slices.ContainsFunc(t.options[i], func(m []uint64) bool { return slices.Equal(m, mask) }) {
				t.options[i] = append(t.options[i], mask)
			}
		}
	}
	return t
}

// fits reports whether some courses can be had together.
func (t *sharing) fits(courses []int) bool {
	t.order = append(t.order[:0], courses...)
	if need := (len(courses) + 1) * t.words; len(t.used) < need {
		t.used = make([]uint64, need)
	}
	clear(t.used[:t.words])
	return t.search(t.order, 0)
}

// search chooses a section for each of the courses next to what is used after so many were chosen.
func (t *sharing) search(courses []int, depth int) bool {
	if len(courses) == 0 {
		return true
	}
	if t.steps++; t.steps >= togetherSteps {
		return true // not known; the caller looks at the steps
	}
	used := t.used[depth*t.words : (depth+1)*t.words]
	// The course with the fewest sections that still fit is chosen for first.
	best, fewest := 0, 1<<30
	for k, course := range courses {
		n := 0
		for _, m := range t.options[course] {
			if disjoint(m, used) {
				n++
			}
		}
		if n == 0 {
			return false
		}
		if n < fewest {
			best, fewest = k, n
		}
	}
	courses[0], courses[best] = courses[best], courses[0]
	now := t.used[(depth+1)*t.words : (depth+2)*t.words]
	for _, m := range t.options[courses[0]] {
		if !disjoint(m, used) {
			continue
		}
		for w := range now {
			now[w] = used[w] | m[w]
		}
		if t.search(courses[1:], depth+1) {
			return true
		}
	}
	return false
}

func disjoint(a, b []uint64) bool {
	for w := range a {
		if a[w]&b[w] != 0 {
			return false
		}
	}
	return true
}

// smallest looks for a set of a size that cannot be had together, the first in lexicographic order, that
// begins with some courses.
func (t *sharing) smallest(all, begun []int, size int) []int {
	if t.steps >= togetherSteps {
		return nil
	}
	if len(begun) == size {
		if !t.fits(begun) {
			return slices.Clone(begun)
		}
		return nil
	}
	for k, course := range all {
		if len(all)-k < size-len(begun) {
			return nil
		}
		if found := t.smallest(all[k+1:], append(begun, course), size); found != nil {
			return found
		}
	}
	return nil
}
