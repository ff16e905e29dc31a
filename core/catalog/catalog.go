// Package catalog compiles a school year: its terms, courses, rules and requirements become integers and bitsets in one
// immutable Year, so that judging a sheet parses nothing and compares no texts.
//
//	year, err := catalog.Compile(catalog.Frame{Terms: []string{"S1", "S2"}}, courses, policy)
//	i, ok := year.Index("PHY1")
package catalog

import (
	"fmt"
	"math/bits"
	"slices"
	"sort"
	"time"

	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// MaxTerms is the most terms a school year may have.
const MaxTerms = 12

// TermSet is a set of terms: bit i is the i-th term of the year.
type TermSet uint16

// Positions are the places of its terms, from 0, ascending.
func (s TermSet) Positions() []int {
	list := []int{}
	for i := 0; s>>i != 0; i++ {
		if s>>i&1 == 1 {
			list = append(list, i)
		}
	}
	return list
}

// Len is the number of terms in the set.
func (s TermSet) Len() int { return bits.OnesCount16(uint16(s)) }

// Less orders spans by the ascending positions of their terms, compared lexicographically: [S1] < [S1,S2] < [S2].
func (s TermSet) Less(t TermSet) bool {
	for s != t {
		if s == 0 || t == 0 {
			return s == 0
		}
		a, b := bits.TrailingZeros16(uint16(s)), bits.TrailingZeros16(uint16(t))
		if a != b {
			return a < b
		}
		s, t = s&(s-1), t&(t-1)
	}
	return false
}

// Access says who may ask for a course.
type Access string

// The kinds of access. The empty access is Open.
const (
	Open        Access = "open"
	Invited     Access = "invited"     // needs a recommendation, a placement or an assignment
	Application Access = "application" // needs a permission for this course, or an assignment
)

// Frame is the school year's frame.
type Frame struct {
	Terms []string    // short names, in order; at most MaxTerms
	Dates [][2]string // by term: its first and last day, YYYY-MM-DD; may be empty
}

// Course is a course as the school describes it. Credits, Load and Fee are in hundredths.
type Course struct {
	Code        string
	Title       string
	Grades      []int // empty: all
	Subjects    []string
	Credits     credit.Amount
	Spans       []TermSet // the alternatives, in the order written, each once
	Load        credit.Amount
	Entry       *condition.Condition // nil: none
	EntryStance policy.Stance
	Links       []string
	Excludes    []string
	VariantOf   string
	Repeatable  bool
	Access      Access
	Tags        []string
	Fee         credit.Amount
	Description string
	Note        string
	LeadsTo     []string
	Summer      bool            // of the summer round, not of the year
	Texts       map[string]Text // in further languages, by BCP 47 tag
	Synonyms    []string        // everyday words for it
	Usual       []int           // the grades in which it is the usual course of its subject
}

// Text is what a course says of itself in one language; what is empty is said in the school's.
type Text struct{ Title, Description, Note string }

// Errand is what the choice of a course brings with it outside the sheet.
type Errand struct {
	Course    string
	Kind      string // test, audition, application, form, meeting or other
	Title     string
	Due       string // YYYY-MM-DD, or with THH:MM, in the school's time zone; may be empty
	Place     string
	Note      string
	SettledBy *condition.Condition // for the course; nil: by a signal alone
	Becomes   []string             // the courses of which one replaces the course, a placeholder
}

// Moment is when an errand is due, in the school's time zone; day tells that no time of the day is given.
// There is none where ok is false.
func (e *Errand) Moment(zone *time.Location) (at time.Time, day, ok bool) {
	if at, err := time.ParseInLocation("2006-01-02T15:04", e.Due, zone); err == nil {
		return at, false, true
	}
	at, err := time.ParseInLocation(time.DateOnly, e.Due, zone)
	return at, true, err == nil
}

// Passed is the moment from which an errand that is not settled is overdue; there is none where ok is false.
func (e *Errand) Passed(zone *time.Location) (at time.Time, ok bool) {
	at, day, ok := e.Moment(zone)
	if day {
		at = at.AddDate(0, 0, 1)
	}
	return at, ok
}

// Compiled is a course ready for judging. Other courses are named by their index in Year.Courses.
type Compiled struct {
	*Course
	Entry    *condition.Condition // leaves that name a course carry its index in Ref
	Sorted   []TermSet            // the spans, least first
	Links    []int32
	Excludes []int32 // its own list and its variants
	Mutual   []int32 // those of Excludes that exclude it too
	allowed  uint64  // bit g: offered to grade g; all ones where the course names no grade
}

// Offers reports whether the course is offered to students entering the grade.
func (c *Compiled) Offers(grade int) bool {
	if len(c.Grades) == 0 {
		return true
	}
	return grade >= 0 && grade < 64 && c.allowed>>uint(grade)&1 == 1
}

// TextIn is what the course says of itself in a language, or where it has no text in that, in the school's. A
// text for a language serves its regions too.
func (c *Course) TextIn(language string) Text {
	text := Text{c.Title, c.Description, c.Note}
	for _, tag := range policy.Tags(language) {
		by := c.Texts[tag]
		for _, x := range []struct {
			into *string
			text string
		}{{&text.Title, by.Title}, {&text.Description, by.Description}, {&text.Note, by.Note}} {
			if x.text != "" {
				*x.into = x.text
			}
		}
	}
	return text
}

// CompiledErrand is an errand with the indexes of the courses it names.
type CompiledErrand struct {
	*Errand
	Course    int32
	SettledBy *condition.Condition
	Becomes   []int32
}

// Selection is a policy selection compiled to one bit per course index.
type Selection struct {
	source policy.Selection
	bits   []uint64
}

// Has reports whether the course of that index is selected.
func (s *Selection) Has(course int32) bool { return s.bits[course>>6]>>(uint(course)&63)&1 == 1 }

// Matches reports whether a course that is not in the catalog is selected, by its code and subjects.
func (s *Selection) Matches(code string, subjects []string) bool {
	return s.source.Matches(code, subjects, nil)
}

// HasSection reports whether a section of the course of that index that meets in these periods is selected.
func (s *Selection) HasSection(c *Compiled, periods []int) bool {
	return s.source.MatchesSection(c.Code, c.Subjects, c.Tags, periods)
}

// Count is a compiled count; Term is -1 for the whole year.
type Count struct {
	*Selection
	On      policy.On
	Measure policy.Measure
	Term    int
	Min     *credit.Amount
	Max     *credit.Amount
}

// Holds reports whether a measured amount lies within the bounds.
func (c *Count) Holds(measured credit.Amount) bool {
	return (c.Min == nil || measured >= *c.Min) && (c.Max == nil || measured <= *c.Max)
}

// Rule is a compiled rule.
type Rule struct {
	*policy.Rule
	Count Count
	When  *Count
}

// Applies reports whether the rule is for students of that grade and those programs.
func (r *Rule) Applies(grade int, programs []string) bool {
	if r.Grades != nil {
		found := false
		for _, g := range r.Grades {
			found = found || g == grade
		}
		if !found {
			return false
		}
	}
	if r.Programs == nil {
		return true
	}
	for _, p := range r.Programs {
		for _, q := range programs {
			if p == q {
				return true
			}
		}
	}
	return false
}

// Audit is a compiled list of requirements; Of[i] is the selection of Entries[i].
type Audit struct {
	*policy.Audit
	Of []*Selection
}

// Year is a compiled school year. It is immutable and may be shared between goroutines.
type Year struct {
	Frame
	Policy      *policy.Policy
	Start       int           // the calendar year in which it begins
	Capacity    credit.Amount // periods a day, in hundredths
	Courses     []Compiled    // in byte order of code
	Codes       []string      // the codes of Courses, then other codes that conditions name
	Rules       []Rule
	Audits      []Audit
	Fill        []Rule // the rules over chosen sections
	Commitments []Commitment
	Errands     []CompiledErrand // in the order given

	index map[string]int32
}

// Index finds a course of the catalog by code.
func (y *Year) Index(code string) (int32, bool) {
	i, ok := y.index[code]
	return i, ok && int(i) < len(y.Courses)
}

// CodeIndex finds a code among Codes: a course, or a retired code that some condition names.
func (y *Year) CodeIndex(code string) (int32, bool) {
	i, ok := y.index[code]
	return i, ok
}

// AllTerms is the set of every term of the year.
func (y *Year) AllTerms() TermSet { return TermSet(1<<len(y.Terms) - 1) }

// TermNames lists the short names of a set of terms.
func (y *Year) TermNames(s TermSet) []string {
	names := make([]string, 0, len(y.Terms))
	for i, name := range y.Terms {
		if s>>i&1 == 1 {
			names = append(names, name)
		}
	}
	return names
}

// A ReferenceError says that something names what does not exist. Course, Rule, Commitment or Errand (its
// place, from 1) says where; Field is the name of the column or of the rule's key.
type ReferenceError struct {
	Course     string
	Rule       string
	Commitment string
	Errand     int
	Field      string
	What       string
}

func (e *ReferenceError) Error() string {
	return fmt.Sprintf("%s%s%s: %s: %s", e.Course, e.Rule, e.Commitment, e.Field, e.What)
}

// Compile makes a Year. Courses may come in any order; their codes must differ. The errors are all *ReferenceError:
// unknown codes, a variant of a variant, an unknown term, a summer course that is linked.
func Compile(frame Frame, courses []Course, errands []Errand, p *policy.Policy) (*Year, []error) {
	start, err := policy.StartYear(p.SchoolYear)
	if err != nil {
		return nil, []error{&ReferenceError{Field: "schoolYear", What: err.Error()}}
	}
	y := &Year{Frame: frame, Policy: p, Start: start, Capacity: credit.Amount(p.Periods) * credit.One,
		index: make(map[string]int32, len(courses))}
	y.Courses = make([]Compiled, len(courses))
	order := make([]*Course, len(courses))
	for i := range courses {
		order[i] = &courses[i]
	}
	sort.Slice(order, func(i, j int) bool { return order[i].Code < order[j].Code })
	for i, c := range order {
		y.Courses[i].Course = c
		y.Codes = append(y.Codes, c.Code)
		y.index[c.Code] = int32(i)
	}
	errs := y.relate()
	for i := range y.Courses {
		c := &y.Courses[i]
		for _, g := range c.Grades {
			if g >= 0 && g < 64 {
				c.allowed |= 1 << uint(g)
			}
		}
		c.Sorted = append([]TermSet(nil), c.Spans...)
		sort.Slice(c.Sorted, func(i, j int) bool { return c.Sorted[i].Less(c.Sorted[j]) })
		c.Entry = y.bind(c.Course.Entry, func(name string) {
			errs = append(errs, &ReferenceError{Course: c.Code, Field: "metadata.entry", What: "“" + name + "” is not a mark of the policy"})
		})
	}
	errs = append(errs, y.compilePolicy()...)
	errs = append(errs, y.compileErrands(errands)...)
	if len(errs) > 0 {
		return nil, errs
	}
	return y, nil
}

// relate turns links, exclusions and variants into indexes.
func (y *Year) relate() (errs []error) {
	resolve := func(c *Compiled, field string, codes []string) (list []int32) {
		for _, code := range codes {
			i, ok := y.Index(code)
			if !ok {
				errs = append(errs, &ReferenceError{Course: c.Code, Field: field, What: "no course has the code " + code})
			} else if y.Courses[i].Code != c.Code {
				list = appendNew(list, i)
			}
		}
		return list
	}
	families := map[int32][]int32{}
	for i := range y.Courses {
		c := &y.Courses[i]
		c.Links = resolve(c, "metadata.links", c.Course.Links)
		c.Excludes = resolve(c, "metadata.excludes", c.Course.Excludes)
		for _, code := range c.Course.Links {
			if other, ok := y.Index(code); ok && (c.Summer || y.Courses[other].Summer) {
				errs = append(errs, &ReferenceError{Course: c.Code, Field: "metadata.links", What: "a course of the summer round cannot be linked"})
				break
			}
		}
		if c.VariantOf == "" {
			continue
		}
		head, ok := y.Index(c.VariantOf)
		switch {
		case !ok:
			errs = append(errs, &ReferenceError{Course: c.Code, Field: "metadata.variantOf", What: "no course has the code " + c.VariantOf})
		case y.Courses[head].VariantOf != "":
			errs = append(errs, &ReferenceError{Course: c.Code, Field: "metadata.variantOf",
				What: c.VariantOf + " is itself a variant; name " + y.Courses[head].VariantOf})
		default:
			families[head] = append(families[head], int32(i))
		}
	}
	for head, variants := range families {
		family := append([]int32{head}, variants...)
		for _, a := range family {
			for _, b := range family {
				if a != b {
					y.Courses[a].Excludes = appendNew(y.Courses[a].Excludes, b)
				}
			}
		}
	}
	for i := range y.Courses {
		for _, other := range y.Courses[i].Excludes {
			if contains(y.Courses[other].Excludes, int32(i)) {
				y.Courses[i].Mutual = append(y.Courses[i].Mutual, other)
			}
		}
	}
	return errs
}

func contains(list []int32, item int32) bool {
	for _, x := range list {
		if x == item {
			return true
		}
	}
	return false
}

func appendNew(list []int32, item int32) []int32 {
	if contains(list, item) {
		return list
	}
	return append(list, item)
}

// Follow lists, in catalog order, at most so many courses of the year that rest on a course in the same
// subject area, with their variants.
func (y *Year) Follow(course int32, most int) (list []int32) {
	c := &y.Courses[course]
	for i := range y.Courses {
		n := &y.Courses[i]
		if len(list) < most && !n.Summer && n.Subjects[0] == c.Subjects[0] && int32(i) != course &&
			(slices.Contains(c.LeadsTo, n.Code) || n.VariantOf != "" && slices.Contains(c.LeadsTo, n.VariantOf)) {
			list = append(list, int32(i))
		}
	}
	return list
}
