package sheet

import (
	"errors"
	"math"

	"rubricon/core/catalog"
	"rubricon/core/credit"
)

// ErrTooManyPackings says that a sheet's courses can be laid into the terms in more ways than are searched
// (MaxPackingSteps). Fewer courses with a choice of terms, or loads in steps of a whole or half period, mend it.
var ErrTooManyPackings = errors.New("the requests can be laid into the terms in too many ways")

// MaxPackingSteps bounds the work of packing one sheet: how often a course is laid into a span on trial.
const MaxPackingSteps = 180_000

// directSteps bounds the direct search, which comes before the search by layers where a packing is known to
// be as good as any.
const directSteps = 30_000

// enumerateUpTo is the number of ways up to which packings are simply tried one after the other.
const enumerateUpTo = 256

type loads [catalog.MaxTerms]int32

// partial is a packing of the first courses with a choice, as far as the rest is concerned.
type partial struct {
	courses int
	load    loads
}

// Packing is the choice of a span for each request, in the order of the requests.
type Packing struct {
	Spans    []catalog.TermSet
	Loads    []credit.Amount // by term
	Overload credit.Amount   // the sum over terms of load beyond the periods
}

// Fits reports whether no term is overloaded.
func (p *Packing) Fits() bool { return p.Overload == 0 }

// packer chooses spans. Its buffers are reused from call to call.
type packer struct {
	year     *catalog.Year
	terms    int
	capacity int32

	flex  []int // positions among the courses, by ascending course index (byte order of code)
	spans []catalog.TermSet
	load  loads
	over  int32

	trial    []catalog.TermSet // by flex
	best     []catalog.TermSet
	bestOver int32
	bestDiff int32
	ceiling  int32 // no term of a best packing is heavier
	goodOver int32 // no packing is better than this
	goodDiff int32
	ground   int32   // no term of a best packing is lighter
	lowest   int32   // all terms together, at least
	highest  int32   // and at most
	most     []int32 // by flex: what remains to be laid from there on, at most, over all terms together

	steps int // trials since the counter was last set to 0
	until int // where a direct search gives up

	failed map[partial]bool // where a direct search leads nowhere; nil while all ways are tried

	order  []int // of greedy
	chosen []catalog.TermSet
}

func newPacker(y *catalog.Year) packer {
	return packer{year: y, terms: len(y.Terms), capacity: int32(y.Capacity)}
}

func (p *packer) add(v *loads, s catalog.TermSet, load int32) {
	for t := 0; t < p.terms; t++ {
		if s>>t&1 == 1 {
			v[t] += load
		}
	}
}

func (p *packer) measure(v *loads) (over, diff int32) {
	low, high := int32(math.MaxInt32), int32(0)
	for t := 0; t < p.terms; t++ {
		x := v[t]
		low, high = min(low, x), max(high, x)
		if x > p.capacity {
			over += x - p.capacity
		}
	}
	return over, high - low
}

// pack lays courses into terms: least overload, then least difference between the heaviest and the lightest term, then
// lexicographically least spans by course code. The result is in p.spans, p.load and p.over until the next call.
func (p *packer) pack(courses []int32) error {
	p.spans, p.flex = p.spans[:0], p.flex[:0]
	p.load = loads{}
	ways := 1
	for i, ci := range courses {
		c := &p.year.Courses[ci]
		p.spans = append(p.spans, c.Sorted[0])
		if len(c.Sorted) == 1 || c.Load == 0 {
			p.add(&p.load, c.Sorted[0], int32(c.Load))
			continue
		}
		j := len(p.flex)
		p.flex = append(p.flex, i)
		for ; j > 0 && courses[p.flex[j-1]] > ci; j-- {
			p.flex[j] = p.flex[j-1]
		}
		p.flex[j] = i
		if ways <= enumerateUpTo {
			ways *= len(c.Sorted)
		}
	}
	if len(p.flex) > 0 {
		p.trial = append(p.trial[:0], make([]catalog.TermSet, len(p.flex))...)
		p.best = append(p.best[:0], p.trial...)
		p.bestOver, p.bestDiff = math.MaxInt32, math.MaxInt32
		if ways <= enumerateUpTo {
			p.ceiling, p.ground, p.goodOver, p.goodDiff, p.until = math.MaxInt32, 0, 0, 0, math.MaxInt
			if ways > 8 {
				p.limit(courses)
			}
			v := p.load
			p.enumerate(courses, 0, &v)
		} else if err := p.search(courses); err != nil {
			return err
		}
		for k, i := range p.flex {
			p.spans[i] = p.best[k]
			p.add(&p.load, p.best[k], int32(p.year.Courses[courses[i]].Load))
		}
	}
	p.over, _ = p.measure(&p.load)
	return nil
}

// enumerate tries all spans in lexicographic order; only a strictly better one replaces the best. It reports whether
// nothing better can follow.
func (p *packer) enumerate(courses []int32, k int, v *loads) bool {
	if k == len(p.flex) {
		over, diff := p.measure(v)
		if over < p.bestOver || over == p.bestOver && diff < p.bestDiff {
			p.bestOver, p.bestDiff = over, diff
			copy(p.best, p.trial)
		}
		return p.bestOver == p.goodOver && p.bestDiff == p.goodDiff
	}
	for t := 0; t < p.terms; t++ {
		if v[t] > p.ceiling {
			return false // load only grows
		}
	}
	if p.ground > 0 {
		lack := int32(0)
		for t := 0; t < p.terms; t++ {
			lack += max(0, p.ground-v[t])
		}
		if lack > p.most[k] {
			return false // what remains cannot fill the lightest terms
		}
	}
	if p.failed != nil && p.failed[partial{k, *v}] {
		return false
	}
	c := &p.year.Courses[courses[p.flex[k]]]
	for _, s := range c.Sorted {
		if p.steps++; p.steps > p.until {
			return false
		}
		p.trial[k] = s
		p.add(v, s, int32(c.Load))
		done := p.enumerate(courses, k+1, v)
		p.add(v, s, -int32(c.Load))
		if done {
			return true
		}
	}
	if p.failed != nil {
		p.failed[partial{k, *v}] = true
	}
	return false
}

// search packs where there are too many ways to try them all. First the least packing in lexicographic order
// that is as good as any can be is looked for directly; where there is none, or that takes too long, the
// layers decide.
func (p *packer) search(courses []int32) error {
	p.limit(courses)
	p.bound(p.goodDiff)
	p.until = p.steps + directSteps
	p.failed = map[partial]bool{}
	v := p.load
	found := p.enumerate(courses, 0, &v)
	p.failed = nil
	if found {
		return nil
	}
	p.bestOver, p.bestDiff = math.MaxInt32, math.MaxInt32
	return p.layers(courses)
}

// bound makes the limits of a term's load those of packings at most so uneven.
func (p *packer) bound(diff int32) {
	terms := int32(p.terms)
	p.ceiling = (p.highest + (terms-1)*diff) / terms
	p.ground = max(0, (p.lowest-(terms-1)*diff)/terms)
}

// limit finds, by a greedy packing, how heavy and how light a term of a best packing can be, and how good a
// packing can be at all.
func (p *packer) limit(courses []int32) {
	p.most = append(p.most[:0], make([]int32, len(p.flex)+1)...)
	var least, most, total, unit int32
	for k := len(p.flex) - 1; k >= 0; k-- {
		c := p.course(courses, k)
		low, high := int32(math.MaxInt32), int32(0)
		for _, s := range c.Sorted {
			low, high = min(low, int32(s.Len())), max(high, int32(s.Len()))
		}
		least, most, unit = least+low*int32(c.Load), most+high*int32(c.Load), gcd(unit, int32(c.Load))
		p.most[k] = most
	}
	for t := 0; t < p.terms; t++ {
		total, unit = total+p.load[t], gcd(unit, p.load[t])
	}
	terms := int32(p.terms)
	p.goodOver, _ = p.measure(&p.load)
	p.goodOver = max(p.goodOver, total+least-terms*p.capacity)
	p.goodDiff, p.ceiling, p.ground = 0, math.MaxInt32, 0
	if least == most && (total+least)/unit%terms != 0 {
		p.goodDiff = unit // loads are multiples of the unit and cannot all be equal
	}
	p.lowest, p.highest = total+least, total+most
	if over, diff := p.greedy(courses); over == p.goodOver { // then only packings at most this uneven matter
		p.bound(diff)
	}
}

// layers packs by dynamic programming over the distinct loads of the terms: forward to all that are
// reachable, back from the best to those that lead there, then forward again along the least spans. A greedy
// packing bounds what is kept.
func (p *packer) layers(courses []int32) error {
	unit := int32(0)
	for t := 0; t < p.terms; t++ {
		unit = gcd(unit, p.load[t])
	}
	n := len(p.flex)
	step := make([]int32, n)
	for k, i := range p.flex {
		step[k] = int32(p.year.Courses[courses[i]].Load)
		unit = gcd(unit, step[k])
	}
	bits := uint(64 / p.terms)
	encode := func(v *loads) (key uint64, ok bool) {
		for t := 0; t < p.terms; t++ {
			x := uint64(v[t] / unit)
			if bits < 64 && x>>bits != 0 {
				return 0, false
			}
			key |= x << (uint(t) * bits)
		}
		return key, true
	}
	decode := func(key uint64) (v loads) {
		for t := 0; t < p.terms; t++ {
			v[t] = int32(key>>(uint(t)*bits)&(1<<bits-1)) * unit
		}
		return v
	}
	// What remains to be laid from course k on, at least and at most, over all terms together.
	least, most := make([]int32, n+1), make([]int32, n+1)
	for k := n - 1; k >= 0; k-- {
		low, high := int32(math.MaxInt32), int32(0)
		for _, s := range p.year.Courses[courses[p.flex[k]]].Sorted {
			low, high = min(low, int32(s.Len())), max(high, int32(s.Len()))
		}
		least[k], most[k] = least[k+1]+low*step[k], most[k+1]+high*step[k]
	}
	greedyOver, greedyDiff := p.greedy(courses)
	var total int32
	for t := 0; t < p.terms; t++ {
		total += p.load[t]
	}
	terms := int32(p.terms)
	floor, _ := p.measure(&p.load)
	floor = max(floor, total+least[0]-terms*p.capacity)
	ceiling, ground := int32(math.MaxInt32), int32(0)
	if greedyOver == floor { // then only packings at most this uneven matter
		ceiling = (total + most[0] + (terms-1)*greedyDiff) / terms
		ground = max(0, (total+least[0]-(terms-1)*greedyDiff)/terms)
	}
	reached := make([]map[uint64]bool, n+1)
	start, ok := encode(&p.load)
	if !ok {
		return ErrTooManyPackings
	}
	reached[0] = map[uint64]bool{start: false}
	until := p.steps + MaxPackingSteps
	for k := 0; k < n; k++ {
		next := make(map[uint64]bool, 4*len(reached[k]))
		for key := range reached[k] {
			if p.steps += len(p.course(courses, k).Sorted); p.steps > until {
				return ErrTooManyPackings
			}
			v := decode(key)
		spans:
			for _, s := range p.year.Courses[courses[p.flex[k]]].Sorted {
				w := v
				p.add(&w, s, step[k])
				over, lack := int32(0), int32(0)
				for t := 0; t < p.terms; t++ {
					if w[t] > ceiling {
						continue spans
					}
					over += max(0, w[t]-p.capacity)
					lack += max(0, ground-w[t])
				}
				if over > greedyOver || lack > most[k+1] {
					continue
				}
				code, ok := encode(&w)
				if !ok {
					return ErrTooManyPackings
				}
				next[code] = false
			}
		}
		reached[k+1] = next
	}
	// Mark with true what leads to the best.
	for key := range reached[n] {
		v := decode(key)
		over, diff := p.measure(&v)
		if over < p.bestOver || over == p.bestOver && diff < p.bestDiff {
			p.bestOver, p.bestDiff = over, diff
		}
	}
	for key := range reached[n] {
		v := decode(key)
		over, diff := p.measure(&v)
		reached[n][key] = over == p.bestOver && diff == p.bestDiff
	}
	leads := func(k int, v *loads, s catalog.TermSet) bool {
		w := *v
		p.add(&w, s, step[k])
		code, ok := encode(&w)
		return ok && reached[k+1][code]
	}
	for k := n - 1; k >= 0; k-- {
		for key := range reached[k] {
			v := decode(key)
			for _, s := range p.year.Courses[courses[p.flex[k]]].Sorted {
				if leads(k, &v, s) {
					reached[k][key] = true
					break
				}
			}
		}
	}
	v := p.load
	for k := 0; k < n; k++ {
		for _, s := range p.year.Courses[courses[p.flex[k]]].Sorted {
			if leads(k, &v, s) {
				p.best[k] = s
				p.add(&v, s, step[k])
				break
			}
		}
	}
	return nil
}

// greedy lays the heaviest first where they do least harm, then moves and swaps single courses while that helps.
func (p *packer) greedy(courses []int32) (over, diff int32) {
	n := len(p.flex)
	order := append(p.order[:0], make([]int, n)...)
	chosen := append(p.chosen[:0], make([]catalog.TermSet, n)...)
	p.order, p.chosen = order, chosen
	for i := range order {
		order[i] = i
		for j := i; j > 0 && p.course(courses, order[j]).Load > p.course(courses, order[j-1]).Load; j-- {
			order[j], order[j-1] = order[j-1], order[j]
		}
	}
	v := p.load
	better := func(k int, set bool) bool {
		c := p.course(courses, k)
		load := int32(c.Load)
		now := chosen[k]
		if set {
			p.add(&v, now, -load)
		}
		pick := now
		pickOver, pickDiff := int32(math.MaxInt32), int32(math.MaxInt32)
		if set {
			p.add(&v, now, load)
			pickOver, pickDiff = p.measure(&v)
			p.add(&v, now, -load)
		}
		for _, s := range c.Sorted {
			p.add(&v, s, load)
			if o, d := p.measure(&v); o < pickOver || o == pickOver && d < pickDiff {
				pick, pickOver, pickDiff = s, o, d
			}
			p.add(&v, s, -load)
		}
		p.add(&v, pick, load)
		chosen[k] = pick
		return pick != now
	}
	for _, k := range order {
		better(k, false)
	}
	for round := 0; round < 20; round++ {
		moved := false
		for k := range chosen {
			moved = better(k, true) || moved
		}
		if !moved {
			break
		}
	}
	return p.measure(&v)
}

func (p *packer) course(courses []int32, k int) *catalog.Compiled {
	return &p.year.Courses[courses[p.flex[k]]]
}

func gcd(a, b int32) int32 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}
