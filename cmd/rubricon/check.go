package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"runtime"
	"sync"

	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/condition"
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

// checkLine judges one pupil and writes the line of docs/bundle.md.
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
	o := &lineWriter{}
	o.open('{')
	o.key("student").text(p.ID)
	o.key("grade").int(p.Grade)
	o.key("ready").bool(j.Ready)
	o.key("rules").open('[')
	for _, r := range j.Rules {
		rule := &y.Rules[r.Rule]
		o.item().open('{')
		o.key("id").text(rule.ID)
		o.key("measured").amount(r.Measured)
		if rule.Min != nil {
			o.key("min").amount(*rule.Min)
		}
		if rule.Max != nil {
			o.key("max").amount(*rule.Max)
		}
		o.key("holds").bool(r.Holds).close('}')
	}
	o.close(']').key("requests").open('[')
	for _, r := range j.Requests {
		o.item().open('{')
		o.key("course").text(y.Codes[r.Course])
		entry := "none"
		if r.HasEntry {
			entry = r.Entry.String()
		}
		o.key("entry").text(entry)
		var missing []string
		if r.HasEntry && r.Entry < condition.Expected {
			for _, leaf := range f.Missing(&s, r.Course) {
				missing = append(missing, leaf.String())
			}
		}
		o.key("missing").texts(missing)
		if r.Waiver >= 0 {
			o.key("waivedBy").text(f.Signals[r.Waiver].By)
		}
		o.key("repeat").bool(r.Repeat)
		o.key("barred").bool(r.Barred).close('}')
	}
	o.close(']').key("packing").open('{')
	o.key("fits").bool(j.Packing.Fits())
	o.key("spans").open('{')
	for i, r := range j.Requests {
		o.key(y.Codes[r.Course]).texts(y.TermNames(j.Packing.Spans[i]))
	}
	o.close('}').key("overload").amount(j.Packing.Overload).close('}')
	o.key("links").open('[')
	for _, l := range j.Links {
		o.item().open('{')
		o.key("course").text(y.Codes[l.Course])
		o.key("needs").text(y.Codes[l.Needs]).close('}')
	}
	o.close(']').key("uncovered").open('[')
	for _, course := range uncovered {
		o.item().text(y.Codes[course])
	}
	o.close(']').key("audits").open('{')
	for i := range y.Audits {
		o.key(y.Audits[i].ID)
		o.audit(y.Audits[i].Audit, f.Audit(i, &s))
	}
	return o.close('}').close('}').bytes, nil
}

func (o *lineWriter) audit(a *policy.Audit, entries []sheet.AuditEntry) {
	o.open('[')
	for e := range entries {
		entry, source := &entries[e], &a.Entries[e]
		o.item().open('{')
		o.key("id").text(source.ID)
		o.key("need").amount(entry.Need)
		o.key("earned").amount(entry.Earned)
		o.key("inProgress").amount(entry.InProgress)
		o.key("requested").amount(entry.Requested)
		o.key("short").amount(entry.Short)
		if source.Each != nil {
			o.key("eachShort").open('{')
			for _, short := range entry.EachShort {
				o.key(policy.YearLabel(short.Year)).amount(short.Short)
			}
			o.close('}')
		}
		if source.By != nil {
			o.key("late").bool(entry.Late)
		}
		o.close('}')
	}
	o.close(']')
}

// lineWriter writes one line of JSON with its keys in a fixed order.
type lineWriter struct {
	bytes []byte
	first bool
}

type amount interface{ Append([]byte) []byte }

func (o *lineWriter) open(c byte) *lineWriter {
	o.bytes, o.first = append(o.bytes, c), true
	return o
}

func (o *lineWriter) close(c byte) *lineWriter {
	o.bytes, o.first = append(o.bytes, c), false
	return o
}

func (o *lineWriter) item() *lineWriter {
	if !o.first {
		o.bytes = append(o.bytes, ',')
	}
	o.first = false
	return o
}

func (o *lineWriter) key(name string) *lineWriter {
	o.item().text(name)
	o.bytes = append(o.bytes, ':')
	return o
}

func (o *lineWriter) text(s string) *lineWriter {
	quoted, _ := json.Marshal(s) // a string always marshals
	o.bytes = append(o.bytes, quoted...)
	return o
}

func (o *lineWriter) texts(list []string) *lineWriter {
	o.open('[')
	for _, s := range list {
		o.item().text(s)
	}
	return o.close(']')
}

func (o *lineWriter) int(n int) *lineWriter {
	o.bytes = fmt.Appendf(o.bytes, "%d", n)
	return o
}

func (o *lineWriter) bool(v bool) *lineWriter {
	o.bytes = fmt.Appendf(o.bytes, "%t", v)
	return o
}

func (o *lineWriter) amount(a amount) *lineWriter {
	o.bytes = a.Append(o.bytes)
	return o
}
