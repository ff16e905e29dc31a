package catalog_test

import (
	"fmt"
	"strings"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/policy"
)

func TestSchoolDays(t *testing.T) {
	y := &catalog.Year{Frame: catalog.Frame{Terms: []string{"S1", "S2"}, Dates: [][2]string{{"2027-09-02", "2027-09-08"}, {"2028-01-31", "2028-02-01"}}}, Policy: &policy.Policy{Days: 2, Holidays: []string{"2027-09-06"}}}
	var got []string
	for _, d := range y.SchoolDays() {
		got = append(got, fmt.Sprintf("%s %d.%d", d.Date.Format("Mon 02"), d.Term, d.Day))
	}
	// Labor Day, the first Monday of September, is a holiday (5 U.S.C. 6103); the cycle goes on after it and after the weekend.
	if want := "Thu 02 0.1, Fri 03 0.2, Tue 07 0.1, Wed 08 0.2, Mon 31 1.1, Tue 01 1.2"; strings.Join(got, ", ") != want {
		t.Errorf("%s, want %s", strings.Join(got, ", "), want)
	}
	y.Dates = [][2]string{{"", ""}, {"x", "2028-02-01"}}
	if list := y.SchoolDays(); len(list) != 0 {
		t.Errorf("without dates: %v", list)
	}
}
