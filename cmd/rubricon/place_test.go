package main

import (
	"encoding/csv"
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"reflect"
	"strings"
	"syscall"
	"testing"
	"time"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/demo"
)

// toPlace is a school placed by hand: one seat in Biology, which meets with Drawing; Latin is not taught; PE is given with Health
// only, and the two meet together.
var toPlace = map[string]string{
	"policy.json":          `{"schoolYear":"2027-28","periods":3,"rules":[{"id":"pe","of":{"subjects":["PE"]},"min":1}]}`,
	"academicSessions.csv": handWorked["academicSessions.csv"],
	"courses.csv": "sourcedId,title,courseCode,grades,subjects,metadata.span,metadata.links\n1,Biology,BIO,,Science,,\n2,PE,PE9,,PE,S1|S2,HLT\n3,Health,HLT,,PE,S1|S2,\n" +
		"4,Drawing,DRW,,Art,,\n5,Clay,CLY,,Art,,\n6,Latin,LAT,,Language,,\n",
	"users.csv": "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades\ns1,true,o,student,u1,Ada,Brook,09\ns2,true,o,student,u2,Ben,Crane,10\ns3,true,o,student,u3,Cleo,Dunn,09\n",
	"classes.csv": "sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.seats\nbio-1,Biology 1,1,scheduled,o,y,1,1\npe-1,PE 1,2,scheduled,o,a,2,9\n" +
		"hlt-1,Health 1,3,scheduled,o,a,2,9\ndrw-1,Drawing 1,4,scheduled,o,y,1,9\nclay-1,Clay 1,5,scheduled,o,y,3,9\n",
	"requests.csv": "student,courseCode,kind,rank,standsFor\ns1,BIO,request,1,\ns1,CLY,request,2,\ns2,BIO,request,1,\ns2,LAT,request,2,\ns2,CLY,alternate,2,LAT\ns2,DRW,alternate,1,\n" +
		"s3,PE9,request,1,\ns3,HLT,request,2,\ns3,CLY,request,3,\ns3,DRW,request,4,\n",
}

func TestPlaceOnAHandWorkedSchool(t *testing.T) {
	out := filepath.Join(t.TempDir(), "new", "folder")
	if stdout, stderr, code := run(t, "place", folder(t, toPlace), "--out", out); code != 0 || stdout != "" || stderr != "" {
		t.Fatalf("exit %d, stdout %q, stderr %q", code, stdout, stderr)
	}
	want := `sourcedId,status,dateLastModified,classSourcedId,schoolSourcedId,userSourcedId,role,primary,beginDate,endDate
bio-1:s1,,,bio-1,o,s1,student,false,2027-09-01,2028-06-30
clay-1:s1,,,clay-1,o,s1,student,false,2027-09-01,2028-06-30
drw-1:s2,,,drw-1,o,s2,student,false,2027-09-01,2028-06-30
clay-1:s2,,,clay-1,o,s2,student,false,2027-09-01,2028-06-30
clay-1:s3,,,clay-1,o,s3,student,false,2027-09-01,2028-06-30
drw-1:s3,,,drw-1,o,s3,student,false,2027-09-01,2028-06-30
`
	if got := read(t, out, "enrollments.csv"); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	// 59 + 58 for Ada, the alternates 29 + 28 for Ben, 57 + 56 for Cleo. Ben and Ada tie for Biology, but only Ben has an alternate.
	wantReport := `{"students":3,"requests":8,"placedRequests":4,"placedAlternates":2,"complete":2,"value":287,"bound":287,"gap":0,"seconds":0,"unplaced":[` +
		`{"student":"s2","course":"BIO","why":"clash","insteadOf":"DRW"},{"student":"s2","course":"LAT","why":"none","insteadOf":"CLY"},` +
		`{"student":"s3","course":"PE9","why":"link","insteadOf":null},{"student":"s3","course":"HLT","why":"link","insteadOf":null}],"seed":1,"draw":["s3","s2","s1"]}`
	r := reportIn(t, out)
	r.Seconds = 0
	if got, _ := json.Marshal(r); string(got) != wantReport {
		t.Errorf("got  %s\nwant %s", got, wantReport)
	}
}

func TestPlaceExplains(t *testing.T) {
	for student, want := range map[string]string{
		"s1": `Ada Brook (s1), entering grade 10, number 3 of 3 in the lottery of seed 1
Given:
  Biology (BIO): bio-1, S1 and S2, period 1
  Clay (CLY): clay-1, S1 and S2, period 3
Every request was given.
`,
		"s2": `Ben Crane (s2), entering grade 11, number 2 of 3 in the lottery of seed 1
Given:
  Drawing (DRW): drw-1, S1 and S2, period 1, an alternate
  Clay (CLY): clay-1, S1 and S2, period 3, an alternate
Not given:
  Biology (BIO): every section of it meets at the same time as something else that was given; Drawing (DRW) came in for it.
    One more seat in bio-1 would have made room.
  Latin (LAT): the master schedule has no section of it; Clay (CLY) came in for it.
    No one change would have made room.
`,
		"s3": `Cleo Dunn (s3), entering grade 10, number 1 of 3 in the lottery of seed 1
Given:
  Clay (CLY): clay-1, S1 and S2, period 3
  Drawing (DRW): drw-1, S1 and S2, period 1
Not given:
  PE (PE9): a section fits and has a seat free, but it is only given together with Health (HLT); no alternate came in for it.
    No one change would have made room.
  Health (HLT): a section fits and has a seat free, but it is only given together with PE (PE9); no alternate came in for it.
    No one change would have made room.
`,
	} {
		if got, stderr, code := run(t, "place", folder(t, toPlace), "--explain", student); got != want || code != 0 || stderr != "" {
			t.Errorf("exit %d, %s\ngot\n%s\nwant\n%s", code, stderr, got, want)
		}
	}
}

func TestPlaceExitCodes(t *testing.T) {
	without := func(name string) string {
		files := map[string]string{}
		for k, text := range toPlace {
			if k != name {
				files[k] = text
			}
		}
		return folder(t, files)
	}
	bad := without("classes.csv")
	if err := os.WriteFile(filepath.Join(bad, "classes.csv"), []byte(strings.Replace(toPlace["classes.csv"], "o,y,1,1", "o,y,4,1", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	out := t.TempDir()
	for _, c := range []struct {
		name string
		args []string
		code int
		says string
	}{
		{"bad rows", []string{bad, "--out", out}, 1, "classes.csv:2: periods: “4” is not a number from 1 to 3"},
		{"no sections", []string{without("classes.csv"), "--out", out}, 2, ""},
		{"no courses", []string{without("courses.csv"), "--out", out}, 2, ""},
		{"nowhere to write", []string{folder(t, toPlace)}, 2, ""},
		{"an unknown student", []string{folder(t, toPlace), "--explain", "s9"}, 2, ""},
		{"no time at all", []string{folder(t, toPlace), "--out", out, "--seconds", "0"}, 2, ""},
		{"a word for a number", []string{folder(t, toPlace), "--out", out, "--effort", "much"}, 2, ""},
	} {
		stdout, stderr, code := run(t, append([]string{"place"}, c.args...)...)
		if code != c.code || stdout != "" || !strings.Contains(stderr, c.says) {
			t.Errorf("%s: exit %d, stdout %q, stderr %q", c.name, code, stdout, stderr)
		}
	}
	if left, _ := os.ReadDir(out); len(left) > 0 {
		t.Errorf("something was written all the same: %v", left)
	}
	if _, _, code := run(t, "place", without("requests.csv"), "--out", out); code != 0 {
		t.Errorf("a school without requests: exit %d", code)
	}
}

// Whatever the order of the rows, the files are the same; so they are from run to run.
func TestPlaceDoesNotDependOnTheOrderOfRows(t *testing.T) {
	dir, shuffled := generated(t, "--students", "120", "--contested", "--hard", "3"), t.TempDir()
	r := rand.New(rand.NewPCG(4, 4))
	for _, name := range append(bundle.Names(), "policy.json") {
		text, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			continue
		}
		if strings.HasSuffix(name, ".csv") {
			lines := strings.SplitAfter(string(text), "\n")
			rows := lines[1 : len(lines)-1]
			r.Shuffle(len(rows), func(i, k int) { rows[i], rows[k] = rows[k], rows[i] })
			text = []byte(strings.Join(lines, ""))
		}
		if err := os.WriteFile(filepath.Join(shuffled, name), text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	var reports [3]placementReport
	var enrollments [3]string
	for i, from := range []string{dir, dir, shuffled} {
		out := t.TempDir()
		if _, stderr, code := run(t, "place", from, "--out", out, "--effort", "30", "--seed", "5"); code != 0 {
			t.Fatal(stderr)
		}
		reports[i], enrollments[i] = reportIn(t, out), read(t, out, "enrollments.csv")
		reports[i].Seconds = 0
	}
	if len(reports[0].Unplaced) == 0 {
		t.Fatal("the school is too easy for this test")
	}
	for i, what := range []string{"", "a second run", "other rows first"} {
		if !reflect.DeepEqual(reports[i], reports[0]) || enrollments[i] != enrollments[0] {
			t.Errorf("%s: something else", what)
		}
	}
}

// What is written is a placement of what the bundle asks for and worth what it says; where everything can be placed, it is.
func TestPlaceOnGeneratedSchools(t *testing.T) {
	for _, kind := range []string{"--planted", "--contested"} {
		dir, out := generated(t, "--students", "150", kind), t.TempDir()
		if stdout, stderr, code := run(t, "place", dir, "--out", out); code != 0 || stdout != "" || stderr != "" {
			t.Fatalf("%s: exit %d, %q, %q", kind, code, stdout, stderr)
		}
		r := reportIn(t, out)
		if value := worth(t, dir, read(t, out, "enrollments.csv")); value != r.Value || r.Bound < value {
			t.Errorf("%s: worth %d; it says %d of %d", kind, value, r.Value, r.Bound)
		}
		planted := kind == "--planted"
		if all := r.Gap == 0 && r.PlacedRequests == r.Requests && r.Complete == r.Students; planted && !all || r.PlacedRequests+len(r.Unplaced) != r.Requests {
			t.Errorf("%s: %d of %d requests placed, %d unplaced, gap %g", kind, r.PlacedRequests, r.Requests, len(r.Unplaced), r.Gap)
		}
		if !planted && len(r.Unplaced) == 0 {
			t.Errorf("%s: nothing is contested", kind)
		}
		if stdout, stderr, code := run(t, "check", dir); code != 0 || strings.Count(stdout, "\n") != 150 {
			t.Errorf("%s: check exits with %d: %s", kind, code, stderr)
		}
	}
}

// Ctrl-C ends the search, not the program: what was found so far is written.
func TestPlaceWritesTheBestSoFarOnInterrupt(t *testing.T) {
	caught := make(chan os.Signal, 1)
	signal.Notify(caught, os.Interrupt) // so that one that comes before the command listens does no harm
	defer signal.Stop(caught)
	stop := make(chan struct{})
	go func() {
		for tick := time.NewTicker(20 * time.Millisecond); ; {
			select {
			case <-tick.C:
				syscall.Kill(os.Getpid(), syscall.SIGINT)
			case <-stop:
				return
			}
		}
	}()
	dir, out := generated(t, "--students", "800", "--contested", "--hard", "3"), t.TempDir()
	_, stderr, code := run(t, "place", dir, "--out", out, "--effort", "1000000")
	close(stop)
	if code != 0 || !strings.Contains(stderr, "Stopped: this is the best placement found so far.") {
		t.Errorf("exit %d, %q", code, stderr)
	}
	if r := reportIn(t, out); worth(t, dir, read(t, out, "enrollments.csv")) != r.Value || r.Bound < r.Value {
		t.Errorf("value %d of %d", r.Value, r.Bound)
	}
}

// generated writes a generated school.
func generated(t *testing.T, args ...string) string {
	t.Helper()
	dir := t.TempDir()
	if _, stderr, code := run(t, append([]string{"demo-bundle", dir}, args...)...); code != 0 {
		t.Fatal(stderr)
	}
	return dir
}

func read(t *testing.T, dir, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func reportIn(t *testing.T, dir string) (r placementReport) {
	t.Helper()
	if err := json.Unmarshal([]byte(read(t, dir, "placement.json")), &r); err != nil {
		t.Fatal(err)
	}
	return r
}

// worth is what the enrollments are worth; they must be a valid placement.
func worth(t *testing.T, dir, enrollments string) int64 {
	t.Helper()
	b, err := bundle.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	p, _ := b.Placement()
	rows, err := csv.NewReader(strings.NewReader(enrollments)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	sections, wishes := map[string]int32{}, map[[2]string]*int32{}
	for i := range p.Sections {
		sections[p.Sections[i].ID] = int32(i)
	}
	given := make([]placement.Given, len(p.Students))
	for i := range p.Students {
		s, g := &p.Students[i], &given[i]
		g.Requests, g.Alternates = make([]int32, len(s.Requests)), make([]int32, len(s.Alternates))
		for k, r := range s.Requests {
			g.Requests[k], wishes[[2]string{s.ID, p.Courses[r.Course]}] = placement.None, &g.Requests[k]
		}
		for k, a := range s.Alternates {
			g.Alternates[k], wishes[[2]string{s.ID, p.Courses[a.Course]}] = placement.None, &g.Alternates[k]
		}
	}
	for _, row := range rows[1:] {
		section, ok := sections[row[3]]
		if !ok {
			t.Fatalf("there is no section %s", row[3])
		}
		wish := wishes[[2]string{row[5], p.Courses[p.Sections[section].Course]}]
		if wish == nil || *wish != placement.None {
			t.Fatalf("%s has not asked for %s, or has it twice", row[5], row[3])
		}
		*wish = section
	}
	value, err := p.Check(given)
	if err != nil {
		t.Fatal(err)
	}
	return value
}

// BenchmarkPlacement makes the problem of a school of 1,200 and reads it, without any search.
func BenchmarkPlacement(b *testing.B) {
	files := demo.Bundle(demo.Options{Students: 1200, Seed: 7, Schedule: demo.Contested, Hard: 2})
	b.ReportAllocs()
	for b.Loop() {
		read, err := bundle.ReadFiles(files)
		if err != nil {
			b.Fatal(err)
		}
		read.Placement()
	}
}
