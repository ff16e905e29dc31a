package account

import (
	"context"
	"fmt"
	"runtime"
	"time"

	"github.com/alexedwards/argon2id"

	"rubricon/app/problem"
)

// maxHashing bounds how many passwords are hashed at once, so that a flood of sign-ins takes neither all
// memory nor the cores from those who work: each hash is made on several. Anyone who waits longest is next.
var maxHashing = int64(max(1, runtime.NumCPU()/4))

// Sign-ins wait for their turn a few seconds at most, and at a place in a line beyond that.
const (
	signInRoom  = 15 // for each that is tried at the same time
	signInTakes = 300 * time.Millisecond
)

// inTurn tries a password when its turn comes; where too many wait already it is not tried, and who signs in
// is told when it is their turn. The error is Crowded.
func (s *Service) inTurn(ctx context.Context, who string, try func() error) error {
	if wait := s.signingIn.enter(who, time.Now()); wait > 0 {
		return &problem.Error{Code: problem.Crowded, Wait: wait}
	}
	var took time.Duration
	defer func() { s.signingIn.leave(took) }()
	return s.hashing(ctx, func() error {
		began := time.Now()
		err := try()
		took = time.Since(began) / time.Duration(maxHashing)
		return err
	})
}

// hashing waits for a turn to hash, unless the context ends before.
func (s *Service) hashing(ctx context.Context, work func() error) error {
	if err := s.hasher.Acquire(ctx, 1); err != nil {
		return err
	}
	defer s.hasher.Release(1)
	if s.atHash != nil {
		s.atHash()
	}
	return work()
}

// Hash returns the hash of a password, made when its turn comes.
func (s *Service) Hash(ctx context.Context, password string) (hash string, err error) {
	return hash, s.hashing(ctx, func() (err error) {
		hash, err = s.anew(password)
		return err
	})
}

// anew hashes a password as they are hashed today.
func (s *Service) anew(password string) (string, error) {
	return argon2id.CreateHash(password, &s.params)
}

// matches checks a password when its turn comes.
func (s *Service) matches(ctx context.Context, hash, password string) (match bool, err error) {
	return match, s.hashing(ctx, func() (err error) {
		match, _, err = s.compare(hash, password)
		return err
	})
}

// compare checks a password by the parameters that are stored with the hash; raise reports whether those are
// weaker than today's.
func (s *Service) compare(hash, password string) (match, raise bool, err error) {
	match, params, err := argon2id.CheckHash(password, hash)
	if err != nil {
		return false, false, fmt.Errorf("a stored hash cannot be read: %w", err)
	}
	return match, params.Memory < s.params.Memory || params.Iterations < s.params.Iterations, nil
}
