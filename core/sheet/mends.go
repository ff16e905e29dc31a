package sheet

import (
	"sort"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// breaks counts the block rules that hold now and would not any more.
func (e *Effect) breaks(y *catalog.Year) (n int) {
	for _, change := range e.Rules {
		if change.Held && !change.Holds && y.Rules[change.Rule].Stance == policy.Block {
			n++
		}
	}
	return n
}

// Weight reports how useful an addition is, for putting courses in order, the most useful first: what completes
// rules, then what fits, then what could be submitted; what would break a rule comes later. Of courses that
// are alike, as the levels of one mostly are, the one that is recommended comes first, then the one that is
// usual in the grade.
func (e *Effect) Weight(y *catalog.Year) (weight int) {
	for _, change := range e.Rules {
		if !change.Held && change.Holds {
			weight += 20
		}
	}
	if e.Fits {
		weight += 10
	}
	if e.Admissible {
		weight += 5
	}
	if e.breaks(y) > 0 {
		weight -= 15
	}
	if e.Recommended {
		weight += 2
	}
	if e.Usual {
		weight++
	}
	return weight
}

// Room counts for each term the courses that could be submitted, fit there and break no rule.
func Room(y *catalog.Year, effects []Effect) []int {
	room := make([]int, len(y.Terms))
	for i := range effects {
		e := &effects[i]
		if e.Refused != nil || !e.Admissible || !e.Fits || e.breaks(y) > 0 {
			continue
		}
		for t := range room {
			room[t] += int(e.Span >> t & 1)
		}
	}
	return room
}

// Mends lists the courses whose addition would mend a rule that does not hold, best first: those that mend it
// fully and fit come before those that do so in part. Only courses that could be submitted are listed.
func Mends(y *catalog.Year, effects []Effect, rule int) []int32 {
	type candidate struct {
		course int32
		order  [3]credit.Amount
	}
	var list []candidate
	count := &y.Rules[rule].Count
	for i := range effects {
		e := &effects[i]
		if !e.Admissible || e.Refused != nil {
			continue
		}
		for _, change := range e.Rules {
			if change.Rule != rule || change.Held {
				continue
			}
			fit := credit.Amount(0)
			if !e.Fits {
				fit = 1
			}
			list = append(list, candidate{e.Course, [3]credit.Amount{fit, distance(count, change.After), credit.Amount(e.breaks(y))}})
		}
	}
	sort.SliceStable(list, func(i, j int) bool {
		for k := range list[i].order {
			if list[i].order[k] != list[j].order[k] {
				return list[i].order[k] < list[j].order[k]
			}
		}
		return false
	})
	courses := make([]int32, len(list))
	for i, c := range list {
		courses[i] = c.course
	}
	return courses
}
