package paper

import (
	"bytes"
	"fmt"

	"rubricon/locales"
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
	w := newWriter("")
	w.SetTitle(title, true)
	w.SetMargins(left, 30, right)
	w.SetAutoPageBreak(true, bottom)
	for i := range list {
		l := &list[i]
		if w.fromRight = locales.Match(l.Language).Direction() == "rtl"; i == 0 {
			w.SetLang(l.Language)
		}
		w.AddPage()
		w.SetFont("sans", "", 9.5)
		w.write(left, width, line, l.Head, "")
		w.Ln(14)
		w.SetFont("sans", "", 11.5)
		for _, text := range append([]string{l.Hello}, l.Lines...) {
			w.write(left, width, 6.2, text, "")
			w.Ln(3)
		}
		w.Ln(3)
		for _, f := range l.Fields {
			y := w.GetY()
			w.SetFont("sans", "", 10)
			w.put(left, y, width*0.3, 9, f[0], "", "")
			w.SetFont("sans", "B", 15)
			w.put(left+width*0.3, y, width*0.6, 9, f[1], "B", "")
			w.SetXY(left, y+12)
		}
		w.Ln(6)
		w.SetFont("sans", "", 9.5)
		for _, text := range l.Foot {
			w.write(left, width, line, text, "")
			w.Ln(1.5)
		}
	}
	var out bytes.Buffer
	if err := w.Output(&out); err != nil {
		return nil, fmt.Errorf("writing letters: %w", err)
	}
	return out.Bytes(), nil
}
