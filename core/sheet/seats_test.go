package sheet_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/sheet"
)

// meeting makes a section at random, of one of so many courses.
func meeting(r *rand.Rand, courses int) sheet.Section {
	s := sheet.Section{Course: int32(r.IntN(courses)), Terms: catalog.TermSet(1 + r.IntN(3))}
	for period := 1; period <= 3; period++ {
		if r.IntN(2) == 0 {
			s.Periods = append(s.Periods, period)
		}
	}
	for day := 1; day <= 4; day++ {
		if r.IntN(2) == 0 {
			s.Days = append(s.Days, day)
		}
	}
	return s
}

// disjoint reports whether no two of some sections meet in the same term, period and day or are of one course, cell by cell.
func disjoint(those []sheet.Section) bool {
	at, courses := map[string]bool{}, map[int32]bool{}
	for _, s := range those {
		if courses[s.Course] {
			return false
		}
		courses[s.Course] = true
		for term := range 2 {
			for _, period := range s.Periods {
				for _, day := range s.Days {
					cell := fmt.Sprint(term, period, day)
					if s.Terms>>term&1 == 1 && at[cell] {
						return false
					} else if s.Terms>>term&1 == 1 {
						at[cell] = true
					}
				}
			}
		}
	}
	return true
}

// The ways to fill open cells are those that trying every set of up to three sections finds, singles first.
func TestFillingsBesideTryingEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 21))
	sizes := map[int]int{}
	for n := range 1200 {
		var own []sheet.Section
		for range r.IntN(3) {
			if s := meeting(r, 12); disjoint(append(slices.Clone(own), s)) {
				own = append(own, s)
			}
		}
		all := make([]sheet.Section, 14)
		may := make([]bool, len(all))
		for i := range all {
			all[i], may[i] = meeting(r, 12), r.IntN(5) > 0
		}
		var cells []sheet.Cell // of a period, in one term or in both
		period, both := 1+r.IntN(3), r.IntN(3) == 0
		for term := range 2 {
			open := sheet.OpenPeriod{Term: term, Period: period}
			for day := 1; day <= 4; day++ {
				if !slices.ContainsFunc(own, func(s sheet.Section) bool { return s.Meets(term, period, day) }) {
					open.Days = append(open.Days, day)
				}
			}
			if both || term == n%2 {
				cells = append(cells, open.Cells()...)
			}
		}
		if len(cells) == 0 {
			continue
		}
		var candidates []int
		for _, i := range r.Perm(len(all)) {
			if may[i] {
				candidates = append(candidates, i)
			}
		}
		var want []sheet.Filling
		fills := func(those ...int) {
			set := slices.Clone(own)
			for _, i := range those {
				if !slices.ContainsFunc(cells, func(c sheet.Cell) bool { return c.In(&all[i]) }) {
					return
				}
				set = append(set, all[i])
			}
			for _, c := range cells {
				if !slices.ContainsFunc(those, func(i int) bool { return c.In(&all[i]) }) {
					return
				}
			}
			if disjoint(set) {
				want = append(want, slices.Clone(those))
				sizes[len(those)]++
			}
		}
		for a, i := range candidates {
			fills(i)
			for b, k := range candidates[a+1:] {
				fills(i, k)
				for _, m := range candidates[a+1+b+1:] {
					fills(i, k, m)
				}
			}
		}
		slices.SortStableFunc(want, func(a, b sheet.Filling) int { return len(a) - len(b) })
		got := sheet.Fillings(cells, own, all, candidates, 1000)
		if !slices.EqualFunc(got, want, func(a, b sheet.Filling) bool { return slices.Equal(a, b) }) {
			t.Fatalf("week %d: %v, want %v", n, got, want)
		}
		if few := sheet.Fillings(cells, own, all, candidates, 2); len(few) != min(2, len(want)) || len(few) > 0 && !slices.Equal(few[0], want[0]) {
			t.Fatalf("week %d: at most two are %v", n, few)
		}
	}
	if sizes[1] < 50 || sizes[2] < 50 || sizes[3] < 5 {
		t.Errorf("by size: %v", sizes)
	}
}

// What a section pushes out, and what there is instead, is what looking at every section finds.
func TestDisplacesBesideTryingEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(22, 22))
	out, instead := 0, 0
	for n := range 400 {
		var own []sheet.Section
		for range 4 {
			if s := meeting(r, 8); disjoint(append(slices.Clone(own), s)) {
				own = append(own, s)
			}
		}
		all := make([]sheet.Section, 12)
		may := make([]bool, len(all))
		for i := range all {
			all[i], may[i] = meeting(r, 8), r.IntN(5) > 0
		}
		section := r.IntN(len(all))
		var want []sheet.Displaced
		stay := []sheet.Section{all[section]}
		var gone []int
		for i := range own {
			if disjoint([]sheet.Section{own[i], all[section]}) {
				stay = append(stay, own[i])
			} else {
				gone = append(gone, i)
			}
		}
		for _, i := range gone {
			d := sheet.Displaced{Own: i}
			for k := range all {
				if all[k].Course == own[i].Course && may[k] && disjoint(append(slices.Clone(stay), all[k])) {
					d.Instead = append(d.Instead, k)
				}
			}
			want = append(want, d)
			out++
			instead += len(d.Instead)
		}
		got := sheet.Displaces(own, all, section, func(i int) bool { return may[i] })
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("week %d: %v, want %v", n, got, want)
		}
	}
	if out < 200 || instead < 20 {
		t.Errorf("%d pushed out, %d instead", out, instead)
	}
}
