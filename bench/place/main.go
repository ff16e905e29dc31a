// Command place measures core/placement on generated schools of several sizes, seeds and difficulties, and
// prints the median and the worst of each: how far from its proven bound a placement is when the time is
// over, and how long it took to come within the figure wanted.
//
//	go run ./bench/place                      # the sizes below
//	go run ./bench/place -sizes 600 -seeds 2  # less of it
//	go run ./bench/place -cbc                 # against COIN-OR CBC (coinor-cbc), 200 and 600 students
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"rubricon/bench/exact"
	"rubricon/core/placement"
	"rubricon/demo"
)

// goal is a figure: a gap, in percent, to be reached within some seconds.
type goal struct {
	kind    demo.Schedule
	size    int
	seconds float64
	percent float64
}

var goals = []goal{
	{kind: demo.Planted, size: 600, seconds: 1, percent: 0},
	{kind: demo.Planted, size: 2000, seconds: 15, percent: 0.002},
	{kind: demo.Contested, size: 600, seconds: 15, percent: 0.05},
	{kind: demo.Contested, size: 1200, seconds: 30, percent: 0.08},
	{kind: demo.Contested, size: 2000, seconds: 60, percent: 0.10},
}

func main() {
	sizes := flag.String("sizes", "", "only these sizes, such as 600,1200")
	seeds := flag.Int("seeds", 5, "how many seeds, over the three difficulties")
	kind := flag.String("kind", "", "only planted or contested")
	cbc := flag.Bool("cbc", false, "compare with CBC")
	schools := flag.Int("schools", 0, "place several schools of so many students one by one and together")
	many := flag.Int("many", 5, "how many, with -schools")
	flag.Parse()
	var err error
	switch {
	case *cbc:
		err = compare(*seeds)
	case *schools > 0:
		err = together(*many, *schools)
	default:
		err = reach(*sizes, *seeds, demo.Schedule(*kind))
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "place:", err)
		os.Exit(1)
	}
}

func reach(sizes string, seeds int, kind demo.Schedule) error {
	for _, g := range goals {
		if sizes != "" && !slices.Contains(strings.Split(sizes, ","), strconv.Itoa(g.size)) || kind != "" && kind != g.kind {
			continue
		}
		var gaps, times []float64
		for n := range seeds {
			o := demo.Options{Students: g.size, Seed: uint64(n + 1), Schedule: g.kind, Hard: 1 + n%3}
			p, err := demo.Problem(o)
			if err != nil {
				return err
			}
			r, err := run(p, g.seconds, g.percent)
			if err != nil {
				return err
			}
			gaps, times = append(gaps, r.percent), append(times, r.within)
			fmt.Printf("  %s %d, seed %d, hard %d: gap %.5f %%, within %g %% after %.2f s, ended after %.2f s\n", g.kind,
				g.size, o.Seed, o.Hard, r.percent, g.percent, r.within, r.took)
		}
		slices.Sort(gaps)
		slices.Sort(times)
		fmt.Printf("%s %d in %g s: gap median %.5f %%, worst %.5f %% (wanted %g %%); within it after %.2f s median, %.2f s at most\n",
			g.kind, g.size, g.seconds, gaps[len(gaps)/2], gaps[len(gaps)-1], g.percent, times[len(times)/2], times[len(times)-1])
	}
	return nil
}

type outcome struct {
	percent float64 // the gap at the end
	within  float64 // seconds until it was within the goal; infinite where it never was
	took    float64
	value   int64
}

func run(p *placement.Problem, seconds, percent float64) (*outcome, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Duration(seconds*float64(time.Second)))
	defer cancel()
	start := time.Now()
	r := &outcome{within: inf}
	found, err := placement.Solve(ctx, p, placement.Options{Seed: 1, Effort: 100, Progress: func(g placement.Progress) {
		if g.Bound > 0 && 100*float64(g.Bound-g.Value)/float64(g.Bound) <= percent {
			r.within = min(r.within, time.Since(start).Seconds())
		}
	}})
	if err != nil {
		return nil, err
	}
	r.took = time.Since(start).Seconds()
	value, err := p.Check(found.Given)
	if err != nil || value != found.Value {
		return nil, fmt.Errorf("not a placement: %v", err)
	}
	r.percent, r.value = 100*found.Gap(), value
	return r, nil
}

const inf = 1e9

// compare sets the search against CBC: how long it takes to come to 0.9998 of the optimum, and how long CBC
// takes to prove it.
func compare(seeds int) error {
	for _, size := range []int{200, 600} {
		for n := range min(seeds, 3) {
			p, err := demo.Problem(demo.Options{Students: size, Seed: uint64(n + 1), Schedule: demo.Contested, Hard: 1 + n%3})
			if err != nil {
				return err
			}
			want, err := exact.Solve(context.Background(), p, 10*time.Minute)
			if err != nil {
				return err
			}
			start := time.Now()
			r, err := run(p, 60, 0.02)
			if err != nil {
				return err
			}
			fmt.Printf("%d students, hard %d: CBC %d (proven %v) in %.2f s; here %.6f of it in %.2f s, within 0.02 %% of the "+
				"bound after %.2f s, a %.1fth of its time\n",
				size, 1+n%3,
				want.Value, want.Optimal, want.Took.Seconds(), float64(r.value)/float64(want.Value), time.Since(start).Seconds(),
				r.within, want.Took.Seconds()/r.within)
		}
	}
	return nil
}

// together places some schools of so many students, which share nothing, one by one and together, and tells
// times and memory.
func together(many, size int) error {
	all := &placement.Problem{}
	var first time.Duration
	for n := range many {
		p, err := demo.Problem(demo.Options{Students: size, Seed: uint64(n + 1), Schedule: demo.Contested, Hard: 1 + n%3})
		if err != nil {
			return err
		}
		start := time.Now()
		r, err := run(p, 600, 0.1)
		if err != nil {
			return err
		}
		first += time.Since(start)
		fmt.Printf("school %d alone: gap %.5f %% in %.1f s\n", n+1, r.percent, r.took)
		add(all, p, fmt.Sprintf("%d.", n))
	}
	runtime.GC()
	start := time.Now()
	r, err := run(all, 3000, 0.1)
	if err != nil {
		return err
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	fmt.Printf("%d together, %d students: gap %.5f %% in %.1f s, %.2f times one on average; %d MB taken from the system\n",
		many, many*size, r.percent, time.Since(start).Seconds(),
		time.Since(start).Seconds()/(first.Seconds()/float64(many)), m.Sys>>20)
	return nil
}

// add puts a school next to others, its codes and ids behind a prefix.
func add(all, p *placement.Problem, prefix string) {
	courses, sections := int32(len(all.Courses)), len(all.Sections)
	for _, code := range p.Courses {
		all.Courses = append(all.Courses, prefix+code)
	}
	all.Sections = append(all.Sections, p.Sections...)
	for i := sections; i < len(all.Sections); i++ {
		all.Sections[i].ID = prefix + all.Sections[i].ID
		all.Sections[i].Course += courses
	}
	for _, s := range p.Students {
		s.ID = prefix + s.ID
		s.Requests, s.Alternates = slices.Clone(s.Requests), slices.Clone(s.Alternates)
		for k := range s.Requests {
			s.Requests[k].Course += courses
		}
		for k := range s.Alternates {
			s.Alternates[k].Course += courses
		}
		all.Students = append(all.Students, s)
	}
}
