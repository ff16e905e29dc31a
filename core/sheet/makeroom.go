package sheet

import (
	"cmp"
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// maxRoomPairs bounds how many pairs of requests are tried for room.
const maxRoomPairs = 120

// removal is requests whose removal makes room for a course, with what that costs.
type removal struct {
	courses     []int32
	recommended int           // how many of them someone recommends
	load        credit.Amount // of all of them, over all terms
	rank        int           // the greater, the less they are wanted
}

// roomLike is all of a course that bears on which requests make room for it.
type roomLike struct {
	spans [4]catalog.TermSet
	load  credit.Amount
}

// room is what makes room for a course, each list with the least harmful first. Pairs are looked for when no
// single request would do.
type room struct {
	singles []removal // one request and those that are linked with it
	fitting []removal // those of them whose removal makes the rest fit
	pairs   []removal // two of the singles whose removal makes the rest fit
	paired  bool      // pairs is known
}

// makeRoom returns the requests whose removal makes an addition that does not fit fit: one request, or two
// where no one does, each with those that are linked with it. What the school has assigned stays; what is
// recommended stays while another would do; then the least load goes, then what is ranked last. No block rule
// is broken by it that was not broken before. Nil: nothing of that makes room.
//
// It is called last for an addition: it lays other sheets on the desk.
func (e *effector) makeRoom(course int32) []int32 {
	trial := slices.Clone(e.trial)
	room := e.room(course, trial)
	if found := e.least(course, trial, room.fitting); found != nil {
		return found
	}
	if !room.paired {
		room.pairs, room.paired = e.pairs(trial, room.singles), true
	}
	return e.least(course, trial, room.pairs)
}

// least returns the first of the removals that keeps what is linked with the course and breaks no block rule.
func (e *effector) least(course int32, trial []int32, removals []removal) []int32 {
	for _, r := range removals {
		if slices.ContainsFunc(e.Year.Courses[course].Links, func(link int32) bool { return slices.Contains(r.courses, link) }) {
			continue // it would go with them
		}
		if !e.breaks(without(trial, r.courses)) {
			return r.courses
		}
	}
	return nil
}

// room lists the single requests that make room for an addition. Many courses are alike in this.
func (e *effector) room(course int32, trial []int32) *room {
	c := &e.Year.Courses[course]
	like := roomLike{load: c.Load}
	alike := e.plain && len(c.Sorted) <= len(like.spans)
	copy(like.spans[:], c.Sorted)
	if known, ok := e.roomFor[like]; ok && alike {
		return known
	}
	found := &room{singles: e.singles(course, trial)}
	found.fitting = e.fitting(trial, found.singles)
	if alike {
		e.roomFor[like] = found
	}
	return found
}

// singles lists the requests that may go for an addition, each with those that are linked with it.
func (e *effector) singles(course int32, trial []int32) []removal {
	among := e.base
	if !e.plain {
		among = trial
	}
	var singles []removal
	for i, r := range e.base {
		if index(trial, r) < 0 {
			continue
		}
		gone := removal{rank: i}
		fixed := false
		for _, x := range e.leaving(among, r) {
			assigned, _ := e.Assigned(x)
			fixed = fixed || assigned || x == course || index(e.base, x) < 0
			e.addTo(&gone, x)
		}
		if !fixed {
			singles = append(singles, gone)
		}
	}
	return singles
}

// pairs lists any two of the singles that make room together; none where they are more than can be tried.
func (e *effector) pairs(trial []int32, singles []removal) []removal {
	if len(singles)*(len(singles)-1)/2 > maxRoomPairs {
		return nil
	}
	var pairs []removal
	for i, a := range singles {
		for _, b := range singles[i+1:] {
			if slices.Contains(a.courses, b.courses[0]) || slices.Contains(b.courses, a.courses[0]) {
				continue // one goes with the other anyway
			}
			both := removal{courses: slices.Clone(a.courses), recommended: a.recommended, load: a.load, rank: a.rank + b.rank}
			for _, x := range b.courses {
				if !slices.Contains(both.courses, x) {
					e.addTo(&both, x)
				}
			}
			pairs = append(pairs, both)
		}
	}
	return e.fitting(trial, pairs)
}

// addTo adds a course to what is removed.
func (e *effector) addTo(r *removal, course int32) {
	c := &e.Year.Courses[course]
	r.courses = append(r.courses, course)
	r.load += c.Load * credit.Amount(c.Sorted[0].Len())
	if e.Recommended(course) {
		r.recommended++
	}
}

// fitting returns those of some removals that make the rest fit, the least harmful first.
func (e *effector) fitting(trial []int32, removals []removal) []removal {
	var out []removal
	for _, r := range removals {
		if e.spare.pack(without(trial, r.courses)) == nil && e.spare.over == 0 {
			out = append(out, r)
		}
	}
	slices.SortStableFunc(out, func(a, b removal) int {
		return cmp.Or(cmp.Compare(a.recommended, b.recommended), cmp.Compare(len(a.courses), len(b.courses)),
			cmp.Compare(a.load, b.load), cmp.Compare(b.rank, a.rank))
	})
	return out
}

// without returns some courses without some others.
func without(courses, gone []int32) []int32 {
	return slices.DeleteFunc(slices.Clone(courses), func(c int32) bool { return slices.Contains(gone, c) })
}

// breaks reports whether a block rule that holds on the sheet, or is not in force there, fails on other requests.
func (e *effector) breaks(requests []int32) bool {
	if e.lay(requests, e.rest) != nil {
		return true
	}
	for i := range e.Year.Rules {
		if e.Year.Rules[i].Stance != policy.Block || e.before[i].Rule >= 0 && !e.before[i].Held || !e.inForce(i) {
			continue
		}
		if _, holds := e.rule(i); !holds {
			return true
		}
	}
	return false
}
