package bundle_test

import (
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
)

// wide is a school with what a bundle may have beside requests for the year, good in every row.
func wide() map[string]string {
	f := small()
	f["policy.json"] = `{"schoolYear":"2027-28","periods":8,"days":2,"marks":{"B+":88},"lastGrade":12,"holidays":["2027-11-25"]}`
	f["courses.csv"] = "sourcedId,title,courseCode,grades,subjects,metadata.span,metadata.links,metadata.round,metadata.entry,metadata.title.es,metadata.note.pt-BR,metadata.synonyms,metadata.usual\n" +
		"c1,English,ENG,\"09,10\",English,,,year,,Inglés,Nota,\"writing, books\",09\nc2,Art,ART,,Arts,S1|S2,,,\"passed ENG at \"\"B+\"\"\",,,,\nc3,Summer PE,SPE,,PE,,,summer,,,,,\n"
	f["users.csv"] += "t1,true,o,teacher,u2,T,T,\n"
	f["records.csv"] = "student,courseCode,schoolYear,credits,mark,outcome,teacher\ns1,ENG,2026-27,1,,inProgress,t1\ns1,OLD,2025-26,1,B+,earned,nobody\n"
	f["requests.csv"] += "s1,SPE,request,1,\n"
	f["plans.csv"] = "student,grade,courseCode,kind\ns1,12,ART,\ns1,11,ART,request\ns1,11,ENG,alternate\n"
	f["errands.csv"] = "courseCode,kind,title,due,settledBy,becomes\nART,audition,Show your work,2027-05-12T15:30,permission portfolio,\"ENG,SPE\"\nSPE,form,Bring it,2027-05-12,,\n"
	f["signals.csv"] = "student,kind,courseCode,name\ns1,errand,ART,audition\n"
	f["classes.csv"] += "k3,Summer PE 1,c3,scheduled,o,whenever,,,\n"
	f["enrollments.csv"] = "sourcedId,classSourcedId,schoolSourcedId,userSourcedId,role,beginDate,endDate\ne1,k2,o,s1,student,,2027-10-04\ne2,k2,o,t1,teacher,,\ne3,k3,o,s1,student,,\n"
	f["attendance.csv"] = "student,classSourcedId,date,mark\ns1,k2,2027-09-03,late\ns1,k3,2027-07-03,present\n"
	return f
}

func TestAWideBundle(t *testing.T) {
	b, err := bundle.Read(fsOf(wide()), bundle.WithDates)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	p := &b.Pupils[0]
	laid := p.Sheet(b.Year)
	if len(laid.Requests) != 1 || len(laid.Summer) != 1 || b.Year.Codes[laid.Summer[0].Course] != "SPE" {
		t.Errorf("the sheet: %+v", laid)
	}
	plan := p.Plan(b.Year)
	if len(plan) != 3 || plan[0].Grade != 11 || plan[0].Alternate || !plan[1].Alternate || plan[2].Grade != 12 {
		t.Errorf("the plan: %+v", plan)
	}
	if r := p.Student.Records; r[0].Teacher != "t1" || r[1].Teacher != "" || r[1].Mark != 8800 {
		t.Errorf("the records: %+v", r)
	}
	c := b.Courses[0]
	if c.Texts["es"].Title != "Inglés" || c.Texts["pt-BR"].Note != "Nota" || !slices.Equal(c.Synonyms, []string{"writing", "books"}) || !slices.Equal(c.Usual, []int{9}) {
		t.Errorf("the course: %+v", c)
	}
	if len(b.Sections) != 2 || len(b.Enrollments) != 1 || len(b.Attendance) != 1 {
		t.Errorf("%d sections, %d enrollments, %d marks of attendance", len(b.Sections), len(b.Enrollments), len(b.Attendance))
	}
	if said := []string{"classes.csv:4: courseSourcedId: SPE is a course of the summer round; the section takes no part"}; b.Notices[len(b.Notices)-1].String() != said[0] {
		t.Errorf("notices: %v", b.Notices)
	}
	if problems := b.DatedProblems(); len(problems) > 0 {
		t.Errorf("dates: %v", problems)
	}
	// Without being asked for, dates are neither read nor noticed.
	files := wide()
	files["enrollments.csv"], files["attendance.csv"] = "x", "y"
	if b, err = bundle.Read(fsOf(files)); err != nil || len(b.Problems) > 0 || slices.ContainsFunc(b.Notices, func(n bundle.Problem) bool { return strings.Contains(n.What, "not a file") }) {
		t.Error(err, b.Problems, b.Notices)
	}
}

func TestBadRowsOfAWideBundle(t *testing.T) {
	for _, c := range []struct{ file, from, to, want string }{
		{"courses.csv", "S1|S2,,,", "S1|S2,SPE,,", "courses.csv:3: metadata.links: a course of the summer round cannot be linked"},
		{"courses.csv", "PE,,,summer", "PE,,ENG,summer", "courses.csv:4: metadata.links: a course of the summer round cannot be linked"},
		{"policy.json", `"lastGrade":12`, `"lastGrade":12,"settings":{"timeZone":"Europe/Pellworth"}`, "policy.json:1: settings.timeZone: “Europe/Pellworth” is not a time zone; write it like Europe/Oslo"},
		{"policy.json", `"lastGrade":12`, `"lastGrade":12,"commitments":[{"id":"a","text":"I stay.","when":{"term":"S9","min":1}}]`, "policy.json:1: commitments.a.when.term: “S9” is not a term of the school year"},
		{"courses.csv", "year,", "winter,", "courses.csv:2: metadata.round: “winter” is not one of year, summer"},
		{"courses.csv", `,"writing, books",09`, `,"writing, books",ninth`, "courses.csv:2: metadata.usual: “ninth” is not a grade; write KG or a number such as 09"},
		{"courses.csv", `at ""B+""`, `at ""C+""`, "courses.csv:3: metadata.entry: “C+” is not a mark of the policy"},
		{"records.csv", "inProgress,t1", "inProgress,t9", "records.csv:2: teacher: nobody has the id “t9”"},
		{"records.csv", ",B+,", ",A-,", "records.csv:3: mark: “A-” is neither a number from 0 to 100 nor a mark of the policy"},
		{"requests.csv", "SPE,request,1,", "SPE,alternate,1,", "requests.csv:4: courseCode: SPE is a course of the summer round; it can be requested, but is no alternate"},
		{"requests.csv", "ART,alternate,1,ENG", "ART,alternate,1,SPE", "requests.csv:3: standsFor: SPE is a course of the summer round; no alternate stands for one"},
		{"signals.csv", "ART,audition", "ART,", "signals.csv:2: name: is empty"},
		{"plans.csv", "s1,12,ART,", "s2,12,ART,", "plans.csv:2: student: no student has the id “s2”"},
		{"plans.csv", "s1,12,ART,", "s1,twelve,ART,", "plans.csv:2: grade: “twelve” is not a grade; write a whole number"},
		{"plans.csv", "s1,12,ART,", "s1,13,ART,", "plans.csv:2: grade: is above the school's last grade, 12"},
		{"plans.csv", "s1,12,ART,", "s1,10,ART,", "plans.csv:2: grade: is not above the grade entered, 10"},
		{"plans.csv", "s1,12,ART,", "s1,12,OLD,", "plans.csv:2: courseCode: no course has the code “OLD”"},
		{"plans.csv", "s1,12,ART,", "s1,12,SPE,", "plans.csv:2: courseCode: SPE is a course of the summer round; a plan is of school years"},
		{"plans.csv", "s1,12,ART,", "s1,11,ENG,", "plans.csv:4: courseCode: ENG is already planned for this grade, on line 2"},
		{"plans.csv", "ART,request", "ART,wish", "plans.csv:3: kind: “wish” is not one of request, alternate"},
		{"errands.csv", "ART,audition", "OLD,audition", "errands.csv:2: courseCode: no course has the code OLD"},
		{"errands.csv", "audition,", "dance,", "errands.csv:2: kind: “dance” is not one of test, audition, application, form, meeting, other"},
		{"errands.csv", "Show your work", "", "errands.csv:2: title: is empty"},
		{"errands.csv", "T15:30", "T24:00", "errands.csv:2: due: “2027-05-12T24:00” is not a date or time; write it like 2027-05-12 or 2027-05-12T15:30"},
		{"errands.csv", "T15:30", "T5:30", "errands.csv:2: due: “2027-05-12T5:30” is not a date or time; write it like 2027-05-12 or 2027-05-12T15:30"},
		{"errands.csv", "05-12,", "02-30,", "errands.csv:3: due: “2027-02-30” is not a date or time; write it like 2027-05-12 or 2027-05-12T15:30"},
		{"errands.csv", "permission portfolio", "permission", "errands.csv:2: settledBy: at character 11: expected a name after “permission”, found the end"},
		{"errands.csv", "permission portfolio", "passed ENG at C", "errands.csv:2: settledBy: “C” is not a mark of the policy"},
		{"errands.csv", "ENG,SPE", "ENG,OLD", "errands.csv:2: becomes: no course has the code OLD"},
		{"enrollments.csv", "e1,k2", "e1,k9", "enrollments.csv:2: classSourcedId: no section has the id “k9”"},
		{"enrollments.csv", "o,s1,student,,2027", "o,t1,student,,2027", "enrollments.csv:2: userSourcedId: no student has the id “t1”"},
		{"enrollments.csv", "2027-10-04", "4 October", "enrollments.csv:2: endDate: “4 October” is not a date; write it like 2027-09-01"},
		{"classes.csv", "y,1,25,", "y,1,many,", "classes.csv:3: metadata.seats: “many” is not a number of seats; write a whole number"},
		{"classes.csv", "k2,English 1,", "k2,,", "classes.csv:3: title: is empty"},
		{"attendance.csv", "k2,2027-09-03", "k2,", "attendance.csv:2: date: is empty"},
		{"attendance.csv", "late", "asleep", "attendance.csv:2: mark: “asleep” is not one of present, absent, late, excused"},
	} {
		files := wide()
		if !strings.Contains(files[c.file], c.from) {
			t.Errorf("%s has no %q", c.file, c.from)
		}
		files[c.file] = strings.Replace(files[c.file], c.from, c.to, 1)
		b, err := bundle.Read(fsOf(files), bundle.WithDates)
		if err != nil {
			t.Fatal(err)
		}
		if len(b.Problems) != 1 || b.Problems[0].String() != c.want {
			t.Errorf("%s with %q: %v\nwant %s", c.file, c.to, b.Problems, c.want)
		}
	}
}

func TestDates(t *testing.T) {
	for name, c := range map[string]struct{ enrollments, attendance, want string }{
		"a swap without a gap":  {"e1,k2,o,s1,student,,2027-10-04\ne2,k4,o,s1,student,2027-10-04,\n", "", ""},
		"with a gap":            {"e1,k2,o,s1,student,,2027-10-01\ne2,k4,o,s1,student,2027-10-04,\n", "", "enrollments.csv:3: beginDate: from 2027-10-01, when k2 ends (line 2), the student has nothing at that time"},
		"over a holiday":        {"e1,k2,o,s1,student,,2027-11-25\n", "", "enrollments.csv:2: endDate: 2027-11-25 is no school day"},
		"on a Sunday":           {"e1,k2,o,s1,student,2027-09-05,\n", "", "enrollments.csv:2: beginDate: 2027-09-05 is no school day"},
		"both at once":          {"e1,k2,o,s1,student,,\ne2,k4,o,s1,student,2027-10-04,\n", "", "enrollments.csv:3: beginDate: the student is then also enrolled in k2, which meets at the same time (line 2)"},
		"never in force":        {"e1,k2,o,s1,student,2027-10-04,2027-10-04\ne2,k4,o,s1,student,,\n", "", ""},
		"at other times":        {"e1,k2,o,s1,student,,\ne2,k1,o,s1,student,,\n", "", ""},
		"before it was taken":   {"e1,k2,o,s1,student,2027-10-04,\n", "s1,k2,2027-10-01,present\n", "attendance.csv:2: date: on 2027-10-01 the student is not enrolled in k2"},
		"on the day it ended":   {"e1,k2,o,s1,student,,2027-10-04\n", "s1,k2,2027-10-04,late\n", "attendance.csv:2: date: on 2027-10-04 the student is not enrolled in k2"},
		"on the last day":       {"e1,k2,o,s1,student,,\n", "s1,k2,2028-06-30,present\n", ""},
		"never having attended": {"e1,k2,o,s1,student,2027-10-04,2027-10-04\n", "s1,k2,2027-10-04,absent\n", "attendance.csv:2: date: on 2027-10-04 the student is not enrolled in k2"},
	} {
		files := wide()
		files["classes.csv"] += "k4,English 2,c1,scheduled,o,y,1,25,\n"
		files["enrollments.csv"] = "sourcedId,classSourcedId,schoolSourcedId,userSourcedId,role,beginDate,endDate\n" + c.enrollments
		files["attendance.csv"] = "student,classSourcedId,date,mark\n" + c.attendance
		b, err := bundle.Read(fsOf(files), bundle.WithDates)
		if err != nil || len(b.Problems) > 0 {
			t.Fatal(name, err, b.Problems)
		}
		var got []string
		for _, p := range b.DatedProblems() {
			got = append(got, p.String())
		}
		if strings.Join(got, "\n") != c.want {
			t.Errorf("%s: %v\nwant %s", name, got, c.want)
		}
	}
}
