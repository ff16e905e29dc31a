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
	recommended int           // how many of them somebody recommends
	load        credit.Amount // of all of them, over all terms
	rank        int           // the greater, the less they are wanted
}

// roomLike is all of a course that bears on which requests make room for it.
type roomLike struct {
	spans [4]catalog.TermSet
	load  credit.Amount
}

// makeRoom returns the requests whose removal makes an addition that does not fit fit: one request, or two where no one does, each with those that are
// linked with it. What the school has assigned stays; what is recommended stays while another would do; then the least load goes, then what is ranked
// last. No block rule is broken by it that was not broken before. Nil: nothing of that makes room.
//
// It is called last for an addition: it lays other sheets on the desk.
func (e *effector) makeRoom(course int32) []int32 {
	trial := slices.Clone(e.trial)
	for _, r := range e.removals(course, trial) {
		if slices.ContainsFunc(e.Year.Courses[course].Links, func(link int32) bool { return slices.Contains(r.courses, link) }) {
			continue // it would go with them
		}
		left := slices.DeleteFunc(slices.Clone(trial), func(c int32) bool { return slices.Contains(r.courses, c) })
		if !e.breaks(left) {
			return r.courses
		}
	}
	return nil
}

// removals lists what makes room for an addition, the least harmful first. Many courses are alike in this.
func (e *effector) removals(course int32, trial []int32) []removal {
	c := &e.Year.Courses[course]
	like := roomLike{load: c.Load}
	alike := e.plain && len(c.Sorted) <= len(like.spans)
	copy(like.spans[:], c.Sorted)
	if alike {
		if known, ok := e.roomFor[like]; ok {
			return known
		}
	}
	among := e.base
	if !e.plain {
		among = trial
	}
	var singles []removal
	for i, r := range e.base {
		if index(trial, r) < 0 {
			continue
		}
		gone := removal{courses: e.leaving(among, r), rank: i}
		fixed := slices.Contains(gone.courses, course)
		for _, x := range gone.courses {
			assigned, _ := e.Assigned(x)
			fixed = fixed || assigned || index(e.base, x) < 0
			if e.Recommended(x) {
				gone.recommended++
			}
			gone.load += e.Year.Courses[x].Load * credit.Amount(e.Year.Courses[x].Sorted[0].Len())
		}
		if !fixed {
			singles = append(singles, gone)
		}
	}
	var out []removal
	try := func(r removal) {
		left := slices.DeleteFunc(slices.Clone(trial), func(c int32) bool { return slices.Contains(r.courses, c) })
		if e.spare.pack(left) == nil && e.spare.over == 0 {
			out = append(out, r)
		}
	}
	for _, r := range singles {
		try(r)
	}
	if len(out) == 0 && len(singles)*(len(singles)-1)/2 <= maxRoomPairs {
		for i := range singles {
			for _, b := range singles[i+1:] {
				a := singles[i]
				if slices.Contains(a.courses, b.courses[0]) || slices.Contains(b.courses, a.courses[0]) {
					continue
				}
				both := removal{courses: slices.Clone(a.courses), recommended: a.recommended, load: a.load, rank: a.rank + b.rank}
				for _, x := range b.courses {
					if !slices.Contains(both.courses, x) {
						both.courses = append(both.courses, x)
						both.load += e.Year.Courses[x].Load * credit.Amount(e.Year.Courses[x].Sorted[0].Len())
						if e.Recommended(x) {
							both.recommended++
						}
					}
				}
				try(both)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b removal) int {
		return cmp.Or(cmp.Compare(a.recommended, b.recommended), cmp.Compare(len(a.courses), len(b.courses)), cmp.Compare(a.load, b.load), cmp.Compare(b.rank, a.rank))
	})
	if alike {
		e.roomFor[like] = out
	}
	return out
}

// breaks tells whether a block rule that holds on the sheet, or is not in force there, fails on other requests.
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
