// Package graduation assigns credits to requirements exactly. Each credit counts in at most one requirement,
// a course's credits may be split, and the answer is the one with the greatest sum and, among those, with the
// lexicographically greatest totals in the order listed.
//
// The achievable totals form a polymatroid, so filling the requirements in order, each as far as possible
// without lowering an earlier one, gives exactly that answer (Edmonds 1970, "Submodular functions, matroids,
// and certain polyhedra"). "As far as possible" is a maximum flow by shortest augmenting paths (Edmonds and
// Karp 1972).
//
//	var a graduation.Assignment
//	a.Begin([]credit.Amount{400, 100})
//	a.Add(0b11, 100) // one credit that either requirement takes
//	a.Settle()
//	a.Totals() // [100 0]
package graduation

import (
	"math/bits"

	"rubricon/core/credit"
)

// MaxEntries is the most requirements one list may have.
const MaxEntries = 64

// Assignment is a flow from classes of credits to requirements. It can grow stage by stage: Add, Settle, Add, Settle; a
// requirement's total never falls. The zero value is ready for Begin.
type Assignment struct {
	state
	saved state

	queue []int
	via   []int8  // by class: the requirement its credits would go to, or -1
	from  []int16 // by requirement: the class whose credits would leave it, or -1
}

type state struct {
	needs  []credit.Amount
	totals []credit.Amount
	masks  []uint64        // by class: the requirements that take it
	rest   []credit.Amount // by class: not yet assigned
	flow   []credit.Amount // class by class, a row of len(needs)
}

func (s *state) copyFrom(t *state) {
	s.needs = append(s.needs[:0], t.needs...)
	s.totals = append(s.totals[:0], t.totals...)
	s.masks = append(s.masks[:0], t.masks...)
	s.rest = append(s.rest[:0], t.rest...)
	s.flow = append(s.flow[:0], t.flow...)
}

// Begin starts again with what each requirement needs; at most MaxEntries of them.
func (a *Assignment) Begin(needs []credit.Amount) {
	a.needs = append(a.needs[:0], needs...)
	a.totals = append(a.totals[:0], make([]credit.Amount, len(needs))...)
	a.masks, a.rest, a.flow = a.masks[:0], a.rest[:0], a.flow[:0]
}

// Add brings in credits that any one of the requirements in the mask may take (bit i: the i-th requirement).
func (a *Assignment) Add(mask uint64, credits credit.Amount) {
	if mask == 0 || credits <= 0 {
		return
	}
	for k, m := range a.masks {
		if m == mask {
			a.rest[k] += credits
			return
		}
	}
	a.masks = append(a.masks, mask)
	a.rest = append(a.rest, credits)
	for range a.needs {
		a.flow = append(a.flow, 0)
	}
}

// Settle assigns what was added.
func (a *Assignment) Settle() {
	for e := range a.needs {
		for a.totals[e] < a.needs[e] && a.augment(e) {
		}
	}
}

// augment brings more credits to requirement e along a shortest path, and reports whether it could.
func (a *Assignment) augment(e int) bool {
	n := len(a.needs)
	a.via, a.from = a.via[:0], a.from[:0]
	for range a.masks {
		a.via = append(a.via, -1)
	}
	for range a.needs {
		a.from = append(a.from, -1)
	}
	a.queue = append(a.queue[:0], e)
	var seen = uint64(1) << e
	for head := 0; head < len(a.queue); head++ {
		f := a.queue[head]
		for k, mask := range a.masks {
			if mask>>f&1 == 0 || a.via[k] >= 0 {
				continue
			}
			a.via[k] = int8(f)
			if a.rest[k] > 0 {
				a.push(k, e)
				return true
			}
			for rest := mask &^ seen; rest != 0; rest &= rest - 1 {
				g := bits.TrailingZeros64(rest)
				if a.flow[k*n+g] > 0 {
					seen |= 1 << g
					a.from[g] = int16(k)
					a.queue = append(a.queue, g)
				}
			}
		}
	}
	return false
}

func (a *Assignment) push(start, e int) {
	n := len(a.needs)
	amount := min(a.rest[start], a.needs[e]-a.totals[e])
	for k := start; int(a.via[k]) != e; {
		f := int(a.via[k])
		k = int(a.from[f])
		amount = min(amount, a.flow[k*n+f])
	}
	a.rest[start] -= amount
	k := start
	for {
		f := int(a.via[k])
		a.flow[k*n+f] += amount
		if f == e {
			break
		}
		k = int(a.from[f])
		a.flow[k*n+f] -= amount
	}
	a.totals[e] += amount
}

// Totals are the credits assigned to each requirement so far. The slice is valid until the next call.
func (a *Assignment) Totals() []credit.Amount { return a.totals }

// Save remembers the present state, Restore returns to it.
func (a *Assignment) Save() { a.saved.copyFrom(&a.state) }

// Restore returns to the state last saved.
func (a *Assignment) Restore() { a.state.copyFrom(&a.saved) }
