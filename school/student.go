package school

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Tag names the sheet in the state it was read in.
func (d *Desk) Tag() string {
	r := &d.Row
	return fmt.Sprintf("%d.%d.%d.%d.%d.%d.%s", r.Version, r.Facts, r.Catalog, r.Policy, r.Roster, d.Window().Phase(d.now), d.actor.ID)
}

// Effects is what adding each course would do to a sheet.
type Effects struct {
	Desk    *Desk
	Effects []sheet.Effect
}

// Effects tells whoever may see a sheet what adding each course would do to it.
func (s *Service) Effects(ctx context.Context, by int64, at Place) (*Effects, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, err
	}
	effects, err := d.Known.Effects(&d.Sheet, d.instead(acts.Edit))
	if err != nil {
		return nil, problem(TooComplex)
	}
	return &Effects{d, effects}, nil
}

// instead tells whether the reader would do an act of the family in its place.
func (d *Desk) instead(act acts.Act) bool { return d.Acts[act].Allowed && d.Acts[act].Reason }

// Edit is one change to a sheet, courses being codes.
type Edit struct {
	Version   int64  // of the sheet it was made on
	Key       string // chosen by whoever sends it: sent again, it is answered again and not made again
	Act       string // a kind of core/sheet, or "undo"
	Course    string
	StandsFor string // an alternate: the request it stands in for; empty: any
	List      string // an order: "requests" or "alternates"
	Order     []string
	Reason    string // where it is made for the family
}

// compile makes of an edit one in terms of the year.
func (e *Edit) compile(y *catalog.Year) (out sheet.Edit, err error) {
	find := func(code string) int32 {
		i, ok := y.Index(code)
		if !ok && err == nil {
			err = &Error{Code: NoCourse, Param: code}
		}
		return i
	}
	out = sheet.Edit{Kind: sheet.EditKind(e.Act), StandsFor: sheet.Any, Alternates: e.List == "alternates"}
	if out.Kind == sheet.PutInOrder {
		for _, code := range e.Order {
			out.Order = append(out.Order, find(code))
		}
		return out, err
	}
	out.Course = find(e.Course)
	if out.Kind == sheet.MakeAlternate && e.StandsFor != "" {
		out.StandsFor = find(e.StandsFor)
	}
	return out, err
}

// Change makes one change to a sheet and keeps it at once; the answer is the sheet in its new version. A change made on an older
// version changes nothing and is answered with the sheet as it is; one whose answer was lost is answered again.
//
// Nothing is locked while the sheet is judged: it is written by one statement that looks once more at the version.
func (s *Service) Change(ctx context.Context, by int64, at Place, edit Edit) (*Desk, error) {
	act := acts.Edit
	if edit.Act == "undo" {
		act = acts.Undo
	}
	edit.Reason = tidy(edit.Reason)
	for range tries {
		d, err := s.open(ctx, by, at)
		if err != nil {
			return nil, err
		}
		if edit.Version < d.Row.Version && edit.Key != "" {
			if answered, err := s.db.Queries().Answered(ctx, at, edit.Version, edit.Key); err != nil {
				return nil, err
			} else if answered {
				d.judge(0)
				return d, nil
			}
		}
		d.answer(edit.Version) // an edit does not wait for what is found
		if !d.Acts[act].Allowed {
			d.judge(edit.Version) // and the sheet is shown beside the refusal
		}
		if err := d.guard(act, edit.Reason); err != nil {
			s.refused(ctx, d, act, err)
			return nil, err
		}
		change, err := s.edited(ctx, d, &edit)
		if err != nil || change == nil {
			return d, err
		}
		saved, err := s.db.Queries().SaveChange(ctx, change)
		if err != nil {
			return nil, err
		}
		if saved {
			d.Row.Version++
			s.told(at, d.Row.Version)
			d.answer(0)
			return d, nil
		}
	}
	return nil, problem(Busy)
}

// edited makes the change on the desk, and tells what to write; nothing where the change leaves the sheet as it is.
func (s *Service) edited(ctx context.Context, d *Desk, edit *Edit) (*store.Change, error) {
	before := d.Row.Entries
	var after []store.EntryRow
	kind, detail := "change", map[string]any{"act": edit.Act, "course": edit.Course, "before": before}
	undoable := d.Row.Undoable + 1
	if edit.Act == "undo" {
		version, earlier, err := s.db.Queries().Undoable(ctx, d.Row.Place)
		if errors.Is(err, store.ErrNotFound) {
			return nil, problem(Code(acts.NothingToUndo))
		} else if err != nil {
			return nil, err
		}
		kind, detail, undoable = "undo", map[string]any{"undoes": version}, d.Row.Undoable-1
		after = inCatalog(d.Year.Year, earlier)
	} else if gone := slices.IndexFunc(before, func(e store.EntryRow) bool {
		_, there := d.Year.Index(e.Course)
		return !there && e.Course == edit.Course
	}); gone >= 0 && edit.Act == string(sheet.TakeOff) { // what has left the catalog can only be taken off
		after = slices.Delete(slices.Clone(before), gone, gone+1)
	} else {
		compiled, err := edit.compile(d.Year.Year)
		if err != nil {
			return nil, err
		}
		compiled.School = d.instead(acts.Edit)
		now, gone := laid(d.Year.Year, before)
		changed, err := d.Known.Apply(&now, compiled)
		if code, known := editCodes[err]; known {
			return nil, problem(code)
		} else if err != nil {
			return nil, err
		}
		after = append(rows(d.Year.Year, &changed), gone...)
	}
	if slices.Equal(normal(before), normal(after)) && edit.Act != "undo" {
		d.judge(0)
		return nil, nil
	}
	change := d.change(kind, edit.Reason, detail)
	change.FactsVersion, change.Key = 0, edit.Key
	change.Delete, change.Upsert = difference(before, after)
	change.State.Undoable, change.State.ChangedAt = undoable, &d.now
	d.Row.Entries, d.Row.SheetState, d.Row.Touched = after, change.State, true
	// The sheet is judged before anything is kept: one beyond the limits of judging is refused, unless it was so before.
	if d.Judged = judge(d.Known, after); d.Judgement == nil && judge(d.Known, before).Judgement != nil {
		return nil, problem(TooComplex)
	}
	return change, nil
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

// difference gives the entries that go and those that are new or different.
func difference(before, after []store.EntryRow) (gone []string, kept []store.EntryRow) {
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

// Claiming is a family's statement that what a course asks for was met elsewhere.
type Claiming struct {
	Version int64
	Course  string // the requested course, or alternate, whose condition it is
	Kind    string // of the leaf: passed, alongside, score, recommended, permission, program, credits
	Name    string // of the leaf
	Note    string // where it was met, in words
}

// MakeClaim keeps a family's statement; it counts as met only when a counselor confirms it. Whoever may change the sheet may make one,
// about what the condition of a course on it asks for and nothing meets.
func (s *Service) MakeClaim(ctx context.Context, by int64, at Place, c Claiming) (*Desk, error) {
	c.Note = tidy(c.Note)
	return s.act(ctx, by, at, c.Version, acts.Edit, c.Note, func(d *Desk) (*store.Change, error) {
		if c.Note == "" {
			return nil, problem(NeedsMessage)
		}
		signal, err := d.claimed(&c)
		if err != nil {
			return nil, err
		}
		signal.By, signal.Note = d.actor.ID, c.Note
		signal.Cells = store.Cells{"student": at.Student, "kind": signal.Kind, "courseCode": signal.Code, "name": signal.Name, "by": signal.By, "note": signal.Note}
		change := d.change("claim", "", map[string]any{"course": c.Course, "message": c.Note})
		change.Signal = signal
		return change, nil
	})
}

// claimed makes of a claim a signal. The errors are NotOnSheet, and NoClaim where there is nothing of the kind to be claimed.
func (d *Desk) claimed(c *Claiming) (*store.SignalRow, error) {
	course, ok := d.Year.Index(c.Course)
	if !ok || !slices.ContainsFunc(slices.Concat(d.Sheet.Requests, d.Sheet.Summer, d.Sheet.Alternates), func(e sheet.Entry) bool { return e.Course == course }) {
		return nil, problem(NotOnSheet)
	}
	for _, proof := range d.Known.Explain(&d.Sheet, course) {
		leaf := proof.Leaf
		if leaf.Kind.String() != c.Kind || leaf.Name != c.Name || leaf.Kind == condition.Grade || proof.Verdict >= condition.Expected {
			continue
		}
		signal := &store.SignalRow{Kind: string(sheet.Claim), Name: leaf.Name}
		switch leaf.Kind {
		case condition.Passed, condition.Alongside:
			signal.Code, signal.Name = leaf.Name, ""
		case condition.Recommended:
			signal.Code, signal.Name = c.Course, "recommended"
		}
		for i := range d.Known.Claims {
			if d.Known.Claims[i].About(leaf, c.Course) {
				return nil, problem(Code(acts.AlreadyDone))
			}
		}
		return signal, nil
	}
	return nil, problem(NoClaim)
}

// Submit hands the sheet in: it is refused with the list of what to mend, or accepted with a receipt number and time. Submitting the
// same sheet twice gives the same receipt. Agreed names the commitments that the student agrees to, all that concern them; who submits
// for the student agrees to none in their place.
func (s *Service) Submit(ctx context.Context, by int64, at Place, version int64, reason string, agreed ...string) (*Desk, error) {
	return s.act(ctx, by, at, version, acts.Submit, reason, func(d *Desk) (*store.Change, error) {
		agreed, err := d.agreedTo(false, agreed, d.instead(acts.Submit))
		if err != nil {
			return nil, err
		}
		number, err := s.db.Queries().NextReceipt(ctx)
		if err != nil {
			return nil, err
		}
		receipt := fmt.Sprintf("%s-%d", initials(at.School), number)
		change := d.change("submit", tidy(reason), map[string]any{"receipt": receipt})
		change.State.State, change.State.Submission = string(acts.Submitted), d.Row.Submission+1
		change.State.Message, change.State.Asked, change.State.ClearedAt = "", "", nil
		change.Submission = &store.Submission{Receipt: receipt, Catalog: d.Year.CatalogVersion, Policy: d.Year.PolicyVersion, Entries: d.Row.Entries, Judgement: summary(d), Agreed: agreed}
		d.settle(&change.State, acts.Signatures{}, d.now)
		return change, nil
	})
}

// Agree lists the ids of the commitments that concern the student on submitting, and a guardian on signing.
func (d *Desk) Agree() (student, guardian []string) {
	student, guardian = []string{}, []string{}
	for _, place := range d.Known.Commitments(&d.Sheet) {
		c := &d.Year.Commitments[place]
		if c.Student {
			student = append(student, c.ID)
		}
		if c.Guardian {
			guardian = append(guardian, c.ID)
		}
	}
	return student, guardian
}

// agreedTo checks that every commitment that concerns the student, or a guardian, is among those agreed to. The error is NeedsCommitment.
// Where somebody of the school acts for the family, nothing is agreed to.
func (d *Desk) agreedTo(guardian bool, agreed []string, instead bool) (kept []string, err error) {
	if instead {
		return nil, nil
	}
	kept, guardians := d.Agree()
	if guardian {
		kept = guardians
	}
	for _, id := range kept {
		if !slices.Contains(agreed, id) {
			return nil, &Error{Code: NeedsCommitment, Param: id}
		}
	}
	return kept, nil
}

// initials are the first two letters of a school's id.
func initials(school string) string {
	letters := []rune(strings.ToUpper(school))
	return string(letters[:min(2, len(letters))])
}

// Judgement is what is kept with a submission of what was found of it.
type Judgement struct {
	Ready    bool            `json:"ready"`
	Fits     bool            `json:"fits"`
	Rules    []JudgedRule    `json:"rules"`
	Requests []JudgedRequest `json:"requests"`
}

// JudgedRule is a rule that was in force.
type JudgedRule struct {
	ID       string        `json:"id"`
	Measured credit.Amount `json:"measured"`
	Holds    bool          `json:"holds"`
}

// JudgedRequest is a course that was requested, with the terms it was laid into.
type JudgedRequest struct {
	Course string   `json:"course"`
	Entry  string   `json:"entry"`
	Repeat bool     `json:"repeat,omitempty"`
	Barred bool     `json:"barred,omitempty"`
	Terms  []string `json:"terms"`
}

func summary(d *Desk) Judgement {
	y, j := d.Year.Year, d.Judgement
	out := Judgement{Ready: j.Ready, Fits: j.Packing.Fits(), Rules: []JudgedRule{}, Requests: []JudgedRequest{}}
	for _, r := range j.Rules {
		out.Rules = append(out.Rules, JudgedRule{y.Rules[r.Rule].ID, r.Measured, r.Holds})
	}
	for i, r := range j.Requests {
		entry := "none"
		if r.HasEntry {
			entry = r.Entry.String()
		}
		out.Requests = append(out.Requests, JudgedRequest{y.Codes[r.Course], entry, r.Repeat, r.Barred, y.TermNames(j.Packing.Spans[i])})
	}
	return out
}
