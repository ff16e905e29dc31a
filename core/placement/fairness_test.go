package placement

import (
	"fmt"
	"slices"
	"testing"
)

// one makes a course with one section at a time of its own.
func one(p *Problem, code string, seats int, cells ...int32) int32 {
	course := int32(len(p.Courses))
	p.Courses = append(p.Courses, code)
	p.Sections = append(p.Sections, Section{ID: "k" + code, Course: course, Cells: cells, Seats: seats})
	return course
}

// Of equals the lot decides, and nothing else: the last in the draw goes without.
func TestTheLotDecidesAmongEquals(t *testing.T) {
	for seed := range uint64(8) {
		p := &Problem{}
		a, b := one(p, "A", 9, 1), one(p, "B", 20, 2)
		ids := make([]string, 10)
		for i := range ids {
			ids[i] = fmt.Sprintf("s%d", i)
			p.Students = append(p.Students, Student{ID: ids[i], Requests: []Request{{a, 59}, {b, 58}}})
		}
		found := solve(t, p, Options{Seed: seed, Effort: 100})
		last := found.Draw[len(ids)-1]
		if !slices.Equal(found.Draw, Draw(seed, ids)) {
			t.Errorf("seed %d: the draw cannot be repeated", seed)
		}
		for i, g := range found.Given {
			if (g.Requests[0] == None) != (int32(i) == last) {
				t.Errorf("seed %d: %s has section %d of A; the last of the draw is %s", seed, ids[i], g.Requests[0], ids[last])
			}
		}
	}
}

// Seniority comes before the lot.
func TestSeniorityComesFirst(t *testing.T) {
	for seed := range uint64(8) {
		p := &Problem{}
		a := one(p, "A", 5, 1)
		for i := range 10 {
			p.Students = append(p.Students, Student{ID: fmt.Sprintf("s%d", i), Senior: 9 + i%2, Requests: []Request{{a, 59}}})
		}
		for i, g := range solve(t, p, Options{Seed: seed, Effort: 100}).Given {
			if (g.Requests[0] != None) != (i%2 == 1) {
				t.Errorf("seed %d: student %d of grade %d has %d", seed, i, p.Students[i].Senior, g.Requests[0])
			}
		}
	}
}

// Two courses with a seat each, two students who want both: one each is as good as both for one, and fairer.
func TestTheWorstOffAreRaisedFirst(t *testing.T) {
	for seed := range uint64(8) {
		p := &Problem{}
		a, b := one(p, "A", 1, 1), one(p, "B", 1, 2)
		for i := range 2 {
			p.Students = append(p.Students, Student{ID: fmt.Sprintf("s%d", i), Requests: []Request{{a, 59}, {b, 58}}})
		}
		found := solve(t, p, Options{Seed: seed, Effort: 100})
		if found.Value != 117 {
			t.Fatalf("seed %d: value %d", seed, found.Value)
		}
		for i, g := range found.Given {
			if (g.Requests[0] == None) == (g.Requests[1] == None) {
				t.Errorf("seed %d: student %d has both or neither", seed, i)
			}
		}
		if first := found.Draw[0]; found.Given[first].Requests[0] == None {
			t.Errorf("seed %d: the first of the draw has the lesser course", seed)
		}
	}
}

// The documented way of drawing, done again with sha256sum: 1:s1 gives d3e9…, 1:s2 c482…, 1:s3 a3df….
func TestDraw(t *testing.T) {
	if got := fmt.Sprint(Draw(1, []string{"s1", "s2", "s3"})); got != "[2 1 0]" {
		t.Error(got)
	}
}

func TestCompareStanding(t *testing.T) {
	for _, c := range []struct {
		a, b []int64
		want int
	}{{[]int64{1, 5}, []int64{5, 1}, 0}, {[]int64{3, 3}, []int64{5, 0}, -1}, {[]int64{5, 1}, []int64{0, 5}, 1}} {
		if got := compareStanding(c.a, c.b); got != c.want {
			t.Errorf("%v and %v: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}
