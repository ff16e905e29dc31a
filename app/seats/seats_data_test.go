package seats_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app/imports"
	"rubricon/app/schedule"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// Anyone who leaves the school gives their seats back: what has not begun leaves no trace, and in what has begun they were until today. They wait for none.
func TestWhoLeavesGivesSeatsBack(t *testing.T) {
	p := apptest.NewPoint(t)
	sections := p.Planted["sk001"]
	p.SeatsOf(sections[0], 1)
	if got := p.Takes(1, sections...); got != "" {
		t.Fatal(got)
	}
	waits := func(n int, section string) {
		t.Helper()
		at, who := p.Of(n)
		if _, err := p.Seats.WaitForSeat(t.Context(), who, at, section, true); err != nil {
			t.Fatal(err)
		}
	}
	waits(4, sections[0])
	leaves := func(id string) {
		t.Helper()
		if err := p.Again(func(f *bundle.File) {
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return slices.Contains(row, id) })
		}); err != nil {
			t.Fatal(err)
		}
	}
	left := func(id string) string {
		return testdb.Value[string](t, p.DB, `SELECT count(*) || ' seats, ' || coalesce(string_agg(DISTINCT coalesce(ends::text, 'to the end'), ', '), '') ||
			(SELECT ', waits for ' || count(*) FROM seat_wait WHERE school_id = $1 AND student_id = $2) FROM enrollment WHERE school_id = $1 AND student_id = $2`, demo.SkerryID, id)
	}
	leaves("sk001")
	if got := left("sk001"); got != "0 seats, , waits for 0" {
		t.Errorf("before the year: %s", got)
	}
	if err := p.Seats.OfferSeats(t.Context()); err != nil {
		t.Fatal(err)
	}
	if x := p.Week(4).Waits; len(x) != 1 || x[0].Until == nil {
		t.Errorf("it is offered to who waits: %+v", x)
	}
	// On a Friday of the first term: the next school day is the first on which they are there no longer.
	if got := p.Takes(7, p.Planted["sk007"]...); got != "" {
		t.Fatal(got)
	}
	another := sections[slices.IndexFunc(sections, func(id string) bool { return !slices.Contains(p.Planted["sk007"], id) })]
	p.SeatsOf(another, 0)
	waits(7, another)
	p.At(time.Date(2027, 10, 8, 12, 0, 0, 0, time.UTC))
	leaves("sk007")
	w := p.Week(10)
	second := 0 // in the second term alone
	for _, id := range p.Planted["sk007"] {
		if x := w.Sections[slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == id })]; slices.Equal(x.Terms, []int{1}) {
			second++
		}
	}
	if got, want := left("sk007"), fmt.Sprintf("%d seats, 2027-10-12, waits for 0", len(p.Planted["sk007"])-second); second == 0 || got != want {
		t.Errorf("in October: %s; %s", got, want)
	}
	if got := testdb.Value[int](t, p.DB, `SELECT count(*) FROM seat_act WHERE student_id = 'sk007' AND kind = 'change' AND on_date = '2027-10-12' AND by_id = ''`); got != 1 {
		t.Errorf("%d notes of it", got)
	}
	leaves("sk007") // and once more: nothing
	if got := testdb.Value[int](t, p.DB, `SELECT count(*) FROM seat_act WHERE student_id = 'sk007' AND kind = 'change'`); got != 1 {
		t.Errorf("%d notes of it, once more", got)
	}
}

// The school's data may say who is in which section; anyone who has chosen seats here keeps them.
func TestEnrollmentsComeWithTheData(t *testing.T) {
	p := apptest.NewPoint(t)
	if got := p.Takes(7, p.Planted["sk007"][0]); got != "" {
		t.Fatal(got)
	}
	section := p.Planted["sk001"][0]
	rows := func(rows ...string) error {
		return p.Again(func(f *bundle.File) {
			if f.Name == "enrollments.csv" {
				*f = (&bundle.Bundle{}).EnrollmentFile()
				for i, row := range rows {
					r := strings.Split(row, " ")
					f.Rows = append(f.Rows, []string{fmt.Sprint("e", i), "active", "", r[1], demo.SkerryID, r[0], r[2], "", r[3][1:], r[4][1:]})
				}
			}
		})
	}
	if err := rows("sk001 "+section+" student b e2027-10-12", "sk001 "+p.Planted["sk001"][1]+" student b e", "sk007 "+p.Planted["sk007"][1]+" student b e", "t01 "+section+" teacher b e", "sk004 "+section+" student b2027-10-12 e2027-10-12"); err != nil {
		t.Fatal(err)
	}
	if got := p.Own(1) + "|" + p.Own(4) + "|" + p.Own(7); got != p.Planted["sk001"][1]+"||"+p.Planted["sk007"][0] {
		t.Errorf("enrolled: %s", got)
	}
	before := testdb.Value[string](t, p.DB, `SELECT string_agg(id::text, ',' ORDER BY id) FROM enrollment WHERE school_id = $1`, demo.SkerryID)
	files, _, err := p.Imports.Export(t.Context(), demo.SkerryID, 0)
	if err != nil {
		t.Fatal(err)
	}
	b, err := bundle.ReadFiles(files, bundle.WithEnrollments)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	if _, err := p.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	if after := testdb.Value[string](t, p.DB, `SELECT string_agg(id::text, ',' ORDER BY id) FROM enrollment WHERE school_id = $1`, demo.SkerryID); after != before {
		t.Errorf("its own export changes enrollments: %s, then %s", before, after)
	}
	if err := rows("sk001 " + section + " student b e"); err != nil || p.Own(1) != section {
		t.Errorf("other data: %v, %s", err, p.Own(1))
	}
	var bad *imports.BadBundle
	for _, x := range []struct{ row, want string }{
		{"sk004 " + section + " student b e", "enrollments.csv:3: beginDate: the student is then also enrolled in " + section + ", which meets at the same time (line 2)"},
		{"sk004 " + section + " student b e2027-10-10", "enrollments.csv:3: endDate: 2027-10-10 is no school day"},
	} {
		err := rows("sk004 "+section+" student b e", x.row)
		if !errors.As(err, &bad) || bad.Problems[0].String() != x.want || p.Own(4) != "" || p.Own(1) != section {
			t.Errorf("%s: %v", x.row, err)
		}
	}
	if err := p.Again(func(*bundle.File) {}); err != nil || p.Own(1) != section {
		t.Errorf("data without the file: %v, %s", err, p.Own(1))
	}
}
