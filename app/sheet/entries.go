package sheet

import (
	"cmp"
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Laid is a sheet in terms of the compiled year. Entries of courses that have left the catalog are apart, and
// a tie to one is loose.
func Laid(y *catalog.Year, entries []store.EntryRow) (s sheet.Sheet, gone []store.EntryRow) {
	for _, e := range entries {
		course, ok := y.Index(e.Course)
		if !ok {
			gone = append(gone, e)
			continue
		}
		entry := sheet.Entry{Course: course, StandsFor: sheet.Any, Rank: e.Rank}
		if i, ok := y.Index(e.StandsFor); ok && e.StandsFor != "" {
			entry.StandsFor = i
		}
		switch {
		case e.Alternate:
			s.Alternates = append(s.Alternates, entry)
		case y.Courses[course].Summer:
			s.Summer = append(s.Summer, entry)
		default:
			s.Requests = append(s.Requests, entry)
		}
	}
	return s, gone
}

func rows(y *catalog.Year, s *sheet.Sheet) (list []store.EntryRow) {
	for _, e := range s.Requests {
		list = append(list, store.EntryRow{Course: y.Codes[e.Course], Rank: e.Rank})
	}
	for _, e := range s.Summer {
		list = append(list, store.EntryRow{Course: y.Codes[e.Course], Rank: e.Rank})
	}
	for _, e := range s.Alternates {
		row := store.EntryRow{Course: y.Codes[e.Course], Rank: e.Rank, Alternate: true}
		if e.StandsFor != sheet.Any {
			row.StandsFor = y.Codes[e.StandsFor]
		}
		list = append(list, row)
	}
	return list
}

// Normal puts entries in order and numbers them by it, so that two sheets that ask for the same are equal.
func Normal(list []store.EntryRow) []store.EntryRow {
	out := slices.Clone(list)
	slices.SortStableFunc(out, func(a, b store.EntryRow) int {
		if a.Alternate != b.Alternate {
			if a.Alternate {
				return 1
			}
			return -1
		}
		return cmp.Compare(a.Rank, b.Rank)
	})
	for i := range out {
		if out[i].Rank = 1; i > 0 && out[i].Alternate == out[i-1].Alternate {
			out[i].Rank = out[i-1].Rank + 1
		}
	}
	return out
}

// Since is the difference between a sheet and the submission that stands.
type Since struct {
	Asked, Dropped []string // requests that have come and gone
	Backup, Spared []string // alternates that have come and gone
	Order, Ties    bool     // the order of what has stayed, or what alternates stand in for
}

// Since reports what is different on the sheet from the submission that stands; nil where nothing is.
func (d *Desk) Since() *Since {
	if !d.Changed {
		return nil
	}
	return d.since(d.Row.Submitted.V)
}

// since reports what is different on the sheet from what was on it; nil where nothing is.
func (d *Desk) since(was []store.EntryRow) *Since {
	now, then := d.year(d.Row.Entries), d.year(was)
	if slices.Equal(now, then) {
		return nil
	}
	list := func(entries []store.EntryRow, alternate bool) (codes []string) {
		for _, e := range entries {
			if e.Alternate == alternate {
				codes = append(codes, e.Course)
			}
		}
		return codes
	}
	without := func(from, other []string) []string {
		return slices.DeleteFunc(slices.Clone(from), func(code string) bool { return slices.Contains(other, code) })
	}
	out := &Since{}
	for _, alternate := range []bool{false, true} {
		is, was := list(now, alternate), list(then, alternate)
		came, gone := without(is, was), without(was, is)
		if alternate {
			out.Backup, out.Spared = came, gone
		} else {
			out.Asked, out.Dropped = came, gone
		}
		out.Order = out.Order || !slices.Equal(without(is, came), without(was, gone))
	}
	for _, e := range now {
		at := slices.IndexFunc(then, func(t store.EntryRow) bool { return t.Course == e.Course && t.Alternate == e.Alternate })
		out.Ties = out.Ties || at >= 0 && then[at].StandsFor != e.StandsFor
	}
	return out
}
