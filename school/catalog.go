package school

import (
	"context"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
)

// Catalog is the part of a school year that is the same for everybody.
type Catalog struct {
	School  string        `json:"school"`
	Name    string        `json:"name"`
	Year    string        `json:"year" doc:"The school year being asked for"`
	Version int64         `json:"version"`
	Periods credit.Amount `json:"periods" doc:"Periods a day"`
	Terms   []string      `json:"terms" doc:"Short names, in order"`
	Courses []Course      `json:"courses"`
	Rules   []Rule        `json:"rules"`
	Audits  []AuditHead   `json:"audits"`
}

// Course is a course as people see it.
type Course struct {
	Code        string        `json:"code"`
	Title       string        `json:"title"`
	Subject     string        `json:"subject" doc:"The subject area"`
	Subjects    []string      `json:"subjects"`
	Grades      []int         `json:"grades" doc:"Empty: every grade"`
	Credits     credit.Amount `json:"credits"`
	Load        credit.Amount `json:"load" doc:"Periods a day while it meets"`
	Spans       [][]int       `json:"spans" doc:"The alternatives for when it meets, each the positions of its terms"`
	VariantOf   string        `json:"variantOf,omitempty"`
	Links       []string      `json:"links,omitempty"`
	LeadsTo     []string      `json:"leadsTo,omitempty"`
	Tags        []string      `json:"tags,omitempty"`
	Fee         credit.Amount `json:"fee,omitempty"`
	Description string        `json:"description,omitempty"`
	Note        string        `json:"note,omitempty"`
	Entry       string        `json:"entry,omitempty" doc:"Its entry condition, in the condition language"`
}

// Rule is a rule of the policy as people see it.
type Rule struct {
	ID      string   `json:"id"`
	Label   string   `json:"label"`
	On      string   `json:"on" enum:"requests,alternates,both,earned,taken"`
	Measure string   `json:"measure" enum:"courses,credits,load"`
	Stance  string   `json:"stance" enum:"block,acknowledge,advise"`
	Courses []string `json:"courses" doc:"The courses it counts; empty: all"`
}

// AuditHead names a list of requirements and its entries.
type AuditHead struct {
	ID      string       `json:"id"`
	Label   string       `json:"label"`
	Entries []AuditLabel `json:"entries"`
}

// AuditLabel names one requirement.
type AuditLabel struct {
	ID    string `json:"id"`
	Label string `json:"label"`
}

func newCatalog(id string, version int64, b *bundle.Bundle) *Catalog {
	y := b.Year
	c := &Catalog{School: id, Name: b.SchoolName, Year: y.Policy.SchoolYear, Version: version, Periods: y.Capacity, Terms: y.Terms,
		Courses: []Course{}, Rules: []Rule{}, Audits: []AuditHead{}}
	for i := range y.Courses {
		c.Courses = append(c.Courses, newCourse(y, &y.Courses[i]))
	}
	for i := range y.Rules {
		r := &y.Rules[i]
		rule := Rule{ID: r.ID, Label: r.Label, On: string(r.On), Measure: string(r.Measure), Stance: string(r.Stance), Courses: []string{}}
		for k := range y.Courses {
			if r.Count.Has(int32(k)) {
				rule.Courses = append(rule.Courses, y.Courses[k].Code)
			}
		}
		if len(rule.Courses) == len(y.Courses) {
			rule.Courses = []string{}
		}
		c.Rules = append(c.Rules, rule)
	}
	for i := range y.Audits {
		a := y.Audits[i]
		head := AuditHead{ID: a.ID, Label: a.Label, Entries: []AuditLabel{}}
		for e := range a.Entries {
			head.Entries = append(head.Entries, AuditLabel{a.Entries[e].ID, a.Entries[e].Label})
		}
		c.Audits = append(c.Audits, head)
	}
	return c
}

func newCourse(y *catalog.Year, c *catalog.Compiled) Course {
	out := Course{Code: c.Code, Title: c.Title, Subject: c.Subjects[0], Subjects: c.Subjects, Grades: c.Grades, Credits: c.Credits, Load: c.Load,
		VariantOf: c.VariantOf, LeadsTo: c.LeadsTo, Tags: c.Tags, Fee: c.Fee, Description: c.Description, Note: c.Note, Links: c.Course.Links}
	if out.Grades == nil {
		out.Grades = []int{}
	}
	for _, s := range c.Spans {
		out.Spans = append(out.Spans, positions(s))
	}
	if c.Entry != nil {
		out.Entry = c.Entry.String()
	}
	return out
}

func positions(s catalog.TermSet) []int {
	list := []int{}
	for i := 0; s>>i != 0; i++ {
		if s>>i&1 == 1 {
			list = append(list, i)
		}
	}
	return list
}

// Catalog gives a school's catalog to anybody of the school.
func (s *Service) Catalog(ctx context.Context, username, school string) (*Catalog, error) {
	_, at, err := s.personIn(ctx, s.db.Queries(), username, school, ViewCatalog)
	if err != nil {
		return nil, err
	}
	return at.catalog, nil
}

// Need is one thing an entry condition asks for.
type Need struct {
	Kind  string         `json:"kind" enum:"passed,alongside,grade,score,recommended,permission,program,credits"`
	Name  string         `json:"name,omitempty" doc:"A course code, or the name of a score, permission, program or subject"`
	Title string         `json:"title,omitempty" doc:"Where the name is a course of the catalog"`
	At    *credit.Amount `json:"at,omitempty"`
}

func newNeed(y *catalog.Year, l *condition.Leaf) Need {
	n := Need{Kind: l.Kind.String(), Name: l.Name}
	if l.HasAt {
		n.At = &l.At
	}
	if i, ok := y.Index(l.Name); ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) {
		n.Title = y.Courses[i].Title
	}
	return n
}

func newNeeds(y *catalog.Year, leaves []*condition.Leaf) []Need {
	var list []Need
	for _, l := range leaves {
		list = append(list, newNeed(y, l))
	}
	return list
}
