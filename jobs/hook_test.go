package jobs_test

import (
	"context"
	"encoding/json"
	"net/http/httptest"
	"net/netip"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/demo"
	"rubricon/hook"
	"rubricon/hook/sink"
	"rubricon/internal/testdb"
	"rubricon/jobs"
)

// A system is told by the job queue, with a signature that holds; where it is away it is told once it is back.
func TestOtherSystemsAreTold(t *testing.T) {
	testdb.Parallel(t)
	db := testdb.New(t)
	open := db.Open(t)
	other := sink.New()
	at := httptest.NewServer(other)
	t.Cleanup(at.Close)
	sender := hook.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	// The clock goes as it does: what has failed is due half a minute later, and at once where the office says so.
	cases := app.New(open, app.Options{Log: testdb.Quiet, Hashes: testdb.Hashes, Hooks: messages.Hooks{Key: []byte("a key of the test's own"), Takes: sender.Takes}})
	queue, err := jobs.Start(t.Context(), open, cases, jobs.Post{}, sender, testdb.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Stop(context.WithoutCancel(t.Context())) })
	by := db.Account(t, office)
	secret, err := cases.Messages.MakeHook(t.Context(), by, demo.SchoolID, testdb.Year, "Registry", at.URL+sink.In, []string{messages.TellSubmitted})
	if err != nil {
		t.Fatal(err)
	}
	other.Know(secret)
	other.Away(true)
	hooked := func() messages.Hook {
		list, err := cases.Messages.Hooks(t.Context(), by, demo.SchoolID, testdb.Year)
		if err != nil || len(list) != 1 {
			t.Fatalf("%+v %v", list, err)
		}
		return list[0]
	}
	until := func(what string, good func(h messages.Hook) bool) {
		t.Helper()
		for began := time.Now(); !good(hooked()); {
			if time.Since(began) > time.Minute {
				t.Fatalf("never %s: %+v", what, hooked())
			}
		}
	}
	id := hooked().ID
	if err := cases.Messages.TryHook(t.Context(), by, demo.SchoolID, testdb.Year, id); err != nil {
		t.Fatal(err)
	}
	until("refused", func(h messages.Hook) bool { return h.Waiting == 1 && h.Fault == "503" })
	other.Away(false)
	if err := cases.Messages.SendAgain(t.Context(), by, demo.SchoolID, testdb.Year, id); err != nil {
		t.Fatal(err)
	}
	until("told", func(h messages.Hook) bool { return h.Arrived == 1 && h.Waiting == 0 })
	list := other.Messages()
	if len(list) != 1 || list[0].Sign != "" {
		t.Fatalf("what has come: %+v", list)
	}
	var said map[string]any
	if err := json.Unmarshal([]byte(list[0].Body), &said); err != nil || said["event"] != "tried" || said["school"] != demo.SchoolID {
		t.Errorf("%v %v", said, err)
	}
	other.Know("another secret")
	if err := cases.Messages.TryHook(t.Context(), by, demo.SchoolID, testdb.Year, id); err != nil {
		t.Fatal(err)
	}
	until("told", func(h messages.Hook) bool { return h.Arrived == 2 })
	if list := other.Messages(); len(list) != 2 || list[1].Sign != hook.ErrWrong.Error() {
		t.Errorf("by another secret: %+v", list)
	}
}
