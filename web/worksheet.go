package web

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
)

// worksheetRoute is that of the grade's worksheet.
func (s *Server) worksheetRoute(api huma.API) {
	type in struct {
		OnSheet
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which it is written"`
	}
	signedIn(s, api, gives(operation("get-worksheet", http.MethodGet, studentPath+"/worksheet.pdf", "For thinking on paper: what the school will check, and the courses offered to the student by subject, with credits and conditions"), "application/pdf"),
		func(ctx context.Context, by int64, in *in) (*fileOut, error) {
			d, err := s.cases.Sheet.Sheet(ctx, by, in.place())
			if err != nil {
				return nil, err
			}
			pdf, err := printed{Desk: d, l: reads(ctx, in.Language)}.worksheet().PDF()
			if err != nil {
				return nil, err
			}
			return pdfOut("worksheet.pdf", pdf), nil
		})
}

// reads is the language in which a document is written: the one asked for, else the reader's.
func reads(ctx context.Context, language string) *locales.Locale {
	if language == "" {
		language = requestOf(ctx).reads
	}
	return locales.Match(language)
}

func (p printed) worksheet() *paper.Worksheet {
	y, tag := p.Year, p.l.Tag.String()
	w := &paper.Worksheet{Language: tag, Page: p.say("paper.page"), Foot: fmt.Sprintf("%s · %s", y.Name, y.Year.Policy.SchoolYear),
		Title: p.say("worksheet.title", "grade", p.Row.Grade, "school", y.Name, "year", y.Year.Policy.SchoolYear), Lead: []string{p.say("worksheet.lead")},
		RulesHead: p.say("worksheet.rules"), Mine: p.say("worksheet.mine"), YearHead: p.say("worksheet.year"), Periods: y.Policy.Periods}
	for _, x := range y.Policy.Welcome {
		if len(x.Grades) == 0 || slices.Contains(x.Grades, p.Row.Grade) {
			w.Lead = append(w.Lead, x.Text.In(tag))
		}
	}
	for i := range y.Terms {
		w.Terms = append(w.Terms, p.terms(1<<i))
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
		when := p.say("finder.summer")
		if !c.Summer {
			var spans []string
			for _, span := range c.Spans {
				spans = append(spans, p.terms(span))
			}
			if when = strings.Join(spans, p.say("or")); len(spans) == len(y.Terms) && len(spans) > 1 {
				when = p.say("anyTerm")
			}
		}
		note := ""
		if c.Entry != nil {
			note = p.say("worksheet.needs", "needs", p.asks(c.Entry, false))
		}
		bySubject[c.Subjects[0]] = append(bySubject[c.Subjects[0]], paper.WorksheetCourse{Title: p.title(course), End: fmt.Sprintf("%s · %s · %s", c.Code, when, p.amount(c.Credits)), Note: note})
	}
	order := collate.New(p.l.Tag)
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
func (p printed) wants(rule *catalog.Rule) string {
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
			return p.say("measure.unit", "word", p.amount(a), "unit", unit.In(p.l.Tag.String()))
		}
		return p.say("measure."+measure, "count", count, "word", p.amount(a))
	}
	switch {
	case least != nil && most != nil && *least == *most:
		return much(*least)
	case least != nil && most != nil:
		return p.say("worksheet.between", "min", p.amount(*least), "much", much(*most))
	case least != nil:
		return p.say("worksheet.atLeast", "much", much(*least))
	case most != nil:
		return p.say("worksheet.upTo", "much", much(*most))
	}
	return ""
}

// asks is an entry condition in words; inside: within another.
func (p printed) asks(c *condition.Condition, inside bool) string {
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
		text = strings.Join(parts, p.say("or"))
	case condition.And:
		last := len(parts) - 1
		text = p.say("list", "head", strings.Join(parts[:last], p.say("listComma")), "last", parts[last])
	default:
		return p.say("worksheet.some", "n", c.N, "of", strings.Join(parts, p.say("listComma")))
	}
	if inside {
		return "(" + text + ")"
	}
	return text
}
