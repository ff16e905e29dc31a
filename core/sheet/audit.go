package sheet

import (
	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/graduation"
)

// YearShort is a school year in which fewer credits than wanted are selected, and by how much.
type YearShort struct {
	Year  int // in which it began
	Short credit.Amount
}

// AuditEntry is how far one requirement is: what is on record, what the requests add, what is left.
type AuditEntry struct {
	Need       credit.Amount
	Earned     credit.Amount
	InProgress credit.Amount
	Requested  credit.Amount
	Short      credit.Amount
	EachShort  []YearShort // only where the requirement has Each
	Late       bool        // only where it has By
}

// auditFacts is what records alone give to one audit.
type auditFacts struct {
	needs  []credit.Amount
	earned []supply
	taking []supply
	each   []eachFacts
}

type supply struct {
	mask    uint64
	credits credit.Amount
}

// eachFacts are the credits on record of one requirement with Each, by year from first on.
type eachFacts struct {
	entry int
	first int
	years []credit.Amount
}

func (f *Facts) auditFacts(a *catalog.Audit) (facts auditFacts) {
	facts.needs = make([]credit.Amount, len(a.Entries))
	first := f.Year.Start - (f.Grade - f.Year.Policy.FirstGrade)
	for e := range a.Entries {
		entry := &a.Entries[e]
		if !f.exempt[a.ID+"/"+entry.ID] {
			facts.needs[e] = entry.Credits
		}
		if entry.Each != nil {
			facts.each = append(facts.each, eachFacts{entry: e, first: first, years: make([]credit.Amount, max(0, f.Year.Start-first+1))})
		}
	}
	for i := range f.Records {
		r := &f.Records[i]
		if !r.counts() && r.Outcome != InProgress {
			continue
		}
		var mask uint64
		for e, of := range a.Of {
			if f.selects(of, r) {
				mask |= 1 << e
			}
		}
		if r.counts() {
			facts.earned = append(facts.earned, supply{mask, r.Credits})
		} else {
			facts.taking = append(facts.taking, supply{mask, r.Credits})
		}
		for k := range facts.each {
			each := &facts.each[k]
			if year := r.Year - each.first; mask>>each.entry&1 == 1 && year >= 0 && year < len(each.years) {
				each.years[year] += r.Credits
			}
		}
	}
	return facts
}

// net is what a request brings to audits: its course's credits less what is on record for it and the courses
// it excludes and less the credits of better-ranked requests of it or of those, not below 0. A repeatable
// course brings its credits in full.
func (f *Facts) net(requests []int32, i int) credit.Amount {
	c := &f.Year.Courses[requests[i]]
	if c.Repeatable {
		return c.Credits
	}
	here := &f.codes[requests[i]]
	credits := c.Credits - here.earned - here.progress
	for _, better := range requests[:i] {
		if better == requests[i] { // a course planned for more than one year
			credits -= c.Credits
		}
	}
	for _, other := range c.Excludes {
		credits -= f.codes[other].earned + f.codes[other].progress
		for _, better := range requests[:i] {
			if better == other {
				credits -= f.Year.Courses[other].Credits
			}
		}
	}
	return max(credits, 0)
}

func auditMask(a *catalog.Audit, course int32) (mask uint64) {
	for e, of := range a.Of {
		if of.Has(course) {
			mask |= 1 << e
		}
	}
	return mask
}

// Audit assigns the student's credits, and those of the requests, to one list of requirements. Index is the
// audit's place in the year's list; the result has one entry a requirement.
func (f *Facts) Audit(index int, s *Sheet) []AuditEntry {
	var a graduation.Assignment
	return f.audit(index, f.wishes(s), &a)
}

// wishes are the requests that audits count, in the order in which they count: those for the summer come
// first, where they do.
func (f *Facts) wishes(s *Sheet) []int32 {
	if f.summerCounts() {
		return append(courses(s.Summer), s.courses()...)
	}
	return s.courses()
}

func (f *Facts) audit(index int, requests []int32, a *graduation.Assignment) []AuditEntry {
	out := f.beginAudit(index, a)
	audit := &f.Year.Audits[index]
	for i, course := range requests {
		a.Add(auditMask(audit, course), f.net(requests, i))
	}
	a.Settle()
	for e, total := range a.Totals() {
		entry := &out[e]
		entry.Requested = total - entry.Earned - entry.InProgress
		entry.Short = entry.Need - total
		if by := audit.Entries[e].By; by != nil {
			switch {
			case f.Grade == *by:
				entry.Late = entry.Short > 0
			case f.Grade > *by:
				entry.Late = entry.Earned+entry.InProgress < entry.Need
			}
		}
	}
	for _, each := range f.audits[index].each {
		out[each.entry].EachShort = f.eachShort(audit, each, requests)
	}
	return out
}

// beginAudit settles what is on record.
func (f *Facts) beginAudit(index int, a *graduation.Assignment) []AuditEntry {
	facts := &f.audits[index]
	out := make([]AuditEntry, len(facts.needs))
	a.Begin(facts.needs)
	for _, s := range facts.earned {
		a.Add(s.mask, s.credits)
	}
	a.Settle()
	for e, total := range a.Totals() {
		out[e].Need, out[e].Earned = facts.needs[e], total
	}
	for _, s := range facts.taking {
		a.Add(s.mask, s.credits)
	}
	a.Settle()
	for e, total := range a.Totals() {
		out[e].InProgress = total - out[e].Earned
	}
	return out
}

func (f *Facts) eachShort(audit *catalog.Audit, each eachFacts, requests []int32) []YearShort {
	want := *audit.Entries[each.entry].Each
	short := []YearShort{}
	for y, credits := range each.years {
		if y == len(each.years)-1 {
			for i, course := range requests {
				if audit.Of[each.entry].Has(course) {
					credits += f.net(requests, i)
				}
			}
		}
		if credits < want {
			short = append(short, YearShort{each.first + y, want - credits})
		}
	}
	return short
}
