package bundle

import (
	"rubricon/core/catalog"
	"rubricon/core/policy"
)

// errands reads errands.csv, and gives the rows of b.Errands.
func (b *Bundle) errands() (rows []*Row) {
	t := b.Tables["errands.csv"]
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "courseCode", "title") {
			continue
		}
		e := catalog.Errand{Course: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Due: t.Cell(r, "due"), Place: t.Cell(r, "place"), Note: t.Cell(r, "note"),
			Kind:      oneOf(b, t, r, "kind", "", "test", "audition", "application", "form", "meeting", "other"),
			SettledBy: b.condition(t, r, "settledBy"), Becomes: list(t.Cell(r, "becomes"))}
		if e.Due != "" && !policy.IsMoment(e.Due) {
			b.bad(t, r, "due", "“%s” is not a date or time; write it like 2027-05-12 or 2027-05-12T15:30", e.Due)
		}
		b.Errands, rows = append(b.Errands, e), append(rows, r)
	}
	return rows
}
