package web

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
)

// paperRoutes are those of what is printed.
func (s *Server) paperRoutes(api huma.API) {
	type paperIn struct {
		OnSheet
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which it is written"`
		Receipt  string `query:"receipt" maxLength:"40" doc:"As it was handed in with this receipt"`
	}
	signedIn(s, api, gives(operation("get-paper", http.MethodGet, sheetPath+"/paper.pdf", "The sheet to be printed: what was submitted with its receipt and lines to sign on, or the sheet as it is where nothing was"), "application/pdf"),
		func(ctx context.Context, by int64, in *paperIn) (*fileOut, error) {
			var d *appsheet.Desk
			var err error
			if in.Receipt != "" {
				d, err = s.cases.Sheet.Handed(ctx, by, in.place(), in.Receipt)
			} else {
				d, err = s.cases.Sheet.Sheet(ctx, by, in.place())
			}
			if err != nil {
				return nil, err
			}
			p := printed{d.AsSubmitted(), d.Changed, reads(ctx, in.Language)}
			pdf, err := paper.PDF(p.document())
			if err != nil {
				return nil, err
			}
			return pdfOut("sheet.pdf", pdf), nil
		})
	s.worksheetRoute(api)
}

// fileOut is a document to be taken.
type fileOut struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               []byte
}

func pdfOut(name string, pdf []byte) *fileOut {
	return &fileOut{"application/pdf", mime.FormatMediaType("attachment", map[string]string{"filename": name}), pdf}
}

// printed is a sheet that is written out in a language.
type printed struct {
	*appsheet.Desk
	since bool // the sheet has been changed since this was submitted
	l     *locales.Locale
}

func (p printed) say(key string, args ...any) string {
	named := map[string]any{}
	for i := 0; i+1 < len(args); i += 2 {
		named[fmt.Sprint(args[i])] = args[i+1]
	}
	return p.l.Text(key, named)
}

func (p printed) title(course int32) string {
	return p.Year.Courses[course].TextIn(p.l.Tag.String()).Title
}

// amount writes a number of hundredths as the reader writes numbers.
func (p printed) amount(a credit.Amount) string {
	return message.NewPrinter(latin(p.l.Tag)).Sprint(number.Decimal(float64(a)/float64(credit.One), number.MaxFractionDigits(2)))
}

// day writes a date with its weekday, and the time where it has one.
func (p printed) day(at time.Time, clock bool) string {
	text := p.l.Day(at)
	if clock {
		text += at.Format(", 15:04 MST")
	}
	return text
}

// due writes a date as an errand has it, in the school's own zone.
func (p printed) due(written string) string {
	if at, err := time.Parse("2006-01-02T15:04", written); err == nil {
		return p.day(at, false) + at.Format(", 15:04")
	}
	if at, err := time.Parse(time.DateOnly, written); err == nil {
		return p.day(at, false)
	}
	return p.say("errands.open")
}

func (p printed) terms(set catalog.TermSet) string {
	if set == p.Year.AllTerms() {
		return p.say("wholeYear")
	}
	var names []string
	for _, name := range p.Year.TermNames(set) {
		if key := "term." + name; p.l.Has(key) {
			name = p.say(key)
		}
		names = append(names, name)
	}
	return strings.Join(names, ", ")
}

// document is the sheet as a letter that can be signed.
func (p printed) document() *paper.Document {
	y, row := p.Year, &p.Row
	name := p.Pupil.GivenName + " " + p.Pupil.FamilyName
	zone := y.Zone()
	doc := &paper.Document{Language: p.l.Tag.String(), Page: p.say("paper.page"), Foot: p.say("paper.foot", "name", name, "school", y.Name, "year", y.Year.Policy.SchoolYear),
		Title: p.say("submit.sheetOf", "name", name, "grade", row.Grade, "school", y.Name, "year", y.Year.Policy.SchoolYear)}
	if p.Pupil.CounselorName != "" {
		doc.Lead = append(doc.Lead, p.say("paper.counselor", "who", p.Pupil.CounselorName))
	}
	switch {
	case p.Draft != nil:
		doc.Lead = append(doc.Lead, p.say("paper.draft", "name", p.Draft.Name))
	case p.Kind == acts.WhatWas:
		doc.Lead = append(doc.Lead, p.say("submit.receipt", "receipt", *row.Receipt)+" · "+p.say("submit.receiptAt", "time", p.day(row.SubmittedAt.In(zone), true)), p.say("paper.past"))
	case p.HandedIn() && row.Receipt != nil && row.SubmittedAt != nil:
		doc.Lead = append(doc.Lead, p.say("submit.receipt", "receipt", *row.Receipt)+" · "+p.say("submit.receiptAt", "time", p.day(row.SubmittedAt.In(zone), true)))
		if p.since {
			doc.Lead = append(doc.Lead, p.say("paper.since"))
		}
		for _, x := range row.Signatures.V {
			key := "paper.signed"
			if x.PaperBy != "" {
				key = "paper.signedOnPaper"
			} else if x.ForFamily {
				key = "paper.signedFor"
			}
			doc.Lead = append(doc.Lead, p.say(key, "name", x.Name, "by", x.PaperBy, "time", p.day(x.At.In(zone), true)))
		}
		if row.State == string(acts.Submitted) { // a signature is still wanted
			doc.Code, doc.CodeNote = receipt.Code(*row.Receipt), p.say("paper.code")
			doc.Sign = []string{p.say("paper.signStudent", "name", name), p.say("paper.signGuardian")}
		}
	default:
		doc.Lead = append(doc.Lead, p.say("paper.notHandedIn"))
	}
	doc.Lead = append(doc.Lead, p.say("submit.what"))
	doc.Parts = append(doc.Parts, p.requests(), p.alternates())
	if len(p.Sheet.Summer) > 0 {
		part := paper.Part{Head: p.say("submit.summer"), Cols: []float64{0.8, 0.2}}
		for _, e := range p.Sheet.Summer {
			part.Rows = append(part.Rows, []string{p.title(e.Course), p.amount(y.Courses[e.Course].Credits)})
		}
		if s := p.Desk.Summer(); s.Apart() { // it is handed in by itself
			state := p.say("summer.notHanded")
			if s.Handed {
				handed := p.Row.SheetState.Summer.V
				state = p.say("summer.handed", "time", p.day(handed.At.In(zone), true), "receipt", handed.Receipt)
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

func (p printed) requests() paper.Part {
	y := p.Year
	part := paper.Part{Head: p.say("submit.requests", "count", len(p.Sheet.Requests)), Bold: 1, Cols: []float64{0.07, 0.5, 0.11, 0.22, 0.1}}
	for i, e := range p.Sheet.Requests {
		span := y.Courses[e.Course].Spans[0]
		if p.Judgement != nil {
			span = p.Judgement.Packing.Spans[i]
		}
		part.Rows = append(part.Rows, []string{fmt.Sprint(i + 1), p.title(e.Course), y.Codes[e.Course], p.terms(span), p.amount(y.Courses[e.Course].Credits)})
	}
	return part
}

func (p printed) alternates() paper.Part {
	part := paper.Part{Head: p.say("submit.nothing")}
	if n := len(p.Sheet.Alternates); n > 0 {
		part.Head = p.say("submit.alternates", "count", n)
	}
	part.Bold, part.Cols = 1, []float64{0.07, 0.5, 0.11, 0.32}
	for i, e := range p.Sheet.Alternates {
		tie := ""
		if e.StandsFor != sheet.Any {
			tie = p.say("submit.standsFor", "course", p.title(e.StandsFor))
		}
		part.Rows = append(part.Rows, []string{fmt.Sprint(i + 1), p.title(e.Course), p.Year.Codes[e.Course], tie})
	}
	return part
}

// agreements are what is agreed to: fees, commitments, and what is to be known, each with a box to be ticked.
func (p printed) agreements() paper.Part {
	part := paper.Part{Head: p.say("paper.agree"), Cols: []float64{1}, Boxes: true}
	switch {
	case p.Kind == acts.WhatWas: // nobody signs it any more, and the signatures on the sheet are not its own
		part.Head, part.Boxes = p.say("paper.belongs"), false
	case p.HandedIn() && p.Row.State != string(acts.Submitted) && p.GuardianSigned(): // no guardian signs without agreeing
		part.Head, part.Boxes = p.say("paper.agreed"), false
	}
	tag := p.l.Tag.String()
	for _, code := range p.Fees() {
		if course, ok := p.Year.Index(code); ok {
			part.Rows = append(part.Rows, []string{p.say("paper.fee", "course", p.title(course), "fee", p.amount(p.Year.Courses[course].Fee)+" "+p.Year.Policy.Settings.Currency)})
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

// acknowledged is what is to be known and holds nothing up: a rule that does not hold, or a condition that nothing meets.
func (p printed) acknowledged(a appsheet.Acknowledgement) string {
	tag := p.l.Tag.String()
	if a.Rule != "" {
		for _, r := range p.Judgement.Rules {
			if rule := &p.Year.Rules[r.Rule]; rule.ID == a.Rule {
				numbers := p.amount(r.Measured)
				if rule.Max != nil && r.Measured > *rule.Max {
					numbers = p.say("ledger.atMost", "has", p.amount(r.Measured), "max", p.amount(*rule.Max))
				} else if rule.Min != nil {
					numbers = p.say("ledger.atLeast", "has", p.amount(r.Measured), "min", p.amount(*rule.Min))
				}
				return p.say("ack.rule", "label", policy.Text{Own: rule.Label, By: rule.Labels}.In(tag), "numbers", numbers)
			}
		}
	}
	course, _ := p.Year.Index(a.Course)
	if a.Taking {
		return p.say("ack.taking", "course", p.title(course))
	}
	var needs []string
	for _, e := range p.Known.Explain(&p.Sheet, course) {
		if e.Verdict < condition.Expected {
			needs = append(needs, p.need(e.Leaf))
		}
	}
	return p.say("ack.entry", "course", p.title(course), "needs", strings.Join(needs, ", "))
}

// need is one thing that a condition asks for, in words.
func (p printed) need(l *condition.Leaf) string {
	name, key := l.Name, "need."+l.Kind.String()
	if course, ok := p.Year.Index(l.Name); ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) {
		name = p.title(course)
	}
	if l.HasAt && l.Kind != condition.Grade {
		key += "At"
	}
	return p.say(key, "name", name, "at", p.amount(l.At))
}

func (p printed) errands() paper.Part {
	part := paper.Part{Head: p.say("errands.head"), Cols: []float64{0.45, 0.27, 0.28}}
	for _, r := range p.Known.Errands(&p.Sheet) {
		e := &p.Year.Errands[r.Errand]
		when := p.due(e.Due)
		if r.Settled {
			when = p.say("errands.settled")
		}
		part.Rows = append(part.Rows, []string{e.Title, p.title(e.Course), when})
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
