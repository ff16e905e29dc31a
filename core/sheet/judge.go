package sheet

import (
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

// Sheet is a student's requests, ranked alternates and requests for the summer, each in rank order. A course
// is on it at most once; courses of the summer round are in Summer and nowhere else.
type Sheet struct {
	Requests   []Entry
	Alternates []Entry
	Summer     []Entry
}

func courses(list []Entry) []int32 {
	courses := make([]int32, len(list))
	for i, e := range list {
		courses[i] = e.Course
	}
	return courses
}

func (s *Sheet) courses() []int32 { return courses(s.Requests) }

// RuleResult is one rule in force.
type RuleResult struct {
	Rule     int // its place in the year's rules
	Measured credit.Amount
	Holds    bool
}

// RequestResult is one request. Waiver is the place, among the student's signals, of the waiver or assignment
// that made the condition Met, or -1; HasEntry is false where the course has no condition.
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
	Summer   []RequestResult // the requests for the summer
	Packing  Packing
	Links    []Link
	Ready    bool // it can be submitted
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

// passed is the verdict of a "passed" or "alongside" leaf. Courses of the summer round are judged as if
// summer did not count.
func (d *desk) passed(l *condition.Leaf) condition.Verdict {
	verdict := d.onRecord(l)
	if l.Kind == condition.Alongside && verdict < condition.Met && d.same(l.Ref, func(c int32) bool { return d.place[c] == requested }) {
		return condition.Met
	}
	if verdict < condition.Expected && d.summerCounts() && (d.subject < 0 || !d.Year.Courses[d.subject].Summer) &&
		d.same(l.Ref, func(c int32) bool { return d.place[c] == inSummer }) {
		return condition.Expected
	}
	return d.orClaimed(l, verdict)
}

// onRecord is what the records of the course that a leaf names, and of those that count as the same, say of the leaf.
func (d *desk) onRecord(l *condition.Leaf) condition.Verdict {
	verdict := d.recordVerdict(l, l.Ref)
	if verdict < condition.Met && int(l.Ref) < len(d.Year.Courses) {
		for _, other := range d.Year.Courses[l.Ref].Mutual {
			verdict = max(verdict, d.recordVerdict(l, other))
		}
	}
	return verdict
}

func (d *desk) orClaimed(l *condition.Leaf, verdict condition.Verdict) condition.Verdict {
	if verdict == condition.Unmet && d.codes[l.Ref].flags&isClaimed != 0 {
		return condition.Unverified
	}
	return verdict
}

// same reports whether something is so of a course of the catalog, or of one that it excludes and that excludes it.
func (f *Facts) same(course int32, so func(int32) bool) bool {
	if int(course) >= len(f.Year.Courses) {
		return false
	}
	for _, other := range f.Year.Courses[course].Mutual {
		if so(other) {
			return true
		}
	}
	return so(course)
}

// summerCounts reports whether what is requested for the summer counts for the year.
func (f *Facts) summerCounts() bool { return f.Year.Policy.Settings.SummerCounts }

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

// entry is the verdict of a course's condition. Waived reports whether a waiver or an assignment made it Met.
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

// blocked reports whether the course's condition stops it.
func (d *desk) blocked(course int32) bool {
	if s := d.Year.Courses[course].EntryStance; s != policy.Block && s != "" {
		return false
	}
	v, _, _ := d.entry(course)
	return v < condition.Expected
}

// repeats reports whether a request repeats what is earned, or stands next to a request of the year that it excludes.
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
		r, admissible := d.request(course)
		j.Requests, j.Ready = append(j.Requests, r), j.Ready && admissible
	}
	for _, course := range d.summer {
		r, admissible := d.request(course)
		j.Summer, j.Ready = append(j.Summer, r), j.Ready && admissible
	}
	j.Links = d.links(nil)
	j.Ready = j.Ready && len(j.Links) == 0
	return j, nil
}

// request judges one request, and reports whether it could be submitted.
func (d *desk) request(course int32) (r RequestResult, admissible bool) {
	r = RequestResult{Course: course, Waiver: -1, Repeat: d.repeats(course), Barred: d.Barred(course)}
	var waived bool
	if r.Entry, r.HasEntry, waived = d.entry(course); waived {
		r.Waiver = d.waiverOf(course)
	}
	return r, !r.Repeat && !r.Barred && !d.blocked(course)
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
