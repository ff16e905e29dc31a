package school_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/school"
	"rubricon/store/storetest"
)

// newTelling is a house whose server can tell other systems.
func newTelling(t *testing.T) *house {
	t.Helper()
	h := newHouse(t)
	h.Service = h.telling("a key of the test's own")
	return h
}

// Each system is told of what it wants to be told of, when it is saved, and of nothing else: ids, no names.
func TestTellingOtherSystems(t *testing.T) {
	h := newTelling(t)
	registry := h.hook("registry", school.TellSubmitted, school.TellCleared)
	h.hook("library", school.TellCleared)
	h.hook("planner", school.TellPlaced)
	if _, err := h.Submit(t.Context(), h.who("mara.quill"), mara, h.look("mara.quill").Row.Version, ""); err == nil {
		t.Fatal("what cannot be submitted was")
	}
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("told before anything has happened: %q", texts)
	}
	h.finish()
	receipt := *h.submit().Row.Receipt
	texts, list := h.taken()
	if want := []string{`registry.example/in {"at":"2027-03-02T10:42:00Z","event":"submitted","receipt":"` + receipt + `","school":"pellworth","student":"s0001","year":2027}`}; !slices.Equal(texts, want) {
		t.Errorf("after submitting: %q", texts)
	}
	if list[0].Secret != registry || !strings.HasPrefix(registry, "rubricon_hook_") || list[0].Key == "" {
		t.Errorf("signed with %q by %q, not the secret that was given", list[0].Secret, list[0].Key)
	}
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("taken twice: %q", texts)
	}
	h.sign()
	h.waive()
	h.clear()
	texts, _ = h.taken()
	slices.Sort(texts)
	const cleared = ` {"at":"2027-03-02T10:42:00Z","event":"cleared","school":"pellworth","student":"s0001","year":2027}`
	if want := []string{"library.example/in" + cleared, "registry.example/in" + cleared}; !slices.Equal(texts, want) {
		t.Errorf("after clearing: %q", texts)
	}
	// Also by many at once.
	h.must(h.Reopen(t.Context(), h.who("ms.arden"), mara, 0, "A mistake."))
	h.sign()
	if _, outcomes := h.batch(school.Batch{Kind: school.BatchClear}, "s0001"); outcomes != "s0001" {
		t.Errorf("clearing many: %s", outcomes)
	}
	if texts, _ := h.taken(); len(texts) != 2 {
		t.Errorf("after clearing many: %q", texts)
	}
	// The secret comes of the server's key: who has the database alone has none.
	if _, err := h.telling("another key").MakeHook(t.Context(), h.who("office"), mara.School, mara.Year, "x", "https://x.example", []string{school.TellPlaced}); err != nil {
		t.Fatal(err)
	}
	if got := storetest.Value[int](t, h.db, `SELECT count(*) FROM hook WHERE to_jsonb(hook)::text LIKE '%' || $1 || '%'`, strings.TrimPrefix(registry, "rubricon_hook_")); got != 0 {
		t.Error("a secret is in the database")
	}
}

// What does not arrive is sent again, later each time, and given up at last; the system is left alone meanwhile; the office sends again what it will.
func TestASystemThatTakesNothing(t *testing.T) {
	h := newTelling(t)
	ctx, office := t.Context(), h.who("office")
	h.hook("registry", school.TellSubmitted)
	id := h.hooks()[0].ID
	try := func() {
		t.Helper()
		if err := h.TryHook(ctx, office, mara.School, mara.Year, id); err != nil {
			t.Fatal(err)
		}
	}
	try()
	var waits []time.Duration
	for {
		texts, list := h.taken()
		if len(texts) != 1 || !strings.Contains(texts[0], `"event":"tried"`) {
			t.Fatalf("after %v: %q", waits, texts)
		}
		if err := h.MessageFailed(ctx, &list[0], "503"); err != nil {
			t.Fatal(err)
		}
		x := h.hooks()[0]
		if x.Fault != "503" {
			t.Errorf("the fault is %q", x.Fault)
		}
		if x.Failed == 1 {
			break
		}
		waits = append(waits, x.NextAt.Sub(h.clock()))
		h.at(x.NextAt.Add(-time.Second))
		if texts, _ := h.taken(); texts != nil {
			t.Errorf("sent again too early, after %v", waits)
		}
		h.at(*x.NextAt)
	}
	if want := []time.Duration{30 * time.Second, 2 * time.Minute, 10 * time.Minute, 30 * time.Minute, 2 * time.Hour, 6 * time.Hour, 12 * time.Hour, 24 * time.Hour}; !slices.Equal(waits, want) {
		t.Errorf("tried again after %v", waits)
	}
	// Another message waits while the system is left alone; the office need not.
	h.finish()
	h.submit()
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("not left alone: %q", texts)
	}
	if err := h.SendAgain(ctx, office, mara.School, mara.Year, id); err != nil {
		t.Fatal(err)
	}
	texts, list := h.taken()
	if len(texts) != 2 {
		t.Fatalf("sent again: %q", texts)
	}
	for i := range list {
		if err := h.MessageDone(ctx, &list[i]); err != nil {
			t.Fatal(err)
		}
	}
	if x := h.hooks()[0]; x.Arrived != 2 || x.Waiting+x.Failed != 0 || x.Fault != "" || x.LastAt == nil {
		t.Errorf("after it has arrived: %+v", x)
	}
	// What a process took that is gone is taken by another one; what it has left, at once.
	try()
	if texts, _ := h.taken(); len(texts) != 1 {
		t.Fatal("nothing to take")
	}
	h.at(h.clock().Add(3 * time.Minute))
	texts, list = h.taken()
	if len(texts) != 1 {
		t.Error("what was left lying is not taken up")
	}
	if err := h.LeaveMessage(ctx, &list[0]); err != nil {
		t.Fatal(err)
	}
	if texts, _ := h.taken(); len(texts) != 1 {
		t.Error("what was left is not taken up")
	}
	// Who is told no longer is not told what waits either, and can be told nothing.
	if err := h.EndHook(ctx, office, mara.School, mara.Year, id); err != nil {
		t.Fatal(err)
	}
	// Nor what is written in the moment in which it is ended.
	h.db.Exec(t, `INSERT INTO hook_message (school_id, hook_id, year, kind, made_at, next_at) VALUES ($1, $2, $3, 'cleared', $4, $4)`, mara.School, id, mara.Year, h.clock())
	h.at(h.clock().Add(24 * time.Hour))
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("told after it was ended: %q", texts)
	}
	for name, act := range map[string]func(context.Context, int64, string, int, int64) error{"end": h.EndHook, "try": h.TryHook, "again": h.SendAgain} {
		if err := act(ctx, office, mara.School, mara.Year, id); school.CodeOf(err) != school.NotFound {
			t.Errorf("%s after it was ended: %v", name, err)
		}
	}
	// A month later nothing is kept of what was said.
	h.at(h.clock().AddDate(0, 0, 31))
	if err := h.Tidy(ctx); err != nil {
		t.Fatal(err)
	}
	if got := storetest.Value[int](t, h.db, `SELECT count(*) FROM hook_message`); got != 0 {
		t.Errorf("%d messages are kept", got)
	}
}

func TestMakingAHook(t *testing.T) {
	h := newTelling(t)
	making := func(s *school.Service, name, address string, kinds ...string) school.Code {
		_, err := s.MakeHook(t.Context(), h.who("office"), mara.School, mara.Year, name, address, kinds)
		return school.CodeOf(err)
	}
	const good = "https://registry.example/in"
	for name, x := range map[string]struct{ got, want school.Code }{
		"no key":          {making(h.second(), "Registry", good, school.TellPlaced), school.NoHookKey},
		"no name":         {making(h.Service, " ", good, school.TellPlaced), school.BadHook},
		"a long name":     {making(h.Service, strings.Repeat("x", 101), good, school.TellPlaced), school.BadHook},
		"of nothing":      {making(h.Service, "Registry", good), school.BadHook},
		"of another kind": {making(h.Service, "Registry", good, "tried"), school.BadHook},
		"not an address":  {making(h.Service, "Registry", "registry", school.TellPlaced), school.BadAddress},
	} {
		if x.got != x.want {
			t.Errorf("%s: %q, want %q", name, x.got, x.want)
		}
	}
	for range 20 {
		h.hook("registry", school.TellPlaced, school.TellPlaced)
	}
	if got := making(h.Service, "Registry", good, school.TellPlaced); got != school.BadHook {
		t.Errorf("one too many: %q", got)
	}
	if kinds := h.hooks()[0].Kinds.V; !slices.Equal(kinds, []string{school.TellPlaced}) {
		t.Errorf("of the same twice: %q", kinds)
	}
	if texts, _, err := h.second().TakeMessages(t.Context(), 50); err != nil || texts != nil {
		t.Errorf("without a key: %v, %v", texts, err)
	}
}
