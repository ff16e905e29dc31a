package catalog

import (
	"slices"
	"time"
)

// SchoolDay is a day on which there is school.
type SchoolDay struct {
	Date time.Time // at midnight UTC
	Term int       // its position
	Day  int       // of the cycle, from 1
}

// SchoolDays lists the days of school in order: Monday to Friday in the dates of a term, without holidays. The cycle runs on from the first of them, whatever lies between (common practice).
// There are none where the dates of the terms are not known.
func (y *Year) SchoolDays() (list []SchoolDay) {
	for term, span := range y.Dates {
		first, err := time.Parse(time.DateOnly, span[0])
		last, err2 := time.Parse(time.DateOnly, span[1])
		if err != nil || err2 != nil {
			continue
		}
		for at := first; !at.After(last) && len(list) < maxSchoolDays; at = at.AddDate(0, 0, 1) {
			if at.Weekday() == time.Saturday || at.Weekday() == time.Sunday || slices.Contains(y.Policy.Holidays, at.Format(time.DateOnly)) {
				continue
			}
			list = append(list, SchoolDay{at, term, len(list)%max(1, y.Policy.Days) + 1})
		}
	}
	return list
}

// maxSchoolDays is more than any school year has.
const maxSchoolDays = 400
