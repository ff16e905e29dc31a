package paper

import (
	"bytes"
	"fmt"

	"codeberg.org/go-pdf/fpdf"
)

// Letter is a page for one person, with something to be typed, such as a code.
type Letter struct {
	Language string // BCP 47
	Head     string // over the letter: the school
	Hello    string
	Lines    []string
	Fields   [][2]string // what is typed, each with its name before it
	Foot     []string
}

// Letters writes letters as PDF, A4 upright, a page each.
func Letters(title string, list []Letter) ([]byte, error) {
	w := &writer{fpdf.New("P", "mm", "A4", "")}
	w.AddUTF8FontFromBytes("sans", "", plainFont)
	w.AddUTF8FontFromBytes("sans", "B", boldFont)
	w.SetTitle(title, true)
	w.SetCreator("Rubricon", true)
	w.SetMargins(left, 30, right)
	w.SetAutoPageBreak(true, bottom)
	for i := range list {
		l := &list[i]
		if i == 0 {
			w.SetLang(l.Language)
		}
		w.AddPage()
		w.SetFont("sans", "", 9.5)
		w.MultiCell(width, line, l.Head, "", "L", false)
		w.Ln(14)
		w.SetFont("sans", "", 11.5)
		for _, text := range append([]string{l.Hello}, l.Lines...) {
			w.MultiCell(width, 6.2, text, "", "L", false)
			w.Ln(3)
		}
		w.Ln(3)
		for _, f := range l.Fields {
			y := w.GetY()
			w.SetFont("sans", "", 10)
			w.SetXY(left, y)
			w.CellFormat(width*0.3, 9, f[0], "", 0, "L", false, 0, "")
			w.SetFont("sans", "B", 15)
			w.CellFormat(width*0.6, 9, f[1], "B", 1, "L", false, 0, "")
			w.Ln(3)
		}
		w.Ln(6)
		w.SetFont("sans", "", 9.5)
		for _, text := range l.Foot {
			w.MultiCell(width, line, text, "", "L", false)
			w.Ln(1.5)
		}
	}
	var out bytes.Buffer
	if err := w.Output(&out); err != nil {
		return nil, fmt.Errorf("writing letters: %w", err)
	}
	return out.Bytes(), nil
}
