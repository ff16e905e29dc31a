package sheet

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// packEverything tries all packings of a sheet and keeps the best by the definition.
func packEverything(y *catalog.Year, requests []Entry) (spans []catalog.TermSet, over credit.Amount) {
	type key struct{ over, diff credit.Amount }
	var best key
	// Positions by byte order of code, which is the order of the indexes.
	order := make([]int, len(requests))
	for i := range order {
		order[i] = i
		for j := i; j > 0 && requests[order[j]].Course < requests[order[j-1]].Course; j-- {
			order[j], order[j-1] = order[j-1], order[j]
		}
	}
	text := func(s []catalog.TermSet) (t string) {
		for _, i := range order {
			for term := range y.Terms {
				if s[i]>>term&1 == 1 {
					t += string(rune('b' + term))
				}
			}
			t += "a" // ends a span: a shorter one comes first
		}
		return t
	}
	trial := make([]catalog.TermSet, len(requests))
	var try func(i int)
	try = func(i int) {
		if i < len(requests) {
			for _, s := range y.Courses[requests[i].Course].Spans {
				trial[i] = s
				try(i + 1)
			}
			return
		}
		var k key
		low, high := credit.Amount(1<<40), credit.Amount(0)
		for term := range y.Terms {
			var load credit.Amount
			for i, e := range requests {
				if trial[i]>>term&1 == 1 {
					load += y.Courses[e.Course].Load
				}
			}
			k.over += max(0, load-y.Capacity)
			low, high = min(low, load), max(high, load)
		}
		k.diff = high - low
		if spans == nil || k.over < best.over || k.over == best.over && (k.diff < best.diff || k.diff == best.diff && text(trial) < text(spans)) {
			best, spans = k, append([]catalog.TermSet{}, trial...)
		}
	}
	try(0)
	return spans, best.over
}

func TestPackingAgainstAllPackings(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 3000 {
		y := randomYear(t, r)
		s := randomSheet(r, y)
		f := NewFacts(y, Student{})
		j, err := f.Judge(&s)
		if err != nil {
			t.Fatal(err)
		}
		spans, over := packEverything(y, s.Requests)
		if len(s.Requests) > 0 && !reflect.DeepEqual(j.Packing.Spans, spans) || j.Packing.Overload != over {
			t.Fatalf("packed %v (overload %v), best is %v (%v)", j.Packing.Spans, j.Packing.Overload, spans, over)
		}
		// The layered search, which larger sheets use, must agree with the plain one.
		d := f.newDesk()
		if err := d.layOut(&s); err != nil {
			t.Fatal(err)
		}
		if len(d.packer.flex) > 0 {
			p := &d.packer
			for k, i := range p.flex {
				p.add(&p.load, p.best[k], -int32(y.Courses[d.requests[i]].Load))
			}
			want := append([]catalog.TermSet{}, p.best...)
			p.bestOver, p.bestDiff = 1<<30, 1<<30
			if err := p.layers(d.requests); err != nil || !reflect.DeepEqual(p.best, want) {
				t.Fatalf("layers give %v, %v; want %v", p.best, err, want)
			}
			p.bestOver, p.bestDiff = 1<<30, 1<<30
			if err := p.search(d.requests); err != nil || !reflect.DeepEqual(p.best, want) {
				t.Fatalf("the search gives %v, %v; want %v", p.best, err, want)
			}
		}
	}
}

// mendExists follows the definition of a mend literally: every subset of the alternates, judged as a sheet of its own.
func mendExists(t *testing.T, f *Facts, s *Sheet, lost int) bool {
	y := f.Year
	before, err := f.Judge(s)
	if err != nil {
		t.Fatal(err)
	}
	failed := map[int]bool{}
	for _, r := range before.Rules {
		failed[r.Rule] = !r.Holds
	}
	weight := y.Courses[s.Requests[lost].Course].Load * credit.Amount(before.Packing.Spans[lost].Len())
	for set := 0; set < 1<<len(s.Alternates); set++ {
		mended := Sheet{Summer: s.Summer}
		for i, e := range s.Requests {
			if i != lost {
				mended.Requests = append(mended.Requests, e)
			}
		}
		var sum credit.Amount
		chosen, available := 0, true
		for i, a := range s.Alternates {
			if set>>i&1 == 0 {
				mended.Alternates = append(mended.Alternates, a)
				continue
			}
			chosen++
			c := &y.Courses[a.Course]
			sum += c.Load * credit.Amount(c.Spans[0].Len())
			available = available && (a.StandsFor == Any || a.StandsFor == s.Requests[lost].Course)
			mended.Requests = append(mended.Requests, a)
		}
		if !available || chosen > 1 && sum > weight {
			continue
		}
		after, err := f.Judge(&mended)
		if err != nil {
			t.Fatal(err)
		}
		good := chosen == 0 || after.Packing.Fits()
		for _, r := range after.Requests[len(mended.Requests)-chosen:] {
			stance := y.Courses[r.Course].EntryStance
			good = good && !r.Barred && !r.Repeat && (!r.HasEntry || r.Entry >= condition.Expected || stance != policy.Block)
		}
		for _, r := range after.Rules {
			rule := &y.Rules[r.Rule]
			if rule.Stance == policy.Block && (rule.Count.On == policy.Requests || rule.Count.On == policy.Taken) {
				good = good && (r.Holds || failed[r.Rule])
			}
		}
		if good {
			return true
		}
	}
	return false
}

func TestCoverAgainstEverySubset(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	open, covered := 0, 0
	for range 5000 {
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		s := randomSheet(r, y)
		var want []int32
		for i, e := range s.Requests {
			if !mendExists(t, f, &s, i) {
				want = append(want, e.Course)
				open++
			} else {
				covered++
			}
		}
		got, err := f.Uncovered(&s)
		if err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(got, want) {
			t.Fatalf("uncovered %v, want %v", got, want)
		}
		full, err := f.Cover(&s)
		if err != nil {
			t.Fatal(err)
		}
		for i, c := range full {
			if c.Covered != (index(want, s.Requests[i].Course) < 0) {
				t.Fatalf("Cover and Uncovered disagree on %d", c.Course)
			}
		}
	}
	if open < 200 || covered < 500 {
		t.Fatalf("the cases are one-sided: %d uncovered, %d covered", open, covered)
	}
}
