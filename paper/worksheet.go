package paper

import (
	"bytes"
	"fmt"
)

// Worksheet is for those who think on paper before they ask for anything: what the school will check, with
// room to write next to it, and the courses by subject. It is set on at most two pages where smaller letters
// can bring that about.
type Worksheet struct {
	Language  string // BCP 47
	Title     string
	Lead      []string // lines under the title
	RulesHead string
	Rules     []WorksheetRule
	Mine      string   // the word before a line to write on
	Terms     []string // of the year, as columns to write into
	Periods   int      // rows of them
	YearHead  string
	Subjects  []WorksheetSubject
	Foot      string // on every page; the page's number comes after it
	Page      string // the word before the page's number
}

// WorksheetRule is a rule with what it wants, in words.
type WorksheetRule struct{ Label, Wants string }

// WorksheetSubject is a subject area with its courses.
type WorksheetSubject struct {
	Head    string
	Courses []WorksheetCourse
}

// WorksheetCourse is a course: a line with its name, what stands at the line's end, and smaller words under it.
type WorksheetCourse struct{ Title, End, Note string }

// smallest and largest are the sizes of letters that are tried, in points; between the columns is a gap, in
// millimetres.
const (
	smallest, largest = 5.5, 8.5
	gap               = 6.0
	column            = (width - gap) / 2
)

// PDF writes the worksheet as PDF, A4 upright.
func (s *Worksheet) PDF() ([]byte, error) {
	for size := largest; ; size -= 0.5 {
		w := s.set(size)
		if w.PageNo() > 2 && size > smallest {
			continue
		}
		var out bytes.Buffer
		if err := w.Output(&out); err != nil {
			return nil, fmt.Errorf("writing a PDF: %w", err)
		}
		return out.Bytes(), nil
	}
}

// flow sets blocks into two columns, page after page.
type flow struct {
	*writer
	col    int     // 0 or 1
	from   float64 // where the columns begin on this page
	size   float64 // of the letters
	height float64 // of a line
}

func (s *Worksheet) set(size float64) *writer {
	w := newWriter(s.Language)
	w.begin(s.Title, s.Foot, s.Page)
	w.SetFont("sans", "", 8.5)
	for _, text := range s.Lead {
		w.write(left, width, 4.2, text, "")
	}
	f := &flow{writer: w, size: size, height: size * 0.46}
	f.head(s.RulesHead, width)
	for i, r := range s.Rules { // two next to each other
		x := left + float64(i%2)*(column+gap)
		y := w.GetY()
		w.SetFont("sans", "B", size)
		w.put(x, y, column*0.42, f.height+1, w.cut(r.Label, column*0.42), "", "")
		w.SetFont("sans", "", size)
		w.put(x+column*0.42, y, column*0.34, f.height+1, w.cut(r.Wants, column*0.34), "", "")
		w.put(x+column*0.76, y, column*0.24, f.height+1, s.Mine, "", "")
		at := column*0.76 + w.GetStringWidth(joined(s.Mine)) + 2
		from := w.x(x+at, column-at)
		w.Line(from, y+f.height+0.6, from+column-at, y+f.height+0.6)
		if w.SetXY(left, y); i%2 == 1 || i == len(s.Rules)-1 {
			w.SetXY(left, y+f.height+1.4)
		}
	}
	f.year(s)
	w.Ln(2)
	f.from = w.GetY()
	w.SetAutoPageBreak(false, 0)
	for _, subject := range s.Subjects {
		for i := range subject.Courses {
			head := ""
			if i == 0 {
				head = subject.Head
			}
			f.course(head, &subject.Courses[i])
		}
	}
	return w
}

// head writes a head over a width.
func (f *flow) head(text string, over float64) {
	f.Ln(1.5)
	f.SetFont("sans", "B", f.size+1)
	f.put(left, f.GetY(), over, f.height+1.5, text, "B", "")
	f.SetXY(left, f.GetY()+f.height+2.3)
}

// year draws the year's periods by term, to be written into.
func (f *flow) year(s *Worksheet) {
	f.head(s.YearHead, width)
	wide, high := width/float64(len(s.Terms)), f.height+1.6
	f.SetFont("sans", "", f.size)
	y := f.GetY()
	for i, term := range s.Terms {
		f.put(left+wide*float64(i), y, wide, f.height+0.6, f.cut(term, wide), "", "")
	}
	y += f.height + 0.6
	for i := range s.Periods {
		for k := range s.Terms {
			f.put(left+wide*float64(k), y, wide, high, fmt.Sprint(i+1), "1", "")
		}
		y += high
	}
	f.SetXY(left, y)
}

// course sets a course where the column has room for it and its head, else in the next.
func (f *flow) course(head string, c *WorksheetCourse) {
	f.SetFont("sans", "", f.size-0.5)
	var note []string
	if c.Note != "" {
		note = f.lines(c.Note, column-5)
	}
	f.SetFont("sans", "B", f.size)
	end := f.GetStringWidth(c.End) + 2
	title := f.lines(c.Title, column-5-end)
	need := f.height*float64(len(title)+len(note)) + 0.6
	if head != "" {
		need += f.height + 5
	}
	if _, page := f.GetPageSize(); f.GetY()+need > page-bottom-3 {
		if f.col++; f.col == 2 {
			f.col, f.from = 0, top
			f.AddPage()
		}
		f.SetY(f.from)
	}
	x := left + float64(f.col)*(column+gap)
	if head != "" {
		if f.GetY() > f.from {
			f.Ln(1.5)
		}
		f.SetFont("sans", "B", f.size+1)
		f.put(x, f.GetY(), column, f.height+1.5, head, "B", "")
		f.SetY(f.GetY() + f.height + 2.1)
	}
	y := f.GetY()
	side := f.height * 0.62
	f.Rect(f.x(x, side), y+f.height*0.18, side, side, "D")
	f.SetFont("sans", "B", f.size)
	for i, text := range title {
		f.put(x+4, y+f.height*float64(i), column-4-end, f.height, text, "", "")
	}
	f.SetFont("sans", "", f.size)
	f.put(x+column-end, y, end, f.height, c.End, "", "E")
	f.SetFont("sans", "", f.size-0.5)
	y += f.height * float64(len(title))
	for i, text := range note {
		f.put(x+4, y+f.height*float64(i), column-4, f.height, text, "", "")
	}
	f.SetY(y + f.height*float64(len(note)) + 0.6)
}

// cut shortens a text to a width, in the font that is set.
func (w *writer) cut(text string, to float64) string {
	if w.GetStringWidth(text) <= to-1 {
		return text
	}
	letters := []rune(text)
	for len(letters) > 0 && w.GetStringWidth(string(letters)+"…") > to-1 {
		letters = letters[:len(letters)-1]
	}
	return string(letters) + "…"
}
