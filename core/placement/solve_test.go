package placement

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
)

func solve(t testing.TB, p *Problem, o Options) *Placement {
	t.Helper()
	found, err := Solve(context.Background(), p, o)
	if err != nil {
		t.Fatal(err)
	}
	value, err := p.Check(found.Given)
	if err != nil {
		t.Fatal(err)
	}
	if value != found.Value || found.Bound < found.Value {
		t.Fatalf("the placement is worth %d, it says %d, and the bound is %d", value, found.Value, found.Bound)
	}
	return found
}

// Small problems with everything in them, against trying everything: what is found is best, and the bound holds.
func TestSolveAgainstEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	proven := 0
	const problems = 400
	for n := range problems {
		p := random(r, 2+r.IntN(4), 3+r.IntN(4))
		want := best(p)
		found := solve(t, p, Options{Seed: uint64(n), Effort: 100})
		if found.Value != want || found.Bound < want {
			t.Errorf("problem %d: value %d and bound %d, the best is %d", n, found.Value, found.Bound, want)
		}
		if found.Bound == want {
			proven++
		}
	}
	if proven < problems*3/4 {
		t.Errorf("only %d of %d were proven best", proven, problems)
	}
}

// Any prices give a bound, even where numbers have failed.
func TestPricesAreABound(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for n := range 200 {
		p := random(r, 2+r.IntN(3), 3+r.IntN(3))
		m := compile(p)
		members := make([]int32, len(m.pupils))
		for i := range members {
			members[i] = int32(i)
		}
		g := newProgram(m, members, m.seats, []searcher{{}})
		for k := range members {
			g.learn(k, nothing)
		}
		want := best(p)
		for range 3 {
			price := make([]float64, len(m.pools))
			for i := range price {
				price[i] = []float64{r.Float64() * 60, r.Float64() * 60, r.Float64() * 60, -r.Float64(), math.NaN(), math.Inf(1)}[r.IntN(6)]
			}
			g.setPrices(price)
			if _, bound := g.generate(maxNodes, never); bound < want*scale {
				t.Fatalf("problem %d: the bound is %d/%d, the best is %d", n, bound, scale, want)
			}
		}
	}
}

// What is found does not depend on the order of students and sections, nor on the number of workers; the seed decides.
func TestOrderAndWorkersDoNotMatter(t *testing.T) {
	p := synthetic(120, 5, false, 3)
	one := solve(t, p, Options{Seed: 1, Effort: 60, Workers: 1})
	two := solve(t, p, Options{Seed: 1, Effort: 60, Workers: 2})
	if !reflect.DeepEqual(one, two) {
		t.Error("two workers find something else than one")
	}
	r := rand.New(rand.NewPCG(1, 1))
	students, sections := r.Perm(len(p.Students)), r.Perm(len(p.Sections))
	q := &Problem{Courses: p.Courses}
	at := make([]int32, len(sections))
	for n, i := range sections {
		q.Sections = append(q.Sections, p.Sections[i])
		at[i] = int32(n)
	}
	for _, i := range students {
		q.Students = append(q.Students, p.Students[i])
	}
	other := solve(t, q, Options{Seed: 1, Effort: 60, Workers: 2})
	if other.Value != one.Value || other.Bound != one.Bound {
		t.Fatalf("in another order: %d of %d, before %d of %d", other.Value, other.Bound, one.Value, one.Bound)
	}
	for n, i := range students {
		for k, section := range one.Given[i].Requests {
			if want := section; want != None && other.Given[n].Requests[k] != at[want] || want == None && other.Given[n].Requests[k] != None {
				t.Fatalf("student %s gets something else in another order", p.Students[i].ID)
			}
		}
	}
}

func TestStopping(t *testing.T) {
	p := synthetic(300, 6, false, 3)
	ctx, cancel := context.WithCancel(context.Background())
	found, err := Solve(ctx, p, Options{Seed: 1, Effort: 1000, Progress: func(g Progress) {
		if g.Phase == Bounding {
			cancel()
		}
	}})
	if err != nil {
		t.Fatal(err)
	}
	value, err := p.Check(found.Given)
	if err != nil || value != found.Value || found.Bound < value || !found.Cut {
		t.Fatalf("stopped early: %d, %d of %d, cut %v: %v", value, found.Value, found.Bound, found.Cut, err)
	}
}

func TestProgress(t *testing.T) {
	p := synthetic(150, 7, false, 2)
	var last Progress
	solve(t, p, Options{Seed: 1, Effort: 20, Progress: func(g Progress) {
		if last.Phase != "" && (g.Bound > last.Bound || g.Settled < last.Settled) {
			t.Errorf("the bound rises or students get unsettled: %+v after %+v", g, last)
		}
		last = g
	}})
	if last.Phase != Finished || last.Settled != 150 {
		t.Errorf("the last report is %+v", last)
	}
}

// Everything that can be placed is.
func TestPlantedIsPlaced(t *testing.T) {
	for seed := range uint64(3) {
		p := synthetic(300, seed, true, 3)
		found := solve(t, p, Options{Seed: 1, Effort: 100})
		if found.Value != found.Bound {
			t.Errorf("seed %d: %d of %d", seed, found.Value, found.Bound)
		}
	}
}

func TestBadProblems(t *testing.T) {
	for name, change := range map[string]func(*Problem){
		"courses out of order": func(p *Problem) { p.Courses[0], p.Courses[1] = p.Courses[1], p.Courses[0] },
		"unknown course":       func(p *Problem) { p.Sections[0].Course = 99 },
		"cells out of order":   func(p *Problem) { p.Sections[0].Cells = []int32{2, 1} },
		"wished for twice":     func(p *Problem) { p.Students[0].Alternates = []Alternate{{0, 1, None}} },
		"value too large":      func(p *Problem) { p.Students[0].Requests[0].Value = MaxValue + 1 },
		"stands for nothing":   func(p *Problem) { p.Students[0].Alternates = []Alternate{{1, 1, 7}} },
		"in two groups":        func(p *Problem) { p.Students[0].Together = [][]int32{{0}, {0}} },
		"too many wishes":      func(p *Problem) { p.Students[0].Requests = make([]Request, MaxWishes+1) },
	} {
		p := &Problem{Courses: []string{"A", "B"}, Sections: []Section{{ID: "a", Course: 0, Cells: []int32{1}, Seats: 1}},
			Students: []Student{{ID: "s", Requests: []Request{{0, 59}}}}}
		if _, err := Solve(context.Background(), p, Options{}); err != nil {
			t.Fatal(err)
		}
		change(p)
		if _, err := Solve(context.Background(), p, Options{}); err == nil {
			t.Errorf("%s: no error", name)
		}
	}
}

// A school of 20,000 is refused with a sentence before anything is made ready for it: it would not fit into memory.
func TestASchoolTooLargeIsRefused(t *testing.T) {
	p := &Problem{Courses: make([]string, 100)}
	for c := range p.Courses {
		p.Courses[c] = fmt.Sprintf("C%03d", c)
		for k := range 90 {
			p.Sections = append(p.Sections, Section{ID: fmt.Sprint(c, ".", k), Course: int32(c), Cells: []int32{int32(k % 8)}, Seats: 26})
		}
	}
	wishes := make([]Request, 12)
	for k := range wishes {
		wishes[k] = Request{int32(k * 8), 59}
	}
	for i := range 20_000 {
		p.Students = append(p.Students, Student{ID: fmt.Sprint(i), Requests: wishes})
	}
	_, err := Solve(t.Context(), p, Options{})
	var known *ProblemError
	if !errors.As(err, &known) || !strings.Contains(known.What, "21600000 ways to give a single wish") {
		t.Errorf("%v", err)
	}
}

func TestEmptyProblems(t *testing.T) {
	if found := solve(t, &Problem{}, Options{Effort: 100}); found.Value != 0 || found.Bound != 0 || found.Gap() != 0 {
		t.Errorf("nothing at all: %+v", found)
	}
	p := &Problem{Courses: []string{"A"}, Students: []Student{{ID: "s", Requests: []Request{{0, 59}}}}}
	if found := solve(t, p, Options{Effort: 100}); found.Value != 0 || found.Bound != 0 || !slices.Equal(found.Given[0].Requests, []int32{None}) {
		t.Errorf("no sections: %+v", found)
	}
}
