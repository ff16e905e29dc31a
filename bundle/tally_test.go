package bundle_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
)

// parse makes a file of CSV lines without quotes.
func parse(name, text string) bundle.File {
	f := bundle.File{Name: name}
	for i, line := range strings.Split(strings.TrimSpace(text), "\n") {
		if cells := strings.Split(line, ","); i == 0 {
			f.Header = cells
		} else {
			f.Rows = append(f.Rows, cells)
		}
	}
	return f
}

// What an import adds, changes and removes is counted by kind, next to what the application itself made, and what goes with people.
func TestTally(t *testing.T) {
	have := []bundle.File{
		parse("users.csv", "sourcedId,role,username,familyName\ns1,student,a,Ask\ns2,student,b,Birk\ng1,guardian,c,Cole\nt1,teacher,d,Dahl\ns3,student,e,Eik"),
		parse("courses.csv", "sourcedId,courseCode,title\nc1,ART,Art\nc2,BIO,Biology"),
		parse("records.csv", "student,courseCode,schoolYear,term,mark\ns1,ART,2026-27,S1,80\ns1,ART,2026-27,S1,90\ns2,BIO,2026-27,,70\ns3,BIO,2026-27,,60"),
		parse("requests.csv", "student,courseCode,kind,rank,state\ns1,ART,request,1,submitted\ns3,ART,request,1,draft\ns2,ART,request,1,"),
		parse("enrollments.csv", "sourcedId,classSourcedId,userSourcedId,role,beginDate,endDate\ne1,x1,s1,student,,\ne2,x1,s3,student,,"),
		parse("classes.csv", "sourcedId,title\nx1,One"),
	}
	come := func(files ...bundle.File) *bundle.Bundle {
		b := &bundle.Bundle{Tables: map[string]*bundle.Table{}}
		for _, f := range files {
			table := &bundle.Table{Name: f.Name, Header: f.Header}
			for i, cells := range f.Rows {
				table.Rows = append(table.Rows, bundle.Row{Line: i + 2, Cells: cells})
			}
			b.Tables[f.Name] = table
		}
		return b
	}
	said := func(tally bundle.Tally) string {
		var parts []string
		for kind, c := range tally {
			if c.Added+c.Changed+c.Removed+c.With > 0 {
				parts = append(parts, fmt.Sprintf("%s +%d ~%d -%d w%d", bundle.Kinds[kind], c.Added, c.Changed, c.Removed, c.With))
			}
		}
		return strings.Join(parts, ", ")
	}
	for _, c := range []struct {
		name  string
		files []bundle.File
		own   bundle.Own
		older bool
		want  string
	}{
		{name: "the same, in another order", files: []bundle.File{have[0], have[1], parse("records.csv", "student,courseCode,term,schoolYear,mark\ns1,ART,S1,2026-27,90\ns3,BIO,,2026-27,60\ns1,ART,S1,2026-27,80\ns2,BIO,,2026-27,70"), have[3], have[4], have[5]}},
		{name: "nothing but people", files: []bundle.File{parse("users.csv", "sourcedId,role,username,familyName\ns1,student,a,Asker\ns2,student,b,Birk\ng2,parent,c,Cole\nt1,aide,d,Dahl")},
			want: "students +0 ~1 -1 w0, guardians +1 ~0 -1 w0, staff +0 ~1 -0 w0, enrollments +0 ~0 -0 w1, records +0 ~0 -0 w1, requests +0 ~0 -0 w1"},
		{name: "a header alone", files: []bundle.File{parse("records.csv", "student,courseCode,schoolYear,term,mark"), parse("requests.csv", "student,courseCode,kind,rank")},
			own:  bundle.Own{Requests: map[string]bool{"s1": true}, Records: map[string]bool{bundle.OwnRecord(map[string]string{"student": "s2", "courseCode": "BIO", "schoolYear": "2026-27"}): true}},
			want: "records +0 ~0 -3 w0, requests +0 ~0 -2 w0"},
		{name: "one of two equal records goes", files: []bundle.File{parse("records.csv", "student,courseCode,schoolYear,term,mark\ns1,ART,2026-27,S1,90\ns2,BIO,2026-27,,71\ns3,BIO,2026-27,,60\ns3,ART,2026-27,,60")},
			want: "records +1 ~1 -1 w0"},
		{name: "an older year", older: true, files: []bundle.File{parse("users.csv", "sourcedId,role,username,familyName"), parse("records.csv", "student,courseCode,schoolYear,term,mark"), parse("courses.csv", "sourcedId,courseCode,title\nc9,ART,Art\nc3,CHE,Chemistry")},
			want: "courses +1 ~1 -1 w0"},
		{name: "enrollments", files: []bundle.File{parse("enrollments.csv", "sourcedId,classSourcedId,userSourcedId,role,beginDate,endDate\nz9,x1,s1,student,,2027-12-01\nz8,x1,t1,teacher,,")},
			own: bundle.Own{Enrollments: map[string]bool{"s3": true}}, want: "enrollments +0 ~1 -0 w0"},
	} {
		b := come(c.files...)
		if got := said(b.Count(have, c.own, c.older)); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// Much goes above 5, and above 2 % of the students or 10 % of another kind.
func TestMuchGoes(t *testing.T) {
	for _, c := range []struct {
		kind         string
		had, removed int
		want         bool
	}{{"students", 100, 5, false}, {"students", 300, 6, false}, {"students", 299, 6, true}, {"records", 60, 6, false}, {"records", 59, 6, true}, {"courses", 10, 5, false}, {"courses", 10, 6, true}, {"guardians", 0, 0, false}} {
		var tally bundle.Tally
		tally[slices.Index(bundle.Kinds[:], c.kind)] = bundle.Count{Had: c.had, Removed: c.removed}
		if got := tally.Much(); got != c.want {
			t.Errorf("%d of %d %s: %v", c.removed, c.had, c.kind, got)
		}
	}
}

// What people open in a spreadsheet holds no formula that someone wrote as a name; numbers stay numbers.
func TestNoFormulas(t *testing.T) {
	f := bundle.File{Name: "x.csv", Header: []string{"a"}, Rows: [][]string{{"=1+1", "+49 30", "-2.5", "-Fjord", "@x", "\tx", "", "Ask"}}}
	if got := strings.Join(f.ForPeople().Rows[0], "|"); got != "'=1+1|'+49 30|-2.5|'-Fjord|'@x|'\tx||Ask" {
		t.Errorf("%q", got)
	}
	if f.Rows[0][0] != "=1+1" {
		t.Error("the file itself has changed")
	}
	files := small()
	files["users.csv"] = strings.Replace(files["users.csv"], "student,u1", "=king(),u1", 1)
	rows, err := reads(t, files).BadRows()
	if err != nil || !strings.Contains(string(rows), "=king()") || strings.Contains(string(rows), "\n=") || strings.Contains(string(rows), ",=") {
		t.Errorf("%v\n%s", err, rows)
	}
}

// A column that is missing is one finding, whether every file needs it or only some row.
func TestAMissingColumn(t *testing.T) {
	for _, c := range []struct{ column, want string }{{"grades", "users.csv: column grades is missing"}, {"familyName", "users.csv: column familyName is missing"}} {
		files := small()
		lines := strings.Split(files["users.csv"], "\n")
		at := slices.Index(strings.Split(lines[0], ","), c.column)
		for i, line := range lines {
			if cells := strings.Split(line, ","); len(cells) > at {
				lines[i] = strings.Join(slices.Delete(cells, at, at+1), ",")
			}
		}
		files["users.csv"] = strings.Join(lines, "\n")
		b := reads(t, files)
		if len(b.Problems) != 1 || b.Problems[0].String() != c.want || bundle.RowsAlone(b.Problems) {
			t.Errorf("without %s: %v", c.column, b.Problems)
		}
	}
}

// A file that is absent is taken from what is there, without what belongs to people who go; it is no file of the bundle.
func TestAnAbsentFileStays(t *testing.T) {
	files := small()
	var have []bundle.File
	for _, name := range bundle.Names() {
		if text, ok := files[name]; ok {
			have = append(have, bundle.File{Name: name, Text: []byte(text)})
		}
	}
	only := map[string]string{"policy.json": files["policy.json"], "users.csv": strings.Split(files["users.csv"], "\n")[0] + "\n"}
	b := reads(t, only, bundle.Fill(func(school string, year int) ([]bundle.File, error) {
		if school != "" || year != 2027 {
			t.Errorf("asked for %q, %d", school, year)
		}
		return have, nil
	}))
	if len(b.Problems) > 0 || len(b.Pupils) > 0 || len(b.Courses) == 0 || b.Has("courses.csv") || !b.Has("users.csv") {
		t.Errorf("%d students, %d courses, %v", len(b.Pupils), len(b.Courses), b.Problems)
	}
}
