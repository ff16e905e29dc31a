package graduation

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"

	"rubricon/core/credit"
)

type supply struct {
	mask    uint64
	credits credit.Amount
}

func settle(needs []credit.Amount, stages ...[]supply) [][]credit.Amount {
	var a Assignment
	a.Begin(needs)
	var totals [][]credit.Amount
	for _, stage := range stages {
		for _, s := range stage {
			a.Add(s.mask, s.credits)
		}
		a.Settle()
		totals = append(totals, append([]credit.Amount(nil), a.Totals()...))
	}
	return totals
}

func ExampleAssignment() {
	var a Assignment
	a.Begin([]credit.Amount{100, 100})
	a.Add(0b01, 100) // only the first requirement takes it
	a.Add(0b11, 100) // either
	a.Settle()
	fmt.Println(a.Totals())
	// Output: [1 1]
}

// Filling one requirement after the other with whatever comes first would leave the second short.
func TestOneAfterTheOtherWouldBeWrong(t *testing.T) {
	for _, c := range []struct {
		name  string
		needs []credit.Amount
		have  []supply
		want  string
	}{
		{"the flexible credit moves on", []credit.Amount{100, 100}, []supply{{0b11, 100}, {0b01, 100}}, "[1 1]"},
		{"a chain of three", []credit.Amount{100, 100, 100}, []supply{{0b011, 100}, {0b110, 100}, {0b001, 100}}, "[1 1 1]"},
		{"a course is split", []credit.Amount{50, 100}, []supply{{0b11, 100}, {0b10, 50}}, "[0.5 1]"},
		{"earlier entries first among equals", []credit.Amount{100, 100}, []supply{{0b11, 100}}, "[1 0]"},
		{"the sum comes before the order", []credit.Amount{100, 100}, []supply{{0b11, 100}, {0b01, 100}, {0b01, 50}}, "[1 1]"},
	} {
		if got := fmt.Sprint(settle(c.needs, c.have)[0]); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

// reference solves the same question with gonum's simplex, in one go: a credit's weight makes the sum count before the first
// total, that before the second, and so on. Amounts are in quarters, at most 48 together, so base 50 keeps them apart.
func reference(t *testing.T, needs []credit.Amount, have []supply) []credit.Amount {
	t.Helper()
	n := len(needs)
	var edges [][2]int
	for s, x := range have {
		for e := range needs {
			if x.mask>>e&1 == 1 {
				edges = append(edges, [2]int{s, e})
			}
		}
	}
	rows := len(have) + n
	a := mat.NewDense(rows, len(edges)+rows, nil)
	b := make([]float64, rows)
	cost := make([]float64, len(edges)+rows)
	for i := range have {
		b[i] = float64(have[i].credits / 25)
	}
	for e := range needs {
		b[len(have)+e] = float64(needs[e] / 25)
	}
	for k, edge := range edges {
		a.Set(edge[0], k, 1)
		a.Set(len(have)+edge[1], k, 1)
		cost[k] = -math.Pow(50, float64(n)) - math.Pow(50, float64(n-1-edge[1]))
	}
	for i := range rows { // slacks
		a.Set(i, len(edges)+i, 1)
	}
	_, x, err := lp.Simplex(cost, a, b, 1e-9, nil)
	if err != nil {
		t.Fatalf("the linear program of needs %v and supply %v: %v", needs, have, err)
	}
	totals := make([]credit.Amount, n)
	for e := range totals {
		sum := 0.0
		for k, edge := range edges {
			if edge[1] == e {
				sum += x[k]
			}
		}
		totals[e] = credit.Amount(math.Round(sum)) * 25
	}
	return totals
}

// An outside reference: gonum's linear programming.
func TestAgainstLinearProgramming(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 1000 {
		n := 1 + r.IntN(4)
		needs := make([]credit.Amount, n)
		for i := range needs {
			needs[i] = credit.Amount(25 * (1 + r.IntN(12)))
		}
		have := make([]supply, 1+r.IntN(6))
		for i := range have {
			have[i] = supply{1 + r.Uint64N(1<<n-1), credit.Amount(25 * (1 + r.IntN(6)))}
		}
		want := reference(t, needs, have)
		if got := settle(needs, have)[0]; fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("needs %v, supply %v: %v, the linear program says %v", needs, have, got, want)
		}
	}
}

// Settling in stages must give at each stage what settling everything at once gives, and no total may fall.
func TestStagesAgreeWithOneGo(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 3000 {
		n := 1 + r.IntN(8)
		needs := make([]credit.Amount, n)
		for i := range needs {
			needs[i] = credit.Amount(r.IntN(400))
		}
		stages := make([][]supply, 3)
		var all []supply
		for k := range stages {
			for range r.IntN(8) {
				stages[k] = append(stages[k], supply{r.Uint64N(1 << n), credit.Amount(r.IntN(200))})
			}
		}
		staged := settle(needs, stages...)
		for k := range stages {
			all = append(all, stages[k]...)
			if whole := settle(needs, all)[0]; fmt.Sprint(whole) != fmt.Sprint(staged[k]) {
				t.Fatalf("needs %v, stages %v: %v at stage %d, %v at once", needs, stages, staged[k], k, whole)
			}
			for e := range needs {
				if k > 0 && staged[k][e] < staged[k-1][e] {
					t.Fatalf("total %d falls from %v to %v", e, staged[k-1], staged[k])
				}
			}
		}
	}
}

func BenchmarkSixtyOverlappingEntries(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 8))
	needs := make([]credit.Amount, 60)
	for i := range needs {
		needs[i] = credit.Amount(50 + r.IntN(400))
	}
	have := make([]supply, 120)
	for i := range have {
		have[i] = supply{r.Uint64() & (1<<60 - 1), credit.Amount(25 * (1 + r.IntN(6)))}
	}
	for b.Loop() {
		settle(needs, have)
	}
}
