package sheet

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/text/collate"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/locales"
	"rubricon/paper"
	"rubricon/web/server"
)

// worksheetRoute is that of the grade's worksheet.
func (s *Routes) worksheetRoute(api huma.API) {
	type in struct {
		server.OnSheet
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which it is written"`
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-worksheet", http.MethodGet,
		server.StudentPath+"/worksheet.pdf",
		"For thinking on paper: what the school will check, and the courses offered to the student by subject, with credits and conditions"),
		"application/pdf"),
		func(ctx context.Context, by int64, in *in) (*FileOut, error) {
			d, err := s.cases.Sheet.Sheet(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			pdf, err := Printed{Desk: d, L: Reads(ctx, in.Language)}.worksheet().PDF()
			if err != nil {
				return nil, err
			}
			return PDFOut("worksheet.pdf", pdf), nil
		})
}

// Reads is the language in which a document is written: the one asked for, else the reader's.
func Reads(ctx context.Context, language string) *locales.Locale {
	if language == "" {
		language = server.RequestOf(ctx).Reads
	}
	return locales.Match(language)
}

func (p Printed) worksheet() *paper.Worksheet {
	y, tag := p.Year, p.L.Tag.String()
	w := &paper.Worksheet{Language: tag, Page: p.Say("paper.page"), Foot: fmt.Sprintf("%s · %s", y.Name, y.Year.Policy.SchoolYear),
		Title:     p.Say("worksheet.title", "grade", p.Row.Grade, "school", y.Name, "year", y.Year.Policy.SchoolYear),
		Lead:      []string{p.Say("worksheet.lead")},
		RulesHead: p.Say("worksheet.rules"), Mine: p.Say("worksheet.mine"), YearHead: p.Say("worksheet.year"), Periods: y.Policy.Periods}
	for _, x := range y.Policy.Welcome {
		if len(x.Grades) == 0 || slices.Contains(x.Grades, p.Row.Grade) {
			w.Lead = append(w.Lead, x.Text.In(tag))
		}
	}
	for i := range y.Terms {
		w.Terms = append(w.Terms, p.Terms(1<<i))
	}
	if p.Judgement != nil {
		for _, r := range p.Judgement.Rules {
			rule := &y.Rules[r.Rule]
			w.Rules = append(w.Rules, paper.WorksheetRule{Label: policy.Text{Own: rule.Label, By: rule.Labels}.In(tag), Wants: p.wants(rule)})
		}
	}
	bySubject := map[string][]paper.WorksheetCourse{}
	for i := range y.Courses {
		course, c := int32(i), &y.Courses[i]
		if p.Known.Barred(course) || p.Known.AlreadyEarned(course) {
			continue
		}
		when := p.Say("finder.summer")
		if !c.Summer {
			var spans []string
			for _, span := range c.Spans {
				spans = append(spans, p.Terms(span))
			}
			if when = strings.Join(spans, p.Say("or")); len(spans) == len(y.Terms) && len(spans) > 1 {
				when = p.Say("anyTerm")
			}
		}
		note := ""
		if c.Entry != nil {
			note = p.Say("worksheet.needs", "needs", p.asks(c.Entry, false))
		}
		bySubject[c.Subjects[0]] = append(bySubject[c.Subjects[0]],
			paper.WorksheetCourse{Title: p.Title(course), End: fmt.Sprintf("%s · %s · %s", c.Code, when, p.amount(c.Credits)), Note: note})
	}
	order := collate.New(p.L.Tag)
	for subject, courses := range bySubject {
		slices.SortFunc(courses, func(a, b paper.WorksheetCourse) int {
			return cmp.Or(order.CompareString(a.Title, b.Title), strings.Compare(a.End, b.End))
		})
		w.Subjects = append(w.Subjects, paper.WorksheetSubject{Head: subject, Courses: courses})
	}
	slices.SortFunc(w.Subjects, func(a, b paper.WorksheetSubject) int { return order.CompareString(a.Head, b.Head) })
	return w
}

// wants is what a rule asks for, in words: “1 to 2 credits”, “up to 3 courses”.
func (p Printed) wants(rule *catalog.Rule) string {
	measure, least, most := string(rule.Measure), rule.Min, rule.Max
	if rule.On == policy.Alternates && rule.Measure == policy.Courses {
		measure = "alternates"
	}
	much := func(a credit.Amount) string {
		count := 2 // what is not whole is spoken of like two
		if a%credit.One == 0 {
			count = int(a / credit.One)
		}
		if set := &p.Year.Policy.Settings; measure == "credits" && set.One.Own != "" {
			unit := set.Many
			if count == 1 {
				unit = set.One
			}
			return p.Say("measure.unit", "word", p.amount(a), "unit", unit.In(p.L.Tag.String()))
		}
		return p.Say("measure."+measure, "count", count, "word", p.amount(a))
	}
	switch {
	case least != nil && most != nil && *least == *most:
		return much(*least)
	case least != nil && most != nil:
		return p.Say("worksheet.between", "min", p.amount(*least), "much", much(*most))
	case least != nil:
		return p.Say("worksheet.atLeast", "much", much(*least))
	case most != nil:
		return p.Say("worksheet.upTo", "much", much(*most))
	}
	return ""
}

// asks is an entry condition in words; inside: within another.
func (p Printed) asks(c *condition.Condition, inside bool) string {
	if c.Op == condition.Single {
		return p.need(&c.Leaf)
	}
	parts := make([]string, len(c.Parts))
	for i, part := range c.Parts {
		parts[i] = p.asks(part, true)
	}
	text := ""
	switch c.Op {
	case condition.Or:
		text = strings.Join(parts, p.Say("or"))
	case condition.And:
		last := len(parts) - 1
		text = p.Say("list", "head", strings.Join(parts[:last], p.Say("listComma")), "last", parts[last])
	default:
		return p.Say("worksheet.some", "n", c.N, "of", strings.Join(parts, p.Say("listComma")))
	}
	if inside {
		return "(" + text + ")"
	}
	return text
}
