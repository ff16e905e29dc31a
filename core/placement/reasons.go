package placement

import "slices"

// Why says why a request was not given.
type Why string

// The reasons.
const (
	NoSection Why = "none"  // the course has no section
	Full      Why = "full"  // some section of it does not clash with the student's other sections, but is full
	Clash     Why = "clash" // every section of it clashes
	Link      Why = "link"  // a section fits and has a seat free, so that only a linked course holds it back
)

// Unplaced is a request that was not given.
type Unplaced struct {
	Request   int32 // its place
	Why       Why
	InsteadOf int32 // the place of the alternate given for it, or None
}

// Occupancy counts the students in each section.
func (p *Problem) Occupancy(given []Given) []int {
	taken := make([]int, len(p.Sections))
	for i := range given {
		for _, list := range [][]int32{given[i].Requests, given[i].Alternates} {
			for _, section := range list {
				if section != None {
					taken[section]++
				}
			}
		}
	}
	return taken
}

// Reasons lists a student's requests that were not given, in rank order. Taken is the occupancy of the whole placement.
func (p *Problem) Reasons(student int, g *Given, taken []int) (list []Unplaced) {
	s := &p.Students[student]
	busy := map[int32]bool{}
	for _, cell := range s.Busy {
		busy[cell] = true
	}
	for _, sections := range [][]int32{g.Requests, g.Alternates} {
		for _, section := range sections {
			if section != None {
				for _, cell := range p.Sections[section].Cells {
					busy[cell] = true
				}
			}
		}
	}
	for k, section := range g.Requests {
		if section == None {
			list = append(list, Unplaced{int32(k), p.why(s.Requests[k].Course, busy, taken), None})
		}
	}
	// Alternates that stand for a request go with it, over the whole student; the others with what is left, by rank.
	used := make([]bool, len(g.Alternates))
	for _, standing := range []bool{true, false} {
		for n := range list {
			u := &list[n]
			for k, section := range g.Alternates {
				if section == None || used[k] || u.InsteadOf != None || standing && s.Alternates[k].StandsFor != u.Request {
					continue
				}
				u.InsteadOf, used[k] = int32(k), true
			}
		}
	}
	return list
}

func (p *Problem) why(course int32, busy map[int32]bool, taken []int) Why {
	why := NoSection
	for i := range p.Sections {
		section := &p.Sections[i]
		if section.Course != course {
			continue
		}
		if why == NoSection {
			why = Clash
		}
		if slices.ContainsFunc(section.Cells, func(cell int32) bool { return busy[cell] }) {
			continue
		}
		if taken[i] < section.Seats {
			return Link
		}
		why = Full
	}
	return why
}
