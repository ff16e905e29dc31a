package school_test

import (
	"testing"

	"rubricon/school"
)

// TestTheWholeHistoryIsInReach: what is beyond one page is on the next ones, each event once, down to the first.
func TestTheWholeHistoryIsInReach(t *testing.T) {
	h := newHouse(t)
	who, start := h.who("mara.quill"), h.look("mara.quill").Row.Version
	h.edit(school.Edit{Act: "alternate", Course: "AST1"})
	h.db.Exec(t, `INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
		SELECT 'pellworth', 2027, 's0001', $1 + n, now(), 's0001', 'Mara Quill', 'remark', '', '', '{}' FROM generate_series(2, 250) n`, start)
	seen := map[int64]bool{}
	for skip := 0; ; {
		list, err := h.History(t.Context(), who, mara, skip)
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
	h := newHouse(t)
	who, first := h.who("mara.quill"), h.look("mara.quill")
	h.edit(school.Edit{Act: "alternate", Course: "AST1"})
	one := h.look("mara.quill")
	h.edit(school.Edit{Act: "alternate", Course: "PHO1"})
	h.edit(school.Edit{Act: "request", Course: "TID1"})
	last := h.submit()
	for version, want := range map[int64]string{first.Row.Version: alternates(first), one.Row.Version: alternates(one), one.Row.Version + 1: alternates(last), last.Row.Version: alternates(last)} {
		if d, err := h.Earlier(t.Context(), who, mara, version); err != nil || alternates(d) != want {
			t.Errorf("version %d: %v", version, err)
		}
	}
	if _, err := h.Earlier(t.Context(), who, mara, last.Row.Version+1); school.CodeOf(err) != school.NotFound {
		t.Errorf("a version to come: %v", err)
	}
}
