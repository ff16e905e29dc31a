package placement

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/lapack/lapack64"
)

// interior solves the program over the timetables known by an interior-point method, with Mehrotra's (1992)
// predictor and corrector. Eliminating the pupils first leaves a symmetric system with a row for each pool
// (the Schur complement). Its prices lie well inside the set of best ones, which suits the generation of
// timetables (Gondzio, González-Brevis and Munari 2013).
type interior struct {
	*program
	taste func(pupil int32, t *timetable) float64 // a little next to the value; may be nil
	list  []*column                               // the columns, those of a member together
	first []int32                                 // by member: its first in list

	x, z, dx, dz, cx []float64 // by column in list
	worth            []float64 // by column in list
	s, ds, cs        []float64 // by row: slack; its dual is the price
	p, dp            []float64
	pi, dpi          []float64 // by member

	delta []float64 // by member: the weights of its columns
	v     [][]entry // by member: the weighted sum of its columns
	sum   []float64
	h, g  []float64
	parts []blas64.Symmetric // of the system's matrix; the sum is in the first
	root  blas64.Triangular  // of the matrix (Cholesky)
	work  []system           // by part
}

// system is working space for one part of the matrix.
type system struct{ sum []float64 }

type entry struct {
	row int32
	v   float64
}

func newInterior(g *program) *interior {
	rows, members := len(g.seats), len(g.members)
	floats := func(n int) []float64 { return make([]float64, n) }
	n := &interior{program: g, s: floats(rows), ds: floats(rows), cs: floats(rows), p: floats(rows), dp: floats(rows),
		sum: floats(rows), g: floats(rows),
		pi: floats(members), dpi: floats(members), delta: floats(members), h: floats(members), v: make([][]entry, members)}
	for range matrixParts {
		n.parts = append(n.parts, blas64.Symmetric{N: rows, Stride: max(1, rows), Uplo: blas.Upper, Data: floats(rows * rows)})
		n.work = append(n.work, system{floats(rows)})
	}
	return n
}

// matrixParts is in how many parts the matrix is made; however many workers there are, the parts are the
// same, and so is the sum.
const matrixParts = 2

// solve solves the program over what is known now, from a guess at the prices, by pool, and gives its value.
// It stops when what is feasible and the bound are within tolerance of each other, relative to the value. The
// prices are left in guess.
func (n *interior) solve(guess []float64, tolerance float64, stop func() bool) (value float64) {
	n.begin(guess)
	for range 80 {
		primal, dual, short := n.state()
		value = primal
		if math.Abs(dual-primal) <= tolerance*math.Abs(dual) && short <= 1e-4 || stop() || !n.step() {
			break
		}
	}
	for r, p := range n.poolOf {
		guess[p] = n.p[r]
	}
	return value
}

// begin sets out from a point inside: each member's columns alike, prices a little above the guess.
func (n *interior) begin(guess []float64) {
	n.list, n.first = n.list[:0], n.first[:0]
	for _, columns := range n.of {
		n.first = append(n.first, int32(len(n.list)))
		for _, j := range columns {
			n.list = append(n.list, &n.columns[j])
		}
	}
	n.first = append(n.first, int32(len(n.list)))
	n.x, n.z, n.cx = resize(n.x, len(n.list)), resize(n.z, len(n.list)), resize(n.cx, len(n.list))
	n.dx, n.dz, n.worth = resize(n.dx, len(n.list)), resize(n.dz, len(n.list)), resize(n.worth, len(n.list))
	for r, seats := range n.seats {
		n.s[r] = float64(seats)
		n.p[r] = guess[n.poolOf[r]] + 2
	}
	for i := range n.pi {
		a, b := n.first[i], n.first[i+1]
		most := math.Inf(-1)
		for j := a; j < b; j++ {
			n.x[j] = 1 / float64(b-a)
			for _, r := range n.list[j].rows {
				n.s[r] -= n.x[j]
			}
			n.worth[j] = float64(n.list[j].table.value)
			if n.taste != nil {
				n.worth[j] += n.taste(n.members[i], &n.list[j].table)
			}
			most = max(most, n.gain(j))
		}
		n.pi[i] = most + 5
		for j := a; j < b; j++ {
			n.z[j] = n.pi[i] - n.gain(j)
		}
	}
	for r := range n.s {
		n.s[r] = max(n.s[r], 0.5)
	}
}

// gain is what a column is worth after prices.
func (n *interior) gain(j int32) float64 {
	c := n.list[j]
	sum := n.worth[j]
	for _, r := range c.rows {
		sum -= n.p[r]
	}
	return sum
}

// state returns the values of both programs and by how many seats the pools are overfull at most.
func (n *interior) state() (primal, dual, short float64) {
	clear(n.sum)
	for j, c := range n.list {
		primal += n.worth[j] * n.x[j]
		for _, r := range c.rows {
			n.sum[r] += n.x[j]
		}
	}
	for r, seats := range n.seats {
		dual += n.p[r] * float64(seats)
		short = max(short, n.sum[r]-float64(seats))
	}
	for _, pi := range n.pi {
		dual += pi
	}
	return primal, dual, short
}

// step takes one step and reports whether it got anywhere; where numbers fail nothing is changed.
func (n *interior) step() bool {
	n.assemble()
	if !n.factorize() {
		return false
	}
	mu := n.complementarity(0, 0)
	for j := range n.cx {
		n.cx[j] = -n.x[j] * n.z[j]
	}
	for r := range n.cs {
		n.cs[r] = -n.s[r] * n.p[r]
	}
	n.direction()
	primal, dual := n.lengths(1)
	after := n.complementarity(primal, dual)
	if !finite(after) {
		return false
	}
	sigma := math.Pow(after/mu, 3)
	target := sigma * mu / float64(len(n.x)+len(n.s))
	// The corrector takes in what the predictor leaves out.
	for j := range n.cx {
		n.cx[j] += target - n.dx[j]*n.dz[j]
	}
	for r := range n.cs {
		n.cs[r] += target - n.ds[r]*n.dp[r]
	}
	n.direction()
	primal, dual = n.lengths(0.99)
	if !finite(n.complementarity(primal, dual)) {
		return false
	}
	for j := range n.x {
		n.x[j] += primal * n.dx[j]
		n.z[j] += dual * n.dz[j]
	}
	for r := range n.s {
		n.s[r] += primal * n.ds[r]
		n.p[r] += dual * n.dp[r]
	}
	for i := range n.pi {
		n.pi[i] += dual * n.dpi[i]
	}
	return primal > 1e-8 || dual > 1e-8
}

// finite reports whether a direction is of use; from a matrix that is all but singular it may not be.
func finite(x float64) bool { return x < math.Inf(1) }

// complementarity is the sum of the products of variables and their duals after steps of these lengths.
func (n *interior) complementarity(primal, dual float64) (sum float64) {
	for j := range n.x {
		sum += (n.x[j] + primal*n.dx[j]) * (n.z[j] + dual*n.dz[j])
	}
	for r := range n.s {
		sum += (n.s[r] + primal*n.ds[r]) * (n.p[r] + dual*n.dp[r])
	}
	return sum
}

// lengths are the longest steps that keep everything above zero, times a share, at most 1.
func (n *interior) lengths(share float64) (primal, dual float64) {
	primal, dual = 1/share, 1/share
	for j := range n.x {
		if n.dx[j] < 0 {
			primal = min(primal, -n.x[j]/n.dx[j])
		}
		if n.dz[j] < 0 {
			dual = min(dual, -n.z[j]/n.dz[j])
		}
	}
	for r := range n.s {
		if n.ds[r] < 0 {
			primal = min(primal, -n.s[r]/n.ds[r])
		}
		if n.dp[r] < 0 {
			dual = min(dual, -n.p[r]/n.dp[r])
		}
	}
	return primal * share, dual * share
}

// assemble makes the system's matrix: of each member the weighted products of its columns, less the product
// of their sum.
func (n *interior) assemble() {
	members := len(n.members)
	parallelParts(len(n.program.work), matrixParts, func(part int) {
		data := n.parts[part].Data
		clear(data)
		for i := part * members / matrixParts; i < (part+1)*members/matrixParts; i++ {
			n.addMember(i, data, n.work[part].sum)
		}
	})
	all := n.parts[0].Data
	for _, part := range n.parts[1:] {
		for k, v := range part.Data {
			all[k] += v
		}
	}
	for r := range n.seats {
		all[r*n.parts[0].Stride+r] += n.s[r] / n.p[r]
	}
}

func (n *interior) addMember(i int, data, sum []float64) {
	stride := n.parts[0].Stride
	n.v[i] = n.v[i][:0]
	n.delta[i] = 0
	for j := n.first[i]; j < n.first[i+1]; j++ {
		d := n.x[j] / n.z[j]
		n.delta[i] += d
		list := n.list[j].rows
		for k, a := range list {
			row := data[int(a)*stride:]
			for _, b := range list[k:] {
				row[b] += d
			}
			if sum[a] == 0 {
				n.v[i] = append(n.v[i], entry{row: a})
			}
			sum[a] += d
		}
	}
	slices.SortFunc(n.v[i], func(a, b entry) int { return cmp.Compare(a.row, b.row) })
	for k := range n.v[i] {
		n.v[i][k].v = sum[n.v[i][k].row]
		sum[n.v[i][k].row] = 0
	}
	for k, a := range n.v[i] {
		f := a.v / n.delta[i]
		row := data[int(a.row)*stride:]
		for _, b := range n.v[i][k:] {
			row[b.row] -= f * b.v
		}
	}
}

// factorize takes the matrix's root; where it is not positive definite to machine precision, a little is
// added to its diagonal.
func (n *interior) factorize() (ok bool) {
	m := n.parts[0]
	if m.N == 0 {
		return true
	}
	copy(n.parts[1].Data, m.Data)
	for tries := range 6 {
		if n.root, ok = lapack64.Potrf(m); ok {
			return true
		}
		copy(m.Data, n.parts[1].Data)
		for r := range m.N {
			m.Data[r*m.Stride+r] *= 1 + math.Pow(10, float64(tries-10))
		}
	}
	return false
}

// direction solves for the step with the right-hand sides n.cx and n.cs of the complementarities.
func (n *interior) direction() {
	rows := len(n.seats)
	for r, seats := range n.seats {
		n.g[r] = n.cs[r]/n.p[r] - (float64(seats) - n.s[r])
	}
	for i := range n.h {
		n.h[i] = -1
		for j := n.first[i]; j < n.first[i+1]; j++ {
			t := n.cx[j]/n.z[j] + n.x[j]
			n.h[i] += t
			for _, r := range n.list[j].rows {
				n.g[r] += t
			}
		}
		f := n.h[i] / n.delta[i]
		for _, e := range n.v[i] {
			n.g[e.row] -= f * e.v
		}
	}
	if copy(n.dp, n.g); rows > 0 {
		x := blas64.Vector{N: rows, Inc: 1, Data: n.dp}
		blas64.Trsv(blas.Trans, n.root, x)
		blas64.Trsv(blas.NoTrans, n.root, x)
	}
	for i := range n.dpi {
		sum := n.h[i]
		for _, e := range n.v[i] {
			sum -= e.v * n.dp[e.row]
		}
		n.dpi[i] = sum / n.delta[i]
		for j := n.first[i]; j < n.first[i+1]; j++ {
			n.dz[j] = n.dpi[i]
			for _, r := range n.list[j].rows {
				n.dz[j] += n.dp[r]
			}
			n.dx[j] = (n.cx[j] - n.x[j]*n.dz[j]) / n.z[j]
		}
	}
	for r := range rows {
		n.ds[r] = (n.cs[r] - n.s[r]*n.dp[r]) / n.p[r]
	}
}
