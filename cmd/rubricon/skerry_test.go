package main

import (
	"math/rand/v2"
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

// A week that is filled up has nothing in it that collides, takes nothing that may not be taken, and is left open only where no one, two or three sections fill what is open.
func TestFillingUpAWeek(t *testing.T) {
	files, planted := demo.Skerry(7, demo.SkerryStudents)
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	all := b.Choices()
	r := rand.New(rand.NewPCG(15, 15))
	whole, open := 0, 0
	for range 40 {
		pupil := &b.Pupils[r.IntN(len(b.Pupils))]
		f, laid := sheet.NewFacts(b.Year, pupil.Student), pupil.Sheet(b.Year)
		var own []sheet.Section
		for _, id := range planted[pupil.ID] {
			if r.IntN(2) == 0 {
				own = append(own, all[slices.IndexFunc(b.Sections, func(x bundle.Section) bool { return x.ID == id })])
			}
		}
		var candidates []int
		for _, i := range r.Perm(len(all)) {
			if x := f.AsRequest(&laid, all[i].Course); r.IntN(3) > 0 && f.MayTake(&x) {
				candidates = append(candidates, i)
			}
		}
		list, err := f.FillUp(&laid, own, all, candidates)
		if err != nil {
			t.Fatal(err)
		}
		week := slices.Clone(own)
		for _, i := range list {
			if !slices.Contains(candidates, i) || slices.ContainsFunc(week, func(x sheet.Section) bool { return x.Collides(&all[i]) }) {
				t.Fatalf("%s: %s may not be taken, or collides", pupil.ID, b.Sections[i].ID)
			}
			week = append(week, all[i])
		}
		choice, err := f.Choose(&laid, week)
		if err != nil {
			t.Fatal(err)
		}
		if len(choice.Open) == 0 {
			whole++
		}
		for _, o := range choice.Open {
			open++
			if ways := sheet.Fillings(o.Cells(), week, all, candidates, 1); len(ways) > 0 {
				t.Errorf("%s: %v is left open, and %v would fill it", pupil.ID, o, ways)
			}
		}
	}
	if whole < 5 || open < 5 {
		t.Errorf("%d weeks are filled, %d openings left", whole, open)
	}
}
