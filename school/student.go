package school

import (
	"context"
	"errors"
	"slices"
	"time"

	"rubricon/core/catalog"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

func yearLabel(start int) string { return policy.YearLabel(start) }

// personIn tells who a username is in a school and decides whether an act that concerns the school is allowed.
func (s *Service) personIn(ctx context.Context, q store.Queries, username, school string, act Act) (*store.Person, *atVersion, error) {
	row, err := q.School(ctx, school)
	if err != nil {
		return nil, nil, asNotFound(err)
	}
	at, err := s.at(ctx, q, school, row.Version)
	if err != nil {
		return nil, nil, err
	}
	p, err := at.person(ctx, q, school, username)
	if err != nil {
		return nil, nil, asNotFound(err)
	}
	return p, at, permit(act, relationIn(p))
}

// subject reads a sheet for an act and decides whether the act is allowed.
func (s *Service) subject(ctx context.Context, q store.Queries, username, school, student string, act Act, lock bool) (*subject, error) {
	row, err := q.Sheet(ctx, school, student, lock)
	if err != nil {
		return nil, asNotFound(err)
	}
	at, err := s.at(ctx, q, school, row.SchoolVersion)
	if err != nil {
		return nil, err
	}
	actor, err := at.person(ctx, q, school, username)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if err := permit(act, relationTo(actor, student)); err != nil {
		return nil, err
	}
	pupil, err := at.pupil(ctx, q, school, student)
	if err != nil {
		return nil, asNotFound(err)
	}
	k, err := at.known(ctx, q, &row, pupil.Grade)
	if err != nil {
		return nil, err
	}
	return &subject{SheetRow: row, Pupil: *pupil, actor: actor, known: k}, nil
}

// Sheet gives a judged sheet to whoever may see it.
func (s *Service) Sheet(ctx context.Context, username, school, student string) (*SheetView, error) {
	sub, err := s.subject(ctx, s.db.Queries(), username, school, student, ViewSheet, false)
	if err != nil {
		return nil, err
	}
	return s.view(sub)
}

// Effects tells whoever may see a sheet what adding each course would do to it.
func (s *Service) Effects(ctx context.Context, username, school, student string) (*EffectsView, error) {
	sub, err := s.subject(ctx, s.db.Queries(), username, school, student, ViewSheet, false)
	if err != nil {
		return nil, err
	}
	return effectsView(sub)
}

// checkOpen tells whether families may change the sheet now.
func (s *Service) checkOpen(sub *subject) error {
	switch {
	case sub.State == "cleared":
		return problem(Locked, "the sheet is cleared; a counselor can send it back")
	case sub.Opens == nil:
		return problem(NotOpenYet, "the school has not yet said when requests open")
	case s.now().Before(*sub.Opens):
		return problem(NotOpenYet, "requests open on %s", sub.Opens.Format(time.RFC3339))
	case !s.now().Before(*sub.FamiliesClose):
		return problem(Closed, "requests closed on %s; the school office can still change them", sub.FamiliesClose.Format(time.RFC3339))
	}
	return nil
}

// Edit is one change a student makes to a sheet.
type Edit struct {
	Version   int64    `json:"version" doc:"The version of the sheet the change was made on" minimum:"1"`
	Act       string   `json:"act" enum:"request,alternate,remove,order,undo"`
	Course    string   `json:"course,omitempty" maxLength:"100"`
	StandsFor string   `json:"standsFor,omitempty" maxLength:"100" doc:"alternate: the request it stands in for; empty: any"`
	List      string   `json:"list,omitempty" enum:"requests,alternates" doc:"order: which list"`
	Order     []string `json:"order,omitempty" maxItems:"60" doc:"order: every course of the list, once"`
}

var editErrors = map[error]struct {
	code   Code
	detail string
}{
	sheet.ErrFixed:      {Fixed, "the school has fixed this course on the sheet; a counselor can change it"},
	sheet.ErrNotOnSheet: {NotOnSheet, "the course is not on the sheet"},
	sheet.ErrBarred:     {Barred, "the course is not offered to this student; a counselor can say how it could be"},
	sheet.ErrEarned:     {Earned, "the course is already earned"},
	sheet.ErrOrder:      {BadOrder, "the order must name each course of the list once"},
	sheet.ErrStandsFor:  {BadStandsFor, "an alternate can only stand for a course that is requested"},
	sheet.ErrFull:       {Full, "the sheet is full; remove something first"},
}

func (e *Edit) apply(k *known, now *sheet.Sheet) (sheet.Sheet, error) {
	y := k.Year
	find := func(code string) (int32, error) {
		if i, ok := y.Index(code); ok {
			return i, nil
		}
		return 0, problem(NotFound, "no course has the code %q", code)
	}
	var out sheet.Sheet
	var course, standsFor int32
	var err error
	if e.Act != "order" {
		if course, err = find(e.Course); err != nil {
			return out, err
		}
	}
	switch e.Act {
	case "request":
		out, err = k.Request(now, course)
	case "alternate":
		if standsFor = sheet.Any; e.StandsFor != "" {
			if standsFor, err = find(e.StandsFor); err != nil {
				return out, err
			}
		}
		out, err = k.Alternate(now, course, standsFor)
	case "remove":
		out, err = k.Remove(now, course)
	case "order":
		order := make([]int32, len(e.Order))
		for i, code := range e.Order {
			if order[i], err = find(code); err != nil {
				return out, err
			}
		}
		out, err = k.Order(now, e.List == "alternates", order)
	default:
		return out, problem(BadInput, "there is no act %q", e.Act)
	}
	if known, ok := editErrors[err]; ok {
		return out, problem(known.code, "%s", known.detail)
	}
	return out, err
}

// Change makes one change to a sheet and keeps it at once; the answer is the whole judged sheet in its new version. A change
// made on an older version changes nothing and is answered with the sheet as it is.
//
// Nothing is locked while the sheet is judged: it is written by one statement that looks once more at the version.
func (s *Service) Change(ctx context.Context, username, school, student string, edit Edit) (*SheetView, error) {
	q := s.db.Queries()
	sub, err := s.subject(ctx, q, username, school, student, EditSheet, false)
	if err != nil {
		return nil, err
	}
	k := sub.known
	if err := s.checkOpen(sub); err != nil {
		return nil, err
	}
	if edit.Version != sub.Version {
		return nil, s.stale(sub)
	}
	before := sub.Entries
	kind, detail := "change", map[string]any{"act": edit.Act, "course": edit.Course, "before": before}
	if edit.Act == "undo" {
		version, earlier, err := q.Undoable(ctx, school, student)
		if errors.Is(err, store.ErrNotFound) {
			return nil, problem(NothingUndo, "there is nothing to undo")
		} else if err != nil {
			return nil, err
		}
		sub.Entries, kind, detail = inCatalog(k.Year, earlier), "undo", map[string]any{"undoes": version}
		sub.Undoable--
	} else {
		now := laid(k.Year, before)
		changed, err := edit.apply(k, &now)
		if err != nil {
			return nil, err
		}
		sub.Entries = rows(k.Year, &changed)
		sub.Undoable++
	}
	sub.Version++
	sub.ContentVersion = sub.Version
	if sub.State == "signed" {
		sub.State, sub.SignedAt, sub.SignedBy = "submitted", nil, ""
	}
	at := s.now()
	sub.ChangedAt = &at
	// The view is made before anything is kept: a sheet beyond the limits of judging is refused.
	view, err := s.view(sub)
	if err != nil {
		return nil, err
	}
	change := &store.Change{School: school, Student: student, Version: sub.Version, Actor: sub.actor.ID, Kind: kind, Detail: detail, Sheet: stateOf(sub)}
	change.Delete, change.Upsert = difference(before, sub.Entries)
	saved, err := q.SaveChange(ctx, change)
	if err != nil {
		return nil, err
	}
	if !saved { // somebody was quicker
		if sub, err = s.subject(ctx, q, username, school, student, EditSheet, false); err != nil {
			return nil, err
		}
		return nil, s.stale(sub)
	}
	return view, nil
}

// stale is the answer to a change on an older version: the sheet as it is now.
func (s *Service) stale(sub *subject) error {
	now, err := s.view(sub)
	if err != nil {
		return err
	}
	return &Error{Code: Stale, Detail: "the sheet was changed meanwhile, in another window or by another person; look at it again", Sheet: now}
}

// inCatalog leaves out entries whose course the catalog has no longer.
func inCatalog(y *catalog.Year, list []store.EntryRow) []store.EntryRow {
	return slices.DeleteFunc(list, func(e store.EntryRow) bool {
		_, ok := y.Index(e.Course)
		return !ok
	})
}

func stateOf(sub *subject) store.SheetState {
	return store.SheetState{ContentVersion: sub.ContentVersion, State: sub.State, ChangedAt: sub.ChangedAt, SubmittedAt: sub.SubmittedAt,
		SubmittedVersion: sub.SubmittedVersion, Receipt: sub.Receipt, SignedAt: sub.SignedAt, SignedBy: sub.SignedBy, ClearedAt: sub.ClearedAt,
		Message: sub.Message, Asked: sub.Asked, Undoable: sub.Undoable}
}

// difference gives the entries that go and those that are new or different.
func difference(before, after []store.EntryRow) (gone []string, kept []store.EntryIn) {
	for _, b := range before {
		if !slices.ContainsFunc(after, func(a store.EntryRow) bool { return a.Course == b.Course }) {
			gone = append(gone, b.Course)
		}
	}
	for _, a := range after {
		if slices.Contains(before, a) {
			continue
		}
		entry := store.EntryIn{Course: a.Course, Kind: "request", Rank: a.Rank}
		if a.Alternate {
			entry.Kind = "alternate"
		}
		if a.StandsFor != "" {
			entry.StandsFor = &a.StandsFor
		}
		kept = append(kept, entry)
	}
	return gone, kept
}

// act does something to a sheet that leaves its entries as they are, and answers with the judged sheet.
func (s *Service) act(ctx context.Context, username, school, student string, act Act, kind string,
	do func(q store.Queries, sub *subject) (detail map[string]any, err error)) (view *SheetView, err error) {
	err = s.db.Tx(ctx, func(q store.Queries) error {
		sub, err := s.subject(ctx, q, username, school, student, act, true)
		if err != nil {
			return err
		}
		detail, err := do(q, sub)
		if err != nil {
			return err
		}
		if detail == nil { // done before: the same answer again
			view, err = s.view(sub)
			return err
		}
		sub.Version++
		change := &store.Change{School: school, Student: student, Version: sub.Version, Actor: sub.actor.ID, Kind: kind, Detail: detail, Sheet: stateOf(sub)}
		if _, err := q.SaveChange(ctx, change); err != nil { // the sheet is locked, so its version is the one read
			return err
		}
		fresh, err := s.subject(ctx, q, username, school, student, act, false)
		if err != nil {
			return err
		}
		view, err = s.view(fresh)
		return err
	})
	if err != nil {
		return nil, err
	}
	return view, nil
}

// checkVersion refuses an act that was decided on an older version of the sheet.
func checkVersion(sub *subject, version int64) error {
	if version != sub.Version {
		return problem(Stale, "the sheet was changed meanwhile; look at it again")
	}
	return nil
}
