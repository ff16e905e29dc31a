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

// SchoolDays lists the days of school in order: Monday to Friday in the dates of a term, without holidays.
// The cycle runs on from the first of them, whatever lies between (common practice). There are none where the
// dates of the terms are not known.
func (y *Year) SchoolDays() (list []SchoolDay) {
	for term, span := range y.Dates {
		first, err := time.Parse(time.DateOnly, span[0])
		last, err2 := time.Parse(time.DateOnly, span[1])
		if err != nil || err2 != nil {
			continue
		}
		for at := first; !at.After(last) && len(list) < maxSchoolDays; at = at.AddDate(0, 0, 1) {
			if !y.SchoolDay(at.Format(time.DateOnly)) {
				continue
			}
			list = append(list, SchoolDay{at, term, len(list)%max(1, y.Policy.Days) + 1})
		}
	}
	return list
}

// SchoolDay reports whether a date, YYYY-MM-DD, is neither on a weekend nor a holiday of the policy.
func (y *Year) SchoolDay(date string) bool {
	day, err := time.Parse(time.DateOnly, date)
	weekday := day.Weekday()
	return err == nil && weekday != time.Saturday && weekday != time.Sunday && !slices.Contains(y.Policy.Holidays, date)
}

// NextDay is the date after one, YYYY-MM-DD; what is no date stays as it is.
func NextDay(date string) string {
	day, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return date
	}
	return day.AddDate(0, 0, 1).Format(time.DateOnly)
}

// SpanOf returns the first and the last day of a set of terms; empty where they are not known.
func (y *Year) SpanOf(terms TermSet) (first, last string) {
	for i, d := range y.Dates {
		if terms>>i&1 == 0 {
			continue
		}
		if first == "" {
			first = d[0]
		}
		last = max(last, d[1])
	}
	return first, last
}

// maxSchoolDays is more than any school year has.
const maxSchoolDays = 400
