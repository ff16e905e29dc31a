package paper

import (
	"bytes"
	_ "embed"
	"fmt"

	"codeberg.org/go-pdf/fpdf"
)

// Document is something to be printed: a sheet with its receipt, a worksheet. It is set in black on white, and fits the fewest pages.
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

type writer struct {
	*fpdf.Fpdf
}

// PDF writes a document as PDF, A4 upright.
func PDF(d *Document) ([]byte, error) {
	w := &writer{fpdf.New("P", "mm", "A4", "")}
	w.begin(d.Language, d.Title, d.Foot, d.Page)
	w.SetFont("sans", "", 9.5)
	for _, text := range d.Lead {
		w.MultiCell(width, line, text, "", "L", false)
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
func (w *writer) begin(language, title, foot, page string) {
	w.AddUTF8FontFromBytes("sans", "", plainFont)
	w.AddUTF8FontFromBytes("sans", "B", boldFont)
	w.SetTitle(title, true)
	w.SetCreator("Rubricon", true)
	w.SetLang(language)
	w.SetMargins(left, top, right)
	w.SetAutoPageBreak(true, bottom+4)
	w.AliasNbPages("")
	w.SetFooterFunc(func() {
		w.SetY(-bottom)
		w.SetFont("sans", "", 8)
		w.CellFormat(width*0.8, 4, foot, "T", 0, "L", false, 0, "")
		w.CellFormat(width*0.2, 4, fmt.Sprintf("%s %d / {nb}", page, w.PageNo()), "T", 0, "R", false, 0, "")
	})
	w.AddPage()
	w.SetFont("sans", "B", 15)
	w.MultiCell(width, 7, title, "", "L", false)
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
	w.MultiCell(width, 5.5, p.Head, "B", "L", false)
	w.SetFont("sans", "", 9.5)
	for _, text := range p.Text {
		w.MultiCell(width, line, text, "", "L", false)
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
		lines[i] = w.SplitText(text, (width-indent)*p.Cols[i]-2)
		most = max(most, len(lines[i]))
	}
	height := line * float64(most)
	w.room(height + 1)
	y := w.GetY()
	if box {
		w.Rect(left, y+0.7, 3.2, 3.2, "D")
	}
	x := left + indent
	for i := range cells {
		style := ""
		if i == p.Bold && len(cells) > 1 && size > 8 {
			style = "B"
		}
		w.SetFont("sans", style, size)
		for k, text := range lines[i] {
			w.SetXY(x, y+line*float64(k))
			w.CellFormat((width-indent)*p.Cols[i], line, text, "", 0, "L", false, 0, "")
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
			w.Line(left, y, left+width*0.6, y)
			w.Line(left+width*0.66, y, left+width, y)
			w.SetXY(left, y+0.5)
			w.MultiCell(width, 4, label, "", "L", false)
		}
	}
	if d.Code != "" {
		w.room(26)
		w.Ln(3)
		y := w.GetY()
		w.square(d.Code, left+width-20, y, 20)
		w.SetFont("sans", "B", 13)
		w.CellFormat(width*0.36, 7, d.Code, "1", 0, "C", false, 0, "")
		w.SetFont("sans", "", 8.5)
		w.SetXY(left+width*0.39, y)
		w.MultiCell(width*0.61-24, 3.8, d.CodeNote, "", "L", false)
		w.SetXY(left, max(w.GetY(), y+22))
	}
}
