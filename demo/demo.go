// Package demo makes the demo school, Pellworth Sound, from a fixed seed: a school bundle in exactly the
// documented format. Every person, place and course in it is made up.
package demo

import (
	_ "embed"
	"fmt"
	"math/rand/v2"
	"slices"
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

//go:embed spanish.txt
var spanishList string

//go:embed policy.json
var policyText []byte

// Password is what every demo sign-in uses; the demo server lists it on its sign-in page.
const Password = "pellworth demo"

// SchoolID is the id of the demo school.
const SchoolID = "pellworth"

// SignIns are the usernames with a password, in the order in which they are shown.
var SignIns = []string{"mara.quill", "ilse.quill", "ms.arden", "office", "jonah", "ms.bellweather", "mr.tolland",
	"runa.sandaker", "tove.sandaker", "ms.torvund", "office.skerry"}

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
	credits, load, fee, round, words, usual, note                                         string
	repeat                                                                                bool
	extra                                                                                 bool // not drawn at random
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
			case "extra":
				c.extra = true
			case "round":
				c.round = value
			case "words":
				c.words = strings.ReplaceAll(value, ";", ",")
			case "usual":
				c.usual = value
			case "note":
				c.note = value
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
	courses []course // that are drawn at random
	extras  []course
	byCode  map[string]*course
	year    *catalog.Year

	options                                    Options
	pupils                                     []*pupil
	users, records, signals, requests, classes [][]string
	plans                                      [][]string
	usernames                                  map[string]int
	counselors                                 []string
	teachers                                   map[string][]string // names, by subject
	teacherIDs                                 map[string][]string
}

const (
	thisYear = 2026 // the school year going on
	nextYear = 2027 // the one being asked for
)

// Bundle makes the school.
func Bundle(o Options) []bundle.File {
	m := &maker{options: o, r: rand.New(rand.NewPCG(o.Seed, 0x9e3779b97f4a7c15)), byCode: map[string]*course{},
		usernames: map[string]int{}, teachers: map[string][]string{}, teacherIDs: map[string][]string{}}
	for _, c := range readCourses() {
		if c.extra {
			m.extras = append(m.extras, c)
		} else {
			m.courses = append(m.courses, c)
		}
	}
	for _, list := range [][]course{m.courses, m.extras} {
		for i := range list {
			m.byCode[list[i].code] = &list[i]
		}
	}
	m.compile()
	m.staff()
	m.families(o.Students)
	m.schedule()
	for i, p := range m.pupils {
		if o.Schedule == NoSchedule { // a master schedule has no sections of placeholders
			p.widen(i)
		}
		p.write()
	}
	files := []bundle.File{
		{Name: "academicSessions.csv", Header: []string{"sourcedId", "status", "title", "type", "startDate", "endDate",
			"parentSourcedId", "schoolYear"},
			Rows: [][]string{
				{"sy27", "active", "2027-28", "schoolYear", "2027-08-30", "2028-06-16", "", "2028"},
				{"sy27-1", "active", "S1", "semester", "2027-08-30", "2028-01-21", "sy27", "2028"},
				{"sy27-2", "active", "S2", "semester", "2028-01-24", "2028-06-16", "sy27", "2028"}}},
		{Name: "orgs.csv", Header: []string{"sourcedId", "status", "name", "type"},
			Rows: [][]string{{SchoolID, "active", "Pellworth Sound Secondary School", "school"}}},
		{Name: "courses.csv", Header: courseHeader, Rows: m.courseRows()},
		{Name: "users.csv", Header: userHeader, Rows: m.users},
		{Name: "records.csv", Header: []string{"student", "courseCode", "title", "subject", "schoolYear", "term", "credits",
			"mark", "outcome", "teacher"}, Rows: m.records},
		{Name: "signals.csv", Header: []string{"student", "kind", "courseCode", "name", "value", "by", "note"}, Rows: m.signals},
		{Name: "requests.csv", Header: []string{"student", "courseCode", "kind", "rank", "standsFor", "state"}, Rows: m.requests},
		{Name: "plans.csv", Header: []string{"student", "grade", "courseCode", "kind"}, Rows: m.plans},
		{Name: "errands.csv", Header: []string{"courseCode", "kind", "title", "due", "place", "note", "settledBy", "becomes"}, Rows: errands},
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

var courseHeader = []string{"sourcedId", "status", "title", "courseCode", "grades", "orgSourcedId", "subjects",
	"metadata.credits", "metadata.span",
	"metadata.load", "metadata.entry", "metadata.entryStance", "metadata.links", "metadata.excludes",
	"metadata.variantOf", "metadata.repeatable",
	"metadata.access", "metadata.tags", "metadata.fee", "metadata.description", "metadata.leadsTo",
	"metadata.note", "metadata.round", "metadata.synonyms", "metadata.usual", "metadata.title.es", "metadata.description.es"}

// errands are what some courses bring with them.
var errands = [][]string{
	{"MATP", "test", "Placement test in mathematics", "2027-05-12T09:00", "The hall", "Bring a pencil; no calculator.", "", "ALG1,GEO1,GEO1A"},
	{"MUSP", "audition", "Audition for the ensembles", "2027-04-21T15:30", "The music room",
		"One piece of your own choice, two minutes.", "", "CHA1,JAZ1"},
	{"CHA1", "audition", "Audition for Chamber Voices", "2027-04-21T15:30", "The music room", "", "permission audition", ""},
	{"ROW1", "test", "Swimming level", "2027-06-01", "The pool", "Level 3 or more, before the first time on the water.",
		`score "swimming level" at 3`, ""},
	{"SAI1", "form", "Sailing form, signed by a guardian", "2027-06-11", "The school office", "", "", ""},
	{"CER1", "form", "Studio safety form", "2027-05-28", "The school office", "", "", ""},
	{"TUT1", "application", "Letter to the tutors’ mentor", "2027-04-30", "",
		"Half a page: whom would you like to help?", "permission tutoring", ""},
}

func (m *maker) courseRows() (rows [][]string) {
	spanish := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(spanishList), "\n") {
		if f := strings.Split(line, "|"); len(f) == 3 {
			spanish[f[0]] = f[1:]
		}
	}
	for _, c := range slices.Concat(m.courses, m.extras) {
		repeat, es := "", spanish[c.code]
		if c.repeat {
			repeat = "true"
		}
		if es == nil {
			es = []string{"", ""}
		}
		rows = append(rows, []string{"c-" + strings.ToLower(c.code), "active", c.title, c.code, strings.Join(c.grades, ","),
			SchoolID, strings.Join(c.subjects, ","),
			c.credits, c.span, c.load, c.entry, c.stance, c.links, c.excludes, c.variant, repeat, c.access, c.tags, c.fee, c.text, c.leads,
			c.note, c.round, c.words, c.usual, es[0], es[1]})
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
	for _, c := range slices.Concat(m.courses, m.extras) {
		compiled := catalog.Course{Code: c.code, Title: c.title, Subjects: c.subjects, Links: split(c.links),
			Excludes: split(c.excludes), VariantOf: c.variant,
			Tags: split(c.tags), Repeatable: c.repeat, Access: catalog.Access(c.access), EntryStance: policy.Stance(c.stance),
			Summer: c.round == "summer"}
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
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1", "S2"}}, all, nil, p)
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

var userHeader = []string{"sourcedId", "status", "enabledUser", "orgSourcedIds", "role", "username", "givenName",
	"familyName", "email", "agentSourcedIds",
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
	m.users = append(m.users, []string{id, "active", "true", SchoolID, role, username, given, family,
		username + "@pellworth.example", agents, grade, password, counselor, language})
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
	subjects := []string{"English", "Mathematics", "Science", "Social Studies", "Languages", "Arts", "Physical Education",
		"Practical Arts", "Computing", "Study"}
	m.teachers["Mathematics"], m.teacherIDs["Mathematics"] = []string{"Mr Tolland"}, []string{"t00"}
	m.user("t00", "teacher", "mr.tolland", "Mr", "Tolland", "", "", "", "")
	for i := 1; i < 70; i++ {
		family, title := m.pick(familyNames), []string{"Ms", "Mr"}[m.r.IntN(2)]
		subject := subjects[i%len(subjects)]
		m.teachers[subject] = append(m.teachers[subject], title+" "+family)
		m.teacherIDs[subject] = append(m.teacherIDs[subject], fmt.Sprintf("t%02d", i))
		m.user(fmt.Sprintf("t%02d", i), "teacher", username(title, family), title, family, "", "", "", "")
	}
}

func (m *maker) families(students int) {
	type child struct {
		id, given, family string
		grade             int
		agents            []string
	}
	children := []child{{id: "s0001", given: "Mara", family: "Quill", grade: 10, agents: []string{"g0001"}},
		{id: "s0002", given: "Joris", family: "Aldous", grade: 9, agents: nil}}
	type guardian struct{ id, given, family, language string }
	guardians := []guardian{{id: "g0001", given: "Ilse", family: "Quill", language: "en"}}
	for len(children) < students {
		family := m.pick(familyNames)
		var agents []string
		for range 1 + m.r.IntN(2) {
			id := fmt.Sprintf("g%04d", len(guardians)+1)
			guardians = append(guardians, guardian{id: id, given: m.pick(givenNames), family: family,
				language: []string{"en", "en", "en", "es", "no"}[m.r.IntN(5)]})
			agents = append(agents, id)
		}
		if m.chance(0.03) {
			agents = nil // no guardian on file
		}
		for range 1 + m.r.IntN(2)*m.r.IntN(2) {
			if len(children) < students {
				children = append(children, child{id: fmt.Sprintf("s%04d", len(children)+1), given: m.pick(givenNames),
					family: family, grade: 9 + m.r.IntN(4), agents: agents})
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
		m.user(c.id, "student", username(c.given, c.family), c.given, c.family, strings.Join(c.agents, ","),
			fmt.Sprintf("%02d", c.grade-1), counselor, "")
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

// mara is the student to show first: two courses assigned, one recommended, one entry condition that needs a
// person, and one credit short.
func (m *maker) mara() {
	p := &pupil{maker: m, id: "s0001", grade: 10}
	for _, x := range []struct{ code, mark string }{{"ENG09", "81"}, {"GEO1", "84"}, {"EAR1", "84"}, {"WLD1", "79"},
		{"NOR1", "88"}, {"PE09", "90"}, {"HLT9", "86"}, {"DRW1", "83"}, {"COO1", "80"}} {
		p.record(x.code, thisYear, "", sheet.InProgress)
		if row := m.records[len(m.records)-1]; x.code == "GEO1" {
			row[len(row)-1] = "t00" // Mr Tolland, who recommends what comes next
		}
	}
	p.say(sheet.Assignment, "ENG10", "", "0", "office", "")
	p.say(sheet.Assignment, "WLD2", "", "1", "office", "")
	p.say(sheet.Recommendation, "ALG2", "", "", "Mr Tolland", "Mara is ready for it.")
	p.say(sheet.Claim, "ALG1", "", "", "s0001", "I did Algebra I at my school in Tarn Ridge, 83, the report is with the office.")
	p.say(sheet.ScoreOnFile, "", "swimming level", "4", "office", "")
	p.requests = append(p.requests, strings.Fields("ENG10 ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1")...)
	p.alternates = []string{"PRI1"}
	p.standsFor = map[string]string{"PRI1": "CER1"}
	for _, x := range []struct {
		grade int
		codes string
	}{{11, "ENG11 PRE1 NAT1 CHM1 NOR3 CMP1"}, {12, "ENG12 GOV1 ECO1 CAP1 PHY2"}} {
		for _, code := range strings.Fields(x.codes) {
			m.plans = append(m.plans, []string{p.id, strconv.Itoa(x.grade), code, "request"})
		}
	}
	m.plans = append(m.plans, []string{p.id, "12", "STA1", "alternate"})
	p.student.ID, p.student.Grade = p.id, p.grade
	m.pupils = append(m.pupils, p)
}
