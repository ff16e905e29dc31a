package main

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/core/demand"
	"rubricon/demo"
)

func folder(t testing.TB, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// handWorked is a school worked out by hand: a lone half, a condition that does not hold, a waiver, a retake, a request that
// nothing covers.
var handWorked = map[string]string{
	"policy.json": `{"schoolYear":"2027-28","periods":8,"days":2,"firstGrade":9,
 "rules":[{"id":"credits","grades":[9,10,11],"measure":"credits","min":2.5,"max":8},{"id":"alts","on":"alternates","min":2},{"id":"seniors","grades":[12]},
  {"id":"science","of":{"subjects":["Science"]},"min":1}],
 "audits":[{"id":"graduation","entries":[{"id":"english","credits":4,"of":{"subjects":["English"]},"each":1},{"id":"free","credits":6,"by":10}]},{"id":"college","entries":[]}]}`,
	"academicSessions.csv": "sourcedId,title,type,startDate,endDate,parentSourcedId\ny,2027-28,schoolYear,2027-09-01,2028-06-30,\na,S1,semester,2027-09-01,2028-01-30,y\nb,S2,semester,2028-02-01,2028-06-30,y\n",
	"courses.csv": "sourcedId,title,courseCode,grades,subjects,metadata.credits,metadata.span,metadata.entry,metadata.links\n" +
		"1,English 10,ENG10,\"09,10\",English,1,year,,\n2,Physics,PHY1,,Science,1,,passed ALG2 at 70 or passed ALG1,\n3,PE,PE9,,PE,0.5,S1|S2,,HLT9\n4,Health,HLT9,,PE,0.5,any,,PE9\n5,Latin,LAT,,Language,1,,recommended,\n",
	"users.csv":    "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades\ns1,true,o,student,u1,A,B,09\nt,true,o,teacher,u9,T,T,\ns2,true,o,student,u2,A,B,11\n",
	"records.csv":  "student,courseCode,schoolYear,credits,mark,outcome,subject\ns1,ENG9,2026-27,1,77,earned,English\ns1,ALG2,2026-27,1,60,earned,Maths\n",
	"signals.csv":  "student,kind,courseCode,by\ns1,waiver,LAT,k1\n",
	"requests.csv": "student,courseCode,kind,rank\ns1,PHY1,request,2\ns1,PE9,request,1\ns1,ENG10,request,1\ns1,HLT9,alternate,1\ns1,LAT,request,3\n",
}

func TestCheckOnAHandWorkedSchool(t *testing.T) {
	want := `{"student":"s1","grade":10,"ready":false,` +
		`"rules":[{"id":"credits","measured":3.5,"min":2.5,"max":8,"holds":true},{"id":"alts","measured":1,"min":2,"holds":false},{"id":"science","measured":1,"min":1,"holds":true}],` +
		`"requests":[{"course":"PE9","entry":"none","missing":[],"repeat":false,"barred":false},{"course":"ENG10","entry":"none","missing":[],"repeat":false,"barred":false},` +
		`{"course":"PHY1","entry":"unmet","missing":["passed ALG2 at 70","passed ALG1"],"repeat":false,"barred":false},{"course":"LAT","entry":"met","missing":[],"waivedBy":"k1","repeat":false,"barred":false}],` +
		`"packing":{"fits":true,"spans":{"PE9":["S1"],"ENG10":["S1","S2"],"PHY1":["S1","S2"],"LAT":["S1","S2"]},"overload":0},` +
		`"links":[{"course":"PE9","needs":"HLT9"}],"uncovered":["PHY1"],` +
		`"audits":{"graduation":[{"id":"english","need":4,"earned":1,"inProgress":0,"requested":1,"short":2,"eachShort":{}},` +
		`{"id":"free","need":6,"earned":1,"inProgress":0,"requested":2.5,"short":2.5,"late":true}],"college":[]}}` + "\n" +
		`{"student":"s2","grade":12,"ready":false,` +
		`"rules":[{"id":"alts","measured":0,"min":2,"holds":false},{"id":"seniors","measured":0,"holds":true},{"id":"science","measured":0,"min":1,"holds":false}],"requests":[],` +
		`"packing":{"fits":true,"spans":{},"overload":0},"links":[],"uncovered":[],` +
		`"audits":{"graduation":[{"id":"english","need":4,"earned":0,"inProgress":0,"requested":0,"short":4,"eachShort":{"2024-25":1,"2025-26":1,"2026-27":1,"2027-28":1}},` +
		`{"id":"free","need":6,"earned":0,"inProgress":0,"requested":0,"short":6,"late":true}],"college":[]}}` + "\n"
	out, stderr, code := run(t, "check", folder(t, handWorked))
	if out != want || code != 0 {
		t.Errorf("exit %d, %s\ngot  %s\nwant %s", code, stderr, out, want)
	}
	if out, _, code = run(t, "check", folder(t, handWorked), "--student", "s2"); code != 0 || out != want[strings.Index(want, "\n")+1:] {
		t.Errorf("one student alone: exit %d, %s", code, out)
	}
}

// run runs a command as main does.
func run(t *testing.T, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	var out, err bytes.Buffer
	for _, cmd := range commands() {
		if cmd.Name() != args[0] {
			continue
		}
		cmd.SetArgs(args[1:])
		cmd.SetOut(&out)
		cmd.SetErr(&err)
		cmd.SilenceErrors, cmd.SilenceUsage = true, true
		if failed := cmd.ExecuteContext(t.Context()); failed != nil {
			code = exitWrongUse
			var exit *exitError
			if errors.As(failed, &exit) {
				code = exit.Code
			}
		}
		return out.String(), err.String(), code
	}
	t.Fatalf("there is no command %s", args[0])
	return "", "", 0
}

func TestExitCodes(t *testing.T) {
	bad := map[string]string{}
	for name, text := range handWorked {
		bad[name] = text
	}
	bad["requests.csv"] += "s1,NOPE,request,9\n"
	missing := map[string]string{"users.csv": handWorked["users.csv"]}
	for _, c := range []struct {
		name string
		args []string
		code int
		says string
	}{
		{"bad rows", []string{"check", folder(t, bad)}, 1, "requests.csv:7: courseCode: no course has the code “NOPE”"},
		{"a missing file", []string{"check", folder(t, missing)}, 2, ""},
		{"no such folder", []string{"check", "/nowhere/at/all"}, 2, ""},
		{"an unknown student", []string{"check", folder(t, handWorked), "--student", "s9"}, 2, ""},
		{"no folder", []string{"check"}, 2, ""},
		{"a wrong class size", []string{"demand", folder(t, handWorked), "--size", "0"}, 2, ""},
	} {
		out, stderr, code := run(t, c.args...)
		if code != c.code || out != "" || !strings.Contains(stderr, c.says) {
			t.Errorf("%s: exit %d, stdout %q, stderr %q", c.name, code, out, stderr)
		}
	}
}

func TestDemand(t *testing.T) {
	out, _, code := run(t, "demand", folder(t, handWorked))
	want := "courseCode,title,requests,alternates,uncovered,sections,largest,grade10,grade11,grade12\nENG10,English 10,1,0,0,1,1,1,0,0\nHLT9,Health,0,1,0,0,0,0,0,0\n" +
		"LAT,Latin,1,0,0,1,1,1,0,0\nPE9,PE,1,0,0,1,1,1,0,0\nPHY1,Physics,1,0,1,1,1,1,0,0\n"
	if out != want || code != 0 {
		t.Errorf("exit %d\n%s", code, out)
	}
	out, _, code = run(t, "demand", folder(t, handWorked), "--format", "json", "--pairs", "1")
	if code != 0 || !strings.Contains(out, `"pairs":[{"first":"ENG10","second":"LAT","students":1}]`) || !strings.Contains(out, `"uncovered":["s1"]`) {
		t.Errorf("exit %d\n%s", code, out)
	}
}

// A bundle that is written and read again is the same school.
func TestTheDemoSchoolsAreSoundAndAlwaysTheSame(t *testing.T) {
	for _, c := range []struct {
		args     []string
		students int
	}{{[]string{"--students", "150"}, 150}, {[]string{"--tarn"}, 300}} {
		one, two := t.TempDir(), t.TempDir()
		for _, dir := range []string{one, two} {
			if _, stderr, code := run(t, append([]string{"demo-bundle", dir}, c.args...)...); code != 0 {
				t.Fatal(stderr)
			}
		}
		for _, name := range append(bundle.Names(), "policy.json", "manifest.csv") {
			a, errA := os.ReadFile(filepath.Join(one, name))
			b, errB := os.ReadFile(filepath.Join(two, name))
			if !bytes.Equal(a, b) || (errA == nil) != (errB == nil) {
				t.Errorf("%v: %s differs from one run to the next", c.args, name)
			}
		}
		if out, stderr, code := run(t, "check", one); code != 0 || strings.Count(out, "\n") != c.students || stderr != "" {
			t.Errorf("%v: exit %d, %d lines, %s", c.args, code, strings.Count(out, "\n"), stderr)
		}
	}
}

// BenchmarkCheckDemoSchool judges the whole demo school, reading included.
func BenchmarkCheckDemoSchool(b *testing.B) {
	for _, students := range []int{1200, 20000} {
		b.Run(map[int]string{1200: "1200", 20000: "20000"}[students], func(b *testing.B) {
			dir := b.TempDir()
			if err := bundle.Write(dir, demo.Bundle(demo.Options{Students: students, Seed: 7})); err != nil {
				b.Fatal(err)
			}
			b.ReportAllocs()
			for b.Loop() {
				read, err := readBundle(dir, io.Discard)
				if err != nil {
					b.Fatal(err)
				}
				if err := check(read, "", io.Discard, io.Discard); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkDemandDemoSchool tallies what 1,200 sheets ask for, pairs and clashes included; the sheets are laid beforehand.
func BenchmarkDemandDemoSchool(b *testing.B) {
	read, err := bundle.ReadFiles(demo.Bundle(demo.Options{Students: 1200, Seed: 7}))
	if err != nil {
		b.Fatal(err)
	}
	wishes, problems := wishesOf(read)
	if len(problems) > 0 || len(wishes) != 1200 {
		b.Fatal(len(wishes), problems)
	}
	b.ReportAllocs()
	for b.Loop() {
		demand.Count(len(read.Year.Courses), wishes).SingleClashes(24)
	}
}
