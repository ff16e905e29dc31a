package bundle

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// Foreign reads files also as spreadsheets save them, cells parted by semicolons or tabs, in UTF-16 or in the
// encoding of Windows, and says so in a notice. What a bundle is otherwise stays as it is.
func Foreign(b *Bundle) { b.foreign = true }

// Without leaves out rows, by file and line.
func Without(rows map[string]map[int]bool) Option { return func(b *Bundle) { b.without = rows } }

// plain returns the text of a file in UTF-8.
func (b *Bundle) plain(name string, text []byte) []byte {
	if !b.foreign {
		return text
	}
	decoder, what := unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder(), "UTF-16"
	switch {
	case bytes.HasPrefix(text, []byte{0xff, 0xfe}), bytes.HasPrefix(text, []byte{0xfe, 0xff}):
	case utf8.Valid(text):
		return text
	default:
		decoder, what = charmap.Windows1252.NewDecoder(), "the encoding of Windows for western languages (Windows-1252)"
	}
	plain, err := decoder.Bytes(text)
	if err != nil {
		return text // each bad cell is named
	}
	b.Notices = append(b.Notices, Problem{File: name, Line: 1, Column: "",
		What: "is not saved as UTF-8; it was read as " + what + ": look whether letters with accents are right"})
	return plain
}

// comma returns the character that separates the cells of a file.
func (b *Bundle) comma(name string, text []byte) rune {
	header, _, _ := strings.Cut(string(text[:min(len(text), 64<<10)]), "\n")
	if !b.foreign || strings.ContainsRune(header, ',') {
		return ','
	}
	for _, other := range ";\t" {
		if strings.ContainsRune(header, other) {
			b.Notices = append(b.Notices, Problem{File: name, Line: 1, Column: "",
				What: "has its cells parted by " + map[rune]string{';': "semicolons", '\t': "tabs"}[other] + "; it was read so"})
			return other
		}
	}
	return ','
}

// maxRounds bounds how often rows are left out because others were.
const maxRounds = 20

// LeaveOut reads a bundle without its bad rows, and without those that are bad only because of that. What is
// left out is given in order; where something is wrong that is no row, it is in the bundle's Problems. Open
// reads the bundle with further options.
func LeaveOut(open func(options ...Option) (*Bundle, error)) (b *Bundle, left []Problem, err error) {
	rows := map[string]map[int]bool{}
	for range maxRounds {
		if b, err = open(Without(rows)); err != nil || len(b.Problems) == 0 {
			return b, left, err
		}
		more := false
		for _, p := range b.Problems {
			if spec(p.File) == nil && p.File != "enrollments.csv" || p.Line < 2 || rows[p.File][p.Line] {
				continue
			}
			if rows[p.File] == nil {
				rows[p.File] = map[int]bool{}
			}
			rows[p.File][p.Line], more = true, true
			left = append(left, p)
		}
		if !more {
			return b, left, nil
		}
	}
	return b, left, nil
}

// BadRows writes the bad rows as a CSV file: where each is, what is wrong, and its cells as they came, after
// the names of their columns.
func (b *Bundle) BadRows() ([]byte, error) {
	f := File{Name: "bad.csv", Header: []string{"file", "line", "column", "problem", "row"}}
	for _, p := range b.Problems {
		row := ""
		if t := b.Tables[p.File]; t != nil {
			if i, found := slices.BinarySearchFunc(t.Rows, p.Line, func(r Row, line int) int { return r.Line - line }); found {
				var cells []string
				for k, cell := range t.Rows[i].Cells {
					if cell != "" && t.Header[k] != "password" {
						cells = append(cells, t.Header[k]+"="+cell)
					}
				}
				row = strings.Join(cells, "; ")
			}
		}
		f.Rows = append(f.Rows, []string{p.File, strconv.Itoa(p.Line), p.Column, p.What, row})
	}
	f = f.ForPeople()
	return f.Bytes()
}
