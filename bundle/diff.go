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
	"academicSessions.csv": {"sourcedId"}, "orgs.csv": {"sourcedId"}, "courses.csv": {"sourcedId"}, "classes.csv": {"sourcedId"}, "users.csv": {"sourcedId"},
	"records.csv": {"student", "courseCode", "title", "schoolYear", "term"}, "signals.csv": {"student", "kind", "courseCode", "name", "by"},
	"errands.csv": {"courseCode", "kind", "title"},
}

// noDiff are columns that say nothing of what a row means, or that are not kept.
var noDiff = map[string]bool{"dateLastModified": true, "status": true, "password": true}

// Diff tells how the files of a bundle that comes differ from those that are there, file by file and cell by cell; at most so many rows
// of each file are given. Sheets and plans are left out: those that were worked on stay as they are, whatever comes.
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
		for i := range max(len(p.was), len(p.now)) {
			row := RowDiff{Key: strings.TrimRight(strings.ReplaceAll(k, "\x1f", " "), " ")}
			switch {
			case i >= len(p.was):
				row.Kind, row.Title = "new", p.now[i].title()
				d.New++
			case i >= len(p.now):
				row.Kind, row.Title = "gone", p.was[i].title()
				d.Gone++
			default:
				row.Kind, row.Title, row.Cells = "changed", p.now[i].title(), cellsOf(p.was[i], p.now[i])
				if len(row.Cells) == 0 {
					continue
				}
				d.Changed++
			}
			if len(d.Rows) < most {
				d.Rows = append(d.Rows, row)
			}
		}
	}
	return d
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
