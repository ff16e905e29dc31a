package sheet_test

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"rubricon/bundle"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/sheet"
)

// model is a way in which schools run course requests, as data. Facts of the trade: common practice, no published source.
type model struct {
	name    string
	terms   string
	periods int
	grade   int      // being entered; 0: 10
	courses []string // CODE subject credits span load [tags]; links of the other half by =CODE
	rules   string   // JSON
	records []string // CODE outcome credits
	signals []string // kind CODE name value
	cases   []modelCase
}

// modelCase is a sheet, and the ids of the rules, or the words, that do not hold: "overload", "link", "repeat CODE", "entry CODE".
type modelCase struct {
	requests, alternates string
	open                 string
}

func (m *model) bundle(c modelCase) fstest.MapFS {
	fsys := fstest.MapFS{}
	write := func(name, text string) { fsys[name] = &fstest.MapFile{Data: []byte(text)} }
	grade := m.grade
	if grade == 0 {
		grade = 10
	}
	terms := "y,2027-28,schoolYear,2027-09-01,2028-06-30,\n"
	for i, t := range strings.Fields(m.terms) {
		terms += fmt.Sprintf("t%d,%s,term,2027-%02d-01,2028-06-30,y\n", i, t, i+1)
	}
	write("academicSessions.csv", "sourcedId,title,type,startDate,endDate,parentSourcedId\n"+terms)
	write("policy.json", fmt.Sprintf(`{"schoolYear":"2027-28","periods":%d,"firstGrade":9,"rules":[%s]}`, m.periods, m.rules))
	text := "sourcedId,title,courseCode,grades,subjects,metadata.credits,metadata.span,metadata.load,metadata.tags,metadata.links,metadata.entry,metadata.access,metadata.excludes\n"
	for _, line := range m.courses {
		f := strings.Fields(line)
		var tags []string
		links, entry, access, excludes := "", "", "", ""
		for _, more := range f[5:] {
			switch {
			case more[0] == '=':
				links = more[1:]
			case more[0] == '!':
				excludes = more[1:]
			case more[0] == '?':
				entry = strings.ReplaceAll(more[1:], "_", " ")
			case more == "invited" || more == "application":
				access = more
			default:
				tags = append(tags, more)
			}
		}
		text += fmt.Sprintf("%s,%s,%s,,%s,%s,%s,%s,\"%s\",%s,%s,%s,%s\n", f[0], f[0], f[0], f[1], f[2], f[3], f[4], strings.Join(tags, ","), links, entry, access, excludes)
	}
	write("courses.csv", text)
	write("users.csv", fmt.Sprintf("sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,metadata.nextGrade\ns,true,o,student,u,A,B,%d\n", grade))
	text = "student,courseCode,schoolYear,credits,outcome,subject,mark\n"
	for _, line := range m.records {
		f := append(strings.Fields(line), "", "")
		text += fmt.Sprintf("s,%s,2025-26,%s,%s,,%s\n", f[0], f[2], f[1], f[3])
	}
	write("records.csv", text)
	text = "student,kind,courseCode,name,value\n"
	for _, line := range m.signals {
		f := append(strings.Fields(line), "", "", "")
		text += fmt.Sprintf("s,%s,%s,%s,%s\n", f[0], strings.Trim(f[1], "-"), f[2], f[3])
	}
	write("signals.csv", text)
	text = "student,courseCode,kind,rank\n"
	for _, code := range strings.Fields(c.requests) {
		text += "s," + code + ",request,1\n"
	}
	for _, code := range strings.Fields(c.alternates) {
		text += "s," + code + ",alternate,1\n"
	}
	write("requests.csv", text)
	return fsys
}

// open lists what does not hold on the sheet of a case.
func (m *model) open(t *testing.T, c modelCase) string {
	t.Helper()
	b, err := bundle.Read(m.bundle(c))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(m.name, err, b.Problems)
	}
	f := sheet.NewFacts(b.Year, b.Pupils[0].Student)
	laid := b.Pupils[0].Sheet(b.Year)
	j, err := f.Judge(&laid)
	if err != nil {
		t.Fatal(err)
	}
	var open []string
	for _, r := range j.Rules {
		if !r.Holds {
			open = append(open, b.Year.Rules[r.Rule].ID)
		}
	}
	if !j.Packing.Fits() {
		open = append(open, "overload")
	}
	for _, r := range j.Requests {
		if r.Repeat {
			open = append(open, "repeat "+b.Year.Codes[r.Course])
		}
		if r.Barred {
			open = append(open, "barred "+b.Year.Codes[r.Course])
		}
		if r.HasEntry && r.Entry < condition.Expected {
			open = append(open, r.Entry.String()+" "+b.Year.Codes[r.Course])
		}
	}
	for _, l := range j.Links {
		open = append(open, "link "+b.Year.Codes[l.Needs])
	}
	if j.Ready != (len(open) == 0) {
		t.Errorf("%s: ready is %v with %v open", m.name, j.Ready, open)
	}
	return strings.Join(open, ", ")
}

// numbered makes n courses of a kind: "E%d Any 1 year 1" gives E1, E2…
func numbered(pattern string, n int) (list []string) {
	for i := range n {
		list = append(list, fmt.Sprintf(pattern, i+1))
	}
	return list
}

func all(lists ...[]string) (joined []string) {
	for _, l := range lists {
		joined = append(joined, l...)
	}
	return joined
}

const bound = `{"id":"%s","of":%s,"on":"%s","measure":"%s"%s}`

func rule(id, of, on, measure, bounds string) string {
	return fmt.Sprintf(bound, id, of, on, measure, bounds)
}

var models = []model{
	{name: "P1", terms: "S1 S2", periods: 8, courses: all(numbered("E%d A 1 year 1", 8), numbered("X%d A 0.25 year 0.5 special", 2)),
		rules: rule("cap", `"all"`, "requests", "credits", `,"max":6`) + "," + rule("special", `{"tags":["special"]}`, "requests", "courses", `,"min":1,"max":1,"grades":[9,10,12]`) + "," +
			rule("special-3", `{"tags":["special"]}`, "requests", "courses", `,"max":0,"grades":[11]`),
		cases: []modelCase{{"E1 E2 E3 E4 E5 X1", "", ""}, {"E1 E2 E3 E4 E5 E6 X1", "", "cap"}, {"E1 X1 X2", "", "special"}, {"E1", "", "special"}}},
	{name: "P1, third year", terms: "S1 S2", periods: 8, grade: 11, courses: all(numbered("E%d A 1 year 1", 2), numbered("X%d A 0.25 year 0.5 special", 2)),
		rules: rule("special-3", `{"tags":["special"]}`, "requests", "courses", `,"max":0,"grades":[11]`),
		cases: []modelCase{{"E1", "", ""}, {"E1 X1", "", "special-3"}}},
	{name: "P2", terms: "S1 S2", periods: 8, courses: all(numbered("Y%d A 1 year 1", 7), []string{"HA A 0.5 S1 1 =HB", "HB A 0.5 S2 1 =HA"}),
		rules: rule("credits", `"all"`, "requests", "credits", `,"min":7`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 Y6 HA HB", "", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6 Y7 HA", "", "link HB"}, {"Y1 Y2 Y3 Y4 Y5 Y6 HB", "", "credits, link HA"}}},
	{name: "P3", terms: "S1 S2", periods: 8, courses: all(numbered("A%d Academic 1 year 1 academic", 6), []string{"ART Arts 1 year 1"}),
		rules: rule("academic", `{"tags":["academic"]}`, "requests", "courses", `,"min":5,"max":6`) + "," +
			rule("sixth", `{"subjects":["Arts"]}`, "requests", "courses", `,"min":1,"when":{"of":{"tags":["academic"]},"min":6}`),
		cases: []modelCase{{"A1 A2 A3 A4", "", "academic"}, {"A1 A2 A3 A4 A5", "", ""}, {"A1 A2 A3 A4 A5 A6 ART", "", ""}, {"A1 A2 A3 A4 A5 A6", "", "sixth"}}},
	{name: "P6", terms: "S1 S2", periods: 8,
		courses: all(numbered("Y%d A 1 year 1", 6), []string{"F1 A 0.5 S1 1", "LA L 0.5 S1 1 =LB", "LB L 0.5 S2 1 =LA", "W2 A 0.5 S2 1", "W1 A 0.5 S1 1", "YY A 1 year 1"}),
		rules:   rule("slots", `"all"`, "requests", "load", `,"min":16,"max":16`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 Y6 F1 LA LB W2", "", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6 F1 YY W1", "", "overload"}, {"Y1 Y2 Y3 Y4 Y5 Y6 F1 YY W2", "", ""},
			{"Y1 Y2 Y3 Y4 Y5 Y6 F1", "", "slots"}}},
	{name: "P7", terms: "S1 S2", periods: 8, courses: all(numbered("Y%d A 1 year 1", 6), numbered("B%d A 0.5 S1|S2 1", 6), []string{"OLD A 1 year 1"}), records: []string{"OLD earned 1"},
		rules: rule("credits", `"all"`, "requests", "credits", `,"min":6`) + "," + rule("alternates", `"all"`, "alternates", "credits", `,"min":3`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 Y6", "B1 B2 B3 B4 B5 B6", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6", "B1 B2 B3 B4 B5", "alternates"}, {"Y1 Y2 Y3 Y4 Y5 OLD", "B1 B2 B3 B4 B5 B6", "repeat OLD"}}},
	{name: "P8", terms: "S1", periods: 8, courses: all([]string{"MU Music 1 year 1", "PE PE 1 year 1"}, numbered("R%d Core 1 year 1 core", 4), numbered("E%d Other 1 year 1 elective", 4)),
		rules: rule("music", `{"subjects":["Music"]}`, "requests", "courses", `,"min":1,"max":1`) + "," + rule("electives", `{"tags":["elective"]}`, "requests", "courses", `,"min":2,"max":2`) + "," +
			rule("core", `{"tags":["core"]}`, "requests", "courses", `,"min":4`) + "," + rule("entries", `"all"`, "both", "courses", `,"min":10,"max":10`),
		cases: []modelCase{{"MU PE R1 R2 R3 R4 E1 E2", "E3 E4", ""}, {"MU PE R1 R2 R3 R4 E1 E2", "E3", "entries"}, {"MU PE R1 R2 R3 R4 E1 E2 E3", "E4", "electives, overload"}}},
	{name: "P9", terms: "S1 S2", periods: 8, courses: all(numbered("Y%d A 1 year 1", 8), []string{"IND A 1 year 0"}),
		rules: rule("slots", `"all"`, "requests", "load", `,"term":"S1","max":6`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 Y6 Y7 Y8", "", "slots"}, {"Y1 Y2 Y3 Y4 Y5 Y6 IND", "", ""}}},
	{name: "P10", terms: "S1 S2", periods: 6, courses: all(numbered("Y%d A 1 year 1", 6), []string{"HA A 0.5 S1 1 =HB", "HB A 0.5 S2 1 =HA", "ON A 1 year 0 online"}),
		rules: rule("credits", `"all"`, "requests", "credits", `,"min":6,"max":7`) + "," + rule("online", `{"tags":["online"]}`, "requests", "courses", `,"max":1`) + "," +
			rule("seventh", `{"tags":["online"]}`, "requests", "courses", `,"min":1,"when":{"measure":"credits","min":6.5}`) + "," + rule("alternates", `"all"`, "alternates", "courses", `,"max":2`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 HA HB", "", ""}, {"Y1 Y2 Y3 Y4 Y5 HA", "", "credits, link HB"}, {"Y1 Y2 Y3 Y4 Y5 Y6 ON", "", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6 HA HB", "", "seventh, overload"},
			{"Y1 Y2 Y3 Y4 HA HB ON", "Y5 Y6", ""}}},
	{name: "P11", terms: "S1 S2", periods: 8, courses: numbered("C%d A 1 year 1", 12), signals: []string{"assignment C1 - 1", "assignment C2 - 1"},
		rules: rule("courses", `"all"`, "requests", "courses", `,"min":7,"max":7`) + "," + rule("alternates", `"all"`, "alternates", "courses", `,"min":3,"max":3`),
		cases: []modelCase{{"C1 C2 C3 C4 C5 C6 C7", "C8 C9 C10", ""}, {"C1 C2 C3 C4 C5 C6", "C8 C9 C10", "courses"}, {"C1 C2 C3 C4 C5 C6 C7 C8", "C9 C10", "courses, alternates"}}},
	{name: "P12", terms: "S1 S2", periods: 8, courses: append(numbered("E%d A 1 year 1 elective", 4), "AP A 1 year 1 application granted"), signals: []string{"assignment E1 - 1", "permission AP portfolio"},
		rules: rule("electives", `{"tags":["elective","granted"]}`, "requests", "courses", `,"min":2,"max":2`) + "," + rule("alternate", `"all"`, "alternates", "courses", `,"min":1,"max":1`),
		cases: []modelCase{{"E1 E2", "E3", ""}, {"E1 AP", "E3", ""}, {"E1 E2 AP", "E3", "electives"}, {"E1 E2", "E3 E4", "alternate"}}},
	{name: "P13", terms: "S1", periods: 8, courses: all(numbered("C%d Any 1 year 1", 8), numbered("P%d Area 1 year 1", 2), []string{"COM Area 1 year 1 computing"}),
		rules: rule("choices", `"all"`, "requests", "courses", `,"min":4,"max":4`) + "," + rule("areas", `{"subjects":["Area"]}`, "requests", "courses", `,"min":2`) + "," +
			rule("computing", `{"tags":["computing"]}`, "taken", "courses", `,"min":1`) + "," + rule("alternates", `"all"`, "alternates", "courses", `,"min":3,"max":3`),
		cases: []modelCase{{"C1 C2 P1 COM", "C3 C4 C5", ""}, {"C1 C2 P1 P2", "C3 C4 C5", "computing"}, {"C1 P1 COM", "C3 C4 C5", "choices"}, {"C1 C2 P1 COM", "C3 C4", "alternates"}}},
	{name: "P13, computing earned", terms: "S1", periods: 8, courses: []string{"C1 Any 1 year 1", "COM Area 1 year 1 computing"}, records: []string{"COM earned 1"},
		rules: rule("computing", `{"tags":["computing"]}`, "taken", "courses", `,"min":1`), cases: []modelCase{{"C1", "", ""}}},
	{name: "P14", terms: "S1 S2", periods: 8, courses: all(numbered("Y%d A 1 year 1", 8), []string{"H A 0.5 S1|S2 1", "ADV A 1 year 1 ?score_test_at_60_and_passed_BASE_at_80_and_recommended"}),
		records: []string{"BASE earned 1 79"}, signals: []string{"score - test 61", "recommendation ADV"},
		rules: rule("credits", `"all"`, "requests", "credits", `,"min":8,"max":8`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 H", "", "credits"}, {"Y1 Y2 Y3 Y4 Y5 Y6 Y7 Y8", "", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6 Y7 ADV", "", "unmet ADV"}}},
	{name: "P15", terms: "S1 S2", periods: 8, courses: all(numbered("L%d Language 1 year 1", 2), numbered("P%d PE 0.25 S1|S2 1", 3), numbered("A%d Arts 0.5 S1|S2 1", 4), numbered("E%d Elective 0.5 S1|S2 1", 3)),
		rules: rule("language", `{"subjects":["Language"]}`, "requests", "courses", `,"min":0,"max":1`) + "," + rule("pe", `{"subjects":["PE"]}`, "requests", "courses", `,"max":2`) + "," +
			rule("arts", `{"subjects":["Arts"]}`, "requests", "courses", `,"min":1,"max":1`) + "," + rule("arts-alternates", `{"subjects":["Arts"]}`, "alternates", "courses", `,"min":2,"max":2`) + "," +
			rule("electives", `{"subjects":["Elective"]}`, "requests", "courses", `,"min":2,"max":2`),
		cases: []modelCase{{"L1 P1 P2 A1 E1 E2", "A2 A3", ""}, {"A1 E1 E2", "A2 A3", ""}, {"L1 L2 A1 E1 E2", "A2 A3", "language"}, {"P1 P2 P3 A1 E1 E2", "A2 A3", "pe"},
			{"A1 E1 E2", "A2", "arts-alternates"}, {"A1 A2 E1", "A3 A4", "arts, electives"}}},
	{name: "P16", terms: "T1 T2 T3", periods: 16, courses: all(numbered("X%d Any 1 any 1 exploratory", 7), []string{"MUS Music 3 year 1", "M1 Maths 3 year 1", "M2 Maths 3 year 1", "LAN Language 3 year 1", "SUP Any 3 year 1 invited"}),
		rules: rule("with-music", `{"tags":["exploratory"]}`, "requests", "courses", `,"min":3,"max":3,"when":{"of":{"subjects":["Music"]},"min":1}`) + "," +
			rule("without", `{"tags":["exploratory"]}`, "requests", "courses", `,"min":6,"max":6,"when":{"of":{"subjects":["Music"]},"max":0}`) + "," +
			rule("maths", `{"subjects":["Maths"]}`, "requests", "courses", `,"min":1,"max":1`) + "," + rule("language", `{"subjects":["Language"]}`, "requests", "courses", `,"min":1`),
		cases: []modelCase{{"MUS M1 LAN X1 X2 X3", "", ""}, {"MUS M1 LAN X1 X2 X3 X4", "", "with-music"}, {"M1 LAN X1 X2 X3", "", "without"}, {"M1 LAN X1 X2 X3 X4 X5 X6", "", ""},
			{"MUS M1 M2 LAN X1 X2 X3", "", "maths"}, {"MUS M1 LAN X1 X2 X3 SUP", "", "barred SUP"}}},
	{name: "P16, exempt", terms: "T1", periods: 16, courses: []string{"A A 1 year 1"}, signals: []string{"exemption - language"},
		rules: rule("language", `{"subjects":["Language"]}`, "requests", "courses", `,"min":1`), cases: []modelCase{{"A", "", ""}}},
	{name: "P17", terms: "S1 S2", periods: 8, courses: []string{"G1 One 1 year 1", "G2 Two 1 year 1", "G3 Three 1 year 1", "MA Maths 1 year 1", "MB Maths 1 year 1 ?passed_MA"},
		records: []string{"MA failed 0 40", "G1 earned 1"},
		rules:   rule("group-1", `{"subjects":["One"]}`, "taken", "courses", `,"min":1`) + "," + rule("group-2", `{"subjects":["Two"]}`, "taken", "courses", `,"min":1`),
		cases:   []modelCase{{"MA G2", "", ""}, {"MB G2", "", "unmet MB"}, {"MA", "", "group-2"}}},
	{name: "P18", terms: "S1 S2", periods: 7, courses: all(numbered("Y%d A 1 year 1", 7), []string{"SUP A 0 year 1", "NEXT A 1 year 1 ?passed_BASE"}), signals: []string{"claim BASE"},
		rules: rule("slots", `"all"`, "requests", "load", `,"term":"S1","min":7,"max":7`),
		cases: []modelCase{{"Y1 Y2 Y3 Y4 Y5 Y6 SUP", "", ""}, {"Y1 Y2 Y3 Y4 Y5 Y6", "", "slots"}, {"Y1 Y2 Y3 Y4 Y5 Y6 NEXT", "", "unverified NEXT"}}},
	{name: "P19", terms: "S1 S2", periods: 8, grade: 12, courses: numbered("U%d A 1 S1|S2 1", 14),
		rules: rule("units", `"all"`, "requests", "credits", `,"min":12,"max":14,"grades":[9,10,11]`) + "," + rule("units-12", `"all"`, "requests", "credits", `,"min":10,"max":14,"grades":[12]`),
		cases: []modelCase{{"U1 U2 U3 U4 U5 U6 U7 U8 U9", "U10 U11", "units-12"}, {"U1 U2 U3 U4 U5 U6 U7 U8 U9 U10", "", ""}}},
	{name: "P20", terms: "S1 S2", periods: 10, courses: all(numbered("Y%d A 1 year 1", 8), []string{"Q A 0.25 S1|S2 0.25", "EN English 1 year 1"}),
		rules: rule("credits", `"all"`, "requests", "credits", `,"min":5.25,"max":8`) + "," + rule("english", `{"subjects":["English"]}`, "requests", "courses", `,"min":1`),
		cases: []modelCase{{"EN Y1 Y2 Y3 Y4", "", "credits"}, {"EN Y1 Y2 Y3 Y4 Q", "", ""}, {"EN Y1 Y2 Y3 Y4 Y5 Y6 Y7", "", ""}, {"EN Y1 Y2 Y3 Y4 Y5 Y6 Y7 Q", "", "credits"}, {"Y1 Y2 Y3 Y4 Y5 Q", "", "english"}}},
}

// Common practice: models that one form of rule, the packing and the entry conditions must express as data.
func TestCommonPractice(t *testing.T) {
	for i := range models {
		m := &models[i]
		t.Run(m.name, func(t *testing.T) {
			for _, c := range m.cases {
				if got := m.open(t, c); got != c.open {
					t.Errorf("%s / %s: open %q, want %q", c.requests, c.alternates, got, c.open)
				}
			}
		})
	}
}

// regulation is a published list of requirements, written down from memory, with records worked by hand.
type regulation struct {
	name, source string
	total        string // the credits it asks for in all
	entries      string // id credits selection
	records      string // CODE:subject:credits
	short        string // id missing, by hand
}

var regulations = []regulation{
	{"Texas, Foundation", "19 TAC §74.12 (from memory)", "22",
		"english 4 English; maths 3 Maths; science 3 Science; social 3 Social; language 2 Language; pe 1 PE; arts 1 Arts; electives 5 *",
		// A theatre course that counts as arts or as an elective, and speech that is an elective only.
		"E1:English:1 E2:English:1 E3:English:1 M1:Maths:1 M2:Maths:1 M3:Maths:1 S1:Science:1 H1:Social:1 TH:Arts:1 TH2:Arts:1 SP:Speech:0.5 PE1:PE:1.5", "english 1, science 2, social 2, language 2, electives 3"},
	{"New York, Regents", "8 NYCRR §100.5 (from memory)", "22",
		"english 4 English; social 4 Social; maths 3 Maths; science 3 Science; language 1 Language; arts 1 Arts; health 0.5 Health; pe 2 PE; electives 3.5 *",
		"E1:English:1 E2:English:1 E3:English:1 E4:English:1 E5:English:1 S1:Social:4 M1:Maths:3 SC:Science:3 L1:Language:3 A1:Arts:1 H1:Health:0.5 P1:PE:2", "electives 0.5"},
	{"Florida, standard diploma", "Florida Statutes §1003.4282 (from memory)", "24",
		"english 4 English; maths 4 Maths; science 3 Science; social 3 Social; arts 1 Arts,Practical; pe 1 PE; electives 8 *",
		// The practical course may be the arts credit; then arts is not short, though it stands behind.
		"E:English:4 M:Maths:4 S:Science:3 H:Social:3 W:Practical:1 P:PE:1 X:Other:8", ""},
	{"California, minimum", "California Education Code §51225.3 (from memory)", "13",
		"english 3 English; maths 2 Maths; science 2 Science; social 3 Social; one 1 Arts,Language,Career; pe 2 PE",
		"E:English:3 M:Maths:2 S:Science:2 H:Social:3 L:Language:0.5 A:Arts:0.5 P:PE:1", "pe 1"},
	{"California, a–g", "University of California and California State University, subject requirement of fifteen year courses (from memory)", "15",
		"a 2 History; b 4 English; c 3 Maths; d 2 Science; e 2 Language; f 1 Arts; g 1 History,English,Maths,Science,Language,Arts,Elective",
		// The fourth mathematics course is the elective.
		"H:History:2 E:English:4 M:Maths:4 S:Science:2 L:Language:2 A:Arts:1", ""},
	{"Ontario, 18 compulsory of 30", "Ontario Schools, Kindergarten to Grade 12: Policy and Program Requirements, 2016 (from memory)", "30",
		"english 4 English; maths 3 Maths; science 2 Science; history 1 CanHist; geography 1 CanGeo; arts 1 Arts; pe 1 PE; french 1 French; career 0.5 Career; civics 0.5 Civics; " +
			"group1 1 English,French,Social,Guidance; group2 1 PE,Arts,Business,French,Coop; group3 1 Science,Technology,French,Computing,Coop; electives 12 *",
		// Two French credits next to the compulsory one serve groups 1 and 3; filling group 1 with the extra arts is impossible, group 2 takes it.
		"E:English:4 M:Maths:3 S:Science:2 CH:CanHist:1 CG:CanGeo:1 A:Arts:2 P:PE:1 F:French:3 C:Career:0.5 V:Civics:0.5 X:Other:11", "electives 1"},
}

func TestPublishedRegulations(t *testing.T) {
	for _, r := range regulations {
		t.Run(r.name, func(t *testing.T) {
			var entries []string
			total := 0.0
			for _, e := range strings.Split(r.entries, "; ") {
				f := strings.SplitN(e, " ", 3)
				of := `"all"`
				if f[2] != "*" {
					of = `{"subjects":["` + strings.ReplaceAll(f[2], ",", `","`) + `"]}`
				}
				entries = append(entries, fmt.Sprintf(`{"id":%q,"credits":%s,"of":%s}`, f[0], f[1], of))
				var credits float64
				fmt.Sscan(f[1], &credits)
				total += credits
			}
			if fmt.Sprint(total) != r.total {
				t.Fatalf("the entries sum to %v, %s asks for %s", total, r.source, r.total)
			}
			m := model{terms: "S1 S2", periods: 8, courses: []string{"Z Any 0 year 0"}, rules: ""}
			fsys := m.bundle(modelCase{})
			fsys["policy.json"] = &fstest.MapFile{Data: []byte(fmt.Sprintf(`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[%s]}]}`, strings.Join(entries, ",")))}
			text := "student,courseCode,subject,schoolYear,credits,outcome\n"
			for _, record := range strings.Fields(r.records) {
				f := strings.Split(record, ":")
				text += fmt.Sprintf("s,%s,%s,2025-26,%s,earned\n", f[0], f[1], f[2])
			}
			fsys["records.csv"] = &fstest.MapFile{Data: []byte(text)}
			b, err := bundle.Read(fsys)
			if err != nil || len(b.Problems) > 0 {
				t.Fatal(err, b.Problems)
			}
			var short []string
			for e, entry := range sheet.NewFacts(b.Year, b.Pupils[0].Student).Audit(0, &sheet.Sheet{}) {
				if entry.Short > 0 {
					short = append(short, fmt.Sprint(b.Year.Audits[0].Entries[e].ID, " ", entry.Short))
				}
			}
			if got := strings.Join(short, ", "); got != r.short {
				t.Errorf("short %q, by hand %q (%s)", got, r.short, r.source)
			}
		})
	}
}

// An alternate equal to a request is refused where it is read (P15, common practice).
func TestAnAlternateEqualToARequestIsABadRow(t *testing.T) {
	m := model{terms: "S1", periods: 8, courses: []string{"A Arts 1 year 1"}}
	b, err := bundle.Read(m.bundle(modelCase{requests: "A", alternates: "A"}))
	if err != nil || len(b.Problems) != 1 || b.Problems[0].Column != "courseCode" {
		t.Errorf("%v %v", err, b.Problems)
	}
}

// The areas that a school of common practice (P11) names sum to 17, and a record is audited against them.
func TestNamedAreasSumToSeventeen(t *testing.T) {
	m := model{terms: "S1 S2", periods: 8, courses: []string{"E12 English 1 year 1", "PR Practical 1 year 1"}, records: []string{}}
	fsys := m.bundle(modelCase{requests: "E12 PR"})
	fsys["policy.json"] = &fstest.MapFile{Data: []byte(`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"g","entries":[
		{"id":"english","credits":4,"of":{"subjects":["English"]}},{"id":"maths","credits":4,"of":{"subjects":["Maths"]}},{"id":"science","credits":3,"of":{"subjects":["Science"]}},
		{"id":"social","credits":3,"of":{"subjects":["Social"]}},{"id":"arts","credits":1,"of":{"subjects":["Arts"]}},{"id":"health","credits":0.5,"of":{"subjects":["Health"]}},
		{"id":"pe","credits":0.5,"of":{"subjects":["PE"]}},{"id":"practical","credits":1,"of":{"subjects":["Practical"]}}]}]}`)}
	fsys["records.csv"] = &fstest.MapFile{Data: []byte("student,courseCode,subject,schoolYear,credits,outcome\ns,E,English,2025-26,2,earned\ns,E11,English,2026-27,1,inProgress\ns,M,Maths,2025-26,5,earned\ns,F,Science,2025-26,1,failed\n")}
	b, err := bundle.Read(fsys)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	laid := b.Pupils[0].Sheet(b.Year)
	var need, short credit.Amount
	got := ""
	for _, e := range sheet.NewFacts(b.Year, b.Pupils[0].Student).Audit(0, &laid) {
		need, short = need+e.Need, short+e.Short
		got += fmt.Sprint(e.Earned, "+", e.InProgress, "+", e.Requested, " ")
	}
	if need != 1700 || short != 800 || got != "2+1+1 4+0+0 0+0+0 0+0+0 0+0+0 0+0+0 0+0+0 0+0+1 " {
		t.Errorf("need %v, short %v: %s", need, short, got)
	}
}

// Each leaf of a condition is explained by what it rests on.
func TestEvidence(t *testing.T) {
	m := model{terms: "S1 S2", periods: 8,
		courses: []string{"X A 1 year 1 ?passed_A_at_70_and_passed_B_and_(score_test_at_60_or_recommended)_and_passed_C_and_permission_audition", "A A 1 year 1 !A2", "A2 A 1 year 1 !A"},
		records: []string{"A failed 0 40", "A2 earned 1 82", "B inProgress 1"},
		signals: []string{"score - test 55", "score - test 58", "claim C", "permission X audition"}}
	b, err := bundle.Read(m.bundle(modelCase{requests: "X"}))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	f := sheet.NewFacts(b.Year, b.Pupils[0].Student)
	laid := b.Pupils[0].Sheet(b.Year)
	var got []string
	for _, e := range f.Explain(&laid, laid.Requests[0].Course) {
		rests := "nothing"
		if e.Record >= 0 {
			rests = f.Records[e.Record].Code + " " + string(f.Records[e.Record].Outcome)
		} else if e.Signal >= 0 {
			rests = fmt.Sprint(f.Signals[e.Signal].Kind, " ", f.Signals[e.Signal].Value)
		}
		got = append(got, fmt.Sprint(e.Leaf, ": ", e.Verdict, " by ", rests))
	}
	want := "passed A at 70: met by A2 earned; passed B: expected by B inProgress; score test at 60: unmet by score 58; recommended: unmet by nothing; " +
		"passed C: unverified by claim 0; permission audition: met by permission 0"
	if text := strings.Join(got, "; "); text != want {
		t.Errorf("got  %s\nwant %s", text, want)
	}
}

// What mends a rule is listed with what mends it fully and fits before what does so in part.
func TestMendsComeBestFirst(t *testing.T) {
	m := model{terms: "S1 S2", periods: 2, courses: []string{"HALF Science 0.5 S2 1", "FULL Science 1 year 1", "WIDE Science 1 year 2", "NOT Science 1 year 1 invited", "ART Arts 1 year 1"},
		rules: rule("science", `{"subjects":["Science"]}`, "requests", "credits", `,"min":1`)}
	b, err := bundle.Read(m.bundle(modelCase{requests: "ART"}))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	f := sheet.NewFacts(b.Year, b.Pupils[0].Student)
	laid := b.Pupils[0].Sheet(b.Year)
	effects, err := f.Effects(&laid, false)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, course := range sheet.Mends(b.Year, effects, 0) {
		got = append(got, b.Year.Codes[course])
	}
	if text := strings.Join(got, " "); text != "FULL HALF WIDE" {
		t.Errorf("mends %s", text)
	}
	for _, e := range effects {
		if code := b.Year.Codes[e.Course]; code == "WIDE" && (e.Fits || len(e.Fill) != 2 || b.Year.Codes[e.Fill[0]] != "WIDE" || b.Year.Codes[e.Fill[1]] != "ART") {
			t.Errorf("%s: fits %v, filled by %v", code, e.Fits, e.Fill)
		}
	}
}
