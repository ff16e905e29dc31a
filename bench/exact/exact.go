// Package exact hands a placement problem to an outside mixed-integer solver, COIN-OR CBC (Debian's
// coinor-cbc), as a check on core/placement: the model is written straight from the definition of a valid
// placement, with a variable for each wish and section, and shares no code with the search.
package exact

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"rubricon/core/placement"
)

// Write writes the model in the LP format: what each placement is worth is to be made as large as possible.
func Write(w io.Writer, p *placement.Problem) error {
	out := bufio.NewWriter(w)
	sectionsOf := make([][]int, len(p.Courses))
	for i := range p.Sections {
		sectionsOf[p.Sections[i].Course] = append(sectionsOf[p.Sections[i].Course], i)
	}
	m := &model{p: p, out: out, sectionsOf: sectionsOf, seats: make([][]string, len(p.Sections))}
	fmt.Fprint(out, "Maximize\n obj: 0 zero")
	for i := range p.Students {
		s := &p.Students[i]
		for k, r := range s.Requests {
			m.worth(i, "r", k, r.Course, r.Value)
		}
		for k, a := range s.Alternates {
			m.worth(i, "a", k, a.Course, a.Value)
		}
	}
	fmt.Fprint(out, "\nSubject To\n")
	for i := range p.Students {
		m.student(i)
	}
	for i, names := range m.seats {
		m.row(names, "<=", p.Sections[i].Seats)
	}
	fmt.Fprint(out, "Bounds\n zero = 0\nBinary\n")
	for _, names := range m.seats {
		for _, name := range names {
			fmt.Fprintf(out, " %s\n", name)
		}
	}
	fmt.Fprint(out, "End\n")
	return out.Flush()
}

type model struct {
	p          *placement.Problem
	out        *bufio.Writer
	sectionsOf [][]int
	seats      [][]string // by section: the variables that take a seat
	rows       int
}

// name is the variable of a student's wish for a section.
func name(student int, kind string, wish, section int) string {
	return fmt.Sprintf("%s%d_%d_%d", kind, student, wish, section)
}

func (m *model) worth(student int, kind string, wish int, course, value int32) {
	for _, section := range m.sectionsOf[course] {
		fmt.Fprintf(m.out, "\n + %d %s", value, name(student, kind, wish, section))
		m.seats[section] = append(m.seats[section], name(student, kind, wish, section))
	}
}

func (m *model) wish(student int, kind string, wish int, course int32) (names []string) {
	for _, section := range m.sectionsOf[course] {
		names = append(names, name(student, kind, wish, section))
	}
	return names
}

func (m *model) row(terms []string, relation string, right int) {
	if len(terms) == 0 {
		return
	}
	m.rows++
	fmt.Fprintf(m.out, " c%d: ", m.rows)
	for n, term := range terms {
		if term[0] != '-' && n > 0 {
			fmt.Fprint(m.out, " + ")
		}
		if term[0] == '-' {
			term = " - " + term[1:]
		}
		fmt.Fprint(m.out, term)
		if n%20 == 19 {
			fmt.Fprint(m.out, "\n")
		}
	}
	fmt.Fprintf(m.out, " %s %d\n", relation, right)
}

func (m *model) student(i int) {
	s := &m.p.Students[i]
	cells := map[int32][]string{}
	var order []int32
	var all []string
	meet := func(names []string, course int32) {
		all = append(all, names...)
		for n, section := range m.sectionsOf[course] {
			for _, cell := range m.p.Sections[section].Cells {
				if cells[cell] == nil {
					order = append(order, cell)
				}
				cells[cell] = append(cells[cell], names[n])
			}
		}
	}
	requests := make([][]string, len(s.Requests))
	for k, r := range s.Requests {
		requests[k] = m.wish(i, "r", k, r.Course)
		m.row(requests[k], "<=", 1)
		meet(requests[k], r.Course)
	}
	for k, a := range s.Alternates {
		names := m.wish(i, "a", k, a.Course)
		if a.StandsFor != placement.None {
			m.row(append(append([]string(nil), names...), requests[a.StandsFor]...), "<=", 1)
		} else {
			m.row(names, "<=", 1)
		}
		meet(names, a.Course)
	}
	m.row(all, "<=", len(s.Requests)) // no more alternates than requests that are not given
	for _, cell := range order {
		if len(cells[cell]) > 1 {
			m.row(cells[cell], "<=", 1)
		}
	}
	for _, group := range s.Together {
		for _, k := range group[1:] {
			terms := append([]string(nil), requests[group[0]]...)
			for _, n := range requests[k] {
				terms = append(terms, "-"+n)
			}
			m.row(terms, "=", 0)
		}
	}
}

// Result is the answer of the solver.
type Result struct {
	Value   int64
	Optimal bool
	Took    time.Duration
}

// ErrNoSolver is returned when CBC is not installed.
var ErrNoSolver = errors.New("cbc is not installed; as root run: apt-get install coinor-cbc")

// Solve runs CBC on the problem for at most so long.
func Solve(ctx context.Context, p *placement.Problem, limit time.Duration) (*Result, error) {
	program, err := exec.LookPath("cbc")
	if err != nil {
		return nil, ErrNoSolver
	}
	dir, err := os.MkdirTemp("", "rubricon-exact")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	in, solution := filepath.Join(dir, "model.lp"), filepath.Join(dir, "solution")
	file, err := os.Create(in)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(Write(file, p), file.Close()); err != nil {
		return nil, err
	}
	start := time.Now()
	text, err := exec.CommandContext(ctx, program, in, "-sec", strconv.Itoa(max(1, int(limit.Seconds()))), "-timeMode",
		"elapsed", "-ratioGap", "0",
		"-threads", "2", "-solve", "-solution", solution).CombinedOutput()
	took := time.Since(start)
	if err != nil {
		return nil, fmt.Errorf("cbc: %w: %s", err, text)
	}
	answer, err := os.ReadFile(solution)
	if err != nil {
		return nil, fmt.Errorf("cbc has written no solution: %s", text)
	}
	first, _, _ := strings.Cut(string(answer), "\n")
	_, number, ok := strings.Cut(first, "objective value")
	value, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if !ok || err != nil {
		return nil, fmt.Errorf("cbc says %q", first)
	}
	if value < 0 {
		value = -value
	}
	return &Result{Value: int64(value + 0.5), Optimal: strings.HasPrefix(first, "Optimal"), Took: took}, nil
}
