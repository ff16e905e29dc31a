package schedule

import (
	"cmp"
	"encoding/json"
	"slices"
	"sync"
	"time"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/store"
)

// CurvePoint is how good a run's placement was after a time, and how good any could be.
type CurvePoint struct {
	Seconds float64 `json:"s"`
	Value   int64   `json:"v"`
	Bound   int64   `json:"b"`
}

// RunSummary is the result of a run.
type RunSummary struct {
	Students         int          `json:"students"` // with a request
	Requests         int          `json:"requests"`
	PlacedRequests   int          `json:"placedRequests"`
	PlacedAlternates int          `json:"placedAlternates"`
	Complete         int          `json:"complete"` // have all they asked for, or an alternate for it
	All              int          `json:"all"`      // have all they asked for
	Value            int64        `json:"value"`
	Bound            int64        `json:"bound"`
	Gap              float64      `json:"gap"`
	Seconds          float64      `json:"seconds"`
	Cut              bool         `json:"cut"` // it was ended before the search was
	Reasons          []RunReason  `json:"reasons"`
	Sections         []RunSection `json:"sections"`
	Ranks            []RunRank    `json:"ranks"`
	Held             int          `json:"held"`    // seats that were kept as they were
	Unkept           []UnkeptSeat `json:"unkept"`  // that should have been, and could not
	Touched          int          `json:"touched"` // weeks changed since the run ended, by hand or again
}

// UnkeptSeat is a seat that was held and could not be kept.
type UnkeptSeat struct {
	Student string `json:"student"`
	Course  string `json:"course"`
}

// RunReason is why requests were not given.
type RunReason struct {
	Why     placement.Why `json:"why"`
	N       int           `json:"n"`
	Bare    int           `json:"bare"` // with nothing in their place
	Courses []CourseN     `json:"courses"`
}

// CourseN is a course with a number.
type CourseN struct {
	Course string `json:"course"`
	N      int    `json:"n"`
}

// RunSection is a section with how many seats of it are taken.
type RunSection struct {
	GivenSection
	Seats int `json:"seats"`
	Taken int `json:"taken"`
}

// RunRank is how the wishes of a rank were met in a grade, or in a program.
type RunRank struct {
	Grade   int    `json:"grade" doc:"-1: of the program"`
	Program string `json:"program,omitempty"`
	Rank    int    `json:"rank"`
	Asked   int    `json:"asked"`
	Given   int    `json:"given"`
}

// GivenSection is a section that a student is given: where and when it is.
type GivenSection struct {
	Course    string   `json:"course"`
	Section   string   `json:"section"`
	Title     string   `json:"title"` // of the section
	Teacher   string   `json:"teacher,omitempty"`
	Terms     []string `json:"terms"`
	Periods   []int    `json:"periods"`
	Days      []int    `json:"days"`                // of the cycle; empty: every day
	Alternate bool     `json:"alternate,omitempty"` // it came in for a request
}

// Lacking is a request that was not given.
type Lacking struct {
	Course  string        `json:"course"`
	Rank    int           `json:"rank"`
	Why     placement.Why `json:"why"`
	Instead string        `json:"instead,omitempty"` // the alternate that came in; empty: nothing
}

// PlacedPupil is the result of a run for one student.
type PlacedPupil struct {
	store.PlacedPupil
	Given   []GivenSection
	Lacking []Lacking
}

// curve is how a run has come on, in at most some hundred points.
type curve struct {
	mu     sync.Mutex
	began  time.Time
	points []CurvePoint
}

const maxPoints = 300

func (c *curve) at(value, bound int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if n := len(c.points); n > 0 && c.points[n-1].Value == value && c.points[n-1].Bound == bound {
		return
	}
	c.points = append(c.points, CurvePoint{float64(time.Since(c.began).Milliseconds()) / 1000, value, bound})
	if len(c.points) > maxPoints { // every other one
		kept := c.points[:0]
		for i, p := range c.points {
			if i%2 == 0 || i == len(c.points)-1 {
				kept = append(kept, p)
			}
		}
		c.points = kept
	}
}

func (c *curve) now() []CurvePoint {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]CurvePoint{}, c.points...)
}

// given returns when a section meets.
func given(b *bundle.Bundle, section int32) GivenSection {
	x := &b.Sections[section]
	out := GivenSection{Course: x.Course, Section: x.ID, Title: x.Title, Teacher: x.Teacher,
		Terms: b.Year.TermNames(x.Terms), Periods: append([]int{}, x.Periods...), Days: []int{}}
	if len(x.Days) < b.Year.Policy.Days {
		out.Days = x.Days
	}
	return out
}

// ByHandWhy is why a request was not given that was taken away by hand, next to the reasons of the core.
const ByHandWhy placement.Why = "hand"

type rankKey struct {
	grade   int
	program string
	rank    int
}

// outcome sums a placement up and tells it student by student, those with a submission.
func outcome(in *input, p *placement.Problem, found *placement.Placement, denied []placement.Denied) (*RunSummary, []store.GivenRow) {
	b := in.Bundle
	o := &RunSummary{Value: found.Value, Bound: found.Bound, Gap: found.Gap(), Cut: found.Cut, Reasons: []RunReason{},
		Sections: []RunSection{}, Ranks: []RunRank{}, Unkept: []UnkeptSeat{}}
	taken := p.Occupancy(found.Given)
	lot := make([]int, len(p.Students))
	for n, i := range found.Draw {
		lot[i] = n + 1
	}
	reasons := map[placement.Why]map[string]int{}
	bare := map[placement.Why]int{}
	ranks := map[rankKey]*RunRank{}
	rankOf := func(key rankKey, given bool) {
		if ranks[key] == nil {
			ranks[key] = &RunRank{Grade: key.grade, Program: key.program, Rank: key.rank}
		}
		if ranks[key].Asked++; given {
			ranks[key].Given++
		}
	}
	var rows []store.GivenRow
	for i := range p.Students {
		student, g, known := &p.Students[i], &found.Given[i], in.sheets[i].Facts
		if in.handed[student.ID] == 0 {
			continue
		}
		list, lacking := []GivenSection{}, []Lacking{}
		placed := 0
		for k, section := range g.Requests {
			rankOf(rankKey{known.Grade, "", k + 1}, section != placement.None)
			for _, program := range known.Programs {
				rankOf(rankKey{-1, program, k + 1}, section != placement.None)
			}
			if section != placement.None {
				placed++
				list = append(list, given(b, section))
			}
		}
		alternates := 0
		for _, section := range g.Alternates {
			if section != placement.None {
				alternates++
				x := given(b, section)
				x.Alternate = true
				list = append(list, x)
			}
		}
		open := 0
		for _, u := range p.Reasons(i, g, taken) {
			l := Lacking{Course: b.Year.Codes[student.Requests[u.Request].Course], Rank: int(u.Request) + 1, Why: u.Why}
			// Taken away by hand, or what came in for it was: neither seats nor another course keep it back.
			linked := slices.ContainsFunc(student.Together, func(group []int32) bool { return slices.Contains(group, u.Request) })
			if slices.Contains(denied, placement.Denied{Student: int32(i), Course: student.Requests[u.Request].Course}) ||
				u.Why == placement.Link && !linked {
				l.Why, u.Why = ByHandWhy, ByHandWhy
			}
			if u.InsteadOf != placement.None {
				l.Instead = b.Year.Codes[student.Alternates[u.InsteadOf].Course]
			} else {
				open++
				bare[u.Why]++
			}
			if reasons[u.Why] == nil {
				reasons[u.Why] = map[string]int{}
			}
			reasons[u.Why][l.Course]++
			lacking = append(lacking, l)
		}
		o.Requests += len(student.Requests)
		o.PlacedRequests += placed
		o.PlacedAlternates += alternates
		if len(student.Requests) > 0 {
			o.Students++
			if placed == len(student.Requests) {
				o.All++
			}
			if placed+alternates >= len(student.Requests) {
				o.Complete++
			}
		}
		row := store.GivenRow{Student: student.ID, Submission: in.handed[student.ID], Lot: lot[i], Open: open}
		row.Given, _ = json.Marshal(list)
		row.Lacking, _ = json.Marshal(lacking)
		rows = append(rows, row)
	}
	for why, courses := range reasons {
		r := RunReason{Why: why, Bare: bare[why]}
		for course, n := range courses {
			r.N += n
			r.Courses = append(r.Courses, CourseN{course, n})
		}
		slices.SortFunc(r.Courses, func(a, b CourseN) int { return compareMost(a.N, b.N, a.Course, b.Course) })
		o.Reasons = append(o.Reasons, r)
	}
	slices.SortFunc(o.Reasons, func(a, b RunReason) int { return compareMost(a.N, b.N, string(a.Why), string(b.Why)) })
	for i := range b.Sections {
		o.Sections = append(o.Sections, RunSection{given(b, int32(i)), b.Sections[i].Seats, taken[i]})
	}
	for _, r := range ranks {
		o.Ranks = append(o.Ranks, *r)
	}
	slices.SortFunc(o.Ranks, func(a, b RunRank) int {
		return cmp.Or(cmp.Compare(a.Program, b.Program), cmp.Compare(a.Grade, b.Grade), cmp.Compare(a.Rank, b.Rank))
	})
	return o, rows
}

// compareMost puts the larger number first, and equals by name.
func compareMost(a, b int, first, second string) int {
	if a != b {
		return b - a
	}
	if first < second {
		return -1
	}
	return 1
}
