package placement

import (
	"slices"
	"strings"
)

// Kept is a seat that a student keeps, whatever else is placed.
type Kept struct {
	Student int32
	Section int32
	For     int32 // of an alternate: the course of the request that it came in for; None: the seat is of a request
}

// Denied is a course that a student is not given, whatever else is placed.
type Denied struct {
	Student int32
	Course  int32
}

// Held is a problem in which some seats are kept: what is left to place.
type Held struct {
	Problem *Problem
	Value   int64 // what is kept is worth
	// that cannot be kept: the seat or the wish is gone, something else kept meets at the same time, or a linked
	// course is not kept with it
	Unkept []Kept

	whole  *Problem
	given  []Given    // what is kept
	places [][2][]int // by student: the places in the whole of the requests and of the alternates that are left
}

// Deny makes of a problem the one in which students are not given some courses; everything else stays in its place.
func (p *Problem) Deny(denied []Denied) *Problem {
	out := *p
	out.Courses, out.Students = slices.Clone(p.Courses), slices.Clone(p.Students)
	nowhere := func(n int) int32 { // courses without a section
		for len(out.Courses) <= len(p.Courses)+n {
			out.Courses = append(out.Courses, strings.Repeat("\U0010FFFF", len(out.Courses)+1))
		}
		return int32(len(p.Courses) + n)
	}
	for _, d := range denied {
		s := &out.Students[d.Student]
		s.Requests, s.Alternates = slices.Clone(s.Requests), slices.Clone(s.Alternates)
		for k := range s.Requests {
			if s.Requests[k].Course == d.Course {
				s.Requests[k].Course = nowhere(k)
			}
		}
		for k := range s.Alternates {
			if s.Alternates[k].Course == d.Course {
				s.Alternates[k].Course = nowhere(len(s.Requests) + k)
			}
		}
	}
	return &out
}

// Hold makes of a problem the one of placing the rest: students keep seats, whose cells they are busy in and
// which no one else has. A kept seat settles its request, and one that came in as an alternate the request
// that it came in for.
func (p *Problem) Hold(kept []Kept) *Held {
	h := &Held{whole: p, Problem: &Problem{Courses: p.Courses, Sections: slices.Clone(p.Sections),
		Students: slices.Clone(p.Students)}, given: make([]Given, len(p.Students)), places: make([][2][]int, len(p.Students))}
	byStudent := map[int32][]Kept{}
	for _, k := range kept {
		byStudent[k.Student] = append(byStudent[k.Student], k)
	}
	var apart []Denied // what is linked with a request that something kept came in for
	for i := range p.Students {
		s := &p.Students[i]
		h.given[i] = Given{slices.Repeat([]int32{None}, len(s.Requests)), slices.Repeat([]int32{None}, len(s.Alternates))}
		if len(byStudent[int32(i)]) > 0 {
			apart = append(apart, h.student(int32(i), byStudent[int32(i)])...)
			continue
		}
		for k := range s.Requests {
			h.places[i][0] = append(h.places[i][0], k)
		}
		for k := range s.Alternates {
			h.places[i][1] = append(h.places[i][1], k)
		}
	}
	h.Problem = h.Problem.Deny(apart)
	for i := range h.given {
		h.Value += p.Students[i].Value(&h.given[i])
	}
	return h
}

// student keeps what a student keeps; apart are courses that cannot be given to them then.
func (h *Held) student(i int32, kept []Kept) (apart []Denied) {
	p := h.whole
	s := &p.Students[i]
	g := &h.given[i]
	busy := slices.Clone(s.Busy)
	settled := make([]bool, len(s.Requests)) // kept, or stood for by something kept
	request := func(course int32) int {
		return slices.IndexFunc(s.Requests, func(r Request) bool { return r.Course == course })
	}
	keep := func(k Kept) bool {
		if k.Section < 0 || int(k.Section) >= len(p.Sections) || h.Problem.Sections[k.Section].Seats == 0 {
			return false
		}
		x := &p.Sections[k.Section]
		at := request(x.Course)
		var place *int32
		if k.For == None && at >= 0 {
			place = &g.Requests[at]
		} else if stand := slices.IndexFunc(s.Alternates, func(a Alternate) bool { return a.Course == x.Course }); k.For != None && stand >= 0 {
			at, place = request(k.For), &g.Alternates[stand]
			if f := s.Alternates[stand].StandsFor; f != None && int(f) != at {
				return false
			}
		}
		if place == nil || *place != None || at < 0 || settled[at] || len(common(x.Cells, busy)) > 0 {
			return false
		}
		*place, settled[at] = k.Section, true
		busy = append(busy, x.Cells...)
		slices.Sort(busy)
		h.Problem.Sections[k.Section].Seats--
		return true
	}
	for _, k := range kept {
		if !keep(k) {
			h.Unkept = append(h.Unkept, k)
		}
	}
	// Linked requests are given together or not at all: one that is kept without the others is not kept, and
	// where an alternate is kept in the place of one, none is given.
	for _, group := range s.Together {
		n, instead := 0, false
		for _, k := range group {
			if g.Requests[k] != None {
				n++
			}
			instead = instead || settled[k] && g.Requests[k] == None
		}
		if instead {
			for _, k := range group {
				apart = append(apart, Denied{i, s.Requests[k].Course})
			}
		}
		if n == 0 || n == len(group) {
			continue
		}
		for _, k := range group {
			if section := g.Requests[k]; section != None {
				h.Unkept = append(h.Unkept, Kept{i, section, None})
				h.Problem.Sections[section].Seats++
				g.Requests[k], settled[k] = None, false
				cells := p.Sections[section].Cells
				busy = slices.DeleteFunc(busy, func(c int32) bool { return slices.Contains(cells, c) })
			}
		}
	}
	left := Student{ID: s.ID, Senior: s.Senior, Busy: slices.Compact(busy)}
	at := make([]int32, len(s.Requests))
	for k, r := range s.Requests {
		if at[k] = None; settled[k] {
			continue
		}
		at[k] = int32(len(left.Requests))
		left.Requests = append(left.Requests, r)
		h.places[i][0] = append(h.places[i][0], k)
	}
	for k, a := range s.Alternates {
		if g.Alternates[k] != None || a.StandsFor != None && g.Requests[a.StandsFor] != None {
			continue
		}
		if a.StandsFor != None { // where another has come in for that request already, it may for any other
			a.StandsFor = at[a.StandsFor]
		}
		left.Alternates = append(left.Alternates, a)
		h.places[i][1] = append(h.places[i][1], k)
	}
	for _, group := range s.Together {
		var those []int32
		for _, k := range group {
			if at[k] != None {
				those = append(those, at[k])
			}
		}
		if len(those) > 1 {
			left.Together = append(left.Together, those)
		}
	}
	h.Problem.Students[i] = left
	return apart
}

// Rest is the part of what is given to everybody that is not kept.
func (h *Held) Rest(given []Given) []Given {
	out := make([]Given, len(given))
	for i := range given {
		g := Given{[]int32{}, []int32{}}
		for _, at := range h.places[i][0] {
			g.Requests = append(g.Requests, given[i].Requests[at])
		}
		for _, at := range h.places[i][1] {
			g.Alternates = append(g.Alternates, given[i].Alternates[at])
		}
		out[i] = g
	}
	return out
}

// Whole adds what is kept to what was placed of the rest; value and bound are of the whole.
func (h *Held) Whole(found *Placement) *Placement {
	out := *found
	out.Value, out.Bound = found.Value+h.Value, found.Bound+h.Value
	out.Given = make([]Given, len(h.given))
	for i := range h.given {
		g := Given{slices.Clone(h.given[i].Requests), slices.Clone(h.given[i].Alternates)}
		for k, at := range h.places[i][0] {
			g.Requests[at] = found.Given[i].Requests[k]
		}
		for k, at := range h.places[i][1] {
			g.Alternates[at] = found.Given[i].Alternates[k]
		}
		out.Given[i] = g
	}
	return &out
}
