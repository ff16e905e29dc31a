package catalog

import (
	"slices"
	"testing"
)

// What may follow a course rests on it, is of its subject and of the year; variants come with their course, and no more than are wanted.
func TestFollow(t *testing.T) {
	course := func(code, subject, variantOf string, summer bool, leadsTo ...string) Compiled {
		return Compiled{Course: &Course{Code: code, Subjects: []string{subject}, VariantOf: variantOf, Summer: summer, LeadsTo: leadsTo}}
	}
	y := &Year{Courses: []Compiled{course("G", "M", "", false, "A", "S", "P", "N"), course("A", "M", "", false), course("AA", "M", "A", false), course("S", "M", "", true),
		course("P", "Science", "", false), course("X", "M", "", false), course("N", "M", "", false)}}
	for most, want := range map[int][]int32{0: nil, 1: {1}, 2: {1, 2}, 3: {1, 2, 6}, 9: {1, 2, 6}} {
		if got := y.Follow(0, most); !slices.Equal(got, want) {
			t.Errorf("at most %d: %v, want %v", most, got, want)
		}
	}
	if got := y.Follow(5, 3); len(got) != 0 {
		t.Errorf("after what nothing rests on: %v", got)
	}
}
