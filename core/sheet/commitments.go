package sheet

import "slices"

// Commitments lists the places of the year's commitments that concern this student with this sheet, in their
// order. One that looks at terms concerns no one whose sheet is beyond judging.
func (f *Facts) Commitments(s *Sheet) (places []int) {
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	packed := false
	for i := range f.Year.Commitments {
		c := &f.Year.Commitments[i]
		if c.Grades != nil && !slices.Contains(c.Grades, f.Grade) {
			continue
		}
		if c.When != nil {
			if looksAtTerms(c.When) && !packed {
				if packed = d.layOut(s) == nil; !packed {
					continue
				}
			}
			for len(d.packer.spans) < len(d.requests) {
				d.packer.spans = append(d.packer.spans, 0) // no count looks at them
			}
			if !c.When.Holds(d.measure(c.When, f.recordsIn(c.When))) {
				continue
			}
		}
		places = append(places, i)
	}
	return places
}
