package sheet

import (
	"context"
	"fmt"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/store"
)

// Submit hands the sheet in: it is refused with the list of what to mend, or accepted with a receipt number
// and time. Submitting the same sheet twice gives the same receipt. Agreed names the commitments that the
// student agrees to, all that concern them; who submits for the student agrees to none in their place.
func (s *Service) Submit(ctx context.Context, by int64, at schoolyear.Place, version int64, reason string,
	agreed ...string) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.Submit, reason, func(d *Desk) (*store.Change, error) {
		agreed, err := d.agreedTo(false, agreed, d.instead(acts.Submit))
		if err != nil {
			return nil, err
		}
		number, err := s.base.DB.Queries().Sheet.NextReceipt(ctx)
		if err != nil {
			return nil, err
		}
		receipt := fmt.Sprintf("%s-%d", Initials(at.School), number)
		change := d.Change("submit", text.Tidy(reason), map[string]any{"receipt": receipt})
		change.State.State, change.State.Submission = string(acts.Submitted), d.Row.Submission+1
		change.State.Message, change.State.ClearedAt = "", nil
		change.Submission = &store.Submission{Receipt: receipt, Catalog: d.Year.CatalogVersion, Policy: d.Year.PolicyVersion,
			Entries: d.submitted(), Judgement: summary(d), Agreed: agreed}
		d.settle(&change.State, acts.Signatures{})
		return change, nil
	})
}

// AsSubmitted is the desk with what was submitted on it, where that stands and the sheet has been changed
// since; else the desk as it is.
func (d *Desk) AsSubmitted() *Desk {
	if !d.Changed || d.Kind == acts.WhatWas {
		return d
	}
	out := *d
	out.Row.Entries = d.Row.Submitted.V
	if d.apart() { // what is asked for the summer is as it is
		out.Row.Entries = slices.Concat(d.year(d.Row.Submitted.V), d.summer(d.Row.Entries))
	}
	out.Judge(0)
	return &out
}

// Handed returns a sheet as it was handed in with a receipt, for looking at: the one that stands, or an earlier
// one. The error is NotFound where there was none with that receipt.
func (s *Service) Handed(ctx context.Context, by int64, at schoolyear.Place, receipt string) (*Desk, error) {
	at.Draft = 0 // of the sheet, whatever lies next to it
	d, err := s.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	handed, err := s.base.DB.Queries().Sheet.Submission(ctx, at, receipt)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if handed.Number == d.Row.Submission {
		d.Judge(0)
		return d.AsSubmitted(), nil
	}
	d.Kind, d.Row.Entries, d.Row.Receipt, d.Row.SubmittedAt = acts.WhatWas, handed.Entries.V, &receipt, &handed.At
	d.Judge(0)
	return d, nil
}

// Agree lists the ids of the commitments that concern the student on submitting, and a guardian on signing.
func (d *Desk) Agree() (student, guardian []string) {
	student, guardian = []string{}, []string{}
	for _, place := range d.Known.Commitments(&d.Sheet) {
		c := &d.Year.Commitments[place]
		if c.Student {
			student = append(student, c.ID)
		}
		if c.Guardian {
			guardian = append(guardian, c.ID)
		}
	}
	return student, guardian
}

// Acknowledgement is something that holds nothing up and is acknowledged by anyone who submits: a rule that does
// not hold, or a course whose condition is not met, or one that is being taken now and would not count again.
type Acknowledgement struct {
	Rule, Course string
	Taking       bool
}

// ID names it among what is agreed to.
func (a Acknowledgement) ID() string {
	if a.Rule != "" {
		return "rule:" + a.Rule
	}
	if a.Taking {
		return "taking:" + a.Course
	}
	return "entry:" + a.Course
}

// Acknowledge lists what the student acknowledges on submitting.
func (d *Desk) Acknowledge() (list []Acknowledgement) {
	if d.Judgement == nil {
		return nil
	}
	rules, courses, taking := d.Known.Acknowledge(d.Judgement)
	for _, rule := range rules {
		list = append(list, Acknowledgement{Rule: d.Year.Rules[rule].ID})
	}
	for _, course := range courses {
		list = append(list, Acknowledgement{Course: d.Year.Codes[course]})
	}
	for _, course := range taking {
		list = append(list, Acknowledgement{Course: d.Year.Codes[course], Taking: true})
	}
	return list
}

// agreedTo checks that every commitment that concerns the student, or a guardian, is among those agreed to.
// The error is NeedsCommitment. Where someone of the school acts for the family, nothing is agreed to.
func (d *Desk) agreedTo(guardian bool, agreed []string, instead bool) (kept []string, err error) {
	if instead {
		return nil, nil
	}
	kept, guardians := d.Agree()
	for _, a := range d.Acknowledge() {
		kept = append(kept, a.ID())
	}
	if guardian {
		kept = guardians
	}
	for _, id := range kept {
		if !slices.Contains(agreed, id) {
			return nil, &problem.Error{Code: problem.NeedsCommitment, Param: id}
		}
	}
	return kept, nil
}

// Judgement is the judgment that is kept with a submission.
type Judgement struct {
	Ready    bool            `json:"ready"`
	Fits     bool            `json:"fits"`
	Rules    []JudgedRule    `json:"rules"`
	Requests []JudgedRequest `json:"requests"`
}

// JudgedRule is a rule that was in force.
type JudgedRule struct {
	ID       string        `json:"id"`
	Measured credit.Amount `json:"measured"`
	Holds    bool          `json:"holds"`
}

// JudgedRequest is a course that was requested, with the terms it was laid into.
type JudgedRequest struct {
	Course string   `json:"course"`
	Entry  string   `json:"entry"`
	Repeat bool     `json:"repeat,omitempty"`
	Barred bool     `json:"barred,omitempty"`
	Terms  []string `json:"terms"`
}

func summary(d *Desk) Judgement {
	y, j := d.Year.Year, d.Judgement
	out := Judgement{Ready: j.Ready, Fits: j.Packing.Fits(), Rules: []JudgedRule{}, Requests: []JudgedRequest{}}
	for _, r := range j.Rules {
		out.Rules = append(out.Rules, JudgedRule{y.Rules[r.Rule].ID, r.Measured, r.Holds})
	}
	for i, r := range j.Requests {
		entry := "none"
		if r.HasEntry {
			entry = r.Entry.String()
		}
		out.Requests = append(out.Requests, JudgedRequest{Course: y.Codes[r.Course], Entry: entry, Repeat: r.Repeat,
			Barred: r.Barred, Terms: y.TermNames(j.Packing.Spans[i])})
	}
	return out
}
