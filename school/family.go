package school

import (
	"context"
	"slices"

	"rubricon/core/acts"
	"rubricon/store"
)

// Sign is a guardian's signature under what was submitted; agreed names each requested course whose fee is agreed to now, and all that
// have one must be among them or agreed to before; commitments names in the same way the commitments of a guardian. Who may decide signs for the family with a reason, for example from the printed form, and agrees to
// every fee for it. Signing what is signed already changes nothing.
func (s *Service) Sign(ctx context.Context, by int64, at Place, version int64, agreed []string, reason string, commitments ...string) (*Desk, error) {
	return s.act(ctx, by, at, version, acts.Sign, reason, func(d *Desk) (*store.Change, error) {
		instead := d.Acts[acts.Sign].Reason
		fees := d.Fees()
		var newly []store.AgreementRow
		if instead {
			agreed = fees
		} else {
			rows, err := s.db.Queries().Agreements(ctx, at, d.actor.ID)
			if err != nil {
				return nil, err
			}
			agreed, commitments, newly = d.withAgreed(rows, agreed, commitments)
		}
		for _, code := range fees {
			if !slices.Contains(agreed, code) {
				return nil, &Error{Code: NeedsAgreed, Param: code}
			}
		}
		commitments, err := d.agreedTo(true, commitments, instead)
		if err != nil {
			return nil, err
		}
		kept := ""
		if instead {
			kept = tidy(reason)
		}
		change := d.change("sign", kept, map[string]any{"submission": d.Row.Submission, "agreed": agreed, "commitments": commitments})
		change.Signature = &store.Signature{ForFamily: instead, Agreed: agreed, Commitments: commitments, Newly: newly}
		change.State.Asked = ""
		signed := d.signatures()
		if instead {
			signed.For = true
		} else {
			signed.Guardians++
		}
		d.settle(&change.State, signed, d.now)
		return change, nil
	})
}

// Fees lists the requested courses that have a fee.
func (d *Desk) Fees() (codes []string) {
	for _, e := range slices.Concat(d.Sheet.Requests, d.Sheet.Summer) {
		if c := &d.Year.Courses[e.Course]; c.Fee > 0 {
			codes = append(codes, c.Code)
		}
	}
	return codes
}

// Wish is what a family would have otherwise.
type Wish struct {
	Version int64
	Message string
	Course  string // the requested course that it is about, a code; empty: the whole
	Decline bool   // they do not sign what was handed in
}

// AskForChange sends a family's wish to the student and the counselor; it stays until the sheet is submitted again, signed, sent back
// or cleared.
func (s *Service) AskForChange(ctx context.Context, by int64, at Place, version int64, message string) (*Desk, error) {
	return s.Ask(ctx, by, at, Wish{Version: version, Message: message})
}

// Ask sends a family's wish, about a course or the whole, or that they do not sign. The errors are NeedsMessage, and NotOnSheet where the course is
// not requested.
func (s *Service) Ask(ctx context.Context, by int64, at Place, w Wish) (*Desk, error) {
	w.Message = tidy(w.Message)
	return s.act(ctx, by, at, w.Version, acts.Ask, "", func(d *Desk) (*store.Change, error) {
		if w.Message == "" {
			return nil, problem(NeedsMessage)
		}
		text := w.Message
		if w.Course != "" {
			course, ok := d.Year.Index(w.Course)
			if !ok || !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == w.Course }) {
				return nil, &Error{Code: NotOnSheet, Param: w.Course}
			}
			text = d.Year.Courses[course].Title + ": " + text
		}
		kind := "ask"
		if w.Decline {
			kind = "decline"
		}
		change := d.change(kind, "", map[string]any{"message": text, "course": w.Course})
		change.State.Asked, change.State.AskedAt = text, &d.now
		return change, nil
	})
}

// withAgreed puts what a guardian has agreed to before beside what they agree to with the signature; newly is what was not on record.
func (d *Desk) withAgreed(rows []store.AgreementRow, fees, commitments []string) (agreed, committed []string, newly []store.AgreementRow) {
	for _, a := range withHours(d.toAgree(), rows) {
		list := &commitments
		if a.Kind == AgreeFee {
			list = &fees
		}
		switch {
		case a.At != nil && !slices.Contains(*list, a.Ref):
			*list = append(slices.Clone(*list), a.Ref)
		case a.At == nil && slices.Contains(*list, a.Ref):
			newly = append(newly, store.AgreementRow{Kind: a.Kind, Ref: a.Ref, What: a.What})
		}
	}
	return fees, commitments, newly
}
