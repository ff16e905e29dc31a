package school

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/crypto/argon2"

	"rubricon/store"
)

// Argon2id with the second recommended setting of RFC 9106 (section 4): 64 MiB, 3 passes, 4 lanes.
const (
	argonMemory = 64 << 10
	argonPasses = 3
	argonLanes  = 4
)

// hashing bounds how many passwords are hashed at once, so that a flood of sign-ins cannot take all memory.
var hashing = make(chan struct{}, 4)

func hashPassword(password string, salt []byte) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(password), salt, argonPasses, argonMemory, argonLanes, 32)
}

func newHash(password string) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	enc := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=%d$%s$%s", argonMemory, argonPasses, argonLanes, enc.EncodeToString(salt), enc.EncodeToString(hashPassword(password, salt))), nil
}

func matches(hash, password string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		return false
	}
	enc := base64.RawStdEncoding
	salt, err1 := enc.DecodeString(parts[4])
	want, err2 := enc.DecodeString(parts[5])
	return err1 == nil && err2 == nil && subtle.ConstantTimeCompare(hashPassword(password, salt), want) == 1
}

// firstPassword sets a password where the username has none yet.
func firstPassword(ctx context.Context, q store.Queries, username, password string) error {
	has, err := q.HasAccount(ctx, username)
	if err != nil || has {
		return err
	}
	hash, err := newHash(password)
	if err != nil {
		return err
	}
	return q.NewAccount(ctx, username, hash)
}

// Sign-in attempts that fail are counted by username and by address; past the limit one must wait.
const (
	maxFailures        = 5
	maxAddressFailures = 50
	failureWait        = 15 * time.Minute
)

// SignIn checks a password. The errors are SignInFailed, the same for an unknown username, and TooMany.
func (s *Service) SignIn(ctx context.Context, username, password, address string) error {
	q := s.db.Queries()
	user, host := "user "+username, "address "+address
	for key, limit := range map[string]int{user: maxFailures, host: maxAddressFailures} {
		failures, since, err := q.Attempts(ctx, key)
		if err != nil {
			return err
		}
		if failures >= limit && s.now().Sub(since) < failureWait {
			return problem(TooMany, "too many attempts; wait a quarter of an hour, or ask the school office")
		}
	}
	hash, err := q.Account(ctx, username)
	if errors.Is(err, store.ErrNotFound) {
		hash = "$argon2id$v=19$$AAAAAAAAAAAAAAAAAAAAAA$AAAA" // the same work for an unknown username
	} else if err != nil {
		return err
	}
	if matches(hash, password) {
		return q.ForgetAttempts(ctx, user)
	}
	for _, key := range []string{user, host} {
		if err := q.CountAttempt(ctx, key, s.now()); err != nil {
			return err
		}
	}
	return problem(SignInFailed, "the username or the password is not right")
}

// Me is who is signed in.
type Me struct {
	Username string   `json:"username"`
	Persons  []Person `json:"persons" doc:"One for each school the username is somebody in"`
}

// Person is somebody's part in one school.
type Person struct {
	School   string  `json:"school"`
	Name     string  `json:"name" doc:"The school's name"`
	ID       string  `json:"id"`
	Given    string  `json:"given"`
	Family   string  `json:"family"`
	Job      string  `json:"job" enum:"student,family,counselor,office,teacher" doc:"What the person comes for"`
	Language string  `json:"language,omitempty"`
	Children []Child `json:"children" doc:"Of a guardian"`
}

// Child is a guardian's child.
type Child struct {
	ID     string `json:"id"`
	Given  string `json:"given"`
	Family string `json:"family"`
	Grade  int    `json:"grade"`
}

// Me tells who a username is.
func (s *Service) Me(ctx context.Context, username string) (*Me, error) {
	list, err := s.db.Queries().PersonsOf(ctx, username)
	if err != nil {
		return nil, err
	}
	me := &Me{Username: username, Persons: []Person{}}
	for i := range list {
		p := &list[i]
		out := Person{School: p.School, Name: p.SchoolName, ID: p.ID, Given: p.GivenName, Family: p.FamilyName, Job: job(p), Language: p.Language, Children: []Child{}}
		for _, c := range p.Children.V {
			out.Children = append(out.Children, Child(c))
		}
		me.Persons = append(me.Persons, out)
	}
	return me, nil
}

func job(p *store.Person) string {
	r := relationIn(p)
	switch {
	case p.Role == "student":
		return "student"
	case r.Counselor:
		return "counselor"
	case r.Office:
		return "office"
	case p.Role == "guardian" || p.Role == "parent" || p.Role == "relative":
		return "family"
	}
	return "teacher"
}
