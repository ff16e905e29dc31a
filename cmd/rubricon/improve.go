package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/placement"
)

func improveCommand() *cobra.Command {
	var out string
	seconds, effort, seed, moves, all := 120.0, 100, uint64(1), 100, false
	cmd := &cobra.Command{
		Use:   "improve DIR",
		Short: "Find moves of sections to other periods that serve more students",
		Long: "Find moves of sections to other periods that serve more students: those of courses with a single section may " +
			"move (--all: any), within their terms and days, where\n" +
			"their teacher is free. It writes classes.csv as it would be, the placement into it (enrollments.csv, " +
			"placement.json), and improve.json, which says what each move was worth.\n" +
			"The placement is never worth less than before. docs/placement.md tells how it works.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return wrongUse(errors.New("say where to write with --out OUTDIR"))
			}
			if seconds <= 0 || effort < 0 || moves < 0 {
				return wrongUse(errors.New("--seconds is more than 0, --effort and --moves are 0 or more"))
			}
			p, err := newPlacing(args[0], cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			return p.improve(cmd.Context(), out, seconds, moves, all, placement.Options{Seed: seed, Effort: effort}, cmd.ErrOrStderr())
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "the folder to write into")
	cmd.Flags().Float64Var(&seconds, "seconds", seconds, "the longest to search, reading not counted")
	cmd.Flags().IntVar(&effort, "effort", effort, "how much to search for each placement")
	cmd.Flags().Uint64Var(&seed, "seed", seed, "of the lottery and of the search")
	cmd.Flags().IntVar(&moves, "moves", moves, "at most so many moves")
	cmd.Flags().BoolVar(&all, "all", all, "any section may move")
	return cmd
}

type improveReport struct {
	Before  improveState  `json:"before"`
	After   improveState  `json:"after"`
	Seconds float64       `json:"seconds"`
	Moves   []improveMove `json:"moves"`
	Cut     bool          `json:"cut,omitempty"` // the time was over first: there may be more moves
}

type improveState struct {
	Value    int64 `json:"value"`
	Complete int   `json:"complete"`
	Cut      bool  `json:"cut,omitempty"` // the time was over first: it may be worth more
}

type improveMove struct {
	Section string `json:"section"`
	Course  string `json:"course"`
	From    []int  `json:"from"` // periods
	To      []int  `json:"to"`
	Gain    int64  `json:"gain"` // what it adds to the best timetables of those who ask for the course, seats aside
}

func (p *placing) improve(ctx context.Context, out string, seconds float64, moves int, all bool, o placement.Options,
	stderr io.Writer) error {
	rooms := p.bundle.Rooms(all)
	timed, cancel := context.WithTimeout(ctx, time.Duration(seconds*float64(time.Second)))
	defer cancel()
	began := time.Now()
	found, err := placement.Improve(timed, p.problem, rooms, placement.ImproveOptions{Placement: o, Moves: moves})
	if err != nil {
		return wrongUse(err)
	}
	r := improveReport{Seconds: math.Round(time.Since(began).Seconds()*100) / 100, Moves: []improveMove{}}
	r.Before = improveState{Value: found.Before.Value, Complete: p.problem.Complete(found.Before.Given), Cut: found.Before.Cut}
	r.Cut = found.Cut
	where := make([][]int, len(p.bundle.Sections))
	for i := range p.bundle.Sections {
		where[i] = p.bundle.Sections[i].Periods
	}
	for _, m := range found.Moves {
		to := p.bundle.PeriodsOf(m.To)
		r.Moves = append(r.Moves, improveMove{Section: p.bundle.Sections[m.Section].ID,
			Course: p.bundle.Sections[m.Section].Course, From: where[m.Section], To: to, Gain: m.Gain})
		where[m.Section] = to
	}
	classes := p.bundle.ClassesWith(where)
	for i := range p.bundle.Sections {
		p.bundle.Sections[i].Periods = where[i]
	}
	p.problem.Sections, p.found, p.options, p.seconds = found.Sections, found.After, o, time.Since(began).Seconds()
	p.taken = p.problem.Occupancy(p.found.Given)
	r.After = improveState{Value: found.After.Value, Complete: p.problem.Complete(found.After.Given), Cut: found.After.Cut}
	if err := os.MkdirAll(out, 0o700); err != nil {
		return fmt.Errorf("writing the improvement: %w", err)
	}
	text, err := classes.Bytes()
	if err == nil {
		err = bundle.WriteFile(filepath.Join(out, classes.Name), text)
	}
	if err == nil {
		text, err = json.MarshalIndent(r, "", " ")
	}
	if err == nil {
		err = bundle.WriteFile(filepath.Join(out, "improve.json"), append(text, '\n'))
	}
	if err != nil {
		return fmt.Errorf("writing the improvement: %w", err)
	}
	fmt.Fprintf(stderr, "%d moves: value %d → %d, complete students %d → %d.\n", len(r.Moves), r.Before.Value,
		r.After.Value, r.Before.Complete, r.After.Complete)
	switch {
	case found.Before.Cut:
		fmt.Fprintln(stderr,
			"The time was over before the schedule as it is was placed as well as it can be: all of these numbers may be too "+
				"low. Give more --seconds.")
	case found.Cut:
		fmt.Fprintln(stderr, "The time was over before the search ended: there may be more moves. Give more --seconds.")
	}
	return p.write(out)
}
