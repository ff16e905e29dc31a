package main

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"time"
)

// The plain reading of what a bundle may have beside requests for the year: plans, errands, sections chosen, dates.

// plainPlan is a plan with the grade that is being judged.
type plainPlan struct{ grade int }

// plans lists the planned courses by grade.
func (h *holder) plans() []row {
	list := h.of("plans.csv", h.student)
	slices.SortStableFunc(list, func(a, b row) int { return cmp.Compare(hundredths(a["grade"], 0), hundredths(b["grade"], 0)) })
	return list
}

// planned reports whether a course is planned, not as an alternate, for a grade that is so.
func (h *holder) planned(code string, so func(grade int) bool) bool {
	return slices.ContainsFunc(h.plans(), func(r row) bool {
		return r["courseCode"] == code && r["kind"] != "alternate" && so(hundredths(r["grade"], 0)/100)
	})
}

func (h *holder) planLeaf(leaf []string, course string) int {
	grade := h.planning.grade
	if leaf[0] == "grade" {
		if 100*grade >= hundredths(leaf[1], 0) {
			return plainMet
		}
		return plainUnmet
	}
	if leaf[0] != "passed" && leaf[0] != "alongside" {
		return h.leaf(leaf, course)
	}
	bare := *h // without the sheet: what records and claims make of it
	bare.requests, bare.summers = nil, nil
	v := bare.leaf(leaf, course)
	for code := range h.course {
		if code != leaf[1] && !h.same(leaf[1], code) {
			continue
		}
		if leaf[0] == "alongside" && h.planned(code, func(g int) bool { return g == grade }) {
			return plainMet
		}
		if slices.Contains(h.wishes(), code) || h.planned(code, func(g int) bool { return g < grade }) {
			v = max(v, plainExpected)
		}
	}
	return v
}

// plan is what check prints of a student's plan.
func (h *holder) plan() []any {
	list := []any{}
	for _, r := range h.plans() {
		code, grade := r["courseCode"], hundredths(r["grade"], 0)/100
		h.planning = &plainPlan{grade}
		out := h.asked(code)
		h.planning = nil
		out["grade"] = float64(grade)
		out["barred"] = len(split(h.course[code]["grades"])) > 0 && !slices.Contains(split(h.course[code]["grades"]), fmt.Sprintf("%02d", grade))
		had := func(c string) bool {
			return h.plain.earned(h.student, c) || slices.Contains(h.requests, c) || h.planned(c, func(g int) bool { return g < grade })
		}
		repeat := had(code) && h.course[code]["metadata.repeatable"] != "true"
		for _, other := range h.excludes(code) {
			repeat = repeat || had(other) || h.planned(other, func(g int) bool { return g == grade })
		}
		out["repeat"] = repeat
		if r["kind"] == "alternate" {
			out["alternate"] = true
		}
		list = append(list, out)
	}
	return list
}

// beginBy finds the last grade in which a chain can begin; the ways are raised from the bottom round by round.
func (h *holder) beginBy(of any) any {
	const none = math.MaxInt32
	begun := func(code string) bool {
		return slices.ContainsFunc(h.of("records.csv", h.student), func(r row) bool {
			return (r["courseCode"] == code || h.same(code, r["courseCode"])) && (counts(r) || r["outcome"] == "inProgress")
		}) || slices.ContainsFunc(h.wishes(), func(c string) bool { return c == code || h.same(code, c) })
	}
	way := map[string]int{}
	to := func(code string) int {
		if _, ok := h.course[code]; !ok && !begun(code) {
			return none
		}
		return way[code]
	}
	var need func(c *plainCondition) int
	need = func(c *plainCondition) int {
		if c == nil {
			return 0
		}
		if c.leaf != nil {
			switch w := 0; c.leaf[0] {
			case "passed":
				return to(c.leaf[1])
			case "alongside":
				if w = to(c.leaf[1]); w < none {
					w = max(0, w-1)
				}
				return w
			}
			return 0
		}
		var all []int
		for _, part := range c.parts {
			all = append(all, need(part))
		}
		slices.Sort(all)
		return all[c.count-1] // the count-th highest verdict needs the count least
	}
	var open []string
	for code := range h.course {
		if !begun(code) {
			open = append(open, code)
		}
	}
	for again := true; again; {
		again = false
		for _, code := range open {
			w := 1 + need(h.entry[code])
			if w > 3*len(h.course) { // no chain is that long
				w = none
			}
			again, way[code] = again || w != way[code], w
		}
	}
	least := none
	last := 12
	if h.policy.LastGrade != nil {
		last = *h.policy.LastGrade
	}
	for code := range h.course {
		offered := false
		for grade := h.grade + 1; grade <= last; grade++ {
			grades := split(h.course[code]["grades"])
			offered = offered || len(grades) == 0 || slices.Contains(grades, fmt.Sprintf("%02d", grade))
		}
		if h.selectsCourse(of, code) && h.number(code, "metadata.credits") > 0 && !h.summer(code) && offered && way[code] >= 1 {
			least = min(least, way[code])
		}
	}
	if least == none {
		return nil
	}
	return float64(last - least + 1)
}

// errands is what check prints of them.
func (h *holder) errands() []any {
	type line struct {
		out map[string]any
		due string
		key int
	}
	var lines []line
	order := slices.Concat(h.requests, h.summers, h.alternates)
	for i, r := range h.tables["errands.csv"] {
		code := r["courseCode"]
		place := slices.Index(order, code)
		if place < 0 {
			continue
		}
		settled := h.settle[i] != nil && h.verdict(h.settle[i], code) == plainMet
		for _, s := range h.of("signals.csv", h.student) {
			settled = settled || s["kind"] == "errand" && s["courseCode"] == code && s["name"] == r["kind"]
		}
		out := map[string]any{"course": code, "kind": r["kind"], "settled": settled}
		if r["due"] != "" {
			out["due"] = r["due"]
		}
		for _, next := range split(r["becomes"]) {
			if h.signal(h.student, "placement", next) != nil || h.signal(h.student, "permission", next) != nil {
				out["replacedBy"] = next
				break
			}
		}
		lines = append(lines, line{out, cmp.Or(r["due"], "~"), place})
	}
	slices.SortStableFunc(lines, func(a, b line) int { return cmp.Or(cmp.Compare(a.due, b.due), cmp.Compare(a.key, b.key)) })
	list := []any{}
	for _, l := range lines {
		list = append(list, l.out)
	}
	return list
}

// inForce reports whether a row of enrollments.csv is in force on a date, "" being none.
func enrolled(r row, date string) bool {
	switch begin, end := r["beginDate"], r["endDate"]; {
	case end != "" && end <= begin:
		return false
	case date == "":
		return end == ""
	default:
		return begin <= date && (end == "" || date < end)
	}
}

// sectionsOf is what the command sections prints.
func (p *plain) sectionsOf(u row, date string) map[string]any {
	requests, _, _ := p.sheet(u["sourcedId"], "request")
	alternates, _, _ := p.sheet(u["sourcedId"], "alternate")
	h := p.holder(u, requests, alternates)
	all := p.sections()
	seats := map[string]map[string]bool{}
	for id := range all {
		seats[id] = map[string]bool{}
	}
	for _, r := range p.tables["enrollments.csv"] {
		if _, ok := all[r["classSourcedId"]]; ok && r["role"] == "student" && enrolled(r, date) {
			seats[r["classSourcedId"]][r["userSourcedId"]] = true
		}
	}
	var order, own []string
	for _, r := range p.tables["classes.csv"] {
		id := r["sourcedId"]
		if _, ok := all[id]; !ok {
			continue
		}
		if order = append(order, id); seats[id][h.student] {
			own = append(own, id)
		}
	}
	open, openCells := []any{}, map[string]bool{}
	rules, complete := []any{}, true
	if fill := p.policy.Fill; fill != nil {
		for term := range p.terms {
			for period := 1; period <= p.policy.Periods; period++ {
				days := []any{}
				for day := 1; day <= p.policy.Days; day++ {
					cell := fmt.Sprint(term, strconv.Itoa(period), strconv.Itoa(day))
					filled := slices.ContainsFunc(own, func(id string) bool { return all[id].cells[cell] })
					if slices.Contains(fill.Periods, period) && !filled {
						days = append(days, float64(day))
						openCells[cell] = true
					}
				}
				if len(days) > 0 {
					open = append(open, map[string]any{"term": p.terms[term], "period": float64(period), "days": days})
				}
			}
		}
		complete = len(open) == 0
		measure := func(c *plainCount) (sum int) {
			if c.On != "" && c.On != "sections" {
				return h.measure(c)
			}
			for _, id := range own {
				switch {
				case c.Term != "" && !p.meetsIn(id, slices.Index(p.terms, c.Term)), !p.selectsSection(c.Of, id):
				case c.Measure == "credits":
					sum += p.number(all[id].code, "metadata.credits")
				default:
					sum += 100
				}
			}
			return sum
		}
		for i := range fill.Rules {
			r := &fill.Rules[i]
			bare := *r
			if bare.When = nil; !h.inForce(&bare) || r.When != nil && !r.When.within(measure(r.When)) {
				continue
			}
			n := measure(&r.plainCount)
			rule := map[string]any{"id": r.ID, "measured": float64(n) / 100, "holds": r.within(n)}
			if r.Min != nil {
				rule["min"] = *r.Min
			}
			if r.Max != nil {
				rule["max"] = *r.Max
			}
			rules = append(rules, rule)
			complete = complete && (r.within(n) || r.Stance != "" && r.Stance != "block")
		}
	}
	sections := []any{}
	for _, id := range order {
		if slices.Contains(own, id) {
			continue
		}
		code := all[id].code
		collides := []any{}
		for _, mine := range own {
			if all[mine].code == code || clash(all[mine], all[id]) {
				collides = append(collides, mine)
			}
		}
		fills := 0
		for cell := range openCells {
			if all[id].cells[cell] {
				fills++
			}
		}
		wish := h
		if !slices.Contains(requests, code) {
			wish = p.holder(u, append(slices.Clone(requests), code), slices.DeleteFunc(slices.Clone(alternates), func(c string) bool { return c == code }))
		}
		asked := wish.asked(code)
		left := all[id].seats - len(seats[id])
		sections = append(sections, map[string]any{"section": id, "course": code, "left": float64(left), "fits": len(collides) == 0 && left > 0, "clash": collides,
			"entry": asked["entry"], "barred": asked["barred"], "fills": float64(fills)})
	}
	return map[string]any{"student": h.student, "open": open, "rules": rules, "complete": complete, "sections": sections}
}

func (p *plain) class(id string) row {
	for _, r := range p.tables["classes.csv"] {
		if r["sourcedId"] == id {
			return r
		}
	}
	return nil
}

func (p *plain) meetsIn(id string, term int) bool {
	for _, t := range split(p.class(id)["termSourcedIds"]) {
		if slices.Contains(p.termID[t], term) {
			return true
		}
	}
	return false
}

// selectsSection reports whether a selection picks a section: as its course, or by a period in which it meets.
func (p *plain) selectsSection(of any, id string) bool {
	m, ok := of.(map[string]any)
	if !ok {
		return p.selectsCourse(of, p.sections()[id].code)
	}
	bare := map[string]any{}
	for key, value := range m {
		if key != "not" {
			bare[key] = value
		}
	}
	picked := p.selectsCourse(bare, p.sections()[id].code)
	periods, _ := m["periods"].([]any)
	for _, period := range periods {
		picked = picked || slices.Contains(split(p.class(id)["periods"]), strconv.Itoa(int(period.(float64))))
	}
	not, excepted := m["not"]
	return picked && !(excepted && p.selectsSection(not, id))
}

// wrongDates lists, as file:line, what the command attendance finds, looking at one day after the other.
func (p *plain) wrongDates() []string {
	var days []string
	for day := time.Date(2027, 8, 1, 0, 0, 0, 0, time.UTC); day.Year() < 2028; day = day.AddDate(0, 0, 1) {
		days = append(days, day.Format(time.DateOnly))
	}
	school := func(date string) bool {
		day, _ := time.Parse(time.DateOnly, date)
		return day.Weekday() != time.Saturday && day.Weekday() != time.Sunday && !slices.Contains(p.policy.Holidays, date)
	}
	term := func(id string, term int, date string) bool {
		r := p.termRow(term)
		return p.meetsIn(id, term) && r["startDate"] <= date && date <= r["endDate"]
	}
	span := func(id string) (first, last string) {
		for t := range p.terms {
			if p.meetsIn(id, t) {
				if first == "" {
					first = p.termRow(t)["startDate"]
				}
				last = max(last, p.termRow(t)["endDate"])
			}
		}
		return first, last
	}
	type stay struct {
		row
		line int
		id   string
		on   map[string]bool // days
	}
	found := map[string]bool{}
	stays := map[string][]stay{}
	for i, r := range p.tables["enrollments.csv"] {
		id := r["classSourcedId"]
		if r["role"] != "student" || p.summer(p.codeOf[p.class(id)["courseSourcedId"]]) {
			continue
		}
		for _, column := range []string{"beginDate", "endDate"} {
			for t := range p.terms {
				if term(id, t, r[column]) && !school(r[column]) {
					found[fmt.Sprintf("enrollments.csv:%d: %s", i+2, column)] = true
				}
			}
		}
		first, last := span(id)
		s := stay{row: r, line: i + 2, id: id, on: map[string]bool{}}
		for k, date := range days {
			if date >= cmp.Or(r["beginDate"], first) && (r["endDate"] != "" && date < r["endDate"] || r["endDate"] == "" && date <= last) {
				s.on[days[k]] = true
			}
		}
		if len(s.on) > 0 {
			stays[r["userSourcedId"]] = append(stays[r["userSourcedId"]], s)
		}
	}
	all := p.sections()
	for _, list := range stays {
		begins := func(s stay) string { return slices.MinFunc(keys(s.on), cmp.Compare[string]) }
		ends := func(s stay) string { return slices.MaxFunc(keys(s.on), cmp.Compare[string]) }
		for i, s := range list {
			for _, earlier := range list[:i] {
				for t := range p.terms {
					shares := false
					for cell := range all[s.id].cells {
						shares = shares || cell[:1] == strconv.Itoa(t) && all[earlier.id].cells[cell]
					}
					for _, date := range days {
						if shares && s.on[date] && earlier.on[date] && term(s.id, t, date) {
							found[fmt.Sprintf("enrollments.csv:%d: beginDate", s.line)] = true
						}
					}
				}
			}
			// The next one: that begins first of those that begin after it, or with it and come later.
			var next *stay
			for k := range list {
				o := &list[k]
				later := begins(*o) > begins(s) || begins(*o) == begins(s) && k > i
				if later && clash(all[s.id], all[o.id]) && (next == nil || begins(*o) < begins(*next)) {
					next = o
				}
			}
			if next != nil {
				for _, date := range days {
					if date > ends(s) && date < begins(*next) && school(date) {
						found[fmt.Sprintf("enrollments.csv:%d: beginDate", next.line)] = true
					}
				}
			}
		}
	}
	for i, r := range p.tables["attendance.csv"] {
		id := r["classSourcedId"]
		inside := p.summer(p.codeOf[p.class(id)["courseSourcedId"]])
		for _, s := range stays[r["student"]] {
			inside = inside || s.id == id && s.on[r["date"]]
		}
		if !inside {
			found[fmt.Sprintf("attendance.csv:%d: date", i+2)] = true
		}
	}
	list := keys(found)
	slices.Sort(list)
	return list
}

func keys(m map[string]bool) (list []string) {
	for key := range m {
		list = append(list, key)
	}
	return list
}

func (p *plain) termRow(term int) row {
	for _, r := range p.tables["academicSessions.csv"] {
		if r["title"] == p.terms[term] {
			return r
		}
	}
	return nil
}
