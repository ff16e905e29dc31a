package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
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
			// Most of the memory is what is read; collecting it earlier keeps the peak near that.
			defer debug.SetGCPercent(debug.SetGCPercent(gcPercent))
			b, err := readBundle(args[0], cmd.ErrOrStderr(), bundle.Lean)
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
func readBundle(dir string, stderr io.Writer, options ...bundle.Option) (*bundle.Bundle, error) {
	b, err := bundle.Open(dir, options...)
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
	out := bufio.NewWriterSize(stdout, 1<<16)
	var problems []bundle.Problem
	for group := range slices.Chunk(pupils, checkedAtOnce) {
		lines := make([][]byte, len(group))
		failed := make([]error, len(group))
		var wait sync.WaitGroup
		workers := runtime.GOMAXPROCS(0)
		for w := range workers {
			wait.Go(func() {
				for i := w; i < len(group); i += workers {
					lines[i], failed[i] = checkLine(b, &group[i])
				}
			})
		}
		wait.Wait()
		for i := range group {
			if failed[i] != nil {
				problems = append(problems, bundle.RequestsProblem(&group[i], failed[i]))
				continue
			}
			out.Write(lines[i])
			out.WriteByte('\n')
			group[i].Student, group[i].Requests, group[i].Plans = sheet.Student{}, nil, nil // judged
		}
	}
	return errors.Join(out.Flush(), badRows(problems, stderr))
}

// checkedAtOnce is how many students are judged before their lines are written.
const checkedAtOnce = 256

// gcPercent is by how much the heap may grow before it is collected, while check runs.
const gcPercent = 34

// The line that check prints for a student, as docs/bundle.md has it.
type (
	checkOut struct {
		Student   string              `json:"student"`
		Grade     int                 `json:"grade"`
		Ready     bool                `json:"ready"`
		Rules     []ruleOut           `json:"rules"`
		Requests  []requestOut        `json:"requests"`
		Summer    []requestOut        `json:"summer,omitempty"`
		Packing   packingOut          `json:"packing"`
		Links     []linkOut           `json:"links"`
		Uncovered []string            `json:"uncovered"`
		Audits    ordered[[]entryOut] `json:"audits"`
		Plan      []planOut           `json:"plan,omitzero"`
		Errands   []errandOut         `json:"errands,omitzero"`
	}
	planOut struct {
		Grade int `json:"grade"`
		requestOut
		Alternate bool `json:"alternate,omitempty"`
	}
	errandOut struct {
		Course     string `json:"course"`
		Kind       string `json:"kind"`
		Due        string `json:"due,omitempty"`
		Settled    bool   `json:"settled"`
		ReplacedBy string `json:"replacedBy,omitempty"`
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
		Planned    *credit.Amount           `json:"planned,omitempty"`
		Open       *credit.Amount           `json:"open,omitempty"`
		BeginBy    json.RawMessage          `json:"beginBy,omitempty"` // a grade or null; absent where nothing is open
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

// checkLine judges one pupil of a bundle and writes the line.
func checkLine(b *bundle.Bundle, p *bundle.Pupil) ([]byte, error) {
	y := b.Year
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
	out := checkOut{Student: p.ID, Grade: p.Grade, Ready: j.Ready, Rules: rulesOut(y.Rules, j.Rules),
		Requests: []requestOut{}, Links: []linkOut{}, Uncovered: []string{},
		Packing: packingOut{Fits: j.Packing.Fits(), Overload: j.Packing.Overload}}
	missing := func(r *sheet.RequestResult) []*condition.Leaf {
		if r.HasEntry && r.Entry < condition.Expected {
			return f.Missing(&s, r.Course)
		}
		return nil
	}
	for i := range j.Requests {
		r := &j.Requests[i]
		out.Requests = append(out.Requests, newRequestOut(f, r, missing(r)))
		out.Packing.Spans.add(y.Codes[r.Course], y.TermNames(j.Packing.Spans[i]))
	}
	for i := range j.Summer {
		out.Summer = append(out.Summer, newRequestOut(f, &j.Summer[i], missing(&j.Summer[i])))
	}
	for _, l := range j.Links {
		out.Links = append(out.Links, linkOut{y.Codes[l.Course], y.Codes[l.Needs]})
	}
	for _, course := range uncovered {
		out.Uncovered = append(out.Uncovered, y.Codes[course])
	}
	plan := p.Plan(y)
	for i := range y.Audits {
		if !b.Has("plans.csv") {
			out.Audits.add(y.Audits[i].ID, auditOut(y.Audits[i].Audit, f.Audit(i, &s), nil))
			continue
		}
		entries, planned := f.AuditPlan(i, &s, plan)
		out.Audits.add(y.Audits[i].ID, auditOut(y.Audits[i].Audit, entries, planned))
	}
	if b.Has("plans.csv") {
		out.Plan = []planOut{}
		for _, r := range f.Plan(&s, plan) {
			out.Plan = append(out.Plan, planOut{r.Grade, newRequestOut(f, &r.RequestResult, r.Missing), r.Alternate})
		}
	}
	if b.Has("errands.csv") {
		out.Errands = []errandOut{}
		for _, r := range f.Errands(&s) {
			e := &y.Errands[r.Errand]
			line := errandOut{Course: y.Codes[r.Course], Kind: e.Kind, Due: e.Due, Settled: r.Settled}
			if r.ReplacedBy >= 0 {
				line.ReplacedBy = y.Codes[r.ReplacedBy]
			}
			out.Errands = append(out.Errands, line)
		}
	}
	return json.Marshal(&out)
}

func rulesOut(rules []catalog.Rule, results []sheet.RuleResult) []ruleOut {
	list := []ruleOut{}
	for _, r := range results {
		rule := &rules[r.Rule]
		list = append(list, ruleOut{ID: rule.ID, Measured: r.Measured, Min: rule.Min, Max: rule.Max, Holds: r.Holds})
	}
	return list
}

func newRequestOut(f *sheet.Facts, r *sheet.RequestResult, missing []*condition.Leaf) requestOut {
	out := requestOut{Course: f.Year.Codes[r.Course], Entry: entryWord(r), Missing: []string{}, Repeat: r.Repeat, Barred: r.Barred}
	for _, leaf := range missing {
		out.Missing = append(out.Missing, leaf.String())
	}
	if r.Waiver >= 0 {
		out.WaivedBy = &f.Signals[r.Waiver].By
	}
	return out
}

func entryWord(r *sheet.RequestResult) string {
	if r.HasEntry {
		return r.Entry.String()
	}
	return "none"
}

// auditOut writes an audit; planned is nil where the bundle has no plans.
func auditOut(a *policy.Audit, entries []sheet.AuditEntry, planned []sheet.PlannedEntry) []entryOut {
	list := make([]entryOut, len(entries))
	for e := range entries {
		entry, source := &entries[e], &a.Entries[e]
		out := entryOut{ID: source.ID, Need: entry.Need, Earned: entry.Earned, InProgress: entry.InProgress,
			Requested: entry.Requested, Short: entry.Short}
		if source.Each != nil {
			out.EachShort = map[string]credit.Amount{}
			for _, short := range entry.EachShort {
				out.EachShort[policy.YearLabel(short.Year)] = short.Short
			}
		}
		if source.By != nil {
			out.Late = &entry.Late
		}
		if planned != nil {
			plan := &planned[e]
			switch out.Planned, out.Open = &plan.Planned, &plan.Open; {
			case plan.Open == 0:
			case plan.CanFeed:
				out.BeginBy = strconv.AppendInt(nil, int64(plan.BeginBy), 10)
			default:
				out.BeginBy = json.RawMessage("null")
			}
		}
		list[e] = out
	}
	return list
}
