package sheet

import (
	"slices"

	"rubricon/core/condition"
	"rubricon/core/policy"
)

// Cell is one meeting time of the week: a term, a period and a day of the cycle.
type Cell struct{ Term, Period, Day int }

// In reports whether a section meets then.
func (c Cell) In(s *Section) bool { return s.Meets(c.Term, c.Period, c.Day) }

// Cells are the cells of an open period.
func (o *OpenPeriod) Cells() (list []Cell) {
	for _, day := range o.Days {
		list = append(list, Cell{o.Term, o.Period, day})
	}
	return list
}

// Filling is one, two or three sections that fill some open cells together, as places in the list of all, in
// the order of the candidates.
type Filling []int

// mostTogether is how many sections a filling has at the most.
const mostTogether = 3

// Fillings lists the ways in which some open cells can all be filled, at most so many: first the sections
// that fill them alone, then the pairs, then the threes, each in the order of the candidates. These are the
// sections that may be taken, as places in the list of all, the best first. The sections of a way each meet
// in one of the cells at least, none at the same time as another of them or as an own one, and none is of a
// course that is there already.
func Fillings(cells []Cell, own, all []Section, candidates []int, most int) (list []Filling) {
	type candidate struct{ rank, section int }
	var free []candidate // that meet then and are in nobody's way
	for rank, i := range candidates {
		if slices.ContainsFunc(cells, func(c Cell) bool { return c.In(&all[i]) }) && !inTheWay(own, &all[i]) {
			free = append(free, candidate{rank, i})
		}
	}
	var ways [][]candidate
	var way []candidate
	var chosen []Section
	var fill func(left []Cell, size int)
	fill = func(left []Cell, size int) {
		if len(left) == 0 {
			if len(way) == size {
				sorted := slices.Clone(way)
				slices.SortFunc(sorted, func(a, b candidate) int { return a.rank - b.rank })
				ways = append(ways, sorted)
			}
			return
		}
		if len(way) == size {
			return
		}
		for _, x := range free { // whatever fills the first cell that is left
			s := &all[x.section]
			if !left[0].In(s) || inTheWay(chosen, s) {
				continue
			}
			chosen, way = append(chosen, *s), append(way, x)
			fill(slices.DeleteFunc(slices.Clone(left), func(c Cell) bool { return c.In(s) }), size)
			chosen, way = chosen[:len(chosen)-1], way[:len(way)-1]
		}
	}
	for size := 1; size <= mostTogether && len(cells) > 0 && len(ways) < most; size++ {
		from := len(ways)
		fill(cells, size)
		slices.SortFunc(ways[from:], func(a, b []candidate) int {
			return slices.CompareFunc(a, b, func(x, z candidate) int { return x.rank - z.rank })
		})
	}
	for _, way := range ways[:min(len(ways), most)] {
		filling := Filling{}
		for _, x := range way {
			filling = append(filling, x.section)
		}
		list = append(list, filling)
	}
	return list
}

// FillUp fills what is open of a week, one opening after the other, with the first way that there is: a
// period in all its terms at once where that can be, else term by term. Candidates are the sections that may
// be taken, as places in the list of all, the best first. It gives those that it takes; none of them collides
// with another or an own one. The error is one of Choose's.
func (f *Facts) FillUp(s *Sheet, own, all []Section, candidates []int) (list []int, err error) {
	own = slices.Clone(own)
	for _, whole := range []bool{true, false} {
		c, err := f.Choose(s, own)
		if err != nil {
			return nil, err
		}
		for i, open := range c.Open {
			cells := open.Cells()
			for _, other := range c.Open[i+1:] {
				if whole && other.Period == open.Period {
					cells = append(cells, other.Cells()...)
				}
			}
			// filled in the meantime
			cells = slices.DeleteFunc(cells, func(c Cell) bool { return slices.ContainsFunc(own, func(s Section) bool { return c.In(&s) }) })
			for _, way := range Fillings(cells, own, all, candidates, 1) {
				for _, k := range way {
					list, own = append(list, k), append(own, all[k])
				}
			}
		}
	}
	return list, nil
}

// inTheWay reports whether some sections meet at the same time as another one, or are of its course.
func inTheWay(those []Section, s *Section) bool {
	return slices.ContainsFunc(those, func(t Section) bool { return t.Collides(s) })
}

// Displaced is an own section that another one would push out, with the sections of its course that could be
// taken in its place.
type Displaced struct {
	Own     int   // its place among the own
	Instead []int // places in the list of all
}

// Displaces reports what taking a section would push out: the own sections that meet at the same time or are of
// the same course, each with the sections of its course that fit beside everything that stays and the one
// that is taken; of the same course as that one there are none. May reports whether a section may be taken.
func Displaces(own, all []Section, section int, may func(section int) bool) (list []Displaced) {
	s := &all[section]
	stay := []Section{*s}
	for i := range own {
		if !own[i].Collides(s) {
			stay = append(stay, own[i])
		}
	}
	for i := range own {
		if !own[i].Collides(s) {
			continue
		}
		d := Displaced{Own: i}
		for k := range all {
			if all[k].Course == own[i].Course && may(k) && !inTheWay(stay, &all[k]) {
				d.Instead = append(d.Instead, k)
			}
		}
		list = append(list, d)
	}
	return list
}

// MayTake reports whether a student may take a seat in a section of a course as far as the course goes: it is
// offered to them, not earned already, and its condition is met or will be; one that the school does not hold
// families to keeps no one from it.
func (f *Facts) MayTake(r *RequestResult) bool {
	stance := f.Year.Courses[r.Course].EntryStance
	return !r.Barred && !r.Repeat && (!r.HasEntry || r.Entry >= condition.Expected || stance != policy.Block && stance != "")
}
