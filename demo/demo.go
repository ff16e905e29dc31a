// Package demo makes the demo school, Pellworth Sound, from a fixed seed: a school bundle in exactly the documented format.
// Every person, place and course in it is made up.
package demo

import (
	_ "embed"
	"fmt"
	"math/rand/v2"
	"sort"
	"strconv"
	"strings"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

//go:embed courses.txt
var courseList string

//go:embed policy.json
var policyText []byte

// Password is what every demo sign-in uses; the demo server lists it on its sign-in page.
const Password = "pellworth demo"

// SchoolID is the id of the demo school.
const SchoolID = "pellworth"

// SignIns are the usernames with a password, in the order in which they are shown.
var SignIns = []string{"mara.quill", "ilse.quill", "ms.arden", "office"}

// Options say what school to make.
type Options struct {
	Students int    // how many
	Seed     uint64 // the same seed gives the same school
	Schedule Schedule
	Hard     int // of a schedule: from 1, easy, to 3
}

type course struct {
	code, title, span, entry, stance, access, links, excludes, variant, tags, leads, text string
	subjects, grades                                                                      []string
	credits, load, fee                                                                    string
	repeat                                                                                bool
}

func readCourses() (all []course) {
	for _, line := range strings.Split(strings.TrimSpace(courseList), "\n") {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(line, "|")
		c := course{code: f[0], title: f[1], subjects: strings.Split(f[2], ","), grades: strings.Split(f[3], ","), credits: f[4],
			span: strings.ReplaceAll(f[5], ",", "|"), text: f[len(f)-1]}
		for _, more := range f[6 : len(f)-1] {
			key, value, _ := strings.Cut(more, "=")
			switch key {
			case "entry":
				c.entry = value
			case "stance":
				c.stance = value
			case "access":
				c.access = value
			case "links":
				c.links = value
			case "excludes":
				c.excludes = value
			case "variant":
				c.variant = value
			case "tags":
				c.tags = value
			case "leads":
				c.leads = strings.ReplaceAll(value, ";", ",")
			case "load":
				c.load = value
			case "fee":
				c.fee = value
			case "repeat":
				c.repeat = true
			default:
				panic("demo/courses.txt: unknown attribute " + more)
			}
		}
		all = append(all, c)
	}
	return all
}

// maker holds what is being made.
type maker struct {
	r       *rand.Rand
	courses []course
	byCode  map[string]*course
	year    *catalog.Year

	options                                    Options
	pupils                                     []*pupil
	users, records, signals, requests, classes [][]string
	usernames                                  map[string]int
	counselors                                 []string
	teachers                                   map[string][]string // by subject
}

const (
	thisYear = 2026 // the school year going on
	nextYear = 2027 // the one being asked for
)

// Bundle makes the school.
func Bundle(o Options) []bundle.File {
	m := &maker{options: o, r: rand.New(rand.NewPCG(o.Seed, 0x9e3779b97f4a7c15)), courses: readCourses(), byCode: map[string]*course{},
		usernames: map[string]int{}, teachers: map[string][]string{}}
	for i := range m.courses {
		m.byCode[m.courses[i].code] = &m.courses[i]
	}
	m.compile()
	m.staff()
	m.families(o.Students)
	m.schedule()
	for _, p := range m.pupils {
		p.write()
	}
	files := []bundle.File{
		{Name: "academicSessions.csv", Header: []string{"sourcedId", "status", "title", "type", "startDate", "endDate", "parentSourcedId", "schoolYear"},
			Rows: [][]string{
				{"sy27", "active", "2027-28", "schoolYear", "2027-08-30", "2028-06-16", "", "2028"},
				{"sy27-1", "active", "S1", "semester", "2027-08-30", "2028-01-21", "sy27", "2028"},
				{"sy27-2", "active", "S2", "semester", "2028-01-24", "2028-06-16", "sy27", "2028"}}},
		{Name: "orgs.csv", Header: []string{"sourcedId", "status", "name", "type"},
			Rows: [][]string{{SchoolID, "active", "Pellworth Sound Secondary School", "school"}}},
		{Name: "courses.csv", Header: courseHeader, Rows: m.courseRows()},
		{Name: "users.csv", Header: userHeader, Rows: m.users},
		{Name: "records.csv", Header: []string{"student", "courseCode", "title", "subject", "schoolYear", "term", "credits", "mark", "outcome"}, Rows: m.records},
		{Name: "signals.csv", Header: []string{"student", "kind", "courseCode", "name", "value", "by", "note"}, Rows: m.signals},
		{Name: "requests.csv", Header: []string{"student", "courseCode", "kind", "rank", "standsFor", "state"}, Rows: m.requests},
		{Name: "policy.json", Text: policyText},
	}
	if o.Schedule != NoSchedule {
		files = append(files, bundle.File{Name: "classes.csv", Header: classHeader, Rows: m.classes})
	}
	return files
}

// Read makes the school and reads it, as an import would.
func Read(o Options) (*bundle.Bundle, error) {
	b, err := bundle.ReadFiles(Bundle(o))
	if err == nil && len(b.Problems) > 0 {
		err = fmt.Errorf("the generated school has bad rows: %v", b.Problems[0])
	}
	return b, err
}

var courseHeader = []string{"sourcedId", "status", "title", "courseCode", "grades", "orgSourcedId", "subjects", "metadata.credits", "metadata.span",
	"metadata.load", "metadata.entry", "metadata.entryStance", "metadata.links", "metadata.excludes", "metadata.variantOf", "metadata.repeatable",
	"metadata.access", "metadata.tags", "metadata.fee", "metadata.description", "metadata.leadsTo"}

func (m *maker) courseRows() (rows [][]string) {
	for _, c := range m.courses {
		repeat := ""
		if c.repeat {
			repeat = "true"
		}
		rows = append(rows, []string{"c-" + strings.ToLower(c.code), "active", c.title, c.code, strings.Join(c.grades, ","), SchoolID, strings.Join(c.subjects, ","),
			c.credits, c.span, c.load, c.entry, c.stance, c.links, c.excludes, c.variant, repeat, c.access, c.tags, c.fee, c.text, c.leads})
	}
	return rows
}

// compile makes the school year that sheets are drafted against.
func (m *maker) compile() {
	p, problems, _ := policy.Parse(policyText)
	if len(problems) > 0 {
		panic(fmt.Sprint("demo/policy.json: ", problems))
	}
	var all []catalog.Course
	for _, c := range m.courses {
		compiled := catalog.Course{Code: c.code, Title: c.title, Subjects: c.subjects, Links: split(c.links), Excludes: split(c.excludes), VariantOf: c.variant,
			Tags: split(c.tags), Repeatable: c.repeat, Access: catalog.Access(c.access), EntryStance: policy.Stance(c.stance)}
		compiled.Credits, _ = credit.Parse(c.credits)
		if compiled.Load = credit.One; c.load != "" {
			compiled.Load, _ = credit.Parse(c.load)
		}
		for _, g := range c.grades {
			n, _ := strconv.Atoi(g)
			compiled.Grades = append(compiled.Grades, n)
		}
		for _, span := range strings.Split(c.span, "|") {
			compiled.Spans = append(compiled.Spans, map[string]catalog.TermSet{"year": 3, "S1": 1, "S2": 2}[span])
		}
		if c.entry != "" {
			entry, err := condition.Parse(c.entry)
			if err != nil {
				panic(fmt.Sprintf("demo/courses.txt: %s: %v", c.code, err))
			}
			compiled.Entry = entry
		}
		all = append(all, compiled)
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1", "S2"}}, all, p)
	if len(errs) > 0 {
		panic(fmt.Sprint("demo: ", errs))
	}
	m.year = y
}

func split(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(text, ",")
}

var userHeader = []string{"sourcedId", "status", "enabledUser", "orgSourcedIds", "role", "username", "givenName", "familyName", "email", "agentSourcedIds",
	"grades", "password", "metadata.counselor", "metadata.language"}

func (m *maker) user(id, role, username, given, family, agents, grade, counselor, language string) {
	if n := m.usernames[username]; n > 0 {
		m.usernames[username]++
		username += strconv.Itoa(n + 1)
	} else {
		m.usernames[username] = 1
	}
	password := ""
	for _, shown := range SignIns {
		if shown == username {
			password = Password
		}
	}
	m.users = append(m.users, []string{id, "active", "true", SchoolID, role, username, given, family, username + "@pellworth.example", agents, grade, password, counselor, language})
}

func username(given, family string) string {
	return strings.ToLower(strings.ReplaceAll(given+"."+family, "-", ""))
}

func (m *maker) pick(list []string) string { return list[m.r.IntN(len(list))] }
func (m *maker) chance(p float64) bool     { return m.r.Float64() < p }

func (m *maker) staff() {
	m.user("office", "administrator", "office", "Dagny", "Westerdale", "", "", "", "")
	for i, name := range []string{"Arden", "Bellweather", "Corrigan-Lee", "Dunmore"} {
		id := fmt.Sprintf("k%d", i+1)
		m.counselors = append(m.counselors, id)
		m.user(id, "aide", "ms."+strings.ToLower(strings.ReplaceAll(name, "-", "")), "Ms", name, "", "", "", "")
	}
	subjects := []string{"English", "Mathematics", "Science", "Social Studies", "Languages", "Arts", "Physical Education", "Practical Arts", "Computing", "Study"}
	m.teachers["Mathematics"] = []string{"Mr Tolland"}
	m.user("t00", "teacher", "mr.tolland", "Mr", "Tolland", "", "", "", "")
	for i := 1; i < 70; i++ {
		family, title := m.pick(familyNames), []string{"Ms", "Mr"}[m.r.IntN(2)]
		subject := subjects[i%len(subjects)]
		m.teachers[subject] = append(m.teachers[subject], title+" "+family)
		m.user(fmt.Sprintf("t%02d", i), "teacher", username(title, family), title, family, "", "", "", "")
	}
}

func (m *maker) families(students int) {
	type child struct {
		id, given, family string
		grade             int
		agents            []string
	}
	children := []child{{"s0001", "Mara", "Quill", 10, []string{"g0001"}}, {"s0002", "Jonah", "Quill", 9, []string{"g0001"}}}
	type guardian struct{ id, given, family, language string }
	guardians := []guardian{{"g0001", "Ilse", "Quill", "en"}}
	for len(children) < students {
		family := m.pick(familyNames)
		var agents []string
		for range 1 + m.r.IntN(2) {
			id := fmt.Sprintf("g%04d", len(guardians)+1)
			guardians = append(guardians, guardian{id, m.pick(givenNames), family, []string{"en", "en", "en", "es", "no"}[m.r.IntN(5)]})
			agents = append(agents, id)
		}
		if m.chance(0.03) {
			agents = nil // no guardian on file
		}
		for range 1 + m.r.IntN(2)*m.r.IntN(2) {
			if len(children) < students {
				children = append(children, child{fmt.Sprintf("s%04d", len(children)+1), m.pick(givenNames), family, 9 + m.r.IntN(4), agents})
			}
		}
	}
	care := map[string][]string{}
	for i, c := range children {
		for _, g := range c.agents {
			care[g] = append(care[g], c.id)
		}
		// Counselors have the students by family name, so that brothers and sisters share one.
		counselor := m.counselors[(int(c.family[0])+len(c.family))%len(m.counselors)]
		if i < 2 {
			counselor = m.counselors[0]
		}
		m.user(c.id, "student", username(c.given, c.family), c.given, c.family, strings.Join(c.agents, ","), fmt.Sprintf("%02d", c.grade-1), counselor, "")
	}
	for _, g := range guardians {
		if len(care[g.id]) > 0 {
			m.user(g.id, "guardian", username(g.given, g.family), g.given, g.family, strings.Join(care[g.id], ","), "", "", g.language)
		}
	}
	for _, c := range children {
		if c.id == "s0001" {
			m.mara()
			continue
		}
		p := &pupil{maker: m, id: c.id, grade: c.grade, able: m.r.Float64()}
		p.history()
		p.signal()
		p.draft()
		m.pupils = append(m.pupils, p)
	}
}

// mara is the student to show first: two courses assigned, one recommended, one entry condition that needs a person, and one
// credit short.
func (m *maker) mara() {
	p := &pupil{maker: m, id: "s0001", grade: 10}
	for _, x := range []struct{ code, mark string }{{"ENG09", "81"}, {"GEO1", "84"}, {"EAR1", "84"}, {"WLD1", "79"}, {"NOR1", "88"}, {"PE09", "90"}, {"HLT9", "86"}, {"DRW1", "83"}, {"COO1", "80"}} {
		p.record(x.code, thisYear, "", sheet.InProgress)
	}
	p.say(sheet.Assignment, "ENG10", "", "0", "office", "")
	p.say(sheet.Assignment, "WLD2", "", "1", "office", "")
	p.say(sheet.Recommendation, "ALG2", "", "", "Mr Tolland", "Mara is ready for it.")
	p.say(sheet.Claim, "ALG1", "", "", "s0001", "I did Algebra I at my school in Tarn Ridge, 83, the report is with the office.")
	p.say(sheet.ScoreOnFile, "", "swimming level", "4", "office", "")
	for _, code := range strings.Fields("ENG10 ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1") {
		p.requests = append(p.requests, code)
	}
	p.alternates = []string{"PRI1"}
	p.standsFor = map[string]string{"PRI1": "CER1"}
	p.student.ID, p.student.Grade = p.id, p.grade
	m.pupils = append(m.pupils, p)
}

// pupil is a student being made up.
type pupil struct {
	*maker
	id         string
	grade      int     // the one being entered
	able       float64 // 0 to 1
	student    sheet.Student
	requests   []string
	alternates []string
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
	p.maker.records = append(p.maker.records, []string{p.id, code, c.title, strings.Join(c.subjects, ","), policy.YearLabel(year), "", credits, mark, string(outcome)})
	amount, _ := credit.Parse(credits)
	value, err := credit.Parse(mark)
	p.student.Records = append(p.student.Records, sheet.Record{Code: code, Subjects: c.subjects, Year: year, Credits: amount, Mark: value, HasMark: err == nil, Outcome: outcome})
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
			if c.credits == "0.5" && c.access == "" && c.entry == "" && c.links == "" && has(c.grades, fmt.Sprintf("%02d", g)) && !p.passed[c.code] && !p.taking[c.code] {
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
			if !p.passed[c.claim] && !p.taking[c.claim] && !p.passed[c.want] && !p.taking[c.want] && has(p.byCode[c.want].grades, fmt.Sprintf("%02d", p.grade)) {
				add(c.want)
				p.say(sheet.Claim, c.claim, "", "", p.id, p.pick([]string{"I took it at my school before this one.", "I did this in the summer school at Gull Point.",
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
		if !has(p.requests, code) && !p.taking[code] && p.courses[i].credits == "0.5" && p.courses[i].links == "" && p.fits(f, append(append([]string(nil), p.requests...), code), true) {
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
		effects, err := f.Effects(&s)
		if err != nil {
			return
		}
		mended := false
		for _, r := range j.Rules {
			if r.Holds || p.year.Rules[r.Rule].Stance != policy.Block || p.year.Rules[r.Rule].On == policy.Alternates {
				continue
			}
			mends := sheet.Mends(p.year, effects, r.Rule)
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

func (p *pupil) write() {
	for i, code := range p.requests {
		p.maker.requests = append(p.maker.requests, []string{p.id, code, "request", strconv.Itoa(i + 1), "", ""})
	}
	for i, code := range p.alternates {
		p.maker.requests = append(p.maker.requests, []string{p.id, code, "alternate", strconv.Itoa(i + 1), p.standsFor[code], ""})
	}
}
