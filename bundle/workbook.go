package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
)

// A bundle may also come, and is given to people, as an XLSX workbook (ECMA-376): a sheet for each file, named like it without its
// ending, all cells texts; the sheet “policy” has policy.json, a line in each row of its first column.

// isWorkbook tells whether a zip file is a workbook.
func isWorkbook(archive *zip.Reader) bool {
	return slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == "xl/workbook.xml" })
}

// openWorkbook reads a bundle from a workbook. The error is as for Open.
func openWorkbook(text []byte, options ...Option) (*Bundle, error) {
	book, err := excelize.OpenReader(bytes.NewReader(text), excelize.Options{RawCellValue: true, UnzipSizeLimit: MaxBundle, UnzipXMLSizeLimit: MaxFile})
	if err != nil {
		return nil, fmt.Errorf("reading the workbook: %w", err)
	}
	defer book.Close()
	files := map[string][]byte{}
	var names []string
	left := MaxBundle
	for _, sheet := range book.GetSheetList() {
		name := strings.TrimSuffix(strings.TrimSpace(sheet), ".csv") + ".csv"
		if strings.TrimSuffix(name, ".csv") == "policy" || strings.TrimSuffix(name, ".csv") == "policy.json" {
			name = "policy.json"
		}
		rows, err := book.GetRows(sheet, excelize.Options{RawCellValue: true})
		if err != nil {
			return nil, fmt.Errorf("reading the sheet %s: %w", sheet, err)
		}
		text, err := sheetText(name, rows)
		if err != nil {
			return nil, fmt.Errorf("reading the sheet %s: %w", sheet, err)
		}
		if left -= len(text); left < 0 {
			return nil, fmt.Errorf("%s: %w", name, errTooMuch)
		}
		files[name], names = text, append(names, name)
	}
	return read(names, func(name string) ([]byte, error) { return texted(files, name) }, options...)
}

// sheetText is a sheet as the file that it stands for.
func sheetText(name string, rows [][]string) ([]byte, error) {
	var out bytes.Buffer
	if name == "policy.json" {
		for _, row := range rows {
			out.WriteString(strings.Join(row, "") + "\n")
		}
		return out.Bytes(), nil
	}
	w := csv.NewWriter(&out)
	for _, row := range rows {
		if len(row) == 0 {
			w.Flush()
			out.WriteByte('\n') // so that what follows keeps its line
			continue
		}
		for len(row) < len(rows[0]) {
			row = append(row, "")
		}
		if err := w.Write(row); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

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
