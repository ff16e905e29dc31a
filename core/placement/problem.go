// Package placement places the requests of a whole school into the sections of the master schedule.
//
// A placement gives each student at most one section of a course asked for, no two of them at the same time,
// and no section more students than it has seats; its value is to be as large as possible. Beside the
// placement comes a bound that no placement can exceed, so that anybody can see how good it is.
//
//	found, err := placement.Solve(ctx, &problem, placement.Options{Seed: 1, Effort: 100})
//	fmt.Println(found.Value, found.Bound)
//
// docs/placement.md tells of the model, the methods and what they reach.
package placement

import (
	"fmt"
	"slices"
)

// None stands where there is no section, course or request.
const None int32 = -1

// Problem is what is to be placed. Courses, sections and students are named by their place in these lists.
// The order of the sections and of the students does not matter: what is decided by order is decided by their
// ids.
type Problem struct {
	Courses  []string // codes, in byte order
	Sections []Section
	Students []Student
}

// Section is a section of a course. Its id is unique.
type Section struct {
	ID     string
	Course int32
	Cells  []int32 // the cells (a term, a period, a day of the cycle) it meets in, ascending; with none it never clashes
	Seats  int
}

// Student is one student's wishes. The id is unique; a course is wished for at most once.
type Student struct {
	ID         string
	Senior     int         // who comes first when seats are scarce: the higher; among equals the lot decides
	Requests   []Request   // in rank order
	Alternates []Alternate // in rank order
	Together   [][]int32   // places of requests that are given all or not at all; each request is in at most one group
	Busy       []int32     // cells in which the student is not free, ascending: no section of theirs meets in them
}

// Request is a course asked for. Value is what giving it is worth, from 1 to MaxValue.
type Request struct {
	Course int32
	Value  int32
}

// Alternate is a course that may come in for a request that is not given: for the one at place StandsFor, or,
// where that is None, for any.
type Alternate struct {
	Course    int32
	Value     int32
	StandsFor int32
}

// Limits of a problem; Solve refuses one beyond them.
const (
	MaxValue   = 1000
	MaxWishes  = 60 // requests, and alternates, of one student
	MaxCells   = 1 << 16
	MaxSeats   = 1_000_000
	MaxPlaces  = 20_000_000 // wishes times sections of their course, over all students
	maxStudent = 1 << 20
)

// Given is what one student gets: the section for each request and each alternate, or None.
type Given struct {
	Requests   []int32
	Alternates []int32
}

// Value is what the given sections are worth.
func (s *Student) Value(g *Given) (value int64) {
	for k, section := range g.Requests {
		if section != None {
			value += int64(s.Requests[k].Value)
		}
	}
	for k, section := range g.Alternates {
		if section != None {
			value += int64(s.Alternates[k].Value)
		}
	}
	return value
}

// A ProblemError says what is wrong with a problem.
type ProblemError struct{ What string }

func (e *ProblemError) Error() string { return "placement: " + e.What }

func wrong(format string, args ...any) error { return &ProblemError{fmt.Sprintf(format, args...)} }

// validate reports whether the problem is well-formed and within the limits.
func (p *Problem) validate() error {
	if !slices.IsSorted(p.Courses) {
		return wrong("the courses are not in byte order")
	}
	if len(p.Students) > maxStudent {
		return wrong("%d students are more than %d", len(p.Students), maxStudent)
	}
	perCourse := make([]int, len(p.Courses))
	for i := range p.Sections {
		s := &p.Sections[i]
		if s.Course < 0 || int(s.Course) >= len(p.Courses) || s.Seats < 0 || s.Seats > MaxSeats || !slices.IsSorted(s.Cells) {
			return wrong("section %s has an unknown course, a bad number of seats or cells out of order", s.ID)
		}
		if len(s.Cells) > 0 && (s.Cells[0] < 0 || s.Cells[len(s.Cells)-1] >= MaxCells) {
			return wrong("section %s has a cell outside 0 to %d", s.ID, MaxCells-1)
		}
		perCourse[s.Course]++
	}
	places := 0
	for i := range p.Students {
		s := &p.Students[i]
		if err := p.validateStudent(s); err != nil {
			return err
		}
		for _, r := range s.Requests {
			places += perCourse[r.Course]
		}
		for _, a := range s.Alternates {
			places += perCourse[a.Course]
		}
	}
	if places > MaxPlaces {
		return wrong("there are %d ways to give a single wish; at most %d are weighed", places, MaxPlaces)
	}
	return nil
}

func (p *Problem) validateStudent(s *Student) error {
	if len(s.Requests) > MaxWishes || len(s.Alternates) > MaxWishes {
		return wrong("student %s has more than %d requests or alternates", s.ID, MaxWishes)
	}
	wished := map[int32]bool{}
	wish := func(course, value int32) error {
		if course < 0 || int(course) >= len(p.Courses) || value < 1 || value > MaxValue || wished[course] {
			return wrong("student %s wishes for an unknown course, for one twice, or with a value outside 1 to %d", s.ID, MaxValue)
		}
		wished[course] = true
		return nil
	}
	for _, r := range s.Requests {
		if err := wish(r.Course, r.Value); err != nil {
			return err
		}
	}
	for _, a := range s.Alternates {
		if err := wish(a.Course, a.Value); err != nil {
			return err
		}
		if a.StandsFor != None && (a.StandsFor < 0 || int(a.StandsFor) >= len(s.Requests)) {
			return wrong("an alternate of student %s stands for no request", s.ID)
		}
	}
	var grouped uint64
	for _, group := range s.Together {
		for _, k := range group {
			if k < 0 || int(k) >= len(s.Requests) || grouped>>k&1 == 1 {
				return wrong("the groups of student %s name no request, or one twice", s.ID)
			}
			grouped |= 1 << k
		}
	}
	return nil
}

// Check reports whether the given sections are a valid placement, and what they are worth. The error names the
// first rule broken.
func (p *Problem) Check(given []Given) (value int64, err error) {
	if len(given) != len(p.Students) {
		return 0, wrong("%d students are given something, there are %d", len(given), len(p.Students))
	}
	taken := make([]int, len(p.Sections))
	for i := range given {
		s, g := &p.Students[i], &given[i]
		if err := p.checkStudent(s, g, taken); err != nil {
			return 0, err
		}
		value += s.Value(g)
	}
	for i, n := range taken {
		if n > p.Sections[i].Seats {
			return 0, wrong("section %s has %d seats and %d students", p.Sections[i].ID, p.Sections[i].Seats, n)
		}
	}
	return value, nil
}

func (p *Problem) checkStudent(s *Student, g *Given, taken []int) error {
	if len(g.Requests) != len(s.Requests) || len(g.Alternates) != len(s.Alternates) {
		return wrong("student %s is given a different number of wishes", s.ID)
	}
	busy := map[int32]bool{}
	for _, cell := range s.Busy {
		busy[cell] = true
	}
	take := func(section, course int32) error {
		if section < 0 || int(section) >= len(p.Sections) || p.Sections[section].Course != course {
			return wrong("student %s is given a section of another course", s.ID)
		}
		taken[section]++
		for _, cell := range p.Sections[section].Cells {
			if busy[cell] {
				return wrong("student %s has two sections at the same time", s.ID)
			}
			busy[cell] = true
		}
		return nil
	}
	unplaced, alternates := 0, 0
	for k, section := range g.Requests {
		if section == None {
			unplaced++
		} else if err := take(section, s.Requests[k].Course); err != nil {
			return err
		}
	}
	for k, section := range g.Alternates {
		if section == None {
			continue
		}
		alternates++
		if err := take(section, s.Alternates[k].Course); err != nil {
			return err
		}
		if f := s.Alternates[k].StandsFor; f != None && g.Requests[f] != None {
			return wrong("student %s has an alternate beside the request it stands for", s.ID)
		}
	}
	if alternates > unplaced {
		return wrong("student %s has %d alternates for %d requests not given", s.ID, alternates, unplaced)
	}
	for _, group := range s.Together {
		for _, k := range group {
			if (g.Requests[k] == None) != (g.Requests[group[0]] == None) {
				return wrong("student %s has one of two linked courses without the other", s.ID)
			}
		}
	}
	return nil
}
