package sheet

import (
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// NextAlternate is what one more alternate would be.
type NextAlternate struct {
	Rank int
	Over bool          // a rule in force has a maximum that it goes beyond
	Most credit.Amount // that maximum
}

// NextAlternate reports what one more alternate would be on a sheet that is judged.
func (f *Facts) NextAlternate(s *Sheet, j *Judgement) NextAlternate {
	next := NextAlternate{Rank: len(s.Alternates) + 1}
	for _, r := range j.Rules {
		rule := &f.Year.Rules[r.Rule]
		if rule.On == policy.Alternates && rule.Measure == policy.Courses && rule.Max != nil && credit.Amount(next.Rank)*credit.One > *rule.Max {
			next.Over, next.Most = true, *rule.Max
			break
		}
	}
	return next
}
