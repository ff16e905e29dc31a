package bundle

import (
	"fmt"
	"slices"
	"strings"
)

// Kinds are what an import counts, in the order in which they are said.
var Kinds = [...]string{"students", "guardians", "staff", "courses", "sections", "enrollments", "records", "requests"}

const (
	students = iota
	guardians
	staff
	courses
	sections
	enrollments
	records
	requests
)

// Count is how one kind changes.
type Count struct {
	Had     int `json:"had,omitempty"` // before
	Added   int `json:"added,omitempty"`
	Changed int `json:"changed,omitempty"`
	Removed int `json:"removed,omitempty"` // but what goes with people who go
	With    int `json:"with,omitempty"`    // what goes with people who go
}

// Tally is what an import adds, changes and removes, by kind.
type Tally [len(Kinds)]Count

// Sum counts all kinds together; what goes with people is not in it.
func (t *Tally) Sum() (sum Count) {
	for _, c := range t {
		sum.Added, sum.Changed, sum.Removed, sum.With = sum.Added+c.Added, sum.Changed+c.Changed, sum.Removed+c.Removed, sum.With+c.With
	}
	return sum
}

// Much reports whether so much would go that someone must say the number: more than 5, and more than 2 % of
// the students or 10 % of another kind.
func (t *Tally) Much() bool {
	for kind, c := range t {
		share := 10
		if kind == students {
			share = 2
		}
		if c.Removed > 5 && c.Removed*100 > c.Had*share {
			return true
		}
	}
	return false
}

// String returns all of it in one line.
func (t *Tally) String() string {
	say := func(what string, n func(*Count) int) string {
		var parts []string
		for kind := range t {
			parts = append(parts, fmt.Sprintf("%d %s", n(&t[kind]), Kinds[kind]))
		}
		return what + " " + strings.Join(parts, ", ")
	}
	return say("added", func(c *Count) int { return c.Added }) + "; " + say("changed", func(c *Count) int { return c.Changed }) + "; " +
		say("removed", func(c *Count) int { return c.Removed })
}

// Own is what was made in the application, which no import changes or removes.
type Own struct {
	Records     map[string]bool // by their OwnRecord
	Requests    map[string]bool // students whose sheet was worked on
	Enrollments map[string]bool // students who have chosen sections, or were placed
}

// OwnRecord names a record among those that were made in the application.
func OwnRecord(cells map[string]string) string {
	return diffRow(cells).key(keyColumns["records.csv"])
}

// counted is a file whose rows are counted.
type counted struct {
	file  string
	key   []string
	only  []string // the columns that count; none: all
	kind  func(diffRow) int
	whose string                         // the column of the student whose a row is
	held  func(own *Own, r diffRow) bool // whether the application has made it
}

func one(kind int) func(diffRow) int { return func(diffRow) int { return kind } }

// countedFiles are those files, people first: what goes with them is told apart.
var countedFiles = []counted{
	{file: "users.csv", key: keyColumns["users.csv"], kind: personKind},
	{file: "courses.csv", key: []string{"courseCode"}, kind: one(courses)},
	{file: "classes.csv", key: keyColumns["classes.csv"], kind: one(sections)},
	{file: "enrollments.csv", key: []string{"userSourcedId", "classSourcedId", "beginDate"}, only: []string{"endDate"},
		kind: one(enrollments), whose: "userSourcedId",
		held: func(own *Own, r diffRow) bool { return own.Enrollments[r["userSourcedId"]] }},
	{file: "records.csv", key: keyColumns["records.csv"], kind: one(records), whose: "student",
		held: func(own *Own, r diffRow) bool { return own.Records[OwnRecord(r)] }},
	{file: "requests.csv", key: []string{"student", "courseCode"}, only: []string{"kind", "rank", "standsFor"},
		kind: one(requests), whose: "student",
		held: func(own *Own, r diffRow) bool { return own.Requests[r["student"]] }},
}

func personKind(r diffRow) int {
	switch r["role"] {
	case "student":
		return students
	case "guardian", "parent", "relative":
		return guardians
	}
	return staff
}

// Count compares the files of a bundle that comes with those that are there. A file that the bundle does not
// have changes nothing. Older says that it is not the school's newest year: people, their links and records
// stay.
func (b *Bundle) Count(have []File, own Own, older bool) (t Tally) {
	gone := map[string]bool{}
	for i := range countedFiles {
		of := &countedFiles[i]
		var was File
		if at := slices.IndexFunc(have, func(f File) bool { return f.Name == of.file }); at >= 0 {
			was = have[at]
		}
		absent, stays := !b.Has(of.file), older && (of.file == "users.csv" || of.file == "records.csv")
		var come *Table
		if !absent {
			come = b.Tables[of.file]
		}
		pairRows(of.key, &was, come, func(_ string, was, now diffRow) {
			row := now
			if was != nil {
				row = was
				t[of.kind(was)].Had++
			}
			switch c := &t[of.kind(row)]; {
			case stays, of.file == "enrollments.csv" && row["role"] != "student":
			case now == nil && of.whose != "" && gone[was[of.whose]]:
				c.With++
			case absent, of.held != nil && of.held(&own, row):
			case now == nil:
				c.Removed++
				if of.file == "users.csv" && was["role"] == "student" {
					gone[was["sourcedId"]] = true
				}
			case was == nil:
				c.Added++
			case len(cellsOf(was.only(of.only), now.only(of.only))) > 0:
				c.Changed++
			}
		})
	}
	return t
}

func (r diffRow) only(columns []string) diffRow {
	if columns == nil {
		return r
	}
	out := diffRow{}
	for _, column := range columns {
		out[column] = r[column]
	}
	return out
}
