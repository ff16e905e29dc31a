package sheet

import "slices"

// Commitments lists the places of the year's commitments that concern this student with this sheet, those of the student or those of a
// guardian. One beyond judging by its terms concerns nobody.
func (f *Facts) Commitments(s *Sheet, guardian bool) (places []int) {
	d := f.borrowDesk()
	defer d.giveBack()
	if d.layOut(s) != nil {
		return nil
	}
	for i := range f.Year.Commitments {
		c := &f.Year.Commitments[i]
		switch {
		case guardian && !c.Guardian, !guardian && !c.Student:
		case c.Grades != nil && !slices.Contains(c.Grades, f.Grade):
		case c.When != nil && !c.When.Holds(d.measure(c.When, f.recordsIn(c.When))):
		default:
			places = append(places, i)
		}
	}
	return places
}
