package catalog

import (
	schoolyear "rubricon/app/year"
	"rubricon/core/catalog"
	"rubricon/core/policy"
	websheet "rubricon/web/sheet"
)

// newCatalog shows a school year, its texts in a language as far as the school has them in it.
func newCatalog(y *schoolyear.SchoolYear, language string, teachers map[string][]string) *Catalog {
	set := &y.Policy.Settings
	c := &Catalog{School: y.School, Name: y.Name, Year: y.Start, Label: y.Year.Policy.SchoolYear,
		Version: websheet.VersionOf(y), Periods: y.Capacity, Terms: y.Terms,
		Courses: []Course{}, Rules: []Rule{}, Audits: []AuditHead{}, Language: set.Language, Languages: set.Languages,
		Zone: set.TimeZone, Currency: set.Currency,
		Exchange: !set.NoExchange, Contacts: []Contact{}, Stages: []Stage{}, Welcome: []WelcomeWords{},
		Commitments: []CommitmentText{}, Errands: []ErrandText{}}
	if set.One.Own != "" {
		c.Unit = &Unit{set.One.In(language), set.Many.In(language)}
	}
	for i := range y.Courses {
		c.Courses = append(c.Courses, newCourse(&y.Courses[i], language, teachers[y.Codes[i]]))
	}
	for i := range y.Rules {
		r := &y.Rules[i]
		rule := Rule{ID: r.ID, Label: policy.Text{Own: r.Label, By: r.Labels}.In(language), On: string(r.On),
			Measure: string(r.Measure), Stance: string(r.Stance), Courses: []string{}}
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
		head := AuditHead{ID: a.ID, Label: policy.Text{Own: a.Label, By: a.Labels}.In(language), Entries: []AuditLabel{}}
		for e := range a.Entries {
			entry := &a.Entries[e]
			head.Entries = append(head.Entries, AuditLabel{entry.ID, policy.Text{Own: entry.Label, By: entry.Labels}.In(language)})
		}
		c.Audits = append(c.Audits, head)
	}
	for _, x := range set.Contacts {
		c.Contacts = append(c.Contacts, Contact(x))
	}
	for _, x := range set.Stages {
		c.Stages = append(c.Stages, Stage{x.From, x.Text.In(language)})
	}
	for _, x := range y.Policy.Welcome {
		c.Welcome = append(c.Welcome, WelcomeWords{append([]int{}, x.Grades...), x.Text.In(language)})
	}
	for i := range y.Commitments {
		c.Commitments = append(c.Commitments, CommitmentText{y.Commitments[i].ID, y.Commitments[i].Text.In(language)})
	}
	for i := range y.Errands {
		e := &y.Errands[i]
		c.Errands = append(c.Errands, ErrandText{Kind: e.Kind, Title: e.Title, Due: e.Due, Place: e.Place, Note: e.Note,
			Becomes: websheet.Codes(y.Year, e.Becomes)})
	}
	return c
}

func newCourse(c *catalog.Compiled, language string, teachers []string) Course {
	text := c.TextIn(language)
	out := Course{Code: c.Code, Title: text.Title, Subject: c.Subjects[0], Subjects: c.Subjects, Grades: c.Grades,
		Credits: c.Credits, Load: c.Load,
		VariantOf: c.VariantOf, LeadsTo: c.LeadsTo, Tags: c.Tags, Fee: c.Fee, Description: text.Description, Note: text.Note,
		Links:  c.Course.Links,
		Summer: c.Summer, Words: c.Synonyms, Teachers: teachers}
	if out.Grades == nil {
		out.Grades = []int{}
	}
	for _, s := range c.Spans {
		out.Spans = append(out.Spans, s.Positions())
	}
	return out
}
