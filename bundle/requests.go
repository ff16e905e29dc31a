package bundle

import (
	"fmt"
	"math"
	"sort"
	"strconv"

	"rubricon/core/catalog"
	"rubricon/core/sheet"
)

// Request is a row of requests.csv.
type Request struct {
	Row       *Row
	Course    string
	Alternate bool
	Rank      int
	StandsFor string
}

func (b *Bundle) requests(courses map[string]*Row) {
	t := b.Tables["requests.csv"]
	type place struct{ student, course string }
	seen := map[place]int{}
	b.students(t, func(r *Row, p *Pupil) {
		q := Request{Row: r, Course: t.Cell(r, "courseCode"), StandsFor: t.Cell(r, "standsFor")}
		if courses[q.Course] == nil {
			b.bad(t, r, "courseCode", "no course has the code “%s”", q.Course)
			return
		}
		key := place{p.ID, q.Course}
		if line, twice := seen[key]; twice {
			b.bad(t, r, "courseCode", "%s is already on this sheet, on line %d", q.Course, line)
			return
		}
		seen[key] = r.Line
		q.Alternate = oneOf(b, t, r, "kind", "", "request", "alternate") == "alternate"
		if q.Alternate && b.summer[q.Course] {
			b.bad(t, r, "courseCode", "%s is a course of the summer round; it can be requested, but is no alternate", q.Course)
		}
		var err error
		if q.Rank, err = strconv.Atoi(t.Cell(r, "rank")); err != nil || q.Rank < 1 || q.Rank > math.MaxInt32 {
			b.bad(t, r, "rank", "“%s” is not a rank; write a whole number from 1", t.Cell(r, "rank"))
		}
		if q.StandsFor != "" {
			if courses[q.StandsFor] == nil {
				b.bad(t, r, "standsFor", "no course has the code “%s”", q.StandsFor)
			}
			if q.Alternate && b.summer[q.StandsFor] {
				b.bad(t, r, "standsFor", "%s is a course of the summer round; no alternate stands for one", q.StandsFor)
			}
			if !q.Alternate {
				b.notice(t, r, "standsFor", "only an alternate stands for a course; it is not used")
				q.StandsFor = ""
			}
		}
		p.Requests = grown(p.Requests, q)
	})
	for i := range b.Pupils {
		b.checkSheet(t, &b.Pupils[i])
	}
}

// checkSheet reports what is odd about a sheet, and refuses one beyond the limits of judging.
func (b *Bundle) checkSheet(t *Table, p *Pupil) {
	var requests, alternates int
	for i := range p.Requests {
		q := &p.Requests[i]
		if !q.Alternate {
			requests++
			continue
		}
		alternates++
		if q.StandsFor == "" {
			continue
		}
		asked := false
		for _, other := range p.Requests {
			asked = asked || other.Course == q.StandsFor && !other.Alternate
		}
		if !asked {
			b.notice(t, q.Row, "standsFor", "%s is not requested on this sheet", q.StandsFor)
		}
	}
	if requests > sheet.MaxEntries || alternates > sheet.MaxEntries {
		b.bad(t, p.Requests[len(p.Requests)-1].Row, "student",
			"the sheet has %d requests and %d alternates; at most %d of each are judged", requests, alternates, sheet.MaxEntries)
	}
}

// Sheet is the pupil's sheet, in rank order: equal ranks in file order.
func (p *Pupil) Sheet(y *catalog.Year) sheet.Sheet {
	var s sheet.Sheet
	for i := range p.Requests {
		q := &p.Requests[i]
		course, _ := y.Index(q.Course)
		e := sheet.Entry{Course: course, StandsFor: sheet.Any, Rank: q.Rank}
		if q.StandsFor != "" {
			e.StandsFor, _ = y.Index(q.StandsFor)
		}
		switch {
		case q.Alternate:
			s.Alternates = append(s.Alternates, e)
		case y.Courses[course].Summer:
			s.Summer = append(s.Summer, e)
		default:
			s.Requests = append(s.Requests, e)
		}
	}
	byRank := func(list []sheet.Entry) {
		sort.SliceStable(list, func(i, j int) bool { return list[i].Rank < list[j].Rank })
	}
	byRank(s.Requests)
	byRank(s.Alternates)
	byRank(s.Summer)
	return s
}

// RequestsProblem makes of an error in judging a pupil's sheet a problem that names its first row.
func RequestsProblem(p *Pupil, err error) Problem {
	line := 1
	if len(p.Requests) > 0 {
		line = p.Requests[0].Row.Line
	}
	return SheetProblem(p.ID, line, err)
}

// SheetProblem makes of an error in judging a student's sheet a problem that names a line of it.
func SheetProblem(student string, line int, err error) Problem {
	return Problem{File: "requests.csv", Line: line, Column: "student",
		What: fmt.Sprintf("the sheet of %s cannot be judged: %v", student, err)}
}
