package bundle

import (
	"cmp"
	"slices"
	"strings"
)

// FileDiff is how a file that comes differs from the one that is there.
type FileDiff struct {
	Name    string
	New     int // rows
	Changed int
	Gone    int
	Rows    []RowDiff // the first of them
}

// RowDiff is a row that is new, changed or gone.
type RowDiff struct {
	Kind  string // new, changed or gone
	Key   string // what the row is known by
	Title string // what people know it by
	Cells []CellDiff
}

// CellDiff is a cell that changes.
type CellDiff struct{ Column, Was, Now string }

// keyColumns tell rows of a file apart.
var keyColumns = map[string][]string{
	"academicSessions.csv": {"sourcedId"}, "orgs.csv": {"sourcedId"}, "courses.csv": {"sourcedId"},
	"classes.csv": {"sourcedId"}, "users.csv": {"sourcedId"},
	"records.csv": {"student", "courseCode", "schoolYear", "term"}, "signals.csv": {"student", "kind", "courseCode", "name", "by"},
	"errands.csv": {"courseCode", "kind", "title"},
}

// noDiff are columns that say nothing of what a row means, or that are not kept.
var noDiff = map[string]bool{"dateLastModified": true, "status": true, "password": true}

// Diff reports how the files of a bundle that comes differ from those that are there, file by file and cell by
// cell; at most so many rows of each file are given. Sheets and plans are left out: those that were worked on
// stay as they are, whatever comes.
func Diff(have []File, come *Bundle, rows int) []FileDiff {
	var out []FileDiff
	for _, name := range Names() {
		key := keyColumns[name]
		if key == nil {
			continue
		}
		var old File
		if at := slices.IndexFunc(have, func(f File) bool { return f.Name == name }); at >= 0 {
			old = have[at]
		}
		if come.Filled(name) {
			continue
		}
		if d := diff(name, key, &old, come.Tables[name], rows); d.New+d.Changed+d.Gone > 0 {
			out = append(out, d)
		}
	}
	return out
}

type diffRow map[string]string

func (r diffRow) key(columns []string) string {
	cells := make([]string, len(columns))
	for i, column := range columns {
		cells[i] = r[column]
	}
	return strings.Join(cells, "\x1f")
}

// title is what people know a row by.
func (r diffRow) title() string {
	switch {
	case r["familyName"] != "":
		return r["familyName"] + ", " + r["givenName"]
	case r["title"] != "":
		return r["title"]
	}
	return cmp.Or(r["courseCode"], r["name"])
}

func diff(name string, key []string, have *File, come *Table, most int) FileDiff {
	d := FileDiff{Name: name}
	pairRows(key, have, come, func(k string, was, now diffRow) {
		row := RowDiff{Key: strings.TrimRight(strings.ReplaceAll(k, "\x1f", " "), " ")}
		switch {
		case was == nil:
			row.Kind, row.Title = "new", now.title()
			d.New++
		case now == nil:
			row.Kind, row.Title = "gone", was.title()
			d.Gone++
		default:
			row.Kind, row.Title, row.Cells = "changed", now.title(), cellsOf(was, now)
			if len(row.Cells) == 0 {
				return
			}
			d.Changed++
		}
		if len(d.Rows) < most {
			d.Rows = append(d.Rows, row)
		}
	})
	return d
}

// pairRows sets rows that come next to those that are there, by key and by order among equal keys; nil is none.
func pairRows(key []string, have *File, come *Table, visit func(key string, was, now diffRow)) {
	type pair struct{ was, now []diffRow } // rows of one key, in order
	pairs, order := map[string]*pair{}, []string{}
	at := func(r diffRow) *pair {
		k := r.key(key)
		if pairs[k] == nil {
			pairs[k] = &pair{}
			order = append(order, k)
		}
		return pairs[k]
	}
	if come != nil {
		come.each(func(row *Row) {
			r := diffRow{}
			for i, column := range come.Header {
				r[column] = row.Cells[i]
			}
			p := at(r)
			p.now = append(p.now, r)
		})
	}
	for _, cells := range have.Rows {
		r := diffRow{}
		for i, column := range have.Header {
			r[column] = cells[i]
		}
		p := at(r)
		p.was = append(p.was, r)
	}
	for _, k := range order {
		p := pairs[k]
		var left []diffRow
		for _, now := range p.now { // what is the same belongs together
			if i := slices.IndexFunc(p.was, func(was diffRow) bool { return len(cellsOf(was, now)) == 0 }); i >= 0 {
				visit(k, p.was[i], now)
				p.was = slices.Delete(p.was, i, i+1)
			} else {
				left = append(left, now)
			}
		}
		for i := range max(len(p.was), len(left)) {
			var was, now diffRow
			if i < len(p.was) {
				was = p.was[i]
			}
			if i < len(left) {
				now = left[i]
			}
			visit(k, was, now)
		}
	}
}

// cellsOf lists the cells of a row that change, by column.
func cellsOf(was, now diffRow) (list []CellDiff) {
	for column, cell := range now {
		if cell != was[column] && !noDiff[column] {
			list = append(list, CellDiff{column, was[column], cell})
		}
	}
	for column, cell := range was {
		if _, there := now[column]; !there && cell != "" && !noDiff[column] {
			list = append(list, CellDiff{column, cell, ""})
		}
	}
	slices.SortFunc(list, func(a, b CellDiff) int { return strings.Compare(a.Column, b.Column) })
	return list
}
