package sheet

import (
	"context"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// OpenFor reads a sheet for someone who may do something with it; the sheet is not judged.
func (s *Service) OpenFor(ctx context.Context, by int64, at schoolyear.Place, act acts.Act) (*Desk, error) {
	d, err := s.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	d.Answer(0)
	return d, d.May(act)
}

// Change begins what will be written of an act.
func (d *Desk) Change(kind, reason string, detail map[string]any) *store.Change {
	if detail == nil {
		detail = map[string]any{}
	}
	return &store.Change{Place: d.Row.Place, Version: d.Row.Version + 1, FactsVersion: d.Row.Facts, At: d.Now,
		Actor: d.Actor.Name(), Kind: kind, Reason: reason,
		Detail: detail, State: d.Row.SheetState}
}

// Tries is how often an act is tried again because what it was decided on has changed in the meantime.
const Tries = 5

// Act does something with a sheet: it is read and judged, the act is guarded, and do tells what to write.
// Doing again what is done changes nothing and is answered with the sheet as it is. What is written is
// written only on what was read; where someone was quicker, the act is decided again.
func (s *Service) Act(ctx context.Context, by int64, at schoolyear.Place, version int64, act acts.Act, reason string,
	do func(d *Desk) (*store.Change, error)) (*Desk, error) {
	reason = text.Tidy(reason)
	for range Tries {
		d, err := s.Open(ctx, by, at)
		if err != nil {
			return nil, err
		}
		d.Judge(version)
		if d.Kind != acts.TheSheet { // what is written here is of the sheet
			return nil, problem.New(problem.Code(acts.NotTheSheet))
		}
		if d.Acts[act].Why == acts.AlreadyDone {
			return d, nil
		}
		if err := d.Guard(act, reason); err != nil {
			s.Refused(ctx, d, act, err)
			return nil, err
		}
		change, err := do(d)
		if err != nil {
			return nil, err
		}
		change.Prepares = change.Prepares || act == acts.Decide
		s.ports.Messages.Announce(d, change)
		saved, err := s.base.DB.Queries().Sheet.SaveChange(ctx, change)
		if err != nil {
			return nil, err
		}
		if saved {
			s.ports.Messages.Told(at, d.Row.Version+1)
			s.base.Log.InfoContext(ctx, "a sheet", "act", change.Kind, "school", at.School, "year", at.Year, "account", by)
			return s.Sheet(ctx, by, at)
		}
	}
	return nil, problem.New(problem.Busy)
}

// Refused notes an act that was refused, without whose sheet it was.
func (s *Service) Refused(ctx context.Context, d *Desk, act acts.Act, err error) {
	s.base.Log.InfoContext(ctx, "an act was refused", "act", act.String(), "school", d.Row.School, "year", d.Row.Year,
		"account", d.Actor.Account, "code", string(problem.CodeOf(err)))
}

// Guard refuses an act that is not allowed, or that lacks the reason it needs.
func (d *Desk) Guard(act acts.Act, reason string) error {
	if err := d.May(act); err != nil {
		return err
	}
	if d.Acts[act].Reason && reason == "" {
		return problem.New(problem.NeedsReason)
	}
	return nil
}

// May refuses an act that is not allowed, whether it needs a reason or not.
func (d *Desk) May(act acts.Act) error {
	answer := d.Acts[act]
	switch {
	case answer.Allowed:
		return nil
	case answer.Why == acts.Stale, answer.Why == acts.NotReady:
		return &problem.Error{Code: problem.Code(answer.Why), Now: d}
	}
	return problem.New(problem.Code(answer.Why))
}
