package placement

import (
	"fmt"
	"slices"
)

// Refusal is why a place cannot be given or taken by hand.
type Refusal struct {
	Why    RefusalWhy
	Course int32 // BesideRequest: the alternate; SameTime: what meets then; LinkedApart: what goes with it; else None
}

// RefusalWhy is one of the reasons.
type RefusalWhy string

// The reasons.
const (
	NotAsked      RefusalWhy = "not-asked"      // the course is neither requested nor an alternate
	NoSeat        RefusalWhy = "no-seat"        // the section is full
	SameTime      RefusalWhy = "same-time"      // something else that is given meets then
	BesideRequest RefusalWhy = "beside-request" // an alternate with no request left to come in for
	LinkedApart   RefusalWhy = "linked-apart"   // one of two linked courses without the other
)

func (r *Refusal) Error() string { return fmt.Sprintf("placement: %s (%d)", r.Why, r.Course) }

// ByHand gives a student a section of a course instead of what they have of it, or with None takes the course
// away; everything else stays. Given, which is a valid placement, is changed where that leaves it one. The
// error is a *Refusal.
func (p *Problem) ByHand(given []Given, student, course, section int32) error {
	s := &p.Students[student]
	g := Given{slices.Clone(given[student].Requests), slices.Clone(given[student].Alternates)}
	request := slices.IndexFunc(s.Requests, func(r Request) bool { return r.Course == course })
	stand := slices.IndexFunc(s.Alternates, func(a Alternate) bool { return a.Course == course })
	var place *int32
	switch {
	case request >= 0:
		place = &g.Requests[request]
	case stand >= 0:
		place = &g.Alternates[stand]
	default:
		return &Refusal{NotAsked, None}
	}
	if section != None {
		if *place != section && p.Occupancy(given)[section] >= p.Sections[section].Seats {
			return &Refusal{NoSeat, None}
		}
		if other := p.AtThatTime(&given[student], section); other != None {
			return &Refusal{SameTime, other}
		}
	}
	*place = section
	unplaced, alternates := 0, 0
	for _, x := range g.Requests {
		if x == None {
			unplaced++
		}
	}
	for k, x := range g.Alternates {
		if x == None {
			continue
		}
		alternates++
		if f := s.Alternates[k].StandsFor; alternates > unplaced || f != None && g.Requests[f] != None {
			return &Refusal{BesideRequest, s.Alternates[k].Course}
		}
	}
	for _, group := range s.Together {
		for _, k := range group {
			if (g.Requests[k] == None) == (g.Requests[group[0]] == None) {
				continue
			}
			if int(k) == request {
				k = group[0]
			}
			return &Refusal{LinkedApart, s.Requests[k].Course}
		}
	}
	if err := p.checkStudent(s, &g, make([]int, len(p.Sections))); err != nil {
		return &Refusal{SameTime, None} // the student is busy then
	}
	given[student] = g
	return nil
}

// AtThatTime returns a course of which a student has a section at the same time as a section of another one;
// None: there is none.
func (p *Problem) AtThatTime(g *Given, section int32) int32 {
	for _, list := range [][]int32{g.Requests, g.Alternates} {
		for _, other := range list {
			if other != None && p.Sections[other].Course != p.Sections[section].Course &&
				len(common(p.Sections[other].Cells, p.Sections[section].Cells)) > 0 {
				return p.Sections[other].Course
			}
		}
	}
	return None
}

// Place is a student in a section.
type Place struct{ Student, Section int32 }

// Overfull lists who has to leave sections that have more students than seats: those who come last where
// seats are scarce, but first those whose seat is not kept.
func (p *Problem) Overfull(given []Given, draw []int32, kept func(Place) bool) (list []Place) {
	over := p.Occupancy(given)
	for i := range over {
		over[i] -= p.Sections[i].Seats
	}
	order := p.Order(draw)
	for _, alsoKept := range []bool{false, true} {
		for _, student := range slices.Backward(order) {
			for _, section := range slices.Concat(given[student].Requests, given[student].Alternates) {
				if section == None || over[section] <= 0 || kept(Place{student, section}) != alsoKept {
					continue
				}
				over[section]--
				list = append(list, Place{student, section})
			}
		}
	}
	return list
}
