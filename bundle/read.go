package bundle

import (
	"archive/zip"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math"
	"os"
	"path"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// User is a person of the school. Grade is the one a student enters.
type User struct {
	Row        *Row
	ID         string
	Role       string
	Enabled    bool
	Username   string
	GivenName  string
	FamilyName string
	Email      string
	Agents     []string
	Counselor  string
	Language   string
	Password   string
	Programs   []string
	Grade      int
}

// Request is a row of requests.csv.
type Request struct {
	Row       *Row
	Course    string
	Alternate bool
	Rank      int
	StandsFor string
}

// Pupil is a student with all that the bundle says of them; Requests are in file order.
type Pupil struct {
	*User
	Student  sheet.Student
	Requests []Request
}

// Section is a row of classes.csv. Terms is the set of terms it meets in, Days the days of the cycle, from 1.
type Section struct {
	Row     *Row
	ID      string
	Course  string
	Terms   catalog.TermSet
	Periods []int
	Days    []int
	Seats   int
	Teacher string
	Title   string
}

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
	Year       *catalog.Year

	termIDs map[string]catalog.TermSet
	year    string // sourcedId of the school year
	dates   [][2]string
}

// Dates gives the first and the last day of some terms of the year, as they are written in academicSessions.csv.
func (b *Bundle) Dates(terms catalog.TermSet) (begin, end string) {
	for i, d := range b.dates {
		if terms>>i&1 == 0 {
			continue
		}
		if begin == "" {
			begin = d[0]
		}
		end = max(end, d[1])
	}
	return begin, end
}

// A MissingFileError says that a file without which nothing can be read is not there.
type MissingFileError struct{ Name string }

func (e *MissingFileError) Error() string { return e.Name + " is missing from the bundle" }

// Open reads a bundle from a folder or a zip file. The error is about the folder as a whole (it does not exist, a
// *MissingFileError); what is wrong in the files is in Problems.
func Open(name string) (*Bundle, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, fmt.Errorf("reading the bundle: %w", err)
	}
	if info.IsDir() {
		return Read(os.DirFS(name))
	}
	archive, err := zip.OpenReader(name)
	if err != nil {
		return nil, fmt.Errorf("%s is neither a folder nor a zip file: %w", name, err)
	}
	defer archive.Close()
	return Read(within(archive))
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
func Read(fsys fs.FS) (*Bundle, error) {
	entries, err := fs.ReadDir(fsys, ".")
	if err != nil {
		return nil, fmt.Errorf("reading the bundle: %w", err)
	}
	var names []string
	for _, entry := range entries {
		names = append(names, entry.Name())
	}
	return read(names, func(name string) ([]byte, error) { return readFile(fsys, name) })
}

// ReadFiles reads a bundle from files in memory. The error is as for Open.
func ReadFiles(files []File) (*Bundle, error) {
	texts := map[string][]byte{}
	for i := range files {
		text, err := files[i].Bytes()
		if err != nil {
			return nil, fmt.Errorf("%s: %w", files[i].Name, err)
		}
		texts[files[i].Name] = text
	}
	return read(slices.Sorted(maps.Keys(texts)), func(name string) ([]byte, error) {
		text, ok := texts[name]
		if !ok {
			return nil, fs.ErrNotExist
		}
		return text, nil
	})
}

func read(names []string, file func(name string) ([]byte, error)) (*Bundle, error) {
	b := &Bundle{Tables: map[string]*Table{}, CourseIDs: map[string]string{}, termIDs: map[string]catalog.TermSet{}}
	for _, name := range names {
		if spec(name) == nil && !standardOnly[name] {
			b.Notices = append(b.Notices, Problem{name, 1, "", "is not a file of a bundle; it is ignored"})
		}
	}
	text, err := file("policy.json")
	if errors.Is(err, fs.ErrNotExist) {
		return nil, &MissingFileError{"policy.json"}
	} else if err != nil {
		return nil, fmt.Errorf("policy.json: %w", err)
	}
	b.PolicyText = text
	for i := range specs {
		s := &specs[i]
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
		table, problems := readTable(s, text)
		b.Problems = append(b.Problems, problems...)
		b.Tables[s.name] = table
	}
	b.interpret()
	return b, nil
}

func (b *Bundle) bad(t *Table, r *Row, column, format string, args ...any) {
	b.Problems = append(b.Problems, Problem{t.Name, r.Line, column, fmt.Sprintf(format, args...)})
}

func (b *Bundle) notice(t *Table, r *Row, column, format string, args ...any) {
	b.Notices = append(b.Notices, Problem{t.Name, r.Line, column, fmt.Sprintf(format, args...)})
}

func (b *Bundle) interpret() {
	p, problems, notices := policy.Parse(b.PolicyText)
	for _, x := range problems {
		b.Problems = append(b.Problems, Problem{"policy.json", x.Line, x.Path, x.What})
	}
	for _, x := range notices {
		b.Notices = append(b.Notices, Problem{"policy.json", x.Line, x.Path, x.What})
	}
	b.orgs()
	if p != nil {
		b.sessions(p)
	}
	rows := b.courses()
	b.users()
	if p != nil && len(b.Frame.Terms) > 0 {
		b.compile(p, rows)
	}
	b.records()
	b.signals()
	b.requests(rows)
	if p != nil {
		b.classes(p)
	}
	order := map[string]int{"policy.json": -1}
	for i := range specs {
		order[specs[i].name] = i
	}
	sort.SliceStable(b.Problems, func(i, j int) bool {
		x, y := b.Problems[i], b.Problems[j]
		if x.File != y.File {
			return order[x.File] < order[y.File]
		}
		return x.Line < y.Line
	})
	if len(b.Problems) > 0 {
		b.Year = nil
	}
}

// needed tells whether a required cell has text, and says so where it has not.
func (b *Bundle) needed(t *Table, r *Row, columns ...string) bool {
	ok := true
	for _, column := range columns {
		if t.Cell(r, column) == "" {
			b.bad(t, r, column, "is empty")
			ok = false
		}
	}
	return ok
}

// unique notes an id and says where it stands a second time.
func (b *Bundle) unique(t *Table, r *Row, column string, seen map[string]int) bool {
	id := t.Cell(r, column)
	if line, twice := seen[id]; twice {
		b.bad(t, r, column, "“%s” is already on line %d", id, line)
		return false
	}
	seen[id] = r.Line
	return true
}

func (b *Bundle) amount(t *Table, r *Row, column string, fallback credit.Amount) credit.Amount {
	text := t.Cell(r, column)
	if text == "" {
		return fallback
	}
	value, err := credit.Parse(text)
	if err != nil {
		b.bad(t, r, column, "“%s” %v", text, err)
		return fallback
	}
	if value < 0 {
		b.bad(t, r, column, "must not be negative")
		return fallback
	}
	return value
}

func oneOf[T ~string](b *Bundle, t *Table, r *Row, column string, fallback T, allowed ...T) T {
	text := T(t.Cell(r, column))
	if text == "" && fallback != "" {
		return fallback
	}
	names := make([]string, len(allowed))
	for i, a := range allowed {
		if a == text {
			return text
		}
		names[i] = string(a)
	}
	b.bad(t, r, column, "“%s” is not one of %s", text, strings.Join(names, ", "))
	return fallback
}

func (b *Bundle) orgs() {
	t := b.Tables["orgs.csv"]
	seen := map[string]int{}
	isSchool := false // the first org that is a school, else the first
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "name", "type") || !b.unique(t, r, "sourcedId", seen) {
			continue
		}
		if b.SchoolName == "" || t.Cell(r, "type") == "school" && !isSchool {
			b.SchoolID, b.SchoolName = t.Cell(r, "sourcedId"), t.Cell(r, "name")
			isSchool = t.Cell(r, "type") == "school"
		}
	}
	if b.SchoolID == "" {
		b.SchoolID, b.SchoolName = "school", "school"
	}
}

func (b *Bundle) sessions(p *policy.Policy) {
	t := b.Tables["academicSessions.csv"]
	seen := map[string]int{}
	var years, named []*Row
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "title") || !b.unique(t, r, "sourcedId", seen) {
			continue
		}
		kind := oneOf(b, t, r, "type", "", "schoolYear", "semester", "term", "gradingPeriod")
		for _, column := range []string{"startDate", "endDate"} {
			if _, err := time.Parse(time.DateOnly, t.Cell(r, column)); err != nil {
				b.bad(t, r, column, "“%s” is not a date; write it like 2027-09-01", t.Cell(r, column))
			}
		}
		if kind == "schoolYear" {
			years = append(years, r)
			if t.Cell(r, "title") == p.SchoolYear {
				named = append(named, r)
			}
		}
	}
	if len(named) == 0 {
		named = years
	}
	if len(named) != 1 {
		b.Problems = append(b.Problems, Problem{t.Name, 1, "title", fmt.Sprintf("there are %d school years; exactly one must have the title %s of the policy", len(years), p.SchoolYear)})
		return
	}
	b.year = t.Cell(named[0], "sourcedId")
	var terms []*Row
	titles := map[string]int{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if t.Cell(r, "parentSourcedId") != b.year || t.Cell(r, "sourcedId") == b.year {
			continue
		}
		title := t.Cell(r, "title")
		if strings.ContainsAny(title, "|+,") || title == "year" || title == "any" {
			b.bad(t, r, "title", "a term's title must not contain |, + or a comma, nor be “year” or “any”")
		}
		b.unique(t, r, "title", titles)
		terms = append(terms, r)
	}
	sort.SliceStable(terms, func(i, j int) bool {
		a, c := t.Cell(terms[i], "startDate"), t.Cell(terms[j], "startDate")
		if a != c {
			return a < c
		}
		return t.Cell(terms[i], "sourcedId") < t.Cell(terms[j], "sourcedId")
	})
	if len(terms) == 0 || len(terms) > catalog.MaxTerms {
		b.bad(t, named[0], "sourcedId", "the school year has %d terms; it must have 1 to %d", len(terms), catalog.MaxTerms)
		return
	}
	for i, r := range terms {
		b.Frame.Terms = append(b.Frame.Terms, t.Cell(r, "title"))
		b.dates = append(b.dates, [2]string{t.Cell(r, "startDate"), t.Cell(r, "endDate")})
		b.termIDs[t.Cell(r, "sourcedId")] = 1 << i
	}
	b.termIDs[b.year] = 1<<len(terms) - 1
}

func parseGrade(text string) (int, bool) {
	if text == "KG" {
		return 0, true
	}
	g, err := strconv.Atoi(text)
	return g, err == nil && g >= 0 && g <= 20
}

func (b *Bundle) grades(t *Table, r *Row) (grades []int) {
	for _, item := range list(t.Cell(r, "grades")) {
		g, ok := parseGrade(item)
		if !ok {
			b.bad(t, r, "grades", "“%s” is not a grade; write KG or a number such as 09", item)
			continue
		}
		grades = append(grades, g)
	}
	return grades
}

func (b *Bundle) spans(t *Table, r *Row) (spans []catalog.TermSet) {
	text := t.Cell(r, "metadata.span")
	if text == "" {
		text = "year"
	}
	add := func(s catalog.TermSet) {
		for _, have := range spans {
			if have == s {
				return
			}
		}
		spans = append(spans, s)
	}
	for _, part := range strings.Split(text, "|") {
		switch part = strings.TrimSpace(part); part {
		case "year":
			add(1<<len(b.Frame.Terms) - 1)
		case "any":
			for i := range b.Frame.Terms {
				add(1 << i)
			}
		default:
			var s catalog.TermSet
			for _, name := range strings.Split(part, "+") {
				name = strings.TrimSpace(name)
				found := false
				for i, term := range b.Frame.Terms {
					if term == name {
						found = true
						s |= 1 << i
					}
				}
				if !found && len(b.Frame.Terms) > 0 {
					b.bad(t, r, "metadata.span", "“%s” is not a term; the terms are %s", name, strings.Join(b.Frame.Terms, ", "))
					return []catalog.TermSet{1}
				}
			}
			add(s)
		}
	}
	return spans
}

// MaxLoad is the largest load a course may have, in hundredths of a period.
const MaxLoad = 100 * credit.One

func (b *Bundle) courses() map[string]*Row {
	t := b.Tables["courses.csv"]
	ids, codes := map[string]int{}, map[string]int{}
	rows := map[string]*Row{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "title", "courseCode", "subjects") ||
			!b.unique(t, r, "sourcedId", ids) || !b.unique(t, r, "courseCode", codes) {
			continue
		}
		c := catalog.Course{
			Code: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Grades: b.grades(t, r), Subjects: list(t.Cell(r, "subjects")),
			Credits: b.amount(t, r, "metadata.credits", 0), Load: b.amount(t, r, "metadata.load", credit.One), Fee: b.amount(t, r, "metadata.fee", 0),
			Spans: b.spans(t, r),
			Links: list(t.Cell(r, "metadata.links")), Excludes: list(t.Cell(r, "metadata.excludes")), LeadsTo: list(t.Cell(r, "metadata.leadsTo")),
			VariantOf: t.Cell(r, "metadata.variantOf"), Tags: list(t.Cell(r, "metadata.tags")),
			Description: t.Cell(r, "metadata.description"), Note: t.Cell(r, "metadata.note"),
			EntryStance: oneOf(b, t, r, "metadata.entryStance", policy.Block, policy.Block, policy.Acknowledge, policy.Advise),
			Access:      oneOf(b, t, r, "metadata.access", catalog.Open, catalog.Open, catalog.Invited, catalog.Application),
			Repeatable:  oneOf(b, t, r, "metadata.repeatable", "false", "true", "false") == "true",
		}
		if len(c.Subjects) == 0 {
			b.bad(t, r, "subjects", "is empty")
		}
		if c.Load > MaxLoad {
			b.bad(t, r, "metadata.load", "is more than %v periods a day", MaxLoad)
		}
		if text := t.Cell(r, "metadata.entry"); strings.TrimSpace(text) != "" {
			entry, err := condition.Parse(text)
			if err != nil {
				b.bad(t, r, "metadata.entry", "%v", err)
			}
			c.Entry = entry
		}
		b.CourseIDs[t.Cell(r, "sourcedId")] = c.Code
		rows[c.Code] = r
		b.Courses = append(b.Courses, c)
	}
	return rows
}

func (b *Bundle) compile(p *policy.Policy, rows map[string]*Row) {
	var errs []error
	b.Year, errs = catalog.Compile(b.Frame, b.Courses, p)
	for _, err := range errs {
		var ref *catalog.ReferenceError
		if errors.As(err, &ref) && ref.Course != "" {
			b.bad(b.Tables["courses.csv"], rows[ref.Course], ref.Field, "%s", ref.What)
		} else {
			b.Problems = append(b.Problems, Problem{"policy.json", 1, "rules." + ref.Rule + "." + ref.Field, ref.What})
		}
	}
}

func (b *Bundle) users() {
	t := b.Tables["users.csv"]
	ids := map[string]int{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "role", "username", "givenName", "familyName") || !b.unique(t, r, "sourcedId", ids) {
			continue
		}
		u := User{Row: r, ID: t.Cell(r, "sourcedId"), Username: t.Cell(r, "username"), GivenName: t.Cell(r, "givenName"), FamilyName: t.Cell(r, "familyName"),
			Email: t.Cell(r, "email"), Agents: list(t.Cell(r, "agentSourcedIds")), Counselor: t.Cell(r, "metadata.counselor"),
			Language: t.Cell(r, "metadata.language"), Password: t.Cell(r, "password"), Programs: list(t.Cell(r, "metadata.programs"))}
		u.Role = oneOf(b, t, r, "role", "", "student", "guardian", "parent", "relative", "teacher", "administrator", "aide", "proctor")
		u.Enabled = oneOf(b, t, r, "enabledUser", "true", "true", "false") == "true"
		if u.Role == "student" {
			u.Grade = b.gradeEntered(t, r)
		}
		b.Users = append(b.Users, u)
	}
	for i := range b.Users {
		if u := &b.Users[i]; u.Role == "student" {
			b.Pupils = append(b.Pupils, Pupil{User: u, Student: sheet.Student{ID: u.ID, Grade: u.Grade, Programs: u.Programs}})
		}
	}
}

func (b *Bundle) gradeEntered(t *Table, r *Row) int {
	if next := t.Cell(r, "metadata.nextGrade"); next != "" {
		g, ok := parseGrade(next)
		if !ok {
			b.bad(t, r, "metadata.nextGrade", "“%s” is not a grade; write KG or a number such as 09", next)
		}
		return g
	}
	before := len(b.Problems)
	grades := b.grades(t, r)
	if len(grades) == 0 {
		if len(b.Problems) == before {
			b.bad(t, r, "grades", "is empty; a student needs it, or metadata.nextGrade")
		}
		return 0
	}
	highest := grades[0]
	for _, g := range grades {
		highest = max(highest, g)
	}
	return highest + 1
}

// students finds, for a file with a student column, the student of each row; other rows are bad, those of students to be
// deleted are passed over.
func (b *Bundle) students(t *Table, visit func(r *Row, p *Pupil)) {
	byID := make(map[string]*Pupil, len(b.Pupils))
	for i := range b.Pupils {
		byID[b.Pupils[i].ID] = &b.Pupils[i]
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		id := t.Cell(r, "student")
		if p := byID[id]; p != nil {
			visit(r, p)
		} else if !b.Tables["users.csv"].Deleted[id] {
			b.bad(t, r, "student", "no student has the id “%s”", id)
		}
	}
}

func (b *Bundle) records() {
	t := b.Tables["records.csv"]
	b.students(t, func(r *Row, p *Pupil) {
		b.needed(t, r, "courseCode", "credits")
		record := sheet.Record{Code: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Subjects: list(t.Cell(r, "subject")), Term: t.Cell(r, "term"),
			Credits: b.amount(t, r, "credits", 0), Mark: b.amount(t, r, "mark", 0), HasMark: t.Cell(r, "mark") != "",
			Outcome: oneOf(b, t, r, "outcome", "", sheet.Earned, sheet.InProgress, sheet.Failed, sheet.Withdrawn, sheet.Transfer)}
		if record.Mark > 100*credit.One {
			b.bad(t, r, "mark", "must lie between 0 and 100")
		}
		var err error
		if record.Year, err = policy.StartYear(t.Cell(r, "schoolYear")); err != nil {
			b.bad(t, r, "schoolYear", "“%s” %v", t.Cell(r, "schoolYear"), err)
		}
		p.Student.Records = append(p.Student.Records, record)
	})
}

func (b *Bundle) signals() {
	t := b.Tables["signals.csv"]
	b.students(t, func(r *Row, p *Pupil) {
		s := sheet.Signal{Code: t.Cell(r, "courseCode"), Name: t.Cell(r, "name"), By: t.Cell(r, "by"), Note: t.Cell(r, "note"),
			Kind: oneOf(b, t, r, "kind", "", sheet.Recommendation, sheet.PlacementMade, sheet.ScoreOnFile, sheet.Permission, sheet.Waiver, sheet.Assignment,
				sheet.Claim, sheet.Exemption)}
		if text := t.Cell(r, "value"); text != "" {
			value, err := credit.Parse(text)
			if err != nil {
				b.bad(t, r, "value", "“%s” %v", text, err)
			}
			s.Value = value
		}
		switch s.Kind {
		case sheet.ScoreOnFile:
			b.needed(t, r, "name", "value")
		case sheet.Exemption:
			b.needed(t, r, "name")
		case sheet.Recommendation, sheet.PlacementMade, sheet.Waiver, sheet.Assignment:
			b.needed(t, r, "courseCode")
		}
		p.Student.Signals = append(p.Student.Signals, s)
	})
}

func (b *Bundle) requests(courses map[string]*Row) {
	t := b.Tables["requests.csv"]
	type place struct{ student, course string }
	seen := map[place]int{}
	b.students(t, func(r *Row, p *Pupil) {
		q := Request{Row: r, Course: t.Cell(r, "courseCode"), StandsFor: t.Cell(r, "standsFor")}
		if courses[q.Course] == nil {
			b.bad(t, r, "courseCode", "no course has the code “%s”", q.Course)
			return
		}
		key := place{p.ID, q.Course}
		if line, twice := seen[key]; twice {
			b.bad(t, r, "courseCode", "%s is already on this sheet, on line %d", q.Course, line)
			return
		}
		seen[key] = r.Line
		q.Alternate = oneOf(b, t, r, "kind", "", "request", "alternate") == "alternate"
		var err error
		if q.Rank, err = strconv.Atoi(t.Cell(r, "rank")); err != nil || q.Rank < 1 || q.Rank > math.MaxInt32 {
			b.bad(t, r, "rank", "“%s” is not a rank; write a whole number from 1", t.Cell(r, "rank"))
		}
		if q.StandsFor != "" {
			if courses[q.StandsFor] == nil {
				b.bad(t, r, "standsFor", "no course has the code “%s”", q.StandsFor)
			}
			if !q.Alternate {
				b.notice(t, r, "standsFor", "only an alternate stands for a course; it is not used")
				q.StandsFor = ""
			}
		}
		p.Requests = append(p.Requests, q)
	})
	for i := range b.Pupils {
		b.checkSheet(t, &b.Pupils[i])
	}
}

// checkSheet says what is odd about a sheet, and refuses one beyond the limits of judging.
func (b *Bundle) checkSheet(t *Table, p *Pupil) {
	var requests, alternates int
	for i := range p.Requests {
		q := &p.Requests[i]
		if !q.Alternate {
			requests++
			continue
		}
		alternates++
		if q.StandsFor == "" {
			continue
		}
		asked := false
		for _, other := range p.Requests {
			asked = asked || other.Course == q.StandsFor && !other.Alternate
		}
		if !asked {
			b.notice(t, q.Row, "standsFor", "%s is not requested on this sheet", q.StandsFor)
		}
	}
	if requests > sheet.MaxEntries || alternates > sheet.MaxEntries {
		b.bad(t, p.Requests[len(p.Requests)-1].Row, "student", "the sheet has %d requests and %d alternates; at most %d of each are judged", requests, alternates, sheet.MaxEntries)
	}
}

// Sheet is the pupil's sheet, in rank order: equal ranks in file order.
func (p *Pupil) Sheet(y *catalog.Year) sheet.Sheet {
	var s sheet.Sheet
	for i := range p.Requests {
		q := &p.Requests[i]
		course, _ := y.Index(q.Course)
		e := sheet.Entry{Course: course, StandsFor: sheet.Any, Rank: q.Rank}
		if q.StandsFor != "" {
			e.StandsFor, _ = y.Index(q.StandsFor)
		}
		if q.Alternate {
			s.Alternates = append(s.Alternates, e)
		} else {
			s.Requests = append(s.Requests, e)
		}
	}
	byRank := func(list []sheet.Entry) {
		sort.SliceStable(list, func(i, j int) bool { return list[i].Rank < list[j].Rank })
	}
	byRank(s.Requests)
	byRank(s.Alternates)
	return s
}

func (b *Bundle) classes(p *policy.Policy) {
	t := b.Tables["classes.csv"]
	ids := map[string]int{}
	byCode := map[string]*catalog.Course{}
	for i := range b.Courses {
		byCode[b.Courses[i].Code] = &b.Courses[i]
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "title", "courseSourcedId", "termSourcedIds", "metadata.seats") || !b.unique(t, r, "sourcedId", ids) {
			continue
		}
		s := Section{Row: r, ID: t.Cell(r, "sourcedId"), Title: t.Cell(r, "title"), Teacher: t.Cell(r, "metadata.teacher")}
		oneOf(b, t, r, "classType", "scheduled", "scheduled", "homeroom")
		s.Periods = b.numbers(t, r, "periods", p.Periods)
		if s.Days = b.numbers(t, r, "metadata.days", p.Days); len(s.Days) == 0 {
			for day := 1; day <= p.Days; day++ {
				s.Days = append(s.Days, day)
			}
		}
		seats, err := strconv.Atoi(t.Cell(r, "metadata.seats"))
		if err != nil || seats < 0 || seats > 100_000 {
			b.bad(t, r, "metadata.seats", "“%s” is not a number of seats; write a whole number", t.Cell(r, "metadata.seats"))
		}
		s.Seats = seats
		for _, id := range list(t.Cell(r, "termSourcedIds")) {
			terms, ok := b.termIDs[id]
			if !ok {
				b.bad(t, r, "termSourcedIds", "“%s” is not a term of the school year", id)
			}
			s.Terms |= terms
		}
		code, ok := b.CourseIDs[t.Cell(r, "courseSourcedId")]
		if !ok {
			if !b.Tables["courses.csv"].Deleted[t.Cell(r, "courseSourcedId")] {
				b.bad(t, r, "courseSourcedId", "no course has the id “%s”", t.Cell(r, "courseSourcedId"))
			}
			continue
		}
		s.Course = code
		meets := false
		for _, span := range byCode[code].Spans {
			meets = meets || span == s.Terms
		}
		if !meets {
			b.bad(t, r, "termSourcedIds", "the terms are not one of the spans of %s", code)
		}
		b.Sections = append(b.Sections, s)
	}
}

func (b *Bundle) numbers(t *Table, r *Row, column string, limit int) (numbers []int) {
	for _, item := range list(t.Cell(r, column)) {
		n, err := strconv.Atoi(item)
		if err != nil || n < 1 || n > limit {
			b.bad(t, r, column, "“%s” is not a number from 1 to %d", item, limit)
			continue
		}
		numbers = append(numbers, n)
	}
	return numbers
}

// RequestsProblem makes of an error in judging a pupil's sheet a problem that names its first row.
func RequestsProblem(p *Pupil, err error) Problem {
	line := 1
	if len(p.Requests) > 0 {
		line = p.Requests[0].Row.Line
	}
	return Problem{"requests.csv", line, "student", fmt.Sprintf("the sheet of %s cannot be judged: %v", p.ID, err)}
}
