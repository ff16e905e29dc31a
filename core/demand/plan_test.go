package demand

import "testing"

func TestPlan(t *testing.T) {
	n := func(n int) *int { return &n }
	for _, c := range []struct {
		requests int
		set      *int
		stopped  bool
		want     Planned
	}{
		{0, nil, false, Planned{0, 0, Plain}},
		{0, n(1), false, Planned{1, 0, Fewer}},
		{11, nil, false, Planned{1, 0, Few}}, // half of 24 is 12
		{12, nil, false, Planned{1, 0, Plain}},
		{24, nil, false, Planned{1, 0, Plain}},
		{25, nil, false, Planned{2, 0, Plain}},
		{25, n(1), false, Planned{1, 1, More}},
		{24, n(2), false, Planned{2, 0, Fewer}},
		{25, n(2), false, Planned{2, 0, Plain}},
		{30, n(0), false, Planned{0, 30, More}},
		{30, n(2), true, Planned{0, 0, Stopped}},
		{5, n(0), false, Planned{0, 5, Few}},
	} {
		if got := Plan(c.requests, 24, c.set, c.stopped); got != c.want {
			t.Errorf("%d requests: %+v, want %+v", c.requests, got, c.want)
		}
	}
}
