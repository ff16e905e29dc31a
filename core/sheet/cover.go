package sheet

import (
	"errors"

	"rubricon/core/credit"
	"rubricon/core/policy"
)

// ErrTooManyMends says that a sheet's alternates can be combined in more ways than are tried. Fewer
// alternates without load, or alternates that each stand for one request, mend it.
var ErrTooManyMends = errors.New("the alternates can be combined in too many ways")

// MaxMends bounds the combinations of alternates that are tried for one sheet, MaxMendSteps the work of packing them.
const (
	MaxMends     = 50_000
	MaxMendSteps = 300_000
)

// Cover is what happens when a request cannot be given.
type Cover struct {
	Course  int32
	Covered bool
	Mend    []int32 // the alternates that would come in, in rank order; empty where the year holds without
	Short   []int   // where not Covered: the places of the rules that would not hold if nothing came in
}

// mender looks for the mends of one sheet.
type mender struct {
	desk
	sheet      *Sheet
	failed     []bool // rules in force that failed before anything was lost
	available  []int32
	gives      [][]credit.Amount // by rule, then by available: at most how much the rest from there on can add; nil: not bounded
	trial      []int32
	left       []int32
	chosen     []int32
	limit      credit.Amount
	tries      int
	tryErr     error
	baseBounds []int // rules with gives
}

// Cover reports for each request, in rank order, what happens if it cannot be given. A mend is no alternate,
// any one, or several whose loads together (load times terms) are not more than the lost request's; of
// several mends the one that uses the earliest alternates is given, and none only where no alternate mends
// it. The error is ErrTooManyMends or one of Judge's.
func (f *Facts) Cover(s *Sheet) ([]Cover, error) { return f.cover(s, true) }

// Uncovered lists the requests, in rank order, whose loss cannot be mended. The errors are those of Cover.
func (f *Facts) Uncovered(s *Sheet) ([]int32, error) {
	all, err := f.cover(s, false)
	var list []int32
	for _, c := range all {
		if !c.Covered {
			list = append(list, c.Course)
		}
	}
	return list, err
}

// toMend lays a sheet out to be mended, and notes what failed before anything was lost.
func (f *Facts) toMend(s *Sheet) (*mender, error) {
	m := &mender{desk: *f.newDesk(), sheet: s, failed: make([]bool, len(f.Year.Rules))}
	if err := m.layOut(s); err != nil {
		return nil, err
	}
	for i := range f.Year.Rules {
		if m.watched(i) && m.inForce(i) {
			_, holds := m.rule(i)
			m.failed[i] = !holds
		}
	}
	return m, nil
}

func (f *Facts) cover(s *Sheet, show bool) ([]Cover, error) {
	m, err := f.toMend(s)
	if err != nil {
		return nil, err
	}
	requests := append([]int32(nil), m.requests...)
	alternates := append([]int32(nil), m.alternates...)
	weights := make([]credit.Amount, len(requests))
	for i, course := range requests {
		weights[i] = f.Year.Courses[course].Load * credit.Amount(m.packer.spans[i].Len())
	}
	all := make([]Cover, len(requests))
	for i, lost := range requests {
		m.trial = append(append(m.trial[:0], requests[:i]...), requests[i+1:]...)
		all[i] = m.find(lost, weights[i], alternates, show)
		if m.tryErr != nil {
			return nil, m.tryErr
		}
	}
	return all, nil
}

// watched reports whether a rule must hold on a mended sheet.
func (m *mender) watched(rule int) bool {
	r := &m.Year.Rules[rule]
	return r.Stance == policy.Block && (r.Count.On == policy.Requests || r.Count.On == policy.Taken)
}

func (m *mender) find(lost int32, weight credit.Amount, alternates []int32, show bool) Cover {
	cover := Cover{Course: lost}
	m.left = append(m.left[:0], alternates...)
	m.chosen = m.chosen[:0]
	alone := m.holds()
	if alone && !show {
		cover.Covered = true
		return cover
	}
	if !alone && show {
		for i := range m.Year.Rules {
			if m.breaks(i) {
				cover.Short = append(cover.Short, i)
			}
		}
	}
	m.available = m.available[:0]
	for k, course := range alternates {
		if stands := m.sheet.Alternates[k].StandsFor; (stands == Any || stands == lost) && !m.Barred(course) &&
			(m.Year.Courses[course].Repeatable || !m.AlreadyEarned(course)) {
			m.available = append(m.available, course)
		}
	}
	m.bound()
	m.limit = weight
	if m.extend(0, 0) {
		cover.Covered, cover.Mend, cover.Short = true, append([]int32(nil), m.chosen...), nil
	} else {
		cover.Covered = alone
	}
	return cover
}

// bound prepares, for rules whose minimum only more courses can reach, how much the alternates from each
// place on can add.
func (m *mender) bound() {
	m.baseBounds = m.baseBounds[:0]
	if m.gives == nil {
		m.gives = make([][]credit.Amount, len(m.Year.Rules))
	}
	for i := range m.Year.Rules {
		r := &m.Year.Rules[i]
		if !m.watched(i) || !m.rules[i] || m.failed[i] || r.When != nil || r.Count.Min == nil || r.Count.Term >= 0 ||
			r.Count.Measure == policy.Load {
			continue
		}
		m.baseBounds = append(m.baseBounds, i)
		rest := append(m.gives[i][:0], make([]credit.Amount, len(m.available)+1)...)
		for k := len(m.available) - 1; k >= 0; k-- {
			rest[k] = rest[k+1]
			if r.Count.Has(m.available[k]) {
				rest[k] += m.weigh(&r.Count, m.available[k], 0)
			}
		}
		m.gives[i] = rest
	}
}

// hopeless reports whether some minimum stays out of reach whatever is chosen from place k on.
func (m *mender) hopeless(k int) bool {
	for _, i := range m.baseBounds {
		r := &m.Year.Rules[i]
		if m.measure(&r.Count, m.counts[i])+m.gives[i][k] < *r.Count.Min {
			return true
		}
	}
	return false
}

// extend tries to mend with the chosen alternates and more from place k on, the earliest first. The sheet on
// the desk is the one with the chosen alternates; m.chosen is the mend when it succeeds.
func (m *mender) extend(k int, weight credit.Amount) bool {
	if m.hopeless(k) {
		return false
	}
	for ; k < len(m.available); k++ {
		course := m.available[k]
		c := &m.Year.Courses[course]
		heavier := weight + c.Load*credit.Amount(c.Spans[0].Len())
		if len(m.chosen) > 0 && heavier > m.limit {
			continue
		}
		if m.tries++; m.tries > MaxMends {
			m.tryErr = ErrTooManyMends
			return false
		}
		m.chosen = append(m.chosen, course)
		m.trial = append(m.trial, course)
		at := index(m.left, course)
		m.left = append(m.left[:at], m.left[at+1:]...)
		if m.holds() && m.packer.over == 0 && m.admissible() {
			return true
		}
		if heavier <= m.limit && m.extend(k+1, heavier) || m.tryErr != nil {
			return m.tryErr == nil
		}
		m.left = append(m.left, 0)
		copy(m.left[at+1:], m.left[at:])
		m.left[at] = course
		m.trial = m.trial[:len(m.trial)-1]
		m.chosen = m.chosen[:len(m.chosen)-1]
		m.layTrial()
		if m.hopeless(k + 1) {
			return false
		}
	}
	return false
}

func index(list []int32, item int32) int {
	for i, x := range list {
		if x == item {
			return i
		}
	}
	return -1
}

func (m *mender) layTrial() bool {
	if err := m.lay(m.trial, m.left); err != nil {
		m.tryErr = err
	} else if m.packer.steps > MaxMendSteps {
		m.tryErr = ErrTooManyMends
	}
	return m.tryErr == nil
}

// holds lays the trial on the desk and reports whether every watched rule holds, save those that failed before.
func (m *mender) holds() bool {
	if !m.layTrial() {
		return false
	}
	for i := range m.Year.Rules {
		if m.breaks(i) {
			return false
		}
	}
	return true
}

func (m *mender) breaks(rule int) bool {
	if !m.watched(rule) || m.failed[rule] || !m.inForce(rule) {
		return false
	}
	_, holds := m.rule(rule)
	return !holds
}

func (m *mender) admissible() bool {
	for _, course := range m.chosen {
		if m.repeats(course) || m.blocked(course) {
			return false
		}
	}
	return true
}
