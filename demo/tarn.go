package demo

import (
	_ "embed"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"rubricon/bundle"
)

//go:embed tarn.txt
var tarnList string

//go:embed tarn.json
var tarnPolicy []byte

// TarnID is the id of the second demo school.
const TarnID = "tarnridge"

// tarnCourse is a course of Tarn Ridge.
type tarnCourse struct {
	code, title, spanish, units, span, load, text string
	subjects, grades                              string
	more                                          map[string]string
}

func readTarn() (all []tarnCourse) {
	for _, line := range strings.Split(strings.TrimSpace(tarnList), "\n") {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(line, "|")
		c := tarnCourse{code: f[0], title: f[1], spanish: f[2], subjects: f[3], grades: f[4], units: f[5],
			span: strings.ReplaceAll(f[6], "~", "|"), load: f[7], more: map[string]string{}, text: f[9]}
		for _, item := range strings.Split(f[8], ",") {
			key, value, _ := strings.Cut(item, "=")
			if key == "tags" || key == "usual" || key == "links" || key == "excludes" || key == "entry" || key == "access" ||
				key == "fee" || key == "words" {
				c.more[key] = strings.ReplaceAll(value, ";", ",")
			} else if key == "repeat" {
				c.more[key] = "true"
			}
		}
		all = append(all, c)
	}
	return all
}

// ridge holds Tarn Ridge as it is made.
type ridge struct {
	r                                 *rand.Rand
	courses                           []tarnCourse
	users, records, signals, requests [][]string
	guardians                         map[string][]string // the row of users, by id
	order                             []string
	known                             []neighbour
	pellworthGuardians                map[string][]string // rows of users of Pellworth Sound
	usernames                         map[string]bool
	exploratory                       []string
}

// neighbour is a student of Pellworth Sound's next year who is at Tarn Ridge now.
type neighbour struct {
	row     []string
	algebra bool
}

// Tarn makes Tarn Ridge Lower School: 300 students, some of whose families, and all of whose leavers, are
// also of Pellworth Sound, which is given as it was made.
func Tarn(pellworth []bundle.File, seed uint64) []bundle.File {
	m := &ridge{r: rand.New(rand.NewPCG(seed, 6)), courses: readTarn(), guardians: map[string][]string{},
		pellworthGuardians: map[string][]string{}, usernames: map[string]bool{}}
	for _, c := range m.courses {
		if strings.Contains(c.more["tags"], "exploratory") {
			m.exploratory = append(m.exploratory, c.code)
		}
	}
	m.meet(pellworth)
	m.staff()
	m.children()
	return []bundle.File{
		{Name: "academicSessions.csv", Header: []string{"sourcedId", "status", "title", "type", "startDate", "endDate",
			"parentSourcedId", "schoolYear"},
			Rows: [][]string{
				{"ty27", "active", "2027-28", "schoolYear", "2027-08-30", "2028-06-16", "", "2028"},
				{"ty27-1", "active", "T1", "term", "2027-08-30", "2027-12-03", "ty27", "2028"},
				{"ty27-2", "active", "T2", "term", "2027-12-06", "2028-03-10", "ty27", "2028"},
				{"ty27-3", "active", "T3", "term", "2028-03-13", "2028-06-16", "ty27", "2028"}}},
		{Name: "orgs.csv", Header: []string{"sourcedId", "status", "name", "type"},
			Rows: [][]string{{TarnID, "active", "Tarn Ridge Lower School", "school"}}},
		{Name: "courses.csv", Header: courseHeader, Rows: m.courseRows()},
		{Name: "users.csv", Header: userHeader, Rows: m.users},
		{Name: "records.csv", Header: []string{"student", "courseCode", "title", "subject", "schoolYear", "term", "credits",
			"mark", "outcome"}, Rows: m.records},
		{Name: "signals.csv", Header: []string{"student", "kind", "courseCode", "name", "value", "by", "note"}, Rows: m.signals},
		{Name: "requests.csv", Header: []string{"student", "courseCode", "kind", "rank", "standsFor"}, Rows: m.requests},
		{Name: "policy.json", Text: tarnPolicy},
	}
}

func (m *ridge) courseRows() (rows [][]string) {
	for _, c := range m.courses {
		row := make([]string, len(courseHeader))
		for column, cell := range map[string]string{"sourcedId": "t-" + strings.ToLower(c.code), "status": "active",
			"title": c.title, "courseCode": c.code, "grades": c.grades,
			"orgSourcedId": TarnID, "subjects": c.subjects, "metadata.credits": c.units, "metadata.span": c.span,
			"metadata.load": c.load, "metadata.entry": c.more["entry"],
			"metadata.links": c.more["links"], "metadata.excludes": c.more["excludes"], "metadata.repeatable": c.more["repeat"],
			"metadata.access": c.more["access"],
			"metadata.tags":   c.more["tags"], "metadata.fee": c.more["fee"], "metadata.description": c.text,
			"metadata.synonyms": c.more["words"], "metadata.usual": c.more["usual"],
			"metadata.title.es": c.spanish} {
			row[slices.Index(courseHeader, column)] = cell
		}
		rows = append(rows, row)
	}
	return rows
}

// meet takes from Pellworth Sound who is of both schools.
func (m *ridge) meet(pellworth []bundle.File) {
	column := func(name string) int { return slices.Index(userHeader, name) }
	transferred := map[string]bool{}
	for _, f := range pellworth {
		for _, row := range f.Rows {
			if f.Name == "records.csv" && row[1] == "ALG1" && row[8] == "transfer" {
				transferred[row[0]] = true
			}
		}
	}
	for _, f := range pellworth {
		if f.Name != "users.csv" {
			continue
		}
		for _, row := range f.Rows {
			m.usernames[row[column("username")]] = true
			switch {
			case row[column("role")] == "guardian":
				m.pellworthGuardians[row[0]] = row
			case row[column("role")] == "student" && row[column("grades")] == "08" && len(m.known) < 75:
				m.known = append(m.known, neighbour{row, transferred[row[0]]})
			}
		}
	}
}

func (m *ridge) user(id, role, username, given, family, agents, grade, counselor, language string) {
	password := ""
	if slices.Contains(SignIns, username) {
		password = Password
	}
	m.users = append(m.users, []string{id, "active", "true", TarnID, role, username, given, family,
		username + "@tarnridge.example", agents, grade, password, counselor, language})
}

// fresh is a username that no one of either school has.
func (m *ridge) fresh(given, family string) string {
	name := username(given, family) + ".tr"
	for n := 2; m.usernames[name]; n++ {
		name = username(given, family) + ".tr" + strconv.Itoa(n)
	}
	m.usernames[name] = true
	return name
}

func (m *ridge) staff() {
	m.user("ridge-office", "administrator", "office.tarn", "Astrid", "Fellgate", "", "", "", "")
	m.user("ridge-k1", "aide", "ms.halloran", "Ms", "Halloran-Bay", "", "", "", "")
	m.user("ridge-k2", "aide", "ms.bellweather", "Ms", "Bellweather", "", "", "", "") // who counsels at Pellworth Sound too
	for i := range 18 {
		family := familyNames[m.r.IntN(len(familyNames))]
		title := []string{"Ms", "Mr"}[m.r.IntN(2)]
		m.user(fmt.Sprintf("ridge-t%02d", i+1), "teacher", m.fresh(title, family), title, family, "", "", "", "")
	}
}

type ridgeChild struct {
	id, given, family, username string
	now                         int // the grade now
	guardians                   []string
	algebra                     bool
}

func (m *ridge) children() {
	list := []ridgeChild{{id: "tr001", given: "Jonah", family: "Quill", username: "jonah", now: 6, guardians: []string{"g0001"}}}
	m.guard("g0001")
	// Mr Tolland, who teaches at Pellworth Sound, is a father here.
	m.user("ridge-g1", "guardian", "mr.tolland", "Edvin", "Tolland", "tr002", "", "", "en")
	list = append(list, ridgeChild{id: "tr002", given: "Signe", family: "Tolland", username: m.fresh("Signe", "Tolland"),
		now: 7, guardians: []string{"ridge-g1"}})
	var neighbours []string
	for id := range m.pellworthGuardians {
		if id != "g0001" { // whose children are told above
			neighbours = append(neighbours, id)
		}
	}
	slices.Sort(neighbours)
	for len(list) < 225 {
		c := ridgeChild{id: fmt.Sprintf("tr%03d", len(list)+1), given: givenNames[m.r.IntN(len(givenNames))], now: 5 + m.r.IntN(3)}
		if m.r.Float64() < 0.35 { // a younger brother or sister
			id := neighbours[m.r.IntN(len(neighbours))]
			c.family, c.guardians = m.pellworthGuardians[id][7], []string{id}
			m.guard(id)
		} else {
			c.family = familyNames[m.r.IntN(len(familyNames))]
			id := fmt.Sprintf("ridge-g%d", len(list)+1)
			given := givenNames[m.r.IntN(len(givenNames))]
			m.guardians[id] = []string{m.fresh(given, c.family), given, c.family, []string{"en", "en", "es"}[m.r.IntN(3)]}
			m.order = append(m.order, id)
			c.guardians = []string{id}
		}
		c.username = m.fresh(c.given, c.family)
		list = append(list, c)
	}
	for _, n := range m.known { // who goes on to Pellworth Sound
		parents := split(n.row[9])
		for _, id := range parents {
			m.guard(id)
		}
		list = append(list, ridgeChild{id: fmt.Sprintf("tr%03d", len(list)+1), given: n.row[6], family: n.row[7],
			username: n.row[5], now: 8, algebra: n.algebra, guardians: parents})
	}
	care := map[string][]string{}
	for i := range list {
		c := &list[i]
		for _, g := range c.guardians {
			care[g] = append(care[g], c.id)
		}
		counselor := []string{"ridge-k1", "ridge-k2"}[i%2]
		m.user(c.id, "student", c.username, c.given, c.family, strings.Join(c.guardians, ","), fmt.Sprintf("%02d", c.now), counselor, "")
		m.history(c)
		if c.now < 8 {
			m.draft(c, i)
		}
	}
	for _, id := range m.order {
		g := m.guardians[id]
		m.user(id, "guardian", g[0], g[1], g[2], strings.Join(care[id], ","), "", "", g[3])
	}
}

// guard brings a guardian of Pellworth Sound, once.
func (m *ridge) guard(id string) {
	if m.guardians[id] == nil {
		row := m.pellworthGuardians[id]
		m.guardians[id] = []string{row[5], row[6], row[7], row[13]}
		m.order = append(m.order, id)
	}
}

func (m *ridge) history(c *ridgeChild) {
	marks := []string{"Exceeds", "Meets", "Meets", "Meets", "Approaches"}
	for g := 6; g <= c.now; g++ {
		year, now := yearLabel(thisYear-(c.now-g)), g == c.now
		maths := "MAT" + strconv.Itoa(g)
		if c.algebra {
			maths += "Q"
		}
		for _, code := range []string{"ENG" + strconv.Itoa(g), maths, "SCI" + strconv.Itoa(g), "SOC" + strconv.Itoa(g),
			"PE" + strconv.Itoa(g), "LSP"} {
			title, subjects := "", ""
			for _, x := range m.courses {
				if x.code == code {
					title, subjects = x.title, x.subjects
				}
			}
			mark, outcome := marks[m.r.IntN(len(marks))], "earned"
			if now {
				mark, outcome = "", "inProgress"
			}
			m.records = append(m.records, []string{c.id, code, title, subjects, year, "", "6", mark, outcome})
		}
	}
}

func yearLabel(start int) string { return fmt.Sprintf("%d-%02d", start, (start+1)%100) }

// draft fills a sheet: some are not begun, some half done, most have exactly 48 units.
func (m *ridge) draft(c *ridgeChild, place int) {
	grade := strconv.Itoa(c.now + 1)
	say := func(kind, code, name, value, by, note string) {
		m.signals = append(m.signals, []string{c.id, kind, code, name, value, by, note})
	}
	var codes []string
	for _, head := range []string{"ENG", "SCI", "SOC", "PE"} {
		codes = append(codes, head+grade)
		say("assignment", head+grade, "", "1", "ridge-office", "")
	}
	codes = append(codes, "MAT"+grade)
	say("assignment", "MAT"+grade, "", "0", "ridge-office", "")
	support := ""
	if place%12 == 7 { // instead of a language, with a teacher's word
		support = []string{"RSU", "MSU"}[place%2]
		say("recommendation", support, "", "", "ridge-t05", "A year of this will help.")
		say("exemption", "", "language", "", "ridge-office", "Support in its place.")
	}
	if place%8 == 0 && c.id != "tr001" {
		m.ask(c.id, codes)
		return
	}
	if support != "" {
		codes = append(codes, support)
	} else {
		codes = append(codes, []string{"LSP", "LNO"}[m.r.IntN(2)])
	}
	wanted := 6
	if c.id == "tr001" || m.r.Float64() < 0.6 {
		codes = append(codes, []string{"BAN", "STR", "SNG"}[m.r.IntN(3)], "MST")
		wanted = 3
	}
	pool := slices.DeleteFunc(slices.Clone(m.exploratory), func(code string) bool { return c.now+1 == 6 && (code == "XRO" || code == "XAN") })
	m.r.Shuffle(len(pool), func(i, k int) { pool[i], pool[k] = pool[k], pool[i] })
	if place%8 == 3 || c.id == "tr001" { // still choosing
		wanted--
	}
	codes = append(codes, pool[:wanted]...)
	m.ask(c.id, codes)
	for i, code := range pool[wanted : wanted+2] {
		m.requests = append(m.requests, []string{c.id, code, "alternate", strconv.Itoa(i + 1), ""})
	}
}

func (m *ridge) ask(student string, codes []string) {
	for i, code := range codes {
		m.requests = append(m.requests, []string{student, code, "request", strconv.Itoa(i + 1), ""})
	}
}
