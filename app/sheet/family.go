package sheet

import (
	"context"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// Sign is a guardian's signature under what was submitted; agreed names each requested course whose fee is
// agreed to now, and all that have one must be among them or agreed to before; commitments names in the same
// way the commitments of a guardian. Who may decide signs for the family with a reason, for example after a
// call, and agrees to nothing for it but what agreed names. A guardian's own refusal ends with their
// signature; what anybody asks to change stays. Signing what is signed already changes nothing.
func (s *Service) Sign(ctx context.Context, by int64, at schoolyear.Place, version int64, agreed []string,
	reason string, commitments ...string) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.Sign, reason, func(d *Desk) (*store.Change, error) {
		instead := d.Acts[acts.Sign].Reason
		fees := d.Fees()
		var newly []store.AgreementRow
		if !instead {
			rows, err := s.base.DB.Queries().Sheet.Agreements(ctx, at, d.Actor.ID)
			if err != nil {
				return nil, err
			}
			agreed, commitments, newly = d.withAgreed(rows, agreed, commitments)
		}
		for _, code := range fees {
			if !instead && !slices.Contains(agreed, code) {
				return nil, &problem.Error{Code: problem.NeedsAgreed, Param: code}
			}
		}
		commitments, err := d.agreedTo(true, commitments, instead)
		if err != nil {
			return nil, err
		}
		kept := ""
		if instead {
			kept = text.Tidy(reason)
		}
		change := d.Change("sign", kept, map[string]any{"submission": d.Row.Submission, "agreed": agreed, "commitments": commitments})
		change.Signature = &store.Signature{ForFamily: instead, Agreed: agreed, Commitments: commitments, Newly: newly}
		d.takeRefusal(&change.State, d.Actor.ID)
		signed := d.signatures()
		if instead {
			signed.For = true
		} else {
			signed.Guardians++
		}
		d.settle(&change.State, signed)
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

// withAgreed puts what a guardian has agreed to before next to what they agree to with the signature; newly is
// what was not on record.
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
