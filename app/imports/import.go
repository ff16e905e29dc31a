package imports

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rubricon/app/account"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/store"
)

// ImportResult is the result of an import.
type ImportResult struct {
	School   string
	Year     int
	Students int
	Kept     []string // students whose sheets were worked on here and differ from what came; they stay as they are
	Beyond   []string // students whose kept sheets are beyond the limits of judging under the new rules
	Notices  []bundle.Problem
	Tally    bundle.Tally
}

// A BadBundle is a bundle with bad rows; nothing was changed.
type BadBundle struct{ Problems []bundle.Problem }

func (e *BadBundle) Error() string { return fmt.Sprintf("the bundle has %d bad rows", len(e.Problems)) }

// How many rows an import writes at once: a transaction of a batch takes some tens of milliseconds.
const (
	peopleBatch = 1000
	pupilsBatch = 100
)

// Import writes a bundle into the database: its school year, which is made where it is new, and the school's
// people, records and signals. All of it is read and checked before anything is written; then it is written
// in short transactions, students by students, so that no one who works in the meantime waits for it. An import
// that was broken off is made whole by importing again. A bundle of an earlier year than the newest changes
// that year alone. Where much would go, removals must be how much. The errors are a *BadBundle where
// something is bad, a *MuchGoes, and Busy where someone else imports, or has changed what the bundle leaves
// as it is.
func (s *Service) Import(ctx context.Context, b *bundle.Bundle, removals int) (*ImportResult, error) {
	return s.takeIn(ctx, b, removals, func(int, int) {})
}

// takeIn is Import, telling how many students of how many are written.
func (s *Service) takeIn(ctx context.Context, b *bundle.Bundle, removals int, written func(done, total int)) (*ImportResult, error) {
	if len(b.Problems) > 0 {
		return nil, &BadBundle{b.Problems}
	}
	in := prepare(b)
	result := &ImportResult{School: b.SchoolID, Year: in.year, Students: len(b.Pupils), Notices: b.Notices}
	// One import of a school at a time; the lock is held by a transaction that does nothing else.
	began := s.base.Now()
	err := s.alone(ctx, b.SchoolID, func(ctx context.Context) error {
		newest, err := s.base.DB.Queries().Year.Newest(ctx, b.SchoolID)
		if err != nil {
			return err
		}
		in.newest = in.year >= newest
		have, err := s.stillThere(ctx, in)
		if err != nil {
			return err
		}
		if err := s.check(ctx, in, newest); err != nil {
			return err
		}
		if result.Tally, err = s.tally(ctx, in, have); err != nil {
			return err
		}
		if result.Tally.Much() && result.Tally.Sum().Removed != removals {
			return &MuchGoes{result.Tally}
		}
		return s.write(ctx, in, result, written)
	})
	if err != nil {
		return nil, err
	}
	s.base.Log.InfoContext(ctx, "an import", "school", result.School, "year", result.Year, "students", result.Students, "kept",
		len(result.Kept), "took", s.base.Now().Sub(began))
	return result, nil
}

// alone runs an import while no other of the school runs. The lock's transaction is kept awake, so that it
// does not end for idling.
func (s *Service) alone(ctx context.Context, school string, work func(context.Context) error) error {
	return s.base.DB.Tx(ctx, func(q store.Queries) error {
		got, err := q.Imports.LockImport(ctx, school)
		if err != nil {
			return err
		}
		if !got {
			return problem.New(problem.Busy)
		}
		ctx, stop := context.WithCancelCause(ctx)
		awake := make(chan struct{})
		go func() {
			defer close(awake)
			tick := time.NewTicker(store.IdleTimeout / 3)
			defer tick.Stop()
			for {
				select {
				case <-ctx.Done():
					return
				case <-tick.C:
					if err := q.Awake(ctx); err != nil {
						stop(err) // the lock is lost
					}
				}
			}
		}()
		err = work(ctx)
		stop(nil)
		<-awake
		return err
	})
}

// prepared is a bundle prepared for writing.
type prepared struct {
	*bundle.Bundle
	year   int
	newest bool  // no later year is there
	stays  bool  // it says who is in which section
	looked int64 // the version of the catalog that absent files were taken from; 0: none was
	people []store.PersonRow
	pupils []store.PupilIn // by id
}

func prepare(b *bundle.Bundle) *prepared {
	in := &prepared{Bundle: b, year: b.Year.Start}
	users := b.Tables["users.csv"]
	guardians := map[string]bool{}
	for i := range b.Users {
		u := &b.Users[i]
		guardians[u.ID] = account.Guards(u.Role)
		in.people = append(in.people, store.PersonRow{ID: u.ID, Ord: i, Role: u.Role, Enabled: u.Enabled,
			Username: u.Username, GivenName: u.GivenName,
			FamilyName: u.FamilyName, Language: u.Language, Cells: cells(users, u.Row)})
	}
	slices.SortFunc(in.people, func(a, b store.PersonRow) int { return strings.Compare(a.ID, b.ID) })
	at := map[string]int{}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		at[p.ID] = i
		in.pupils = append(in.pupils, store.PupilIn{Student: p.ID, Grade: p.Grade, Programs: p.Programs, Counselor: p.Counselor})
	}
	// A guardian's row names students, a student's row guardians.
	guard := func(guardian, student string) {
		if i, ok := at[student]; ok && guardians[guardian] && !slices.Contains(in.pupils[i].Guardians, guardian) {
			in.pupils[i].Guardians = append(in.pupils[i].Guardians, guardian)
		}
	}
	for i := range b.Users {
		for _, other := range b.Users[i].Agents {
			guard(b.Users[i].ID, other)
			guard(other, b.Users[i].ID)
		}
	}
	in.addFacts(at)
	in.addStays(at)
	for i := range in.pupils {
		p := &in.pupils[i]
		p.FactsDigest = digest(p.Grade, p.Programs, p.Records, p.Signals, p.Plans)
		p.EntriesDigest = digest(p.Entries)
	}
	slices.SortFunc(in.pupils, func(a, b store.PupilIn) int { return strings.Compare(a.Student, b.Student) })
	return in
}

func digest(parts ...any) string {
	text, err := json.Marshal(parts)
	if err != nil {
		panic(err) // rows of texts and numbers always marshal
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

// addFacts adds records, signals and entries, each in file order.
func (in *prepared) addFacts(at map[string]int) {
	b := in.Bundle
	records, signals, requests, plans := b.Tables["records.csv"], b.Tables["signals.csv"], b.Tables["requests.csv"], b.Tables["plans.csv"]
	for i := range records.Rows {
		r := &records.Rows[i]
		k, ok := at[records.Cell(r, "student")]
		if !ok {
			continue // of a student to be deleted
		}
		p := &in.pupils[k]
		x := &b.Pupils[k].Student.Records[len(p.Records)]
		row := store.RecordRow{Student: p.Student, Ord: len(p.Records) + 1, Code: x.Code, Title: x.Title,
			Subjects: x.Subjects, Year: x.Year, Term: x.Term,
			Credits: int64(x.Credits), Outcome: string(x.Outcome), Cells: cells(records, r)}
		if x.HasMark {
			mark := int64(x.Mark)
			row.Mark = &mark
		}
		p.Records = append(p.Records, row)
		if teaches := (store.TeachesIn{Teacher: x.Teacher, Course: x.Code}); x.Teacher != "" && !slices.Contains(p.Teaches, teaches) {
			p.Teaches = append(p.Teaches, teaches)
		}
	}
	for i := range signals.Rows {
		r := &signals.Rows[i]
		k, ok := at[signals.Cell(r, "student")]
		if !ok {
			continue
		}
		p := &in.pupils[k]
		x := &b.Pupils[k].Student.Signals[len(p.Signals)]
		p.Signals = append(p.Signals, store.SignalRow{Student: p.Student, Ord: len(p.Signals) + 1, Kind: string(x.Kind),
			Code: x.Code, Name: x.Name,
			Value: int64(x.Value), By: x.By, Note: x.Note, Cells: cells(signals, r)})
	}
	for k := range b.Pupils {
		p := &in.pupils[k]
		for n := range b.Pupils[k].Requests {
			x := &b.Pupils[k].Requests[n]
			row := store.EntryIn{Student: p.Student, Course: x.Course, Kind: "request", Rank: x.Rank, Ord: n + 1, Cells: cells(requests, x.Row)}
			delete(row.Cells, "state") // it is the sheet's here, and no difference to what was taken in before
			if x.Alternate {
				row.Kind = "alternate"
			}
			if x.StandsFor != "" {
				row.StandsFor = &x.StandsFor
			}
			p.Entries = append(p.Entries, row)
		}
		for n := range b.Pupils[k].Plans {
			x := &b.Pupils[k].Plans[n]
			row := store.PlanIn{Student: p.Student, Ord: n + 1, Grade: x.Grade, Course: x.Course, Kind: "request", Cells: cells(plans, x.Row)}
			if x.Alternate {
				row.Kind = "alternate"
			}
			p.Plans = append(p.Plans, row)
		}
	}
}

// addStays adds who is in which section.
func (in *prepared) addStays(at map[string]int) {
	in.stays = in.Has("enrollments.csv")
	for i := range in.Enrollments {
		e := &in.Enrollments[i]
		if e.End != "" && e.End <= e.Begin { // never in force
			continue
		}
		p := &in.pupils[at[in.Pupils[e.Pupil].ID]]
		p.Stays = append(p.Stays, store.StayIn{Student: p.Student, Section: in.Sections[e.Section].ID, Begins: e.Begin, Ends: e.End})
	}
}

// cells are a row's cells that are not empty. A password is never kept.
func cells(t *bundle.Table, r *bundle.Row) store.Cells {
	c := store.Cells{}
	for i, column := range t.Header {
		if r.Cells[i] != "" && column != "password" {
			c[column] = r.Cells[i]
		}
	}
	return c
}

// write writes a checked import.
func (s *Service) write(ctx context.Context, in *prepared, result *ImportResult, written func(done, total int)) error {
	files, headers := sourceOf(in.Bundle)
	var codes []string
	for i := range in.Courses {
		codes = append(codes, in.Courses[i].Code)
	}
	slices.Sort(codes)
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		_, _, err := q.Year.PublishYear(ctx, in.SchoolID, in.SchoolName, in.year,
			store.Source{Files: files, Policy: string(in.PolicyText)}, codes, headers, in.looked, s.base.Now())
		if err != nil || !in.Has("classes.csv") {
			return err
		}
		return q.Imports.PutSections(ctx, in.SchoolID, in.year, sectionRows(in.Bundle))
	})
	if errors.Is(err, store.ErrMoved) {
		return problem.New(problem.Busy)
	} else if err != nil {
		return fmt.Errorf("writing the school year: %w", err)
	}
	if in.newest {
		if err := s.writePeople(ctx, in); err != nil {
			return err
		}
	}
	has := store.Brought{Records: in.Has("records.csv"), Signals: in.Has("signals.csv"), Plans: in.Has("plans.csv"),
		Requests: in.Has("requests.csv")}
	batches, look, done := 0, 1, 0
	for batch := range slices.Chunk(in.pupils, pupilsBatch) {
		if batches++; batches == look { // while the tables grow from nothing, plans must follow
			look *= 8
			if err := s.base.DB.Queries().Imports.LookAtTables(ctx); err != nil {
				return err
			}
		}
		err := s.base.DB.Tx(ctx, func(q store.Queries) error {
			kept, err := q.Imports.PutPupils(ctx, in.SchoolID, in.year, in.newest, has, batch)
			result.Kept = append(result.Kept, kept...)
			if err != nil || !in.stays {
				return err
			}
			return q.Seats.PutStays(ctx, in.SchoolID, in.year, batch, s.base.Now())
		})
		if err != nil {
			return fmt.Errorf("writing students: %w", err)
		}
		done += len(batch)
		written(done, len(in.pupils))
	}
	if err := s.base.DB.Queries().Imports.LookAtTables(ctx); err != nil {
		return err
	}
	raise := in.year
	if in.newest {
		raise = 0
	}
	if err := s.base.DB.Queries().Year.RaiseRoster(ctx, in.SchoolID, raise); err != nil {
		return err
	}
	s.ports.Seats.ForgetTaken(in.SchoolID, in.year)
	if in.newest {
		if err := s.ports.People.GiveBackSeats(ctx, in.SchoolID); err != nil {
			return fmt.Errorf("giving back the seats of who has left: %w", err)
		}
	}
	return s.judgeKept(ctx, in, result)
}

// writePeople writes people, leads accounts to them, and sets first passwords; those are hashed outside any
// transaction.
func (s *Service) writePeople(ctx context.Context, in *prepared) error {
	var ids []string
	for batch := range slices.Chunk(in.people, peopleBatch) {
		if err := s.base.DB.Tx(ctx, func(q store.Queries) error { return q.Imports.PutPeople(ctx, in.SchoolID, batch) }); err != nil {
			return fmt.Errorf("writing people: %w", err)
		}
		for i := range batch {
			ids = append(ids, batch[i].ID)
		}
	}
	if err := s.base.DB.Tx(ctx, func(q store.Queries) error { return q.Imports.LinkPeople(ctx, in.SchoolID, ids) }); err != nil {
		return fmt.Errorf("writing people: %w", err)
	}
	passwords := map[string]string{}
	var usernames []string
	for i := range in.Users {
		if u := &in.Users[i]; u.Password != "" {
			passwords[u.Username] = u.Password
			usernames = append(usernames, u.Username)
		}
	}
	without, err := s.base.DB.Queries().Account.WithoutPassword(ctx, usernames)
	if err != nil {
		return err
	}
	for _, w := range without {
		hash, err := s.ports.Account.Hash(ctx, passwords[w.Hash])
		if err != nil {
			return err
		}
		if err := s.base.DB.Queries().Account.FirstPassword(ctx, w.Account, hash, !s.firstStay, s.base.Now()); err != nil {
			return err
		}
	}
	return nil
}

// judgeKept judges the sheets that were worked on here again, and names those that are beyond the limits of judging now.
func (s *Service) judgeKept(ctx context.Context, in *prepared, result *ImportResult) error {
	kept, err := s.base.DB.Queries().Imports.KeptSheets(ctx, in.SchoolID, in.year)
	if err != nil {
		return err
	}
	for _, k := range kept {
		row, err := s.base.DB.Queries().Sheet.Sheet(ctx, schoolyear.Place{School: in.SchoolID, Year: in.year, Student: k.Student})
		if err != nil {
			return err
		}
		y, err := s.base.Years.Year(ctx, row.School, row.Year, row.Catalog, row.Policy)
		if err != nil {
			return err
		}
		known, err := s.base.Years.KnownOf(ctx, y, []*store.SheetRow{&row})
		if err != nil {
			return err
		}
		if appsheet.Judge(known[0], row.Entries).Judgement == nil {
			result.Beyond = append(result.Beyond, k.Student)
		}
	}
	return nil
}

// sourceOf returns the files of a bundle that its catalog is compiled from, and the headers of the rest.
func sourceOf(b *bundle.Bundle) (files map[string]store.Sheetful, headers map[string][]string) {
	files, headers = map[string]store.Sheetful{}, map[string][]string{}
	for name, t := range b.Tables {
		if t.Header == nil {
			continue
		}
		if slices.Contains(catalogFiles, name) {
			file := store.Sheetful{Header: t.Header, Rows: [][]string{}}
			for i := range t.Rows {
				file.Rows = append(file.Rows, t.Rows[i].Cells)
			}
			files[name] = file
			continue
		}
		headers[name] = slices.DeleteFunc(slices.Clone(t.Header), func(column string) bool { return column == "password" })
	}
	return files, headers
}

// catalogFiles are the files that a school year is compiled from, next to the policy.
var catalogFiles = []string{"academicSessions.csv", "orgs.csv", "courses.csv", "errands.csv"}

func sectionRows(b *bundle.Bundle) []store.SectionRow {
	t := b.Tables["classes.csv"]
	read := map[string]*bundle.Section{}
	for i := range b.Sections {
		read[b.Sections[i].ID] = &b.Sections[i]
	}
	list := []store.SectionRow{}
	for i := range t.Rows {
		r := &t.Rows[i]
		row := store.SectionRow{ID: t.Cell(r, "sourcedId"), Ord: i, Cells: cells(t, r)}
		if section := read[row.ID]; section != nil {
			row.Course, row.Seats = section.Course, section.Seats
		}
		list = append(list, row)
	}
	return list
}
