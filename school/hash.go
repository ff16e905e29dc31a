package school

import (
	"context"
	"fmt"
	mathrand "math/rand/v2"
	"runtime"
	"time"

	"github.com/alexedwards/argon2id"
)

// maxHashing bounds how many passwords are hashed at once, so that a flood of sign-ins takes neither all memory nor the cores from those who work: each hash is made on several. Whoever waits longest is next.
var maxHashing = int64(max(1, runtime.NumCPU()/4))

// mostWaiting bounds how many sign-ins wait for their turn: some seconds of work.
var mostWaiting = 40 * maxHashing

// inTurn tries a password when its turn comes; where too many wait already it is not tried, and who signs in is told at once when to come back, each at another time.
func (s *Service) inTurn(try func() error) error {
	defer s.signingIn.Add(-1)
	if s.signingIn.Add(1) > mostWaiting {
		return &Error{Code: Busy, Wait: time.Duration(3+mathrand.IntN(8)) * time.Second}
	}
	return try()
}

// hashing waits for a turn to hash, unless the context ends before.
func (s *Service) hashing(ctx context.Context, work func() error) error {
	if err := s.hasher.Acquire(ctx, 1); err != nil {
		return err
	}
	defer s.hasher.Release(1)
	return work()
}

func (s *Service) hash(ctx context.Context, password string) (hash string, err error) {
	return hash, s.hashing(ctx, func() (err error) {
		hash, err = argon2id.CreateHash(password, &s.params)
		return err
	})
}

// matches checks a password by the parameters that are stored with the hash; raise tells whether those are weaker than today's.
func (s *Service) matches(ctx context.Context, hash, password string) (match, raise bool, err error) {
	err = s.hashing(ctx, func() error {
		ok, params, err := argon2id.CheckHash(password, hash)
		if err != nil {
			return fmt.Errorf("a stored hash cannot be read: %w", err)
		}
		match = ok
		raise = params.Memory < s.params.Memory || params.Iterations < s.params.Iterations
		return nil
	})
	return match, raise, err
}
