package messages

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	"rubricon/core/acts"
	"rubricon/store"
)

// Of what other systems are told.
const (
	TellSubmitted = "submitted" // a sheet, or chosen seats, with the receipt
	TellCleared   = "cleared"   // a sheet
	TellPlaced    = "placed"    // many: a placement was shown to families, or taken back
	tellTried     = "tried"     // nothing: whether messages arrive
)

// Hooks is how other systems are told of what happens.
type Hooks struct {
	Key   []byte                    // of which the secrets are made; none: no one is told
	Takes func(address string) bool // reports whether messages may be sent there
}

// maxHooks bounds how many systems of a school are told, and how many are listed.
const maxHooks = 20

// hookStart is how every secret begins, so that one that has got somewhere it should not be is found.
const hookStart = "rubricon_hook_"

// Hook is another system that is told of what happens, without its secret.
type Hook = store.HookRow

// TellsOthers reports whether this server can tell other systems.
func (s *Service) TellsOthers() bool { return len(s.hooks.Key) > 0 }

// Hooks lists the systems that a school tells of what happens, for its office, also those that it tells no longer.
func (s *Service) Hooks(ctx context.Context, by int64, school string, year int) ([]Hook, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Messages.Hooks(ctx, school, 2*maxHooks)
}

// MakeHook lets, as the office, another system be told of some kinds of what happens from now on, and gives
// the secret with which its messages are signed: it is said once. The errors are NoHookKey, BadHook and
// BadAddress.
func (s *Service) MakeHook(ctx context.Context, by int64, school string, year int, name, address string,
	kinds []string) (secret string, err error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return "", err
	}
	name, address = text.Tidy(name), text.Tidy(address)
	of := slices.DeleteFunc([]string{TellSubmitted, TellCleared, TellPlaced}, func(k string) bool { return !slices.Contains(kinds, k) })
	switch {
	case !s.TellsOthers():
		return "", problem.New(problem.NoHookKey)
	case name == "" || len([]rune(name)) > 100 || len(of) == 0 ||
		slices.ContainsFunc(kinds, func(k string) bool { return !slices.Contains(of, k) }):
		return "", problem.New(problem.BadHook)
	case !s.hooks.Takes(address):
		return "", problem.New(problem.BadAddress)
	}
	row := &Hook{School: school, Name: name, URL: address, Kinds: store.JSON[[]string]{V: of}, Salt: rand.Text(),
		By: a.Name().Name, MadeAt: s.base.Now()}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Serialize(ctx, "hooks", school); err != nil {
			return err
		}
		made, err := q.Messages.MakeHook(ctx, row, maxHooks)
		if err == nil && !made {
			err = problem.New(problem.BadHook)
		}
		return err
	})
	if err != nil {
		return "", err
	}
	s.base.Log.InfoContext(ctx, "another system is told of what happens", "school", school, "account", by, "kinds", of)
	return s.secretOf(school, row.Salt), nil
}

// secretOf is the secret of a hook: who has the database alone does not have it.
func (s *Service) secretOf(school, salt string) string {
	h := hmac.New(sha256.New, s.hooks.Key)
	fmt.Fprintf(h, "hook\n%s\n%s", school, salt)
	return hookStart + hex.EncodeToString(h.Sum(nil))
}

// EndHook lets a system be told nothing any more. The error is NotFound.
func (s *Service) EndHook(ctx context.Context, by int64, school string, year int, id int64) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return err
	}
	done, err := s.base.DB.Queries().Messages.EndHook(ctx, school, id, a.Name().Name, s.base.Now())
	return s.onHook(ctx, "another system is told no longer", by, school, id, done, err)
}

// TryHook puts a message that says nothing on its way. The error is NotFound.
func (s *Service) TryHook(ctx context.Context, by int64, school string, year int, id int64) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData); err != nil {
		return err
	}
	done, err := s.base.DB.Queries().Messages.TryHook(ctx, school, year, id, s.base.Now())
	return s.onHook(ctx, "another system is tried", by, school, id, done, err)
}

// SendAgain puts all that a system has not been told on its way again, also what was given up. The error is NotFound.
func (s *Service) SendAgain(ctx context.Context, by int64, school string, year int, id int64) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData); err != nil {
		return err
	}
	done, err := s.base.DB.Queries().Messages.SendAgain(ctx, school, id, s.base.Now())
	return s.onHook(ctx, "another system is told again", by, school, id, done, err)
}

// onHook reports what came of an act on a hook.
func (s *Service) onHook(ctx context.Context, what string, by int64, school string, id int64, done bool, err error) error {
	switch {
	case err != nil:
		return err
	case !done:
		return problem.New(problem.NotFound)
	}
	s.base.Log.InfoContext(ctx, what, "school", school, "account", by, "hook", id)
	return nil
}

// tell returns the messages to other systems about a change, for when it is saved.
func tell(d *appsheet.Desk, c *store.Change) (list []store.Notice) {
	if c.Kind == "submit" {
		list = append(list, store.Notice{Kind: TellSubmitted, Detail: map[string]any{"receipt": c.Submission.Receipt}})
	}
	if acts.State(c.State.State) == acts.Cleared && acts.State(d.Row.State) != acts.Cleared {
		list = append(list, store.Notice{Kind: TellCleared, Detail: map[string]any{}})
	}
	return list
}

// Message is a message to another system.
type Message struct {
	store.MessageRow
	Secret string // with which it is signed
	Key    string // names it
	Body   []byte // JSON
}

// messageLease is how long sending may take; what a process has longer is sent by another one.
const messageLease = 2 * time.Minute

// messageTries are the times after which a message is sent again; after the last it is given up.
var messageTries = []time.Duration{30 * time.Second, 2 * time.Minute, 10 * time.Minute, 30 * time.Minute,
	2 * time.Hour, 6 * time.Hour, 12 * time.Hour, 24 * time.Hour}

// longestRest bounds how long a system that does not take messages is left alone.
const longestRest = 30 * time.Minute

// TakeMessages takes messages to other systems that are due, for sending. More tells that there may be others still.
func (s *Service) TakeMessages(ctx context.Context, limit int) (out []Message, more bool, err error) {
	if !s.TellsOthers() {
		return nil, false, nil
	}
	now := s.base.Now()
	rows, err := s.base.DB.Queries().Messages.TakeMessages(ctx, limit, now.Add(messageLease), now)
	for _, row := range rows {
		m := Message{MessageRow: row, Secret: s.secretOf(row.School, row.Salt), Key: fmt.Sprintf("%s.%d", row.School, row.Hook)}
		said := map[string]any{"id": fmt.Sprintf("%s.%d", row.School, row.ID), "event": row.Kind,
			"at": row.MadeAt.UTC().Format(time.RFC3339), "school": row.School, "year": row.Year}
		if row.Student != nil {
			said["student"] = *row.Student
		}
		for k, v := range row.Detail.V {
			said[k] = v
		}
		if m.Body, err = json.Marshal(said); err != nil {
			return nil, false, err
		}
		out = append(out, m)
	}
	return out, len(rows) == limit, err
}

// MessageDone notes that a message has arrived.
func (s *Service) MessageDone(ctx context.Context, m *Message) error {
	return s.base.DB.Queries().Messages.MessageDone(ctx, &m.MessageRow, s.base.Now())
}

// MessageFailed notes that a message did not arrive, and why, in a word: it is sent again later, until it is
// given up. The system is left alone for a while.
func (s *Service) MessageFailed(ctx context.Context, m *Message, why string) error {
	now := s.base.Now()
	var again *time.Time
	rest := messageTries[min(m.Tries, len(messageTries))-1]
	if m.Tries <= len(messageTries) {
		at := now.Add(rest)
		again = &at
	}
	s.base.Log.WarnContext(ctx, "another system was not told", "school", m.School, "hook", m.Hook, "message", m.ID, "tries",
		m.Tries, "why", why, "given up", again == nil)
	return s.base.DB.Queries().Messages.MessageFailed(ctx, &m.MessageRow, why, again, now.Add(min(rest, longestRest)), now)
}

// LeaveMessage puts back a message that was taken and not sent.
func (s *Service) LeaveMessage(ctx context.Context, m *Message) error {
	return s.base.DB.Queries().Messages.LeaveMessage(ctx, &m.MessageRow, s.base.Now())
}
