package school

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing/fstest"
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

	mu    sync.Mutex
	years map[string]cachedYear
	facts map[[2]string]cachedFacts
}

type cachedYear struct {
	version int64
	year    *catalog.Year
	catalog *Catalog
}

type cachedFacts struct {
	facts, catalog int64
	value          *known
}

// known is a student's compiled facts with what the interface shows beside them.
type known struct {
	*sheet.Facts
	claims []Claim
}

// maxCachedFacts bounds the students whose compiled facts are kept.
const maxCachedFacts = 8192

// New makes a service. Now may be nil for the clock.
func New(db *store.DB, now func() time.Time) *Service {
	if now == nil {
		now = time.Now
	}
	return &Service{db: db, now: now, years: map[string]cachedYear{}, facts: map[[2]string]cachedFacts{}}
}

// asNotFound turns a missing row into the error people get.
func asNotFound(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return problem(NotFound, "there is nothing here for you")
	}
	return err
}

// files makes a file system of files in memory, for the reader of bundles.
func files(list []bundle.File) (fstest.MapFS, error) {
	fsys := fstest.MapFS{}
	for i := range list {
		text, err := list[i].Bytes()
		if err != nil {
			return nil, err
		}
		fsys[list[i].Name] = &fstest.MapFile{Data: text}
	}
	return fsys, nil
}

// year gives the compiled school year of a version, compiling it when it is not at hand.
func (s *Service) year(ctx context.Context, q store.Queries, school string, version int64) (cachedYear, error) {
	s.mu.Lock()
	have, ok := s.years[school]
	s.mu.Unlock()
	if ok && have.version == version {
		return have, nil
	}
	list, err := q.CatalogFiles(ctx, school)
	if err != nil {
		return have, asNotFound(err)
	}
	list = append(list, bundle.File{Name: "users.csv", Header: bundle.Columns("users.csv")})
	fsys, err := files(list)
	if err != nil {
		return have, err
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		return have, err
	}
	if len(b.Problems) > 0 {
		return have, fmt.Errorf("the stored catalog of %s cannot be compiled: %v", school, b.Problems[0])
	}
	have = cachedYear{version, b.Year, newCatalog(school, version, b)}
	s.mu.Lock()
	s.years[school] = have
	s.mu.Unlock()
	return have, nil
}

// known gives a student's facts, compiling them when they are not at hand.
func (s *Service) known(ctx context.Context, q store.Queries, y *catalog.Year, sub *store.Subject) (*known, error) {
	key := [2]string{sub.School, sub.Student}
	s.mu.Lock()
	have, ok := s.facts[key]
	s.mu.Unlock()
	if ok && have.facts == sub.FactsVersion && have.catalog == sub.CatalogVersion {
		return have.value, nil
	}
	row, err := q.Facts(ctx, sub.School, sub.Student)
	if err != nil {
		return nil, asNotFound(err)
	}
	value := compile(y, sub, &row)
	s.mu.Lock()
	if len(s.facts) >= maxCachedFacts {
		clear(s.facts)
	}
	s.facts[key] = cachedFacts{sub.FactsVersion, sub.CatalogVersion, value}
	s.mu.Unlock()
	return value, nil
}

func compile(y *catalog.Year, sub *store.Subject, row *store.FactsRow) *known {
	student := sheet.Student{ID: sub.Student, Grade: sub.Grade, Programs: row.Programs.V}
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
