package people_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
	"rubricon/store"
)

// Who of the school looks at a sheet is noted, once a day; the student and the family are not. Only who decides on the sheet is told.
func TestWhoLooked(t *testing.T) {
	h := apptest.NewHouse(t)
	look := func(who string) {
		if _, err := h.Sheet.Sheet(t.Context(), h.Who(who), apptest.Mara); err != nil {
			t.Fatal(err)
		}
	}
	looks := func() string {
		list, err := h.People.Looks(t.Context(), h.Who("ms.arden"), apptest.Mara, 0)
		h.Must(nil, err)
		var out []string
		for _, l := range list {
			out = append(out, l.Day+" "+l.By)
		}
		return strings.Join(out, ", ")
	}
	look("mara.quill")
	look("ilse.quill")
	if got := testdb.Value[int](t, h.DB, `SELECT count(*) FROM sheet_look`); got != 0 {
		t.Errorf("the family's own looks are noted: %d", got)
	}
	look("office")
	look("office")
	h.At(testdb.Now.Add(24 * time.Hour))
	look("office")
	if got, want := looks(), "2027-03-03 Ms Arden, 2027-03-03 Dagny Westerdale, 2027-03-02 Dagny Westerdale"; got != want && got != "2027-03-03 Dagny Westerdale, 2027-03-03 Ms Arden, 2027-03-02 Dagny Westerdale" {
		t.Errorf("looks: %s; %s", got, want)
	}
	for _, who := range []string{"mara.quill", "ilse.quill"} {
		if _, err := h.People.Looks(t.Context(), h.Who(who), apptest.Mara, 0); fmt.Sprint(problem.CodeOf(err)) != "forbidden" {
			t.Errorf("%s is told who looked: %v", who, err)
		}
	}
	if _, err := h.People.Looks(t.Context(), h.Who("mr.tolland"), apptest.Mara, 0); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a stranger is told who looked: %v", err)
	}
}

// What is given out as all that is kept about a person has every table in which something is, and nothing secret.
func TestEverythingAboutAPerson(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Submit()
	h.Sign()
	testdb.Value[int64](t, h.DB, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at) VALUES ('pellworth', 2027, 's0001', 's0001', 'code', 'x', '{"code": "secret-code", "message": "words of a mail"}', now(), now()) RETURNING id`)
	all, err := h.People.Everything(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, apptest.Mara.Student)
	if err != nil {
		t.Fatal(err)
	}
	for _, table := range []string{"person", "sheet", "entry", "record", "signal", "event", "submission", "signature", "relation", "account", "letter"} {
		if len(all[table]) < 3 {
			t.Errorf("%s is not among it", table)
		}
	}
	whole := ""
	for _, text := range all {
		whole += string(text)
	}
	if strings.Contains(whole, "secret-code") || !strings.Contains(whole, "words of a mail") {
		t.Error("of a mail its code is given out, or its words are not")
	}
	if hash := testdb.Value[string](t, h.DB, `SELECT hash FROM account_password p JOIN account a ON a.id = p.account_id WHERE a.username = 'mara.quill'`); strings.Contains(whole, hash) {
		t.Error("the password's hash is among it")
	}
	if _, err := h.People.Everything(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, "nobody"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("nobody: %v", err)
	}
}

// Of a student who left long ago nothing stays but tallies; of others everything does.
func TestErasing(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Submit()
	h.Sign()
	if _, err := h.Sheet.Sheet(t.Context(), h.Who("ms.arden"), apptest.Mara); err != nil {
		t.Fatal(err)
	}
	owner, err := store.Open(t.Context(), h.DB.Owner)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(owner.Close)
	requests := testdb.Value[int](t, h.DB, `SELECT count(*) FROM submission s, jsonb_array_elements(s.entries) e WHERE student_id = 's0001' AND number = (SELECT submission FROM sheet WHERE student_id = 's0001') AND (e->>'a') IS NULL`)
	others := func() string {
		return testdb.Value[string](t, h.DB, `SELECT (SELECT count(*) FROM entry WHERE student_id <> 's0001') || ' ' || (SELECT count(*) FROM record WHERE student_id <> 's0001') || ' ' || (SELECT count(*) FROM person WHERE id NOT IN ('s0001', 'g0001') AND given_name <> '')`)
	}
	before := others()
	due := func() []store.Leaver {
		list, err := owner.Queries().People.LeftBefore(t.Context(), apptest.Mara.School, time.Now().Add(time.Hour), 10)
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	if list := due(); len(list) != 0 {
		t.Fatalf("who is there: %v", list)
	}
	files := testdb.Files()
	for i := range files {
		files[i].Rows = slices.DeleteFunc(files[i].Rows, func(row []string) bool { return slices.Contains(row, "s0001") })
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := h.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	if list, err := owner.Queries().People.LeftBefore(t.Context(), apptest.Mara.School, time.Now().Add(-time.Hour), 10); err != nil || len(list) != 0 {
		t.Errorf("who left just now: %v %v", list, err)
	}
	list := due()
	if !slices.Equal(list, []store.Leaver{{ID: "g0001"}, {ID: "s0001", Student: true}}) { // her mother is named for her alone
		t.Fatalf("who has left: %v", list)
	}
	for _, who := range list {
		if err := owner.Tx(t.Context(), func(q store.Queries) error { return q.People.Erase(t.Context(), apptest.Mara.School, who) }); err != nil {
			t.Fatal(err)
		}
	}
	for _, table := range testdb.Value[[]string](t, h.DB, `SELECT array_agg(tablename::text) FROM pg_tables WHERE schemaname = 'public'`) {
		rows := testdb.Value[int](t, h.DB, `SELECT count(*) FROM `+table+` t WHERE t::text ~ '(Mara Quill|mara\.quill|ilse\.quill)' OR '`+table+`' NOT IN ('person', 'batch') AND t::text ~ '\ms0001\M'`)
		if rows > 0 {
			t.Errorf("%d rows of %s have something of her", rows, table)
		}
	}
	if got := testdb.Value[int](t, h.DB, `SELECT coalesce(sum(students), 0) FROM tally WHERE kind = 'request'`); got != requests || got == 0 {
		t.Errorf("%d requests in tallies; she had %d", got, requests)
	}
	if after := others(); after != before {
		t.Errorf("of others: %s, then %s", before, after)
	}
	if list := due(); len(list) != 0 {
		t.Errorf("once more: %v", list)
	}
	// Who comes back begins again.
	whole, err := bundle.ReadFiles(testdb.Files())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.Imports.Import(t.Context(), whole, 0); err != nil {
		t.Fatal(err)
	}
	if got := testdb.Value[string](t, h.DB, `SELECT given_name || ' ' || erased FROM person WHERE id = 's0001'`); got != "Mara false" {
		t.Errorf("who comes back: %s", got)
	}
}

// TestACalendarLooksAtNobody: a program that reads a counselor's calendar of a student, day after day, is not the counselor looking.
func TestACalendarLooksAtNobody(t *testing.T) {
	h := apptest.NewHouse(t)
	arden := h.Who("ms.arden")
	token, err := h.Messages.MakeFeed(t.Context(), arden, apptest.Mara, "en")
	if err != nil {
		t.Fatal(err)
	}
	h.DB.Exec(t, `DELETE FROM sheet_look`) // of making it
	fresh := h.Second()
	if _, _, err := fresh.Messages.Fed(t.Context(), token); err != nil {
		t.Fatal(err)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM sheet_look`); n != 0 {
		t.Errorf("%d looks", n)
	}
	if _, err := fresh.Sheet.Sheet(t.Context(), arden, apptest.Mara); err != nil {
		t.Fatal(err)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM sheet_look`); n != 1 {
		t.Errorf("%d looks after one", n)
	}
}
