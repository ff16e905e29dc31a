package main

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/demand"
	"rubricon/core/sheet"
)

func demandCommand() *cobra.Command {
	size, format, pairs := 28, "csv", 200
	cmd := &cobra.Command{
		Use:   "demand DIR",
		Short: "Tally what the sheets of a school bundle ask for",
		Long: "Tally what the sheets of a school bundle ask for: for each course the requests, by grade too, the alternates, the sections\n" +
			"needed at a class size and how large they are, and how many students it leaves without cover if it does not run.\n" +
			"As JSON also the students left without cover, the pairs wanted together, and the clashes of single sections.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if size < 1 || format != "csv" && format != "json" {
				return wrongUse(fmt.Errorf("--size is a whole number from 1, --format is csv or json"))
			}
			b, err := readBundle(args[0], cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			wishes, problems := wishesOf(b)
			if err := badRows(problems, cmd.ErrOrStderr()); err != nil {
				return err
			}
			tally := demand.Count(len(b.Year.Courses), wishes)
			if format == "json" {
				return demandJSON(b, tally, size, pairs, cmd.OutOrStdout())
			}
			return demandCSV(b, tally, wishes, size, cmd.OutOrStdout())
		},
	}
	cmd.Flags().IntVar(&size, "size", size, "the largest class")
	cmd.Flags().StringVar(&format, "format", format, "csv or json")
	cmd.Flags().IntVar(&pairs, "pairs", pairs, "json: at most so many pairs and clashes, the most wanted first")
	return cmd
}

func wishesOf(b *bundle.Bundle) (wishes []demand.Wish, problems []bundle.Problem) {
	for i := range b.Pupils {
		p := &b.Pupils[i]
		laid := p.Sheet(b.Year)
		w := demand.Wish{Student: p.ID, Grade: p.Grade}
		for _, e := range laid.Requests {
			w.Requests = append(w.Requests, e.Course)
		}
		for _, e := range laid.Alternates {
			w.Alternates = append(w.Alternates, e.Course)
		}
		var err error
		if w.Uncovered, err = sheet.NewFacts(b.Year, p.Student).Uncovered(&laid); err != nil {
			problems = append(problems, bundle.RequestsProblem(p, err))
		}
		wishes = append(wishes, w)
	}
	return wishes, problems
}

func demandCSV(b *bundle.Bundle, t *demand.Tally, wishes []demand.Wish, size int, out io.Writer) error {
	low, high := 1<<30, 0
	for _, w := range wishes {
		low, high = min(low, w.Grade), max(high, w.Grade)
	}
	header := []string{"courseCode", "title", "requests", "alternates", "uncovered", "sections", "largest"}
	for g := low; g <= high; g++ {
		header = append(header, "grade"+strconv.Itoa(g))
	}
	w := csv.NewWriter(out)
	if err := w.Write(header); err != nil {
		return err
	}
	for i := range t.Courses {
		c := &t.Courses[i]
		sizes := demand.Sections(c.Requests, size)
		largest := 0
		if len(sizes) > 0 {
			largest = sizes[0]
		}
		row := []string{b.Year.Courses[i].Code, b.Year.Courses[i].Title}
		for _, n := range []int{c.Requests, c.Alternates, len(c.Uncovered), len(sizes), largest} {
			row = append(row, strconv.Itoa(n))
		}
		for g := low; g <= high; g++ {
			row = append(row, strconv.Itoa(c.ByGrade[g]))
		}
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

func demandJSON(b *bundle.Bundle, t *demand.Tally, size, most int, out io.Writer) error {
	return json.NewEncoder(out).Encode(demand.NewReport(b.Year, t, size, most))
}
