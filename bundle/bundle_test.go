package bundle_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"rubricon/bundle"
)

// small is a school of one student, good in every row.
func small() map[string]string {
	return map[string]string{
		"policy.json":          `{"schoolYear":"2027-28","periods":8,"days":2,"rules":[{"id":"credits","measure":"credits","min":1}]}`,
		"academicSessions.csv": "sourcedId,title,type,startDate,endDate,parentSourcedId\ny,2027-28,schoolYear,2027-09-01,2028-06-30,\nb,S2,semester,2028-02-01,2028-06-30,y\na,S1,semester,2027-09-01,2028-01-30,y\n",
		"courses.csv":          "sourcedId,title,courseCode,grades,subjects,metadata.span,metadata.credits\nc1,English,ENG,\"09,10\",English,,1\nc2,Art,ART,,Arts,S1|S2,0.5\n",
		"users.csv":            "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades\ns1,true,o,student,u1,A,B,09\n",
		"requests.csv":         "student,courseCode,kind,rank,standsFor\ns1,ENG,request,1,\ns1,ART,alternate,1,ENG\n",
		"classes.csv":          "sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.seats,metadata.days\nk1,Art 1,c2,scheduled,o,a,\"3,4\",20,1\nk2,English 1,c1,scheduled,o,y,1,25,\n",
	}
}

func fsOf(files map[string]string) fstest.MapFS {
	fsys := fstest.MapFS{}
	for name, text := range files {
		fsys[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return fsys
}

func TestAGoodBundle(t *testing.T) {
	for name, change := range map[string]func(map[string]string){
		"as it is":               func(map[string]string) {},
		"with CRLF":              func(f map[string]string) { f["courses.csv"] = strings.ReplaceAll(f["courses.csv"], "\n", "\r\n") },
		"with a byte order mark": func(f map[string]string) { f["users.csv"] = "\xef\xbb\xbf" + f["users.csv"] },
		"with a deleted row": func(f map[string]string) {
			f["courses.csv"] = "status," + strings.ReplaceAll(strings.TrimSpace(f["courses.csv"]), "\n", "\n,") + "\ntobedeleted,,,,,,,bad\n"
		},
		"without optional files": func(f map[string]string) { delete(f, "requests.csv"); delete(f, "classes.csv") },
		"with an unknown file":   func(f map[string]string) { f["notes.txt"] = "x" },
		"with a request's old state": func(f map[string]string) {
			f["requests.csv"] = strings.Replace(f["requests.csv"], "standsFor\n", "state\n", 1)
		},
	} {
		files := small()
		change(files)
		b, err := bundle.Read(fsOf(files))
		if err != nil || len(b.Problems) > 0 {
			t.Errorf("%s: %v %v", name, err, b.Problems)
			continue
		}
		if got := fmt.Sprint(b.Frame.Terms, len(b.Year.Courses), b.Pupils[0].Grade); got != "[S1 S2] 2 10" {
			t.Errorf("%s: %s", name, got)
		}
	}
}

// Each bad row is named by file, line and column, and says what is wrong.
func TestBadRows(t *testing.T) {
	for _, c := range []struct{ file, from, to, want string }{
		{"courses.csv", "c2,Art,ART", "c2,,ART", "courses.csv:3: title: is empty"},
		{"courses.csv", "c2,Art,ART", "c1,Art,ART", "courses.csv:3: sourcedId: “c1” is already on line 2"},
		{"courses.csv", "ART,,Arts", "ENG,,Arts", "courses.csv:3: courseCode: “ENG” is already on line 2"},
		{"courses.csv", "S1|S2", "S1|S3", "courses.csv:3: metadata.span: “S3” is not a term; the terms are S1, S2"},
		{"courses.csv", ",0.5", ",0.555", "courses.csv:3: metadata.credits: “0.555” has more than two decimals"},
		{"courses.csv", ",0.5", ",half", "courses.csv:3: metadata.credits: “half” is not a number; write digits with an optional decimal point, like 0.5"},
		{"courses.csv", "c2,Art,", "c2,A\x00rt,", "courses.csv:3: title: has a NUL character in it; take it out"},
		{"courses.csv", ",ART,", ",A\x1fRT,", "courses.csv:3: courseCode: has a control character in it; take it out"},
		{"courses.csv", "09,10", "ninth", "courses.csv:2: grades: “ninth” is not a grade; write KG or a number such as 09"},
		{"courses.csv", "subjects,", "subject,", "courses.csv: column subjects is missing"},
		{"users.csv", "true", "yes", "users.csv:2: enabledUser: “yes” is not one of true, false"},
		{"users.csv", ",09\n", ",\n", "users.csv:2: grades: is empty; a student needs it, or metadata.nextGrade"},
		{"users.csv", "student,", "pupil,", "users.csv:2: role: “pupil” is not one of student, guardian, parent, relative, teacher, administrator, aide, proctor"},
		{"requests.csv", "s1,ENG", "s1,ENX", "requests.csv:2: courseCode: no course has the code “ENX”"},
		{"requests.csv", "s1,ENG", "s2,ENG", "requests.csv:2: student: no student has the id “s2”"},
		{"requests.csv", "s1,ART,alternate,1,ENG", "s1,ENG,alternate,1,", "requests.csv:3: courseCode: ENG is already on this sheet, on line 2"},
		{"requests.csv", "request,1", "request,0", "requests.csv:2: rank: “0” is not a rank; write a whole number from 1"},
		{"requests.csv", "request,1,", "request,,", "requests.csv:2: rank: “” is not a rank; write a whole number from 1"},
		{"requests.csv", ",rank,", ",order,", "requests.csv: column rank is missing"},
		{"requests.csv", "request,1,", "request,1", "requests.csv:2: has 4 cells, the header has 5"},
		{"classes.csv", "a,\"3,4\"", "y,\"3,4\"", "classes.csv:2: termSourcedIds: the terms are not one of the spans of ART"},
		{"classes.csv", "\"3,4\"", "9", "classes.csv:2: periods: “9” is not a number from 1 to 8"},
		{"classes.csv", ",20,1", ",20,3", "classes.csv:2: metadata.days: “3” is not a number from 1 to 2"},
		{"classes.csv", ",25,", ",many,", "classes.csv:3: metadata.seats: “many” is not a number of seats; write a whole number"},
		{"policy.json", `"min":1`, `"min":1.234`, "policy.json:1: rules.credits.min: 1.234 has more than two decimals"},
		{"policy.json", `"credits","min"`, `"weight","min"`, "policy.json:1: rules.credits.measure: “weight” is not one of courses, credits, load"},
		{"policy.json", `2027-28`, `2027`, "policy.json:1: schoolYear: “2027” is not a school year; write it like 2027-28"},
		{"academicSessions.csv", "b,S2", "b,S+2", "academicSessions.csv:3: title: a term's title must not contain |, + or a comma, nor be “year” or “any”"},
	} {
		files := small()
		if !strings.Contains(files[c.file], c.from) {
			t.Fatalf("%s has no %q", c.file, c.from)
		}
		files[c.file] = strings.Replace(files[c.file], c.from, c.to, 1)
		b, err := bundle.Read(fsOf(files))
		if err != nil {
			t.Errorf("%s: %v", c.want, err)
			continue
		}
		var got []string
		for _, p := range b.Problems {
			got = append(got, p.String())
		}
		if !slices.Contains(got, c.want) {
			t.Errorf("got %q, want %q", got, c.want)
		}
		if b.Year != nil {
			t.Errorf("%s: a bundle with problems has a compiled year", c.want)
		}
	}
}

func TestMissingFiles(t *testing.T) {
	for _, name := range []string{"academicSessions.csv", "courses.csv", "users.csv", "policy.json"} {
		files := small()
		delete(files, name)
		if _, err := bundle.Read(fsOf(files)); err == nil || err.Error() != name+" is missing from the bundle" {
			t.Errorf("without %s: %v", name, err)
		}
	}
}

func TestAZipIsABundleToo(t *testing.T) {
	for _, prefix := range []string{"", "pellworth/"} {
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		for name, text := range small() {
			f, err := w.Create(prefix + name)
			if err == nil {
				_, err = f.Write([]byte(text))
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "school.zip")
		if err := os.WriteFile(path, out.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
		if b, err := bundle.Open(path); err != nil || len(b.Problems) > 0 || b.Year == nil {
			t.Errorf("zip with prefix %q: %v", prefix, err)
		}
	}
}

// The columns of the standard's files, as the OneRoster 1.1 CSV tables of 1EdTech have them (from memory): what a bundle writes
// must be among them or begin with "metadata.".
func TestColumnsAreTheStandards(t *testing.T) {
	standard := map[string]string{
		"academicSessions.csv": "sourcedId status dateLastModified title type startDate endDate parentSourcedId schoolYear",
		"orgs.csv":             "sourcedId status dateLastModified name type identifier parentSourcedId",
		"courses.csv":          "sourcedId status dateLastModified schoolYearSourcedId title courseCode grades orgSourcedId subjects subjectCodes",
		"classes.csv":          "sourcedId status dateLastModified title grades courseSourcedId classCode classType location schoolSourcedId termSourcedIds subjects subjectCodes periods",
		"users.csv": "sourcedId status dateLastModified enabledUser orgSourcedIds role username userIds givenName familyName middleName identifier email sms phone " +
			"agentSourcedIds grades password",
	}
	for name, columns := range standard {
		have := bundle.Columns(name)
		for _, column := range have {
			if !strings.HasPrefix(column, "metadata.") && !slices.Contains(strings.Fields(columns), column) {
				t.Errorf("%s: %s is not a column of the standard", name, column)
			}
		}
		for _, column := range strings.Fields(columns) {
			if !slices.Contains(have, column) {
				t.Errorf("%s: the standard's column %s is missing", name, column)
			}
		}
	}
}

func FuzzRead(f *testing.F) {
	for name, text := range small() {
		f.Add(name, text)
	}
	f.Fuzz(func(t *testing.T, name, text string) {
		files := small()
		if _, ok := files[name]; !ok {
			return
		}
		files[name] = text
		b, err := bundle.Read(fsOf(files))
		if err == nil && len(b.Problems) == 0 && b.Year == nil {
			t.Fatal("neither a problem nor a compiled year")
		}
	})
}

// What comes as a zip file or a workbook is read, or refused, whatever it is: a file that people upload.
func FuzzOpenZip(f *testing.F) {
	var files []bundle.File
	for name, text := range small() {
		if rows := strings.Split(strings.TrimSpace(text), "\n"); strings.HasSuffix(name, ".csv") {
			x := bundle.File{Name: name, Header: strings.Split(rows[0], ",")}
			for _, row := range rows[1:] {
				x.Rows = append(x.Rows, strings.Split(row, ","))
			}
			files = append(files, x)
		} else {
			files = append(files, bundle.File{Name: name, Text: []byte(text)})
		}
	}
	for _, write := range []func(io.Writer, []bundle.File) error{bundle.WriteZip, bundle.WriteWorkbook} {
		var out bytes.Buffer
		if err := write(&out, files); err != nil {
			f.Fatal(err)
		}
		f.Add(out.Bytes())
	}
	f.Add([]byte("PK"))
	f.Fuzz(func(t *testing.T, text []byte) {
		b, err := bundle.OpenZip(text, bundle.Foreign, bundle.WithEnrollments)
		if err == nil && len(b.Problems) == 0 && b.Year == nil {
			t.Fatal("neither a problem nor a compiled year")
		}
	})
}

// A zip that unpacks to more than a bundle may be is refused before it fills the memory.
func TestAZipThatIsTooMuch(t *testing.T) {
	path := filepath.Join(t.TempDir(), "bomb.zip")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	out := zip.NewWriter(file)
	out.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
	zeros := make([]byte, 1<<20)
	good := map[string]string{"policy.json": `{"schoolYear":"2027-28","periods":8}`}
	for _, name := range append([]string{"policy.json"}, bundle.Names()[:3]...) {
		w, err := out.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if text, ok := good[name]; ok {
			_, _ = io.WriteString(w, text)
			continue
		}
		for range 180 { // megabytes
			if _, err := w.Write(zeros); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := errors.Join(out.Close(), file.Close()); err != nil {
		t.Fatal(err)
	}
	if _, err := bundle.Open(path); err == nil || !strings.Contains(err.Error(), "larger than 512 MB in all") {
		t.Errorf("it gives %v", err)
	}
}

// What is written only its owner may read, also where something was.
func TestFilesAreTheOwnersAlone(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "out")
	if err := os.Mkdir(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "users.csv"), nil, 0o644); err != nil {
		t.Fatal(err)
	}
	for _, at := range []string{dir, filepath.Join(t.TempDir(), "new")} {
		if err := bundle.Write(at, []bundle.File{{Name: "users.csv", Header: []string{"a"}}}); err != nil {
			t.Fatal(err)
		}
		info, err := os.Stat(filepath.Join(at, "users.csv"))
		if err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("the mode is %v, %v", info.Mode(), err)
		}
	}
}

// Marks may have names, which the policy gives numbers; a condition may ask for one by its name.
func TestMarksWithNames(t *testing.T) {
	files := small()
	files["policy.json"] = strings.Replace(files["policy.json"], `"periods"`, `"marks":{"A":95,"B+":88,"B":85,"P":60},"periods"`, 1)
	files["courses.csv"] = "sourcedId,title,courseCode,grades,subjects,metadata.entry\nc1,English,ENG,,English,\"passed ART at \"\"B+\"\" or passed ART at P\"\nc2,Art,ART,,Arts,\n"
	files["records.csv"] = "student,courseCode,schoolYear,credits,outcome,mark\ns1,ART,2026-27,1,transfer, B+ \ns1,ART,2025-26,1,failed,P\ns1,ART,2025-26,1,earned,72.5\ns1,ART,2025-26,1,earned,\n"
	delete(files, "classes.csv")
	b, err := bundle.Read(fsOf(files))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	var got []string
	for _, r := range b.Pupils[0].Student.Records {
		got = append(got, fmt.Sprint(r.Mark, r.HasMark))
	}
	if s := strings.Join(got, " "); s != "88 true 60 true 72.5 true 0 false" {
		t.Errorf("marks: %s", s)
	}
	if entry := b.Year.Courses[1].Entry; entry.String() != `passed ART at "B+" or passed ART at P` || entry.Parts[0].Leaf.At != 8800 || entry.Parts[1].Leaf.At != 6000 {
		t.Errorf("the condition: %s %+v", entry, entry.Parts)
	}
	for _, c := range [][4]string{
		{"records.csv", " B+ ", "C", "records.csv:2: mark: “C” is neither a number from 0 to 100 nor a mark of the policy"},
		{"records.csv", "72.5", "101", "records.csv:4: mark: must lie between 0 and 100"},
		{"records.csv", "72.5", "-1", "records.csv:4: mark: must lie between 0 and 100"},
		{"courses.csv", "at P", "at Q", "courses.csv:2: metadata.entry: “Q” is not a mark of the policy"},
		{"policy.json", `"A":95`, `"A":101`, "policy.json:1: marks.A: must lie between 0 and 100"},
		{"policy.json", `"A":95`, `"A":"x"`, "policy.json:1: marks.A: "},
		{"policy.json", `"A":95`, `"A":9.555`, "policy.json:1: marks.A: "},
		{"policy.json", `"A":95`, `"7.5":95`, "policy.json:1: marks.7.5: is a number; a mark's name must not be one"},
		{"policy.json", `"A":95`, `"":95`, "policy.json:1: marks: a mark's name is empty"},
		{"policy.json", `"A":95`, `"A":null`, "policy.json:1: marks.A: is missing"},
	} {
		spoilt := maps.Clone(files)
		spoilt[c[0]] = strings.Replace(spoilt[c[0]], c[1], c[2], 1)
		b, err := bundle.Read(fsOf(spoilt))
		if err != nil || len(b.Problems) == 0 || !strings.HasPrefix(b.Problems[0].String(), c[3]) {
			t.Errorf("%s %s: %v, %v", c[0], c[2], b.Problems, err)
		}
	}
}
