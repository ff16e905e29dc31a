package sheet

import (
	"fmt"
	"sync"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Any is the StandsFor of an alternate that may stand in for every request.
const Any int32 = -1

// MaxEntries bounds the requests, and the alternates, of one sheet.
const MaxEntries = 60

// Entry is a course on a sheet.
type Entry struct {
	Course    int32 // its index in the year
	StandsFor int32 // alternates: the course it stands in for, or Any
	Rank      int   // as given; the order of the slice decides
}

// Sheet is a student's requests and ranked alternates, each in rank order. A course is on it at most once.
type Sheet struct {
	Requests   []Entry
	Alternates []Entry
}

func (s *Sheet) courses() []int32 {
	list := make([]int32, len(s.Requests))
	for i, e := range s.Requests {
		list[i] = e.Course
	}
	return list
}

// RuleResult is one rule in force.
type RuleResult struct {
	Rule     int // its place in the year's rules
	Measured credit.Amount
	Holds    bool
}

// RequestResult is one request. Waiver is the place, among the student's signals, of the waiver or assignment that made the
// condition Met, or -1; HasEntry is false where the course has no condition.
type RequestResult struct {
	Course   int32
	HasEntry bool
	Entry    condition.Verdict
	Waiver   int
	Repeat   bool
	Barred   bool
}

// Link is a course that should come with a request and does not.
type Link struct{ Course, Needs int32 }

// Judgement is all that is found of a sheet, save audits and cover.
type Judgement struct {
	Rules    []RuleResult
	Requests []RequestResult
	Packing  Packing
	Links    []Link
	Ready    bool // it can be submitted
}

// onSheet is a course's place on the sheet being judged.
const (
	notOnSheet uint8 = iota
	requested
	alternate
)

// desk is the working space of a judgement.
type desk struct {
	*Facts
	place      []uint8 // by course
	requests   []int32
	alternates []int32
	packer     packer

	subject int32 // the course whose condition is being judged
}

func (f *Facts) newDesk() *desk {
	return &desk{Facts: f, place: make([]uint8, len(f.Year.Courses)), packer: newPacker(f.Year)}
}

// desks keeps desks for the next judgement, so that judging allocates little more than its result.
var desks sync.Pool

func (f *Facts) borrowDesk() *desk {
	d, _ := desks.Get().(*desk)
	if d == nil || len(d.place) < len(f.Year.Courses) {
		return f.newDesk()
	}
	d.Facts = f
	d.packer.year, d.packer.terms, d.packer.capacity = f.Year, len(f.Year.Terms), int32(f.Year.Capacity)
	return d
}

// giveBack clears the desk, whatever was on it.
func (d *desk) giveBack() {
	d.wipe()
	d.requests, d.alternates, d.Facts, d.packer.year = d.requests[:0], d.alternates[:0], nil, nil
	desks.Put(d)
}

func (d *desk) wipe() {
	for _, c := range d.requests {
		d.place[c] = notOnSheet
	}
	for _, c := range d.alternates {
		d.place[c] = notOnSheet
	}
}

// lay puts a sheet on the desk and packs it.
func (d *desk) lay(requests, alternates []int32) error {
	d.put(requests, alternates)
	return d.packer.pack(d.requests)
}

// put lays a sheet on the desk without packing it.
func (d *desk) put(requests, alternates []int32) {
	d.wipe()
	d.requests = append(d.requests[:0], requests...)
	d.alternates = append(d.alternates[:0], alternates...)
	d.mark()
}

func (d *desk) mark() {
	for _, c := range d.requests {
		d.place[c] = requested
	}
	for _, c := range d.alternates {
		d.place[c] = alternate
	}
}

// measure is the amount a count finds on the desk, base being what records alone make up.
func (d *desk) measure(c *catalog.Count, base credit.Amount) credit.Amount {
	sum := base
	if c.On == policy.Earned {
		return sum
	}
	if c.On != policy.Alternates {
		for i, course := range d.requests {
			if !c.Has(course) {
				continue
			}
			if c.On == policy.Taken && c.Measure == policy.Courses && d.codes[course].flags&(hasEarned|hasProgress) != 0 {
				continue // on record already
			}
			sum += d.weigh(c, course, d.packer.spans[i])
		}
	}
	if c.On == policy.Alternates || c.On == policy.Both {
		for _, course := range d.alternates {
			if c.Has(course) {
				sum += d.weigh(c, course, d.Year.Courses[course].Spans[0])
			}
		}
	}
	return sum
}

func (d *desk) weigh(c *catalog.Count, course int32, span catalog.TermSet) credit.Amount {
	if c.Term >= 0 && span>>c.Term&1 == 0 {
		return 0
	}
	switch c.Measure {
	case policy.InCred:
		return d.Year.Courses[course].Credits
	case policy.Load:
		if c.Term >= 0 {
			return d.Year.Courses[course].Load
		}
		return d.Year.Courses[course].Load * credit.Amount(span.Len())
	}
	return credit.One
}

func (d *desk) inForce(rule int) bool {
	if !d.rules[rule] {
		return false
	}
	when := d.Year.Rules[rule].When
	return when == nil || when.Holds(d.measure(when, d.whens[rule]))
}

// rule measures a rule that is in force.
func (d *desk) rule(i int) (credit.Amount, bool) {
	r := &d.Year.Rules[i]
	measured := d.measure(&r.Count, d.counts[i])
	return measured, r.Count.Holds(measured)
}

// Leaf is the verdict of one leaf for the course in d.subject; it makes desk a condition.Witness.
func (d *desk) Leaf(l *condition.Leaf) condition.Verdict {
	switch l.Kind {
	case condition.Passed, condition.Alongside:
		return d.passed(l)
	case condition.Grade:
		if credit.Amount(d.Grade)*credit.One >= l.At {
			return condition.Met
		}
		return condition.Unmet
	case condition.Score:
		best, onFile := d.scores[l.Name]
		if onFile && best >= l.At {
			return condition.Met
		}
		if !onFile {
			return condition.Unverified
		}
	case condition.Recommended:
		if d.codes[d.subject].flags&isRecommended != 0 {
			return condition.Met
		}
		if d.codes[d.subject].flags&recommendationClaimed != 0 {
			return condition.Unverified
		}
		return condition.Unmet
	case condition.Permission:
		if d.permits[l.Name] || d.permitFor[[2]string{l.Name, d.Year.Codes[d.subject]}] {
			return condition.Met
		}
	case condition.Program:
		for _, p := range d.Programs {
			if p == l.Name {
				return condition.Met
			}
		}
	case condition.Credits:
		var earned, taking credit.Amount
		for i := range d.Records {
			r := &d.Records[i]
			if (r.counts() || r.Outcome == InProgress) && d.inSubject(r, l.Name) {
				if r.counts() {
					earned += r.Credits
				} else {
					taking += r.Credits
				}
			}
		}
		if earned >= l.At {
			return condition.Met
		}
		if earned+taking >= l.At {
			return condition.Expected
		}
	}
	if d.claims[l.Name] {
		return condition.Unverified
	}
	return condition.Unmet
}

func (f *Facts) inSubject(r *Record, subject string) bool {
	subjects := r.Subjects
	if i, ok := f.Year.Index(r.Code); ok {
		subjects = f.Year.Courses[i].Subjects
	}
	for _, s := range subjects {
		if s == subject {
			return true
		}
	}
	return false
}

func (d *desk) passed(l *condition.Leaf) condition.Verdict {
	verdict := d.recordVerdict(l, l.Ref)
	if verdict == condition.Met {
		return verdict
	}
	inCatalog := int(l.Ref) < len(d.Year.Courses)
	if inCatalog {
		for _, other := range d.Year.Courses[l.Ref].Mutual {
			verdict = max(verdict, d.recordVerdict(l, other))
		}
		if l.Kind == condition.Alongside && verdict < condition.Met {
			if d.place[l.Ref] == requested {
				return condition.Met
			}
			for _, other := range d.Year.Courses[l.Ref].Mutual {
				if d.place[other] == requested {
					return condition.Met
				}
			}
		}
	}
	if verdict == condition.Unmet && d.codes[l.Ref].flags&isClaimed != 0 {
		return condition.Unverified
	}
	return verdict
}

// recordVerdict is what the records of one course say of a "passed" or "alongside" leaf.
func (d *desk) recordVerdict(l *condition.Leaf, course int32) condition.Verdict {
	c := &d.codes[course]
	if c.flags&hasEarned != 0 && (!l.HasAt || c.mark >= int32(l.At)) {
		return condition.Met
	}
	if c.flags&hasProgress != 0 {
		return condition.Expected
	}
	return condition.Unmet
}

// entry is the verdict of a course's condition. Waived tells whether a waiver or an assignment made it Met.
func (d *desk) entry(course int32) (v condition.Verdict, has, waived bool) {
	c := d.Year.Courses[course].Entry
	if c == nil {
		return condition.Met, false, false
	}
	d.subject = course
	if v = c.Judge(d); v < condition.Met && d.codes[course].flags&isWaived != 0 {
		return condition.Met, true, true
	}
	return v, true, false
}

// blocked tells whether the course's condition stops it.
func (d *desk) blocked(course int32) bool {
	if s := d.Year.Courses[course].EntryStance; s != policy.Block && s != "" {
		return false
	}
	v, _, _ := d.entry(course)
	return v < condition.Expected
}

// repeats tells whether a request repeats what is earned, or stands beside a course it excludes.
func (d *desk) repeats(course int32) bool {
	c := &d.Year.Courses[course]
	if !c.Repeatable && d.AlreadyEarned(course) {
		return true
	}
	for _, other := range c.Excludes {
		if d.place[other] == requested || d.AlreadyEarned(other) {
			return true
		}
	}
	return false
}

func (d *desk) links(list []Link) []Link {
	for _, course := range d.requests {
		for _, needs := range d.Year.Courses[course].Links {
			if d.place[needs] != requested && !d.AlreadyEarned(needs) {
				list = append(list, Link{course, needs})
			}
		}
	}
	return list
}

// Judge judges a sheet. The error is ErrTooManyPackings, or says that the sheet has more than MaxEntries of a kind.
func (f *Facts) Judge(s *Sheet) (*Judgement, error) {
	d := f.borrowDesk()
	defer d.giveBack()
	return d.judge(s)
}

// layOut puts a sheet on the desk and packs it.
func (d *desk) layOut(s *Sheet) error {
	if len(s.Requests) > MaxEntries || len(s.Alternates) > MaxEntries {
		return fmt.Errorf("a sheet holds at most %d requests and %d alternates", MaxEntries, MaxEntries)
	}
	d.spread(s)
	return d.packer.pack(d.requests)
}

// spread puts a sheet on the desk without packing it.
func (d *desk) spread(s *Sheet) {
	d.wipe()
	d.requests, d.alternates = d.requests[:0], d.alternates[:0]
	for _, e := range s.Requests {
		d.requests = append(d.requests, e.Course)
	}
	for _, e := range s.Alternates {
		d.alternates = append(d.alternates, e.Course)
	}
	d.mark()
}

func (d *desk) judge(s *Sheet) (*Judgement, error) {
	if err := d.layOut(s); err != nil {
		return nil, err
	}
	j := &Judgement{Rules: make([]RuleResult, 0, len(d.Year.Rules)), Requests: make([]RequestResult, 0, len(d.requests))}
	j.Packing = d.packing()
	j.Ready = j.Packing.Fits()
	for i := range d.Year.Rules {
		if d.inForce(i) {
			measured, holds := d.rule(i)
			j.Rules = append(j.Rules, RuleResult{i, measured, holds})
			j.Ready = j.Ready && (holds || d.Year.Rules[i].Stance != policy.Block)
		}
	}
	for _, course := range d.requests {
		r := RequestResult{Course: course, Waiver: -1, Repeat: d.repeats(course), Barred: d.Barred(course)}
		var waived bool
		if r.Entry, r.HasEntry, waived = d.entry(course); waived {
			r.Waiver = d.waiverOf(course)
		}
		j.Ready = j.Ready && !r.Repeat && !r.Barred && !d.blocked(course)
		j.Requests = append(j.Requests, r)
	}
	j.Links = d.links(nil)
	j.Ready = j.Ready && len(j.Links) == 0
	return j, nil
}

func (d *desk) packing() Packing {
	p := Packing{Spans: append([]catalog.TermSet(nil), d.packer.spans...), Overload: credit.Amount(d.packer.over)}
	p.Loads = make([]credit.Amount, len(d.Year.Terms))
	for t := range p.Loads {
		p.Loads[t] = credit.Amount(d.packer.load[t])
	}
	return p
}

func (f *Facts) waiverOf(course int32) int {
	for i := range f.Signals {
		s := &f.Signals[i]
		if (s.Kind == Waiver || s.Kind == Assignment) && s.Code == f.Year.Courses[course].Code {
			return i
		}
	}
	return -1
}

// Missing lists the leaves that keep a course's condition below expected on this sheet, in the order written.
func (f *Facts) Missing(s *Sheet, course int32) []*condition.Leaf {
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	return d.missing(course)
}

func (d *desk) missing(course int32) []*condition.Leaf {
	if v, has, _ := d.entry(course); !has || v >= condition.Expected {
		return nil
	}
	d.subject = course
	return d.Year.Courses[course].Entry.Missing(d, nil)
}
