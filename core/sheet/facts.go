// Package sheet judges a request sheet against the catalog, the policy and what is known of the student:
// counting rules, entry conditions, repeats, links, the packing into terms, cover by alternates and the
// effect of every addition.
//
//	facts := sheet.NewFacts(year, student)
//	judgement, err := facts.Judge(sheet.Sheet{Requests: []sheet.Entry{{Course: i, StandsFor: -1, Rank: 1}}})
//
// Findings are indexes, verdicts and amounts, never sentences.
package sheet

import (
	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Outcome of a record.
type Outcome string

// The outcomes.
const (
	Earned     Outcome = "earned"
	InProgress Outcome = "inProgress"
	Failed     Outcome = "failed"
	Withdrawn  Outcome = "withdrawn"
	Transfer   Outcome = "transfer"
)

// Record is one row of what a student has taken. Credits and Mark are in hundredths.
type Record struct {
	Code     string
	Title    string
	Subjects []string
	Year     int // in which the school year began
	Term     string
	Credits  credit.Amount
	Mark     credit.Amount
	HasMark  bool
	Outcome  Outcome
	Teacher  string // the id of who teaches it now; in progress alone
}

func (r *Record) counts() bool { return r.Outcome == Earned || r.Outcome == Transfer }

// SignalKind is what someone has said of a student.
type SignalKind string

// The kinds of signal.
const (
	Recommendation SignalKind = "recommendation"
	PlacementMade  SignalKind = "placement"
	ScoreOnFile    SignalKind = "score"
	Permission     SignalKind = "permission"
	Waiver         SignalKind = "waiver"
	Assignment     SignalKind = "assignment"
	Claim          SignalKind = "claim"
	Exemption      SignalKind = "exemption"
	ErrandDone     SignalKind = "errand" // Name is the kind of errand
)

// Signal is one statement. Code names the course, Name the kind of permission, the test, the rule…
type Signal struct {
	Kind  SignalKind
	Code  string
	Name  string
	Value credit.Amount
	By    string
	Note  string
}

// Student is all a sheet is judged against. Grade is the one being entered.
type Student struct {
	ID       string
	Grade    int
	Programs []string
	Records  []Record
	Signals  []Signal
}

type flag uint16

const (
	hasEarned flag = 1 << iota
	hasProgress
	hasFailed
	isRecommended
	isPlaced
	isAssigned
	isFixed
	isWaived
	isPermitted // a permission of any kind for this very course
	isClaimed
	recommendationClaimed
)

// codeFacts is what is known about one code of the year.
type codeFacts struct {
	flags    flag
	mark     int32         // the best mark of an earned or transfer row, in hundredths; -1: none
	earned   credit.Amount // of earned and transfer rows
	progress credit.Amount
}

// Facts is a student compiled for a Year. It is immutable.
type Facts struct {
	Student
	Year *catalog.Year

	codes     []codeFacts
	scores    map[string]credit.Amount
	permits   map[string]bool // kinds granted for all courses
	permitFor map[[2]string]bool
	claims    map[string]bool // names claimed
	rules     []bool          // whether a rule may be in force: the student's grade and programs, no exemption
	counts    []credit.Amount // by rule: what records alone make up of its count
	whens     []credit.Amount // by rule: and of its when
	audits    []auditFacts    // by audit
	exempt    map[string]bool // names of exemptions
}

// NewFacts compiles what is known of a student.
func NewFacts(year *catalog.Year, s Student) *Facts {
	f := &Facts{Student: s, Year: year, codes: make([]codeFacts, len(year.Codes))}
	for i := range f.codes {
		f.codes[i].mark = -1
	}
	for i := range s.Records {
		f.record(&s.Records[i])
	}
	for i := range s.Signals {
		f.signal(&s.Signals[i])
	}
	f.rules = make([]bool, len(year.Rules))
	f.counts = make([]credit.Amount, len(year.Rules))
	f.whens = make([]credit.Amount, len(year.Rules))
	for i := range year.Rules {
		r := &year.Rules[i]
		f.rules[i] = r.Applies(s.Grade, s.Programs) && !f.exempt[r.ID]
		f.counts[i] = f.recordsIn(&r.Count)
		if r.When != nil {
			f.whens[i] = f.recordsIn(r.When)
		}
	}
	f.audits = make([]auditFacts, len(year.Audits))
	for i := range year.Audits {
		f.audits[i] = f.auditFacts(&year.Audits[i])
	}
	return f
}

func (f *Facts) record(r *Record) {
	i, ok := f.Year.CodeIndex(r.Code)
	if !ok {
		return
	}
	c := &f.codes[i]
	switch r.Outcome {
	case Earned, Transfer:
		c.flags |= hasEarned
		c.earned += r.Credits
		if r.HasMark {
			c.mark = max(c.mark, int32(r.Mark))
		}
	case InProgress:
		c.flags |= hasProgress
		c.progress += r.Credits
	case Failed:
		c.flags |= hasFailed
	}
}

func (f *Facts) signal(s *Signal) {
	set := func(m *map[string]bool, key string) {
		if *m == nil {
			*m = map[string]bool{}
		}
		(*m)[key] = true
	}
	mark := func(flags flag) {
		if i, ok := f.Year.CodeIndex(s.Code); ok {
			f.codes[i].flags |= flags
		}
	}
	switch s.Kind {
	case Recommendation:
		mark(isRecommended)
	case PlacementMade:
		mark(isPlaced)
	case Waiver:
		mark(isWaived)
	case Assignment:
		mark(isAssigned | isWaived)
		if s.Value == credit.One {
			mark(isFixed)
		}
	case Claim:
		if s.Code != "" {
			mark(isClaimed)
		}
		if s.Name == "recommended" {
			mark(recommendationClaimed)
		}
		if s.Name != "" {
			set(&f.claims, s.Name)
		}
	case Exemption:
		set(&f.exempt, s.Name)
	case Permission:
		if s.Code == "" {
			set(&f.permits, s.Name)
			return
		}
		mark(isPermitted)
		if f.permitFor == nil {
			f.permitFor = map[[2]string]bool{}
		}
		f.permitFor[[2]string{s.Name, s.Code}] = true
	case ScoreOnFile:
		if f.scores == nil {
			f.scores = map[string]credit.Amount{}
		}
		if best, ok := f.scores[s.Name]; !ok || s.Value > best {
			f.scores[s.Name] = s.Value
		}
	}
}

// selects reports whether a selection picks a record: by its course, or where the catalog has none by its own subjects.
func (f *Facts) selects(s *catalog.Selection, r *Record) bool {
	if i, ok := f.Year.Index(r.Code); ok {
		return s.Has(i)
	}
	return s.Matches(r.Code, r.Subjects)
}

// recordsIn is what records alone make up of a count.
func (f *Facts) recordsIn(c *catalog.Count) (base credit.Amount) {
	if c.On != policy.Earned && c.On != policy.Taken {
		return base
	}
	var seen []string
next:
	for i := range f.Records {
		r := &f.Records[i]
		if !r.counts() && !(c.On == policy.Taken && r.Outcome == InProgress) || !f.selects(c.Selection, r) {
			continue
		}
		if c.Measure == policy.InCred {
			base += r.Credits
			continue
		}
		for _, code := range seen {
			if code == r.Code {
				continue next
			}
		}
		seen = append(seen, r.Code)
		base += credit.One
	}
	return base
}

// AlreadyEarned reports whether the records for a course of the catalog reach its credits. A course in progress
// is not earned.
func (f *Facts) AlreadyEarned(course int32) bool {
	c := &f.codes[course]
	return c.flags&hasEarned != 0 && c.earned >= f.Year.Courses[course].Credits
}

// Barred reports whether the course is not offered to the grade being entered, or its access is not granted.
func (f *Facts) Barred(course int32) bool {
	return !f.Year.Courses[course].Offers(f.Grade) || !f.accessGranted(course)
}

func (f *Facts) accessGranted(course int32) bool {
	flags := f.codes[course].flags
	switch f.Year.Courses[course].Access {
	case catalog.Invited:
		return flags&(isRecommended|isPlaced|isAssigned) != 0
	case catalog.Application:
		return flags&(isPermitted|isAssigned) != 0
	}
	return true
}

// Retake reports whether the student has failed the course and not earned it since.
func (f *Facts) Retake(course int32) bool {
	return f.codes[course].flags&hasFailed != 0 && !f.AlreadyEarned(course)
}

// Taking reports whether the student is taking the course now and a request for it would not count again: it is
// not repeatable, and not earned yet.
func (f *Facts) Taking(course int32) bool {
	return f.codes[course].flags&hasProgress != 0 && !f.Year.Courses[course].Repeatable && !f.AlreadyEarned(course)
}

// Assigned reports whether the school has put the course on the student's sheet, and whether that is fixed.
func (f *Facts) Assigned(course int32) (assigned, fixed bool) {
	flags := f.codes[course].flags
	return flags&isAssigned != 0, flags&isFixed != 0
}

// Recommended reports whether a recommendation for the course is on file.
func (f *Facts) Recommended(course int32) bool { return f.codes[course].flags&isRecommended != 0 }
