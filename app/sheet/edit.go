package sheet

import (
	"context"
	"encoding/json"
	"errors"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/secret"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/sheet"
	"rubricon/store"
)

// instead reports whether the reader would do an act of the family in its place.
func (d *Desk) instead(act acts.Act) bool { return d.Acts[act].Allowed && d.Acts[act].Reason }

// Edit is one change to a sheet, courses being codes.
type Edit struct {
	Version   int64  // of the sheet it was made on
	Key       string // chosen by anyone who sends it: sent again, it is answered again and not made again
	Act       string // a kind of core/sheet, "undo" or "redo"
	Course    string
	StandsFor string // an alternate: the request it stands in for; empty: any
	Instead   string // a replacement: what gives its place
	Place     int    // a request or an alternate: the place it takes in its list, from 1; 0: the one it comes to
	List      string // an order: "requests" or "alternates"
	Order     []string
	Courses   []string // what is taken over
	Draft     int64    // "useDraft": the draft that comes in place of the sheet
	Then      int64    // "restore": the version of the sheet whose entries come back
	Reason    string   // where it is made for the family
}

// digest tells edits apart, whatever version of the sheet and key they come with.
func (e *Edit) digest() string {
	what := *e
	what.Version, what.Key = 0, ""
	text, err := json.Marshal(what)
	if err != nil {
		panic(err) // texts and numbers always marshal
	}
	return secret.Hashed(string(text))
}

// compile makes of an edit one in terms of the year.
func (e *Edit) compile(y *catalog.Year) (out sheet.Edit, err error) {
	find := func(code string) int32 {
		i, ok := y.Index(code)
		if !ok && err == nil {
			err = &problem.Error{Code: problem.NoCourse, Param: code}
		}
		return i
	}
	out = sheet.Edit{Kind: sheet.EditKind(e.Act), StandsFor: sheet.Any, Place: e.Place, Alternates: e.List == "alternates"}
	switch out.Kind {
	case sheet.PutInOrder:
		for _, code := range e.Order {
			out.Order = append(out.Order, find(code))
		}
		return out, err
	case sheet.TakeOver:
		for _, code := range e.Courses {
			out.Courses = append(out.Courses, find(code))
		}
		return out, err
	case sheet.FillIn:
		return out, nil
	case sheet.Replace:
		out.Instead = find(e.Instead)
	}
	out.Course = find(e.Course)
	if out.Kind == sheet.MakeAlternate && e.StandsFor != "" {
		out.StandsFor = find(e.StandsFor)
	}
	return out, err
}

// Change makes one change to a sheet and keeps it at once; the answer is the sheet in its new version. A
// change made on an older version changes nothing and is answered with the sheet as it is; one whose answer
// was lost is answered again.
//
// Nothing is locked while the sheet is judged: it is written by one statement that looks once more at the
// version.
func (s *Service) Change(ctx context.Context, by int64, at schoolyear.Place, edit Edit) (*Desk, error) {
	act := acts.Edit
	switch edit.Act {
	case "undo":
		act = acts.Undo
	case "redo":
		act = acts.Redo
	}
	edit.Reason = text.Tidy(edit.Reason)
	for range Tries {
		d, err := s.Open(ctx, by, at)
		if err != nil {
			return nil, err
		}
		if d.Draft == nil && edit.Version < d.Row.Version && edit.Key != "" {
			digest, err := s.base.DB.Queries().Sheet.Answered(ctx, at, edit.Version, edit.Key)
			switch {
			case err == nil && digest != "" && digest != edit.digest():
				return nil, problem.New(problem.KeyReused)
			case err == nil:
				d.Judge(0)
				return d, nil
			case !errors.Is(err, store.ErrNotFound):
				return nil, err
			}
		}
		d.Answer(edit.Version) // an edit does not wait for what is found
		may := act
		if !d.Acts[act].Allowed {
			d.Judge(edit.Version) // and the sheet is shown next to the refusal
			if act == acts.Edit && d.apart() && d.Acts[acts.EditSummer].Allowed {
				may = acts.EditSummer // which parts it changes is looked at below
			}
		}
		if err := d.Guard(may, edit.Reason); err != nil {
			s.Refused(ctx, d, may, err)
			return nil, err
		}
		before := d.Row.Entries
		if d.Draft != nil {
			return s.changeDraft(ctx, d, &edit)
		}
		change, err := s.edited(ctx, d, &edit)
		if err != nil || change == nil {
			return d, err
		}
		if err := d.guardParts(act, before, edit.Reason); err != nil {
			s.Refused(ctx, d, act, err)
			return nil, err
		}
		saved, err := s.base.DB.Queries().Sheet.SaveChange(ctx, change)
		if err != nil {
			return nil, err
		}
		if saved {
			d.Row.Version++
			s.ports.Messages.Told(at, d.Row.Version)
			d.Answer(0)
			return d, nil
		}
	}
	return nil, problem.New(problem.Busy)
}

// edited makes the change on the desk, and tells what to write; nothing where the change leaves the sheet as it is.
func (s *Service) edited(ctx context.Context, d *Desk, edit *Edit) (*store.Change, error) {
	before := d.Row.Entries
	var after []store.EntryRow
	kind, detail := "change", map[string]any{"act": edit.Act, "course": edit.Course, "before": before}
	if edit.Instead != "" {
		detail["instead"] = edit.Instead
	}
	if len(edit.Courses) > 0 {
		detail["courses"] = edit.Courses
	}
	next := undoState{undoable: d.Row.Undoable + 1,
		undoes: &store.Trace{Act: edit.Act, Course: edit.Course, Instead: edit.Instead, At: d.Now, By: d.Actor.ID}}
	back := edit.Act == "undo" || edit.Act == "redo"
	var err error
	switch edit.Act {
	case "undo", "redo":
		if after, next, err = s.turned(ctx, d, edit.Act, detail); edit.Act == "undo" {
			kind = "undo"
		}
	case "useDraft":
		after, err = s.ofDraft(ctx, d, edit.Draft)
	case "restore":
		after, err = s.restored(ctx, d, edit.Then)
	default:
		after, err = d.after(edit)
	}
	if err != nil {
		return nil, err
	}
	if slices.Equal(Normal(before), Normal(after)) && !back {
		d.Judge(0)
		return nil, nil
	}
	change := d.Change(kind, edit.Reason, detail)
	change.FactsVersion, change.Key, change.Digest = 0, edit.Key, edit.digest()
	change.Delete, change.Upsert = Difference(before, after)
	next.set(&change.State)
	change.State.ChangedAt = &d.Now
	d.Row.Entries, d.Row.SheetState, d.Row.Begun = after, change.State, true
	// The sheet is judged before anything is kept: one beyond the limits of judging is refused, unless it was so before.
	if d.find(); d.Judgement == nil && Judge(d.Known, before).Judgement != nil {
		return nil, problem.New(problem.TooComplex)
	}
	return change, nil
}

// undoState is what can be undone and done again after a change, and what the change undoes.
type undoState struct {
	undoable, redoable int
	redoBy             string       // whose undoing can be made good
	undoes             *store.Trace // nil: nothing
}

func (u *undoState) set(state *store.SheetState) {
	state.Undoable, state.Redoable, state.RedoBy, state.Undoes = u.undoable, u.redoable, u.redoBy, nil
	if u.undoes != nil {
		state.Undoes = &store.JSON[store.Trace]{V: *u.undoes}
	}
}

// turned undoes the last change, or does again what was undone last, and adds to detail which. The errors are NothingToUndo,
// NothingToRedo, and OthersAct where someone else did it.
func (s *Service) turned(ctx context.Context, d *Desk, act string, detail map[string]any) (after []store.EntryRow, next undoState, err error) {
	q, none := s.base.DB.Queries(), acts.NothingToUndo
	list, err := q.Sheet.Undoable(ctx, d.Row.Place)
	if act == "redo" {
		none = acts.NothingToRedo
		list, err = q.Sheet.Redoable(ctx, d.Row.Place)
	}
	switch {
	case err != nil:
		return nil, next, err
	case len(list) == 0:
		return nil, next, problem.New(problem.Code(none))
	case list[0].By != d.Actor.ID:
		return nil, next, problem.New(problem.Code(acts.OthersAct))
	}
	last := &list[0]
	detail["act"], detail["course"] = last.Act, last.Course
	if last.Instead != "" {
		detail["instead"] = last.Instead
	}
	if act == "redo" { // a change like the first time, which says what undoing it makes good
		detail["redoes"] = last.Version
		next = undoState{undoable: d.Row.Undoable + 1, redoable: d.Row.Redoable - 1,
			undoes: &store.Trace{Act: last.Act, Course: last.Course, Instead: last.Instead, At: d.Now, By: d.Actor.ID}}
		if len(list) > 1 {
			next.redoBy = list[1].By
		}
	} else {
		detail["undoes"] = last.Version
		next = undoState{undoable: d.Row.Undoable - 1, redoable: d.Row.Redoable + 1, redoBy: d.Actor.ID}
		if len(list) > 1 {
			next.undoes = &list[1].Trace
		}
	}
	after, err = d.inPlace(last.Before)
	return after, next, err
}

// after returns the entries on the desk after a change.
func (d *Desk) after(edit *Edit) ([]store.EntryRow, error) {
	return d.AfterBy(edit, d.instead(acts.Edit))
}

// AfterBy returns the entries on the desk after a change by the family or the school.
func (d *Desk) AfterBy(edit *Edit, school bool) ([]store.EntryRow, error) {
	before := d.Row.Entries
	if gone := slices.IndexFunc(before, func(e store.EntryRow) bool {
		_, there := d.Year.Index(e.Course)
		return !there && e.Course == edit.Course
	}); gone >= 0 && edit.Act == string(sheet.TakeOff) { // what has left the catalog can only be taken off
		return slices.Delete(slices.Clone(before), gone, gone+1), nil
	}
	compiled, err := edit.compile(d.Year.Year)
	if err != nil {
		return nil, err
	}
	compiled.School = school
	now, gone := Laid(d.Year.Year, before)
	changed, err := d.Known.Apply(&now, compiled)
	if code, known := editCodes[err]; known {
		return nil, problem.New(code)
	} else if err != nil {
		return nil, err
	}
	return append(rows(d.Year.Year, &changed), gone...), nil
}

// inCatalog leaves out entries whose course the catalog has no longer, and loosens ties to such.
func inCatalog(y *catalog.Year, list []store.EntryRow) (out []store.EntryRow) {
	for _, e := range list {
		if _, ok := y.Index(e.Course); !ok {
			continue
		}
		if _, ok := y.Index(e.StandsFor); !ok {
			e.StandsFor = ""
		}
		out = append(out, e)
	}
	return out
}

// Difference returns the entries that go and those that are new or different.
func Difference(before, after []store.EntryRow) (gone []string, kept []store.EntryRow) {
	for _, b := range before {
		if !slices.ContainsFunc(after, func(a store.EntryRow) bool { return a.Course == b.Course }) {
			gone = append(gone, b.Course)
		}
	}
	for _, a := range after {
		if !slices.Contains(before, a) {
			kept = append(kept, a)
		}
	}
	return gone, kept
}

var editCodes = map[error]problem.Code{sheet.ErrFixed: problem.Fixed, sheet.ErrNotOnSheet: problem.NotOnSheet,
	sheet.ErrBarred: problem.Barred, sheet.ErrEarned: problem.Earned, sheet.ErrOrder: problem.BadOrder,
	sheet.ErrStandsFor: problem.BadStandsFor, sheet.ErrFull: problem.Full, sheet.ErrSummer: problem.SummerAlternate,
	sheet.ErrOver: problem.OverMaximum, sheet.ErrThere: problem.OnSheet,
	sheet.ErrNothing: problem.NothingToAdd, sheet.ErrKind: problem.BadAct}

// EditCode returns the code of what core/sheet refuses an edit for.
func EditCode(err error) problem.Code { return editCodes[err] }
