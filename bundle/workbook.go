package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
)

// A bundle may also come, and is given to people, as an XLSX workbook (ECMA-376): a sheet for each file,
// named like it without its ending, all cells texts; the sheet “policy” has policy.json, a line in each
// row of its first column.

// isWorkbook reports whether a zip file is a workbook.
func isWorkbook(archive *zip.Reader) bool {
	return slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == "xl/workbook.xml" })
}

// openWorkbook reads a bundle from a workbook. The error is as for Open.
func openWorkbook(archive *zip.Reader, options ...Option) (*Bundle, error) {
	book, sheets, err := newXLSX(archive)
	if err != nil {
		return nil, fmt.Errorf("reading the workbook: %w", err)
	}
	files, lines := map[string][]byte{}, map[string][]int{}
	var names []string
	var tidied, lost []Problem
	left := MaxBundle
	for _, sheet := range sheets {
		name := strings.TrimSuffix(strings.TrimSpace(sheet.name), ".csv") + ".csv"
		if name == "policy.csv" || name == "policy.json.csv" {
			name = "policy.json"
		}
		if spec(name) == nil && !notRead[name] {
			names = append(names, name) // it is named as one that is ignored
			continue
		}
		text, at, some, err := sheetText(book, name, sheet.part, left)
		if err != nil {
			return nil, fmt.Errorf("reading the sheet %s: %w", sheet.name, err)
		}
		left -= len(text)
		files[name], lines[name], names = text, at, append(names, name)
		tidied, lost = append(tidied, some.tidied...), append(lost, some.lost...)
	}
	options = append(options, func(b *Bundle) { b.lines, b.faults = lines, faults{tidied, lost} })
	return read(names, func(name string) ([]byte, error) { return texted(files, name) }, options...)
}

// faults are the cells of a workbook that cannot be taken as they are.
type faults struct {
	tidied []Problem // taken without the space around them
	lost   []Problem // of which no one knows what was meant, so that whatever refers to them would be named too
}

// sheetText returns a sheet as the file that it stands for, and the row of the sheet at which each line of that begins.
func sheetText(book *xlsx, name, part string, left int) (text []byte, lines []int, bad faults, err error) {
	var out bytes.Buffer
	var header []string
	w := csv.NewWriter(&out)
	column := func(n int) string {
		if n >= 1 && n <= len(header) {
			return header[n-1]
		}
		return ""
	}
	fault := func(f cellFault) {
		bad.lost = append(bad.lost, Problem{File: name, Line: f.row, Column: column(f.column), What: f.what})
	}
	lines = []int{0}
	err = book.rows(part, func(row int, cells []string) error {
		if name == "policy.json" {
			out.WriteString(strings.Join(cells, "") + "\n")
			return tooMuch(out.Len(), left)
		}
		for len(cells) > 0 && cells[len(cells)-1] == "" {
			cells = cells[:len(cells)-1]
		}
		if len(cells) == 0 {
			return nil
		}
		if header == nil {
			header = slices.Clone(cells)
			for i := range header {
				header[i] = strings.TrimSpace(header[i])
			}
			cells = header
		} else {
			for len(cells) < len(header) {
				cells = append(cells, "")
			}
			for i, cell := range cells {
				if namesSomething(column(i+1)) && cell != strings.TrimSpace(cell) {
					bad.tidied = append(bad.tidied, Problem{File: name, Line: row, Column: column(i + 1),
						What: fmt.Sprintf("“%s” has a space before or after it; take it out", cell)})
					cells[i] = strings.TrimSpace(cell)
				}
			}
		}
		before := out.Len()
		if err := errors.Join(w.Write(cells), flush(w)); err != nil {
			return err
		}
		for range bytes.Count(out.Bytes()[before:], []byte("\n")) {
			lines = append(lines, row)
		}
		return tooMuch(out.Len(), left)
	}, fault)
	return out.Bytes(), lines, bad, err
}

func flush(w *csv.Writer) error {
	w.Flush()
	return w.Error()
}

func tooMuch(n, left int) error {
	switch {
	case n > MaxFile:
		return errTooLarge
	case n > left:
		return errTooMuch
	}
	return nil
}

var naming = regexp.MustCompile(`(?i)id$|ids$|^(student|courseCode|kind|outcome|username|grades|grade|standsFor|state|by|teacher|schoolYear|term|role|periods|status|enabledUser|type|settledBy|becomes|subjects)$|^metadata\.(counselor|teacher|variantOf|span|links|excludes|days|round|repeatable|entryStance|access|programs|language|nextGrade)$`)

// namesSomething reports whether the cells of a column name something, so that a space next to one is a slip
// that makes it another name.
func namesSomething(column string) bool { return naming.MatchString(column) }

// WriteWorkbook writes a bundle as a workbook.
func WriteWorkbook(to io.Writer, files []File) (err error) {
	book := excelize.NewFile()
	defer func() { err = errors.Join(err, book.Close()) }()
	for i := range files {
		f := &files[i]
		name := strings.TrimSuffix(strings.TrimSuffix(f.Name, ".csv"), ".json")
		if _, err := book.NewSheet(name); err != nil {
			return fmt.Errorf("writing %s: %w", f.Name, err)
		}
		sheet, err := book.NewStreamWriter(name)
		if err != nil {
			return fmt.Errorf("writing %s: %w", f.Name, err)
		}
		rows := append([][]string{f.Header}, f.Rows...)
		if f.Header == nil {
			rows = nil
			for line := range strings.Lines(string(f.Text)) {
				rows = append(rows, []string{strings.TrimRight(line, "\r\n")})
			}
		}
		for n, row := range rows {
			cells := make([]any, len(row))
			for k, cell := range row {
				cells[k] = cell
			}
			if err := sheet.SetRow(fmt.Sprintf("A%d", n+1), cells); err != nil {
				return fmt.Errorf("writing %s: %w", f.Name, err)
			}
		}
		if err := sheet.Flush(); err != nil {
			return fmt.Errorf("writing %s: %w", f.Name, err)
		}
	}
	if err := book.DeleteSheet("Sheet1"); err != nil {
		return err
	}
	return book.Write(to)
}
