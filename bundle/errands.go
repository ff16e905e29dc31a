package bundle

import (
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/policy"
)

// lacksCourse reports whether no course of the bundle has a code.
func (b *Bundle) lacksCourse(code string) bool {
	return !slices.ContainsFunc(b.Courses, func(c catalog.Course) bool { return c.Code == code })
}

// errands reads errands.csv, and gives the rows of b.Errands.
func (b *Bundle) errands() (rows []*Row) {
	t := b.Tables["errands.csv"]
	if b.Filled(t.Name) { // those of courses that go, go with them
		t.Rows = slices.DeleteFunc(t.Rows, func(r Row) bool { return b.lacksCourse(t.Cell(&r, "courseCode")) })
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "courseCode", "title") {
			continue
		}
		e := catalog.Errand{Course: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Due: t.Cell(r, "due"),
			Place: t.Cell(r, "place"), Note: t.Cell(r, "note"),
			Kind:      oneOf(b, t, r, "kind", "", "test", "audition", "application", "form", "meeting", "other"),
			SettledBy: b.condition(t, r, "settledBy"), Becomes: list(t.Cell(r, "becomes"))}
		if e.Due != "" && !policy.IsMoment(e.Due) {
			b.bad(t, r, "due", "“%s” is not a date or time; write it like 2027-05-12 or 2027-05-12T15:30", e.Due)
		}
		b.Errands, rows = append(b.Errands, e), append(rows, r)
	}
	return rows
}
