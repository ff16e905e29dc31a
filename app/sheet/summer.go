package sheet

import (
	"context"
	"fmt"
	"slices"

	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/store"
)

// apart reports whether the summer round has a window of its own, so that it is handed in on its own.
func (d *Desk) apart() bool { return d.Pupil.SummerOpens != nil }

// isSummer reports whether an entry belongs to the summer round.
func (d *Desk) isSummer(e store.EntryRow) bool {
	course, ok := d.Year.Index(e.Course)
	return ok && d.Year.Courses[course].Summer
}

// year gives, in order, the entries that are handed in with the sheet.
func (d *Desk) year(entries []store.EntryRow) []store.EntryRow {
	if d.apart() {
		entries = slices.DeleteFunc(slices.Clone(entries), d.isSummer)
	}
	return Normal(entries)
}

// submitted are the entries that go with a submission of the sheet.
func (d *Desk) submitted() []store.EntryRow {
	if d.apart() {
		return d.year(d.Row.Entries)
	}
	return d.Row.Entries
}

// summer gives, in order, the entries of the summer round.
func (d *Desk) summer(entries []store.EntryRow) []store.EntryRow {
	return Normal(slices.DeleteFunc(slices.Clone(entries), func(e store.EntryRow) bool { return !d.isSummer(e) }))
}

func codesOf(entries []store.EntryRow) []string {
	list := make([]string, len(entries))
	for i, e := range entries {
		list[i] = e.Course
	}
	return list
}

// holds reports of the sheet's part for the year, or of that for the summer, whether nothing is still to do but
// what waits for a person, and whether nothing is still to do at all.
func (d *Desk) holds(summer bool) (complete, ready bool) {
	if d.Judgement == nil || len(d.Gone) > 0 {
		return false, false
	}
	var todo []sheet.Todo
	for _, t := range d.Todo {
		if d.Known.OfSummer(&t) == summer {
			todo = append(todo, t)
		}
	}
	return sheet.Submittable(todo, d.Year.Policy.Settings.BelowMinimum), len(todo) == 0
}

// Summer is the summer round where it has a window of its own.
func (d *Desk) Summer() (s acts.Summer) {
	if !d.apart() {
		return s
	}
	s.Window = acts.Window{Opens: *d.Pupil.SummerOpens, Families: *d.Pupil.SummerFamilies, Counselors: *d.Pupil.SummerCounselor}
	now := codesOf(d.summer(d.Row.Entries))
	handed := d.Row.SheetState.Summer
	s.Asked = len(now) > 0 || handed != nil && len(handed.V.Courses) > 0
	s.Handed = handed != nil && slices.Equal(handed.V.Courses, now)
	s.Complete, _ = d.holds(true)
	return s
}

// SummerPhase is where the moment lies to the window of the summer round.
func (d *Desk) SummerPhase() acts.Phase {
	s := d.Summer()
	return s.Phase(d.Now)
}

// guardParts refuses a change of a part of the sheet that may not be changed now. What leaves the part for
// the summer as it is is no change of it.
func (d *Desk) guardParts(act acts.Act, before []store.EntryRow, reason string) error {
	if !d.apart() || d.Draft != nil {
		return nil
	}
	if !slices.Equal(d.year(before), d.year(d.Row.Entries)) {
		if err := d.Guard(act, reason); err != nil {
			return err
		}
	}
	if !slices.Equal(d.summer(before), d.summer(d.Row.Entries)) {
		return d.Guard(acts.EditSummer, reason)
	}
	return nil
}

// SubmitSummer hands in what is requested for the summer, on its own, with a receipt number of its own;
// handing in nothing takes back what was handed in. Doing it twice gives the same receipt.
func (s *Service) SubmitSummer(ctx context.Context, by int64, at schoolyear.Place, version int64, reason string) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.SubmitSummer, reason, func(d *Desk) (*store.Change, error) {
		number, err := s.base.DB.Queries().Sheet.NextReceipt(ctx)
		if err != nil {
			return nil, err
		}
		handed := store.Handed{Receipt: fmt.Sprintf("%s-%d", Initials(at.School), number), At: d.Now, Courses: codesOf(d.summer(d.Row.Entries))}
		change := d.Change("submitSummer", text.Tidy(reason), map[string]any{"receipt": handed.Receipt, "courses": handed.Courses})
		change.State.Summer = &store.JSON[store.Handed]{V: handed}
		return change, nil
	})
}
