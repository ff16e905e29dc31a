package bundle

import (
	"errors"
	"strings"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

func (b *Bundle) spans(t *Table, r *Row) (spans []catalog.TermSet) {
	text := t.Cell(r, "metadata.span")
	if text == "" {
		text = "year"
	}
	add := func(s catalog.TermSet) {
		for _, have := range spans {
			if have == s {
				return
			}
		}
		spans = append(spans, s)
	}
	for _, part := range strings.Split(text, "|") {
		switch part = strings.TrimSpace(part); part {
		case "year":
			add(1<<len(b.Frame.Terms) - 1)
		case "any":
			for i := range b.Frame.Terms {
				add(1 << i)
			}
		default:
			var s catalog.TermSet
			for _, name := range strings.Split(part, "+") {
				name = strings.TrimSpace(name)
				found := false
				for i, term := range b.Frame.Terms {
					if term == name {
						found = true
						s |= 1 << i
					}
				}
				if !found && len(b.Frame.Terms) > 0 {
					b.bad(t, r, "metadata.span", "“%s” is not a term; the terms are %s", name, strings.Join(b.Frame.Terms, ", "))
					return []catalog.TermSet{1}
				}
			}
			add(s)
		}
	}
	return spans
}

// MaxLoad is the largest load a course may have, in hundredths of a period.
const MaxLoad = 100 * credit.One

func (b *Bundle) courses() map[string]*Row {
	t := b.Tables["courses.csv"]
	ids, codes := map[string]int{}, map[string]int{}
	rows := map[string]*Row{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "title", "courseCode", "subjects") ||
			!b.unique(t, r, "sourcedId", ids) || !b.unique(t, r, "courseCode", codes) {
			continue
		}
		c := catalog.Course{
			Code: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Grades: b.grades(t, r, "grades"), Subjects: list(t.Cell(r, "subjects")),
			Credits: b.amount(t, r, "metadata.credits", 0), Load: b.amount(t, r, "metadata.load", credit.One),
			Fee:   b.amount(t, r, "metadata.fee", 0),
			Spans: b.spans(t, r),
			Links: list(t.Cell(r, "metadata.links")), Excludes: list(t.Cell(r, "metadata.excludes")), LeadsTo: list(t.Cell(r, "metadata.leadsTo")),
			VariantOf: t.Cell(r, "metadata.variantOf"), Tags: list(t.Cell(r, "metadata.tags")),
			Description: t.Cell(r, "metadata.description"), Note: t.Cell(r, "metadata.note"),
			EntryStance: oneOf(b, t, r, "metadata.entryStance", policy.Block, policy.Block, policy.Acknowledge, policy.Advise),
			Access:      oneOf(b, t, r, "metadata.access", catalog.Open, catalog.Open, catalog.Invited, catalog.Application),
			Repeatable:  oneOf(b, t, r, "metadata.repeatable", "false", "true", "false") == "true",
			Summer:      oneOf(b, t, r, "metadata.round", "year", "year", "summer") == "summer",
			Synonyms:    list(t.Cell(r, "metadata.synonyms")), Usual: b.grades(t, r, "metadata.usual"), Texts: texts(t, r),
		}
		b.summer[c.Code] = c.Summer
		if len(c.Subjects) == 0 {
			b.bad(t, r, "subjects", "is empty")
		}
		if c.Load > MaxLoad {
			b.bad(t, r, "metadata.load", "is more than %v periods a day", MaxLoad)
		}
		c.Entry = b.condition(t, r, "metadata.entry")
		b.CourseIDs[t.Cell(r, "sourcedId")] = c.Code
		rows[c.Code] = r
		b.Courses = append(b.Courses, c)
	}
	return rows
}

// condition reads a cell in the condition language; nil where it is empty, or bad.
func (b *Bundle) condition(t *Table, r *Row, column string) *condition.Condition {
	text := t.Cell(r, column)
	if strings.TrimSpace(text) == "" {
		return nil
	}
	c, err := condition.Parse(text)
	if err != nil {
		b.bad(t, r, column, "%v", err)
	}
	return c
}

// texts reads what a course says of itself in further languages: columns such as metadata.title.es.
func texts(t *Table, r *Row) map[string]catalog.Text {
	var all map[string]catalog.Text
	for i, column := range t.Header {
		for k, prefix := range [...]string{"metadata.title.", "metadata.description.", "metadata.note."} {
			language, ok := strings.CutPrefix(column, prefix)
			if !ok || r.Cells[i] == "" || !policy.IsLanguage(language) {
				continue
			}
			if all == nil {
				all = map[string]catalog.Text{}
			}
			text := all[language]
			*[...]*string{&text.Title, &text.Description, &text.Note}[k] = r.Cells[i]
			all[language] = text
		}
	}
	return all
}

func (b *Bundle) compile(p *policy.Policy, rows map[string]*Row, errandRows []*Row) {
	var errs []error
	b.Year, errs = catalog.Compile(b.Frame, b.Courses, b.Errands, p)
	for _, err := range errs {
		var ref *catalog.ReferenceError
		if errors.As(err, &ref) && ref.Course != "" {
			b.bad(b.Tables["courses.csv"], rows[ref.Course], ref.Field, "%s", ref.What)
		} else if ref != nil && ref.Errand > 0 {
			b.bad(b.Tables["errands.csv"], errandRows[ref.Errand-1], ref.Field, "%s", ref.What)
		} else if ref != nil && ref.Commitment != "" {
			b.problem(Problem{File: "policy.json", Line: 1, Column: "commitments." + ref.Commitment + "." + ref.Field, What: ref.What})
		} else {
			b.problem(Problem{File: "policy.json", Line: 1, Column: "rules." + ref.Rule + "." + ref.Field, What: ref.What})
		}
	}
}
