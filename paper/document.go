package paper

import (
	"bytes"
	_ "embed"
	"fmt"

	"codeberg.org/go-pdf/fpdf"

	"rubricon/locales"
)

// Document is something to be printed: a sheet with its receipt, a worksheet. It is set in black on white,
// and fits the fewest pages.
type Document struct {
	Language string // BCP 47
	Title    string
	Lead     []string // lines under the title
	Parts    []Part
	Sign     []string // labels of the lines on which people sign
	Code     string   // by which what comes back on paper is found again
	CodeNote string
	Foot     string // on every page; the page's number comes after it
	Page     string // the word before the page's number
}

// Part is a section: a head, paragraphs, and rows of cells.
type Part struct {
	Head  string
	Text  []string
	Cols  []float64 // widths of the cells as shares of the page; they come to 1
	Heads []string  // of the columns; may be empty
	Rows  [][]string
	Bold  int  // which of the cells is the name of the row
	Boxes bool // a box to be ticked before each row
}

var (
	//go:embed fonts/DejaVuSansCondensed.ttf
	plainFont []byte
	//go:embed fonts/DejaVuSansCondensed-Bold.ttf
	boldFont []byte
)

// A4, margins and sizes in millimetres and points.
const (
	left, top, right, bottom = 18.0, 16.0, 18.0, 16.0
	width                    = 210 - left - right
	line                     = 4.9
)

// writer sets text on pages. In a language that is read from the right the page is mirrored: places are
// counted from the right edge of the text.
type writer struct {
	*fpdf.Fpdf
	fromRight bool
}

func newWriter(language string) *writer {
	w := &writer{Fpdf: fpdf.New("P", "mm", "A4", "")}
	w.AddUTF8FontFromBytes("sans", "", plainFont)
	w.AddUTF8FontFromBytes("sans", "B", boldFont)
	w.SetCreator("Rubricon", true)
	w.speak(language)
	return w
}

// speak sets the language of what follows.
func (w *writer) speak(language string) {
	w.SetLang(language)
	w.fromRight = locales.Match(language).Direction() == "rtl"
}

// x is where something of a width begins that is a distance from the edge at which reading begins.
func (w *writer) x(from, wide float64) float64 {
	if w.fromRight {
		return 210 - from - wide
	}
	return from
}

// put writes one line of text into a box; the place is its distance from the edge at which reading begins.
// Align is that of the text: "" where reading begins, E where it ends, C.
func (w *writer) put(from, y, wide, high float64, text, border, align string) {
	switch {
	case align == "C":
	case w.fromRight == (align == "E"):
		align = "L"
	default:
		align = "R"
	}
	w.SetXY(w.x(from, wide), y)
	w.CellFormat(wide, high, seen(joined(text), w.fromRight), border, 0, align, false, 0, "")
}

// lines breaks a text into lines of a width.
func (w *writer) lines(text string, wide float64) []string { return w.SplitText(joined(text), wide) }

// write writes text in as many lines as it needs, and goes on below; border is that under the last.
func (w *writer) write(from, wide, high float64, text, border string) {
	list := w.lines(text, wide-0.01)
	if len(list) == 0 {
		list = []string{""}
	}
	for i, part := range list {
		w.room(high)
		under := ""
		if i == len(list)-1 {
			under = border
		}
		w.put(from, w.GetY(), wide, high, part, under, "")
		w.SetXY(left, w.GetY()+high)
	}
}

// PDF writes a document as PDF, A4 upright.
func PDF(d *Document) ([]byte, error) {
	w := newWriter(d.Language)
	w.begin(d.Title, d.Foot, d.Page)
	w.SetFont("sans", "", 9.5)
	for _, text := range d.Lead {
		w.write(left, width, line, text, "")
	}
	for i := range d.Parts {
		w.part(&d.Parts[i])
	}
	w.signatures(d)
	var out bytes.Buffer
	if err := w.Output(&out); err != nil {
		return nil, fmt.Errorf("writing a PDF: %w", err)
	}
	return out.Bytes(), nil
}

// begin sets what all documents have, and writes the title on the first page.
func (w *writer) begin(title, foot, page string) {
	w.SetTitle(title, true)
	w.SetMargins(left, top, right)
	w.SetAutoPageBreak(true, bottom+4)
	w.AliasNbPages("")
	w.SetFooterFunc(func() {
		w.SetFont("sans", "", 8)
		y := 297 - bottom
		w.put(left, y, width*0.8, 4, foot, "T", "")
		w.put(left+width*0.8, y, width*0.2, 4, fmt.Sprintf("%s %d / {nb}", page, w.PageNo()), "T", "E")
	})
	w.AddPage()
	w.SetFont("sans", "B", 15)
	w.write(left, width, 7, title, "")
}

// room begins a new page where less than a height is left.
func (w *writer) room(height float64) {
	if _, page := w.GetPageSize(); w.GetY()+height > page-bottom-4 {
		w.AddPage()
	}
}

func (w *writer) part(p *Part) {
	w.room(18)
	w.Ln(2.5)
	w.SetFont("sans", "B", 10.5)
	w.write(left, width, 5.5, p.Head, "B")
	w.SetFont("sans", "", 9.5)
	for _, text := range p.Text {
		w.write(left, width, line, text, "")
	}
	if len(p.Heads) > 0 {
		w.SetFont("sans", "", 8)
		w.row(p, p.Heads, false)
	}
	for _, row := range p.Rows {
		w.SetFont("sans", "", 9.5)
		w.row(p, row, p.Boxes)
	}
}

// row writes cells side by side, each in as many lines as it needs; its name is bold.
func (w *writer) row(p *Part, cells []string, box bool) {
	indent := 0.0
	if p.Boxes {
		indent = 6
	}
	size, _ := w.GetFontSize()
	lines, most := make([][]string, len(cells)), 1
	for i, text := range cells {
		lines[i] = w.lines(text, (width-indent)*p.Cols[i]-2)
		most = max(most, len(lines[i]))
	}
	height := line * float64(most)
	w.room(height + 1)
	y := w.GetY()
	if box {
		w.Rect(w.x(left, 3.2), y+0.7, 3.2, 3.2, "D")
	}
	x := left + indent
	for i := range cells {
		style := ""
		if i == p.Bold && len(cells) > 1 && size > 8 {
			style = "B"
		}
		w.SetFont("sans", style, size)
		for k, text := range lines[i] {
			w.put(x, y+line*float64(k), (width-indent)*p.Cols[i], line, text, "", "")
		}
		x += (width - indent) * p.Cols[i]
	}
	w.SetXY(left, y+height)
}

func (w *writer) signatures(d *Document) {
	if len(d.Sign) > 0 {
		w.room(float64(len(d.Sign))*13 + 4)
		w.Ln(4)
		w.SetFont("sans", "", 8.5)
		for _, label := range d.Sign {
			y := w.GetY() + 8
			for _, l := range [][2]float64{{left, width * 0.6}, {left + width*0.66, width * 0.34}} {
				x := w.x(l[0], l[1])
				w.Line(x, y, x+l[1], y)
			}
			w.SetXY(left, y+0.5)
			w.write(left, width, 4, label, "")
		}
	}
	if d.Code != "" {
		w.room(26)
		w.Ln(3)
		y := w.GetY()
		w.square(d.Code, w.x(left+width-20, 20), y, 20)
		w.SetFont("sans", "B", 13)
		w.put(left, y, width*0.36, 7, d.Code, "1", "C")
		w.SetFont("sans", "", 8.5)
		w.SetXY(left, y)
		w.write(left+width*0.39, width*0.61-24, 3.8, d.CodeNote, "")
		w.SetXY(left, max(w.GetY(), y+22))
	}
}
