package school

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Service gives the use cases. It holds nothing that cannot be read again, so any number may run side by side.
type Service struct {
	db  *store.DB
	now func() time.Time

	mu      sync.Mutex
	schools map[string]*atVersion
}

// atVersion is a school in one version: what is read of it changes only together with that, and so may be kept at hand.
type atVersion struct {
	version int64
	year    *catalog.Year
	catalog *Catalog

	mu     sync.Mutex
	pupils map[string]*store.Pupil  // by student
	people map[string]*store.Person // by username
	facts  map[string]keptFacts     // by student
}

type keptFacts struct {
	version int64
	value   *known
}

// known is a student's compiled facts with what the interface shows beside them.
type known struct {
	*sheet.Facts
	claims []Claim
}

// maxKept bounds the students, and the people, that are kept at hand of one school.
const maxKept = 8192

// keep puts a value into a map kept at hand; a full map starts anew.
func keep[V any](m map[string]V, key string, value V) {
	if len(m) >= maxKept {
		clear(m)
	}
	m[key] = value
}

// New makes a service. Now may be nil for the clock.
func New(db *store.DB, now func() time.Time) *Service {
	if now == nil {
		now = time.Now
	}
	return &Service{db: db, now: now, schools: map[string]*atVersion{}}
}

// subject is a sheet with whose it is and who asks for it.
type subject struct {
	store.SheetRow
	store.Pupil
	actor *store.Person
	known *known
}

// asNotFound turns a missing row into the error people get.
func asNotFound(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return problem(NotFound, "there is nothing here for you")
	}
	return err
}

// at gives a school in a version, reading and compiling its catalog when that is not at hand.
func (s *Service) at(ctx context.Context, q store.Queries, school string, version int64) (*atVersion, error) {
	s.mu.Lock()
	have := s.schools[school]
	s.mu.Unlock()
	if have != nil && have.version == version {
		return have, nil
	}
	list, err := q.CatalogFiles(ctx, school)
	if err != nil {
		return nil, asNotFound(err)
	}
	list = append(list, bundle.File{Name: "users.csv", Header: bundle.Columns("users.csv")})
	b, err := bundle.ReadFiles(list)
	if err != nil {
		return nil, err
	}
	if len(b.Problems) > 0 {
		return nil, fmt.Errorf("the stored catalog of %s cannot be compiled: %v", school, b.Problems[0])
	}
	have = &atVersion{version: version, year: b.Year, catalog: newCatalog(school, version, b),
		pupils: map[string]*store.Pupil{}, people: map[string]*store.Person{}, facts: map[string]keptFacts{}}
	s.mu.Lock()
	s.schools[school] = have
	s.mu.Unlock()
	return have, nil
}

// person gives who a username is in the school. The error is store.ErrNotFound for a stranger.
func (a *atVersion) person(ctx context.Context, q store.Queries, school, username string) (*store.Person, error) {
	a.mu.Lock()
	have := a.people[username]
	a.mu.Unlock()
	if have != nil {
		return have, nil
	}
	p, err := q.PersonIn(ctx, school, username)
	if err != nil {
		return nil, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	keep(a.people, username, &p)
	return &p, nil
}

// pupil tells whose sheet it is.
func (a *atVersion) pupil(ctx context.Context, q store.Queries, school, student string) (*store.Pupil, error) {
	a.mu.Lock()
	have := a.pupils[student]
	a.mu.Unlock()
	if have != nil {
		return have, nil
	}
	p, err := q.Pupil(ctx, school, student)
	if err != nil {
		return nil, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	keep(a.pupils, student, &p)
	return &p, nil
}

// known gives a student's facts in a version, compiling them when they are not at hand.
func (a *atVersion) known(ctx context.Context, q store.Queries, row *store.SheetRow, grade int) (*known, error) {
	a.mu.Lock()
	have := a.facts[row.Student]
	a.mu.Unlock()
	if have.value != nil && have.version == row.FactsVersion {
		return have.value, nil
	}
	facts, err := q.Facts(ctx, row.School, row.Student)
	if err != nil {
		return nil, asNotFound(err)
	}
	value := compile(a.year, row.Student, grade, &facts)
	a.mu.Lock()
	defer a.mu.Unlock()
	keep(a.facts, row.Student, keptFacts{row.FactsVersion, value})
	return value, nil
}

func compile(y *catalog.Year, id string, grade int, row *store.FactsRow) *known {
	student := sheet.Student{ID: id, Grade: grade, Programs: row.Programs.V}
	for _, r := range row.Records.V {
		record := sheet.Record{Code: r.Code, Title: r.Title, Subjects: r.Subjects, Year: r.Year, Term: r.Term, Credits: credit.Amount(r.Credits), Outcome: sheet.Outcome(r.Outcome)}
		if r.Mark != nil {
			record.Mark, record.HasMark = credit.Amount(*r.Mark), true
		}
		student.Records = append(student.Records, record)
	}
	k := &known{}
	for _, x := range row.Signals.V {
		student.Signals = append(student.Signals, sheet.Signal{Kind: sheet.SignalKind(x.Kind), Code: x.Code, Name: x.Name, Value: credit.Amount(x.Value), By: x.By, Note: x.Note})
		if x.Kind == string(sheet.Claim) {
			k.claims = append(k.claims, Claim{ID: x.ID, Course: x.Code, Name: x.Name, By: x.By, Note: x.Note})
		}
	}
	k.Facts = sheet.NewFacts(y, student)
	return k
}

// laid is a sheet in terms of the compiled year.
func laid(y *catalog.Year, entries []store.EntryRow) (s sheet.Sheet) {
	for _, e := range entries {
		course, ok := y.Index(e.Course)
		if !ok {
			continue // the database lets no such entry in
		}
		entry := sheet.Entry{Course: course, StandsFor: sheet.Any, Rank: e.Rank}
		if e.StandsFor != "" {
			entry.StandsFor, _ = y.Index(e.StandsFor)
		}
		if e.Alternate {
			s.Alternates = append(s.Alternates, entry)
		} else {
			s.Requests = append(s.Requests, entry)
		}
	}
	return s
}

func rows(y *catalog.Year, s *sheet.Sheet) (list []store.EntryRow) {
	for _, e := range s.Requests {
		list = append(list, store.EntryRow{Course: y.Codes[e.Course], Rank: e.Rank})
	}
	for _, e := range s.Alternates {
		row := store.EntryRow{Course: y.Codes[e.Course], Rank: e.Rank, Alternate: true}
		if e.StandsFor != sheet.Any {
			row.StandsFor = y.Codes[e.StandsFor]
		}
		list = append(list, row)
	}
	return list
}
