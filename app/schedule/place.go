package schedule

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"rubricon/app/actor"
	"rubricon/app/background"
	"rubricon/app/problem"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/store"
)

// Run is a run of the placement: requests that are handed in go into the sections of the master schedule.
type Run struct {
	store.RunRow
	Summary  *RunSummary         // what it has found; nil: not yet
	Why      string              // a code: why it was refused or has failed
	Problems []background.BadRow // for bad-rows
	Changes  []SectionChange     // of the sections, that it tries
	Helps    *Helping            // what would help it most; nil: not looked for
}

// Bounds of a run.
const (
	MaxRunSeconds = 600
	maxRuns       = 26 // A to Z
	maxLacking    = 500
)

// whyTooLarge: there are more ways to give a wish than are weighed, as in a school of some 20,000.
const whyTooLarge = "too-large"

// whyNoSchedule: there is no section to place anybody into.
const whyNoSchedule = "no-schedule"

// StartRun begins to place what is handed in, with a seed of the lottery and for so many seconds at the most.
// The errors are TooManyTasks and AtLimit. Changes of the sections are tried, and change nothing in the
// master schedule; SectionChanged is the error where they cannot be made.
func (s *Service) StartRun(ctx context.Context, by int64, school string, year int, seed int64, seconds int,
	changes ...SectionChange) (*Run, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, err
	}
	if len(changes) > maxTried {
		return nil, problem.New(problem.TooMuch)
	}
	rows, err := s.base.DB.Queries().Schedule.Sections(ctx, school, year)
	if err != nil {
		return nil, err
	}
	for i := range changes {
		c := &changes[i]
		if !slices.ContainsFunc(rows, func(r store.ClassRow) bool { return r.ID == c.Section }) {
			return nil, problem.New(problem.SectionChanged)
		}
		if c.New = ""; c.Kind == placement.OneSection {
			c.New = newSectionID(rows, c.Course)
			rows = append(rows, store.ClassRow{ID: c.New})
		}
	}
	try, err := json.Marshal(append([]SectionChange{}, changes...))
	if err != nil {
		return nil, err
	}
	var id int
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		task, err := s.ports.Background.AddTask(ctx, q, a, store.TaskRow{School: school, Year: year, Kind: "place", Name: "placement"}, nil)
		if err != nil {
			return err
		}
		if id, err = q.Schedule.AddRun(ctx, school, year,
			&store.RunRow{Task: task, Seed: seed, Seconds: min(seconds, MaxRunSeconds), By: a.Name().Name, At: s.base.Now(),
				Tried: try}); err == nil && id > maxRuns {
			err = problem.New(problem.AtLimit)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.run(ctx, school, year, id)
}

func (s *Service) run(ctx context.Context, school string, year, id int) (*Run, error) {
	row, err := s.base.DB.Queries().Schedule.RunOf(ctx, school, year, id, 0)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	return newRun(row)
}

// foundRun returns a run that has found something to anyone who may schedule. The error is NotFound where it has
// not, or there is none.
func (s *Service) foundRun(ctx context.Context, by int64, school string, year, id int) (*Run, *actor.Actor, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return nil, nil, err
	}
	r, err := s.run(ctx, school, year, id)
	if err == nil && r.Summary == nil {
		err = problem.New(problem.NotFound)
	}
	return r, a, err
}

func newRun(row store.RunRow) (*Run, error) {
	r := &Run{RunRow: row}
	if row.Found != nil {
		r.Summary = &RunSummary{}
		if err := json.Unmarshal(*row.Found, r.Summary); err != nil {
			return nil, err
		}
	}
	var o background.Outline
	if err := json.Unmarshal([]byte(row.Result), &o); err != nil {
		return nil, err
	}
	r.Why, r.Problems = o.Why, o.Problems
	if row.Helps != nil {
		r.Helps = &Helping{}
		if err := json.Unmarshal(*row.Helps, r.Helps); err != nil {
			return nil, err
		}
	}
	var err error
	r.Changes, err = asTried(row.Tried)
	return r, err
}

// Runs lists the runs of a year, the newest first.
func (s *Service) Runs(ctx context.Context, by int64, school string, year int) ([]*Run, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.Runs(ctx, school, year)
	if err != nil {
		return nil, err
	}
	list := make([]*Run, len(rows))
	for i := range rows {
		if list[i], err = newRun(rows[i]); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// StopRun ends a run; the best that it has found is kept. The errors are NotFound and TaskOver.
func (s *Service) StopRun(ctx context.Context, by int64, school string, year, id int) (*Run, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	r, err := s.run(ctx, school, year, id)
	if err != nil {
		return nil, err
	}
	stopped, err := s.base.DB.Queries().Background.StopTask(ctx, school, r.Task, s.base.Now())
	if err == nil && !stopped {
		err = problem.New(problem.TaskOver)
	}
	if err != nil {
		return nil, err
	}
	return s.run(ctx, school, year, id)
}

// Lacking lists the students of a run who lack something, first those with nothing in its place; at most 500.
func (s *Service) Lacking(ctx context.Context, by int64, school string, year, id int) ([]PlacedPupil, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Schedule.Lacking(ctx, school, year, id, maxLacking)
	if err != nil {
		return nil, err
	}
	var list []PlacedPupil
	for _, row := range rows {
		p, err := newPlacedPupil(row)
		if err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, nil
}

func newPlacedPupil(row store.PlacedPupil) (p PlacedPupil, err error) {
	p.PlacedPupil = row
	return p, errors.Join(json.Unmarshal(row.GivenRow.Given, &p.Given), json.Unmarshal(row.GivenRow.Lacking, &p.Lacking))
}

// PlacedIn reports what a run gives one student. The error is NotFound.
func (s *Service) PlacedIn(ctx context.Context, by int64, school string, year, id int, student string) (*PlacedPupil, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	row, err := s.base.DB.Queries().Schedule.Placed(ctx, school, year, id, student)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	p, err := newPlacedPupil(row)
	return &p, err
}

// solve searches for as long as a run may, and shows how far it has come each second.
func (s *Service) solve(ctx context.Context, t *store.TaskRow, row *store.RunRow, rest *placement.Held,
	curve *curve, progress *background.Run) (*placement.Placement, time.Duration, error) {
	timed, cancel := context.WithTimeout(ctx, time.Duration(row.Seconds)*time.Second)
	defer cancel()
	seen := make(chan struct{})
	go func() { // what has come on is shown while it does
		defer close(seen)
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		for {
			select {
			case <-timed.Done():
				return
			case <-tick.C:
				_ = s.base.DB.Queries().Schedule.KeepCurve(timed, t.School, t.Year, row.ID, curve.now())
			}
		}
	}()
	found, err := placement.Solve(timed, rest.Problem,
		placement.Options{Seed: uint64(row.Seed), Effort: 100, Progress: func(g placement.Progress) {
			progress.At(string(g.Phase), g.Settled, g.Students)
			curve.at(g.Value+rest.Value, g.Bound+rest.Value)
		}})
	ran := time.Since(curve.began)
	cancel()
	<-seen
	return found, ran, err
}

// RunPlace places what is handed in. It reads the school as the command place does, without what is not
// handed in and without sections of courses that do not run.
func (s *Service) RunPlace(ctx context.Context, t *store.TaskRow, progress *background.Run) (store.TaskState, background.Outline, error) {
	progress.At(background.StepRead, 0, 0)
	row, err := s.base.DB.Queries().Schedule.RunOf(ctx, t.School, t.Year, 0, t.ID)
	if err != nil {
		return "", background.Outline{}, err
	}
	in, err := s.input(ctx, t.School, t.Year)
	if err != nil {
		return "", background.Outline{}, err
	}
	o := background.Outline{Year: t.Year, Students: len(in.handed)}
	if len(in.Sections) == 0 {
		o.Why = whyNoSchedule
		return store.TaskRefused, o, nil
	}
	changes, err := asTried(row.Tried)
	if err != nil {
		return "", o, err
	}
	if !tried(in.Bundle, changes) {
		o.Why = whyBehind
		return store.TaskRefused, o, nil
	}
	p, bad := in.problem()
	if len(bad) > 0 {
		o.Why, o.Bad, o.Problems = background.WhyBadRows, len(bad), bad[:min(len(bad), background.ShownRows)]
		return store.TaskRefused, o, nil
	}
	holds, err := s.base.DB.Queries().Schedule.Holds(ctx, t.School, t.Year)
	if err != nil {
		return "", o, err
	}
	x := newPlacing(in, p, holds, row.Seed)
	kept, denied, unknown := x.held()
	rest := p.Deny(denied).Hold(kept)
	curve := &curve{began: time.Now()}
	found, ran, err := s.solve(ctx, t, &row, rest, curve, progress)
	var beyond *placement.ProblemError
	if errors.As(err, &beyond) { // more than is weighed
		o.Why = whyTooLarge
		return store.TaskRefused, o, nil
	}
	if err != nil {
		return "", o, err
	}
	stopped := errors.Is(context.Cause(ctx), background.ErrStopped)
	if ctx.Err() != nil && !stopped { // the process ends: another will run it
		return "", o, ctx.Err()
	}
	found = rest.Whole(found)
	curve.at(found.Value, found.Bound)
	summary, given := outcome(in, p, found, denied)
	summary.Held = len(kept) - len(rest.Unkept)
	for _, k := range rest.Unkept {
		unknown = append(unknown, store.HeldSeat{Student: p.Students[k.Student].ID, Course: in.Sections[k.Section].Course})
	}
	for _, seat := range unknown {
		summary.Unkept = append(summary.Unkept, UnkeptSeat{seat.Student, seat.Course})
	}
	summary.Seconds = float64(ran.Milliseconds()) / 1000
	leave := context.WithoutCancel(ctx)
	err = s.base.DB.Tx(leave, func(q store.Queries) error {
		if err := q.Schedule.KeepCurve(leave, t.School, t.Year, row.ID, curve.now()); err != nil {
			return err
		}
		return q.Schedule.KeepFound(leave, t.School, t.Year, row.ID, summary, given)
	})
	if err != nil {
		return "", o, err
	}
	if stopped {
		return store.TaskStopped, o, nil
	}
	return store.TaskDone, o, nil
}
