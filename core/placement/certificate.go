package placement

import "math"

// certificate is a set of prices of the pools with the bound it proves: anyone who pays a price for each seat
// gets at most what the best timetable is worth after prices, so no placement is worth more than that, over
// all students, and the prices of all seats. Everything is in whole numbers of 1/scale of a value, so that no
// rounding can make the bound too low.
type certificate struct {
	price []int64 // by pool
	best  []int64 // by pupil: what no timetable is worth more than, after prices
	bound int64
}

// proven is the bound in whole values.
func (c *certificate) proven() int64 { return c.bound / scale }

// certify lowers the bound of c as far as the program over all timetables allows, which is seldom more than a
// few values above the best placement. It begins at prices, by pool, and with the timetables the program
// knows; better is called with each new bound. The prices of Dantzig and Wolfe's program are those of the
// Lagrangian dual (Geoffrion 1974).
func (c *certificate) certify(g *program, prices []int64, better func(), stop func() bool) {
	in := newInterior(g)
	dual := make([]float64, len(g.m.pools))
	for p, price := range prices {
		dual[p] = float64(price) / scale
	}
	tolerance, nodes, before := 1e-2, hurriedNodes, 0.0
	for {
		g.setPrices(dual)
		fresh, bound := g.generate(nodes, stop)
		if bound < c.bound {
			c.bound = bound
			for _, p := range g.poolOf {
				c.price[p] = g.price[p]
			}
			for k, i := range g.members {
				c.best[i] = g.limit[k]
			}
			better()
		}
		if nodes == maxNodes && fresh == 0 && tolerance == finest {
			return
		}
		if nodes == hurriedNodes && fresh < len(g.members)/20 { // hardly anything new comes of haste
			nodes = maxNodes
			continue
		}
		value := in.solve(dual, tolerance, stop)
		gap := (float64(c.bound)/scale - value) / math.Max(1, value)
		if gap < finest || float64(c.bound)/scale-value < 0.02 || stop() {
			return
		}
		if value-before < 1e-4*value {
			tolerance = finest
			if nodes == hurriedNodes && value-before < 1e-5*value {
				nodes = maxNodes
			}
		}
		before = value
		tolerance = max(finest, min(tolerance, gap/10))
	}
}

const (
	finest       = 1e-6  // how finely the program is solved in the end, relative to its value
	hurriedNodes = 2_000 // for a search while the prices are still far off
)
