package exact_test

import (
	"testing"
	"time"

	"rubricon/bench/exact"
	"rubricon/core/placement"
	"rubricon/demo"
)

// Against an outside solver of mixed-integer programs: its optimum lies between what is found and the bound, and what is found is
// as good to two in ten thousand.
func TestAgainstCBC(t *testing.T) {
	for _, o := range []demo.Options{
		{Students: 40, Seed: 1, Schedule: demo.Contested, Hard: 3},
		{Students: 60, Seed: 2, Schedule: demo.Contested, Hard: 1},
		{Students: 80, Seed: 3, Schedule: demo.Contested, Hard: 2},
		{Students: 80, Seed: 4, Schedule: demo.Planted, Hard: 3},
	} {
		p, err := demo.Problem(o)
		if err != nil {
			t.Fatal(err)
		}
		want, err := exact.Solve(t.Context(), p, 2*time.Minute)
		if err != nil {
			t.Fatal(err)
		}
		if !want.Optimal {
			t.Errorf("%+v: the solver did not come to the end", o)
			continue
		}
		found, err := placement.Solve(t.Context(), p, placement.Options{Seed: 1, Effort: 100})
		if err != nil {
			t.Fatal(err)
		}
		value, err := p.Check(found.Given)
		if err != nil || value != found.Value {
			t.Fatal(err)
		}
		if found.Bound < want.Value || value > want.Value || float64(value) < 0.9998*float64(want.Value) {
			t.Errorf("%+v: %d of %d; the solver's optimum is %d", o, value, found.Bound, want.Value)
		}
	}
}
