package sheet

import "rubricon/core/policy"

// Required reports for each request, in rank order, whether the school requires it: it has an assignment, or
// some block rule in force on requests, with a minimum above 0 and no term, selects it and, among the
// requests, nothing but it and requests linked with it, in either direction, chains included. The error is
// one of Judge's.
func (f *Facts) Required(s *Sheet) ([]bool, error) {
	d := f.borrowDesk()
	defer d.giveBack()
	if err := d.layOut(s); err != nil {
		return nil, err
	}
	linked := f.Linked(s)
	required := make([]bool, len(d.requests))
	for k, course := range d.requests {
		required[k], _ = f.Assigned(course)
	}
	for i := range f.Year.Rules {
		r := &f.Year.Rules[i]
		if r.Stance != policy.Block || r.Count.On != policy.Requests || r.Count.Min == nil || *r.Count.Min <= 0 ||
			r.Count.Term >= 0 || !d.inForce(i) {
			continue
		}
		var selected []int
		for k, course := range d.requests {
			if r.Count.Has(course) {
				selected = append(selected, k)
			}
		}
		for _, k := range selected {
			alone := true
			for _, other := range selected {
				alone = alone && linked[other] == linked[k]
			}
			if alone {
				required[k] = true
			}
		}
	}
	return required, nil
}

// Linked gives each request the place of the first request it is linked with, in either direction, chains
// included; a request without links has its own place.
func (f *Facts) Linked(s *Sheet) []int {
	group := make([]int, len(s.Requests))
	for k := range group {
		group[k] = k
	}
	for changed := true; changed; {
		changed = false
		for k, e := range s.Requests {
			for _, needs := range f.Year.Courses[e.Course].Links {
				other := find(s.Requests, needs)
				if other < 0 || group[other] == group[k] {
					continue
				}
				low := min(group[k], group[other])
				group[k], group[other], changed = low, low, true
			}
		}
	}
	return group
}
