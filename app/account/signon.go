package account

import (
	"context"
	"crypto/rand"
	"errors"
	"time"

	"rubricon/app/problem"
	"rubricon/app/secret"
	"rubricon/store"
)

// SignOnTry is a try to sign in by an account of the school, from the question to the answer.
type SignOnTry = store.SignOnTry

// tryLife is how long someone may take to sign in elsewhere.
const tryLife = 10 * time.Minute

// KeepTry keeps a try under the state that goes out with it. The error is TooMany where an address tries too often.
func (s *Service) KeepTry(ctx context.Context, from Client, state string, t SignOnTry) error {
	q := s.base.DB.Queries()
	wait, err := q.Account.Press(ctx, "address "+from.Address, addressPressure, s.base.Now())
	if err != nil {
		return err
	}
	if wait > 0 {
		return &problem.Error{Code: problem.TooMany, Wait: wait}
	}
	return q.Account.KeepTry(ctx, secret.Hashed(state), &t, s.base.Now().Add(tryLife))
}

// TakeTry returns the try of a state that has come back, once. The error is NotFound where there is none, or it is over.
func (s *Service) TakeTry(ctx context.Context, state string) (SignOnTry, error) {
	t, err := s.base.DB.Queries().Account.TakeTry(ctx, secret.Hashed(state), s.base.Now())
	return t, problem.AsNotFound(err)
}

// SignInAs signs in the account of a person for whom a school's provider vouches; schools are those for which
// it does. The errors are NotFound where the school has no such person, and Elsewhere where the account also
// leads to a school for which the provider does not vouch.
func (s *Service) SignInAs(ctx context.Context, school, person string, schools []string, from Client) (*SignedIn, error) {
	q := s.base.DB.Queries()
	v, err := q.Account.AccountFor(ctx, school, person, schools)
	if errors.Is(err, store.ErrNotFound) {
		s.base.Log.WarnContext(ctx, "a sign-in of somebody unknown", "school", school)
	}
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if err := q.Account.NoteSignIn(ctx, v.Account, store.SignIn{At: s.base.Now(), Done: v.Within, Agent: from.Agent}); err != nil {
		return nil, err
	}
	if !v.Within {
		s.base.Log.WarnContext(ctx, "a sign-in failed", "account", v.Account, "school", school)
		return nil, problem.New(problem.Elsewhere)
	}
	if from.Device == "" {
		from.Device = rand.Text()
	}
	if err := errors.Join(q.Account.ReleaseOne(ctx, "address "+from.Address),
		q.Account.RememberDevice(ctx, v.Account, secret.Hashed(from.Device), s.base.Now())); err != nil {
		return nil, err
	}
	s.base.Log.InfoContext(ctx, "a sign-in", "account", v.Account, "school", school)
	return &SignedIn{Account: v.Account, Epoch: v.Epoch, Device: from.Device}, nil
}
