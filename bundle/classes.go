package bundle

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"rubricon/core/catalog"
	"rubricon/core/policy"
)

// Section is a row of classes.csv. Terms is the set of terms it meets in, Days the days of the cycle, from 1.
type Section struct {
	Row     *Row
	ID      string
	Course  string
	Terms   catalog.TermSet
	Periods []int
	Days    []int
	Seats   int
	Teacher string
	Title   string
}

func (b *Bundle) classes(p *policy.Policy) {
	t := b.Tables["classes.csv"]
	ids := map[string]int{}
	byCode := map[string]*catalog.Course{}
	for i := range b.Courses {
		byCode[b.Courses[i].Code] = &b.Courses[i]
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		b.passed[t.Cell(r, "sourcedId")] = true // also one that is read, which is looked for among those first
		if code := b.CourseIDs[t.Cell(r, "courseSourcedId")]; b.summer[code] {
			b.notice(t, r, "courseSourcedId", "%s is a course of the summer round; the section takes no part", code)
			continue
		}
		if !b.needed(t, r, "sourcedId", "title", "courseSourcedId", "termSourcedIds", "metadata.seats") || !b.unique(t, r, "sourcedId", ids) {
			continue
		}
		s := Section{Row: r, ID: t.Cell(r, "sourcedId"), Title: t.Cell(r, "title"), Teacher: t.Cell(r, "metadata.teacher")}
		oneOf(b, t, r, "classType", "scheduled", "scheduled", "homeroom")
		s.Periods = b.numbers(t, r, "periods", p.Periods)
		if s.Days = b.numbers(t, r, "metadata.days", p.Days); len(s.Days) == 0 {
			for day := 1; day <= p.Days; day++ {
				s.Days = append(s.Days, day)
			}
		}
		seats, err := strconv.Atoi(t.Cell(r, "metadata.seats"))
		if err != nil || seats < 0 || seats > 100_000 {
			b.bad(t, r, "metadata.seats", "“%s” is not a number of seats; write a whole number", t.Cell(r, "metadata.seats"))
		}
		s.Seats = seats
		for _, id := range list(t.Cell(r, "termSourcedIds")) {
			terms, ok := b.termIDs[id]
			if !ok {
				b.bad(t, r, "termSourcedIds", "“%s” is not a term of the school year", id)
			}
			s.Terms |= terms
		}
		code, ok := b.CourseIDs[t.Cell(r, "courseSourcedId")]
		if !ok {
			if !b.Tables["courses.csv"].Deleted[t.Cell(r, "courseSourcedId")] {
				b.bad(t, r, "courseSourcedId", "no course has the id “%s”", t.Cell(r, "courseSourcedId"))
			}
			continue
		}
		s.Course = code
		meets := false
		for _, span := range byCode[code].Spans {
			meets = meets || span == s.Terms
		}
		if !meets {
			b.bad(t, r, "termSourcedIds", "the terms are not one of the spans of %s", code)
		}
		b.Sections = append(b.Sections, s)
	}
}

// TermIDs writes a set of terms as classes.csv does: the id of the session that is just these terms, else one for each.
func (b *Bundle) TermIDs(terms catalog.TermSet) string {
	var each []string
	for i := range b.Frame.Terms {
		for _, id := range slices.Sorted(maps.Keys(b.termIDs)) {
			switch b.termIDs[id] {
			case terms:
				return id
			case 1 << i:
				if terms>>i&1 == 1 {
					each = append(each, id)
				}
			}
		}
	}
	return strings.Join(each, ",")
}
