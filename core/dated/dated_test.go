package dated_test

import (
	"errors"
	"fmt"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/dated"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// Two semesters with a holiday, Monday 6 September; sections 0 and 1 meet in period 1 of both, 2 in period 2, 3 in period 1 of the second semester alone.
var (
	year = &catalog.Year{Frame: catalog.Frame{Terms: []string{"S1", "S2"}, Dates: [][2]string{{"2027-08-30", "2028-01-28"}, {"2028-01-31", "2028-06-16"}}},
		Policy: &policy.Policy{Days: 1, Holidays: []string{"2027-09-06"}}}
	sections = []sheet.Section{{Course: 0, Terms: 3, Periods: []int{1}, Days: []int{1}}, {Course: 1, Terms: 3, Periods: []int{1}, Days: []int{1}}, {Course: 2, Terms: 3, Periods: []int{2}, Days: []int{1}},
		{Course: 3, Terms: 2, Periods: []int{1}, Days: []int{1}}, {Course: 0, Terms: 3, Periods: []int{2}, Days: []int{1}}}
)

func ExampleApply() {
	after, err := dated.Apply(year, sections, []dated.Stay{{Section: 0}}, []dated.Mark{{Section: 0, Date: "2027-09-13"}, {Section: 0, Date: "2027-09-15"}}, dated.Change{Drop: []int{0}, Add: []int{1}, On: "2027-09-14"})
	fmt.Println(after.Stays, after.Move, after.Delete, err)
	// Output: [{0  2027-09-14} {1 2027-09-14 }] [{1 1}] [] <nil>
}

func TestApply(t *testing.T) {
	in := []dated.Stay{{Section: 0}}
	for name, c := range map[string]struct {
		stays  []dated.Stay
		marks  []dated.Mark
		change dated.Change
		want   string
	}{
		"on the first day the student never attended":        {in, nil, dated.Change{Drop: []int{0}, Add: []int{1}, On: "2027-08-30"}, "[{1 2027-08-30 }] never [0] [] []"},
		"nor before what begins later":                       {[]dated.Stay{{0, "", "2027-10-04"}, {1, "2027-10-04", ""}}, nil, dated.Change{Drop: []int{1}, On: "2027-10-01"}, "[{0  2027-10-04}] never [1] [] []"},
		"attendance that is in the way goes along":           {in, []dated.Mark{{0, "2027-08-31"}}, dated.Change{Drop: []int{0}, Add: []int{1}, On: "2027-08-30"}, "[{1 2027-08-30 }] never [0] [{0 1}] []"},
		"or is to be deleted where nothing comes instead":    {in, []dated.Mark{{0, "2027-09-15"}, {0, "2027-09-13"}}, dated.Change{Drop: []int{0}, On: "2027-09-14"}, "[{0  2027-09-14}] never [] [] [0]"},
		"another time is no place for it":                    {in, []dated.Mark{{0, "2027-09-15"}}, dated.Change{Drop: []int{0}, Add: []int{2}, On: "2027-09-14"}, "[{0  2027-09-14} {2 2027-09-14 }] never [] [] [0]"},
		"what is added beside":                               {in, nil, dated.Change{Add: []int{2}, On: "2027-09-14"}, "[{0  } {2 2027-09-14 }] never [] [] []"},
		"a holiday":                                          {in, nil, dated.Change{Drop: []int{0}, On: "2027-09-06"}, "no-school-day -1 -1 "},
		"a Saturday":                                         {in, nil, dated.Change{Drop: []int{0}, On: "2027-09-11"}, "no-school-day -1 -1 "},
		"after the year":                                     {in, nil, dated.Change{Drop: []int{0}, On: "2028-06-19"}, "outside-terms 0 -1 "},
		"before a section's semester":                        {nil, nil, dated.Change{Add: []int{3}, On: "2027-09-14"}, "outside-terms 3 -1 "},
		"out of what one is not in":                          {in, nil, dated.Change{Drop: []int{1}, On: "2027-09-14"}, "not-enrolled 1 -1 "},
		"out of what has ended":                              {[]dated.Stay{{0, "", "2027-09-10"}}, nil, dated.Change{Drop: []int{0}, On: "2027-09-14"}, "not-enrolled 0 -1 "},
		"into what one is in":                                {in, nil, dated.Change{Add: []int{0}, On: "2027-09-14"}, "already-in 0 -1 "},
		"at the same time":                                   {in, nil, dated.Change{Add: []int{1}, On: "2027-09-14"}, "same-time 1 0 "},
		"at the same time later in the year":                 {[]dated.Stay{{Section: 3}}, nil, dated.Change{Add: []int{1}, On: "2027-09-14"}, "same-time 1 3 "},
		"into another section of a course":                   {in, nil, dated.Change{Add: []int{4}, On: "2027-09-14"}, "same-course 4 0 "},
		"from one section of a course into another":          {in, nil, dated.Change{Drop: []int{0}, Add: []int{4}, On: "2027-09-14"}, "[{0  2027-09-14} {4 2027-09-14 }] never [] [] []"},
		"days after something has ended":                     {[]dated.Stay{{0, "", "2027-09-10"}}, nil, dated.Change{Add: []int{1}, On: "2027-09-14"}, "gap 1 0 2027-09-10"},
		"a weekend and a holiday are no gap":                 {[]dated.Stay{{0, "", "2027-09-04"}}, nil, dated.Change{Add: []int{1}, On: "2027-09-07"}, "[{0  2027-09-04} {1 2027-09-07 }] never [] [] []"},
		"what comes in later leaves none when dropped early": {[]dated.Stay{{0, "", "2027-10-04"}, {1, "2027-10-04", ""}}, nil, dated.Change{Drop: []int{0}, On: "2027-09-14"}, "gap 1 0 2027-09-14"},
	} {
		out, err := dated.Apply(year, sections, c.stays, c.marks, c.change)
		var known *dated.Error
		got := ""
		if errors.As(err, &known) {
			got = fmt.Sprintf("%s %d %d %s", known.Why, known.Section, known.Other, known.Date)
		} else if err != nil {
			t.Fatal(err)
		} else {
			got = fmt.Sprint(out.Stays, " never ", out.Never, " ", out.Move, " ", out.Delete)
		}
		if got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

// Who leaves the school ends with the next school day what has begun by then; what has not leaves no trace, and what is over stays.
func TestLeave(t *testing.T) {
	stays := []dated.Stay{{Section: 0}, {Section: 3}, {Section: 2, End: "2027-09-10"}, {Section: 2, Begin: "2027-09-10"}, {Section: 1, Begin: "2027-10-04"}}
	for last, want := range map[string]string{
		"2027-06-30": "2027-08-30 ends [] never [0 1 2 3 4]", // before the year: its first day
		"2027-08-30": "2027-08-31 ends [0 2] never [1 3 4]",
		"2027-09-03": "2027-09-07 ends [0 2] never [1 3 4]", // over a weekend and a holiday
		"2027-09-09": "2027-09-10 ends [0] never [1 3 4]",   // what ends that day is over, what begins that day was never attended
		"2027-10-03": "2027-10-04 ends [0 3] never [1 4]",
		"2027-10-04": "2027-10-05 ends [0 3 4] never [1]",
		"2028-06-16": " ends [] never []", // the last day of the year
	} {
		on, ends, never := dated.Leave(year, sections, stays, last)
		if got := fmt.Sprint(on, " ends ", ends, " never ", never); got != want {
			t.Errorf("after %s: %s; %s is wanted", last, got, want)
		}
	}
}
