package placement

import (
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/sheet"
)

// Sheet is a student's sheet as it is to be placed. Its entries carry the ranks that values are made of.
type Sheet struct {
	Facts *sheet.Facts
	Sheet sheet.Sheet
}

// Meeting is a section of the master schedule. Days are those of the cycle, from 1; Periods are from 1;
// without periods it never clashes.
type Meeting struct {
	ID      string
	Course  int32
	Terms   catalog.TermSet
	Periods []int
	Days    []int
	Seats   int
}

// What wishes are worth.
const (
	requiredValue  = 100
	requestValue   = 60 // less the rank
	alternateValue = 30 // less the rank
	lastRank       = 20 // ranks beyond count as this one
)

// Build makes the problem of placing the sheets of a school year into the sections. A request of rank r is
// worth 60 − min(r, 20), or 100 where the school requires it; an alternate of rank k is worth 30 − min(k,
// 20). Linked requests are given together or not at all. Where some sheet cannot be judged there is no
// problem, but the errors by its place.
func Build(y *catalog.Year, sheets []Sheet, sections []Meeting) (p *Problem, errs map[int]error) {
	p, errs = &Problem{Courses: make([]string, len(y.Courses))}, map[int]error{}
	for i := range y.Courses {
		p.Courses[i] = y.Courses[i].Code
	}
	for _, m := range sections {
		p.Sections = append(p.Sections, Section{ID: m.ID, Course: m.Course, Cells: m.Cells(y), Seats: m.Seats})
	}
	for i := range sheets {
		s, err := newStudent(y, &sheets[i])
		if err != nil {
			errs[i] = err
		}
		p.Students = append(p.Students, s)
	}
	if len(errs) > 0 {
		return nil, errs
	}
	return p, nil
}

// Cells numbers the term, period and day of each meeting, ascending.
func (m *Meeting) Cells(y *catalog.Year) (cells []int32) {
	for term := range y.Terms {
		if m.Terms>>term&1 == 0 {
			continue
		}
		for _, period := range m.Periods {
			for _, day := range m.Days {
				cells = append(cells, int32((term*y.Policy.Periods+period-1)*y.Policy.Days+day-1))
			}
		}
	}
	slices.Sort(cells)
	return slices.Compact(cells)
}

func newStudent(y *catalog.Year, from *Sheet) (s Student, err error) {
	s.ID = from.Facts.ID
	if y.Policy.Seniority {
		s.Senior = from.Facts.Grade
	}
	required, err := from.Facts.Required(&from.Sheet)
	if err != nil {
		return s, err
	}
	places := map[int32]int32{}
	for k, e := range from.Sheet.Requests {
		value := int32(requestValue - min(e.Rank, lastRank))
		if required[k] {
			value = requiredValue
		}
		places[e.Course] = int32(k)
		s.Requests = append(s.Requests, Request{e.Course, value})
	}
	for _, e := range from.Sheet.Alternates {
		stands := None
		if at, ok := places[e.StandsFor]; ok {
			stands = at
		}
		s.Alternates = append(s.Alternates, Alternate{e.Course, int32(alternateValue - min(e.Rank, lastRank)), stands})
	}
	groups := map[int][]int32{}
	for k, first := range from.Facts.Linked(&from.Sheet) {
		groups[first] = append(groups[first], int32(k))
	}
	for k := range s.Requests {
		if len(groups[k]) > 1 {
			s.Together = append(s.Together, groups[k])
		}
	}
	return s, nil
}
