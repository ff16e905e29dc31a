package bundle

import (
	"fmt"
	"sort"
	"strings"
	"time"

	"rubricon/core/catalog"
	"rubricon/core/policy"
)

// Dates returns the first and the last day of some terms of the year, as they are written in academicSessions.csv.
func (b *Bundle) Dates(terms catalog.TermSet) (begin, end string) {
	return (&catalog.Year{Frame: b.Frame}).SpanOf(terms)
}

func (b *Bundle) sessions(p *policy.Policy) {
	t := b.Tables["academicSessions.csv"]
	seen := map[string]int{}
	var years, named []*Row
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "title") || !b.unique(t, r, "sourcedId", seen) {
			continue
		}
		kind := oneOf(b, t, r, "type", "", "schoolYear", "semester", "term", "gradingPeriod")
		for _, column := range []string{"startDate", "endDate"} {
			if _, err := time.Parse(time.DateOnly, t.Cell(r, column)); err != nil {
				b.bad(t, r, column, "“%s” is not a date; write it like 2027-09-01", t.Cell(r, column))
			}
		}
		if kind == "schoolYear" {
			years = append(years, r)
			if t.Cell(r, "title") == p.SchoolYear {
				named = append(named, r)
			}
		}
	}
	if len(named) == 0 {
		named = years
	}
	if len(named) != 1 {
		b.Problems = append(b.Problems, Problem{File: t.Name, Line: 1, Column: "title",
			What: fmt.Sprintf("there are %d school years; exactly one must have the title %s of the policy", len(years), p.SchoolYear)})
		return
	}
	b.year = t.Cell(named[0], "sourcedId")
	var terms []*Row
	titles := map[string]int{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if t.Cell(r, "parentSourcedId") != b.year || t.Cell(r, "sourcedId") == b.year {
			continue
		}
		title := t.Cell(r, "title")
		if strings.ContainsAny(title, "|+,") || title == "year" || title == "any" {
			b.bad(t, r, "title", "a term's title must not contain |, + or a comma, nor be “year” or “any”")
		}
		b.unique(t, r, "title", titles)
		terms = append(terms, r)
	}
	sort.SliceStable(terms, func(i, j int) bool {
		a, c := t.Cell(terms[i], "startDate"), t.Cell(terms[j], "startDate")
		if a != c {
			return a < c
		}
		return t.Cell(terms[i], "sourcedId") < t.Cell(terms[j], "sourcedId")
	})
	if len(terms) == 0 || len(terms) > catalog.MaxTerms {
		b.bad(t, named[0], "sourcedId", "the school year has %d terms; it must have 1 to %d", len(terms), catalog.MaxTerms)
		return
	}
	for i, r := range terms {
		b.Frame.Terms = append(b.Frame.Terms, t.Cell(r, "title"))
		b.Frame.Dates = append(b.Frame.Dates, [2]string{t.Cell(r, "startDate"), t.Cell(r, "endDate")})
		b.termIDs[t.Cell(r, "sourcedId")] = 1 << i
	}
	b.termIDs[b.year] = 1<<len(terms) - 1
}
