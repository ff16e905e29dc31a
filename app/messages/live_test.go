package messages_test

import (
	"context"
	"reflect"
	"testing"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// What is changed in one server process is heard in another by those who look at it, and by no one else.
func TestChangesAreHeardAcrossProcesses(t *testing.T) {
	h := apptest.NewHouse(t)
	second := h.Second()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	watch := func(s *app.App, username string) *messages.Watch {
		w, err := s.Messages.WatchSheet(t.Context(), h.Who(username), apptest.Mara)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(w.Close)
		return w
	}
	here, there := watch(h.App, "mara.quill"), watch(second, "ilse.quill")
	year, err := second.Messages.WatchYear(t.Context(), h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	defer year.Close()
	other, err := second.Messages.WatchSheet(t.Context(), h.Who("office"), schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: "s0003"})
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	// Alone, a process hears itself.
	d := h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	if got, want := apptest.Hears(t, here), (messages.Heard{Student: "s0001", Version: d.Row.Version}); !reflect.DeepEqual(got, want) {
		t.Errorf("alone: %+v, want %+v", got, want)
	}
	go h.Messages.Live(ctx)
	go second.Messages.Live(ctx)
	for _, w := range []*messages.Watch{here, there, year, other} {
		if got := apptest.Hears(t, w); !reflect.DeepEqual(got, messages.Heard{}) {
			t.Errorf("on beginning to listen: %+v", got)
		}
	}
	d = h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	want := messages.Heard{Student: "s0001", Version: d.Row.Version}
	for _, w := range []*messages.Watch{here, there, year} {
		if got := apptest.Hears(t, w); !reflect.DeepEqual(got, want) {
			t.Errorf("heard %+v, want %+v", got, want)
		}
	}
	// So are acts; and a connection that is lost is made again, which is said.
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	sent := h.Submit()
	for got := (messages.Heard{}); got.Version != sent.Row.Version; got = apptest.Hears(t, there) {
	}
	h.DB.Exec(t, `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND query LIKE 'LISTEN%'`)
	for got := (messages.Heard{Student: "?"}); !reflect.DeepEqual(got, messages.Heard{}); got = apptest.Hears(t, there) {
	}
	select {
	case got := <-other.C:
		if !reflect.DeepEqual(got, messages.Heard{}) {
			t.Errorf("who looks at another sheet hears %+v", got)
		}
	default:
	}
}

// Who is slow loses nothing without hearing that something was missed.
func TestWhoIsSlowIsTold(t *testing.T) {
	h := apptest.NewHouse(t)
	w, err := h.Messages.WatchSheet(t.Context(), h.Who("mara.quill"), apptest.Mara)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	for range 40 {
		h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
		h.Edit(appsheet.Edit{Act: "remove", Course: "AST1"})
	}
	last, missed := int64(0), false
	for len(w.C) > 0 {
		heard := <-w.C
		last, missed = max(last, heard.Version), missed || reflect.DeepEqual(heard, messages.Heard{})
	}
	if now := h.Look("mara.quill").Row.Version; !missed || last != now {
		t.Errorf("after 80 changes: missed %v, the last heard is version %d of %d", missed, last, now)
	}
}

func TestWhoMayHear(t *testing.T) {
	h := apptest.NewHouse(t)
	other := testdb.Value[string](t, h.DB, `SELECT username FROM person WHERE id = 's0003'`)
	if _, err := h.Messages.WatchSheet(t.Context(), h.Who(other), apptest.Mara); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("another student: %v", err)
	}
	if _, err := h.Messages.WatchYear(t.Context(), h.Who("mara.quill"), apptest.Mara.School, apptest.Mara.Year); problem.CodeOf(err) != "forbidden" {
		t.Errorf("a student, of the whole year: %v", err)
	}
}
