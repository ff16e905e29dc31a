package main

import (
	"encoding/json"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/sheet"
)

func sectionsCommand() *cobra.Command {
	var student, on string
	cmd := &cobra.Command{
		Use:   "sections DIR",
		Short: "Tell which sections a student could take, and what is left to fill; one JSON object",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if _, err := time.Parse(time.DateOnly, on); on != "" && err != nil {
				return wrongUse(fmt.Errorf("%q is not a date; write it like 2027-09-01", on))
			}
			b, err := readBundle(args[0], cmd.ErrOrStderr(), bundle.WithDates)
			if err != nil {
				return err
			}
			for i := range b.Pupils {
				if b.Pupils[i].ID == student {
					return sections(b, i, on, cmd.OutOrStdout(), cmd.ErrOrStderr())
				}
			}
			return wrongUse(fmt.Errorf("no student has the id %q; name one with --student", student))
		},
	}
	cmd.Flags().StringVar(&student, "student", "", "the student's id")
	cmd.Flags().StringVar(&on, "on", "", "as of this date; without it, enrollments without an end count")
	return cmd
}

// What sections prints for a student, as docs/bundle.md has it.
type (
	sectionsOut struct {
		Student  string       `json:"student"`
		Open     []openOut    `json:"open"`
		Rules    []ruleOut    `json:"rules"`
		Complete bool         `json:"complete"`
		Sections []sectionOut `json:"sections"`
	}
	openOut struct {
		Term   string `json:"term"`
		Period int    `json:"period"`
		Days   []int  `json:"days"`
	}
	sectionOut struct {
		Section string   `json:"section"`
		Course  string   `json:"course"`
		Left    int      `json:"left"`
		Fits    bool     `json:"fits"`
		Clash   []string `json:"clash"`
		Entry   string   `json:"entry"`
		Barred  bool     `json:"barred"`
		Fills   int      `json:"fills"`
	}
)

func sections(b *bundle.Bundle, student int, on string, stdout, stderr io.Writer) error {
	pupil := &b.Pupils[student]
	all := b.Choices()
	taken := make([]map[int]bool, len(all)) // by section: who has a seat
	for i := range taken {
		taken[i] = map[int]bool{}
	}
	for i := range b.Enrollments {
		if e := &b.Enrollments[i]; e.InForce(on) {
			taken[e.Section][e.Pupil] = true
		}
	}
	var own []sheet.Section
	var ownPlaces []int
	for i := range all {
		if taken[i][student] {
			own, ownPlaces = append(own, all[i]), append(ownPlaces, i)
		}
	}
	f := sheet.NewFacts(b.Year, pupil.Student)
	laid := pupil.Sheet(b.Year)
	choice, err := f.Choose(&laid, own)
	if err != nil {
		return badRows([]bundle.Problem{bundle.RequestsProblem(pupil, err)}, stderr)
	}
	out := sectionsOut{Student: pupil.ID, Open: []openOut{}, Rules: rulesOut(b.Year.Fill, choice.Rules),
		Complete: choice.Complete, Sections: []sectionOut{}}
	for _, open := range choice.Open {
		out.Open = append(out.Open, openOut{b.Year.Terms[open.Term], open.Period, open.Days})
	}
	for i := range all {
		if taken[i][student] {
			continue
		}
		r := f.AsRequest(&laid, all[i].Course)
		line := sectionOut{Section: b.Sections[i].ID, Course: b.Sections[i].Course, Left: b.Sections[i].Seats - len(taken[i]), Clash: []string{},
			Entry: entryWord(&r), Barred: r.Barred, Fills: choice.Fills(&all[i])}
		for k := range own {
			if own[k].Collides(&all[i]) {
				line.Clash = append(line.Clash, b.Sections[ownPlaces[k]].ID)
			}
		}
		line.Fits = len(line.Clash) == 0 && line.Left > 0
		out.Sections = append(out.Sections, line)
	}
	text, err := json.Marshal(&out)
	if err == nil {
		_, err = fmt.Fprintf(stdout, "%s\n", text)
	}
	return err
}

func attendanceCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "attendance DIR",
		Short: "List what is wrong with the dates of enrollments and attendance",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			b, err := readBundle(args[0], cmd.ErrOrStderr(), bundle.WithDates)
			if err != nil {
				return err
			}
			return badRows(b.DatedProblems(), cmd.ErrOrStderr())
		},
	}
}
