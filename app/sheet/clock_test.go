package sheet_test

import (
	"fmt"
	"testing"
	"time"

	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A clock that is stepped back, and forward again, changes neither the order of what has happened nor what can be undone, and nothing is refused for it; what comes and goes by the clock (the window) follows it.
func TestTheClockIsStepped(t *testing.T) {
	h := apptest.NewHouse(t)
	first := h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	h.At(testdb.Now.Add(-3 * time.Hour))
	second := h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	h.At(testdb.Now.Add(time.Minute))
	third := h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	if first.Row.Version+1 != second.Row.Version || second.Row.Version+1 != third.Row.Version {
		t.Errorf("versions %d, %d, %d", first.Row.Version, second.Row.Version, third.Row.Version)
	}
	has := func(d *appsheet.Desk) string {
		out := ""
		for _, e := range d.Row.Entries {
			if e.Course == "TID1" || e.Course == "PHO1" || e.Course == "AST1" {
				out += e.Course + " "
			}
		}
		return out
	}
	for _, want := range []string{"TID1 PHO1 ", "TID1 "} {
		if got := has(h.Edit(appsheet.Edit{Act: "undo"})); got != want {
			t.Errorf("taken back: %s; %s is wanted", got, want)
		}
	}
	if kinds := testdb.Value[string](t, h.DB, `SELECT string_agg(kind, ' ' ORDER BY version) FROM event WHERE student_id = 's0001'`); kinds != "change change change undo undo" {
		t.Errorf("what has happened: %s", kinds)
	}
	h.At(testdb.Now.AddDate(0, -1, 0))
	if _, err := h.Sheet.Change(t.Context(), h.Who("mara.quill"), apptest.Mara, appsheet.Edit{Act: "request", Course: "PHO1", Version: 100}); err == nil {
		t.Error("before the window opens something is changed")
	}
	h.At(testdb.Now.Add(2 * time.Minute))
	if got := has(h.Edit(appsheet.Edit{Act: "request", Course: "PHO1"})); fmt.Sprint(got) != "TID1 PHO1 " {
		t.Errorf("when it is right again: %s", got)
	}
}
