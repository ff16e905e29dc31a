// Package jobs runs what takes long or happens later, on a job queue in the database: any number of server
// processes take from it, and what one has left undone another takes up again.
package jobs

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"rubricon/app"
	"rubricon/hook"
	"rubricon/store"
)

// How often what is due again and again is done.
const (
	LostEvery = 15 * time.Second // tasks whose runners are gone are looked for
	TidyEvery = 10 * time.Minute // what is over is taken away
	SeatEvery = 15 * time.Second // seats that are free are offered to who waits

	ChangesEvery = 10 * time.Second // changes with a date that are under way are gone on with
)

// rescuedAfter is for how long a job may run before its process is taken for gone.
const rescuedAfter = 2 * time.Minute

// atOnce is how many jobs a process runs at the same time: they read whole schools into memory.
const atOnce = 2

// Queue runs jobs.
type Queue struct {
	client *river.Client[*sql.Tx]
	close  func()
}

// Start begins to run jobs; sender is how other systems are told, where the use cases have a key for it.
func Start(ctx context.Context, db *store.DB, cases *app.App, mails Post, sender *hook.Sender, log *slog.Logger) (*Queue, error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context, job *river.Job[store.RunTask]) error {
		return cases.Background.RunTask(ctx, job.Args.School, job.Args.Task)
	}))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context,
		_ *river.Job[takeUpLost]) error {
		return cases.Background.TakeUpLost(ctx)
	}))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context, _ *river.Job[tidy]) error { return cases.Account.Tidy(ctx) }))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context, _ *river.Job[offerSeats]) error { return cases.Seats.OfferSeats(ctx) }))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context,
		_ *river.Job[settleChanges]) error {
		return cases.Seats.SettleChanges(ctx)
	}))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context, _ *river.Job[sendPost]) error { return mails.Deliver(ctx, cases, log) }))
	river.AddWorker(workers, river.WorkFunc(func(ctx context.Context, _ *river.Job[tellOthers]) error { return tell(ctx, sender, cases) }))
	client, closing, err := db.Runner(ctx, &river.Config{
		Logger:     slog.New(quieter{log.Handler()}),
		JobTimeout: -1, // a task is seen to while it runs
		// A job of a process that is gone is put back or given up, so that the next of its kind can come. One that
		// runs on for longer loses nothing by it: tasks, mails and rounds are each claimed by who runs them.
		RescueStuckJobsAfter: rescuedAfter,
		Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: atOnce}, often: {MaxWorkers: 1},
			seats: {MaxWorkers: 1}, changes: {MaxWorkers: 1}, letters: {MaxWorkers: 1}, others: {MaxWorkers: 1}},
		Workers: workers,
		PeriodicJobs: []*river.PeriodicJob{
			river.NewPeriodicJob(river.PeriodicInterval(LostEvery), func() (river.JobArgs, *river.InsertOpts) { return takeUpLost{}, once }, nil),
			river.NewPeriodicJob(river.PeriodicInterval(PostEvery),
				func() (river.JobArgs, *river.InsertOpts) { return sendPost{}, oneOf(letters) }, &river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(HooksEvery),
				func() (river.JobArgs, *river.InsertOpts) { return tellOthers{}, oneOf(others) }, &river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(SeatEvery),
				func() (river.JobArgs, *river.InsertOpts) { return offerSeats{}, oneOf(seats) }, nil),
			river.NewPeriodicJob(river.PeriodicInterval(ChangesEvery),
				func() (river.JobArgs, *river.InsertOpts) { return settleChanges{}, oneOf(changes) }, &river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(TidyEvery), func() (river.JobArgs, *river.InsertOpts) { return tidy{}, once }, nil),
		},
	})
	if err != nil {
		return nil, fmt.Errorf("making the job queue: %w", err)
	}
	if err := client.Start(context.WithoutCancel(ctx)); err != nil { // Stop ends it, so that what runs can be left in order
		closing()
		return nil, fmt.Errorf("starting the job queue: %w", err)
	}
	if err := cases.Background.TakeUpLost(ctx); err != nil { // at once, without waiting for who of the processes looks again and again
		log.WarnContext(ctx, "looking for tasks that were left", "error", err)
	}
	return &Queue{client, closing}, nil
}

// Stop leaves what runs for another time or another process, and ends.
func (q *Queue) Stop(ctx context.Context) error {
	defer q.close()
	return q.client.StopAndCancel(ctx)
}

// often is the queue of what is short and comes again, so that it need not wait for what is long.
const often = "often"

// once: what is due again is not put on the queue a second time while it waits there or runs, and not tried again.
var once = oneOf(often)

// seats is the queue of offering seats, which looks at many sections in turn.
const seats = "seats"

// letters is the queue of mails, which wait for a mail server.
const letters = "post"

// oneOf: what waits for others outside is looked for by one job at a time; what it has left the next one takes.
func oneOf(queue string) *river.InsertOpts {
	return &river.InsertOpts{Queue: queue, MaxAttempts: 1,
		UniqueOpts: river.UniqueOpts{ByArgs: true,
			ByState: []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRunning,
				rivertype.JobStateScheduled, rivertype.JobStateRetryable}}}
}

type takeUpLost struct{}

func (takeUpLost) Kind() string { return "take-up-lost" }

type offerSeats struct{}

func (offerSeats) Kind() string { return "offer-seats" }

// changes is the queue of changes with a date, which wait for the system that keeps attendance.
const changes = "changes"

type settleChanges struct{}

func (settleChanges) Kind() string { return "settle-changes" }

type tidy struct{}

func (tidy) Kind() string { return "tidy" }

// quieter leaves out what the queue says of its own business.
type quieter struct{ slog.Handler }

func (q quieter) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && q.Handler.Enabled(ctx, level)
}
