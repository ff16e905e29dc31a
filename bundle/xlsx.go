package bundle

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
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

// cellStyle is what a cell's format says of a number in it.
type cellStyle struct {
	kind numberKind
	wide int // zeroPadded: how many digits
}

type numberKind int

const (
	plainNumber numberKind = iota
	dateNumber
	timeNumber
	dateTimeNumber
	percentNumber
	scientificNumber
	zeroPadded
)

// A cellFault is what is wrong with one cell, whatever it means.
type cellFault struct {
	row, column int // from 1
	what        string
}

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

// builtInKind reports what the formats mean that have a number alone (section 18.8.30).
func builtInKind(id string) cellStyle {
	n, _ := strconv.Atoi(id)
	switch {
	case n == 9, n == 10:
		return cellStyle{kind: percentNumber}
	case n == 11, n == 48:
		return cellStyle{kind: scientificNumber}
	case n == 22:
		return cellStyle{kind: dateTimeNumber}
	case n >= 18 && n <= 21, n >= 45 && n <= 47:
		return cellStyle{kind: timeNumber}
	case n >= 14 && n <= 17, n >= 27 && n <= 36, n >= 50 && n <= 58:
		return cellStyle{kind: dateNumber}
	}
	return cellStyle{}
}

var (
	quotedFormat = regexp.MustCompile(`"[^"]*"|\\.|\[[^\]]*\]|_.|\*.`) // what a format shows as it is: texts, colours, spaces
	zeroFormat   = regexp.MustCompile(`^0{2,15}$`)
)

// formatKind reports what a format code means for a number (section 18.8.31).
func formatKind(code string) cellStyle {
	first, _, _ := strings.Cut(quotedFormat.ReplaceAllString(code, ""), ";")
	first = strings.ToLower(first)
	day, hour := strings.ContainsAny(first, "yd"), strings.ContainsAny(first, "hs")
	switch {
	case zeroFormat.MatchString(first):
		return cellStyle{zeroPadded, len(first)}
	case strings.Contains(first, "general"):
		return cellStyle{}
	case strings.Contains(first, "e+"), strings.Contains(first, "e-"):
		return cellStyle{kind: scientificNumber}
	case strings.Contains(first, "%"):
		return cellStyle{kind: percentNumber}
	case day && hour:
		return cellStyle{kind: dateTimeNumber}
	case day, strings.Contains(first, "mmm"):
		return cellStyle{kind: dateNumber}
	case hour:
		return cellStyle{kind: timeNumber}
	}
	return cellStyle{}
}

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

var escapedX = regexp.MustCompile(`_x([0-9A-Fa-f]{4})_`)

// unescapeX undoes how the format writes characters that XML has not (section 22.9.2.19).
func unescapeX(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	return escapedX.ReplaceAllStringFunc(text, func(match string) string {
		code, _ := strconv.ParseUint(match[2:6], 16, 32)
		return string(rune(code))
	})
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

// columnOf is the number of the column of a cell such as AB12, from 1; 0 where it is none.
func columnOf(cell string) (n int) {
	for _, c := range cell {
		if c < 'A' || c > 'Z' || n > 1<<15 {
			break
		}
		n = n*26 + int(c-'A') + 1
	}
	return n
}

// cell reads one cell to its end. Where what is in it is no text that can be taken, what says why.
func (x *xlsx) cell(in *xml.Decoder, e *xml.StartElement) (text, what string, err error) {
	kind, style := attribute(e, "t"), 0
	if s := attribute(e, "s"); s != "" {
		style, _ = strconv.Atoi(s)
	}
	value, inline, found := "", "", false
	for {
		token, err := in.Token()
		if err != nil {
			return "", "", err
		}
		switch t := token.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "v":
				var v strings.Builder
				for done := false; !done; {
					token, err := in.Token()
					if err != nil {
						return "", "", err
					}
					switch c := token.(type) {
					case xml.CharData:
						v.Write(c)
					case xml.EndElement:
						done = true
					}
				}
				value, found = v.String(), true
			case "is":
				if inline, err = richText(in); err != nil {
					return "", "", err
				}
				found = found || kind == "inlineStr"
			default:
				if err := in.Skip(); err != nil {
					return "", "", err
				}
			}
			continue
		case xml.EndElement:
		default:
			continue
		}
		break
	}
	if !found {
		return "", "", nil
	}
	switch kind {
	case "s":
		at, err := strconv.Atoi(value)
		if err != nil || at < 0 || at >= len(x.shared) {
			return "", "", errors.New("a cell refers to a text that is not there")
		}
		return x.shared[at], "", nil
	case "str":
		return unescapeX(value), "", nil
	case "inlineStr":
		return inline, "", nil
	case "b":
		return strconv.FormatBool(value == "1" || value == "true"), "", nil
	case "e":
		return "", "is an error of the workbook (" + value + "); mend its formula", nil
	case "d": // a date as ISO 8601 has it
		at, err := time.Parse("2006-01-02T15:04:05", strings.TrimSuffix(value, "Z"))
		if err != nil {
			return value, "", nil
		}
		return asDate(at), "", nil
	}
	text, what = x.number(value, style)
	return text, what, nil
}

// mostDigits is the size of numbers beyond which a workbook keeps not all their digits.
const mostDigits = 1e15

// number writes a number as a file of a bundle has it.
func (x *xlsx) number(raw string, style int) (text, what string) {
	v, err := strconv.ParseFloat(strings.TrimSpace(raw), 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return "", "is not a number that can be read"
	}
	var s cellStyle
	if style >= 0 && style < len(x.styles) {
		s = x.styles[style]
	}
	if s.kind == scientificNumber || math.Abs(v) >= mostDigits {
		return raw, "is a number in scientific notation; format the cell as text, and type it again"
	}
	switch s.kind {
	case dateNumber, timeNumber, dateTimeNumber:
		if v < 0 || v > 2_958_465 { // the end of the year 9999
			return raw, "is no date"
		}
		days := math.Floor(v)
		at := x.epoch.AddDate(0, 0, int(days)).Add(time.Duration(math.Round((v-days)*86400)) * time.Second)
		switch {
		case s.kind == timeNumber && days == 0:
			return at.Format("15:04"), ""
		case s.kind == dateNumber:
			return at.Format(time.DateOnly), ""
		}
		return asDate(at), ""
	case percentNumber:
		return decimal(v * 100), ""
	case zeroPadded:
		if v == math.Trunc(v) && v >= 0 {
			return fmt.Sprintf("%0*d", s.wide, int64(v)), ""
		}
	}
	return decimal(v), ""
}

// asDate writes a time as a file of a bundle has it: midnight is the day.
func asDate(at time.Time) string {
	if at.Hour() == 0 && at.Minute() == 0 {
		return at.Format(time.DateOnly)
	}
	return at.Format("2006-01-02T15:04")
}

// decimal writes a number with the fifteen digits that a workbook keeps.
func decimal(v float64) string {
	rounded, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 15, 64), 64)
	if err != nil {
		rounded = v
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}
