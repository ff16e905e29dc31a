package catalog

import (
	"rubricon/core/credit"
)

// Catalog is the part of a school year that is the same for everybody.
type Catalog struct {
	School  string        `json:"school"`
	Name    string        `json:"name"`
	Year    int           `json:"year" doc:"The calendar year in which the school year begins"`
	Label   string        `json:"label" doc:"The school year, such as 2027-28"`
	Version string        `json:"version"`
	Periods credit.Amount `json:"periods" doc:"Periods a day"`
	Terms   []string      `json:"terms" doc:"Short names, in order"`
	Courses []Course      `json:"courses"`
	Rules   []Rule        `json:"rules"`
	Audits  []AuditHead   `json:"audits"`

	Language    string           `json:"language" doc:"The school's language, in which texts are where they are not in the one asked for"`
	Languages   []string         `json:"languages" doc:"Those offered to families"`
	Zone        string           `json:"zone" doc:"IANA time zone of the school"`
	Currency    string           `json:"currency" doc:"Of fees, ISO 4217"`
	Unit        *Unit            `json:"unit,omitempty" doc:"What the school calls its credits, where it has a name of its own"`
	Exchange    bool             `json:"exchange" doc:"Whether a family may exchange what the school has assigned and not fixed"`
	Contacts    []Contact        `json:"contacts" doc:"Whom to ask"`
	Stages      []Stage          `json:"stages" doc:"What happens when"`
	Welcome     []WelcomeWords   `json:"welcome" doc:"The school's own words, by grade"`
	Commitments []CommitmentText `json:"commitments"`
	Errands     []ErrandText     `json:"errands"`
	NotRunning  []StoppedCourse  `json:"notRunning,omitempty" doc:"Courses that do not run"`
}

// StoppedCourse is a course that does not run.
type StoppedCourse struct {
	Course string `json:"course"`
	Reason string `json:"reason"`
}

// Unit is a word for a unit, for one and for several.
type Unit struct {
	One   string `json:"one"`
	Other string `json:"other"`
}

// Contact is someone to ask.
type Contact struct {
	For   string `json:"for" enum:"courses,readiness,technical"`
	Name  string `json:"name,omitempty"`
	Phone string `json:"phone,omitempty"`
	Mail  string `json:"mail,omitempty"`
	Book  string `json:"book,omitempty" doc:"An https address where a meeting can be booked"`
}

// Stage is what happens when.
type Stage struct {
	From string `json:"from" doc:"A date, or a date and time, in the school's time zone"`
	Text string `json:"text"`
}

// WelcomeWords are the school's own words for grades.
type WelcomeWords struct {
	Grades []int  `json:"grades" doc:"Empty: every grade"`
	Text   string `json:"text"`
}

// CommitmentText is what is agreed to.
type CommitmentText struct {
	ID   string `json:"id"`
	Text string `json:"text"`
}

// ErrandText is what the choice of a course brings with it outside the sheet.
type ErrandText struct {
	Kind    string   `json:"kind" enum:"test,audition,application,form,meeting,other"`
	Title   string   `json:"title"`
	Due     string   `json:"due,omitempty" doc:"A date, or a date and time, in the school's time zone"`
	Place   string   `json:"place,omitempty"`
	Note    string   `json:"note,omitempty"`
	Becomes []string `json:"becomes,omitempty" doc:"On a placeholder: the courses of which one replaces it"`
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
	Summer      bool          `json:"summer,omitempty" doc:"Of the summer round"`
	Words       []string      `json:"words,omitempty" doc:"Everyday words for it"`
	Teachers    []string      `json:"teachers,omitempty" doc:"Who teaches it now"`
}

// Rule is a rule of the policy as people see it.
type Rule struct {
	ID      string   `json:"id"`
	Label   string   `json:"label"`
	On      string   `json:"on" enum:"requests,alternates,both,earned,taken,summer"`
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
