package sheet

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// The kinds of what a guardian agrees to before signing.
const (
	AgreeFee        = "fee"        // of a requested course
	AgreeCommitment = "commitment" // of the school's
)

// Agreement is something that a guardian agrees to before signing, on its own.
type Agreement struct {
	Kind string
	Ref  string     // a course, or the commitment's id
	What string     // the fee in hundredths, or the commitment's text
	At   *time.Time // since when the reader agrees; nil: not yet, or withdrawn
}

// Agreements are what a guardian agrees to before signing a sheet, and what is different from what they signed before.
type Agreements struct {
	List   []Agreement
	Signed *time.Time // when they last signed an earlier submission; nil: never
	Since  *Since     // what is different from that; nil: nothing, or it was never signed
}

// toAgree lists what a guardian agrees to on signing what is on the desk.
func (d *Desk) toAgree() (list []Agreement) {
	for _, code := range d.Fees() {
		course, _ := d.Year.Index(code)
		list = append(list, Agreement{Kind: AgreeFee, Ref: code, What: fmt.Sprint(int64(d.Year.Courses[course].Fee))})
	}
	_, guardian := d.Agree()
	for i := range d.Year.Commitments {
		if c := &d.Year.Commitments[i]; slices.Contains(guardian, c.ID) {
			list = append(list, Agreement{Kind: AgreeCommitment, Ref: c.ID, What: c.Text.Own})
		}
	}
	return list
}

// withHours adds to each what is agreed to already, and when.
func withHours(list []Agreement, rows []store.AgreementRow) []Agreement {
	for i := range list {
		a := &list[i]
		for k := range rows {
			if r := &rows[k]; r.Kind == a.Kind && r.Ref == a.Ref && r.What == a.What {
				a.At = &r.At
			}
		}
	}
	return list
}

// signing opens a sheet for a guardian who may sign it. The errors are the reasons of acts.Sign.
func (s *Service) signing(ctx context.Context, by int64, at schoolyear.Place) (*Desk, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if answer := d.Acts[acts.Sign]; !answer.Allowed {
		return nil, problem.New(problem.Code(answer.Why))
	} else if answer.Reason { // who signs for the family agrees to nothing in its place
		return nil, problem.New(problem.Code(acts.NotYours))
	}
	return d, nil
}

// Agreements tells a guardian what is agreed to one by one before signing, what of it they agree to already,
// and what is different from what they signed before.
func (s *Service) Agreements(ctx context.Context, by int64, at schoolyear.Place) (*Agreements, error) {
	d, err := s.signing(ctx, by, at)
	if err != nil {
		return nil, err
	}
	return s.agreements(ctx, d)
}

func (s *Service) agreements(ctx context.Context, d *Desk) (*Agreements, error) {
	rows, err := s.base.DB.Queries().Sheet.Agreements(ctx, d.Row.Place, d.Actor.ID)
	if err != nil {
		return nil, err
	}
	out := &Agreements{List: withHours(d.toAgree(), rows)}
	before, err := s.base.DB.Queries().Sheet.SignedBefore(ctx, d.Row.Place, d.Actor.ID, d.Row.Submission)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	out.Signed, out.Since = &before.At, d.since(before.Entries.V)
	return out, nil
}

// SetAgreement has a guardian agree to a fee or a commitment, or withdraw that before signing. What is as
// they were shown it; the errors are Stale where it is something else by now, or no longer among what is
// agreed to, and the reasons of acts.Sign.
func (s *Service) SetAgreement(ctx context.Context, by int64, at schoolyear.Place, a Agreement, agree bool) (*Agreements, error) {
	d, err := s.signing(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(d.toAgree(), func(x Agreement) bool { return x.Kind == a.Kind && x.Ref == a.Ref && x.What == a.What }) {
		return nil, problem.New(problem.Code(acts.Stale))
	}
	q := s.base.DB.Queries()
	if agree {
		err = q.Sheet.Agree(ctx, at, d.Actor.ID, &store.AgreementRow{Kind: a.Kind, Ref: a.Ref, What: a.What, At: d.Now})
	} else {
		err = q.Sheet.Disagree(ctx, at, d.Actor.ID, a.Kind, a.Ref, d.Now)
	}
	if err != nil {
		return nil, err
	}
	s.base.Log.InfoContext(ctx, "an agreement", "school", at.School, "year", at.Year, "account", by, "kind", a.Kind, "agreed", agree)
	return s.agreements(ctx, d)
}
