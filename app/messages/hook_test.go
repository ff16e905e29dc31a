package messages_test

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/app"
	appcaseload "rubricon/app/caseload"
	"rubricon/app/messages"
	"rubricon/app/problem"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A listened is a house whose server tells other systems.
type listened struct{ *apptest.House }

func newListened(t *testing.T) listened {
	t.Helper()
	h := listened{apptest.NewHouse(t)}
	h.App = h.telling("a key of the test's own")
	return h
}

// telling returns the use cases as a server runs them that tells other systems.
func (h listened) telling(key string) *app.App {
	takes := func(address string) bool { return strings.HasPrefix(address, "https://") }
	return app.New(h.DB.Open(h.T), app.Options{Now: h.Clock, Log: testdb.Quiet, Hashes: testdb.Hashes,
		Hooks: messages.Hooks{Key: []byte(key), Takes: takes}})
}

// hook lets a system be told, and gives the secret.
func (h listened) hook(name string, kinds ...string) string {
	h.T.Helper()
	secret, err := h.Messages.MakeHook(h.T.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, name,
		"https://"+name+".example/in", kinds)
	if err != nil {
		h.T.Fatal(err)
	}
	return secret
}

// taken are the messages that are due, as texts.
func (h listened) taken() (texts []string, list []messages.Message) {
	h.T.Helper()
	list, _, err := h.Messages.TakeMessages(h.T.Context(), 50)
	if err != nil {
		h.T.Fatal(err)
	}
	for _, m := range list {
		var said map[string]any
		if err := json.Unmarshal(m.Body, &said); err != nil {
			h.T.Fatal(err)
		}
		delete(said, "id")
		body, _ := json.Marshal(said)
		texts = append(texts, strings.TrimPrefix(m.URL, "https://")+" "+string(body))
	}
	return texts, list
}

// hooks lists the systems that are told.
func (h listened) hooks() []messages.Hook {
	h.T.Helper()
	list, err := h.Messages.Hooks(h.T.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	return list
}

// Each system is told of what it wants to be told of, when it is saved, and of nothing else: ids, no names.
func TestTellingOtherSystems(t *testing.T) {
	h := newListened(t)
	registry := h.hook("registry", messages.TellSubmitted, messages.TellCleared)
	h.hook("library", messages.TellCleared)
	h.hook("planner", messages.TellPlaced)
	if _, err := h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, h.Look("mara.quill").Row.Version, ""); err == nil {
		t.Fatal("what cannot be submitted was")
	}
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("told before anything has happened: %q", texts)
	}
	h.Finish()
	receipt := *h.Submit().Row.Receipt
	texts, list := h.taken()
	if want := []string{`registry.example/in {"at":"2027-03-02T10:42:00Z","event":"submitted","receipt":"` + receipt +
		`","school":"pellworth","student":"s0001","year":2027}`}; !slices.Equal(texts, want) {
		t.Errorf("after submitting: %q", texts)
	}
	if list[0].Secret != registry || !strings.HasPrefix(registry, "rubricon_hook_") || list[0].Key == "" {
		t.Errorf("signed with %q by %q, not the secret that was given", list[0].Secret, list[0].Key)
	}
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("taken twice: %q", texts)
	}
	h.Sign()
	h.Waive()
	h.Approve()
	texts, _ = h.taken()
	slices.Sort(texts)
	const cleared = ` {"at":"2027-03-02T10:42:00Z","event":"cleared","school":"pellworth","student":"s0001","year":2027}`
	if want := []string{"library.example/in" + cleared, "registry.example/in" + cleared}; !slices.Equal(texts, want) {
		t.Errorf("after clearing: %q", texts)
	}
	// Also by many at once.
	h.Must(h.Sheet.Reopen(t.Context(), h.Who("ms.arden"), apptest.Mara, 0, "A mistake."))
	h.Sign()
	if _, outcomes := h.Batch(appcaseload.Batch{Kind: appcaseload.BatchClear}, "s0001"); outcomes != "s0001" {
		t.Errorf("clearing many: %s", outcomes)
	}
	if texts, _ := h.taken(); len(texts) != 2 {
		t.Errorf("after clearing many: %q", texts)
	}
	// The secret comes of the server's key: who has the database alone has none.
	if _, err := h.telling("another key").Messages.MakeHook(t.Context(), h.Who("office"), apptest.Mara.School,
		apptest.Mara.Year, "x", "https://x.example", []string{messages.TellPlaced}); err != nil {
		t.Fatal(err)
	}
	if got := testdb.Value[int](t, h.DB, `SELECT count(*) FROM hook
		WHERE to_jsonb(hook)::text LIKE '%' || $1 || '%'`, strings.TrimPrefix(registry, "rubricon_hook_")); got != 0 {
		t.Error("a secret is in the database")
	}
}

// What does not arrive is sent again, later each time, and given up at last; the system is left alone in the
// meantime; the office sends again what it will.
func TestASystemThatTakesNothing(t *testing.T) {
	h := newListened(t)
	ctx, office := t.Context(), h.Who("office")
	h.hook("registry", messages.TellSubmitted)
	id := h.hooks()[0].ID
	try := func() {
		t.Helper()
		if err := h.Messages.TryHook(ctx, office, apptest.Mara.School, apptest.Mara.Year, id); err != nil {
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
		if err := h.Messages.MessageFailed(ctx, &list[0], "503"); err != nil {
			t.Fatal(err)
		}
		x := h.hooks()[0]
		if x.Fault != "503" {
			t.Errorf("the fault is %q", x.Fault)
		}
		if x.Failed == 1 {
			break
		}
		waits = append(waits, x.NextAt.Sub(h.Clock()))
		h.At(x.NextAt.Add(-time.Second))
		if texts, _ := h.taken(); texts != nil {
			t.Errorf("sent again too early, after %v", waits)
		}
		h.At(*x.NextAt)
	}
	if want := []time.Duration{30 * time.Second, 2 * time.Minute, 10 * time.Minute, 30 * time.Minute, 2 * time.Hour,
		6 * time.Hour, 12 * time.Hour, 24 * time.Hour}; !slices.Equal(waits, want) {
		t.Errorf("tried again after %v", waits)
	}
	// Another message waits while the system is left alone; the office need not.
	h.Finish()
	h.Submit()
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("not left alone: %q", texts)
	}
	if err := h.Messages.SendAgain(ctx, office, apptest.Mara.School, apptest.Mara.Year, id); err != nil {
		t.Fatal(err)
	}
	texts, list := h.taken()
	if len(texts) != 2 {
		t.Fatalf("sent again: %q", texts)
	}
	for i := range list {
		if err := h.Messages.MessageDone(ctx, &list[i]); err != nil {
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
	h.At(h.Clock().Add(3 * time.Minute))
	texts, list = h.taken()
	if len(texts) != 1 {
		t.Error("what was left lying is not taken up")
	}
	if err := h.Messages.LeaveMessage(ctx, &list[0]); err != nil {
		t.Fatal(err)
	}
	if texts, _ := h.taken(); len(texts) != 1 {
		t.Error("what was left is not taken up")
	}
	// Who is told no longer is not told what waits either, and can be told nothing.
	if err := h.Messages.EndHook(ctx, office, apptest.Mara.School, apptest.Mara.Year, id); err != nil {
		t.Fatal(err)
	}
	// Nor what is written in the moment in which it is ended.
	h.DB.Exec(t, `INSERT INTO hook_message (school_id, hook_id, year, kind, made_at, next_at)
		VALUES ($1, $2, $3, 'cleared', $4, $4)`, apptest.Mara.School, id, apptest.Mara.Year, h.Clock())
	h.At(h.Clock().Add(24 * time.Hour))
	if texts, _ := h.taken(); texts != nil {
		t.Errorf("told after it was ended: %q", texts)
	}
	for name, act := range map[string]func(context.Context, int64, string, int, int64) error{"end": h.Messages.EndHook,
		"try": h.Messages.TryHook, "again": h.Messages.SendAgain} {
		if err := act(ctx, office, apptest.Mara.School, apptest.Mara.Year, id); problem.CodeOf(err) != problem.NotFound {
			t.Errorf("%s after it was ended: %v", name, err)
		}
	}
	// A month later nothing is kept of what was said.
	h.At(h.Clock().AddDate(0, 0, 31))
	if err := h.Account.Tidy(ctx); err != nil {
		t.Fatal(err)
	}
	if got := testdb.Value[int](t, h.DB, `SELECT count(*) FROM hook_message`); got != 0 {
		t.Errorf("%d messages are kept", got)
	}
}

func TestMakingAHook(t *testing.T) {
	h := newListened(t)
	making := func(s *app.App, name, address string, kinds ...string) problem.Code {
		_, err := s.Messages.MakeHook(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, name, address, kinds)
		return problem.CodeOf(err)
	}
	const good = "https://registry.example/in"
	for name, x := range map[string]struct{ got, want problem.Code }{
		"no key":          {making(h.Second(), "Registry", good, messages.TellPlaced), problem.NoHookKey},
		"no name":         {making(h.App, " ", good, messages.TellPlaced), problem.BadHook},
		"a long name":     {making(h.App, strings.Repeat("x", 101), good, messages.TellPlaced), problem.BadHook},
		"of nothing":      {making(h.App, "Registry", good), problem.BadHook},
		"of another kind": {making(h.App, "Registry", good, "tried"), problem.BadHook},
		"not an address":  {making(h.App, "Registry", "registry", messages.TellPlaced), problem.BadAddress},
	} {
		if x.got != x.want {
			t.Errorf("%s: %q, want %q", name, x.got, x.want)
		}
	}
	for range 20 {
		h.hook("registry", messages.TellPlaced, messages.TellPlaced)
	}
	if got := making(h.App, "Registry", good, messages.TellPlaced); got != problem.BadHook {
		t.Errorf("one too many: %q", got)
	}
	if kinds := h.hooks()[0].Kinds.V; !slices.Equal(kinds, []string{messages.TellPlaced}) {
		t.Errorf("of the same twice: %q", kinds)
	}
	if texts, _, err := h.Second().Messages.TakeMessages(t.Context(), 50); err != nil || texts != nil {
		t.Errorf("without a key: %v, %v", texts, err)
	}
}
