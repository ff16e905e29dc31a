package bundle_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"rubricon/bundle"
)

// whole is a bundle of one student, by file.
func whole() map[string]string {
	return map[string]string{
		"policy.json":          `{"schoolYear": "2027-28", "periods": 8, "days": 2, "firstGrade": 9, "rules": [], "audits": []}`,
		"academicSessions.csv": "sourcedId,title,type,startDate,endDate,parentSourcedId\ny,2027-28,schoolYear,2027-08-01,2028-06-01,\nt1,S1,semester,2027-08-01,2028-01-01,y\n",
		"orgs.csv":             "sourcedId,name,type\no,School,school\n",
		"courses.csv":          "sourcedId,title,courseCode,grades,subjects,metadata.credits,metadata.span\nc1,Crème,CR1,09,Arts,0.5,S1\nc2,Drawing,DR1,09,Arts,0.5,S1\n",
		"users.csv":            "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades,metadata.nextGrade\ns1,true,o,student,s1,Ána,Bell,08,09\ns2,true,o,student,s2,Jo,Pell,08,09\n",
		"requests.csv":         "student,courseCode,kind,rank\ns1,CR1,request,1\ns2,DR1,request,1\n",
	}
}

func folder(files map[string]string) fstest.MapFS {
	fsys := fstest.MapFS{}
	for name, text := range files {
		fsys[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return fsys
}

func reads(t *testing.T, files map[string]string, options ...bundle.Option) *bundle.Bundle {
	t.Helper()
	b, err := bundle.Read(folder(files), options...)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Files as spreadsheets save them are read where that is allowed, and it is said; else each bad cell is named as before.
func TestForeignFiles(t *testing.T) {
	for name, c := range map[string]struct {
		change func(files map[string]string)
		notice string
	}{
		"semicolons":   {func(f map[string]string) { f["courses.csv"] = strings.ReplaceAll(f["courses.csv"], ",", ";") }, "parted by semicolons"},
		"tabs":         {func(f map[string]string) { f["users.csv"] = strings.ReplaceAll(f["users.csv"], ",", "\t") }, "parted by tabs"},
		"Windows-1252": {func(f map[string]string) { f["courses.csv"] = strings.ReplaceAll(f["courses.csv"], "è", "\xe8") }, "Windows-1252"},
		"UTF-16": {func(f map[string]string) {
			out := []byte{0xff, 0xfe}
			for _, r := range f["users.csv"] {
				out = append(out, byte(r), byte(r>>8))
			}
			f["users.csv"] = string(out)
		}, "UTF-16"},
	} {
		files := whole()
		c.change(files)
		if b := reads(t, files); len(b.Problems) == 0 {
			t.Errorf("%s: is read by default", name)
		}
		b := reads(t, files, bundle.Foreign)
		if len(b.Problems) > 0 || len(b.Courses) != 2 || b.Courses[0].Title != "Crème" || b.Users[0].GivenName != "Ána" {
			t.Errorf("%s: %v, %+v", name, b.Problems, b.Courses)
		}
		if len(b.Notices) != 1 || !strings.Contains(b.Notices[0].What, c.notice) {
			t.Errorf("%s: %v", name, b.Notices)
		}
	}
	if b := reads(t, whole(), bundle.Foreign); len(b.Problems)+len(b.Notices) > 0 {
		t.Errorf("a plain bundle: %v %v", b.Problems, b.Notices)
	}
}

// Bad rows are left out with what is bad only because of them; what is no row stays a problem.
func TestLeaveOut(t *testing.T) {
	files := whole()
	files["users.csv"] += "s3,maybe,o,student,s3,No,One,08,09\n"
	files["requests.csv"] += "s3,CR1,request,1\ns1,NONE,request,2\n\"s2,\n"
	leave := func() (*bundle.Bundle, string) {
		b, left, err := bundle.LeaveOut(func(options ...bundle.Option) (*bundle.Bundle, error) { return bundle.Read(folder(files), options...) })
		if err != nil {
			t.Fatal(err)
		}
		var words []string
		for _, p := range left {
			words = append(words, fmt.Sprint(p.File, ":", p.Line))
		}
		return b, strings.Join(words, " ")
	}
	b, left := leave()
	if len(b.Problems) > 0 || left != "users.csv:4 requests.csv:5 requests.csv:6 requests.csv:4" || len(b.Pupils) != 2 || len(b.Pupils[0].Requests) != 1 {
		t.Errorf("left out %s, %v, %d students", left, b.Problems, len(b.Pupils))
	}
	bad := reads(t, files)
	text, err := bad.BadRows()
	if err != nil || !strings.Contains(string(text), "users.csv,4,enabledUser,") || !strings.Contains(string(text), "givenName=No; familyName=One") {
		t.Errorf("the bad rows: %s, %v", text, err)
	}
	files["policy.json"] = `{"schoolYear": "2027-28"`
	if b, _ := leave(); len(b.Problems) == 0 {
		t.Error("a policy that cannot be read is left out")
	}
}

func TestDiff(t *testing.T) {
	var have []bundle.File
	for _, name := range bundle.Names() {
		if table := reads(t, whole()).Tables[name]; table.Header != nil {
			f := bundle.File{Name: name, Header: table.Header}
			for _, r := range table.Rows {
				f.Rows = append(f.Rows, r.Cells)
			}
			have = append(have, f)
		}
	}
	files := whole()
	if got := bundle.Diff(have, reads(t, files), 10); len(got) != 0 {
		t.Errorf("the same: %+v", got)
	}
	files["courses.csv"] = "sourcedId,title,courseCode,grades,subjects,metadata.credits,metadata.span,metadata.fee\nc1,Crème,CR1,09,Arts,1,S1,40\nc3,Choir,CH1,09,Music,0.5,S1,\n"
	files["users.csv"] = strings.Replace(files["users.csv"], "Jo,Pell", "Joan,Pell", 1)
	files["requests.csv"] = "student,courseCode,kind,rank\n"
	got := bundle.Diff(have, reads(t, files), 10)
	want := `[{courses.csv 1 1 1 [{changed c1 Crème [{metadata.credits 0.5 1} {metadata.fee  40}]} {new c3 Choir []} {gone c2 Drawing []}]} {users.csv 0 1 0 [{changed s2 Pell, Joan [{givenName Jo Joan}]}]}]`
	if fmt.Sprint(got) != want {
		t.Errorf("differs by %v, want %s", got, want)
	}
	if got := bundle.Diff(have, reads(t, files), 1); len(got[0].Rows) != 1 || got[0].New+got[0].Changed+got[0].Gone != 3 {
		t.Errorf("cut to one row: %+v", got[0])
	}
}

// A workbook has all that the files have; a broken one is refused.
func TestWorkbooks(t *testing.T) {
	b := reads(t, whole())
	files := []bundle.File{{Name: "policy.json", Text: b.PolicyText}}
	for _, name := range bundle.Names() {
		if table := b.Tables[name]; table.Header != nil {
			f := bundle.File{Name: name, Header: table.Header}
			for _, r := range table.Rows {
				f.Rows = append(f.Rows, r.Cells)
			}
			files = append(files, f)
		}
	}
	var out bytes.Buffer
	if err := bundle.WriteWorkbook(&out, files); err != nil {
		t.Fatal(err)
	}
	back, err := bundle.OpenZip(out.Bytes())
	if err != nil || len(back.Problems) > 0 || len(back.Notices) > 0 || back.Courses[0].Title != "Crème" || len(back.Pupils) != 2 || len(back.Pupils[1].Requests) != 1 {
		t.Errorf("%v, %v %v", err, back.Problems, back.Notices)
	}
	var broken bytes.Buffer
	w := zip.NewWriter(&broken)
	part, err := w.Create("xl/workbook.xml")
	if err != nil {
		t.Fatal(err)
	}
	_, _ = part.Write([]byte("<workbook"))
	_ = w.Close()
	if _, err := bundle.OpenZip(broken.Bytes()); err == nil {
		t.Error("a broken workbook is read")
	}
}
