package sheet

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"

	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/receipt"
	"rubricon/core/sheet"
	"rubricon/locales"
	"rubricon/paper"
	"rubricon/web/server"
)

// paperRoutes are those of what is printed.
func (s *Routes) paperRoutes(api huma.API) {
	type paperIn struct {
		server.OnSheet
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which it is written"`
		Receipt  string `query:"receipt" maxLength:"40" doc:"As it was handed in with this receipt"`
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-paper", http.MethodGet, server.SheetPath+"/paper.pdf",
		"The sheet to be printed: what was submitted with its receipt and lines to sign on, or the sheet as it is where nothing was"),
		"application/pdf"),
		func(ctx context.Context, by int64, in *paperIn) (*FileOut, error) {
			var d *appsheet.Desk
			var err error
			if in.Receipt != "" {
				d, err = s.cases.Sheet.Handed(ctx, by, in.Place(), in.Receipt)
			} else {
				d, err = s.cases.Sheet.Sheet(ctx, by, in.Place())
			}
			if err != nil {
				return nil, err
			}
			p := Printed{d.AsSubmitted(), d.Changed, Reads(ctx, in.Language)}
			pdf, err := paper.PDF(p.document())
			if err != nil {
				return nil, err
			}
			return PDFOut("sheet.pdf", pdf), nil
		})
	s.worksheetRoute(api)
}

// FileOut is a document to be taken.
type FileOut struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               []byte
}

// PDFOut returns a PDF to be downloaded under a name.
func PDFOut(name string, pdf []byte) *FileOut {
	return &FileOut{"application/pdf", mime.FormatMediaType("attachment", map[string]string{"filename": name}), pdf}
}

// Printed is a sheet that is written out in a language.
type Printed struct {
	*appsheet.Desk
	since bool // the sheet has been changed since this was submitted
	L     *locales.Locale
}

// Say returns a sentence in the language of the document.
func (p Printed) Say(key string, args ...any) string {
	named := map[string]any{}
	for i := 0; i+1 < len(args); i += 2 {
		named[fmt.Sprint(args[i])] = args[i+1]
	}
	return p.L.Text(key, named)
}

// Title returns the title of a course in the language of the document.
func (p Printed) Title(course int32) string {
	return p.Year.Courses[course].TextIn(p.L.Tag.String()).Title
}

// amount writes a number of hundredths as the reader writes numbers.
func (p Printed) amount(a credit.Amount) string {
	return message.NewPrinter(latin(p.L.Tag)).Sprint(number.Decimal(float64(a)/float64(credit.One), number.MaxFractionDigits(2)))
}

// Day writes a date with its weekday, and the time where it has one.
func (p Printed) Day(at time.Time, clock bool) string {
	text := p.L.Day(at)
	if clock {
		text += at.Format(", 15:04 MST")
	}
	return text
}

// due writes a date as an errand has it, in the school's own zone.
func (p Printed) due(written string) string {
	if at, err := time.Parse("2006-01-02T15:04", written); err == nil {
		return p.Day(at, false) + at.Format(", 15:04")
	}
	if at, err := time.Parse(time.DateOnly, written); err == nil {
		return p.Day(at, false)
	}
	return p.Say("errands.open")
}

// Terms names a set of terms.
func (p Printed) Terms(set catalog.TermSet) string {
	if set == p.Year.AllTerms() {
		return p.Say("wholeYear")
	}
	var names []string
	for _, name := range p.Year.TermNames(set) {
		if key := "term." + name; p.L.Has(key) {
			name = p.Say(key)
		}
		names = append(names, name)
	}
	return strings.Join(names, ", ")
}

// document is the sheet as a letter that can be signed.
func (p Printed) document() *paper.Document {
	y, row := p.Year, &p.Row
	name := p.Pupil.GivenName + " " + p.Pupil.FamilyName
	zone := y.Zone()
	doc := &paper.Document{Language: p.L.Tag.String(), Page: p.Say("paper.page"),
		Foot:  p.Say("paper.foot", "name", name, "school", y.Name, "year", y.Year.Policy.SchoolYear),
		Title: p.Say("submit.sheetOf", "name", name, "grade", row.Grade, "school", y.Name, "year", y.Year.Policy.SchoolYear)}
	if p.Pupil.CounselorName != "" {
		doc.Lead = append(doc.Lead, p.Say("paper.counselor", "who", p.Pupil.CounselorName))
	}
	switch {
	case p.Draft != nil:
		doc.Lead = append(doc.Lead, p.Say("paper.draft", "name", p.Draft.Name))
	case p.Kind == acts.WhatWas:
		doc.Lead = append(doc.Lead, p.Say("submit.receipt", "receipt", *row.Receipt)+" · "+
			p.Say("submit.receiptAt", "time", p.Day(row.SubmittedAt.In(zone), true)), p.Say("paper.past"))
	case p.HandedIn() && row.Receipt != nil && row.SubmittedAt != nil:
		doc.Lead = append(doc.Lead, p.Say("submit.receipt", "receipt", *row.Receipt)+" · "+
			p.Say("submit.receiptAt", "time", p.Day(row.SubmittedAt.In(zone), true)))
		if p.since {
			doc.Lead = append(doc.Lead, p.Say("paper.since"))
		}
		for _, x := range row.Signatures.V {
			key := "paper.signed"
			if x.PaperBy != "" {
				key = "paper.signedOnPaper"
			} else if x.ForFamily {
				key = "paper.signedFor"
			}
			doc.Lead = append(doc.Lead, p.Say(key, "name", x.Name, "by", x.PaperBy, "time", p.Day(x.At.In(zone), true)))
		}
		if row.State == string(acts.Submitted) { // a signature is still wanted
			doc.Code, doc.CodeNote = receipt.Code(*row.Receipt), p.Say("paper.code")
			doc.Sign = []string{p.Say("paper.signStudent", "name", name), p.Say("paper.signGuardian")}
		}
	default:
		doc.Lead = append(doc.Lead, p.Say("paper.notHandedIn"))
	}
	doc.Lead = append(doc.Lead, p.Say("submit.what"))
	doc.Parts = append(doc.Parts, p.requests(), p.alternates())
	if len(p.Sheet.Summer) > 0 {
		part := paper.Part{Head: p.Say("submit.summer"), Cols: []float64{0.8, 0.2}}
		for _, e := range p.Sheet.Summer {
			part.Rows = append(part.Rows, []string{p.Title(e.Course), p.amount(y.Courses[e.Course].Credits)})
		}
		if s := p.Desk.Summer(); s.Apart() { // it is handed in on its own
			state := p.Say("summer.notHanded")
			if s.Handed {
				handed := p.Row.SheetState.Summer.V
				state = p.Say("summer.handed", "time", p.Day(handed.At.In(zone), true), "receipt", handed.Receipt)
			}
			part.Rows = append(part.Rows, []string{state, ""})
		}
		doc.Parts = append(doc.Parts, part)
	}
	if part := p.agreements(); len(part.Rows) > 0 {
		doc.Parts = append(doc.Parts, part)
	}
	if part := p.errands(); len(part.Rows) > 0 {
		doc.Parts = append(doc.Parts, part)
	}
	return doc
}

func (p Printed) requests() paper.Part {
	y := p.Year
	part := paper.Part{Head: p.Say("submit.requests", "count", len(p.Sheet.Requests)), Bold: 1, Cols: []float64{0.07, 0.5, 0.11, 0.22, 0.1}}
	for i, e := range p.Sheet.Requests {
		span := y.Courses[e.Course].Spans[0]
		if p.Judgement != nil {
			span = p.Judgement.Packing.Spans[i]
		}
		part.Rows = append(part.Rows, []string{fmt.Sprint(i + 1), p.Title(e.Course), y.Codes[e.Course], p.Terms(span),
			p.amount(y.Courses[e.Course].Credits)})
	}
	return part
}

func (p Printed) alternates() paper.Part {
	part := paper.Part{Head: p.Say("submit.nothing")}
	if n := len(p.Sheet.Alternates); n > 0 {
		part.Head = p.Say("submit.alternates", "count", n)
	}
	part.Bold, part.Cols = 1, []float64{0.07, 0.5, 0.11, 0.32}
	for i, e := range p.Sheet.Alternates {
		tie := ""
		if e.StandsFor != sheet.Any {
			tie = p.Say("submit.standsFor", "course", p.Title(e.StandsFor))
		}
		part.Rows = append(part.Rows, []string{fmt.Sprint(i + 1), p.Title(e.Course), p.Year.Codes[e.Course], tie})
	}
	return part
}

// agreements are what is agreed to: fees, commitments, and what is to be known, each with a box to be ticked.
func (p Printed) agreements() paper.Part {
	part := paper.Part{Head: p.Say("paper.agree"), Cols: []float64{1}, Boxes: true}
	switch {
	case p.Kind == acts.WhatWas: // no one signs it any more, and the signatures on the sheet are not its own
		part.Head, part.Boxes = p.Say("paper.belongs"), false
	case p.HandedIn() && p.Row.State != string(acts.Submitted) && p.GuardianSigned(): // no guardian signs without agreeing
		part.Head, part.Boxes = p.Say("paper.agreed"), false
	}
	tag := p.L.Tag.String()
	for _, code := range p.Fees() {
		if course, ok := p.Year.Index(code); ok {
			part.Rows = append(part.Rows, []string{p.Say("paper.fee", "course", p.Title(course), "fee",
				p.amount(p.Year.Courses[course].Fee)+" "+p.Year.Policy.Settings.Currency)})
		}
	}
	for _, a := range p.Acknowledge() {
		part.Rows = append(part.Rows, []string{p.acknowledged(a)})
	}
	student, guardian := p.Agree()
	for i := range p.Year.Commitments {
		c := &p.Year.Commitments[i]
		for _, list := range [][]string{student, guardian} {
			if slices.Contains(list, c.ID) {
				part.Rows = append(part.Rows, []string{c.Text.In(tag)})
				break
			}
		}
	}
	return part
}

// acknowledged is what is to be known and holds nothing up: a rule that does not hold, or a condition that
// nothing meets.
func (p Printed) acknowledged(a appsheet.Acknowledgement) string {
	tag := p.L.Tag.String()
	if a.Rule != "" {
		for _, r := range p.Judgement.Rules {
			if rule := &p.Year.Rules[r.Rule]; rule.ID == a.Rule {
				numbers := p.amount(r.Measured)
				if rule.Max != nil && r.Measured > *rule.Max {
					numbers = p.Say("ledger.atMost", "has", p.amount(r.Measured), "max", p.amount(*rule.Max))
				} else if rule.Min != nil {
					numbers = p.Say("ledger.atLeast", "has", p.amount(r.Measured), "min", p.amount(*rule.Min))
				}
				return p.Say("ack.rule", "label", policy.Text{Own: rule.Label, By: rule.Labels}.In(tag), "numbers", numbers)
			}
		}
	}
	course, _ := p.Year.Index(a.Course)
	if a.Taking {
		return p.Say("ack.taking", "course", p.Title(course))
	}
	var needs []string
	for _, e := range p.Known.Explain(&p.Sheet, course) {
		if e.Verdict < condition.Expected {
			needs = append(needs, p.need(e.Leaf))
		}
	}
	return p.Say("ack.entry", "course", p.Title(course), "needs", strings.Join(needs, ", "))
}

// need is one thing that a condition asks for, in words.
func (p Printed) need(l *condition.Leaf) string {
	name, key := l.Name, "need."+l.Kind.String()
	if course, ok := p.Year.Index(l.Name); ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) {
		name = p.Title(course)
	}
	if l.HasAt && l.Kind != condition.Grade {
		key += "At"
	}
	return p.Say(key, "name", name, "at", p.amount(l.At))
}

func (p Printed) errands() paper.Part {
	part := paper.Part{Head: p.Say("errands.head"), Cols: []float64{0.45, 0.27, 0.28}}
	for _, r := range p.Known.Errands(&p.Sheet) {
		e := &p.Year.Errands[r.Errand]
		when := p.due(e.Due)
		if r.Settled {
			when = p.Say("errands.settled")
		}
		part.Rows = append(part.Rows, []string{e.Title, p.Title(e.Course), when})
	}
	return part
}

// latin is a language with the digits 0 to 9, which receipts and codes beside have too.
func latin(tag language.Tag) language.Tag {
	if with, err := tag.SetTypeForKey("nu", "latn"); err == nil {
		return with
	}
	return tag
}
