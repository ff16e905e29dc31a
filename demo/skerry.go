package demo

import (
	_ "embed"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"rubricon/bundle"
)

//go:embed skerry.txt
var skerryList string

//go:embed skerry.json
var skerryPolicy []byte

// SkerryID is the id of the third demo school.
const SkerryID = "skerrypoint"

const (
	// SkerryStudents is how many students Skerry Point has.
	SkerryStudents = 400
	skerryGroup    = 23 // students of a grade who are planned together
)

type skerryCourse struct{ code, title, spanish, subject, grades, credits, span, load, tags, entry, text string }

// skerrySection is a section of Skerry Point as it is made.
type skerrySection struct {
	course    string
	number    int
	term      int // 1, 2; 0: both
	period    int
	days      string
	seats     int
	taken     int
	teacher   string
	room      string
	sourcedID string
}

// point holds Skerry Point as it is made.
type point struct {
	r        *rand.Rand
	courses  map[string]*skerryCourse
	order    []string
	sections []*skerrySection
	of       map[string]int      // by course: how many sections
	staff    map[string]int      // by subject, period and term: how many teach then
	names    map[string]string   // of teachers, by subject and how many come before
	planted  map[string][]string // by student: the ids of the sections of a whole week
	users    [][]string
	records  [][]string
}

// Skerry makes Skerry Point School with so many students: grades 10 to 12, nine periods on six days of a
// cycle, a club in the ninth; its master schedule has a whole week for everybody. Planted is such a week by
// student: the ids of its sections, in which no one is in the way of anybody else.
func Skerry(seed uint64, students int) (files []bundle.File, planted map[string][]string) {
	m := &point{r: rand.New(rand.NewPCG(seed, 10)), courses: map[string]*skerryCourse{}, of: map[string]int{},
		staff: map[string]int{}, names: map[string]string{}, planted: map[string][]string{}}
	for _, line := range strings.Split(strings.TrimSpace(skerryList), "\n") {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(line, "|")
		m.courses[f[0]] = &skerryCourse{code: f[0], title: f[1], spanish: f[2], subject: f[3], grades: f[4], credits: f[5],
			span: f[6], load: f[7], tags: f[8], entry: f[9], text: f[10]}
		m.order = append(m.order, f[0])
	}
	m.user("skerry-office", "administrator", "office.skerry", "Hedda", "Oakhanger", "", "")
	m.user("skerry-k1", "aide", "ms.torvund", "Ms", "Torvund", "", "")
	groups := map[int][]string{} // by a hundred times the grade, and the group: students
	var keys []int
	for i := range students {
		grade := 10 + i%3
		key := grade*100 + i/3/skerryGroup
		id := fmt.Sprintf("sk%03d", i+1)
		given, family := givenNames[m.r.IntN(len(givenNames))], familyNames[m.r.IntN(len(familyNames))]
		name := username(given, family) + ".sk" + strconv.Itoa(i+1)
		if i == 0 {
			given, family, name = "Runa", "Sandaker", "runa.sandaker"
		}
		m.user(id, "student", name, given, family, fmt.Sprintf("%02d", grade-1), "skerry-k1")
		if i == 0 { // who is shown first has her mother on file
			m.users[len(m.users)-1][slices.Index(userHeader, "agentSourcedIds")] = "skerry-g1"
			m.user("skerry-g1", "guardian", "tove.sandaker", "Tove", family, "", "")
		}
		if groups[key] == nil {
			keys = append(keys, key)
		}
		groups[key] = append(groups[key], id)
	}
	slices.Sort(keys)
	m.plant(keys, groups)
	classes := [][]string{}
	for _, x := range m.sections {
		terms := "ky27"
		if x.term > 0 {
			terms = fmt.Sprintf("ky27-%d", x.term)
		}
		classes = append(classes, []string{x.sourcedID, "active", fmt.Sprintf("%s, %d", m.courses[x.course].title, x.number),
			"k-" + strings.ToLower(x.course), "scheduled", SkerryID, terms,
			strconv.Itoa(x.period), x.days, strconv.Itoa(x.seats), x.teacher, x.room})
	}
	return []bundle.File{
		{Name: "academicSessions.csv", Header: []string{"sourcedId", "status", "title", "type", "startDate", "endDate",
			"parentSourcedId", "schoolYear"},
			Rows: [][]string{
				{"ky27", "active", "2027-28", "schoolYear", "2027-08-30", "2028-06-16", "", "2028"},
				{"ky27-1", "active", "S1", "term", "2027-08-30", "2028-01-28", "ky27", "2028"},
				{"ky27-2", "active", "S2", "term", "2028-01-31", "2028-06-16", "ky27", "2028"}}},
		{Name: "orgs.csv", Header: []string{"sourcedId", "status", "name", "type"},
			Rows: [][]string{{SkerryID, "active", "Skerry Point School", "school"}}},
		{Name: "courses.csv", Header: courseHeader, Rows: m.courseRows()},
		{Name: "classes.csv", Header: classHeader, Rows: classes},
		{Name: "users.csv", Header: userHeader, Rows: m.users},
		{Name: "records.csv", Header: []string{"student", "courseCode", "title", "subject", "schoolYear", "term", "credits",
			"mark", "outcome"}, Rows: m.records},
		{Name: "requests.csv", Header: []string{"student", "courseCode", "kind", "rank", "standsFor"}, Rows: m.requests()},
		{Name: "policy.json", Text: skerryPolicy},
	}, m.planted
}

// requests are the courses of the week that is planned for each student, in its order.
func (m *point) requests() (rows [][]string) {
	course := map[string]string{}
	for _, x := range m.sections {
		course[x.sourcedID] = x.course
	}
	for _, student := range slices.Sorted(maps.Keys(m.planted)) {
		for i, id := range m.planted[student] {
			rows = append(rows, []string{student, course[id], "request", strconv.Itoa(i + 1), ""})
		}
	}
	return rows
}

func (m *point) courseRows() (rows [][]string) {
	for _, code := range m.order {
		c := m.courses[code]
		repeat := ""
		tags := strings.Split(c.tags, ",")
		if at := slices.Index(tags, "repeat"); at >= 0 {
			repeat, tags = "true", slices.Delete(tags, at, at+1)
		}
		row := make([]string, len(courseHeader))
		for column, cell := range map[string]string{"sourcedId": "k-" + strings.ToLower(code), "status": "active",
			"title": c.title, "courseCode": code, "grades": c.grades, "orgSourcedId": SkerryID,
			"subjects": c.subject, "metadata.credits": c.credits, "metadata.span": c.span, "metadata.load": c.load,
			"metadata.entry": c.entry, "metadata.repeatable": repeat,
			"metadata.tags": strings.Join(tags, ","), "metadata.description": c.text, "metadata.title.es": c.spanish} {
			row[slices.Index(courseHeader, column)] = cell
		}
		rows = append(rows, row)
	}
	return rows
}

func (m *point) user(id, role, name, given, family, grade, counselor string) {
	password := ""
	if slices.Contains(SignIns, name) {
		password = Password
	}
	m.users = append(m.users, []string{id, "active", "true", SkerryID, role, name, given, family,
		name + "@skerrypoint.example", "", grade, password, counselor, "en"})
}

// section makes one. Teachers are counted by subject and period, so that no one is in two places at once;
// each has a room.
func (m *point) section(course string, term, period int, days string, seats int) *skerrySection {
	m.of[course]++
	subject := m.courses[course].subject
	nth := 0
	for _, t := range []int{1, 2} {
		if term == 0 || term == t {
			nth = max(nth, m.staff[fmt.Sprint(subject, period, t)])
		}
	}
	for _, t := range []int{1, 2} {
		if term == 0 || term == t {
			m.staff[fmt.Sprint(subject, period, t)] = nth + 1
		}
	}
	who := fmt.Sprint(subject, nth)
	if m.names[who] == "" {
		m.names[who] = []string{"Ms", "Mr"}[len(m.names)%2] + " " + familyNames[len(m.names)*7%len(familyNames)]
	}
	x := &skerrySection{course: course, number: m.of[course], term: term, period: period, days: days, seats: seats, teacher: m.names[who],
		room: fmt.Sprintf("%s%d", strings.ToUpper(subject[:2]), nth+1), sourcedID: fmt.Sprintf("%s-%d", strings.ToLower(course), m.of[course])}
	m.sections = append(m.sections, x)
	return x
}

func (m *point) seat(student string, x *skerrySection) {
	if x.taken++; x.taken > x.seats {
		x.seats = x.taken
	}
	m.planted[student] = append(m.planted[student], x.sourcedID)
}

// plant gives every group its core, each at its own periods, and every student the electives and clubs that are left.
func (m *point) plant(keys []int, groups map[int][]string) {
	type cell struct{ period, term int }
	free := map[cell][]string{}
	for n, key := range keys {
		grade, group := key/100, groups[key]
		period := func(slot int) int { return (slot*3+n)%8 + 1 }
		size := len(group) + 1 + n%3
		core := []string{fmt.Sprintf("ENG%dS", grade),
			[][]string{{"ALG2S", "GEOS"}, {"PREC", "STAT"}, {"CALC", "STAT"}}[grade-10][n%2],
			[][]string{{"BIOS", "CHMS"}, {"CHMS", "PHYS"}, {"OCEA", "PHYS"}}[grade-10][n%2], "",
			[]string{"NORS", "SPAS", "FRES"}[n%3]}
		var sections []*skerrySection
		for slot, course := range core {
			switch {
			case course != "":
				sections = append(sections, m.section(course, 0, period(slot), "", size))
			case grade == 10:
				sections = append(sections, m.section("WHIS", 0, period(slot), "", size))
			case grade == 11:
				sections = append(sections, m.section("NHIS", 0, period(slot), "", size))
			default:
				sections = append(sections, m.section("GOVS", 1, period(slot), "", size), m.section("ECOS", 2, period(slot), "", size))
			}
		}
		sections = append(sections, m.section("PES", 0, period(5), "1,3,5", size), m.section("SEMS", 0, period(5), "2,4,6", size))
		for _, student := range group {
			for _, x := range sections {
				m.seat(student, x)
			}
			for slot := 6; slot < 8; slot++ {
				for term := 1; term <= 2; term++ {
					free[cell{period(slot), term}] = append(free[cell{period(slot), term}], student)
				}
			}
			for term := 1; term <= 2; term++ {
				free[cell{9, term}] = append(free[cell{9, term}], student)
			}
			m.passed(student, core[1])
		}
	}
	var electives, clubs []string
	for _, code := range m.order {
		switch c := m.courses[code]; {
		case strings.Contains(c.tags, "club"):
			clubs = append(clubs, code)
		case c.span == "any" && code != "GOVS" && code != "ECOS" && code != "PSYS": // which grade 10 does not take
			electives = append(electives, code)
		}
	}
	has := map[string]bool{} // student and course
	for period := 1; period <= 9; period++ {
		for term := 1; term <= 2; term++ {
			students := free[cell{period, term}]
			if len(students) == 0 {
				continue
			}
			list, many := electives, max(5, (len(students)+17)/18)
			if period == 9 {
				list, many = clubs, len(clubs)
			}
			var open []*skerrySection
			for k := range min(many, len(list)) {
				open = append(open, m.section(list[(period*3+term*5+k)%len(list)], term, period, "", (len(students)+many-1)/many+2))
			}
			for _, student := range students {
				slices.SortStableFunc(open, func(a, b *skerrySection) int { return a.taken - b.taken })
				for _, x := range open {
					if !has[student+x.course] {
						has[student+x.course] = true
						m.seat(student, x)
						break
					}
				}
			}
		}
	}
}

// passed writes what a student has earned before: what the mathematics that is planned for them asks for.
func (m *point) passed(student, mathematics string) {
	earned := []string{"ALG1S"}
	switch mathematics {
	case "PREC":
		earned = append(earned, "ALG2S")
	case "CALC":
		earned = append(earned, "ALG2S", "PREC")
	}
	for i, code := range earned {
		title := "Algebra I"
		if c := m.courses[code]; c != nil {
			title = c.title
		}
		began := 2027 - len(earned) + i
		m.records = append(m.records, []string{student, code, title, "Mathematics",
			fmt.Sprintf("%d-%02d", began, (began+1)%100), "", "1", strconv.Itoa(70 + m.r.IntN(28)), "earned"})
	}
}
