// Package account holds how people sign in: passwords, passkeys, outside identities and sessions, and the
// tokens of programs.
package account

import (
	"time"

	"github.com/alexedwards/argon2id"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"

	schoolyear "rubricon/app/year"
)

// Service signs people in and keeps their accounts.
type Service struct {
	base  schoolyear.Base
	ports Ports

	params    argon2id.Params
	hasher    *semaphore.Weighted
	signingIn *line
	atHash    func()                                  // Options.AtHash
	stamps    *lru.Cache[stampKey, map[string]string] // when rows were last changed, by sourcedId
}

// recommended is the second recommended setting of RFC 9106, section 4: 64 MiB, 3 passes, 4 lanes.
var recommended = argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}

// Options say how passwords are hashed; the zero value is for production.
type Options struct {
	Hashes argon2id.Params // of new passwords; zero: the second recommendation of RFC 9106
	AtHash func()          // called before each password is hashed or compared; nil: nothing is. Tests hold those who sign in with it.
}

// New returns a service on a database.
func New(base schoolyear.Base, o Options) *Service {
	if o.Hashes.Memory == 0 {
		o.Hashes = recommended
	}
	return &Service{base: base, params: o.Hashes, atHash: o.AtHash,
		hasher:    semaphore.NewWeighted(maxHashing),
		signingIn: newLine(signInRoom*int(maxHashing), signInTakes/time.Duration(maxHashing)),
		stamps:    schoolyear.AtMost[stampKey, map[string]string](schoolyear.MaxYears)}
}

// Ports are the other areas that this one calls.
type Ports struct{ Messages Messages }

// Connect sets the areas that the service calls. It must be called before the service is used.
func (s *Service) Connect(p Ports) { s.ports = p }
