// Package demand tallies what a school's sheets ask for: requests, alternates and uncovered requests by
// course and grade, the sections that takes, which courses are wanted together, and whom a course leaves
// without cover if it does not run.
//
//	t := demand.Count(len(year.Courses), wishes)
//	n, sizes := demand.Sections(t.Courses[i].Requests, 28)
package demand

import (
	"cmp"
	"slices"
)

// Wish is one student's sheet. Uncovered are the requests whose loss no alternate mends.
type Wish struct {
	Student    string
	Grade      int // the one being entered
	Requests   []int32
	Alternates []int32
	Uncovered  []int32
}

// Course is the tally of one course.
type Course struct {
	Requests   int
	Alternates int
	ByGrade    map[int]int // requests
	Uncovered  []string    // the students left without cover if the course does not run, in the order of the wishes
}

// Pair counts the students who want two courses; First < Second.
type Pair struct {
	First, Second int32
	Students      int
}

// Tally is the demand of a school.
type Tally struct {
	Courses []Course // by course index
	Pairs   []Pair   // wanted together by someone, most first
}

// Count tallies the wishes for n courses. It takes time and memory linear in the sum of the squares of the
// sheets' lengths.
func Count(n int, wishes []Wish) *Tally {
	t := &Tally{Courses: make([]Course, n)}
	pairs := map[[2]int32]int{}
	for i := range wishes {
		w := &wishes[i]
		for k, c := range w.Requests {
			course := &t.Courses[c]
			course.Requests++
			if course.ByGrade == nil {
				course.ByGrade = map[int]int{}
			}
			course.ByGrade[w.Grade]++
			for _, other := range w.Requests[k+1:] {
				pairs[[2]int32{min(c, other), max(c, other)}]++
			}
		}
		for _, c := range w.Alternates {
			t.Courses[c].Alternates++
		}
		for _, c := range w.Uncovered {
			t.Courses[c].Uncovered = append(t.Courses[c].Uncovered, w.Student)
		}
	}
	for pair, students := range pairs {
		t.Pairs = append(t.Pairs, Pair{pair[0], pair[1], students})
	}
	slices.SortFunc(t.Pairs, func(a, b Pair) int {
		return cmp.Or(cmp.Compare(b.Students, a.Students), cmp.Compare(a.First, b.First), cmp.Compare(a.Second, b.Second))
	})
	return t
}

// Sections reports how many sections a number of students takes when none may be larger than size (at least 1),
// and how large they are with the rest spread: sizes differ by at most one, the larger ones first.
func Sections(students, size int) (sizes []int) {
	n := (students + size - 1) / size
	for i := range n {
		each := students / n
		if i < students%n {
			each++
		}
		sizes = append(sizes, each)
	}
	return sizes
}

// SingleClashes lists, for courses that take a single section of a class size, the pairs that some students
// want both of: in one timetable cell they would clash for so many students.
func (t *Tally) SingleClashes(size int) (clashes []Pair) {
	single := func(c int32) bool { return len(Sections(t.Courses[c].Requests, size)) == 1 }
	for _, p := range t.Pairs {
		if single(p.First) && single(p.Second) {
			clashes = append(clashes, p)
		}
	}
	return clashes
}
