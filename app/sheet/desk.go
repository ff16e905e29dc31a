package sheet

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rubricon/app/actor"
	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Desk is a sheet in front of someone: what is on it, what was found of it, and what this person may do with it.
type Desk struct {
	Row                    store.SheetRow
	Pupil                  store.Pupil
	Year                   *schoolyear.SchoolYear
	Known                  *schoolyear.Known
	Acts                   acts.Answers
	Next                   acts.Next
	VoidsYear, VoidsSummer bool // whether a change takes back what the school has: of the year, of the summer
	Judged

	Changed bool            // it differs from the submission that stands
	Kind    acts.Kind       // what lies on the desk
	Draft   *store.DraftRow // which draft, where it is one

	schedule *Sections
	Actor    *actor.Actor
	Teaches  bool // the reader teaches the student now
	Leads    bool // the reader leads the course that the student is to be taken into
	Now      time.Time
}

// Judged is a sheet with what was found of it.
type Judged struct {
	Sheet     sheet.Sheet
	Gone      []store.EntryRow // entries whose course the catalog has no longer
	Judgement *sheet.Judgement // nil where the sheet is beyond the limits of judging
	Todo      []sheet.Todo
	Complete  bool // nothing is still to do but what waits for a person
	Ready     bool // nothing is still to do at all
}

// Judge judges entries by what is known of the student. A sheet beyond the limits of judging is neither
// complete nor ready.
func Judge(k *schoolyear.Known, entries []store.EntryRow) (j Judged) {
	j.Sheet, j.Gone = Laid(k.Year, entries)
	judgement, err := k.Judge(&j.Sheet)
	if err != nil {
		return j
	}
	j.Judgement, j.Todo = judgement, k.Todo(judgement)
	j.Complete = len(j.Gone) == 0 && sheet.Submittable(j.Todo, k.Year.Policy.Settings.BelowMinimum)
	j.Ready = len(j.Gone) == 0 && judgement.Ready
	return j
}

// Open reads a sheet for someone who may see it, and looks at it. The error is NotFound for everybody else.
func (s *Service) Open(ctx context.Context, by int64, at schoolyear.Place) (*Desk, error) {
	d, err := s.Unseen(ctx, by, at)
	if err == nil {
		s.ports.People.NoteLook(ctx, d, d.Actor.To(at.Student))
	}
	return d, err
}

// Unseen reads a sheet for a program that someone who may see it has sent, such as a calendar: no one looks
// at it. The error is NotFound where they may not.
func (s *Service) Unseen(ctx context.Context, by int64, at schoolyear.Place) (*Desk, error) {
	row, err := s.base.DB.Queries().Sheet.Sheet(ctx, at)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	a, err := s.base.Years.Actor(ctx, at.School, at.Year, row.Roster, by)
	if err != nil {
		return nil, err
	}
	relation := a.To(at.Student)
	if seen := acts.Of(&acts.Case{Relation: relation}); !seen[acts.View].Allowed {
		return nil, problem.New(problem.NotFound)
	}
	d, err := s.Lay(ctx, row, a)
	if err != nil {
		return nil, err
	}
	if at.Draft == 0 {
		return d, nil
	}
	draft, err := s.base.DB.Queries().Sheet.Draft(ctx, at, at.Draft)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if draft.ShownAt == nil && !d.MayDraft() { // it is nobody else's yet
		return nil, problem.New(problem.NotFound)
	}
	d.onto(&draft)
	return d, nil
}

// Lay puts a sheet that was read on the desk, with all that it is judged by.
func (s *Service) Lay(ctx context.Context, row store.SheetRow, a *actor.Actor) (*Desk, error) {
	y, err := s.base.Years.Year(ctx, row.School, row.Year, row.Catalog, row.Policy)
	if err != nil {
		return nil, err
	}
	pupil, err := s.base.Years.Pupil(ctx, row.Place, &row.Versions)
	if err != nil {
		return nil, err
	}
	sections, err := s.SectionsOf(ctx, y, row.Roster)
	if err != nil {
		return nil, err
	}
	d := &Desk{Row: row, Pupil: *pupil, Year: y, schedule: sections, Actor: a, Now: s.base.Now()}
	known, err := s.base.Years.KnownOf(ctx, y, []*store.SheetRow{&d.Row})
	if err != nil {
		return nil, err
	}
	d.Known = known[0]
	return d, nil
}

// Judge judges the sheet and answers what may be done with it; version is the one the person has looked at, 0
// for the latest.
func (d *Desk) Judge(version int64) {
	d.find()
	d.Answer(version)
}

// find judges what is on the desk. Where the summer round is handed in on its own, its part holds nothing up.
func (d *Desk) find() {
	d.Judged = Judge(d.Known, d.Row.Entries)
	if d.apart() {
		d.Complete, d.Ready = d.holds(false)
	}
}

// Answer answers what may be done with the sheet as it was judged.
func (d *Desk) Answer(version int64) {
	handed := acts.State(d.Row.State).HandedIn()
	d.Changed = handed && !slices.Equal(d.year(d.Row.Entries), d.year(d.Row.Submitted.V))
	relation := d.Actor.To(d.Row.Student)
	relation.Teaches, relation.Leads = d.Teaches, d.Leads
	c := acts.Case{Relation: relation, Kind: d.Kind, State: acts.State(d.Row.State), Before: acts.State(d.Row.Before),
		Changed: d.Changed, Window: d.Window(), Now: d.Now,
		Settings: d.Year.Policy.Settings, Stale: version != 0 && version != d.Row.Version, Guardians: d.Pupil.Guardians,
		Undoable: d.Row.Undoable > 0, Redoable: d.Row.Redoable > 0,
		OthersEdit: d.Draft == nil && (d.Row.Undoes == nil || d.Row.Undoes.V.By != d.Actor.ID),
		OthersUndo: d.Draft == nil && d.Row.RedoBy != d.Actor.ID,
		Asked:      d.Row.Asked != "", Complete: d.Complete, Ready: d.Ready, Summer: d.Summer()}
	if handed {
		c.SignedByReader = slices.ContainsFunc(d.Row.Signatures.V, func(x store.SignatureShow) bool { return x.Person == d.Actor.ID })
	}
	if d.Row.Looked != nil {
		c.Looked = slices.Equal(d.year(d.Row.Entries), d.year(d.Row.Looked.V))
	}
	d.Acts, d.Next = acts.Of(&c), acts.NextOf(&c)
	d.VoidsYear, d.VoidsSummer = c.Voids(false), c.Voids(true)
}

// Window is when the sheet is open.
func (d *Desk) Window() acts.Window { return WindowOf(&d.Pupil) }

// WindowOf returns the request period of a student.
func WindowOf(p *store.Pupil) acts.Window {
	if p.Opens == nil {
		return acts.Window{}
	}
	return acts.Window{Opens: *p.Opens, Families: *p.FamiliesClose, Counselors: *p.CounselorsClose}
}

// HandedIn reports whether the school has what is on the sheet.
func (d *Desk) HandedIn() bool { return acts.State(d.Row.State).HandedIn() && !d.Changed }

// signatures counts those under the submission that stands.
func (d *Desk) signatures() (n acts.Signatures) {
	for _, x := range d.Row.Signatures.V {
		if x.ForFamily {
			n.For = true
		} else {
			n.Guardians++
		}
	}
	return n
}

// GuardianSigned reports whether a guardian has signed what was submitted, on the screen or on paper.
func (d *Desk) GuardianSigned() bool { return d.signatures().Guardians > 0 }

// settle moves the sheet on to its next state where the school's settings say so.
func (d *Desk) settle(state *store.SheetState, signed acts.Signatures) {
	was := acts.State(state.State).Stood(acts.State(state.Before))
	now := acts.Settle(was, d.Year.Policy.Settings, d.Pupil.Guardians, signed, d.Ready, state.Asked != "")
	if setState(state, now); now == acts.Cleared && was != now {
		state.ClearedAt = &d.Now
	}
}

// setState sets how far a sheet has come; one that is placed stays placed.
func setState(state *store.SheetState, to acts.State) {
	if acts.State(state.State) == acts.Placed {
		state.Before = string(to)
		return
	}
	state.State = string(to)
}

// Sheet returns a judged sheet to anyone who may see it.
func (s *Service) Sheet(ctx context.Context, by int64, at schoolyear.Place) (*Desk, error) {
	d, err := s.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	d.Judge(0)
	return d, nil
}

// Unless returns a sheet as Sheet does, unless its tag is one of those already known; then the desk is nil. A
// tag names a sheet in one state, for one reader, in one phase of its window.
func (s *Service) Unless(ctx context.Context, by int64, at schoolyear.Place, known func(tag string) bool) (*Desk, error) {
	d, err := s.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if known(d.Tag()) {
		return nil, nil
	}
	d.Judge(0)
	return d, nil
}

// Cover reports what happens if a request cannot be given; nil where that is beyond the limits of judging.
func (d *Desk) Cover() []sheet.Cover {
	cover, err := d.Known.Cover(&d.Sheet)
	if err != nil || d.Judgement == nil {
		return nil
	}
	return cover
}

// SeatWindow is when seats are chosen.
func (d *Desk) SeatWindow() acts.Window { return SeatWindowOf(&d.Pupil) }

// SeatPhase is where the moment lies to the window in which seats are chosen.
func (d *Desk) SeatPhase() acts.Phase { return d.SeatWindow().Phase(d.Now) }

// Today is the date in the school's time zone.
func (d *Desk) Today() string { return d.Now.In(d.Year.Zone()).Format(time.DateOnly) }

// Initials are the first two letters of a school's id.
func Initials(school string) string {
	letters := []rune(strings.ToUpper(school))
	return string(letters[:min(2, len(letters))])
}

// SeatWindowOf returns the dates in which a student chooses sections.
func SeatWindowOf(p *store.Pupil) acts.Window {
	if p.SeatOpens == nil {
		return acts.Window{}
	}
	return acts.Window{Opens: *p.SeatOpens, Families: *p.SeatFamilies, Counselors: *p.SeatCounselor}
}

// Tag names the sheet in the state it was read in.
func (d *Desk) Tag() string {
	r := &d.Row
	if d.Draft != nil {
		return fmt.Sprintf("draft%d.%d.%d.%d.%d.%d.%s", d.Draft.ID, r.Version, r.Facts, r.Catalog, r.Policy, r.Roster, d.Actor.ID)
	}
	return fmt.Sprintf("%d.%d.%d.%d.%d.%d.%d.%d.%d.%s", r.Version, r.Facts, r.Catalog, r.Policy, r.Roster,
		d.Window().Phase(d.Now), d.SummerPhase(), d.SeatPhase(), schoolyear.Moment(r.Reminded).Unix(), d.Actor.ID)
}
