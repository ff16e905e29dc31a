// Package school holds the use cases, one file per person's job. What may be done with a sheet is decided in core/acts; here it is
// asked, done in one statement that looks once more at what it was decided on, and noted.
package school

import (
	"log/slog"
	"time"

	"github.com/alexedwards/argon2id"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"rubricon/store"
)

// Service gives the use cases. It holds nothing that cannot be read again, so any number may run side by side; Live lets them hear of
// each other's changes.
type Service struct {
	db           *store.DB
	now          func() time.Time
	log          *slog.Logger
	params       argon2id.Params
	hasher       *semaphore.Weighted
	signingIn    *line
	cache        *cache
	kinds        map[string]Work
	hub          *hub
	once         singleflight.Group
	teachers     *lru.Cache[rosterKey, map[string][]string]
	foundBefore  *lru.Cache[foundKey, *foundSheet]
	wishesBefore *lru.Cache[wishKey, *counted]
	looks        *lru.Cache[lookKey, struct{}]
	stamps       *lru.Cache[stampKey, map[string]string] // when rows were last changed, by sourcedId
	schedules    *lru.Cache[scheduleKey, *schedule]
	timetables   *lru.Cache[scheduleKey, *timetable]
	counts       *seatCounts
	hooks        Hooks
	noPost       bool

	attendance Attendance
	firstStay  bool   // Options.FirstPasswordsStay
	atHash     func() // Options.AtHash
}

// Options say how a service runs; the zero value is for production.
type Options struct {
	Now    func() time.Time // nil: the clock
	Log    *slog.Logger     // nil: slog's default
	Hashes argon2id.Params  // of new passwords; zero: the second recommendation of RFC 9106
	NoPost bool             // nobody is written to of what is done
	Hooks  Hooks            // how other systems are told; without a key they are not

	Attendance Attendance // the system that keeps it; nil: none is connected

	AtHash func() // is called before each password is hashed or compared; nil: nothing is. Tests hold those who sign in with it.

	FirstPasswordsStay bool // a password that comes with a school's data is no first one, to be changed: for made-up schools alone
}

// recommended is the second recommended setting of RFC 9106, section 4: 64 MiB, 3 passes, 4 lanes.
var recommended = argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}

// New makes a service.
func New(db *store.DB, o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.Default()
	}
	if o.Hashes.Memory == 0 {
		o.Hashes = recommended
	}
	s := &Service{db: db, now: o.Now, log: o.Log, params: o.Hashes, hasher: semaphore.NewWeighted(maxHashing), signingIn: newLine(signInRoom*int(maxHashing), signInTakes/time.Duration(maxHashing)), cache: newCache(), kinds: map[string]Work{}, teachers: atMost[rosterKey, map[string][]string](maxYears), counts: newSeatCounts(),
		foundBefore: atMost[foundKey, *foundSheet](maxFacts), wishesBefore: atMost[wishKey, *counted](maxFacts), schedules: atMost[scheduleKey, *schedule](maxYears), timetables: atMost[scheduleKey, *timetable](maxYears),
		looks: atMost[lookKey, struct{}](maxPeople), stamps: atMost[stampKey, map[string]string](maxYears), hub: newHub(), noPost: o.NoPost, hooks: o.Hooks, attendance: o.Attendance, firstStay: o.FirstPasswordsStay, atHash: o.AtHash}
	s.hub.count = s.countLeft
	s.Handle("import", s.runImport)
	s.Handle("export", s.runExport)
	s.Handle("place", s.runPlace)
	s.Handle("help", s.runHelp)
	return s
}
