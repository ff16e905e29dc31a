package apptest

import (
	"testing"
	"time"

	"rubricon/app/messages"
	"rubricon/internal/testdb"
)

// Hears waits for what a watch hears next.
func Hears(t *testing.T, w *messages.Watch) messages.Heard {
	t.Helper()
	select {
	case heard := <-w.C:
		return heard
	case <-time.After(30 * time.Second):
		t.Fatal("nothing is heard")
		return messages.Heard{}
	}
}

// Letters are the mails that are on their way, by kind: to whom, and with what; they are taken away.
func (h *House) Letters() string {
	h.T.Helper()
	text := testdb.Value[string](h.T, h.DB,
		`SELECT coalesce(string_agg(kind || ' ' || person_id || ' ' || (detail - 'receipt')::text, '; '
			ORDER BY kind, person_id), '') FROM letter`)
	h.DB.Exec(h.T, `DELETE FROM letter`)
	return text
}
