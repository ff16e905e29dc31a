package school_test

import (
	"context"
	"reflect"
	"testing"

	"rubricon/school"
	"rubricon/store/storetest"
)

// What is changed in one server process is heard in another by those who look at it, and by nobody else.
func TestChangesAreHeardAcrossProcesses(t *testing.T) {
	h := newHouse(t)
	second := h.second()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	watch := func(s *school.Service, username string) *school.Watch {
		w, err := s.WatchSheet(t.Context(), h.who(username), mara)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(w.Close)
		return w
	}
	here, there := watch(h.Service, "mara.quill"), watch(second, "ilse.quill")
	year, err := second.WatchYear(t.Context(), h.who("ms.arden"), mara.School, mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	defer year.Close()
	other, err := second.WatchSheet(t.Context(), h.who("office"), school.Place{School: mara.School, Year: mara.Year, Student: "s0003"})
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	// Alone, a process hears itself.
	d := h.edit(school.Edit{Act: "alternate", Course: "AST1"})
	if got, want := hears(t, here), (school.Heard{Student: "s0001", Version: d.Row.Version}); !reflect.DeepEqual(got, want) {
		t.Errorf("alone: %+v, want %+v", got, want)
	}
	go h.Live(ctx)
	go second.Live(ctx)
	for _, w := range []*school.Watch{here, there, year, other} {
		if got := hears(t, w); !reflect.DeepEqual(got, school.Heard{}) {
			t.Errorf("on beginning to listen: %+v", got)
		}
	}
	d = h.edit(school.Edit{Act: "alternate", Course: "PHO1"})
	want := school.Heard{Student: "s0001", Version: d.Row.Version}
	for _, w := range []*school.Watch{here, there, year} {
		if got := hears(t, w); !reflect.DeepEqual(got, want) {
			t.Errorf("heard %+v, want %+v", got, want)
		}
	}
	// So are acts; and a connection that is lost is made anew, which is said.
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	sent := h.submit()
	for got := (school.Heard{}); got.Version != sent.Row.Version; got = hears(t, there) {
	}
	h.db.Exec(t, `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND query LIKE 'LISTEN%'`)
	for got := (school.Heard{Student: "?"}); !reflect.DeepEqual(got, school.Heard{}); got = hears(t, there) {
	}
	select {
	case got := <-other.C:
		if !reflect.DeepEqual(got, school.Heard{}) {
			t.Errorf("who looks at another sheet hears %+v", got)
		}
	default:
	}
}

// Who is slow loses nothing without hearing that something was missed.
func TestWhoIsSlowIsTold(t *testing.T) {
	h := newHouse(t)
	w, err := h.WatchSheet(t.Context(), h.who("mara.quill"), mara)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	for range 40 {
		h.edit(school.Edit{Act: "alternate", Course: "AST1"})
		h.edit(school.Edit{Act: "remove", Course: "AST1"})
	}
	last, missed := int64(0), false
	for len(w.C) > 0 {
		heard := <-w.C
		last, missed = max(last, heard.Version), missed || reflect.DeepEqual(heard, school.Heard{})
	}
	if now := h.look("mara.quill").Row.Version; !missed || last != now {
		t.Errorf("after 80 changes: missed %v, the last heard is version %d of %d", missed, last, now)
	}
}

func TestWhoMayHear(t *testing.T) {
	h := newHouse(t)
	other := storetest.Value[string](t, h.db, `SELECT username FROM person WHERE id = 's0003'`)
	if _, err := h.WatchSheet(t.Context(), h.who(other), mara); school.CodeOf(err) != school.NotFound {
		t.Errorf("another student: %v", err)
	}
	if _, err := h.WatchYear(t.Context(), h.who("mara.quill"), mara.School, mara.Year); school.CodeOf(err) != "forbidden" {
		t.Errorf("a student, of the whole year: %v", err)
	}
}
