// Package bundle reads and writes school bundles: a folder, or a zip of it, of CSV files (RFC 4180) and one policy.json that
// hold one school in one school year. Standard files follow OneRoster 1.1 CSV (1EdTech, final specification of 2017);
// docs/bundle.md tells the rest.
//
//	b, err := bundle.Open("pellworth")
//	for _, p := range b.Problems { fmt.Println(p) } // courses.csv:12: metadata.load: is not a number
package bundle

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"unicode"
	"unicode/utf8"
)

// What is read at the most, in bytes: of one file, and of a bundle in all, also when it is unpacked from a zip.
const (
	MaxFile   = 256 << 20
	MaxBundle = 512 << 20
)

// Problem is one bad row or cell: where it is and what is wrong with it.
type Problem struct {
	File   string
	Line   int    // from 1, the header being line 1
	Column string // may be empty
	What   string
}

func (p Problem) String() string {
	if p.Column == "" {
		return fmt.Sprintf("%s:%d: %s", p.File, p.Line, p.What)
	}
	return fmt.Sprintf("%s:%d: %s: %s", p.File, p.Line, p.Column, p.What)
}

// Row is one row as it was written; Cells follow the table's header.
type Row struct {
	Line  int
	Cells []string
}

// Table is a CSV file as it was written. Rows to be deleted are not in it; Deleted has their sourcedIds.
type Table struct {
	Name    string
	Header  []string
	Rows    []Row
	Deleted map[string]bool

	columns map[string]int
}

// Cell gives the cell of a column, or "" where the file has no such column.
func (t *Table) Cell(r *Row, column string) string {
	if i, ok := t.columns[column]; ok {
		return r.Cells[i]
	}
	return ""
}

func (t *Table) has(column string) bool {
	_, ok := t.columns[column]
	return ok
}

// fileSpec tells of one file which columns must be there.
type fileSpec struct {
	name     string
	required []string
	optional []string
	must     bool // without it nothing can be read
}

var specs = []fileSpec{
	{"academicSessions.csv", []string{"sourcedId", "title", "type", "startDate", "endDate"},
		[]string{"status", "dateLastModified", "parentSourcedId", "schoolYear"}, true},
	{"orgs.csv", []string{"sourcedId", "name", "type"}, []string{"status", "dateLastModified", "identifier", "parentSourcedId"}, false},
	{"courses.csv", []string{"sourcedId", "title", "courseCode", "grades", "subjects"},
		[]string{"status", "dateLastModified", "schoolYearSourcedId", "orgSourcedId", "subjectCodes", "metadata.credits", "metadata.span",
			"metadata.load", "metadata.entry", "metadata.entryStance", "metadata.links", "metadata.excludes", "metadata.variantOf",
			"metadata.repeatable", "metadata.access", "metadata.tags", "metadata.fee", "metadata.description", "metadata.note", "metadata.leadsTo",
			"metadata.round", "metadata.synonyms", "metadata.usual"}, true},
	{"classes.csv", []string{"sourcedId", "title", "courseSourcedId", "classType", "schoolSourcedId", "termSourcedIds", "periods", "metadata.seats"},
		[]string{"status", "dateLastModified", "grades", "classCode", "location", "subjects", "subjectCodes", "metadata.days", "metadata.teacher"}, false},
	{"users.csv", []string{"sourcedId", "enabledUser", "orgSourcedIds", "role", "username", "givenName", "familyName"},
		[]string{"status", "dateLastModified", "userIds", "middleName", "identifier", "email", "sms", "phone", "agentSourcedIds", "grades", "password",
			"metadata.counselor", "metadata.programs", "metadata.language", "metadata.nextGrade"}, true},
	{"records.csv", []string{"student", "courseCode", "schoolYear", "credits", "outcome"}, []string{"title", "subject", "term", "mark", "teacher"}, false},
	{"signals.csv", []string{"student", "kind"}, []string{"courseCode", "name", "value", "by", "note"}, false},
	{"requests.csv", []string{"student", "courseCode", "kind", "rank"}, []string{"standsFor", "state"}, false},
	{"plans.csv", []string{"student", "grade", "courseCode"}, []string{"kind"}, false},
	{"errands.csv", []string{"courseCode", "kind", "title"}, []string{"due", "place", "note", "settledBy", "becomes"}, false},
}

// datedSpecs are the files of sections taken and attended. They are read only where they are asked for (WithDates).
var datedSpecs = []fileSpec{
	{"enrollments.csv", []string{"sourcedId", "classSourcedId", "schoolSourcedId", "userSourcedId", "role"},
		[]string{"status", "dateLastModified", "primary", "beginDate", "endDate"}, false},
	{"attendance.csv", []string{"student", "classSourcedId", "date", "mark"}, nil, false},
}

// notRead are files that a bundle may carry and that are not read as its tables.
var notRead = map[string]bool{"manifest.csv": true, "enrollments.csv": true, "attendance.csv": true, "policy.json": true}

func spec(name string) *fileSpec {
	for i := range specs {
		if specs[i].name == name {
			return &specs[i]
		}
	}
	return nil
}

var (
	errTooLarge = fmt.Errorf("is larger than %d MB", MaxFile>>20)
	errTooMuch  = fmt.Errorf("with it the bundle is larger than %d MB in all", MaxBundle>>20)
)

// readFile reads a file of a bundle of which left bytes may still be read.
func readFile(fsys fs.FS, name string, left int) ([]byte, error) {
	file, err := fsys.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	text, err := io.ReadAll(io.LimitReader(file, int64(min(left, MaxFile))+1))
	switch {
	case err == nil && len(text) > MaxFile:
		err = errTooLarge
	case err == nil && len(text) > left:
		err = errTooMuch
	}
	return text, err
}

// readTable parses a CSV file and checks its header. The problems it finds name the row; rows it cannot read are left out.
func readTable(s *fileSpec, text []byte) (*Table, []Problem) {
	t := &Table{Name: s.name, columns: map[string]int{}, Deleted: map[string]bool{}}
	var problems []Problem
	bad := func(line int, column, format string, args ...any) {
		problems = append(problems, Problem{s.name, line, column, fmt.Sprintf(format, args...)})
	}
	in := csv.NewReader(bufio.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf")))))
	in.FieldsPerRecord = -1
	header, err := in.Read()
	if err != nil {
		bad(1, "", "has no header row")
		return t, problems
	}
	for i, name := range header {
		if _, twice := t.columns[name]; twice {
			bad(1, name, "the column is there twice")
		}
		t.columns[name] = i
	}
	t.Header = header
	for _, name := range s.required {
		if !t.has(name) {
			bad(1, name, "the required column is missing")
		}
	}
	if len(problems) > 0 {
		return t, problems
	}
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return t, problems
		}
		var syntax *csv.ParseError
		if errors.As(err, &syntax) {
			bad(syntax.StartLine, "", "is not a CSV row: %v at character %d", syntax.Err, syntax.Column)
			continue
		}
		if err != nil {
			bad(1, "", "cannot be read: %v", err)
			return t, problems
		}
		line, _ := in.FieldPos(0)
		if len(cells) != len(header) {
			bad(line, "", "has %d cells, the header has %d", len(cells), len(header))
			continue
		}
		valid := true
		for i, cell := range cells {
			if !utf8.ValidString(cell) {
				bad(line, header[i], "is not valid UTF-8 text")
				valid = false
			} else if strings.ContainsRune(cell, 0) {
				bad(line, header[i], "has a NUL character in it; take it out")
				valid = false
			} else if header[i] == "courseCode" && strings.ContainsFunc(cell, unicode.IsControl) {
				bad(line, header[i], "has a control character in it; take it out")
				valid = false
			}
		}
		if !valid {
			continue
		}
		row := Row{line, cells}
		if t.Cell(&row, "status") == "tobedeleted" {
			t.Deleted[t.Cell(&row, "sourcedId")] = true
			continue
		}
		t.Rows = append(t.Rows, row)
	}
}

func list(text string) []string {
	var items []string
	for _, item := range strings.Split(text, ",") {
		if item = strings.TrimSpace(item); item != "" {
			items = append(items, item)
		}
	}
	return items
}
