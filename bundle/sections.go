package bundle

import "maps"

// WithSections reads sections next to a catalog that is compiled: rows of classes.csv, by column. What is wrong
// in them is in Problems, by the line that the row would have. The catalog itself stays as it is.
func (b *Bundle) WithSections(rows []map[string]string) *Bundle {
	t := &Table{Name: "classes.csv", Header: Columns("classes.csv"), columns: map[string]int{}}
	for i, column := range t.Header {
		t.columns[column] = i
	}
	for i, row := range rows {
		cells := make([]string, len(t.Header))
		for k, column := range t.Header {
			cells[k] = row[column]
		}
		t.Rows = append(t.Rows, Row{Line: i + 2, Cells: cells})
	}
	out := *b
	out.Tables = maps.Clone(b.Tables)
	out.Tables[t.Name] = t
	out.Sections, out.Problems, out.Notices, out.passed = nil, nil, nil, map[string]bool{}
	out.classes(b.Year.Policy)
	return &out
}
