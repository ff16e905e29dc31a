package sheet

import (
	"fmt"
	"sync"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// onSheet is a course's place on the sheet being judged.
const (
	notOnSheet uint8 = iota
	requested
	alternate
	inSummer
)

// desk is the working space of a judgement.
type desk struct {
	*Facts
	place      []uint8 // by course
	requests   []int32
	alternates []int32
	summer     []int32 // requests for the summer: they stay whatever is laid next to them
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
	d.requests, d.alternates, d.summer, d.Facts, d.packer.year = d.requests[:0], d.alternates[:0], d.summer[:0], nil, nil
	desks.Put(d)
}

func (d *desk) wipe() {
	for _, c := range d.requests {
		d.place[c] = notOnSheet
	}
	for _, c := range d.alternates {
		d.place[c] = notOnSheet
	}
	for _, c := range d.summer {
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
	for _, c := range d.summer {
		d.place[c] = inSummer
	}
}

// measure is the amount a count finds on the desk, base being what records alone make up.
func (d *desk) measure(c *catalog.Count, base credit.Amount) credit.Amount {
	sum := base
	if c.On == policy.Earned {
		return sum
	}
	if c.On == policy.Summer || c.On == policy.Taken && d.summerCounts() {
		for _, course := range d.summer {
			if c.Has(course) && !d.countedOnRecord(c, course) {
				sum += d.weigh(c, course, 0)
			}
		}
	}
	if c.On != policy.Alternates && c.On != policy.Summer {
		for i, course := range d.requests {
			if !c.Has(course) || d.countedOnRecord(c, course) {
				continue
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

// countedOnRecord reports whether a request is among the courses that a count on taken finds on record already.
func (d *desk) countedOnRecord(c *catalog.Count, course int32) bool {
	return c.On == policy.Taken && c.Measure == policy.Courses && d.codes[course].flags&(hasEarned|hasProgress) != 0
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

// layOut puts a sheet on the desk and packs it.
func (d *desk) layOut(s *Sheet) error {
	if len(s.Requests)+len(s.Summer) > MaxEntries || len(s.Alternates) > MaxEntries {
		return fmt.Errorf("a sheet holds at most %d requests and %d alternates", MaxEntries, MaxEntries)
	}
	d.spread(s)
	return d.packer.pack(d.requests)
}

// spread puts a sheet on the desk without packing it.
func (d *desk) spread(s *Sheet) {
	d.wipe()
	d.requests, d.alternates, d.summer = d.requests[:0], d.alternates[:0], d.summer[:0]
	for _, e := range s.Requests {
		d.requests = append(d.requests, e.Course)
	}
	for _, e := range s.Alternates {
		d.alternates = append(d.alternates, e.Course)
	}
	for _, e := range s.Summer {
		d.summer = append(d.summer, e.Course)
	}
	d.mark()
}
