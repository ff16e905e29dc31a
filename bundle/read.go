package bundle

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"slices"
	"sort"
	"time"
	_ "time/tzdata" // the zones, also where the machine has none

	"rubricon/core/catalog"
	"rubricon/core/policy"
)

// Bundle is a school in one school year. Year is nil where there are Problems.
type Bundle struct {
	Problems []Problem
	Notices  []Problem

	Tables     map[string]*Table
	PolicyText []byte
	SchoolID   string
	SchoolName string
	Frame      catalog.Frame
	Courses    []catalog.Course // in file order
	CourseIDs  map[string]string
	Users      []User
	Pupils     []Pupil // in the order of users.csv
	Sections   []Section
	Errands    []catalog.Errand // in file order
	Year       *catalog.Year

	Enrollments []Enrollment // with WithDates or WithEnrollments
	Attendance  []Attended   // with WithDates

	termIDs map[string]catalog.TermSet
	year    string          // sourcedId of the school year
	summer  map[string]bool // the codes of courses of the summer round
	passed  map[string]bool // the ids of all rows of sections: also those that take no part, or are bad
	lean    bool
	foreign bool

	enrolled, attended bool // what is read beside
	fill               func(school string, year int) ([]File, error)
	lacking            []Problem         // columns that some row needs; the rest is not looked at then
	filled             map[string][]byte // the files that the bundle does not have, as they are there: their digests
	without            map[string]map[int]bool

	cells  int // that are in memory
	unsaid int // problems that are not listed

	lines  map[string][]int // of a workbook: by file and line of its text, the row of the sheet
	faults faults           // of a workbook
}

// An Option says how a bundle is read.
type Option func(*Bundle)

// Lean keeps no rows of people, nor of what each student has: for judging alone. Rows named by users and
// pupils have no cells.
func Lean(b *Bundle) { b.lean = true }

// WithDates reads enrollments.csv and attendance.csv too.
func WithDates(b *Bundle) { b.enrolled, b.attended = true, true }

// WithEnrollments reads enrollments.csv too.
func WithEnrollments(b *Bundle) { b.enrolled = true }

// Fill takes a file that the bundle does not have from what is there of the bundle's school and year, so that
// it stays as it is. The school is "" where the bundle does not name it; nothing is there of a year that is
// new.
func Fill(from func(school string, year int) ([]File, error)) Option {
	return func(b *Bundle) { b.fill = from }
}

// RowsAlone reports whether all that is wrong is wrong in single rows, without which the rest can be read.
func RowsAlone(problems []Problem) bool {
	return !slices.ContainsFunc(problems, func(p Problem) bool { return p.File == "policy.json" || p.Line < 2 && p.File != "" })
}

// Filled reports whether a file was taken from what is there.
func (b *Bundle) Filled(name string) bool { return b.filled[name] != nil }

// Has reports whether the bundle itself has a file, be it with a header alone.
func (b *Bundle) Has(name string) bool {
	return b.Tables[name] != nil && b.Tables[name].Header != nil && !b.Filled(name)
}

// A MissingFileError says that a file without which nothing can be read is not there.
type MissingFileError struct{ Name string }

func (e *MissingFileError) Error() string { return e.Name + " is missing from the bundle" }

// Open reads a bundle from a folder or a zip file. The error is about the folder as a whole (it does not exist, a
// *MissingFileError); what is wrong in the files is in Problems.
func Open(name string, options ...Option) (*Bundle, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, fmt.Errorf("reading the bundle: %w", err)
	}
	if info.IsDir() {
		return Read(os.DirFS(name), options...)
	}
	archive, err := zip.OpenReader(name)
	if err != nil {
		return nil, fmt.Errorf("%s is neither a folder nor a zip file: %w", name, err)
	}
	defer archive.Close()
	return Read(within(archive), options...)
}

// ErrNotZip says that what should be a zip file is none.
var ErrNotZip = errors.New("this is not a zip file, or not a whole one")

// OpenZip reads a bundle from the bytes of a zip file, or of a workbook. The error is ErrNotZip or as for Open.
func OpenZip(text []byte, options ...Option) (*Bundle, error) {
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		return nil, ErrNotZip
	}
	if isWorkbook(archive) {
		return openWorkbook(archive, options...)
	}
	return Read(within(archive), options...)
}

// within finds the folder of a zip that holds the bundle.
func within(fsys fs.FS) fs.FS {
	found, _ := fs.Glob(fsys, "*/policy.json")
	if _, err := fs.Stat(fsys, "policy.json"); err != nil && len(found) == 1 {
		if sub, err := fs.Sub(fsys, path.Dir(found[0])); err == nil {
			return sub
		}
	}
	return fsys
}

// Read reads a bundle from a file system. The error is as for Open.
func Read(fsys fs.FS, options ...Option) (*Bundle, error) {
	entries, err := fs.ReadDir(fsys, ".")
	if err != nil {
		return nil, fmt.Errorf("reading the bundle: %w", err)
	}
	var names []string
	for _, entry := range entries {
		names = append(names, entry.Name())
	}
	left := MaxBundle
	return read(names, func(name string) ([]byte, error) {
		text, err := readFile(fsys, name, left)
		left -= len(text)
		return text, err
	}, options...)
}

// ReadFiles reads a bundle from files in memory. The error is as for Open.
func ReadFiles(files []File, options ...Option) (*Bundle, error) {
	texts := map[string][]byte{}
	for i := range files {
		text, err := files[i].Bytes()
		if err != nil {
			return nil, fmt.Errorf("%s: %w", files[i].Name, err)
		}
		texts[files[i].Name] = text
	}
	return read(slices.Sorted(maps.Keys(texts)), func(name string) ([]byte, error) { return texted(texts, name) }, options...)
}

func texted(texts map[string][]byte, name string) ([]byte, error) {
	text, ok := texts[name]
	if !ok {
		return nil, fs.ErrNotExist
	}
	return text, nil
}

func read(names []string, file func(name string) ([]byte, error), options ...Option) (*Bundle, error) {
	b := &Bundle{Tables: map[string]*Table{}, CourseIDs: map[string]string{}, termIDs: map[string]catalog.TermSet{},
		summer: map[string]bool{}, passed: map[string]bool{}}
	for _, option := range options {
		option(b)
	}
	for _, name := range names {
		if spec(name) == nil && !notRead[name] {
			b.Notices = append(b.Notices, Problem{File: name, Line: 1, Column: "", What: "is not a file of a bundle; it is ignored"})
		}
	}
	text, err := file("policy.json")
	if errors.Is(err, fs.ErrNotExist) {
		return nil, &MissingFileError{"policy.json"}
	} else if err != nil {
		return nil, fmt.Errorf("policy.json: %w", err)
	}
	b.PolicyText = b.plain("policy.json", text)
	if file, err = b.filling(names, file); err != nil {
		return nil, err
	}
	reads := slices.Concat(specs, datedSpecs)
	for i := range reads {
		s := &reads[i]
		if s.name == "enrollments.csv" && !b.enrolled || s.name == "attendance.csv" && !b.attended {
			continue
		}
		text, err := file(s.name)
		if errors.Is(err, fs.ErrNotExist) {
			if s.must {
				return nil, &MissingFileError{s.name}
			}
			b.Tables[s.name] = &Table{Name: s.name, columns: map[string]int{}}
			continue
		} else if err != nil {
			return nil, fmt.Errorf("%s: %w", s.name, err)
		}
		text = b.plain(s.name, text)
		b.Tables[s.name] = readTable(s, text, b.comma(s.name, text), b.lean && ofPeople[s.name], b.without[s.name],
			b.lines[s.name], &b.cells, func(line int, column, format string, args ...any) {
				b.problem(Problem{File: s.name, Line: line, Column: column, What: fmt.Sprintf(format, args...)})
			})
	}
	in := func(list []Problem) []Problem {
		return slices.DeleteFunc(slices.Clone(list), func(p Problem) bool { return b.without[p.File][p.Line] })
	}
	if lost := in(b.faults.lost); len(lost) > 0 {
		b.Problems = append(lost, in(b.faults.tidied)...)
		b.sortProblems()
		return b, nil
	}
	for _, t := range b.Tables {
		if t.broken { // whatever refers to it would be named too
			b.sortProblems()
			return b, nil
		}
	}
	b.Problems = append(b.Problems, in(b.faults.tidied)...)
	b.interpret()
	return b, nil
}

// filling reads what the bundle does not have from what is there. Who attends which section is never filled in.
func (b *Bundle) filling(names []string, file func(string) ([]byte, error)) (func(string) ([]byte, error), error) {
	absent := func(s fileSpec) bool { return !slices.Contains(names, s.name) }
	p, _, _ := policy.Parse(b.PolicyText)
	if b.fill == nil || p == nil || !slices.ContainsFunc(specs, absent) {
		return file, nil
	}
	named := &Bundle{Tables: map[string]*Table{}}
	if text, err := file("orgs.csv"); err == nil {
		text = b.plain("orgs.csv", text)
		named.Tables["orgs.csv"] = readTable(spec("orgs.csv"), text, b.comma("orgs.csv", text), false, nil, nil, new(int),
			func(int, string, string, ...any) {})
		named.orgs()
	}
	year, err := policy.StartYear(p.SchoolYear)
	if err != nil {
		return file, nil // it is said where the policy is read
	}
	have, err := b.fill(named.SchoolID, year)
	if err != nil {
		return nil, fmt.Errorf("reading what is there: %w", err)
	}
	texts := map[string]*File{}
	for i := range have {
		texts[have[i].Name] = &have[i]
	}
	b.filled = map[string][]byte{}
	return func(name string) ([]byte, error) {
		text, err := file(name)
		if f := texts[name]; f != nil && spec(name) != nil && errors.Is(err, fs.ErrNotExist) {
			text, err = f.Bytes()
			b.filled[name] = digest(text)
		}
		return text, err
	}, nil
}

func digest(text []byte) []byte {
	sum := sha256.Sum256(text)
	return sum[:]
}

// Holds reports whether a file that was taken from what is there is there still as it was, if it was taken.
func (b *Bundle) Holds(name string, have []File) bool {
	for i := range have {
		if text, err := have[i].Bytes(); have[i].Name == name && err == nil {
			return !b.Filled(name) || bytes.Equal(b.filled[name], digest(text))
		}
	}
	return !b.Filled(name)
}

func (b *Bundle) interpret() {
	p, problems, notices := policy.Parse(b.PolicyText)
	for _, x := range problems {
		b.problem(Problem{File: "policy.json", Line: x.Line, Column: x.Path, What: x.What})
	}
	for _, x := range notices {
		b.Notices = append(b.Notices, Problem{File: "policy.json", Line: x.Line, Column: x.Path, What: x.What})
	}
	if p != nil {
		if _, err := time.LoadLocation(p.Settings.TimeZone); err != nil {
			line := 1 + bytes.Count(b.PolicyText[:max(0, bytes.Index(b.PolicyText, []byte(`"timeZone"`)))], []byte("\n"))
			b.problem(Problem{File: "policy.json", Line: line, Column: "settings.timeZone",
				What: fmt.Sprintf("“%s” is not a time zone; write it like Europe/Oslo", p.Settings.TimeZone)})
		}
	}
	b.orgs()
	if p != nil {
		b.sessions(p)
	}
	rows := b.courses()
	errandRows := b.errands()
	b.users()
	if p != nil && len(b.Frame.Terms) > 0 {
		b.compile(p, rows, errandRows)
	}
	b.records(p)
	b.signals()
	b.requests(rows)
	b.plans(rows, p)
	if p != nil {
		b.classes(p)
	}
	if b.enrolled {
		b.enrollments()
	}
	if b.attended {
		b.attendance()
	}
	if len(b.lacking) > 0 {
		b.Problems, b.unsaid = b.lacking, 0
	}
	b.sortProblems()
	if len(b.Problems) > 0 {
		b.Year = nil
	}
}

// problem keeps what is wrong, as long as there is not so much that no one reads it.
func (b *Bundle) problem(p Problem) {
	if len(b.Problems) >= maxProblems {
		b.unsaid++
		return
	}
	b.Problems = append(b.Problems, p)
}

// sortProblems puts problems into the order of the files and lines.
func (b *Bundle) sortProblems() {
	order := map[string]int{"policy.json": -1}
	for i, s := range slices.Concat(specs, datedSpecs) {
		order[s.name] = i
	}
	sort.SliceStable(b.Problems, func(i, j int) bool {
		x, y := b.Problems[i], b.Problems[j]
		if x.File != y.File {
			return order[x.File] < order[y.File]
		}
		return x.Line < y.Line
	})
	if b.unsaid > 0 {
		b.Problems = append(b.Problems, Problem{What: fmt.Sprintf("%d more problems are not listed", b.unsaid)})
		b.unsaid = 0
	}
}
