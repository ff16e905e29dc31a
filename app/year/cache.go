package year

import (
	"context"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// What is cached, and how much of it at the most. Everything is kept by the versions it was read in, so
// that nothing need be thrown away when a version rises: the old ages out.
const (
	MaxYears  = 64
	MaxFacts  = 30_000 // about 8 kB each
	MaxPeople = 30_000
)

type cache struct {
	years   *lru.Cache[Key, *SchoolYear]
	facts   *lru.Cache[FactsKey, *Known]
	actors  *lru.Cache[actorKey, *actor.Actor]
	pupils  *lru.Cache[pupilKey, *store.Pupil]
	compile singleflight.Group
}

type (
	// Key names a school year in a version of its catalog and rules.
	Key struct {
		School          string
		Year            int
		Catalog, Policy int64
	}
	// FactsKey names what is known of a student in a version.
	FactsKey struct {
		Key
		Student string
		Facts   int64
	}
	actorKey struct {
		school  string
		year    int
		account int64
		roster  int64
	}
	pupilKey struct {
		Place
		roster, facts int64
	}
)

func newCache() *cache {
	return &cache{years: AtMost[Key, *SchoolYear](MaxYears), facts: AtMost[FactsKey, *Known](MaxFacts),
		actors: AtMost[actorKey, *actor.Actor](MaxPeople),
		pupils: AtMost[pupilKey, *store.Pupil](MaxPeople)}
}

// AtMost returns a cache of at most n values. n must be positive.
func AtMost[K comparable, V any](n int) *lru.Cache[K, V] {
	c, err := lru.New[K, V](n)
	if err != nil {
		panic(err) // only for a size that is not positive
	}
	return c
}

// Known is a student's compiled facts with what is shown next to them. It is immutable.
type Known struct {
	*sheet.Facts
	Claims []Claim // open

	Declined  []Declined // claims
	SignalIDs []int64    // by signal
	RecordIDs []int64    // by record
	Entered   []bool     // by record: it was entered here
	Said      []string   // by signal: the name of who said it, where the signal names a person of the school
}

// Claim is a family's statement that something is met elsewhere.
type Claim struct {
	ID           int64
	Course, Name string
	By, Note     string
	File         string // the name of the file that goes with it

	SchoolYear, Term, Mark string // when and with which grade, as the family wrote it
}

// claimOf makes of a signal the claim that it is.
func claimOf(x *store.SignalRow) Claim {
	return Claim{ID: x.ID, Course: x.Code, Name: x.Name, By: x.ByName, Note: x.Note, File: x.File,
		SchoolYear: x.Cells["schoolYear"], Term: x.Cells["term"], Mark: x.Cells["mark"]}
}

// Declined is a claim that was declined, with the reason.
type Declined struct {
	Claim
	Answer, Decider string
}

// Year returns a school year in a version, compiling it when it is not cached; of many who ask at once, one compiles.
func (s *Service) Year(ctx context.Context, school string, year int, catalog, policy int64) (*SchoolYear, error) {
	key := Key{School: school, Year: year, Catalog: catalog, Policy: policy}
	if have, ok := s.cache.years.Get(key); ok {
		return have, nil
	}
	return Together(ctx, &s.cache.compile, fmt.Sprintf("%q %d %d %d", school, year, catalog, policy),
		func(ctx context.Context) (*SchoolYear, error) {
			if have, ok := s.cache.years.Get(key); ok {
				return have, nil
			}
			have, err := s.compileYear(ctx, key)
			if err == nil {
				s.cache.years.Add(key, have)
			}
			return have, err
		})
}

func (s *Service) compileYear(ctx context.Context, key Key) (*SchoolYear, error) {
	q := s.db.Queries()
	row, err := q.Year.YearRow(ctx, key.School, key.Year)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	source, err := q.Year.Source(ctx, key.School, key.Year, key.Catalog, key.Policy)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	b, err := bundle.ReadFiles(SourceFiles(source))
	if err != nil {
		return nil, err
	}
	if len(b.Problems) > 0 {
		return nil, fmt.Errorf("the stored catalog of %s for %d cannot be compiled: %v", key.School, key.Year, b.Problems[0])
	}
	return &SchoolYear{Year: b.Year, Catalog: b, School: key.School, Name: row.SchoolName, CatalogVersion: key.Catalog, PolicyVersion: key.Policy}, nil
}

// Actor returns who an account is in a school, as seen from a year. The error is NotFound for a stranger.
func (s *Service) Actor(ctx context.Context, school string, year int, roster, account int64) (*actor.Actor, error) {
	key := actorKey{school: school, year: year, account: account, roster: roster}
	if have, ok := s.cache.actors.Get(key); ok {
		return have, nil
	}
	q := s.db.Queries()
	p, err := q.People.PersonIn(ctx, school, account)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	a := &actor.Actor{Person: p, Account: account, Roster: roster, Students: map[string]bool{}}
	if p.Counsels {
		ids, err := q.People.CounselsIn(ctx, school, year, p.ID)
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			a.Students[id] = true
		}
	}
	s.cache.actors.Add(key, a)
	return a, nil
}

// Pupil reports whose sheet it is.
func (s *Service) Pupil(ctx context.Context, at Place, v *store.Versions) (*store.Pupil, error) {
	key := pupilKey{at, v.Roster, v.Facts}
	if have, ok := s.cache.pupils.Get(key); ok {
		return have, nil
	}
	p, err := s.db.Queries().Sheet.Pupil(ctx, at)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	s.cache.pupils.Add(key, &p)
	return &p, nil
}

// KnownOf returns the compiled facts of some sheets of one year, reading those that are not cached in one go.
// It reads outside any transaction, so that only what is committed is cached.
func (s *Service) KnownOf(ctx context.Context, y *SchoolYear, rows []*store.SheetRow) ([]*Known, error) {
	out := make([]*Known, len(rows))
	keys := make([]FactsKey, len(rows))
	var missing []string
	for i, row := range rows {
		keys[i] = FactsKey{Key: y.Key(), Student: row.Student, Facts: row.Facts}
		if have, ok := s.cache.facts.Get(keys[i]); ok {
			out[i] = have
		} else {
			missing = append(missing, row.Student)
		}
	}
	if len(missing) == 0 {
		return out, nil
	}
	facts, err := s.db.Queries().Sheet.Facts(ctx, rows[0].School, rows[0].Year, missing)
	if err != nil {
		return nil, err
	}
	for i, row := range rows {
		if out[i] == nil {
			out[i] = compileFacts(y.Year, row, facts[row.Student])
			s.cache.facts.Add(keys[i], out[i])
		}
	}
	return out, nil
}

func compileFacts(y *catalog.Year, row *store.SheetRow, facts store.FactsRow) *Known {
	student := sheet.Student{ID: row.Student, Grade: row.Grade, Programs: row.Programs.V}
	k := &Known{}
	for _, r := range facts.Records.V {
		record := sheet.Record{Code: r.Code, Title: r.Title, Subjects: r.Subjects, Year: r.Year, Term: r.Term,
			Credits: credit.Amount(r.Credits), Outcome: sheet.Outcome(r.Outcome)}
		if r.Mark != nil {
			record.Mark, record.HasMark = credit.Amount(*r.Mark), true
		}
		student.Records = append(student.Records, record)
		k.RecordIDs, k.Entered = append(k.RecordIDs, r.ID), append(k.Entered, r.Here)
	}
	for _, x := range facts.Signals.V {
		if x.Settled != "" {
			k.Declined = append(k.Declined, Declined{claimOf(&x), x.Answer, x.Decider})
			continue
		}
		student.Signals = append(student.Signals, sheet.Signal{Kind: sheet.SignalKind(x.Kind), Code: x.Code, Name: x.Name,
			Value: credit.Amount(x.Value), By: x.By, Note: x.Note})
		k.Said, k.SignalIDs = append(k.Said, x.ByName), append(k.SignalIDs, x.ID)
		if x.Kind == string(sheet.Claim) {
			k.Claims = append(k.Claims, claimOf(&x))
		}
	}
	k.Facts = sheet.NewFacts(y, student)
	return k
}
