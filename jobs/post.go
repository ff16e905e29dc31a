package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/mail"
	"strings"
	"time"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/core/policy"
	"rubricon/locales"
	"rubricon/post"
)

// Post is how mails are sent; the zero value sends none.
type Post struct {
	Sender post.Sender // nil: mails wait
	Base   string      // the address of the application, as its readers open it
	Domain string      // in the ids of mails
}

// PostEvery is how often mails that wait are looked for.
const PostEvery = 10 * time.Second

// batchOfLetters is how many mails are taken at once.
const batchOfLetters = 20

type sendPost struct{}

func (sendPost) Kind() string { return "send-post" }

// Deliver sends all mails that are due, one after the other, and notes what became of each.
func (p Post) Deliver(ctx context.Context, cases *app.App, log *slog.Logger) error {
	if err := cases.Messages.LookAfterPost(ctx); err != nil || p.Sender == nil {
		return err
	}
	for {
		letters, more, err := cases.Messages.TakeLetters(ctx, batchOfLetters)
		for i := range letters {
			if ctx.Err() != nil { // the process ends: those that are left are taken again
				return ctx.Err()
			}
			if sent := p.deliver(ctx, cases, &letters[i], log); sent != nil {
				err = errors.Join(err, sent)
			}
		}
		if err != nil || !more {
			return err
		}
	}
}

// deliver sends one mail. The error is one of noting what became of it.
func (p Post) deliver(ctx context.Context, cases *app.App, l *messages.Letter, log *slog.Logger) error {
	message := post.Write(p.letter(l))
	if mine, err := cases.Messages.SendingLetter(ctx, l); err != nil || !mine {
		return err
	}
	err := p.Sender.Send(ctx, message)
	noted, stop := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second) // also where the process ends
	defer stop()
	if err == nil {
		return cases.Messages.LetterDone(noted, l)
	}
	var fault *post.Fault
	final, unsure := false, ctx.Err() != nil
	if errors.As(err, &fault) {
		final, unsure = fault.Final, fault.Unsure
	}
	state, noteErr := cases.Messages.LetterFailed(noted, l, strings.ReplaceAll(err.Error(), l.Address, "…"), final, unsure)
	log.WarnContext(ctx, "a mail was not sent", "mail", l.ID, "school", l.LetterRow.School, "state", state, "tries", l.Tries)
	return noteErr
}

// letter is a mail as it is written: titles and times in the reader's language and the school's zone.
func (p Post) letter(l *messages.Letter) *post.Letter {
	settings := &l.School.Policy.Settings
	language := l.Language
	if language == "" {
		language = settings.Language
	}
	d := l.Detail.V
	out := &post.Letter{ID: fmt.Sprintf("%s.%d@%s", l.LetterRow.School, l.ID, p.Domain), Kind: l.Kind, Language: language,
		Given: l.GivenName, Own: l.Student != nil && *l.Student == l.Person,
		To: mail.Address{Name: l.GivenName + " " + l.FamilyName, Address: l.Address}, School: l.SchoolName, Year: policy.YearLabel(l.Year),
		Who: d["who"], Message: d["message"], Answer: d["answer"], Receipt: d["receipt"], Code: d["code"],
		Username: l.Username, Link: p.Base + "/"}
	if l.Student == nil { // about the person
		out.Own = true
	} else if l.StudentName != nil {
		out.Student, out.StudentGiven = *l.StudentName, *l.StudentGiven
	}
	if code := d["course"]; code != "" {
		if out.What = code; l.School != nil {
			if course, ok := l.School.Index(code); ok {
				out.What = l.School.Courses[course].TextIn(locales.Match(language).Tag.String()).Title
			}
		}
	}
	if about := d["about"]; about != "" {
		out.What = locales.Match(language).Text("reminder."+about, nil)
	}
	if until, err := time.Parse(time.RFC3339, d["until"]); err == nil {
		until = until.In(l.School.Zone())
		out.Until = &until
	}
	if l.Closes != nil {
		closes := l.Closes.In(l.School.Zone())
		out.Closes = &closes
	}
	if l.Stop != "" {
		out.Stop = p.Base + "/api/mail/stop/" + l.Stop
	}
	return out
}
