// Package policy is a school's rules as data: counting rules, audits and groups of courses, read from policy.json.
//
// A rule is one sentence of one form: the MEASURE of the courses OF a selection, ON part of the picture, lies between
// MIN and MAX, WHEN another count holds.
package policy

import (
	"slices"

	"rubricon/core/credit"
)

// Stance says what a rule that does not hold does.
type Stance string

// The stances. The empty stance is Block.
const (
	Block       Stance = "block"       // the sheet cannot be submitted
	Acknowledge Stance = "acknowledge" // it can, once someone says they have seen it
	Advise      Stance = "advise"      // it is only said
)

// Measure is what is counted.
type Measure string

// The measures.
const (
	Courses Measure = "courses"
	InCred  Measure = "credits"
	Load    Measure = "load"
)

// On is the part of the picture that is counted.
type On string

// The parts of the picture.
const (
	Requests   On = "requests"
	Alternates On = "alternates"
	Both       On = "both"
	Earned     On = "earned"   // courses with an earned or transfer record
	Taken      On = "taken"    // those, the ones in progress, and the requests
	Summer     On = "summer"   // what is requested for the summer
	Sections   On = "sections" // the chosen sections; in Fill alone
)

// Selection picks courses. A course is selected when any of Subjects, Tags or Courses names it (every course
// is where they and Periods are nil) and Not does not. Group, when set, stands for the named group and the
// rest is empty. Periods, in Fill alone, is one more way in which a section is selected: by meeting in one of
// them.
type Selection struct {
	Group    string
	Subjects []string
	Tags     []string
	Courses  []string
	Periods  []int
	Not      *Selection
}

// Count is a measure of selected courses with inclusive bounds in hundredths; a nil bound is not checked.
type Count struct {
	Of      Selection
	On      On
	Measure Measure
	Term    string // empty: the whole year
	Min     *credit.Amount
	Max     *credit.Amount
}

// Rule is one counting rule.
type Rule struct {
	ID     string
	Label  string
	Labels map[string]string // by language, where it is given in several
	Count
	Grades   []int    // nil: every grade; empty: none
	Programs []string // nil: everyone; empty: no one
	Stance   Stance
	When     *Count
}

// Requirement is one entry of an audit.
type Requirement struct {
	ID      string
	Label   string
	Labels  map[string]string
	Credits credit.Amount
	Of      Selection
	Each    *credit.Amount // credits wanted in every school year
	By      *int           // the grade by which it should be settled
}

// Audit is one list of requirements, for example those to graduate.
type Audit struct {
	ID      string
	Label   string
	Labels  map[string]string
	Entries []Requirement
}

// Take says whose requests are placed, by how far they have come.
type Take uint8

// What is taken.
const (
	TakeApproved  Take = iota // by the counselor
	TakeSigned                // by a guardian, or approved
	TakeSubmitted             // all that are submitted
)

var takes = []string{"approved", "signed", "submitted"}

func (t Take) String() string { return takes[t] }

// Policy is all of a school's rules for one school year.
type Policy struct {
	SchoolYear string                   // YYYY-YY
	Periods    int                      // periods a day
	Days       int                      // days of the cycle
	FirstGrade int                      // the grade in which audits begin
	LastGrade  int                      // of the school; default 12
	Holidays   []string                 // YYYY-MM-DD
	Seniority  bool                     // in placement, older students come before the lottery
	Take       Take                     // whose requests are placed
	Marks      map[string]credit.Amount // names of marks with their numbers, in hundredths
	Groups     map[string]Selection
	Rules      []Rule
	Audits     []Audit
	Settings   Settings

	Fill        *Fill        // nil: nothing says which cells of the week must be filled
	Commitments []Commitment // what is agreed to one by one
	Welcome     []Welcome    // the school's own words for a grade
}

// Fill is what a choice of sections must come to: the periods that must be filled in every term and on every
// day of the cycle, and counting rules over the chosen sections (On is Sections; a When may be on anything).
type Fill struct {
	Periods []int // ascending, each once
	Rules   []Rule
}

// Commitment is something to be agreed to on its own, by the student on submitting, by a guardian on signing.
type Commitment struct {
	ID                string
	Grades            []int  // nil: every grade
	When              *Count // nil: always
	Student, Guardian bool   // who agrees
	Text              Text
}

// Welcome is the school's own words for grades.
type Welcome struct {
	Grades []int // nil: every grade
	Text   Text
}

// Limits of a policy; one that goes beyond them is refused by Parse.
const (
	MaxRules   = 200
	MaxEntries = 64 // in one audit
	MaxAudits  = 16
)

// Resolve replaces a group by its selection, down to the last.
func (p *Policy) Resolve(s Selection) Selection {
	if s.Group != "" {
		s = p.Resolve(p.Groups[s.Group])
	}
	if s.Not != nil {
		not := p.Resolve(*s.Not)
		s.Not = &not
	}
	return s
}

// Matches reports whether a resolved selection picks a course of that code, subjects and tags.
func (s *Selection) Matches(code string, subjects, tags []string) bool {
	return s.MatchesSection(code, subjects, tags, nil)
}

// MatchesSection reports whether a resolved selection picks a section of such a course that meets in these periods.
func (s *Selection) MatchesSection(code string, subjects, tags []string, periods []int) bool {
	if s.Subjects != nil || s.Tags != nil || s.Courses != nil || s.Periods != nil {
		meets := slices.ContainsFunc(periods, func(p int) bool { return slices.Contains(s.Periods, p) })
		if !meets && !has(s.Courses, code) && !meet(s.Subjects, subjects) && !meet(s.Tags, tags) {
			return false
		}
	}
	return s.Not == nil || !s.Not.MatchesSection(code, subjects, tags, periods)
}

func has(list []string, item string) bool {
	for _, x := range list {
		if x == item {
			return true
		}
	}
	return false
}

func meet(a, b []string) bool {
	for _, x := range a {
		if has(b, x) {
			return true
		}
	}
	return false
}

// StartYear is the first four digits of a school year such as 2027-28. The error says how to write one.
func StartYear(text string) (int, error) {
	if !validYear(text) {
		return 0, errYear
	}
	return int(text[0]-'0')*1000 + int(text[1]-'0')*100 + int(text[2]-'0')*10 + int(text[3]-'0'), nil
}

// YearLabel writes the school year that starts in the given year: 2027-28.
func YearLabel(start int) string {
	end := (start + 1) % 100
	return string([]byte{byte('0' + start/1000%10), byte('0' + start/100%10), byte('0' + start/10%10), byte('0' + start%10),
		'-', byte('0' + end/10), byte('0' + end%10)})
}
