package bundle

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// An xlsx reads the cells of a workbook (ECMA-376, part 1, chapter 18) one row at a time, by type and format:
// a date is 2027-08-30, a truth value true or false, 91 % is 91. Every bound is checked before memory is
// taken.
type xlsx struct {
	parts  map[string]*zip.File
	left   int64 // bytes of parts that may still be read
	shared []string
	styles []cellStyle
	epoch  time.Time
}

// Bounds of a workbook.
const (
	maxColumns = 512
	maxRows    = 1 << 20 // as the format has it
	maxParts   = 500
	maxStyles  = 100_000
)

const (
	plainNumber numberKind = iota
	dateNumber
	timeNumber
	dateTimeNumber
	percentNumber
	scientificNumber
	zeroPadded
)

// newXLSX reads what all sheets share. The error says what of it cannot be read.
func newXLSX(archive *zip.Reader) (x *xlsx, sheets []xlsxSheet, err error) {
	if len(archive.File) > maxParts {
		return nil, nil, fmt.Errorf("it has more than %d parts", maxParts)
	}
	x = &xlsx{parts: map[string]*zip.File{}, left: MaxBundle, epoch: time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)}
	for _, f := range archive.File {
		x.parts[strings.TrimPrefix(f.Name, "/")] = f
	}
	if sheets, err = x.workbook(); err != nil {
		return nil, nil, fmt.Errorf("xl/workbook.xml: %w", err)
	}
	if err = x.readStyles(); err != nil {
		return nil, nil, fmt.Errorf("xl/styles.xml: %w", err)
	}
	if err = x.readShared(); err != nil {
		return nil, nil, fmt.Errorf("xl/sharedStrings.xml: %w", err)
	}
	return x, sheets, nil
}

// bounded counts what is read of all parts.
type bounded struct {
	io.Reader
	left *int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.Reader.Read(p)
	if *b.left -= int64(n); *b.left < 0 {
		return n, errTooMuch
	}
	return n, err
}

// part opens a part of the workbook; nil where it has none of that name.
func (x *xlsx) part(name string) (*xml.Decoder, io.Closer, error) {
	f := x.parts[name]
	if f == nil {
		return nil, nil, nil
	}
	in, err := f.Open()
	if err != nil {
		return nil, nil, err
	}
	return xml.NewDecoder(&bounded{io.LimitReader(in, MaxFile+1), &x.left}), in, nil
}

// elements visits the elements of a part that begin; visit may read on to the end of its element.
func (x *xlsx) elements(name string, visit func(in *xml.Decoder, e xml.StartElement) error) error {
	in, done, err := x.part(name)
	if err != nil || in == nil {
		return err
	}
	defer done.Close()
	for {
		token, err := in.Token()
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		if e, ok := token.(xml.StartElement); ok {
			if err := visit(in, e); err != nil {
				return err
			}
		}
	}
}

func attribute(e *xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// xlsxSheet is a sheet by the name that people see.
type xlsxSheet struct{ name, part string }

func (x *xlsx) workbook() (sheets []xlsxSheet, err error) {
	targets := map[string]string{}
	err = x.elements("xl/_rels/workbook.xml.rels", func(_ *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local == "Relationship" {
			target := attribute(&e, "Target")
			if !strings.HasPrefix(target, "/") {
				target = path.Join("xl", target)
			}
			targets[attribute(&e, "Id")] = strings.TrimPrefix(target, "/")
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = x.elements("xl/workbook.xml", func(_ *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "workbookPr":
			if v := attribute(&e, "date1904"); v == "1" || v == "true" {
				x.epoch = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
			}
		case "sheet":
			id := ""
			for _, a := range e.Attr { // r:id; sheetId is another attribute
				if a.Name.Local == "id" {
					id = a.Value
				}
			}
			sheets = append(sheets, xlsxSheet{attribute(&e, "name"), targets[id]})
		}
		return nil
	})
	return sheets, err
}

func (x *xlsx) readStyles() error {
	codes, in := map[string]string{}, ""
	return x.elements("xl/styles.xml", func(_ *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "numFmt":
			codes[attribute(&e, "numFmtId")] = attribute(&e, "formatCode")
		case "cellXfs", "cellStyleXfs":
			in = e.Name.Local
		case "xf":
			if in != "cellXfs" {
				return nil
			}
			if len(x.styles) == maxStyles {
				return fmt.Errorf("it has more than %d styles", maxStyles)
			}
			id := attribute(&e, "numFmtId")
			if code, own := codes[id]; own {
				x.styles = append(x.styles, formatKind(code))
			} else {
				x.styles = append(x.styles, builtInKind(id))
			}
		}
		return nil
	})
}

var (
	quotedFormat = regexp.MustCompile(`"[^"]*"|\\.|\[[^\]]*\]|_.|\*.`) // what a format shows as it is: texts, colours, spaces
	zeroFormat   = regexp.MustCompile(`^0{2,15}$`)
)

func (x *xlsx) readShared() error {
	return x.elements("xl/sharedStrings.xml", func(in *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local != "si" {
			return nil
		}
		text, err := richText(in)
		x.shared = append(x.shared, text)
		return err
	})
}

// richText reads the text of an element to its end: that of all its runs, without how it is pronounced.
func richText(in *xml.Decoder) (string, error) {
	var out strings.Builder
	for depth, quiet, text := 1, 0, false; depth > 0; {
		token, err := in.Token()
		if err != nil {
			return "", err
		}
		switch e := token.(type) {
		case xml.StartElement:
			depth++
			if e.Name.Local == "rPh" {
				quiet = depth
			}
			text = e.Name.Local == "t"
		case xml.EndElement:
			if quiet == depth {
				quiet = 0
			}
			depth--
			text = false
		case xml.CharData:
			if text && quiet == 0 {
				out.Write(e)
			}
		}
	}
	return unescapeX(out.String()), nil
}

// rows visits the rows of a sheet that have cells, in order, with their numbers from 1 and the cells from the
// first column on.
func (x *xlsx) rows(part string, visit func(row int, cells []string) error, fault func(cellFault)) error {
	row, column := 0, 0
	var cells []string
	flush := func() error {
		if len(cells) == 0 {
			return nil
		}
		err := visit(row, cells)
		cells = cells[:0]
		return err
	}
	if x.parts[part] == nil {
		return errors.New("the sheet is not in the workbook")
	}
	err := x.elements(part, func(in *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "row":
			if err := flush(); err != nil {
				return err
			}
			next := row + 1
			if r := attribute(&e, "r"); r != "" {
				next, _ = strconv.Atoi(r)
			}
			if next <= row || next > maxRows {
				return fmt.Errorf("row %s is out of order", attribute(&e, "r"))
			}
			row, column = next, 0
		case "c":
			column++
			if r := attribute(&e, "r"); r != "" {
				column = columnOf(r)
			}
			if row == 0 || column < len(cells)+1 {
				return fmt.Errorf("cell %s is out of order", attribute(&e, "r"))
			}
			text, what, err := x.cell(in, &e)
			if err != nil {
				return err
			}
			if column > maxColumns {
				if text == "" && what == "" {
					return nil
				}
				fault(cellFault{row, 0, fmt.Sprintf("has a cell beyond column %d; the rest of the sheet was not read", maxColumns)})
				return errBeyond
			}
			if what != "" {
				fault(cellFault{row, column, what})
			}
			for len(cells) < column-1 {
				cells = append(cells, "")
			}
			cells = append(cells, text)
		}
		return nil
	})
	if err != nil && !errors.Is(err, errBeyond) {
		return err
	}
	return flush()
}

var errBeyond = errors.New("a cell is beyond the last column")
