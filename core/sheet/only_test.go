package sheet

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// What is filled in is what cannot be done without: no choice of the other courses that could be requested, with at most one of a course
// and its variants, reaches the minimum; of everything else some does.
func TestOnlyAnswersAgainstEveryChoice(t *testing.T) {
	found, others := 0, 0
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 17))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		s := randomSheet(r, y)
		before, err := f.Judge(&s)
		if err != nil {
			continue
		}
		only, sole := f.Only(&s), f.Sole(&s)
		for _, rule := range before.Rules {
			compiled := &y.Rules[rule.Rule]
			if compiled.Stance != policy.Block || compiled.Min == nil || !slices.Contains([]policy.On{policy.Requests, policy.Both, policy.Taken}, compiled.On) {
				continue
			}
			d := f.newDesk()
			if err := d.layOut(&s); err != nil {
				t.Fatal(err)
			}
			base := rule.Measured
			var could []int32
			for course := range int32(len(y.Courses)) {
				c := &y.Courses[course]
				if c.Summer || !compiled.Count.Has(course) || d.countedOnRecord(&compiled.Count, course) {
					continue
				}
				if at := slices.Index(requestsOf(&s), course); at >= 0 {
					base -= d.weigh(&compiled.Count, course, before.Packing.Spans[at])
					could = append(could, course)
					continue
				}
				verdict, has := entryOf(f, &s, course)
				if !f.Barred(course) && (c.Repeatable || !f.AlreadyEarned(course)) && (!has || c.EntryStance != policy.Block || verdict >= condition.Unverified) {
					could = append(could, course)
				}
			}
			reaches := func(without int32) bool {
				for choice := range 1 << len(could) {
					sum, heads := base, map[string]bool{}
					for i, course := range could {
						head := cmp.Or(y.Courses[course].VariantOf, y.Codes[course])
						if choice>>i&1 == 0 || course == without || heads[head] {
							continue
						}
						heads[head] = true
						most := credit.Amount(0)
						for _, span := range y.Courses[course].Spans {
							most = max(most, d.weigh(&compiled.Count, course, span))
						}
						sum += most
					}
					if sum >= *compiled.Min {
						return true
					}
				}
				return false
			}
			possible := reaches(-1)
			for _, course := range could {
				want := possible && !reaches(course)
				requested := slices.Contains(requestsOf(&s), course)
				listed := only
				if requested {
					listed = sole
				} else {
					want = want && rule.Measured < *compiled.Min && !d.repeats(course)
				}
				if got := slices.Contains(listed, Only{rule.Rule, course}); got != want {
					t.Fatalf("seed %d, rule %d, %s, requested %v: necessary %v, want %v", seed, rule.Rule, y.Codes[course], requested, got, want)
				}
				if want {
					found++
				} else {
					others++
				}
			}
		}
	}
	if found < 200 || others < 2000 {
		t.Errorf("%d found, %d others: the schools are too plain", found, others)
	}
}

func entryOf(f *Facts, s *Sheet, course int32) (condition.Verdict, bool) {
	d := f.newDesk()
	if d.layOut(s) != nil {
		return 0, false
	}
	v, has, _ := d.entry(course)
	return v, has
}

// A rule that one course alone can answer is filled in with it and says so; where there are two levels nothing is.
func TestWhatHasOneAnswerIsFilledIn(t *testing.T) {
	one := credit.One
	rule := func(id, code string) policy.Rule {
		return policy.Rule{ID: id, Label: id, Stance: policy.Block, Count: policy.Count{On: policy.Requests, Measure: policy.Courses, Of: policy.Selection{Courses: []string{code}}, Min: &one}}
	}
	levels := rule("levels", "A")
	levels.Of.Courses = append(levels.Of.Courses, "B")
	two := 2 * credit.One
	both := rule("both", "X02") // two of two
	both.Of.Courses, both.Min = append(both.Of.Courses, "X03"), &two
	y := plainYearWith(t, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9, Rules: []policy.Rule{levels, rule("history", "X00"), rule("halves", "C"), both}})
	f := NewFacts(y, Student{ID: "s", Grade: 10})
	index := func(code string) int32 { i, _ := y.Index(code); return i }
	before := laidOut(t, y, []string{"X01"}, nil)
	after, err := f.Apply(&before, Edit{Kind: FillIn})
	if want := laidOut(t, y, []string{"X01", "X00", "C", "D", "X02", "X03"}, nil); err != nil || !slices.Equal(after.Requests, want.Requests) {
		t.Fatalf("filled in: %v, %v", after.Requests, err)
	}
	if got, want := f.Sole(&after), []Only{{1, index("X00")}, {2, index("C")}, {3, index("X02")}, {3, index("X03")}}; !slices.Equal(got, want) {
		t.Errorf("the only answers are %v, want %v", got, want)
	}
	after = laidOut(t, y, []string{"A", "X00", "C", "D", "X02"}, nil) // of A there are two levels
	if got, want := f.Sole(&after), []Only{{1, index("X00")}, {2, index("C")}, {3, index("X02")}}; !slices.Equal(got, want) {
		t.Errorf("the only answers are %v, want %v", got, want)
	}
	if after, err = f.Apply(&after, Edit{Kind: FillIn}); err != nil || !slices.Equal(f.Sole(&after), append(f.Sole(&before), Only{1, index("X00")}, Only{2, index("C")}, Only{3, index("X02")}, Only{3, index("X03")})) {
		t.Errorf("the second of two was not filled in: %v, %v", f.Sole(&after), err)
	}
	if _, err := f.Apply(&after, Edit{Kind: FillIn}); err != ErrNothing {
		t.Errorf("filled in again: %v", err)
	}
}
