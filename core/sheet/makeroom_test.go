package sheet

import (
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/policy"
)

// What is said to make room does, touches nothing that is assigned, breaks no rule, and is the least: where nothing is said, no one or two requests would do. The
// oracle tries every pair of requests, each as a sheet of its own.
func TestRoomAgainstAllRemovals(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 1))
	said, none, pairs := 0, 0, 0
	for range 4000 {
		y := randomYear(t, r)
		s := randomSheet(r, y)
		f := NewFacts(y, randomStudent(r, y))
		effects, err := f.Effects(&s, true)
		if err != nil {
			continue
		}
		before, err := f.Judge(&s)
		if err != nil {
			t.Fatal(err)
		}
		held := map[int]bool{}
		for _, x := range before.Rules {
			held[x.Rule] = x.Holds
		}
		for i := range effects {
			e := &effects[i]
			if e.Fits {
				continue
			}
			var trial addition
			f.add(&trial, s.courses(), courses(s.Summer), e.Course)
			with := slices.Clone(trial.requests)
			var rest []Entry
			for _, a := range s.Alternates {
				if !slices.Contains(with, a.Course) {
					rest = append(rest, a)
				}
			}
			var summer []Entry
			for _, c := range trial.summer {
				summer = append(summer, Entry{Course: c})
			}
			works := func(gone []int32) bool {
				for _, c := range gone {
					if assigned, _ := f.Assigned(c); assigned || c == e.Course || find(s.Requests, c) < 0 {
						return false
					}
				}
				tried := Sheet{Alternates: rest, Summer: summer}
				for _, c := range with {
					if !slices.Contains(gone, c) {
						tried.Requests = append(tried.Requests, Entry{Course: c})
					}
				}
				if _, over := packEverything(y, tried.Requests); over > 0 {
					return false
				}
				after, err := f.Judge(&tried)
				if err != nil {
					return false
				}
				for _, x := range after.Rules {
					was, inForce := held[x.Rule]
					if y.Rules[x.Rule].Stance == policy.Block && !x.Holds && (was || !inForce) {
						return false
					}
				}
				return true
			}
			recommended := func(gone []int32) (n int) {
				for _, c := range gone {
					if f.Recommended(c) {
						n++
					}
				}
				return n
			}
			var one, two [][]int32
			for i, a := range s.Requests {
				if !slices.Contains(with, a.Course) {
					continue
				}
				gone := f.leaving(with, a.Course)
				if works(gone) {
					one = append(one, gone)
				}
				for _, b := range s.Requests[i+1:] {
					if !slices.Contains(with, b.Course) {
						continue
					}
					both := slices.Clone(gone)
					for _, c := range f.leaving(with, b.Course) {
						if !slices.Contains(both, c) {
							both = append(both, c)
						}
					}
					if works(both) {
						two = append(two, both)
					}
				}
			}
			if len(e.Room) == 0 {
				if none++; len(one)+len(two) > 0 {
					t.Fatalf("nothing is said to make room for %s, and taking off %v does", y.Codes[e.Course], append(one, two...)[0])
				}
				continue
			}
			said++
			if !works(e.Room) {
				t.Fatalf("taking off %v does not make room for %s", e.Room, y.Codes[e.Course])
			}
			least := one
			if len(one) == 0 {
				least, pairs = two, pairs+1
			}
			for _, gone := range least {
				if recommended(gone) < recommended(e.Room) || recommended(gone) == recommended(e.Room) && len(gone) < len(e.Room) {
					t.Fatalf("for %s %v is said to go, and %v would do", y.Codes[e.Course], e.Room, gone)
				}
			}
		}
	}
	if said < 200 || none < 200 || pairs < 50 {
		t.Errorf("room was made %d times, %d of them by two, and %d times not: too few to tell", said, pairs, none)
	}
}
