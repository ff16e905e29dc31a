// Package bundle reads and writes school bundles: a folder, or a zip of it, of CSV files (RFC 4180) and one
// policy.json that hold one school in one school year. Standard files follow OneRoster 1.1 CSV (1EdTech,
// final specification of 2017); docs/bundle.md tells the rest.
//
//	b, err := bundle.Open("pellworth")
//	for _, p := range b.Problems { fmt.Println(p) } // courses.csv:12: metadata.load: is not a number
package bundle

import (
	"archive/zip"
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

// What is kept in memory at the most: cells of one row, cells of a bundle, and problems.
const (
	maxCellsOfRow = 2000
	maxCells      = 60_000_000
	maxProblems   = 100_000
)

// Problem is one bad row or cell: where it is and what is wrong with it.
type Problem struct {
	File   string
	Line   int    // from 1, the header being line 1
	Column string // may be empty
	What   string
}

func (p Problem) String() string {
	switch {
	case p.File == "":
		return p.What
	case p.Line == 0:
		return p.File + ": " + p.What
	case p.Column == "":
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

	broken  bool // its header is not one of such a file
	columns map[string]int
	lines   []int                  // of a workbook: by line of the text, the row of the sheet
	unread  func(visit func(*Row)) // where rows are read only as they are visited
}

// each visits the rows.
func (t *Table) each(visit func(*Row)) {
	if t.unread != nil {
		t.unread(visit)
		return
	}
	for i := range t.Rows {
		visit(&t.Rows[i])
	}
}

// Cell returns the cell of a column, or "" where the file has no such column.
func (t *Table) Cell(r *Row, column string) string {
	if i, ok := t.columns[column]; ok {
		return r.Cells[i]
	}
	return ""
}

// line is where a line of the text is for anyone who wrote it.
func (t *Table) line(n int) int {
	if n < len(t.lines) {
		return t.lines[n]
	}
	return n
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
	{name: "academicSessions.csv", required: []string{"sourcedId", "title", "type", "startDate", "endDate"},
		optional: []string{"status", "dateLastModified", "parentSourcedId", "schoolYear"}, must: true},
	{name: "orgs.csv", required: []string{"sourcedId", "name", "type"},
		optional: []string{"status", "dateLastModified", "identifier", "parentSourcedId"}, must: false},
	{name: "courses.csv", required: []string{"sourcedId", "title", "courseCode", "grades", "subjects"},
		optional: []string{"status", "dateLastModified", "schoolYearSourcedId", "orgSourcedId", "subjectCodes",
			"metadata.credits", "metadata.span",
			"metadata.load", "metadata.entry", "metadata.entryStance", "metadata.links", "metadata.excludes", "metadata.variantOf",
			"metadata.repeatable", "metadata.access", "metadata.tags", "metadata.fee", "metadata.description", "metadata.note", "metadata.leadsTo",
			"metadata.round", "metadata.synonyms", "metadata.usual"}, must: true},
	{name: "classes.csv", required: []string{"sourcedId", "title", "courseSourcedId", "classType", "schoolSourcedId",
		"termSourcedIds", "periods", "metadata.seats"},
		optional: []string{"status", "dateLastModified", "grades", "classCode", "location", "subjects", "subjectCodes",
			"metadata.days", "metadata.teacher"}, must: false},
	{name: "users.csv", required: []string{"sourcedId", "enabledUser", "orgSourcedIds", "role", "username", "givenName", "familyName"},
		optional: []string{"status", "dateLastModified", "userIds", "middleName", "identifier", "email", "sms", "phone",
			"agentSourcedIds", "grades", "password",
			"metadata.counselor", "metadata.programs", "metadata.language", "metadata.nextGrade"}, must: true},
	{name: "records.csv", required: []string{"student", "courseCode", "schoolYear", "credits", "outcome"},
		optional: []string{"title", "subject", "term", "mark", "teacher"}, must: false},
	{name: "signals.csv", required: []string{"student", "kind"}, optional: []string{"courseCode", "name", "value", "by", "note"}, must: false},
	{name: "requests.csv", required: []string{"student", "courseCode", "kind", "rank"}, optional: []string{"standsFor", "state"}, must: false},
	{name: "plans.csv", required: []string{"student", "grade", "courseCode"}, optional: []string{"kind"}, must: false},
	{name: "errands.csv", required: []string{"courseCode", "kind", "title"},
		optional: []string{"due", "place", "note", "settledBy", "becomes"}, must: false},
}

// ofPeople are the files with rows of each person, which are most of a bundle. A lean bundle does not keep their rows.
var ofPeople = map[string]bool{"users.csv": true, "records.csv": true, "signals.csv": true, "requests.csv": true, "plans.csv": true}

// datedSpecs are the files of sections taken and attended. They are read only where they are asked for
// (WithDates, WithEnrollments).
var datedSpecs = []fileSpec{
	{name: "enrollments.csv", required: []string{"sourcedId", "classSourcedId", "schoolSourcedId", "userSourcedId", "role"},
		optional: []string{"status", "dateLastModified", "primary", "beginDate", "endDate"}, must: false},
	{name: "attendance.csv", required: []string{"student", "classSourcedId", "date", "mark"}, optional: nil, must: false},
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

// maxTrusted is how much memory is taken at once for what a packed file says of its own size, in bytes.
const maxTrusted = 8 << 20

// readFile reads a file of a bundle of which left bytes may still be read.
func readFile(fsys fs.FS, name string, left int) ([]byte, error) {
	file, err := fsys.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	var buffer bytes.Buffer
	if info, err := file.Stat(); err == nil {
		most := int64(MaxFile)
		if _, packed := info.Sys().(*zip.FileHeader); packed { // what it says of itself may be a lie
			most = maxTrusted
		}
		buffer.Grow(int(min(info.Size(), int64(left), most)) + bytes.MinRead + 1)
	}
	_, err = buffer.ReadFrom(io.LimitReader(file, int64(min(left, MaxFile))+1))
	text := buffer.Bytes()
	switch {
	case err == nil && len(text) > MaxFile:
		err = errTooLarge
	case err == nil && len(text) > left:
		err = errTooMuch
	}
	return text, err
}

// readTable parses a CSV file and checks its header; bad is told of each row that cannot be read, which is
// left out. Where the table is lean, rows are read when they are visited, and only once.
func readTable(s *fileSpec, text []byte, comma rune, lean bool, without map[int]bool, lines []int, kept *int,
	bad func(line int, column, format string, args ...any)) *Table {
	t := &Table{Name: s.name, lines: lines, columns: map[string]int{}, Deleted: map[string]bool{}}
	in := csv.NewReader(bufio.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf")))))
	in.FieldsPerRecord, in.Comma = -1, comma
	if line := tooWide(text, comma); line > 0 {
		bad(0, "", "row %d has more than %d cells; nothing of the file was read", t.line(line), maxCellsOfRow)
		t.broken = true
		return t
	}
	header, err := in.Read()
	if err != nil {
		bad(1, "", "has no header row")
		t.broken = true
		return t
	}
	good := true
	for i, name := range header {
		if _, twice := t.columns[name]; twice {
			bad(1, name, "the column is there twice")
			good = false
		}
		t.columns[name] = i
	}
	t.Header = header
	for _, name := range s.required {
		if !t.has(name) {
			missing := lacks(s.name, name)
			bad(missing.Line, missing.Column, "%s", missing.What)
			good = false
		}
	}
	t.broken = !good
	switch {
	case !good:
	case lean:
		in.ReuseRecord = true
		t.unread = func(visit func(*Row)) {
			once := interner{}
			t.scan(in, without, bad, func(line int, cells []string) {
				for i, cell := range cells {
					if s.name != "users.csv" { // where little is the same
						cells[i] = once.of(cell)
					}
				}
				row := &Row{line, cells}
				visit(row)
				row.Cells = nil // they are the next row's
			})
			t.unread = func(func(*Row)) {}
		}
	default:
		t.scan(in, without, bad, func(line int, cells []string) {
			if *kept += len(cells); *kept <= maxCells {
				t.Rows = append(t.Rows, Row{line, cells})
			}
		})
		if *kept > maxCells {
			bad(0, "", "the bundle has more than %d cells", maxCells)
		}
	}
	return t
}

// tooWide returns the line at which the first row begins that has more cells than one may have, 0 where none
// has: reading it would take far more memory than its text.
func tooWide(text []byte, comma rune) int {
	line, begins, cells, quoted := 1, 1, 1, false
	for _, c := range text {
		switch {
		case c == '"':
			quoted = !quoted
		case c == '\n':
			line++
			if !quoted {
				begins, cells = line, 1
			}
		case c == byte(comma) && !quoted:
			if cells++; cells > maxCellsOfRow {
				return begins
			}
		}
	}
	return 0
}

// grown appends to a list that is kept: with little room to spare, where append would double it.
func grown[T any](list []T, item T) []T {
	if len(list) == cap(list) {
		list = append(make([]T, 0, len(list)+4), list...)
	}
	return append(list, item)
}

// interner keeps one copy of texts that come again and again.
type interner map[string]string

func (n interner) of(text string) string {
	if text == "" {
		return ""
	}
	have, ok := n[text]
	if !ok {
		have = strings.Clone(text)
		n[have] = have
	}
	return have
}

// scan reads rows, except for those that are to be left out.
func (t *Table) scan(in *csv.Reader, without map[int]bool, bad func(line int, column, format string, args ...any),
	visit func(line int, cells []string)) {
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return
		}
		var syntax *csv.ParseError
		if errors.As(err, &syntax) {
			if without[t.line(syntax.StartLine)] {
				continue
			}
			bad(t.line(syntax.StartLine), "", "is not a CSV row: %v at character %d", syntax.Err, syntax.Column)
			continue
		}
		if err != nil {
			bad(1, "", "cannot be read: %v", err)
			return
		}
		line, _ := in.FieldPos(0)
		line = t.line(line)
		if without[line] {
			continue
		}
		if len(cells) != len(t.Header) {
			bad(line, "", "has %d cells, the header has %d", len(cells), len(t.Header))
			continue
		}
		valid := true
		for i, cell := range cells {
			if !utf8.ValidString(cell) {
				bad(line, t.Header[i], "is not valid UTF-8 text")
				valid = false
			} else if strings.ContainsRune(cell, 0) {
				bad(line, t.Header[i], "has a NUL character in it; take it out")
				valid = false
			} else if t.Header[i] == "courseCode" && strings.ContainsFunc(cell, unicode.IsControl) {
				bad(line, t.Header[i], "has a control character in it; take it out")
				valid = false
			}
		}
		if !valid {
			continue
		}
		if row := (Row{line, cells}); t.Cell(&row, "status") == "tobedeleted" {
			t.Deleted[t.Cell(&row, "sourcedId")] = true
			continue
		}
		visit(line, cells)
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
