package store_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"rubricon/internal/testdb"
	"rubricon/store"
)

// house makes a school year of three courses with people, through the statements of an import.
type house struct {
	t  *testing.T
	db *store.DB
	d  testdb.Database
}

func newHouse(t *testing.T) *house {
	t.Helper()
	testdb.Parallel(t)
	h := &house{t: t, d: testdb.Empty(t)}
	h.db = h.d.Open(t)
	h.year(2030)
	h.people("k aide", "g guardian", "h guardian", "a administrator", "s student", "u student")
	return h
}

func (h *house) tx(work func(q store.Queries) error) {
	h.t.Helper()
	if err := h.db.Tx(h.t.Context(), work); err != nil {
		h.t.Fatal(err)
	}
}

func (h *house) year(year int) {
	h.t.Helper()
	h.tx(func(q store.Queries) error {
		_, _, err := q.Year.PublishYear(h.t.Context(), "x", "X", year, store.Source{Files: map[string]store.Sheetful{}, Policy: "p"}, []string{"A", "B", "C"}, map[string][]string{}, 0, testdb.Now)
		return err
	})
}

// people are written as “id role”; their usernames are their ids, or what follows an equals sign.
func (h *house) people(list ...string) {
	h.t.Helper()
	var rows []store.PersonRow
	var ids []string
	for i, text := range list {
		id, role, _ := strings.Cut(text, " ")
		role, username, named := strings.Cut(role, "=")
		if !named {
			username = id
		}
		rows = append(rows, store.PersonRow{ID: id, Ord: i, Role: role, Enabled: true, Username: username, GivenName: strings.ToUpper(id), FamilyName: "Z", Cells: store.Cells{"n": id}})
		ids = append(ids, id)
	}
	h.tx(func(q store.Queries) error { return q.Imports.PutPeople(h.t.Context(), "x", rows) })
	h.tx(func(q store.Queries) error { return q.Imports.LinkPeople(h.t.Context(), "x", ids) })
}

func (h *house) put(year int, newest bool, pupils ...store.PupilIn) (kept []string) {
	h.t.Helper()
	h.tx(func(q store.Queries) (err error) {
		kept, err = q.Imports.PutPupils(h.t.Context(), "x", year, newest, brought, pupils)
		return err
	})
	return kept
}

func (h *house) says(what, query, want string) {
	h.t.Helper()
	if got := testdb.Value[*string](h.t, h.d, query); got == nil && want != "" || got != nil && *got != want {
		if got == nil {
			h.t.Errorf("%s: nothing, want %s", what, want)
		} else {
			h.t.Errorf("%s: %s, want %s", what, *got, want)
		}
	}
}

// brought is a bundle with all files.
var brought = store.Brought{Records: true, Signals: true, Plans: true, Requests: true}

const (
	relations = `SELECT string_agg(kind || ' ' || person_id || ' ' || coalesce(student_id, '-') || ' ' || coalesce(year::text, '-'), ', ' ORDER BY kind, person_id, student_id, year) FROM relation`
	sheets    = `SELECT string_agg(year || student_id || ' ' || version || ' ' || facts_version || ' ' || grade || ' ' || programs::text, ', ' ORDER BY year, student_id) FROM sheet`
	records   = `SELECT string_agg(student_id || ' ' || course_code || ' ' || here, ', ' ORDER BY student_id, ord, id) FROM record`
	signals   = `SELECT string_agg(student_id || ' ' || kind || ' ' || coalesce(year::text, '-') || settled, ', ' ORDER BY student_id, ord, id) FROM signal`
	entries   = `SELECT string_agg(year || student_id || ' ' || course_code || ' ' || kind || coalesce(' ' || stands_for, ''), ', ' ORDER BY year, student_id, kind DESC, rank) FROM entry`
)

func TestPutPupils(t *testing.T) {
	h := newHouse(t)
	a := "A"
	record := func(student, code string) store.RecordRow {
		return store.RecordRow{Student: student, Ord: 1, Code: code, Title: "T", Year: 2029, Credits: 100, Outcome: "earned", Cells: store.Cells{"courseCode": code}}
	}
	signal := func(student, kind string) store.SignalRow {
		return store.SignalRow{Student: student, Ord: 1, Kind: kind, Code: "A", By: "k", Note: "n", Cells: store.Cells{"kind": kind}}
	}
	s := store.PupilIn{Student: "s", Grade: 10, Programs: []string{"p"}, Counselor: "k", Guardians: []string{"g"}, FactsDigest: "f1", EntriesDigest: "e1",
		Records: []store.RecordRow{record("s", "A")}, Signals: []store.SignalRow{signal("s", "claim")},
		Entries: []store.EntryIn{{Student: "s", Course: "A", Kind: "request", Rank: 1, Ord: 1, Cells: store.Cells{}}, {Student: "s", Course: "B", Kind: "alternate", Rank: 1, Ord: 2, StandsFor: &a, Cells: store.Cells{}}}}
	u := store.PupilIn{Student: "u", Grade: 9, FactsDigest: "f1", EntriesDigest: "e1"}
	if kept := h.put(2030, true, s, u); len(kept) != 0 {
		t.Errorf("kept %v", kept)
	}
	h.says("relations", relations, "administers a - -, counsels k s 2030, guards g s -")
	h.says("sheets", sheets, `2030s 2 2 10 ["p"], 2030u 2 2 9 []`)
	h.says("records", records, "s A false")
	h.says("signals", signals, "s claim 2030")
	h.says("entries", entries, "2030s A request, 2030s B alternate A")

	h.put(2030, true, s, u) // the same again changes nothing
	h.says("sheets", sheets, `2030s 2 2 10 ["p"], 2030u 2 2 9 []`)

	// What was entered here stays, and is not said twice; relations follow the data.
	h.d.Exec(t, `UPDATE signal SET settled = 'declined'`)
	h.d.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells) VALUES ('x', 's', 9, 'waiver', 'A', '', 0, 'k', 'n', '{}')`)
	h.d.Exec(t, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, outcome, here, cells) VALUES ('x', 's', 9, 'B', 'T', '[]', 2029, '', 100, 'transfer', true, '{"courseCode": "B"}')`)
	s.FactsDigest, s.Records = "f2", []store.RecordRow{record("s", "B"), record("s", "C")}
	s.Signals = []store.SignalRow{signal("s", "claim"), signal("s", "waiver"), signal("s", "recommendation")}
	s.Counselor, s.Guardians, s.Grade, s.Programs = "a", []string{"h"}, 11, nil
	u.Counselor = "k"
	h.put(2030, true, s, u)
	h.says("relations", relations, "administers a - -, counsels a s 2030, counsels k u 2030, guards h s -")
	h.says("sheets", sheets, `2030s 2 3 11 [], 2030u 2 2 9 []`)
	h.says("records", records, "s C false, s B true")
	h.says("signals", signals, "s claim 2030declined, s recommendation 2030, s waiver -")

	// A sheet that was worked on is kept, and said to be where what came is new.
	h.d.Exec(t, `UPDATE sheet SET touched = true WHERE student_id = 's'`)
	s.EntriesDigest, s.Entries = "e2", nil
	u.EntriesDigest, u.Entries = "e2", []store.EntryIn{{Student: "u", Course: "C", Kind: "request", Rank: 1, Ord: 1, Cells: store.Cells{}}}
	if kept := h.put(2030, true, s, u); !slices.Equal(kept, []string{"s"}) {
		t.Errorf("kept %v", kept)
	}
	h.says("entries", entries, "2030s A request, 2030s B alternate A, 2030u C request")
	h.says("sheets", sheets, `2030s 2 3 11 [], 2030u 3 2 9 []`)

	// A new year has sheets of its own; last year's signals stay last year's, and last year's sheets learn of new records.
	h.year(2031)
	s.FactsDigest, s.Records, s.Signals = "f3", nil, []store.SignalRow{signal("s", "score")}
	h.put(2031, true, s)
	h.says("signals", signals, "s claim 2030declined, s recommendation 2030, s score 2031, s waiver -")
	h.says("records", records, "s B true")
	h.says("sheets", sheets, `2030s 2 4 11 [], 2030u 3 2 9 [], 2031s 2 2 11 []`)
	h.says("relations", relations, "administers a - -, counsels a s 2030, counsels a s 2031, counsels k u 2030, guards h s -")
	// Data of the older year changes neither people's relations nor records.
	s.FactsDigest, s.Records, s.Signals, s.Guardians, s.Counselor = "f4", []store.RecordRow{record("s", "A")}, nil, nil, ""
	h.put(2030, false, s)
	h.says("records", records, "s B true")
	h.says("signals", signals, "s claim 2030declined, s score 2031, s waiver -")
	h.says("relations", relations, "administers a - -, counsels a s 2030, counsels a s 2031, counsels k u 2030, guards h s -")
	h.says("sheets", sheets, `2030s 2 5 11 [], 2030u 3 2 9 [], 2031s 2 2 11 []`)
	for name, bad := range map[string]store.PupilIn{
		"nobody": {Student: "nobody", FactsDigest: "x"}, "a counselor who is nobody": {Student: "u", Counselor: "nobody"}, "a guardian who is nobody": {Student: "u", Guardians: []string{"nobody"}},
		"a bad record": {Student: "u", FactsDigest: "y", Records: []store.RecordRow{{Student: "u", Outcome: "dreamt"}}},
		"a bad signal": {Student: "u", FactsDigest: "y", Signals: []store.SignalRow{{Student: "u", Kind: "smoke"}}},
		"a bad entry":  {Student: "u", FactsDigest: u.FactsDigest, EntriesDigest: "y", Entries: []store.EntryIn{{Student: "u", Course: "NOPE", Kind: "request", Rank: 1, Cells: store.Cells{}}}},
	} {
		err := h.db.Tx(t.Context(), func(q store.Queries) error {
			_, err := q.Imports.PutPupils(t.Context(), "x", 2030, true, brought, []store.PupilIn{bad})
			return err
		})
		var refused *pgconn.PgError
		if !errors.As(err, &refused) || refused.Code[:2] != "23" {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestPeopleAndAccounts(t *testing.T) {
	h := newHouse(t)
	who := `SELECT string_agg(p.id || '=' || coalesce(a.username, '-') || CASE WHEN p.present THEN '' ELSE ' gone' END, ', ' ORDER BY p.id) FROM person p LEFT JOIN account a ON a.id = p.account_id`
	secrets := `SELECT string_agg(a.username || ' ' || (SELECT count(*) FROM account_password x WHERE x.account_id = a.id) || (SELECT count(*) FROM session x WHERE x.account_id = a.id)
		|| (SELECT count(*) FROM account_device x WHERE x.account_id = a.id) || (SELECT count(*) FROM account_identity x WHERE x.account_id = a.id), ', ' ORDER BY a.username) FROM account a`
	h.d.Exec(t, `INSERT INTO account_password SELECT id, 'h', now() FROM account`)
	h.d.Exec(t, `INSERT INTO session (token, account_id, data, expiry) SELECT 't' || id, id, 'x', now() FROM account`)
	h.d.Exec(t, `INSERT INTO account_device SELECT id, 'd', now() FROM account`)
	h.d.Exec(t, `INSERT INTO account_identity SELECT 'i', id::text, id FROM account`)
	h.says("at first", who, "a=a, g=g, h=h, k=k, s=s, u=u")
	h.says("secrets", secrets, "a 1111, g 1111, h 1111, k 1111, s 1111, u 1111")
	// g and h change names; u takes that of s, who gets a new one; k is gone; a is no longer of the office.
	h.people("g guardian=h", "h guardian=g", "a teacher", "s student=new", "u student=s")
	h.says("names passed on", who, "a=a, g=h, h=g, k=- gone, s=new, u=s")
	h.says("secrets", secrets, "a 1111, g 0000, h 0000, k 1111, new 0000, s 0000, u 1111")
	h.says("who administers", relations, "")
	h.people("k administrator", "g guardian=h", "h guardian=g", "a teacher", "s student=new", "u student=s")
	h.says("back", who, "a=a, g=h, h=g, k=k, s=new, u=s")
	h.says("secrets", secrets, "a 1111, g 0000, h 0000, k 1111, new 0000, s 0000, u 1111")
	h.says("who administers", relations, "administers k - -")
	if got, err := h.db.Queries().Imports.Strangers(t.Context(), "x", []string{"k", "z", "y"}); err != nil || !slices.Equal(got, []string{"y", "z"}) {
		t.Errorf("strangers: %v, %v", got, err)
	}
	// What is the same is not written again.
	before := testdb.Value[string](t, h.d, `SELECT string_agg(xmin::text, ' ' ORDER BY id) FROM person`)
	h.people("k administrator", "g guardian=h", "h guardian=g", "a teacher", "s student=new", "u student=s2")
	after := testdb.Value[string](t, h.d, `SELECT string_agg(xmin::text, ' ' ORDER BY id) FROM person`)
	x, y := strings.Fields(before), strings.Fields(after)
	for i := range x {
		if (x[i] == y[i]) != (i != 5) {
			t.Errorf("rows written: %s, then %s", before, after)
		}
	}
	err := h.db.Tx(t.Context(), func(q store.Queries) error {
		return q.Imports.PutPeople(t.Context(), "x", []store.PersonRow{{ID: "z", Role: "king", Username: "z", Cells: store.Cells{}}})
	})
	if err == nil {
		t.Error("a king is taken")
	}
	if err := h.db.Tx(t.Context(), func(q store.Queries) error {
		return q.Imports.PutPeople(t.Context(), "x", []store.PersonRow{{ID: "z", Role: "student", Username: "", Cells: store.Cells{}}})
	}); err == nil || !strings.Contains(err.Error(), "writing accounts") {
		t.Errorf("nobody's name is taken: %v", err)
	}
}

func TestSectionsAndKeptSheets(t *testing.T) {
	h := newHouse(t)
	h.put(2030, true, store.PupilIn{Student: "s", FactsDigest: "f", EntriesDigest: "e", Entries: []store.EntryIn{{Student: "s", Course: "A", Kind: "request", Rank: 1, Cells: store.Cells{}}}},
		store.PupilIn{Student: "u", FactsDigest: "f", EntriesDigest: "e", Entries: []store.EntryIn{{Student: "u", Course: "B", Kind: "request", Rank: 1, Cells: store.Cells{}}}})
	for _, list := range [][]store.SectionRow{{{ID: "1", Ord: 1, Cells: store.Cells{"a": "b"}}, {ID: "2", Ord: 2, Cells: store.Cells{}}}, {{ID: "2", Ord: 1, Cells: store.Cells{}}}, nil} {
		h.tx(func(q store.Queries) error { return q.Imports.PutSections(t.Context(), "x", 2030, list) })
		want := ""
		for _, s := range list {
			want += s.ID
		}
		h.says("sections", `SELECT coalesce(string_agg(id, '' ORDER BY ord), '') FROM section`, want)
	}
	kept := func() string {
		list, err := h.db.Queries().Imports.KeptSheets(context.Background(), "x", 2030)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, k := range list {
			slices.Sort(k.Codes.V)
			out = append(out, fmt.Sprint(k.Student, k.Codes.V))
		}
		return strings.Join(out, " ")
	}
	if got := kept(); got != "" {
		t.Errorf("kept: %s", got)
	}
	h.d.Exec(t, `UPDATE sheet SET touched = true WHERE student_id = 'u'`)
	if got := kept(); got != "u[B]" {
		t.Errorf("kept: %s", got)
	}
	h.d.Exec(t, `INSERT INTO submission VALUES ('x', 2030, 'u', 1, 'r', now(), 'u', 'U', 1, 1, '[{"c": "C", "r": 1}]', '{}')`)
	h.d.Exec(t, `UPDATE sheet SET submission = 1 WHERE student_id = 'u'`)
	if got := kept(); got != "u[B C]" {
		t.Errorf("kept with what was submitted: %s", got)
	}
	h.tx(func(q store.Queries) error {
		got, err := q.Imports.LockImport(t.Context(), "x")
		if err != nil || !got {
			t.Errorf("the first gets the lock: %v, %v", got, err)
		}
		return h.db.Tx(t.Context(), func(other store.Queries) error {
			if got, err := other.Imports.LockImport(t.Context(), "x"); err != nil || got {
				t.Errorf("a second gets it too: %v, %v", got, err)
			}
			if got, err := other.Imports.LockImport(t.Context(), "y"); err != nil || !got {
				t.Errorf("another school waits: %v, %v", got, err)
			}
			return nil
		})
	})
}

func TestSettingAWindow(t *testing.T) {
	h := newHouse(t)
	h.year(2031)
	set := func(w store.WindowRow) error {
		return h.db.Tx(t.Context(), func(q store.Queries) error { return q.Year.SetWindow(t.Context(), "x", 2030, w) })
	}
	was := testdb.Value[int64](t, h.d, `SELECT roster_version FROM school_year WHERE year = 2030`)
	other := testdb.Value[int64](t, h.d, `SELECT roster_version FROM school_year WHERE year = 2031`)
	now := testdb.Now
	for range 2 {
		if err := set(store.WindowRow{Grade: -1, Opens: now, Families: now.AddDate(0, 0, 1), Counselors: now.AddDate(0, 0, 2)}); err != nil {
			t.Fatal(err)
		}
	}
	if err := set(store.WindowRow{Grade: -1, Opens: now, Families: now, Counselors: now}); err == nil {
		t.Error("a window that closes when it opens is taken")
	}
	h.says("windows", `SELECT count(*)::text FROM request_window`, "1")
	h.says("versions", `SELECT string_agg(roster_version::text, ' ' ORDER BY year) FROM school_year`, fmt.Sprint(was+2, " ", other))
	if err := h.db.Queries().Year.RaiseRoster(t.Context(), "x", 0); err != nil {
		t.Fatal(err)
	}
	h.says("versions of all years", `SELECT string_agg(roster_version::text, ' ' ORDER BY year) FROM school_year`, fmt.Sprint(was+3, " ", other+1))
}

func TestFindingPeople(t *testing.T) {
	h := newHouse(t)
	for words, want := range map[string]string{"": "a g h k s u", "Z": "a g h k s u", "K z": "k", "k": "k", "x": "", "k s": "", "%": "", "_": ""} {
		list, err := h.db.Queries().People.FindPeople(t.Context(), "x", strings.Fields(words), 10)
		if err != nil {
			t.Fatal(err)
		}
		var ids []string
		for _, f := range list {
			ids = append(ids, f.ID)
		}
		if got := strings.Join(ids, " "); got != want {
			t.Errorf("%q finds %s, want %s", words, got, want)
		}
	}
	if list, err := h.db.Queries().People.FindPeople(t.Context(), "x", nil, 2); err != nil || len(list) != 2 {
		t.Errorf("two at the most: %v, %v", list, err)
	}
	accounts, err := h.db.Queries().People.Accounts(t.Context(), "x")
	if err != nil || len(accounts) != 6 || accounts["s"] != h.d.Account(t, "s") {
		t.Errorf("accounts: %v, %v", accounts, err)
	}
	account, reach, err := h.db.Queries().People.AccountOf(t.Context(), "x", "s", accounts["a"])
	if err != nil || account != accounts["s"] || !reach {
		t.Errorf("for the office: %d %v %v", account, reach, err)
	}
	if _, reach, err := h.db.Queries().People.AccountOf(t.Context(), "x", "s", accounts["k"]); err != nil || reach {
		t.Errorf("for somebody else: %v %v", reach, err)
	}
	if _, _, err := h.db.Queries().People.AccountOf(t.Context(), "x", "nobody", accounts["a"]); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nobody: %v", err)
	}
	for _, gone := range []string{"enabled", "present"} {
		h.d.Exec(t, `UPDATE person SET `+gone+` = false WHERE id = 'a'`)
		if _, reach, err := h.db.Queries().People.AccountOf(t.Context(), "x", "s", accounts["a"]); err != nil || reach {
			t.Errorf("for an office that is no longer %s: %v %v", gone, reach, err)
		}
		h.d.Exec(t, `UPDATE person SET `+gone+` = true WHERE id = 'a'`)
	}
}

// One school more in a large table does not let all of it be looked at; a table that has grown is.
func TestTablesAreLookedAtWhenTheyHaveGrown(t *testing.T) {
	testdb.Parallel(t)
	d := testdb.New(t)
	q := d.Open(t).Queries()
	d.Exec(t, `ANALYZE record`)
	known := func() int {
		return testdb.Value[int](t, d, `SELECT reltuples::int FROM pg_class WHERE oid = 'record'::regclass`)
	}
	there := known()
	if there < 500 {
		t.Fatalf("only %d records", there)
	}
	double := `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, here, cells) SELECT school_id, student_id, ord + $1, course_code, title, subjects, start_year, term, credits, mark, outcome, here, cells FROM record`
	d.Exec(t, double+` WHERE id % 50 = 0`, 1000)
	if err := q.Imports.LookAtTables(t.Context()); err != nil {
		t.Fatal(err)
	}
	if known() != there {
		t.Errorf("looked at for a few rows more: %d, %d before", known(), there)
	}
	d.Exec(t, double, 10_000)
	if err := q.Imports.LookAtTables(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := known(); got < 2*there {
		t.Errorf("not looked at after it has doubled: %d, %d before", got, there)
	}
}
