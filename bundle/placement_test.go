package bundle_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/core/placement"
)

// asked is a school to be placed: PE and its linked half, health; a single course of science; two of art.
func asked() map[string]string {
	return map[string]string{
		"policy.json": `{"schoolYear":"2027-28","periods":4,"days":2,"rules":[
 {"id":"science","of":{"subjects":["Science"]},"min":1},
 {"id":"body","of":{"subjects":["PE"]},"min":1},
 {"id":"art","of":{"subjects":["Art"]},"min":1},
 {"id":"advised","of":{"courses":["LAT"]},"min":1,"stance":"advise"},
 {"id":"no-least","of":{"courses":["LAT"]},"max":1},
 {"id":"in-a-term","of":{"courses":["LAT"]},"min":1,"term":"S1"},
 {"id":"taken","on":"taken","of":{"courses":["LAT"]},"min":1},
 {"id":"seniors","of":{"courses":["LAT"]},"min":1,"grades":[12]},
 {"id":"when-art","of":{"courses":["MUS"]},"min":1,"when":{"of":{"subjects":["Art"]},"min":1}}]}`,
		"academicSessions.csv": "sourcedId,title,type,startDate,endDate,parentSourcedId\ny,2027-28,schoolYear,2027-09-01,2028-06-30,\na,S1,semester,2027-09-01,2028-01-30,y\nb,S2,semester,2028-02-01,2028-06-30,y\n",
		"courses.csv": "sourcedId,title,courseCode,grades,subjects,metadata.span,metadata.links\n" +
			"1,Biology,BIO,,Science,,\n2,PE,PE9,,PE,S1|S2,HLT\n3,Health,HLT,,PE,S1|S2,\n4,Drawing,DRW,,Art,,\n5,Clay,CLY,,Art,,\n6,Latin,LAT,,Language,,\n7,Music,MUS,,Music,,\n8,Chess,CHS,,Games,,\n",
		"users.csv":    "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades\ns1,true,o,student,u1,A,B,09\n",
		"classes.csv":  "sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.seats,metadata.days\nk1,Biology 1,1,scheduled,o,y,2,20,\nk2,PE 1,2,homeroom,o,b,\"1,3\",25,2\nk3,Chess,8,scheduled,o,\"a,b\",,5,\n",
		"requests.csv": "student,courseCode,kind,rank,standsFor\n",
		"signals.csv":  "student,kind,courseCode,value\n",
	}
}

func placementOf(t *testing.T, files map[string]string) *placement.Problem {
	t.Helper()
	b, err := bundle.Read(fsOf(files))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	p, bad := b.Placement()
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	return p
}

// What a request is worth, and which are given together: 60 − min(rank, 20), or 100 where it is required.
func TestWhatRequestsAreWorth(t *testing.T) {
	for _, c := range []struct{ name, requests, signals, want string }{
		{"by rank", "LAT 1,CHS 2,MUS 30", "", "LAT 59,CHS 58,MUS 40"},
		{"equal ranks", "LAT 2,CHS 2", "", "LAT 58,CHS 58"},
		{"the only one a rule selects", "BIO 1,LAT 2", "", "BIO 100,LAT 58"},
		{"one of two a rule selects", "DRW 1,CLY 2", "", "DRW 59,CLY 58"},
		{"a rule that is in force when another count holds", "MUS 1,DRW 2", "", "MUS 100,DRW 100"},
		{"two a rule selects, linked", "LAT 1,PE9 2,HLT 3", "", "LAT 59,PE9 100,HLT 100 together 1 2"},
		{"half of two linked ones", "PE9 1", "", "PE9 100"},
		{"assigned, fixed", "LAT 1,CHS 2", "CHS 1", "LAT 59,CHS 100"},
		{"assigned, replaceable", "LAT 1,CHS 2", "CHS 0", "LAT 59,CHS 100"},
	} {
		files := asked()
		for _, r := range strings.Split(c.requests, ",") {
			code, rank, _ := strings.Cut(r, " ")
			files["requests.csv"] += fmt.Sprintf("s1,%s,request,%s,\n", code, rank)
		}
		if code, value, ok := strings.Cut(c.signals, " "); ok {
			files["signals.csv"] += fmt.Sprintf("s1,assignment,%s,%s\n", code, value)
		}
		p := placementOf(t, files)
		var got []string
		for _, r := range p.Students[0].Requests {
			got = append(got, fmt.Sprintf("%s %d", p.Courses[r.Course], r.Value))
		}
		text := strings.Join(got, ",")
		for _, group := range p.Students[0].Together {
			text += " together " + strings.Trim(fmt.Sprint(group), "[]")
		}
		if text != c.want {
			t.Errorf("%s: %s, want %s", c.name, text, c.want)
		}
	}
}

// Links are followed in either direction, and along chains.
func TestChainsOfLinksAreGivenTogether(t *testing.T) {
	files := asked()
	files["courses.csv"] = strings.NewReplacer("DRW,,Art,,", "DRW,,Art,,LAT", "CLY,,Art,,", "CLY,,Art,,LAT").Replace(files["courses.csv"])
	files["requests.csv"] += "s1,DRW,request,1,\ns1,CHS,request,2,\ns1,CLY,request,3,\ns1,LAT,request,4,\n"
	s := placementOf(t, files).Students[0]
	if got := fmt.Sprint(s.Together); got != "[[0 2 3]]" {
		t.Error(got)
	}
	if s.Requests[0].Value != 100 || s.Requests[2].Value != 100 {
		t.Errorf("the two of art are linked, and required: %+v", s.Requests)
	}
}

func TestAlternatesToBePlaced(t *testing.T) {
	files := asked()
	files["requests.csv"] += "s1,LAT,request,1,\ns1,CHS,request,2,\ns1,MUS,alternate,1,CHS\ns1,BIO,alternate,25,\ns1,CLY,alternate,3,DRW\n"
	var got []string
	for _, a := range placementOf(t, files).Students[0].Alternates {
		got = append(got, fmt.Sprint(a.Value, a.StandsFor))
	}
	// One that stands for a course that is not requested is available like a general one.
	if want := []string{"29 1", "27 -1", "10 -1"}; !slices.Equal(got, want) {
		t.Error(got, want)
	}
}

// Cells are term, period and day: 4 periods of 2 days in each of 2 terms.
func TestWhenSectionsMeet(t *testing.T) {
	p := placementOf(t, asked())
	want := [][]int32{{2, 3, 10, 11}, {9, 13}, nil}
	for i, s := range p.Sections {
		if !slices.Equal(s.Cells, want[i]) {
			t.Errorf("%s meets in %v, want %v", s.ID, s.Cells, want[i])
		}
	}
}

func TestSeniorityIsThePolicys(t *testing.T) {
	files := asked()
	if s := placementOf(t, files).Students[0]; s.Senior != 0 {
		t.Error("seniority counts though the policy does not say so")
	}
	files["policy.json"] = strings.Replace(files["policy.json"], `"days":2`, `"days":2,"placement":{"seniority":true}`, 1)
	if s := placementOf(t, files).Students[0]; s.Senior != 10 {
		t.Errorf("the grade entered is 10, the seniority %d", s.Senior)
	}
}
