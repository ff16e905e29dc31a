package demo

import (
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"

	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// pupil is a student being made up.
type pupil struct {
	*maker
	id         string
	grade      int     // the one being entered
	able       float64 // 0 to 1
	student    sheet.Student
	requests   []string
	alternates []string
	summer     []string
	standsFor  map[string]string
	passed     map[string]bool
	taking     map[string]bool
	failed     map[string]bool
	next       string // next year's mathematics
	language   string // next year's language, if any
}

func (p *pupil) record(code string, year int, mark string, outcome sheet.Outcome) {
	c := p.byCode[code]
	credits := c.credits
	if outcome == sheet.Failed {
		credits = "0"
	}
	shown, teacher := mark, ""
	if outcome == sheet.Transfer { // the other school wrote its marks by name
		shown = named(mark)
	}
	if ids := p.teacherIDs[c.subjects[0]]; outcome == sheet.InProgress && len(ids) > 0 {
		number, _ := strconv.Atoi(strings.TrimPrefix(p.id, "s"))
		teacher = ids[number%len(ids)]
	}
	p.maker.records = append(p.maker.records, []string{p.id, code, c.title, strings.Join(c.subjects, ","),
		policy.YearLabel(year), "", credits, shown, string(outcome), teacher})
	amount, _ := credit.Parse(credits)
	value, err := credit.Parse(mark)
	p.student.Records = append(p.student.Records,
		sheet.Record{Code: code, Subjects: c.subjects, Year: year, Credits: amount, Mark: value, HasMark: err == nil, Outcome: outcome})
}

// named is a mark as the demo's policy names it: the highest name that it reaches.
func named(mark string) string {
	n, err := strconv.Atoi(mark)
	if err != nil {
		return mark
	}
	for _, m := range []struct {
		name  string
		least int
	}{{"A", 95}, {"A-", 91}, {"B+", 88}, {"B", 85}, {"B-", 81}, {"C+", 78}, {"C", 75}} {
		if n >= m.least {
			return m.name
		}
	}
	return mark
}

func (p *pupil) say(kind sheet.SignalKind, code, name, value, by, note string) {
	p.signals = append(p.signals, []string{p.id, string(kind), code, name, value, by, note})
	amount, _ := credit.Parse(value)
	p.student.Signals = append(p.student.Signals, sheet.Signal{Kind: kind, Code: code, Name: name, Value: amount, By: by, Note: note})
}

var (
	english  = map[int]string{9: "ENG09", 10: "ENG10", 11: "ENG11", 12: "ENG12"}
	social   = map[int]string{9: "WLD1", 10: "WLD2", 11: "NAT1"}
	mathLine = []string{"ALG1", "GEO1", "ALG2", "PRE1", "CAL1"}
	tongues  = []string{"NOR", "SPA", "LAT", "SGN"}
)

// history makes up the years before: what is behind is earned or failed, this year's is in progress.
func (p *pupil) history() {
	p.passed, p.taking, p.failed = map[string]bool{}, map[string]bool{}, map[string]bool{}
	math := 0
	if p.able > 0.6 {
		math = 1
		p.record("ALG1", thisYear-(p.grade-9), strconv.Itoa(75+p.r.IntN(24)), sheet.Transfer)
		p.passed["ALG1"] = true
	}
	tongue, level := p.pick(tongues), 1
	science := []string{"EAR1", "BIO1", "CHM1", "PHY1"}
	if p.chance(0.35) {
		science = []string{"EAR1", "TID1", "BIO1", "MAR1"}
	}
	top := map[string]int{"NOR": 4, "SPA": 4, "LAT": 3, "SGN": 2}[tongue]
	speaks := p.chance(0.75)
	for g := 9; g < p.grade; g++ {
		year := thisYear - (p.grade - 1 - g)
		now := year == thisYear
		codes := []string{english[g], science[g-9], social[g]}
		if g == 9 {
			codes = append(codes, "PE09", "HLT9")
		} else if g == 10 {
			codes = append(codes, "HLT1", "ROW1")
		}
		mathCode := mathLine[min(math, 4)]
		codes = append(codes, mathCode)
		if speaks && level <= top {
			codes = append(codes, tongue+strconv.Itoa(level))
		}
		for tries, load := 0, len(codes); load < 9 && tries < 30; tries++ {
			c := &p.courses[p.r.IntN(len(p.courses))]
			if c.credits == "0.5" && c.access == "" && c.entry == "" && c.links == "" &&
				has(c.grades, fmt.Sprintf("%02d", g)) && !p.passed[c.code] && !p.taking[c.code] {
				codes = append(codes, c.code)
				load++
				p.taking[c.code] = now
				p.passed[c.code] = !now
			}
		}
		for _, code := range codes {
			if code == "" {
				continue
			}
			if now {
				p.record(code, year, "", sheet.InProgress)
				p.taking[code] = true
				continue
			}
			mark := min(99, max(30, int(58+p.able*32+p.r.NormFloat64()*8)))
			if mark < 55 {
				p.record(code, year, strconv.Itoa(mark), sheet.Failed)
				p.failed[code] = true
				continue
			}
			p.record(code, year, strconv.Itoa(mark), sheet.Earned)
			p.passed[code] = true
		}
		if !p.failed[mathCode] {
			math++
		}
		if speaks && level <= top && !p.failed[tongue+strconv.Itoa(level)] {
			level++
		}
	}
	p.next = mathLine[min(math, 4)]
	if p.grade == 12 && math >= 3 {
		p.next = []string{"STA1", "NAV1", p.next}[p.r.IntN(3)]
	}
	if speaks && level <= top {
		p.language = tongue + strconv.Itoa(level)
	}
}

func has(list []string, item string) bool {
	for _, x := range list {
		if x == item {
			return true
		}
	}
	return false
}

// signal makes up what people have said.
func (p *pupil) signal() {
	p.say(sheet.Assignment, english[p.grade], "", "0", "office", "")
	if code := social[p.grade]; code != "" {
		p.say(sheet.Assignment, code, "", "1", "office", "")
	}
	if p.chance(0.7) {
		p.say(sheet.Recommendation, p.next, "", "", p.pick(p.teachers["Mathematics"]), "")
	}
	if p.chance(0.75) {
		p.say(sheet.ScoreOnFile, "", "swimming level", strconv.Itoa(1+p.r.IntN(5)), "office", "")
	}
	if p.grade > 9 && p.chance(0.12) {
		p.say(sheet.Permission, []string{"CHA1", "JAZ1"}[p.r.IntN(2)], "audition", "", p.pick(p.teachers["Arts"]), "")
	}
	if p.able < 0.12 && p.grade < 12 {
		p.say(sheet.PlacementMade, "MSU1", "", "1", "office", "")
	}
	if p.chance(0.02) {
		p.say(sheet.Exemption, "", "pe", "", "office", "Excused by a physician.")
	}
}

// draft fills the sheet: some are not begun, some half done, most complete as far as chance finds courses that fit.
func (p *pupil) draft() {
	p.student.ID, p.student.Grade = p.id, p.grade
	add := func(code string) {
		if code != "" && !has(p.requests, code) {
			p.requests = append(p.requests, code)
		}
	}
	add(english[p.grade])
	add(social[p.grade])
	stage := p.r.Float64()
	if p.options.Schedule != NoSchedule {
		stage = 1 // there is a master schedule only when all have asked
	}
	if stage < 0.12 {
		return
	}
	add(p.next)
	if p.chance(0.04) && p.grade > 9 { // something earned elsewhere, which a person must confirm
		for _, c := range []struct{ want, claim string }{{"PHY1", "ALG1"}, {"CER2", "CER1"}, {"CMP2", "CMP1"}, {"PNT1", "DRW1"}} {
			if !p.passed[c.claim] && !p.taking[c.claim] && !p.passed[c.want] && !p.taking[c.want] &&
				has(p.byCode[c.want].grades, fmt.Sprintf("%02d", p.grade)) {
				add(c.want)
				p.say(sheet.Claim, c.claim, "", "", p.id,
					p.pick([]string{"I took it at my school before this one.", "I did this in the summer school at Gull Point.",
						"My report from last year is with the office."}))
				break
			}
		}
	}
	if p.grade == 9 {
		add("EAR1")
		add("PE09")
		add("HLT9")
	} else if p.grade == 10 {
		add("HLT1")
		add("ROW1")
	}
	add(p.language)
	f := sheet.NewFacts(p.year, p.student)
	wanted := 8 * 100 * 2
	if stage < 0.35 {
		wanted = 6 * 100 * 2
	}
	order := p.r.Perm(len(p.courses))
	// The popular ones come first for most, which makes some courses contested.
	sort.SliceStable(order, func(i, j int) bool {
		return popular[p.courses[order[i]].code] > popular[p.courses[order[j]].code] && p.able > 0.2
	})
	if p.grade >= 10 {
		order = append(p.scienceFirst(), order...)
	}
	for _, i := range order {
		if p.load() >= wanted {
			break
		}
		code := p.courses[i].code
		if has(p.requests, code) || p.taking[code] || !p.chance(0.55) && popular[code] == 0 {
			continue
		}
		p.tryRequest(f, code)
	}
	if stage >= 0.35 {
		p.complete(f)
	}
	for _, i := range p.r.Perm(len(p.courses)) {
		code := p.courses[i].code
		if len(p.alternates) >= 4 || stage < 0.35 && len(p.alternates) >= 1 {
			break
		}
		if !has(p.requests, code) && !p.taking[code] && p.courses[i].credits == "0.5" && p.courses[i].links == "" &&
			p.fits(f, append(append([]string(nil), p.requests...), code), true) {
			p.alternates = append(p.alternates, code)
		}
	}
}

var popular = map[string]int{"BOA1": 3, "CER1": 2, "PHO1": 2, "COO1": 2, "SAI1": 3, "REC1": 2, "PSY1": 2, "TID1": 1}

func (p *pupil) scienceFirst() (order []int) {
	for i := range p.courses {
		if p.courses[i].subjects[0] == "Science" && p.courses[i].credits == "1" {
			order = append(order, i)
		}
	}
	p.r.Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	return order[:min(len(order), 3)]
}

// load is the sum over the terms of the requests' load, in hundredths.
func (p *pupil) load() (sum int) {
	for _, code := range p.requests {
		i, _ := p.year.Index(code)
		c := &p.year.Courses[i]
		sum += int(c.Load) * c.Spans[0].Len()
	}
	return sum
}

func (p *pupil) tryRequest(f *sheet.Facts, code string) bool {
	trial := append(append([]string(nil), p.requests...), code)
	if links := p.byCode[code].links; links != "" {
		trial = append(trial, strings.Split(links, ",")...)
	}
	if !p.fits(f, trial, false) {
		return false
	}
	p.requests = trial
	return true
}

func (p *pupil) fits(f *sheet.Facts, codes []string, looser bool) bool {
	s := p.sheet(codes)
	j, err := f.Judge(&s)
	if err != nil || !j.Packing.Fits() && !looser {
		return false
	}
	for k, r := range j.Requests {
		if k >= len(p.requests) && (r.Repeat || r.Barred || r.HasEntry && r.Entry < condition.Expected) {
			return false
		}
	}
	if looser {
		return true
	}
	for _, r := range j.Rules {
		if rule := p.year.Rules[r.Rule]; !r.Holds && rule.Max != nil && r.Measured > *rule.Max {
			return false
		}
	}
	return true
}

func (p *pupil) sheet(codes []string) (s sheet.Sheet) {
	for i, code := range codes {
		index, _ := p.year.Index(code)
		s.Requests = append(s.Requests, sheet.Entry{Course: index, StandsFor: sheet.Any, Rank: i + 1})
	}
	return s
}

// complete adds what would mend the rules that do not hold.
func (p *pupil) complete(f *sheet.Facts) {
	for range 6 {
		s := p.sheet(p.requests)
		j, err := f.Judge(&s)
		if err != nil {
			return
		}
		effects, err := f.Effects(&s, false)
		if err != nil {
			return
		}
		mended := false
		for _, r := range j.Rules {
			if r.Holds || p.year.Rules[r.Rule].Stance != policy.Block || p.year.Rules[r.Rule].On == policy.Alternates {
				continue
			}
			mends := slices.DeleteFunc(sheet.Mends(p.year, effects, r.Rule), func(c int32) bool { return p.byCode[p.year.Codes[c]].extra })
			p.r.Shuffle(len(mends), func(i, k int) { mends[i], mends[k] = mends[k], mends[i] })
			for _, course := range mends {
				if code := p.year.Codes[course]; !p.taking[code] && p.tryRequest(f, code) {
					mended = true
					break
				}
			}
			if !mended { // make room
				for k := len(p.requests) - 1; k >= 3; k-- {
					if c := p.byCode[p.requests[k]]; c.links == "" && !has([]string{"English", "Mathematics", "Social Studies"}, c.subjects[0]) {
						p.requests = append(p.requests[:k:k], p.requests[k+1:]...)
						mended = true
						break
					}
				}
			}
			break
		}
		if !mended {
			return
		}
	}
}

// widen gives some pupils what is not drawn: a placeholder for a test or an audition, a course in summer, a
// plan, an errand done. Which ones is by their place, so that nothing else of the school depends on it.
func (p *pupil) widen(place int) {
	if p.id == "s0001" {
		return
	}
	for i, code := range p.requests {
		if place%13 == 4 && p.grade == 9 && (code == "ALG1" || code == "GEO1") {
			p.requests[i] = "MATP"
			if place%2 == 0 {
				p.say(sheet.PlacementMade, "GEO1", "", "", "office", "")
				p.say(sheet.ErrandDone, "MATP", "test", "", "office", "Taken early.")
			}
		}
	}
	if n := len(p.alternates); place%17 == 6 && p.grade > 9 && n > 0 {
		p.alternates[n-1] = "MUSP"
	}
	if place%11 == 2 && len(p.requests) > 4 {
		switch {
		case !p.passed["CMP1"] && !p.taking["CMP1"] && !has(p.requests, "CMP1"):
			p.summer = append(p.summer, "SCM1")
		default:
			p.summer = append(p.summer, "SPE1")
		}
	}
	if place%9 == 1 && has(p.requests, "SAI1") {
		p.say(sheet.ErrandDone, "SAI1", "form", "", "office", "")
	}
	for g := p.grade + 1; place%20 == 3 && g <= 12; g++ {
		for _, code := range []string{english[g], social[g]} {
			if code != "" {
				p.maker.plans = append(p.maker.plans, []string{p.id, strconv.Itoa(g), code, "request"})
			}
		}
	}
}

func (p *pupil) write() {
	for i, code := range p.requests {
		p.maker.requests = append(p.maker.requests, []string{p.id, code, "request", strconv.Itoa(i + 1), "", ""})
	}
	for i, code := range p.summer {
		p.maker.requests = append(p.maker.requests, []string{p.id, code, "request", strconv.Itoa(len(p.requests) + i + 1), "", ""})
	}
	for i, code := range p.alternates {
		p.maker.requests = append(p.maker.requests, []string{p.id, code, "alternate", strconv.Itoa(i + 1), p.standsFor[code], ""})
	}
}
