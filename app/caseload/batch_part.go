package caseload

import (
	"slices"
	"strings"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// prepared is the change by which the school says something of a student, and what that does to the sheet.
func prepared(d *appsheet.Desk, b *Batch) (*store.Change, error) {
	kind := map[string]sheet.SignalKind{BatchAssign: sheet.Assignment, BatchExempt: sheet.Exemption,
		BatchPermit: sheet.Permission, BatchPlace: sheet.PlacementMade,
		BatchWaive: sheet.Waiver}[b.Kind]
	after, err := preparedEntries(d, b)
	if err != nil {
		return nil, err
	}
	before := d.Row.Entries
	change := d.Change(b.Kind, b.Reason, map[string]any{"course": b.Course, "rule": b.Name, "before": before})
	change.Prepares = true
	if b.Kind == BatchTakeOff {
		for i := range d.Known.Signals {
			if x := &d.Known.Signals[i]; x.Code == b.Course && x.Kind == sheet.Assignment {
				change.Withdraw = append(change.Withdraw, d.Known.SignalIDs[i])
			}
		}
	} else {
		said := appsheet.SaidOf(d.Row.Student, kind, b.Course, b.Name, d.Actor.ID, b.Reason)
		if b.Kind == BatchAssign && b.Fixed {
			said.Value, said.Cells["value"] = int64(credit.One), "1"
		}
		if !says(d, said) {
			change.Say(said)
		}
	}
	same := slices.Equal(appsheet.Normal(before), appsheet.Normal(after))
	if same && len(change.Signals) == 0 && len(change.Withdraw) == 0 {
		return nil, problem.New(problem.Code(acts.AlreadyDone))
	}
	change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State, Unsaid: change.Withdraw}
	if !same {
		putOn(d, change, before, after)
	}
	return change, nil
}

// putOn adds to a change of the school's the entries that it writes. What the family did before cannot be undone past it.
func putOn(d *appsheet.Desk, change *store.Change, before, after []store.EntryRow) {
	change.Delete, change.Upsert = appsheet.Difference(before, after)
	change.State.ChangedAt, change.State.Undoable, change.State.Redoable, change.State.RedoBy, change.State.Undoes = &d.Now, 0, 0, "", nil
	if change.Batch != nil {
		change.Batch.Came = change.Upsert
		for _, e := range before {
			if !slices.Contains(after, e) {
				change.Batch.Gone = append(change.Batch.Gone, e)
			}
		}
	}
}

// says reports whether the school has said the same of the student.
func says(d *appsheet.Desk, said *store.SignalRow) bool {
	return slices.ContainsFunc(d.Known.Signals, func(x sheet.Signal) bool {
		return string(x.Kind) == said.Kind && x.Code == said.Code && x.Name == said.Name &&
			(x.Kind != sheet.Assignment || x.Value == credit.Amount(said.Value))
	})
}

// preparedEntries returns the entries after a batch.
func preparedEntries(d *appsheet.Desk, b *Batch) ([]store.EntryRow, error) {
	edit := &appsheet.Edit{Act: string(sheet.MakeRequest), Course: b.Course}
	switch b.Kind {
	case BatchAssign, BatchPlace:
		edit.Instead = b.Instead
		if course, ok := d.Year.Index(b.Course); ok && edit.Instead == "" {
			if placeholder, there := d.Known.Placeholder(&d.Sheet, course); there {
				edit.Instead = d.Year.Codes[placeholder]
			}
		}
		asked := slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == edit.Instead })
		if requested := slices.ContainsFunc(d.Row.Entries,
			func(e store.EntryRow) bool { return e.Course == b.Course && !e.Alternate }); requested && asked {
			edit.Act, edit.Course = string(sheet.TakeOff), edit.Instead // the course is there, what it replaces goes
		} else if asked {
			edit.Act = string(sheet.Replace)
		} else if requested || b.Kind == BatchPlace { // a test alone puts nothing on the sheet
			return d.Row.Entries, nil
		}
	case BatchTakeOff:
		edit.Act = string(sheet.TakeOff)
		if !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == b.Course }) {
			return nil, problem.New(problem.NotOnSheet)
		}
	default:
		return d.Row.Entries, nil
	}
	if err := d.May(acts.Edit); err != nil {
		return nil, err
	}
	return d.AfterBy(edit, true)
}

// recorded is the change that enters records, or puts one in the place of another.
func recorded(d *appsheet.Desk, b *Batch) (*store.Change, error) {
	change := d.Change(BatchRecord, b.Reason, nil)
	change.Prepares, change.Batch = true, &store.BatchPart{Batch: b.ID, Was: d.Row.State}
	var titles []string
	for i := range b.entries(d.Row.Student) {
		e := &b.entries(d.Row.Student)[i]
		r, err := e.Row(d.Year)
		if err != nil {
			return nil, err
		}
		if onRecord(d, r) {
			continue
		}
		if e.Replaces != 0 && !slices.Contains(d.Known.RecordIDs, e.Replaces) {
			return nil, problem.New(problem.NotFound)
		}
		r.Cells = e.Cells(d.Row.Student, r)
		change.Records, change.Replace = append(change.Records, r), e.Replaces
		titles = append(titles, r.Title)
		change.Detail = map[string]any{"course": r.Code, "message": strings.Join(titles, ", ")}
	}
	if len(change.Records) == 0 {
		return nil, problem.New(problem.Code(acts.AlreadyDone))
	}
	return change, nil
}

// entries are the records that a batch enters for a student.
func (b *Batch) entries(student string) (list []appsheet.Entry) {
	if b.Own == nil {
		return []appsheet.Entry{b.Record}
	}
	for _, own := range b.Own {
		if own.Student == student {
			list = append(list, own.Entry)
		}
	}
	return list
}

// onRecord reports whether the same is on record.
func onRecord(d *appsheet.Desk, r *store.RecordRow) bool {
	return slices.ContainsFunc(d.Known.Records, func(x sheet.Record) bool {
		return x.Code == r.Code && x.Title == r.Title && x.Year == r.Year && x.Term == r.Term &&
			int64(x.Credits) == r.Credits && string(x.Outcome) == r.Outcome &&
			x.HasMark == (r.Mark != nil) && (r.Mark == nil || int64(x.Mark) == *r.Mark)
	})
}
