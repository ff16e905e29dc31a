package sheet

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"
)

// One request lost is what Cover says of it; each of several lost is what Cover says of it on what is left.
func TestWhatIfIsCoverStepByStep(t *testing.T) {
	one, several, mended := 0, 0, 0
	for seed := range uint64(1500) {
		r := rand.New(rand.NewPCG(seed, 31))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		s := randomSheet(r, y)
		covers, err := f.Cover(&s)
		if err != nil || len(s.Requests) == 0 {
			continue
		}
		kept := s.clone()
		for i, e := range s.Requests {
			got, err := f.WhatIf(&s, []int32{e.Course})
			if err != nil {
				t.Fatal(err)
			}
			if len(got.Lost) != 1 || got.Lost[0].Covered != covers[i].Covered || !slices.Equal(got.Lost[0].Mend, covers[i].Mend) || !slices.Equal(got.Lost[0].Short, covers[i].Short) {
				t.Fatalf("seed %d: without %s %+v, cover says %+v", seed, y.Codes[e.Course], got.Lost, covers[i])
			}
			want := append(slices.DeleteFunc(s.courses(), func(c int32) bool { return c == e.Course }), covers[i].Mend...)
			if !slices.Equal(got.Sheet.courses(), want) || len(got.Sheet.Alternates) != len(s.Alternates)-len(covers[i].Mend) {
				t.Fatalf("seed %d: the year without %s is %v, want %v", seed, y.Codes[e.Course], got.Sheet.courses(), want)
			}
			one++
			mended += len(covers[i].Mend)
		}
		if len(s.Requests) > 1 {
			first, second := s.Requests[0].Course, s.Requests[len(s.Requests)-1].Course
			both, err := f.WhatIf(&s, []int32{second, first}) // in the order of rank, whatever order they are named in
			if err != nil {
				continue
			}
			step, _ := f.WhatIf(&s, []int32{first})
			then, err := f.WhatIf(&step.Sheet, []int32{second})
			if err != nil || both.Lost[0].Course != first || !slices.Equal(both.Sheet.courses(), then.Sheet.courses()) || both.Judgement.Ready != then.Judgement.Ready {
				t.Fatalf("seed %d: both lost give %v, one after the other %v (%v)", seed, both.Sheet.courses(), then.Sheet.courses(), err)
			}
			several++
		}
		if !slices.Equal(kept.Requests, s.Requests) || !slices.Equal(kept.Alternates, s.Alternates) {
			t.Fatal("the sheet given was changed")
		}
	}
	if one < 1000 || several < 300 || mended < 100 {
		t.Errorf("%d, %d, %d: the sheets are too plain", one, several, mended)
	}
	y := plainYear(t)
	s := laidOut(t, y, []string{"A"}, nil)
	if _, err := NewFacts(y, Student{Grade: 10}).WhatIf(&s, []int32{s.Requests[0].Course + 1}); !errors.Is(err, ErrNotOnSheet) {
		t.Errorf("what is not requested cannot be lost: %v", err)
	}
}

// A hint is an alternate that covers on its own what nothing did; and what covers on its own as the last alternate is found, the best first.
func TestHintsAgainstTryingEach(t *testing.T) {
	hinted, tried := 0, 0
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 37))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		s := randomSheet(r, y)
		open, err := f.Uncovered(&s)
		if err != nil {
			continue
		}
		list, err := f.Hints(&s)
		if err != nil {
			t.Fatal(err)
		}
		most := 0
		for course := range int32(len(y.Courses)) {
			if slices.Contains(all(&s), course) || find(s.Alternates, course) >= 0 || y.Courses[course].Summer {
				continue
			}
			with := s.clone()
			with.Alternates = append(with.Alternates, Entry{Course: course, StandsFor: Any, Rank: len(with.Alternates) + 1})
			covers, err := f.Cover(&with)
			if err != nil {
				continue
			}
			alone, saved := 0, []int32(nil)
			for _, c := range covers {
				if slices.Contains(open, c.Course) && c.Covered {
					saved = append(saved, c.Course)
					if slices.Equal(c.Mend, []int32{course}) {
						alone++
					}
				}
			}
			most = max(most, alone)
			tried++
			at := slices.IndexFunc(list, func(h Hint) bool { return h.Course == course })
			if at < 0 {
				continue
			}
			hinted++
			for _, lost := range list[at].Saves {
				if !slices.Contains(saved, lost) {
					t.Fatalf("seed %d: %s was to save %s and does not", seed, y.Codes[course], y.Codes[lost])
				}
			}
			if alone > len(list[at].Saves) {
				t.Fatalf("seed %d: %s saves %d by itself, the hint says %v", seed, y.Codes[course], alone, list[at].Saves)
			}
		}
		if most > 0 && (len(list) == 0 || len(list[0].Saves) < most) {
			t.Fatalf("seed %d: some course saves %d, the hints are %v", seed, most, list)
		}
		if !slices.IsSortedFunc(list, func(a, b Hint) int { return len(b.Saves) - len(a.Saves) }) || len(list) > MaxHints {
			t.Fatalf("seed %d: not the best first: %v", seed, list)
		}
	}
	if hinted < 40 || tried < 5000 {
		t.Errorf("%d hints in %d trials: the sheets are too plain", hinted, tried)
	}
}
