package school

import (
	"slices"

	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// prepared is the change by which the school says something of a student, and what that does to the sheet.
func (d *Desk) prepared(b *Batch) (*store.Change, error) {
	kind := map[string]sheet.SignalKind{BatchAssign: sheet.Assignment, BatchExempt: sheet.Exemption, BatchPermit: sheet.Permission, BatchPlace: sheet.PlacementMade,
		BatchWaive: sheet.Waiver}[b.Kind]
	after, err := d.preparedEntries(b)
	if err != nil {
		return nil, err
	}
	before := d.Row.Entries
	change := d.change(b.Kind, b.Reason, map[string]any{"course": b.Course, "rule": b.Name, "before": before})
	change.Prepares = true
	if b.Kind == BatchTakeOff {
		for i := range d.Known.Signals {
			if x := &d.Known.Signals[i]; x.Code == b.Course && x.Kind == sheet.Assignment {
				change.Withdraw = append(change.Withdraw, d.Known.SignalIDs[i])
			}
		}
	} else {
		said := saidOf(d.Row.Student, kind, b.Course, b.Name, d.actor.ID, b.Reason)
		if b.Kind == BatchAssign && b.Fixed {
			said.Value, said.Cells["value"] = int64(credit.One), "1"
		}
		if !d.says(said) {
			change.Say(said)
		}
	}
	same := slices.Equal(normal(before), normal(after))
	if same && len(change.Signals) == 0 && len(change.Withdraw) == 0 {
		return nil, problem(Code(acts.AlreadyDone))
	}
	change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State, Unsaid: change.Withdraw}
	if !same {
		d.putOn(change, before, after)
	}
	return change, nil
}

// putOn lets a change of the school's write other entries. What the family did before cannot be undone past it.
func (d *Desk) putOn(change *store.Change, before, after []store.EntryRow) {
	change.Delete, change.Upsert = difference(before, after)
	change.State.ChangedAt, change.State.Undoable, change.State.Redoable, change.State.RedoBy, change.State.Undoes = &d.now, 0, 0, "", nil
	if change.Batch != nil {
		change.Batch.Came = change.Upsert
		for _, e := range before {
			if !slices.Contains(after, e) {
				change.Batch.Gone = append(change.Batch.Gone, e)
			}
		}
	}
}

// says tells whether the school has said the same of the student.
func (d *Desk) says(said *store.SignalRow) bool {
	return slices.ContainsFunc(d.Known.Signals, func(x sheet.Signal) bool {
		return string(x.Kind) == said.Kind && x.Code == said.Code && x.Name == said.Name && (x.Kind != sheet.Assignment || x.Value == credit.Amount(said.Value))
	})
}

// preparedEntries is what the entries are after a batch.
func (d *Desk) preparedEntries(b *Batch) ([]store.EntryRow, error) {
	edit := &Edit{Act: string(sheet.MakeRequest), Course: b.Course}
	switch b.Kind {
	case BatchAssign, BatchPlace:
		edit.Instead = b.Instead
		if course, ok := d.Year.Index(b.Course); ok && edit.Instead == "" {
			if placeholder, there := d.Known.Placeholder(&d.Sheet, course); there {
				edit.Instead = d.Year.Codes[placeholder]
			}
		}
		asked := slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == edit.Instead })
		if requested := slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == b.Course && !e.Alternate }); requested && asked {
			edit.Act, edit.Course = string(sheet.TakeOff), edit.Instead // the course is there, what it replaces goes
		} else if asked {
			edit.Act = string(sheet.Replace)
		} else if requested || b.Kind == BatchPlace { // a test alone puts nothing on the sheet
			return d.Row.Entries, nil
		}
	case BatchTakeOff:
		edit.Act = string(sheet.TakeOff)
		if !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == b.Course }) {
			return nil, problem(NotOnSheet)
		}
	default:
		return d.Row.Entries, nil
	}
	if err := d.may(acts.Edit); err != nil {
		return nil, err
	}
	return d.afterBy(edit, true)
}
