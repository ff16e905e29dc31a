package sheet

import (
	"context"
	"errors"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// DraftRow is a sheet to try things on, next to the real one.
type DraftRow = store.DraftRow

// Drafts serves the drafts of sheets.
type Drafts struct{ sheets *Service }

// Drafts returns the service for drafts.
func (s *Service) Drafts() *Drafts { return &Drafts{s} }

// maxPast bounds how far a draft can be undone.
const maxPast = 30

// onto lays a draft on the desk in place of the sheet's entries. It is judged like the sheet and can be
// edited at any time by anyone who edits the sheet; nothing else can be done with it.
func (d *Desk) onto(draft *store.DraftRow) {
	d.Kind, d.Draft = acts.ADraft, draft
	r := &d.Row
	r.SheetState = store.SheetState{State: string(acts.InProgress), ChangedAt: &draft.ChangedAt,
		Undoable: len(draft.Past.V), Redoable: len(draft.Future.V)}
	r.Entries, r.Version, r.Begun = draft.Entries.V, draft.Version, true
	r.Receipt, r.SubmittedAt, r.Submitted.V, r.Signatures.V = nil, nil, nil, nil
}

// Drafts lists a sheet's drafts: all for anyone who works on them, those that are shown for the others who may
// see the sheet.
func (t *Drafts) List(ctx context.Context, by int64, at schoolyear.Place) (*Desk, []store.DraftRow, error) {
	at.Draft = 0
	d, err := t.sheets.Sheet(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	list, err := t.sheets.base.DB.Queries().Sheet.Drafts(ctx, at)
	if !d.MayDraft() {
		list = slices.DeleteFunc(list, func(r store.DraftRow) bool { return r.ShownAt == nil })
	}
	return d, list, err
}

// ShowDraft shows a draft to the family, or no longer. The error is NotFound.
func (t *Drafts) Show(ctx context.Context, by int64, at schoolyear.Place, shown bool) (*Desk, error) {
	if _, err := t.sheets.mine(ctx, by, at); err != nil {
		return nil, err
	}
	id := at.Draft
	at.Draft = 0
	return t.sheets.Act(ctx, by, at, 0, acts.Remark, "", func(d *Desk) (*store.Change, error) {
		draft, err := t.sheets.base.DB.Queries().Sheet.Draft(ctx, at, id)
		if err != nil {
			return nil, problem.AsNotFound(err)
		}
		kind := "showDraft"
		if !shown {
			kind = "hideDraft"
		}
		change := d.Change(kind, "", map[string]any{"message": draft.Name})
		change.Show = &store.ShowDraft{ID: id, Shown: shown}
		return change, nil
	})
}

// MayDraft reports whether the reader may make and change drafts.
func (d *Desk) MayDraft() bool {
	return acts.Of(&acts.Case{Relation: d.Actor.To(d.Row.Student), Kind: acts.ADraft, State: acts.InProgress,
		Settings: d.Year.Policy.Settings})[acts.Edit].Allowed
}

// mine opens a sheet for someone who may work on its drafts.
func (s *Service) mine(ctx context.Context, by int64, at schoolyear.Place) (*Desk, error) {
	d, err := s.Open(ctx, by, at)
	if err == nil && !d.MayDraft() {
		err = problem.New(problem.Code(acts.NotYours))
	}
	return d, err
}

// MaxDrafts bounds the drafts of one sheet.
const MaxDrafts = store.MaxDrafts

// MakeDraft copies the sheet, or one of its drafts, to a draft with a name. The errors are NeedsName and AtLimit.
func (t *Drafts) Make(ctx context.Context, by int64, at schoolyear.Place, name string) (id int64, err error) {
	d, err := t.sheets.mine(ctx, by, at)
	if err != nil {
		return 0, err
	}
	if name = text.ShortName(name); name == "" {
		return 0, problem.New(problem.NeedsName)
	}
	err = t.sheets.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Serialize(ctx, "drafts", at.School, at.Year, at.Student); err != nil {
			return err
		}
		made, added, err := q.Sheet.AddDraft(ctx, at, name, d.Row.Entries, d.Now)
		if err == nil && !added {
			err = problem.New(problem.AtLimit)
		}
		id = made
		return err
	})
	return id, err
}

// NameDraft renames a draft. The errors are NeedsName and Stale.
func (t *Drafts) Name(ctx context.Context, by int64, at schoolyear.Place, name string) error {
	d, err := t.sheets.mine(ctx, by, at)
	if err != nil {
		return err
	}
	if name = text.ShortName(name); name == "" || d.Draft == nil {
		return problem.New(problem.NeedsName)
	}
	draft := *d.Draft
	draft.Name, draft.Version = name, draft.Version+1
	saved, err := t.sheets.base.DB.Queries().Sheet.SaveDraft(ctx, at, &draft)
	if err == nil && !saved {
		err = problem.New(problem.Busy)
	}
	return err
}

// DropDraft throws a draft away.
func (t *Drafts) Drop(ctx context.Context, by int64, at schoolyear.Place) error {
	if _, err := t.sheets.mine(ctx, by, at); err != nil {
		return err
	}
	return t.sheets.base.DB.Queries().Sheet.DropDraft(ctx, at, at.Draft)
}

// changeDraft makes a change on a draft, or takes one back.
func (s *Service) changeDraft(ctx context.Context, d *Desk, edit *Edit) (*Desk, error) {
	draft := *d.Draft
	before := draft.Entries.V
	switch edit.Act {
	case "undo":
		last := len(draft.Past.V) - 1
		draft.Entries.V = inCatalog(d.Year.Year, draft.Past.V[last])
		draft.Past.V, draft.Future.V = draft.Past.V[:last:last], append(slices.Clone(draft.Future.V), before)
	case "redo":
		last := len(draft.Future.V) - 1
		draft.Entries.V = inCatalog(d.Year.Year, draft.Future.V[last])
		draft.Past.V, draft.Future.V = append(slices.Clone(draft.Past.V), before), draft.Future.V[:last:last]
	default:
		after, err := d.after(edit)
		if err != nil {
			return nil, err
		}
		if slices.Equal(Normal(before), Normal(after)) {
			d.Judge(0)
			return d, nil
		}
		draft.Entries.V, draft.Past.V, draft.Future.V = after, append(slices.Clone(draft.Past.V), before), nil
	}
	draft.Past.V = draft.Past.V[max(0, len(draft.Past.V)-maxPast):]
	draft.Version, draft.ChangedAt = draft.Version+1, d.Now
	if Judge(d.Known, draft.Entries.V).Judgement == nil && Judge(d.Known, before).Judgement != nil {
		return nil, problem.New(problem.TooComplex)
	}
	saved, err := s.base.DB.Queries().Sheet.SaveDraft(ctx, d.Row.Place, &draft)
	if err != nil {
		return nil, err
	}
	if !saved {
		return nil, problem.New(problem.Busy)
	}
	d.onto(&draft)
	d.Judge(0)
	return d, nil
}

// ofDraft returns the entries of a draft as they may come in place of the sheet's. The errors are NotFound and
// those of inPlace.
func (s *Service) ofDraft(ctx context.Context, d *Desk, id int64) ([]store.EntryRow, error) {
	draft, err := s.base.DB.Queries().Sheet.Draft(ctx, d.Row.Place, id)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	return d.inPlace(draft.Entries.V)
}

// restored returns the entries of an earlier version of the sheet as they may come back. The errors are
// NotFound and those of inPlace.
func (s *Service) restored(ctx context.Context, d *Desk, version int64) ([]store.EntryRow, error) {
	was, err := s.entriesAt(ctx, d, version)
	if err != nil {
		return nil, err
	}
	return d.inPlace(was)
}

// entriesAt returns what was on the sheet in a version; what has not changed since is what is on it now. The
// error is NotFound.
func (s *Service) entriesAt(ctx context.Context, d *Desk, version int64) ([]store.EntryRow, error) {
	if version > d.Row.Version {
		return nil, problem.New(problem.NotFound)
	}
	was, err := s.base.DB.Queries().Sheet.EntriesAt(ctx, d.Row.Place, version)
	if errors.Is(err, store.ErrNotFound) {
		return d.Row.Entries, nil
	}
	return was, err
}

// Earlier is a sheet as it was in an earlier version, judged by what is known now, for looking at. The error
// is NotFound where there is no such version.
func (s *Service) Earlier(ctx context.Context, by int64, at schoolyear.Place, version int64) (*Desk, error) {
	d, err := s.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if d.Row.Entries, err = s.entriesAt(ctx, d, version); err != nil {
		return nil, err
	}
	d.Kind = acts.WhatWas
	d.Judge(0)
	return d, nil
}

// inPlace returns entries as they may come in place of the sheet's, without what the catalog has no longer.
// The errors are Fixed, Barred, Earned, Full and OverMaximum, as for the edits that would lead there.
func (d *Desk) inPlace(entries []store.EntryRow) ([]store.EntryRow, error) {
	after := inCatalog(d.Year.Year, entries)
	is, _ := Laid(d.Year.Year, d.Row.Entries)
	comes, _ := Laid(d.Year.Year, after)
	err := d.Known.MayBecome(&is, &comes, d.instead(acts.Edit))
	if code, known := editCodes[err]; known {
		return nil, problem.New(code)
	}
	return after, err
}
