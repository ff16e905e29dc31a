package main

import (
	"slices"
	"testing"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/core/sheet"
	"rubricon/demo"
)

// The master schedule of Skerry Point has a whole week for everybody at once: every cell filled, every rule over the sections held, nothing at the same time twice, no section overfull, every entry
// condition met; and no teacher and no room is in two places.
func TestSkerryPointHasAWeekForEverybody(t *testing.T) {
	for _, seed := range []uint64{7, 8} {
		files, planted := demo.Skerry(seed, demo.SkerryStudents)
		b, err := bundle.ReadFiles(files)
		if err != nil || len(b.Problems) > 0 {
			t.Fatal(err, b.Problems[:min(len(b.Problems), 5)])
		}
		if len(b.Pupils) != 400 || len(planted) != 400 || b.Year.Policy.Periods != 9 || b.Year.Policy.Days != 6 {
			t.Fatalf("%d students, %d weeks, %d periods, %d days", len(b.Pupils), len(planted), b.Year.Policy.Periods, b.Year.Policy.Days)
		}
		all := b.Choices()
		taken := make([]int, len(all))
		for i := range b.Pupils {
			pupil := &b.Pupils[i]
			var own []sheet.Section
			for _, id := range planted[pupil.ID] {
				at := slices.IndexFunc(b.Sections, func(x bundle.Section) bool { return x.ID == id })
				taken[at]++
				for k := range own {
					if own[k].Shares(&all[at]) || own[k].Course == all[at].Course {
						t.Fatalf("seed %d, %s: %s is at the same time as something else, or again", seed, pupil.ID, id)
					}
				}
				own = append(own, all[at])
			}
			f := sheet.NewFacts(b.Year, pupil.Student)
			choice, err := f.Choose(&sheet.Sheet{}, own)
			if err != nil || !choice.Complete || len(choice.Open) > 0 {
				t.Fatalf("seed %d, %s: %+v %v", seed, pupil.ID, choice, err)
			}
			for k := range own {
				if r := f.AsRequest(&sheet.Sheet{}, own[k].Course); r.Barred || entryWord(&r) != "met" && entryWord(&r) != "none" {
					t.Errorf("seed %d, %s may not take %s: %s", seed, pupil.ID, b.Year.Codes[own[k].Course], entryWord(&r))
				}
			}
		}
		for i, n := range taken {
			if n > b.Sections[i].Seats {
				t.Errorf("seed %d: %d in %s, which has %d seats", seed, n, b.Sections[i].ID, b.Sections[i].Seats)
			}
		}
		meets, takes, list := b.Takes()
		for _, d := range placement.Doubles(meets, takes) {
			t.Errorf("seed %d: %s %s is in %s and %s at once", seed, list[d.What].Kind, list[d.What].Name, b.Sections[d.First].ID, b.Sections[d.Second].ID)
		}
	}
}
