package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/placement"
)

func placeCommand() *cobra.Command {
	var out, explain string
	seconds, effort, seed := 120.0, 100, uint64(1)
	cmd := &cobra.Command{
		Use:   "place DIR",
		Short: "Place the requests of a school bundle into the sections of its master schedule",
		Long: "Place the requests of a school bundle into the sections of its classes.csv. It writes enrollments.csv and " +
			"placement.json, which says\n" +
			"how good the placement is, how good any could be at most, and why requests were not given. Ctrl-C writes the best so far.\n" +
			"docs/placement.md tells how it works and what it reaches.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" && explain == "" {
				return wrongUse(errors.New("say where to write with --out OUTDIR, or whom to explain with --explain STUDENT"))
			}
			if seconds <= 0 || effort < 0 {
				return wrongUse(errors.New("--seconds is more than 0, --effort is 0 or more"))
			}
			p, err := newPlacing(args[0], cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			if explain != "" && p.student(explain) < 0 {
				return wrongUse(fmt.Errorf("no student has the id %q", explain))
			}
			if err := p.run(cmd.Context(), seconds, placement.Options{Seed: seed, Effort: effort}, cmd.ErrOrStderr()); err != nil {
				return err
			}
			if out != "" {
				if err := p.write(out); err != nil {
					return err
				}
			}
			if explain != "" {
				return p.explain(p.student(explain), cmd.OutOrStdout())
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "the folder to write into")
	cmd.Flags().Float64Var(&seconds, "seconds", seconds, "the longest to search, reading not counted")
	cmd.Flags().IntVar(&effort, "effort", effort, "how much to search; the same effort gives the same placement")
	cmd.Flags().Uint64Var(&seed, "seed", seed, "of the lottery and of the search")
	cmd.Flags().StringVar(&explain, "explain", "", "say in words what this student was given, what not and why")
	return cmd
}

// placing is a bundle being placed.
type placing struct {
	bundle  *bundle.Bundle
	problem *placement.Problem
	found   *placement.Placement
	options placement.Options
	taken   []int // by section
	order   []int // the students by id
	seconds float64
}

func newPlacing(dir string, stderr io.Writer) (*placing, error) {
	b, err := readBundle(dir, stderr)
	if err != nil {
		return nil, err
	}
	if b.Tables["classes.csv"].Header == nil {
		return nil, wrongUse(&bundle.MissingFileError{Name: "classes.csv"})
	}
	p := &placing{bundle: b}
	var bad []bundle.Problem
	if p.problem, bad = b.Placement(); len(bad) > 0 {
		return nil, badRows(bad, stderr)
	}
	for i := range b.Pupils {
		p.order = append(p.order, i)
	}
	slices.SortFunc(p.order, func(i, k int) int { return cmp.Compare(b.Pupils[i].ID, b.Pupils[k].ID) })
	return p, nil
}

// run searches, with a line of progress where stderr is a terminal.
func (p *placing) run(ctx context.Context, seconds float64, o placement.Options, stderr io.Writer) error {
	interrupted, done := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer done()
	timed, cancel := context.WithTimeout(interrupted, time.Duration(seconds*float64(time.Second)))
	defer cancel()
	shown := isTerminal(stderr)
	if shown {
		o.Progress = func(g placement.Progress) {
			gap := 0.0
			if g.Bound > 0 {
				gap = 100 * float64(g.Bound-g.Value) / float64(g.Bound)
			}
			fmt.Fprintf(stderr, "\r\x1b[K%s: %d of %d students settled, value %d of at most %d, %.4f %% short", g.Phase,
				g.Settled, g.Students, g.Value, g.Bound, gap)
		}
	}
	start := time.Now()
	var err error
	p.options = o
	if p.found, err = placement.Solve(timed, p.problem, o); err != nil {
		return wrongUse(err)
	}
	p.seconds = time.Since(start).Seconds()
	p.taken = p.problem.Occupancy(p.found.Given)
	if shown {
		fmt.Fprintln(stderr)
	}
	if interrupted.Err() != nil {
		fmt.Fprintln(stderr, "Stopped: this is the best placement found so far.")
	}
	return nil
}

func isTerminal(w io.Writer) bool {
	file, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := file.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

func (p *placing) student(id string) int {
	return slices.IndexFunc(p.bundle.Pupils, func(q bundle.Pupil) bool { return q.ID == id })
}

type unplacedLine struct {
	Student   string        `json:"student"`
	Course    string        `json:"course"`
	Why       placement.Why `json:"why"`
	InsteadOf *string       `json:"insteadOf"`
}

type placementReport struct {
	Students         int            `json:"students"`
	Requests         int            `json:"requests"`
	PlacedRequests   int            `json:"placedRequests"`
	PlacedAlternates int            `json:"placedAlternates"`
	Complete         int            `json:"complete"`
	Value            int64          `json:"value"`
	Bound            int64          `json:"bound"`
	Gap              float64        `json:"gap"`
	Seconds          float64        `json:"seconds"`
	Unplaced         []unplacedLine `json:"unplaced"`
	Seed             uint64         `json:"seed"`
	Draw             []string       `json:"draw"`
}

func (p *placing) report() *placementReport {
	r := &placementReport{Value: p.found.Value, Bound: p.found.Bound, Gap: math.Round(p.found.Gap()*1e6) / 1e6,
		Seconds:  math.Round(p.seconds*100) / 100,
		Unplaced: []unplacedLine{}, Seed: p.options.Seed, Draw: []string{}}
	for _, i := range p.found.Draw {
		r.Draw = append(r.Draw, p.bundle.Pupils[i].ID)
	}
	for _, i := range p.order {
		s, g := &p.problem.Students[i], &p.found.Given[i]
		requests, alternates := count(g.Requests), count(g.Alternates)
		r.Requests += len(s.Requests)
		r.PlacedRequests += requests
		r.PlacedAlternates += alternates
		if len(s.Requests) > 0 {
			r.Students++
			if requests+alternates >= len(s.Requests) {
				r.Complete++
			}
		}
		for _, u := range p.problem.Reasons(i, g, p.taken) {
			line := unplacedLine{Student: s.ID, Course: p.code(s.Requests[u.Request].Course), Why: u.Why}
			if u.InsteadOf != placement.None {
				code := p.code(s.Alternates[u.InsteadOf].Course)
				line.InsteadOf = &code
			}
			r.Unplaced = append(r.Unplaced, line)
		}
	}
	return r
}

func count(sections []int32) (n int) {
	for _, section := range sections {
		if section != placement.None {
			n++
		}
	}
	return n
}

func (p *placing) code(course int32) string { return p.bundle.Year.Codes[course] }

// write writes the two files.
func (p *placing) write(dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("writing the placement: %w", err)
	}
	enrollments := p.enrollments()
	text, err := enrollments.Bytes()
	if err == nil {
		err = bundle.WriteFile(filepath.Join(dir, enrollments.Name), text)
	}
	if err == nil {
		text, err = json.MarshalIndent(p.report(), "", " ")
	}
	if err == nil {
		err = bundle.WriteFile(filepath.Join(dir, "placement.json"), append(text, '\n'))
	}
	if err != nil {
		return fmt.Errorf("writing the placement: %w", err)
	}
	return nil
}

// enrollments is enrollments.csv as OneRoster 1.1 has it, a row for each section given.
func (p *placing) enrollments() bundle.File {
	file := p.bundle.EnrollmentFile()
	for _, i := range p.order {
		g := &p.found.Given[i]
		for _, section := range slices.Concat(g.Requests, g.Alternates) {
			if section != placement.None {
				file.Rows = append(file.Rows, p.bundle.Enrollment(int(section), p.bundle.Pupils[i].ID))
			}
		}
	}
	return file
}

// explain says in words what a student was given, what not and why, and which one change would have made room.
func (p *placing) explain(i int, out io.Writer) error {
	s, g, pupil := &p.problem.Students[i], &p.found.Given[i], &p.bundle.Pupils[i]
	lot := slices.Index(p.found.Draw, int32(i)) + 1
	fmt.Fprintf(out, "%s %s (%s), entering grade %d, number %d of %d in the lottery of seed %d\n", pupil.GivenName,
		pupil.FamilyName, s.ID, pupil.Grade, lot,
		len(p.found.Draw), p.options.Seed)
	line := func(course, section int32, more string) {
		fmt.Fprintf(out, "  %s: %s%s\n", p.title(course), p.when(section), more)
	}
	fmt.Fprintln(out, "Given:")
	for k, section := range g.Requests {
		if section != placement.None {
			line(s.Requests[k].Course, section, "")
		}
	}
	for k, section := range g.Alternates {
		if section != placement.None {
			line(s.Alternates[k].Course, section, ", an alternate")
		}
	}
	reasons := p.problem.Reasons(i, g, p.taken)
	if len(reasons) == 0 {
		fmt.Fprintln(out, "Every request was given.")
		return nil
	}
	others := slices.Clone(p.taken)
	for _, section := range slices.Concat(g.Requests, g.Alternates) {
		if section != placement.None {
			others[section]--
		}
	}
	fmt.Fprintln(out, "Not given:")
	for _, u := range reasons {
		instead := "no alternate came in for it"
		if u.InsteadOf != placement.None {
			instead = p.title(s.Alternates[u.InsteadOf].Course) + " came in for it"
		}
		fmt.Fprintf(out, "  %s: %s; %s.\n", p.title(s.Requests[u.Request].Course), p.whyWords(i, u), instead)
		changes, err := p.problem.Changes(i, g, u.Request, others, 5)
		if err != nil {
			return err
		}
		for _, c := range changes {
			fmt.Fprintf(out, "    %s\n", p.changeWords(i, c))
		}
		if len(changes) == 0 {
			fmt.Fprintln(out, "    No one change would have made room.")
		}
	}
	return nil
}

func (p *placing) whyWords(i int, u placement.Unplaced) string {
	switch u.Why {
	case placement.NoSection:
		return "the master schedule has no section of it"
	case placement.Full:
		return "what would fit beside the rest is full"
	case placement.Link:
		var with []string
		for _, group := range p.problem.Students[i].Together {
			if slices.Contains(group, u.Request) {
				for _, k := range group {
					if k != u.Request {
						with = append(with, p.title(p.problem.Students[i].Requests[k].Course))
					}
				}
			}
		}
		return "a section fits and has a seat free, but it is only given together with " + strings.Join(with, ", ")
	}
	return "every section of it meets at the same time as something else that was given"
}

func (p *placing) changeWords(i int, c placement.Change) string {
	switch c.Kind {
	case placement.Seat:
		return "One more seat in " + p.bundle.Sections[c.Section].ID + " would have made room."
	case placement.Move:
		course := p.problem.Sections[c.Section].Course
		return fmt.Sprintf("One more seat in %s would have: %s could then be there.", p.bundle.Sections[c.Section].ID, p.title(course))
	}
	return "Without " + p.title(p.problem.Students[i].Requests[c.Drop].Course) + " there would have been room."
}

func (p *placing) title(course int32) string {
	c := &p.bundle.Year.Courses[course]
	return c.Title + " (" + c.Code + ")"
}

// when reports where a section is in the year: “eng10-2, S1 and S2, period 3”.
func (p *placing) when(section int32) string {
	s := &p.bundle.Sections[section]
	text := s.ID + ", " + strings.Join(p.bundle.Year.TermNames(s.Terms), " and ")
	if len(s.Periods) == 0 {
		return text + ", at no fixed time"
	}
	text += ", period " + numbersText(s.Periods)
	if len(s.Days) < p.bundle.Year.Policy.Days {
		text += " on day " + numbersText(s.Days)
	}
	return text
}

func numbersText(list []int) string {
	texts := make([]string, len(list))
	for i, n := range list {
		texts[i] = fmt.Sprint(n)
	}
	return strings.Join(texts, " and ")
}
