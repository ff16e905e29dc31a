package sheet_test

import (
	"testing"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
)

// TestTheWholeHistoryIsInReach: what is beyond one page is on the next ones, each event once, down to the first.
func TestTheWholeHistoryIsInReach(t *testing.T) {
	h := apptest.NewHouse(t)
	who, start := h.Who("mara.quill"), h.Look("mara.quill").Row.Version
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	h.DB.Exec(t, `INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
		SELECT 'pellworth', 2027, 's0001', $1 + n, now(), 's0001', 'Mara Quill', 'remark', '', '', '{}' FROM generate_series(2, 250) n`, start)
	seen := map[int64]bool{}
	for skip := 0; ; {
		list, err := h.Sheet.History(t.Context(), who, apptest.Mara, skip)
		if err != nil || len(list) > 100 {
			t.Fatal(len(list), err)
		}
		if len(list) == 0 {
			break
		}
		for _, x := range list {
			if seen[x.Version] {
				t.Errorf("version %d is listed twice", x.Version)
			}
			seen[x.Version] = true
		}
		skip += len(list)
	}
	if len(seen) != 250 || !seen[start+1] {
		t.Errorf("%d of 250 events are in reach", len(seen))
	}
}

// TestEveryVersionCanBeLookedAt: also the one that is, and those since which something happened that changed no entry.
func TestEveryVersionCanBeLookedAt(t *testing.T) {
	h := apptest.NewHouse(t)
	who, first := h.Who("mara.quill"), h.Look("mara.quill")
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	one := h.Look("mara.quill")
	h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	last := h.Submit()
	for version, want := range map[int64]string{first.Row.Version: apptest.Alternates(first), one.Row.Version: apptest.Alternates(one), one.Row.Version + 1: apptest.Alternates(last), last.Row.Version: apptest.Alternates(last)} {
		if d, err := h.Sheet.Earlier(t.Context(), who, apptest.Mara, version); err != nil || apptest.Alternates(d) != want {
			t.Errorf("version %d: %v", version, err)
		}
	}
	if _, err := h.Sheet.Earlier(t.Context(), who, apptest.Mara, last.Row.Version+1); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a version to come: %v", err)
	}
}
