package caseload

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"golang.org/x/sync/errgroup"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	"rubricon/core/acts"
	"rubricon/store"
)

// TakeBack takes back what a batch did, for one student where one is named. Sheets that have gone on since so
// that it cannot be are named. The errors are NeedsReason, NotFound, AlreadyDone, and acts.OthersBatch where
// someone else did it to many.
func (s *Service) TakeBack(ctx context.Context, by int64, school string, year int, id int64, student, reason string) ([]Outcome, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	if reason = text.Tidy(reason); reason == "" {
		return nil, problem.New(problem.NeedsReason)
	}
	q := s.base.DB.Queries()
	b, err := q.Caseload.Batch(ctx, school, year, id)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if why := acts.TakesBack(a.InSchool(), b.Person == a.ID, student != ""); why != "" {
		return nil, problem.New(problem.Code(why))
	}
	parts, err := q.Caseload.BatchSheets(ctx, school, year, id)
	if err != nil {
		return nil, err
	}
	var ids []string
	for _, p := range parts {
		if !p.Back && (student == "" || p.Student == student) {
			ids = append(ids, p.Student)
		}
	}
	if len(ids) == 0 {
		return nil, problem.New(problem.Code(acts.AlreadyDone))
	}
	desks, err := s.ports.Sheet.Desks(ctx, y, a, ids)
	if err != nil {
		return nil, err
	}
	outcomes := make([]Outcome, len(desks))
	var work errgroup.Group
	work.SetLimit(atOnce)
	for i, d := range desks {
		part := parts[slices.IndexFunc(parts, func(p store.BatchSheet) bool { return p.Student == d.Row.Student })]
		work.Go(func() error {
			outcomes[i] = outcome(d)
			err := s.partBack(ctx, d, &b, &part, reason)
			if outcomes[i].Code = problem.CodeOf(err); err != nil && outcomes[i].Code == "" {
				return err
			}
			return nil
		})
	}
	if err := work.Wait(); err != nil {
		return nil, err
	}
	s.base.Log.InfoContext(ctx, "a batch was taken back", "school", school, "year", year, "account", by, "batch", id)
	if !slices.ContainsFunc(outcomes, func(o Outcome) bool { return o.Code == "" }) {
		return outcomes, nil // nothing was taken back
	}
	return outcomes, q.Caseload.TookBack(ctx, school, year, id, a.Name().Name, s.base.Now())
}

func (s *Service) partBack(ctx context.Context, d *appsheet.Desk, b *store.BatchRow, part *store.BatchSheet, reason string) error {
	for range appsheet.Tries {
		d.Judge(0)
		if err := d.Guard(acts.Prepare, reason); err != nil {
			return err
		}
		if b.Kind == BatchRemind {
			err := s.base.DB.Queries().Caseload.Unremind(ctx, d.Row.Place, b.ID)
			s.ports.Messages.Told(d.Row.Place, d.Row.Version)
			return err
		}
		change, err := backOf(d, b, part, reason)
		if err != nil {
			return err
		}
		change.Back = b.ID
		saved, err := s.base.DB.Queries().Sheet.SaveChange(ctx, change)
		if err != nil {
			return err
		}
		if saved {
			s.ports.Messages.Told(d.Row.Place, change.Version)
			return nil
		}
		again, err := s.ports.Sheet.Desks(ctx, d.Year, d.Actor, []string{d.Row.Student})
		if err = errors.Join(err, missing(again)); err != nil {
			return err
		}
		d = again[0]
	}
	return problem.New(problem.Busy)
}

func missing(desks []*appsheet.Desk) error {
	if len(desks) == 0 {
		return problem.New(problem.NotFound)
	}
	return nil
}

// backOf is the change that takes back what a batch did to a sheet.
func backOf(d *appsheet.Desk, b *store.BatchRow, part *store.BatchSheet, reason string) (*store.Change, error) {
	state := acts.State(d.Row.State)
	change := d.Change("batchBack", reason, map[string]any{"act": b.Kind, "course": b.Detail.V["course"],
		"rule": b.Detail.V["name"], "before": d.Row.Entries})
	change.Prepares = true
	switch b.Kind {
	case BatchClear:
		if state != acts.Cleared {
			return nil, problem.New(problem.Code(acts.NotCleared))
		}
		change.State.State, change.State.ClearedAt = part.Was, nil
		return change, nil
	case BatchSendBack:
		if state != acts.SentBack || d.Row.Version != part.Version { // the family has gone on
			return nil, problem.New(problem.GoneOn)
		}
		change.State.State, change.State.Message = part.Was, ""
		return change, nil
	}
	change.Unsay, change.Resay = b.ID, part.Unsaid.V
	if len(part.Came.V) == 0 && len(part.Gone.V) == 0 {
		return change, nil
	}
	if err := d.Guard(acts.Edit, reason); err != nil {
		return nil, err
	}
	before := d.Row.Entries
	after := restoredBy(d, part)
	putOn(d, change, before, after)
	return change, nil
}

// restoredBy returns the entries on the desk without what a batch brought, and with what left for that at the
// places it had.
func restoredBy(d *appsheet.Desk, part *store.BatchSheet) []store.EntryRow {
	same := func(list []store.EntryRow, e store.EntryRow) bool {
		return slices.ContainsFunc(list, func(x store.EntryRow) bool { return x.Course == e.Course && x.Alternate == e.Alternate })
	}
	lists := map[bool][]store.EntryRow{} // by whether they are alternates
	for _, e := range appsheet.Normal(d.Row.Entries) {
		if !same(part.Came.V, e) || same(part.Gone.V, e) {
			lists[e.Alternate] = append(lists[e.Alternate], e)
		}
	}
	gone := slices.SortedFunc(slices.Values(part.Gone.V), func(a, b store.EntryRow) int { return cmp.Compare(a.Rank, b.Rank) })
	for _, e := range gone {
		_, known := d.Year.Index(e.Course)
		if there := same(lists[true], store.EntryRow{Course: e.Course, Alternate: true}) ||
			same(lists[false], store.EntryRow{Course: e.Course}); known && !there {
			lists[e.Alternate] = slices.Insert(lists[e.Alternate], min(e.Rank-1, len(lists[e.Alternate])), e)
		}
	}
	for _, list := range lists {
		for i := range list {
			list[i].Rank = i + 1
		}
	}
	return loose(append(lists[false], lists[true]...))
}

// loose loosens ties to requests that are not there.
func loose(list []store.EntryRow) []store.EntryRow {
	for i := range list {
		if !slices.ContainsFunc(list, func(e store.EntryRow) bool { return !e.Alternate && e.Course == list[i].StandsFor }) {
			list[i].StandsFor = ""
		}
	}
	return list
}
