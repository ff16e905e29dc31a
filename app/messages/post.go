package messages

import (
	"context"
	"crypto/rand"
	"fmt"
	"time"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/store"
)

// Letter is a mail on its way, with the school year that it is about.
type Letter struct {
	store.LetterRow
	School *schoolyear.SchoolYear
	Stop   string // the token by which its reader wants no more such mails; empty: it cannot be declined
	Wanted bool   // the reader has not declined such mails
}

// Announce adds to a change the mails and the messages to other systems that come of it; they are sent once
// it is saved.
func (s *Service) Announce(d *appsheet.Desk, c *store.Change) {
	if !s.noPost {
		c.Letters = letters(d, c)
	}
	c.Told = tell(d, c)
}

// letters are the mails that come of a change: they are on their way once it is saved.
func letters(d *appsheet.Desk, c *store.Change) (list []store.LetterFor) {
	detail := map[string]any{"who": d.Actor.Name().Name}
	write := func(kind string, who ...string) {
		for _, w := range who {
			list = append(list, store.LetterFor{Kind: kind, Who: w, Detail: detail})
		}
	}
	told, _ := c.Detail.(map[string]any)
	switch c.Kind {
	case "submit":
		detail["receipt"] = c.Submission.Receipt
		write("submitted", "student")
		if acts.State(c.State.State) == acts.Submitted && d.Year.Policy.Settings.Signing != policy.NoneSigns {
			write("sign", "guardians")
		} else {
			write("submitted", "guardians")
		}
	case "ask", "decline":
		detail["message"] = told["message"]
		write("asked", "counselors")
	case appsheet.SentBackKind:
		detail["message"] = told["message"]
		write("sentBack", "student", "guardians")
	case "decide":
		detail["message"], detail["course"], detail["answer"] = c.Reason, told["course"], told["answer"]
		write("decided", "student", "guardians")
	}
	if acts.State(c.State.State) == acts.Cleared && acts.State(d.Row.State) != acts.Cleared {
		write("cleared", "student", "guardians")
	}
	return list
}

// What becomes of a mail.
const (
	LetterSent      = "sent"
	LetterFailed    = "failed"
	LetterUnsure    = "unsure" // whether it went out no one knows, so it is not tried again
	letterWaiting   = "waiting"
	letterNoAddress = "noAddress"
	letterDeclined  = "declined"
)

// letterTries are the times after which a mail is tried again; after the last it has failed.
var letterTries = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 8 * time.Hour, 24 * time.Hour}

// letterLease is how long sending a mail may take; a process that has it longer is gone.
const letterLease = 15 * time.Minute

// letterHeld is for how long a mail that was taken waits to be sent before another process may take it.
const letterHeld = 5 * time.Minute

// TakeLetters takes mails that are due, for sending: no one else takes them for letterHeld. Those without an
// address, or that their reader does not want, are done. One that cannot be prepared is put off, and holds up
// no other. More tells that there may be others still.
func (s *Service) TakeLetters(ctx context.Context, limit int) (out []Letter, more bool, err error) {
	now := s.base.Now()
	rows, err := s.base.DB.Queries().Messages.TakeLetters(ctx, now, now.Add(-letterHeld), limit)
	if err != nil {
		return nil, false, err
	}
	for i := range rows {
		l, ready, err := s.prepareLetter(ctx, &rows[i])
		switch {
		case ready:
			out = append(out, *l)
		case err != nil && problem.Unavailable(err): // they are taken again later
			return out, false, err
		case err != nil:
			s.base.Log.ErrorContext(ctx, "preparing a mail", "school", rows[i].School, "mail", rows[i].ID, "error", err)
			if err := s.letterDone(ctx, l, letterWaiting, "", letterPutOff); err != nil {
				return out, false, err
			}
		}
	}
	return out, len(rows) == limit, nil
}

// letterPutOff is after how long a mail is looked at again that could not be prepared.
const letterPutOff = 15 * time.Minute

// prepareLetter reads what a mail is written from, and reports whether it is to be sent; one that is not is done.
func (s *Service) prepareLetter(ctx context.Context, row *store.LetterRow) (l *Letter, ready bool, err error) {
	l = &Letter{LetterRow: *row, Wanted: true}
	if (l.Kind == "reminder" || l.Kind == "opens") && l.Account != nil {
		if l.Wanted, l.Stop, err = s.base.DB.Queries().Messages.PostOf(ctx, *l.Account, rand.Text()); err != nil {
			return l, false, err
		}
	}
	switch {
	case l.Address == "":
		return l, false, s.letterDone(ctx, l, letterNoAddress, "", 0)
	case !l.Wanted:
		return l, false, s.letterDone(ctx, l, letterDeclined, "", 0)
	}
	l.School, err = s.base.Years.Year(ctx, l.LetterRow.School, l.Year, l.Catalog, l.Policy)
	return l, err == nil, err
}

// SendingLetter notes that a mail is being sent from now on, and reports whether it may be: another process
// may have taken it since.
func (s *Service) SendingLetter(ctx context.Context, l *Letter) (bool, error) {
	mine, err := s.base.DB.Queries().Messages.SendingLetter(ctx, l.LetterRow.School, l.ID, l.TakenAt, s.base.Now())
	l.Tries++
	return mine, err
}

// LetterDone notes that a mail was sent.
func (s *Service) LetterDone(ctx context.Context, l *Letter) error {
	return s.letterDone(ctx, l, LetterSent, "", 0)
}

// LetterFailed notes that a mail was not sent, and why: for good, or perhaps not at all, or it is tried again
// later. It tells what becomes of it.
func (s *Service) LetterFailed(ctx context.Context, l *Letter, why string, final, unsure bool) (state string, err error) {
	switch {
	case unsure:
		state = LetterUnsure
	case final || l.Tries > len(letterTries):
		state = LetterFailed
	default:
		return letterWaiting, s.letterDone(ctx, l, letterWaiting, why, letterTries[l.Tries-1])
	}
	return state, s.letterDone(ctx, l, state, why, 0)
}

func (s *Service) letterDone(ctx context.Context, l *Letter, state, why string, again time.Duration) error {
	now := s.base.Now()
	err := s.base.DB.Queries().Messages.LetterDone(ctx, l.LetterRow.School, l.ID, state, l.Address, why, now.Add(again), now)
	if err == nil {
		s.base.Log.InfoContext(ctx, "a mail", "kind", l.Kind, "school", l.LetterRow.School, "mail", l.ID, "state", state, "tries", l.Tries)
	}
	return err
}

// LookAfterPost writes to those whose window has opened, and gives up on mails whose sender is gone.
func (s *Service) LookAfterPost(ctx context.Context) error {
	now := s.base.Now()
	left, err := s.base.DB.Queries().Messages.LettersLeft(ctx, now.Add(-letterLease), now)
	if err != nil {
		return err
	}
	var opened int64
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		opened, err = q.Messages.TellOpened(ctx, now)
		return err
	})
	if err == nil && left+opened > 0 {
		s.base.Log.InfoContext(ctx, "the post", "left", left, "opened", opened)
	}
	return err
}

// maxLetters is how many mails about a student are listed.
const maxLetters = 200

// Letters lists the mails about a student, the latest first, for anyone who decides on the sheet.
func (s *Service) Letters(ctx context.Context, by int64, at schoolyear.Place, skip int) ([]store.LetterShow, error) {
	if _, err := s.ports.Sheet.OpenFor(ctx, by, at, acts.Reply); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Messages.Letters(ctx, at, skip, maxLetters)
}

// WantsReminders reports whether an account gets reminders by mail.
func (s *Service) WantsReminders(ctx context.Context, by int64) (bool, error) {
	wants, _, err := s.base.DB.Queries().Messages.PostOf(ctx, by, rand.Text())
	return wants, err
}

// SetReminders sets that.
func (s *Service) SetReminders(ctx context.Context, by int64, wants bool) error {
	return s.base.DB.Queries().Messages.SetReminders(ctx, by, rand.Text(), wants)
}

// NoReminders takes anyone who has the token of a mail off the reminders. The error is NotFound where no one has it.
func (s *Service) NoReminders(ctx context.Context, token string) error {
	done, err := s.base.DB.Queries().Messages.NoReminders(ctx, token)
	if err == nil && !done {
		err = problem.New(problem.NotFound)
	}
	return err
}

// Notice writes to the owner of an account about it, once, whatever schools they belong to.
func (s *Service) Notice(ctx context.Context, account int64, kind string) error {
	q := s.base.DB.Queries()
	list, err := q.People.PersonsOf(ctx, account)
	if err != nil || len(list) == 0 || s.noPost {
		return err
	}
	year, err := q.Year.Newest(ctx, list[0].School)
	if err != nil || year == 0 {
		return err
	}
	return q.Messages.WriteLetter(ctx, schoolyear.Place{School: list[0].School, Year: year}, list[0].ID, kind,
		fmt.Sprintf("%s/%d", kind, s.base.Now().UnixNano()), map[string]string{}, s.base.Now())
}
