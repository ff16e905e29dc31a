package demand

import (
	"strconv"

	"rubricon/core/catalog"
)

// Report is a tally as the command demand prints it, with codes for courses.
type Report struct {
	Size    int          `json:"size"` // the largest class
	Courses []CourseLine `json:"courses"`
	Pairs   []PairLine   `json:"pairs"` // the most wanted first
	Clashes []PairLine   `json:"singleSectionClashes"`
}

// CourseLine is one course of a report.
type CourseLine struct {
	Course     string         `json:"course"`
	Title      string         `json:"title"`
	Requests   int            `json:"requests"`
	Alternates int            `json:"alternates"`
	ByGrade    map[string]int `json:"byGrade"`
	Sections   []int          `json:"sections"`  // their sizes
	Uncovered  []string       `json:"uncovered"` // students
}

// PairLine is a pair of courses of a report.
type PairLine struct {
	First    string `json:"first"`
	Second   string `json:"second"`
	Students int    `json:"students"`
}

// NewReport makes a report of a tally at a class size, with at most so many pairs and clashes.
func NewReport(y *catalog.Year, t *Tally, size, most int) *Report {
	r := &Report{Size: size, Courses: []CourseLine{}}
	for i := range t.Courses {
		c := &t.Courses[i]
		row := CourseLine{Course: y.Courses[i].Code, Title: y.Courses[i].Title, Requests: c.Requests,
			Alternates: c.Alternates, ByGrade: map[string]int{}, Sections: Sections(c.Requests, size), Uncovered: c.Uncovered}
		for grade, n := range c.ByGrade {
			row.ByGrade[strconv.Itoa(grade)] = n
		}
		if row.Sections == nil {
			row.Sections = []int{}
		}
		if row.Uncovered == nil {
			row.Uncovered = []string{}
		}
		r.Courses = append(r.Courses, row)
	}
	named := func(list []Pair) []PairLine {
		pairs := []PairLine{}
		for _, p := range list[:min(len(list), max(most, 0))] {
			pairs = append(pairs, PairLine{y.Codes[p.First], y.Codes[p.Second], p.Students})
		}
		return pairs
	}
	r.Pairs, r.Clashes = named(t.Pairs), named(t.SingleClashes(size))
	return r
}
