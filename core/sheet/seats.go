package sheet

import "slices"

// Filling is one, two or three sections that fill an open period together, as places in the list of all, ascending.
type Filling []int

// mostTogether is how many sections a filling has at the most.
const mostTogether = 3

// Fillings lists the ways in which an open period can be filled, at most so many: first the sections that fill it alone, then the pairs, then the threes, each in the order of the list. The sections of a way
// meet on every open day of the period, none at the same time as another of them or as an own one, and none is of a course that is there already. May tells whether a section may be taken.
func (o *OpenPeriod) Fillings(own, all []Section, may func(section int) bool, most int) (list []Filling) {
	meets := func(s *Section) bool {
		return slices.ContainsFunc(o.Days, func(day int) bool { return s.Meets(o.Term, o.Period, day) })
	}
	var free []int // that meet then and are in nobody's way
	for i := range all {
		if meets(&all[i]) && may(i) && !inTheWay(own, &all[i]) {
			free = append(free, i)
		}
	}
	var chosen []Section
	var way Filling
	var fill func(left []int, size int)
	fill = func(left []int, size int) {
		if len(left) == 0 {
			if len(way) == size {
				sorted := slices.Clone(way)
				slices.Sort(sorted)
				list = append(list, sorted)
			}
			return
		}
		if len(way) == size {
			return
		}
		for _, i := range free { // whatever fills the first day that is left
			s := &all[i]
			if !s.Meets(o.Term, o.Period, left[0]) || inTheWay(chosen, s) {
				continue
			}
			chosen, way = append(chosen, *s), append(way, i)
			fill(slices.DeleteFunc(slices.Clone(left), func(day int) bool { return s.Meets(o.Term, o.Period, day) }), size)
			chosen, way = chosen[:len(chosen)-1], way[:len(way)-1]
		}
	}
	for size := 1; size <= mostTogether && len(list) < most; size++ {
		from := len(list)
		fill(o.Days, size)
		slices.SortFunc(list[from:], func(a, b Filling) int { return slices.Compare(a, b) })
	}
	return list[:min(len(list), most)]
}

// inTheWay tells whether some sections meet at the same time as another one, or are of its course.
func inTheWay(those []Section, s *Section) bool {
	return slices.ContainsFunc(those, func(t Section) bool { return t.Course == s.Course || t.Shares(s) })
}

// Displaced is an own section that another one would push out, with the sections of its course that could be taken in its place.
type Displaced struct {
	Own     int   // its place among the own
	Instead []int // places in the list of all
}

// Displaces tells what taking a section would push out: the own sections that meet at the same time or are of the same course, each with the sections of its course that fit beside everything that stays and the
// one that is taken; of the same course as that one there are none. May tells whether a section may be taken.
func Displaces(own, all []Section, section int, may func(section int) bool) (list []Displaced) {
	s := &all[section]
	stay := []Section{*s}
	for i := range own {
		if own[i].Course != s.Course && !own[i].Shares(s) {
			stay = append(stay, own[i])
		}
	}
	for i := range own {
		if own[i].Course != s.Course && !own[i].Shares(s) {
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
