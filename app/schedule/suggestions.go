package schedule

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"rubricon/app/background"
	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/placement"
	"rubricon/store"
)

// SectionChange is a change of the sections that a run tries: another time, a seat more, or a section more
// like one that there is.
type SectionChange struct {
	Kind    placement.HelpKind `json:"kind" enum:"move,seat,section"`
	Section string             `json:"section" maxLength:"200" doc:"The one that is changed, or that the new one is like"`
	Course  string             `json:"course" maxLength:"100"`
	New     string             `json:"new,omitempty" maxLength:"200" doc:"The id of the new section"`
	From    []int              `json:"from" maxItems:"50" doc:"Periods as they are"`
	To      []int              `json:"to" maxItems:"50" doc:"Periods as they would be"`
	Teacher string             `json:"teacher,omitempty" maxLength:"200"`
}

// Helping is the changes that would help a run most, each found by placing again those whom it concerns: what the whole is
// worth then, and how many have as much as they asked for.
type Helping struct {
	Value    int64        `json:"value"` // of the run
	Complete int          `json:"complete"`
	Students int          `json:"students"`
	Seconds  float64      `json:"seconds"`
	Cut      bool         `json:"cut"` // it was ended before all were tried
	List     []HelpChange `json:"list"`
	Proposal *Proposal    `json:"proposal,omitempty"` // several moves together
}

// HelpChange is a single change with its effect.
type HelpChange struct {
	SectionChange
	Value    int64 `json:"value"`
	Complete int   `json:"complete"`
}

// Proposal is several moves together with their effect.
type Proposal struct {
	Moves    []SectionChange `json:"moves"`
	Value    int64           `json:"value"`
	Complete int             `json:"complete"`
}

// The bounds of what is looked for.
const (
	maxHelps   = 20
	maxTried   = 60
	helpEffort = 20
)

// whyBehind: something has to be placed again before what would help can be looked for.
const whyBehind = "run-behind"

// StartHelp begins to look for what would help a run most, for so many seconds at the most. The errors are
// NotFound, Busy where someone has begun already, and TooManyTasks.
func (s *Service) StartHelp(ctx context.Context, by int64, school string, year, run, moves, seconds int) (*Run, error) {
	_, a, err := s.foundRun(ctx, by, school, year, run)
	if err != nil {
		return nil, err
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Schedule.LockRun(ctx, school, year, run); err != nil {
			return err
		}
		if row, err := q.Schedule.RunOf(ctx, school, year, run, 0); err != nil {
			return err
		} else if row.Helping != nil && (*row.Helping == store.TaskWaiting || *row.Helping == store.TaskRunning) {
			return problem.New(problem.Busy)
		}
		task, err := s.ports.Background.AddTask(ctx, q, a, store.TaskRow{School: school, Year: year, Kind: "help", Name: "help"}, nil)
		if err != nil {
			return err
		}
		return q.Schedule.SetHelpTask(ctx, school, year, run, task, moves, min(seconds, MaxRunSeconds))
	})
	if err != nil {
		return nil, err
	}
	return s.run(ctx, school, year, run)
}

// StopHelp ends looking for what would help; what was found is kept. The errors are NotFound and TaskOver.
func (s *Service) StopHelp(ctx context.Context, by int64, school string, year, run int) (*Run, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule); err != nil {
		return nil, err
	}
	r, err := s.run(ctx, school, year, run)
	if err != nil {
		return nil, err
	}
	if r.Help == nil {
		return nil, problem.New(problem.TaskOver)
	}
	stopped, err := s.base.DB.Queries().Background.StopTask(ctx, school, *r.Help, s.base.Now())
	if err == nil && !stopped {
		err = problem.New(problem.TaskOver)
	}
	if err != nil {
		return nil, err
	}
	return s.run(ctx, school, year, run)
}

// RunHelp looks for what would help a run most: single changes first, then several moves together. What is held stays.
func (s *Service) RunHelp(ctx context.Context, t *store.TaskRow, progress *background.Run) (store.TaskState, background.Outline, error) {
	progress.At(background.StepRead, 0, 0)
	row, err := s.base.DB.Queries().Schedule.RunOf(ctx, t.School, t.Year, 0, t.ID)
	if err != nil {
		return "", background.Outline{}, err
	}
	if row.Moves == nil || row.HelpFor == nil {
		return "", background.Outline{}, fmt.Errorf("the task %d does not say how long to look", t.ID)
	}
	moves, seconds := *row.Moves, *row.HelpFor
	o := background.Outline{Year: t.Year}
	x, err := s.placingOf(ctx, t.School, t.Year, row.ID, row.Seed)
	if err != nil {
		return "", o, err
	}
	if x.since.Students > 0 {
		o.Why = whyBehind
		return store.TaskRefused, o, nil
	}
	began := time.Now()
	timed, cancel := context.WithTimeout(ctx, time.Duration(seconds)*time.Second)
	defer cancel()
	_, denied, _ := x.held()
	kept := x.kept()
	rest := x.p.Deny(denied).Hold(kept)
	found := &placement.Placement{Given: rest.Rest(x.given), Draw: x.draw}
	value, err := rest.Problem.Check(found.Given)
	if err != nil {
		return "", o, err
	}
	found.Value = value
	all, singles := x.in.Rooms(true), x.in.Rooms(false)
	for _, k := range kept { // a section in which someone is held stays
		all[k.Section].Patterns, singles[k.Section].Patterns = nil, nil
	}
	out := Helping{Value: value + rest.Value, Complete: x.p.Complete(x.given), List: []HelpChange{}}
	for i := range x.p.Students {
		if len(x.p.Students[i].Requests) > 0 && x.in.handed[x.p.Students[i].ID] > 0 {
			out.Students++
		}
	}
	base := rest.Problem.Complete(found.Given)
	progress.At("singles", 0, 2)
	options := placement.Options{Seed: uint64(row.Seed), Effort: helpEffort}
	part, done := context.WithTimeout(timed, time.Duration(seconds)*time.Second/2)
	list, err := placement.Helps(part, rest.Problem, all, found, options, maxHelps)
	out.Cut = part.Err() != nil
	done()
	if err != nil {
		return "", o, err
	}
	for _, h := range list {
		out.List = append(out.List, HelpChange{x.change(h.Kind, h.Section, h.To), h.Value + rest.Value, out.Complete + h.Complete - base})
	}
	leave := context.WithoutCancel(ctx)
	keep := func() error {
		out.Seconds = float64(time.Since(began).Milliseconds()) / 1000
		return s.base.DB.Queries().Schedule.KeepHelps(leave, t.School, t.Year, row.ID, out)
	}
	if err := keep(); err != nil {
		return "", o, err
	}
	if timed.Err() == nil && moves > 0 {
		progress.At("together", 1, 2)
		better, err := placement.Improve(timed, rest.Problem, singles, placement.ImproveOptions{Placement: options, Moves: min(moves, maxTried)})
		if err != nil {
			return "", o, err
		}
		if len(better.Moves) > 0 && better.After.Value > value {
			out.Proposal = &Proposal{Value: better.After.Value + rest.Value,
				Complete: out.Complete + rest.Problem.Complete(better.After.Given) - base, Moves: []SectionChange{}}
			for _, m := range better.Moves {
				out.Proposal.Moves = append(out.Proposal.Moves, x.change(placement.MoveSection, m.Section, m.To))
			}
		}
		out.Cut = out.Cut || better.Cut || timed.Err() != nil
		if err := keep(); err != nil {
			return "", o, err
		}
	}
	progress.At("together", 2, 2)
	if errors.Is(context.Cause(ctx), background.ErrStopped) {
		return store.TaskStopped, o, nil
	}
	return store.TaskDone, o, ctx.Err()
}

// change describes a change of the sections by names and periods.
func (x *placing) change(kind placement.HelpKind, section int32, to []int32) SectionChange {
	at := &x.in.Sections[section]
	c := SectionChange{Kind: kind, Section: at.ID, Course: at.Course, From: append([]int{}, at.Periods...),
		To: append([]int{}, at.Periods...), Teacher: at.Teacher}
	if kind != placement.OneSeat {
		c.To = x.in.PeriodsOf(to)
	}
	return c
}

// tried makes the changes that a run tries, in sections as they are. It reports whether they can be made: they
// cannot where a section meets at another time than when the change was found.
func tried(b *bundle.Bundle, changes []SectionChange) bool {
	for _, c := range changes {
		at := slices.IndexFunc(b.Sections, func(x bundle.Section) bool {
			return x.ID == c.Section && x.Course == c.Course && slices.Equal(x.Periods, c.From)
		})
		if at < 0 || slices.ContainsFunc(c.To, func(p int) bool { return p < 1 || p > b.Year.Policy.Periods }) {
			return false
		}
		switch c.Kind {
		case placement.MoveSection:
			b.Sections[at].Periods = c.To
		case placement.OneSeat:
			b.Sections[at].Seats++
		case placement.OneSection:
			more := b.Sections[at]
			more.ID, more.Periods, more.Teacher = c.New, c.To, ""
			b.Sections = append(b.Sections, more)
		default:
			return false
		}
	}
	return true
}

// UseSections makes the changes that a run has tried in the master schedule. It tells how many. The errors
// are NotFound, acts.AlreadyDone where it has tried none, and SectionChanged where a section is not as it
// was.
func (s *Service) UseSections(ctx context.Context, by int64, school string, year, run int) (int, error) {
	y, _, err := s.base.Years.Guard(ctx, by, school, year, acts.Schedule)
	if err != nil {
		return 0, err
	}
	r, err := s.run(ctx, school, year, run)
	if err != nil {
		return 0, err
	}
	if len(r.Changes) == 0 {
		return 0, problem.New(problem.Code(acts.AlreadyDone))
	}
	rows, err := s.base.DB.Queries().Schedule.Sections(ctx, school, year)
	if err != nil {
		return 0, err
	}
	b := y.Sections(rows)
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		for _, c := range r.Changes {
			at := slices.IndexFunc(rows, func(row store.ClassRow) bool { return row.ID == c.Section })
			is := slices.IndexFunc(b.Sections, func(x bundle.Section) bool { return x.ID == c.Section && slices.Equal(x.Periods, c.From) })
			if at < 0 || is < 0 {
				return problem.New(problem.SectionChanged)
			}
			row := rows[at]
			want := store.SectionRow{ID: row.ID, Course: c.Course, Seats: b.Sections[is].Seats, Cells: store.Cells{}}
			for column, cell := range row.Cells.V {
				want.Cells[column] = cell
			}
			rev := row.Rev
			want.Cells["periods"] = bundle.NumberList(c.To)
			switch c.Kind {
			case placement.OneSeat:
				want.Seats++
				want.Cells["metadata.seats"] = fmt.Sprint(want.Seats)
			case placement.OneSection:
				want.ID, rev = c.New, 0
				want.Cells["sourcedId"], want.Cells["metadata.teacher"], want.Cells["location"] = c.New, "", ""
			}
			if done, err := q.Schedule.PutSection(ctx, school, year, &want, rev); err != nil {
				return err
			} else if !done {
				return problem.New(problem.SectionChanged)
			}
		}
		return nil
	})
	if err != nil {
		return 0, err
	}
	s.base.Log.InfoContext(ctx, "sections that a run has tried are used", "school", school, "year", year, "by", by, "run", run,
		"changes", len(r.Changes))
	s.ports.Messages.Missed()
	return len(r.Changes), nil
}

// asTried reads the changes of a run.
func asTried(text json.RawMessage) (list []SectionChange, err error) {
	return list, json.Unmarshal(text, &list)
}
