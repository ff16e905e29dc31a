package sheet

import (
	"cmp"
	"slices"

	"rubricon/core/condition"
	"rubricon/core/credit"
)

// Outline is a condition with the verdict on each of its parts. A part without parts is a leaf; Leaf is its
// place in the list that Explain gives, and -1 otherwise.
type Outline struct {
	Op      condition.Op
	N       int // of the parts, how many are asked for: all with And, one with Or
	Leaf    int
	Verdict condition.Verdict
	Parts   []Outline
}

// Outline judges a course's condition part by part next to a sheet; not ok where the course has none. What a
// waiver makes of it is not looked at.
func (f *Facts) Outline(s *Sheet, course int32) (out Outline, ok bool) {
	c := f.Year.Courses[course].Entry
	if c == nil {
		return out, false
	}
	d := f.borrowDesk()
	defer d.giveBack()
	d.spread(s)
	d.subject = course
	leaves := 0
	return d.outline(c, &leaves), true
}

func (d *desk) outline(c *condition.Condition, leaves *int) Outline {
	out := Outline{Op: c.Op, Leaf: -1, Verdict: c.Judge(d)}
	if c.Op == condition.Single {
		out.Leaf = *leaves
		*leaves++
		return out
	}
	for _, part := range c.Parts {
		out.Parts = append(out.Parts, d.outline(part, leaves))
	}
	switch c.Op {
	case condition.And:
		out.N = len(out.Parts)
	case condition.Or:
		out.N = 1
	default:
		out.N = c.N
	}
	return out
}

// Standing is how a student stands to a course.
type Standing string

// The standings; of several that hold the first is meant.
const (
	IsEarned    Standing = "earned"
	IsRequested Standing = "requested" // for the year or the summer
	IsTaken     Standing = "taken"     // now
	IsAlternate Standing = "alternate"
	IsPlanned   Standing = "planned"
	HasFailed   Standing = "failed"
	IsOpen      Standing = "open"
)

// Stop is a course on the way to another, or beyond it.
type Stop struct {
	Course   int32
	Step     int // 0 for the course itself, -1 for what its condition names, 1 for what names it
	Standing Standing
	Mark     credit.Amount
	HasMark  bool
	Year     int  // earned, taken, failed: in which school year
	Grade    int  // planned: for which grade
	NoWay    bool // it is not offered in any grade from the one entered on
}

// Leg is a way from one stop to the next: a condition names the one before. Stops are places in the route's list.
type Leg struct{ From, To int }

// Route is the chain of courses before and after one.
type Route struct {
	Stops []Stop // by step; of one step those the student has most to do with first
	Legs  []Leg
	More  int // how many were left out
}

// MaxBeside bounds the stops of one step of a route.
const MaxBeside = 4

// Route lists what a course's condition names and what names it, up to a number of steps either way. Of a
// course and those that count as the same both ways only one is shown: the one the student has most to do
// with.
func (f *Facts) Route(s *Sheet, plan []Planned, course int32, steps int) (out Route) {
	place := map[int32]int{course: 0}
	out.Stops = append(out.Stops, f.stop(s, plan, course, 0))
	type found struct{ stop, from int32 }
	for _, way := range []int{-1, 1} {
		front := []int32{course}
		for step := way; step != way*(steps+1); step += way {
			var next []found
			for _, at := range front {
				beside := f.namedBy(at)
				if way > 0 {
					beside = f.naming(at)
				}
				for _, other := range beside {
					next = append(next, found{f.nearest(s, plan, other), at})
				}
			}
			slices.SortStableFunc(next, func(a, b found) int {
				return cmp.Or(f.closeness(s, plan, a.stop)-f.closeness(s, plan, b.stop), cmp.Compare(a.stop, b.stop))
			})
			front = front[:0:0]
			for _, x := range next {
				at, known := place[x.stop]
				if !known {
					if len(front) == MaxBeside {
						out.More++
						continue
					}
					at = len(out.Stops)
					place[x.stop] = at
					out.Stops = append(out.Stops, f.stop(s, plan, x.stop, step))
					front = append(front, x.stop)
				}
				leg := Leg{at, place[x.from]}
				if way > 0 {
					leg = Leg{place[x.from], at}
				}
				if at != place[x.from] && !slices.Contains(out.Legs, leg) && !slices.Contains(out.Legs, Leg{leg.To, leg.From}) {
					out.Legs = append(out.Legs, leg)
				}
			}
		}
	}
	return out
}

// namedBy lists the courses of the catalog that a course's condition names.
func (f *Facts) namedBy(course int32) (list []int32) {
	c := f.Year.Courses[course].Entry
	if c == nil {
		return nil
	}
	c.Leaves(func(l *condition.Leaf) bool {
		if (l.Kind == condition.Passed || l.Kind == condition.Alongside) && int(l.Ref) < len(f.Year.Courses) &&
			l.Ref != course && !slices.Contains(list, l.Ref) {
			list = append(list, l.Ref)
		}
		return true
	})
	return list
}

// naming lists the courses of the year whose conditions name a course, or one that counts as the same.
func (f *Facts) naming(course int32) (list []int32) {
	for i := range f.Year.Courses {
		for _, named := range f.namedBy(int32(i)) {
			if named == course || slices.Contains(f.Year.Courses[course].Mutual, named) {
				list = append(list, int32(i))
				break
			}
		}
	}
	return list
}

// nearest is, of a course and those that count as the same both ways, the one the student has most to do
// with; the course itself where none is nearer.
func (f *Facts) nearest(s *Sheet, plan []Planned, course int32) int32 {
	best := course
	for _, other := range f.Year.Courses[course].Mutual {
		if f.closeness(s, plan, other) < f.closeness(s, plan, best) {
			best = other
		}
	}
	return best
}

var nearness = map[Standing]int{IsEarned: 0, IsRequested: 1, IsTaken: 2, IsAlternate: 3, IsPlanned: 4, HasFailed: 5, IsOpen: 6}

// closeness orders courses by how much a student has to do with them; what is no longer offered to them comes last.
func (f *Facts) closeness(s *Sheet, plan []Planned, course int32) int {
	stop := f.stop(s, plan, course, 0)
	if stop.NoWay {
		return len(nearness)
	}
	return nearness[stop.Standing]
}

// stop reports how a student stands to a course.
func (f *Facts) stop(s *Sheet, plan []Planned, course int32, step int) Stop {
	out := Stop{Course: course, Step: step, Standing: IsOpen}
	flags := f.codes[course].flags
	switch at := slices.IndexFunc(plan, func(p Planned) bool { return p.Course == course }); {
	case flags&hasEarned != 0:
		out.Standing = IsEarned
	case find(s.Requests, course) >= 0, find(s.Summer, course) >= 0:
		out.Standing = IsRequested
	case flags&hasProgress != 0:
		out.Standing = IsTaken
	case find(s.Alternates, course) >= 0:
		out.Standing = IsAlternate
	case at >= 0:
		out.Standing, out.Grade = IsPlanned, plan[at].Grade
	case flags&hasFailed != 0:
		out.Standing = HasFailed
	default:
		out.NoWay = true
		for grade := f.Grade; grade <= f.Year.Policy.LastGrade; grade++ {
			out.NoWay = out.NoWay && !f.Year.Courses[course].Offers(grade)
		}
	}
	for i := range f.Records {
		r := &f.Records[i]
		if r.Code != f.Year.Codes[course] || r.counts() != (out.Standing == IsEarned) || r.Outcome == Withdrawn {
			continue
		}
		if out.Year = r.Year; r.HasMark && (!out.HasMark || r.Mark > out.Mark) {
			out.Mark, out.HasMark = r.Mark, true
		}
	}
	return out
}
