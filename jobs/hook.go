package jobs

import (
	"context"
	"errors"
	"time"

	"golang.org/x/sync/errgroup"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/hook"
)

// HooksEvery is how often what other systems are to be told is looked for.
const HooksEvery = 5 * time.Second

// batchOfMessages is how many messages are taken at once, and hooksAtOnce to how many systems they are sent
// at the same time.
const (
	batchOfMessages = 40
	hooksAtOnce     = 8
)

// longestTurn bounds how long messages are sent to one system, one after the other, while others wait; it is
// less than they are lent for (school.messageLease).
const longestTurn = time.Minute

// others is the queue of what waits for other systems.
const others = "others"

type tellOthers struct{}

func (tellOthers) Kind() string { return "tell-others" }

// tell sends all messages that are due: to each system one after the other, until one does not arrive.
func tell(ctx context.Context, sender *hook.Sender, cases *app.App) error {
	for {
		list, more, err := cases.Messages.TakeMessages(ctx, batchOfMessages)
		if err != nil {
			return err
		}
		type of struct {
			school string
			hook   int64
		}
		each := map[of][]*messages.Message{}
		for i := range list {
			m := &list[i]
			at := of{m.School, m.Hook}
			each[at] = append(each[at], m)
		}
		var group errgroup.Group
		group.SetLimit(hooksAtOnce)
		for _, messages := range each {
			group.Go(func() error { return tellOne(ctx, sender, cases, messages) })
		}
		if err := group.Wait(); err != nil || !more {
			return err
		}
	}
}

// tellOne sends messages to one system. The error is one of noting what became of them.
func tellOne(ctx context.Context, sender *hook.Sender, cases *app.App, messages []*messages.Message) error {
	noted, stop := context.WithTimeout(context.WithoutCancel(ctx), 2*longestTurn) // also where the process ends
	defer stop()
	began := time.Now()
	for i, m := range messages {
		if time.Since(began) > longestTurn { // it takes its time: others have theirs
			return leave(noted, cases, messages[i:])
		}
		err := sender.Send(ctx, &hook.Message{To: m.URL, Key: m.Key, Secret: m.Secret, Body: m.Body})
		var fault *hook.Fault
		switch {
		case err == nil:
			err = cases.Messages.MessageDone(noted, m)
		case ctx.Err() != nil: // this process ends: another one sends it
			return leave(noted, cases, messages[i:])
		case errors.As(err, &fault):
			if err = cases.Messages.MessageFailed(noted, m, fault.Short()); err == nil {
				return leave(noted, cases, messages[i+1:])
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func leave(ctx context.Context, cases *app.App, messages []*messages.Message) (err error) {
	for _, m := range messages {
		err = errors.Join(err, cases.Messages.LeaveMessage(ctx, m))
	}
	return err
}
