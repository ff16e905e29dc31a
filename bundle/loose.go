package bundle

import "fmt"

// LooseRow is a row of a table that stands for itself, by column.
type LooseRow struct {
	Line  int
	Cells map[string]string
}

// Loose reads a table that someone pastes or drops, in UTF-8, its cells parted by commas, semicolons or
// tabs. Its first row names the columns; required ones that are missing, and rows that cannot be read, are
// problems.
func Loose(name, text string, required ...string) (rows []LooseRow, problems []Problem) {
	b := &Bundle{foreign: true}
	t := readTable(&fileSpec{name: name, required: required}, []byte(text), b.comma(name, []byte(text)), false, nil, nil,
		new(int), func(line int, column, format string, args ...any) {
			problems = append(problems, Problem{File: name, Line: line, Column: column, What: fmt.Sprintf(format, args...)})
		})
	for i := range t.Rows {
		row := LooseRow{t.Rows[i].Line, map[string]string{}}
		for k, cell := range t.Rows[i].Cells {
			row.Cells[t.Header[k]] = cell
		}
		rows = append(rows, row)
	}
	return rows, problems
}
