package account

import (
	"context"
	"fmt"

	"rubricon/app/problem"
	"rubricon/app/text"
	"rubricon/core/acts"
	"rubricon/store"
)

// Passkey is one of an account: what someone has next to what they know.
type Passkey = store.Passkey

// maxPasskeys bounds the passkeys of an account.
const maxPasskeys = 10

// Second is what is still to be done before an account that has signed in may do anything.
type Second string

// What can be to be done.
const (
	NoSecond   Second = ""
	AskPasskey Second = "ask"  // the account has a passkey, and it is asked for
	MakeOne    Second = "make" // a school wants one of its staff, and there is none yet
)

// Second reports what is still to be done after signing in to an account.
func (s *Service) Second(ctx context.Context, account int64) (Second, error) {
	q := s.base.DB.Queries()
	list, err := q.Account.Passkeys(ctx, account)
	if err != nil || len(list) > 0 {
		return AskPasskey, err
	}
	_, wanted, err := q.Account.Staff(ctx, account)
	if err != nil || !wanted {
		return NoSecond, err
	}
	return MakeOne, nil
}

// Passkeys lists an account's passkeys with its name, the oldest first.
func (s *Service) Passkeys(ctx context.Context, by int64) (username string, list []Passkey, err error) {
	q := s.base.DB.Queries()
	if username, _, err = q.Account.Username(ctx, by); err != nil {
		return "", nil, problem.AsNotFound(err)
	}
	list, err = q.Account.Passkeys(ctx, by)
	return username, list, err
}

// MayHavePasskeys reports whether an account is one of the staff's, who alone have passkeys.
func (s *Service) MayHavePasskeys(ctx context.Context, by int64) (bool, error) {
	staff, _, err := s.base.DB.Queries().Account.Staff(ctx, by)
	return staff, err
}

// AddPasskey adds a passkey to an account of the staff. The errors are acts.NotYours, NeedsName and AtLimit.
func (s *Service) AddPasskey(ctx context.Context, by int64, p Passkey) error {
	if staff, err := s.MayHavePasskeys(ctx, by); err != nil {
		return err
	} else if !staff {
		return problem.New(problem.Code(acts.NotYours))
	}
	if p.Name = text.ShortName(p.Name); p.Name == "" {
		return problem.New(problem.NeedsName)
	}
	p.MadeAt = s.base.Now()
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Serialize(ctx, "passkeys", by); err != nil {
			return err
		}
		added, err := q.Account.AddPasskey(ctx, by, &p, maxPasskeys)
		if err == nil && !added {
			err = problem.New(problem.AtLimit)
		}
		return err
	})
	if err != nil {
		return err
	}
	s.base.Log.InfoContext(ctx, "a passkey was made", "account", by)
	return nil
}

// TryPasskey counts a try to answer with a passkey. The error is TooMany.
func (s *Service) TryPasskey(ctx context.Context, by int64) error {
	wait, err := s.base.DB.Queries().Account.Press(ctx, fmt.Sprint("passkey ", by), accountPressure, s.base.Now())
	if err == nil && wait > 0 {
		err = &problem.Error{Code: problem.TooMany, Wait: wait}
	}
	return err
}

// UsedPasskey keeps that a passkey has answered, and what it has become.
func (s *Service) UsedPasskey(ctx context.Context, by int64, p Passkey) error {
	now := s.base.Now()
	p.UsedAt = &now
	q := s.base.DB.Queries()
	if err := q.Account.UsedPasskey(ctx, by, &p); err != nil {
		return err
	}
	return q.Account.Release(ctx, fmt.Sprint("passkey ", by))
}

// DropPasskey takes one of one's own passkeys away. The error is NotFound.
func (s *Service) DropPasskey(ctx context.Context, by int64, id string) error {
	if id == "" {
		return problem.New(problem.NotFound)
	}
	n, err := s.base.DB.Queries().Account.DropPasskeys(ctx, by, id)
	if err == nil && n == 0 {
		err = problem.New(problem.NotFound)
	}
	if err == nil {
		s.base.Log.InfoContext(ctx, "a passkey was taken away", "account", by)
	}
	return err
}

// ForgetPasskeys has the office take away the passkeys of a person who has lost them, with a reason; their
// sessions end. The errors are NotFound, NeedsReason, and Elsewhere where the account also leads to people of
// schools that the office does not administer.
func (s *Service) ForgetPasskeys(ctx context.Context, by int64, school string, year int, person, reason string) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return err
	}
	if reason = text.Tidy(reason); reason == "" {
		return problem.New(problem.NeedsReason)
	}
	account, reach, err := s.base.DB.Queries().People.AccountOf(ctx, school, person, by)
	if err != nil {
		return problem.AsNotFound(err)
	}
	if !reach {
		return problem.New(problem.Elsewhere)
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		n, err := q.Account.DropPasskeys(ctx, account, "")
		if err != nil {
			return err
		}
		if n == 0 {
			return problem.New(problem.NotFound)
		}
		if _, err := q.Account.EndSessions(ctx, account, ""); err != nil {
			return err
		}
		return q.Account.NotePasskeys(ctx, school, person, a.Name().Name, reason, s.base.Now())
	})
	if err == nil {
		s.base.Log.InfoContext(ctx, "the office took passkeys away", "school", school, "by", by, "account", account)
	}
	return err
}

// WantsSecond tells the office whether the staff of a school need a passkey.
func (s *Service) WantsSecond(ctx context.Context, by int64, school string, year int) (bool, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople); err != nil {
		return false, err
	}
	return s.base.DB.Queries().Account.SecondStep(ctx, school)
}

// SetSecond sets that, from the next sign-in on. The errors are NeedsReason, and AlreadyDone.
func (s *Service) SetSecond(ctx context.Context, by int64, school string, year int, wanted bool, reason string) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return err
	}
	if reason = text.Tidy(reason); reason == "" {
		return problem.New(problem.NeedsReason)
	}
	done, err := s.base.DB.Queries().Account.SetSecondStep(ctx, school, wanted, a.Name().Name, reason, s.base.Now())
	if err == nil && !done {
		err = problem.New(problem.Code(acts.AlreadyDone))
	}
	if err == nil {
		s.base.Log.InfoContext(ctx, "a second step was set", "school", school, "by", by, "wanted", wanted)
	}
	return err
}
