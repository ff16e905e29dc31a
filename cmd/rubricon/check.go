package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"runtime"
	"sync"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

func checkCommand() *cobra.Command {
	var student string
	cmd := &cobra.Command{
		Use:   "check DIR",
		Short: "Judge every sheet of a school bundle; one JSON object a line",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			b, err := readBundle(args[0], cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			return check(b, student, cmd.OutOrStdout(), cmd.ErrOrStderr())
		},
	}
	cmd.Flags().StringVar(&student, "student", "", "judge only the student with this id")
	return cmd
}

// readBundle reads a bundle for a command; its bad rows go to stderr and end the command with exit code 1.
func readBundle(dir string, stderr io.Writer) (*bundle.Bundle, error) {
	b, err := bundle.Open(dir)
	if err != nil {
		return nil, wrongUse(err)
	}
	for _, n := range b.Notices {
		fmt.Fprintln(stderr, "notice: "+n.String())
	}
	return b, badRows(b.Problems, stderr)
}

func badRows(problems []bundle.Problem, stderr io.Writer) error {
	if len(problems) == 0 {
		return nil
	}
	out := bufio.NewWriter(stderr)
	for _, p := range problems {
		fmt.Fprintln(out, p.String())
	}
	if err := out.Flush(); err != nil {
		return err
	}
	return &exitError{Code: exitBadRows}
}

func check(b *bundle.Bundle, only string, stdout, stderr io.Writer) error {
	pupils := b.Pupils
	if only != "" {
		pupils = nil
		for i := range b.Pupils {
			if b.Pupils[i].ID == only {
				pupils = b.Pupils[i : i+1]
			}
		}
		if pupils == nil {
			return wrongUse(fmt.Errorf("no student has the id %q", only))
		}
	}
	lines := make([][]byte, len(pupils))
	failed := make([]error, len(pupils))
	var wait sync.WaitGroup
	workers := runtime.GOMAXPROCS(0)
	for w := 0; w < workers; w++ {
		wait.Go(func() {
			for i := w; i < len(pupils); i += workers {
				lines[i], failed[i] = checkLine(b.Year, &pupils[i])
			}
		})
	}
	wait.Wait()
	var problems []bundle.Problem
	for i, err := range failed {
		if err != nil {
			problems = append(problems, bundle.RequestsProblem(&pupils[i], err))
		}
	}
	if err := badRows(problems, stderr); err != nil {
		return err
	}
	out := bufio.NewWriterSize(stdout, 1<<16)
	for _, line := range lines {
		out.Write(line)
		out.WriteByte('\n')
	}
	return out.Flush()
}

// The line that check prints for a student, as docs/bundle.md has it.
type (
	checkOut struct {
		Student   string              `json:"student"`
		Grade     int                 `json:"grade"`
		Ready     bool                `json:"ready"`
		Rules     []ruleOut           `json:"rules"`
		Requests  []requestOut        `json:"requests"`
		Packing   packingOut          `json:"packing"`
		Links     []linkOut           `json:"links"`
		Uncovered []string            `json:"uncovered"`
		Audits    ordered[[]entryOut] `json:"audits"`
	}
	ruleOut struct {
		ID       string         `json:"id"`
		Measured credit.Amount  `json:"measured"`
		Min      *credit.Amount `json:"min,omitempty"`
		Max      *credit.Amount `json:"max,omitempty"`
		Holds    bool           `json:"holds"`
	}
	requestOut struct {
		Course   string   `json:"course"`
		Entry    string   `json:"entry"`
		Missing  []string `json:"missing"`
		WaivedBy *string  `json:"waivedBy,omitempty"`
		Repeat   bool     `json:"repeat"`
		Barred   bool     `json:"barred"`
	}
	packingOut struct {
		Fits     bool              `json:"fits"`
		Spans    ordered[[]string] `json:"spans"`
		Overload credit.Amount     `json:"overload"`
	}
	linkOut struct {
		Course string `json:"course"`
		Needs  string `json:"needs"`
	}
	entryOut struct {
		ID         string                   `json:"id"`
		Need       credit.Amount            `json:"need"`
		Earned     credit.Amount            `json:"earned"`
		InProgress credit.Amount            `json:"inProgress"`
		Requested  credit.Amount            `json:"requested"`
		Short      credit.Amount            `json:"short"`
		EachShort  map[string]credit.Amount `json:"eachShort,omitzero"`
		Late       *bool                    `json:"late,omitempty"`
	}
)

// ordered is a JSON object whose keys come in the order in which they were added: that of the sheet, or of the policy.
type ordered[V any] struct {
	keys   []string
	values []V
}

func (o *ordered[V]) add(key string, value V) {
	o.keys, o.values = append(o.keys, key), append(o.values, value)
}

// MarshalJSON writes the object.
func (o ordered[V]) MarshalJSON() ([]byte, error) {
	out := []byte("{")
	for i, key := range o.keys {
		name, err1 := json.Marshal(key)
		value, err2 := json.Marshal(o.values[i])
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		if i > 0 {
			out = append(out, ',')
		}
		out = append(append(append(out, name...), ':'), value...)
	}
	return append(out, '}'), nil
}

// checkLine judges one pupil and writes the line.
func checkLine(y *catalog.Year, p *bundle.Pupil) ([]byte, error) {
	f := sheet.NewFacts(y, p.Student)
	s := p.Sheet(y)
	j, err := f.Judge(&s)
	if err != nil {
		return nil, err
	}
	uncovered, err := f.Uncovered(&s)
	if err != nil {
		return nil, err
	}
	out := checkOut{Student: p.ID, Grade: p.Grade, Ready: j.Ready, Rules: []ruleOut{}, Requests: []requestOut{}, Links: []linkOut{}, Uncovered: []string{},
		Packing: packingOut{Fits: j.Packing.Fits(), Overload: j.Packing.Overload}}
	for _, r := range j.Rules {
		rule := &y.Rules[r.Rule]
		out.Rules = append(out.Rules, ruleOut{rule.ID, r.Measured, rule.Min, rule.Max, r.Holds})
	}
	for i, r := range j.Requests {
		request := requestOut{Course: y.Codes[r.Course], Entry: "none", Missing: []string{}, Repeat: r.Repeat, Barred: r.Barred}
		if r.HasEntry {
			request.Entry = r.Entry.String()
		}
		if r.HasEntry && r.Entry < condition.Expected {
			for _, leaf := range f.Missing(&s, r.Course) {
				request.Missing = append(request.Missing, leaf.String())
			}
		}
		if r.Waiver >= 0 {
			request.WaivedBy = &f.Signals[r.Waiver].By
		}
		out.Requests = append(out.Requests, request)
		out.Packing.Spans.add(request.Course, y.TermNames(j.Packing.Spans[i]))
	}
	for _, l := range j.Links {
		out.Links = append(out.Links, linkOut{y.Codes[l.Course], y.Codes[l.Needs]})
	}
	for _, course := range uncovered {
		out.Uncovered = append(out.Uncovered, y.Codes[course])
	}
	for i := range y.Audits {
		out.Audits.add(y.Audits[i].ID, auditOut(y.Audits[i].Audit, f.Audit(i, &s)))
	}
	return json.Marshal(&out)
}

func auditOut(a *policy.Audit, entries []sheet.AuditEntry) []entryOut {
	list := make([]entryOut, len(entries))
	for e := range entries {
		entry, source := &entries[e], &a.Entries[e]
		out := entryOut{ID: source.ID, Need: entry.Need, Earned: entry.Earned, InProgress: entry.InProgress, Requested: entry.Requested, Short: entry.Short}
		if source.Each != nil {
			out.EachShort = map[string]credit.Amount{}
			for _, short := range entry.EachShort {
				out.EachShort[policy.YearLabel(short.Year)] = short.Short
			}
		}
		if source.By != nil {
			out.Late = &entry.Late
		}
		list[e] = out
	}
	return list
}
