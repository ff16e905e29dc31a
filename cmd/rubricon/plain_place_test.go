package main

import (
	"fmt"
	"slices"
	"strconv"

	"rubricon/core/placement"
)

// plainSection is a section of the master schedule. Its cells are “term period day”.
type plainSection struct {
	code  string
	cells map[string]bool
	seats int
}

func (p *plain) sections() map[string]plainSection {
	out := map[string]plainSection{}
	for _, r := range p.tables["classes.csv"] {
		s := plainSection{code: p.codeOf[r["courseSourcedId"]], cells: map[string]bool{}}
		if p.summer(s.code) {
			continue
		}
		s.seats, _ = strconv.Atoi(r["metadata.seats"])
		days := split(r["metadata.days"])
		for day := 1; len(split(r["metadata.days"])) == 0 && day <= p.policy.Days; day++ {
			days = append(days, strconv.Itoa(day))
		}
		for _, id := range split(r["termSourcedIds"]) {
			for _, term := range p.termID[id] {
				for _, period := range split(r["periods"]) {
					for _, day := range days {
						s.cells[fmt.Sprint(term, period, day)] = true
					}
				}
			}
		}
		out[r["sourcedId"]] = s
	}
	return out
}

func clash(a, b plainSection) bool {
	for cell := range a.cells {
		if b.cells[cell] {
			return true
		}
	}
	return false
}

// wisher is a student with what each wish is worth. Group names the first of the requests that a request is linked with.
type wisher struct {
	*holder
	all       map[string]plainSection
	standsFor map[string]string
	value     map[string]int
	group     map[string]string
}

func (p *plain) wisher(u row) *wisher {
	requests, ranks, _ := p.sheet(u["sourcedId"], "request")
	alternates, low, standsFor := p.sheet(u["sourcedId"], "alternate")
	w := &wisher{holder: p.holder(u, requests, alternates), all: p.sections(), standsFor: map[string]string{}, value: map[string]int{}, group: map[string]string{}}
	for _, code := range requests {
		w.group[code] = code
	}
	for range requests { // long enough for any chain
		for _, code := range requests {
			for _, other := range split(p.course[code]["metadata.links"]) {
				if slices.Contains(requests, other) {
					low := min(w.group[code], w.group[other])
					w.group[code], w.group[other] = low, low
				}
			}
		}
	}
	for i, code := range requests {
		w.value[code] = 60 - min(ranks[i], 20)
		if p.signal(w.student, "assignment", code) != nil {
			w.value[code] = 100
		}
	}
	for i, code := range alternates {
		w.value[code], w.standsFor[code] = 30-min(low[i], 20), standsFor[i]
	}
	for i := range p.policy.Rules {
		r := &p.policy.Rules[i]
		if r.Stance != "" && r.Stance != "block" || r.On != "" && r.On != "requests" || r.Min == nil || *r.Min <= 0 || r.Term != "" || !w.inForce(r) {
			continue
		}
		groups, selected := map[string]bool{}, []string{}
		for _, code := range requests {
			if p.selectsCourse(r.Of, code) {
				selected, groups[w.group[code]] = append(selected, code), true
			}
		}
		for _, code := range selected {
			if len(groups) == 1 {
				w.value[code] = 100
			}
		}
	}
	return w
}

func (w *wisher) worth(given map[string]string) (sum int) {
	for code := range given {
		sum += w.value[code]
	}
	return sum
}

// missing lists the requests that are not given.
func (w *wisher) missing(given map[string]string) (list []string) {
	for _, code := range w.requests {
		if given[code] == "" {
			list = append(list, code)
		}
	}
	return list
}

// invalid reports which rule of a valid placement is broken, seats apart.
func (w *wisher) invalid(given map[string]string) string {
	missing, alternates := w.missing(given), 0
	for code, id := range given {
		if w.value[code] == 0 {
			return code + ", which is not wished for"
		}
		if !slices.Contains(w.requests, code) {
			if alternates++; slices.Contains(w.requests, w.standsFor[code]) && given[w.standsFor[code]] != "" {
				return code + " beside what it stands for"
			}
		}
		for other, with := range given {
			if other != code && clash(w.all[id], w.all[with]) {
				return code + " at the time of " + other
			}
		}
	}
	for _, a := range w.requests {
		for _, b := range w.requests {
			if w.group[a] == w.group[b] && (given[a] == "") != (given[b] == "") {
				return a + " without " + b
			}
		}
	}
	if alternates > len(missing) {
		return "too many alternates"
	}
	return ""
}

// tell adds the student to the report.
func (w *wisher) tell(report *placementReport, given map[string]string, taken map[string]int) {
	missing := w.missing(given)
	var alternates []string
	for _, code := range w.alternates {
		if given[code] != "" {
			alternates = append(alternates, code)
		}
	}
	report.Requests += len(w.requests)
	report.PlacedRequests += len(w.requests) - len(missing)
	report.PlacedAlternates += len(alternates)
	if len(w.requests) > 0 {
		report.Students++
		if len(alternates) >= len(missing) {
			report.Complete++
		}
	}
	instead := map[string]string{}
	for _, general := range []bool{false, true} {
		for _, code := range missing {
			for i, a := range alternates {
				if instead[code] == "" && (general || w.standsFor[a] == code) {
					instead[code], alternates = a, slices.Delete(slices.Clone(alternates), i, i+1)
					break
				}
			}
		}
	}
	for _, code := range missing {
		line := unplacedLine{Student: w.student, Course: code, Why: placement.NoSection}
		if a := instead[code]; a != "" {
			line.InsteadOf = &a
		}
		for id, s := range w.all {
			fits := s.code == code
			for _, other := range given {
				fits = fits && !clash(s, w.all[other])
			}
			switch {
			case s.code != code || line.Why == placement.Link:
			case fits && taken[id] < s.seats:
				line.Why = placement.Link
			case fits:
				line.Why = placement.Full
			case line.Why == placement.NoSection:
				line.Why = placement.Clash
			}
		}
		report.Unplaced = append(report.Unplaced, line)
	}
}

// ways lists all that a student could be given, seats apart, the worthiest first.
func (w *wisher) ways() (list []map[string]string) {
	wishes := append(slices.Clone(w.requests), w.alternates...)
	given := map[string]string{}
	var try func(k int)
	try = func(k int) {
		if k == len(wishes) {
			if w.invalid(given) == "" {
				way := map[string]string{}
				for code, id := range given {
					way[code] = id
				}
				list = append(list, way)
			}
			return
		}
		try(k + 1)
		for id, s := range w.all {
			if s.code == wishes[k] {
				given[wishes[k]] = id
				try(k + 1)
				delete(given, wishes[k])
			}
		}
	}
	try(0)
	slices.SortFunc(list, func(a, b map[string]string) int { return w.worth(b) - w.worth(a) })
	return list
}

// best is the value of the best placement, by trying all; what cannot beat the best found is passed over.
func (p *plain) best() (best int) {
	var wishers []*wisher
	var ways [][]map[string]string
	for _, u := range p.tables["users.csv"] {
		w := p.wisher(u)
		wishers, ways = append(wishers, w), append(ways, w.ways())
	}
	rest := make([]int, len(ways)+1)
	for i := len(ways) - 1; i >= 0; i-- {
		rest[i] = rest[i+1] + wishers[i].worth(ways[i][0])
	}
	left := map[string]int{}
	for id, s := range p.sections() {
		left[id] = s.seats
	}
	var try func(i, sum int)
	try = func(i, sum int) {
		if i == len(ways) {
			best = max(best, sum)
			return
		}
		for _, way := range ways[i] {
			if sum+wishers[i].worth(way)+rest[i+1] <= best && best > 0 {
				return
			}
			free := true
			for _, id := range way {
				left[id]--
				free = free && left[id] >= 0
			}
			if free {
				try(i+1, sum+wishers[i].worth(way))
			}
			for _, id := range way {
				left[id]++
			}
		}
	}
	try(0, 0)
	return best
}
