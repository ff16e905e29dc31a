package seats

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/attendance"
	"rubricon/core/acts"
	"rubricon/core/dated"
	"rubricon/store"
)

// Attendance is the system that keeps attendance, which is not this one.
type Attendance interface {
	Marks(ctx context.Context, school, student string) ([]attendance.Mark, error)
	Change(ctx context.Context, school string, change *attendance.Change) error
}

// Mark is attendance that was taken of a student on a date, in a section.
type Mark = attendance.Mark

// Enrolled is all that a student is or was enrolled in.
type Enrolled struct {
	*Week
	Stays []Stay
	Away  bool            // the system that keeps attendance does not answer: marks are not known
	Going *store.DatedRow // a change that is under way; nil: none
	Days  []string
}

// Stay is an enrollment with its dates, and the attendance taken in it.
type Stay struct {
	Row        store.EnrollmentRow
	Section    int
	Begin, End string // End is exclusive; neither is empty
	Marks      []attendance.Mark
}

// Enrolled tells anyone who may see the sheet what the student is or was enrolled in, with dates; attendance is
// for who may change it.
func (s *Service) Enrolled(ctx context.Context, by int64, at schoolyear.Place) (*Enrolled, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, err
	}
	return s.enrolled(ctx, w)
}

func (s *Service) enrolled(ctx context.Context, w *Week) (*Enrolled, error) {
	e := &Enrolled{Week: w}
	rows, err := s.base.DB.Queries().Seats.Enrollments(ctx, w.Row.Place)
	if err != nil {
		return nil, err
	}
	switch going, err := s.base.DB.Queries().Seats.Dated(ctx, w.Row.Place); {
	case err == nil:
		e.Going = &going
	case !errors.Is(err, store.ErrNotFound):
		return nil, err
	}
	var marks []attendance.Mark
	if s.attendance != nil && w.SeatActs[acts.ChangeOn].Allowed {
		if marks, err = s.attendance.Marks(ctx, w.Row.School, w.Row.Student); err != nil {
			if !errors.Is(err, attendance.ErrAway) {
				return nil, err
			}
			s.base.Log.WarnContext(ctx, "attendance is not known", "error", err)
			e.Away = true
		}
	}
	for _, d := range w.Year.SchoolDays() {
		e.Days = append(e.Days, d.Date.Format(time.DateOnly))
	}
	for _, row := range rows {
		i, ok := w.table.At[row.Section]
		if !ok {
			continue
		}
		stay := Stay{Row: row, Section: i}
		stay.Begin, stay.End = dated.Filled(w.Year.Year, &w.table.Meets[i], dated.Stay{Begin: row.Begins, End: row.Ends})
		for _, m := range marks {
			if m.Section == row.Section && stay.Begin <= m.Date && m.Date < stay.End {
				stay.Marks = append(stay.Marks, m)
			}
		}
		e.Stays = append(e.Stays, stay)
	}
	return e, nil
}

// DatedChange is a change from a date on. Sections are ids.
type DatedChange struct {
	Drop, Add []string
	On        string // the first day in what comes, and the first day no longer in what goes
	Settle    string // what becomes of marks from that day on: move, delete; empty: nothing is said
	As        string // move: as what; empty: as they are
	Reason    string
}

// DatedEffect is the effect that a change would have.
type DatedEffect struct {
	*Enrolled
	Why    dated.Error // why it cannot be made; Why.Why is empty where it can
	Never  []int       // places of stays that would leave no trace
	Marks  []attendance.Mark
	Fits   []int // sections that could come in the place of what goes, or where nothing is, the ones that may be taken and have a seat first
	change *dated.Outcome
}

// TryChange reports what a change would do; nothing is changed. The error is NoSection; why it cannot be made
// is in the effect.
func (s *Service) TryChange(ctx context.Context, by int64, at schoolyear.Place, c DatedChange) (*DatedEffect, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if !w.SeatActs[acts.ChangeOn].Allowed {
		return nil, problem.New(problem.Code(w.SeatActs[acts.ChangeOn].Why))
	}
	e, err := s.enrolled(ctx, w)
	if err != nil {
		return nil, err
	}
	return e.try(&c)
}

// asDated returns the stays, the marks and the change in terms of core/dated.
func (e *Enrolled) asDated(c *DatedChange) (stays []dated.Stay, marks []dated.Mark, of []attendance.Mark, out dated.Change, err error) {
	for _, x := range e.Stays {
		stays = append(stays, dated.Stay{Section: x.Section, Begin: x.Row.Begins, End: x.Row.Ends})
		for _, m := range x.Marks {
			marks, of = append(marks, dated.Mark{Section: x.Section, Date: m.Date}), append(of, m)
		}
	}
	out.On = c.On
	for into, ids := range map[*[]int][]string{&out.Drop: c.Drop, &out.Add: c.Add} {
		for _, id := range ids {
			i, ok := e.table.At[id]
			if !ok {
				return nil, nil, nil, out, &problem.Error{Code: problem.NoSection, Param: id}
			}
			*into = append(*into, i)
		}
	}
	return stays, marks, of, out, nil
}

func (e *Enrolled) try(c *DatedChange) (*DatedEffect, error) {
	stays, marks, of, change, err := e.asDated(c)
	if err != nil {
		return nil, err
	}
	out := &DatedEffect{Enrolled: e}
	outcome, err := dated.Apply(e.Year.Year, e.table.Meets, stays, marks, change)
	var why *dated.Error
	switch {
	case errors.As(err, &why):
		out.Why = *why
	case err != nil:
		return nil, err
	default:
		out.change, out.Never = outcome, outcome.Never
		for _, m := range outcome.Move {
			out.Marks = append(out.Marks, of[m.Mark])
		}
		for _, m := range outcome.Delete {
			out.Marks = append(out.Marks, of[m])
		}
	}
	// What could come: whatever the change would hold with in the place of what is added.
	for i := range e.table.Meets {
		x := &e.table.Meets[i]
		shares := func(k int) bool { return k != i && x.Shares(&e.table.Meets[k]) }
		if len(change.Drop) > 0 && !slices.ContainsFunc(change.Drop, shares) {
			continue
		}
		try := dated.Change{Drop: change.Drop, Add: []int{i}, On: change.On}
		if _, err := dated.Apply(e.Year.Year, e.table.Meets, stays, nil, try); err == nil {
			out.Fits = append(out.Fits, i)
		}
	}
	weight := func(i int) int {
		switch l := &e.Lines[i]; {
		case slices.Contains(change.Add, i):
			return 0
		case l.May == "" && l.Left > 0:
			return 1
		case l.May == "":
			return 2
		}
		return 3
	}
	slices.SortStableFunc(out.Fits, func(a, b int) int {
		return cmp.Or(weight(a)-weight(b), cmp.Compare(e.Lines[b].Rank, e.Lines[a].Rank))
	})
	return out, nil
}

// ChangeOn makes a change from a date on, with a reason: what goes ends then, or leaves no trace where the
// student never attended; what comes begins then, with neither a gap nor an overlap. Attendance comes first:
// marks from that day on are moved or taken back in the system that keeps them, as is said, or nothing is
// changed at all. Where that system does not answer, the change stays under way, and a job goes on with it.
// The errors are those of TryChange, BadDate with why, NeedsSettling, SeatGone, AttendanceAway (before
// anything is begun), MarksChanged, ChangeUnderWay and NeedsReason.
func (s *Service) ChangeOn(ctx context.Context, by int64, at schoolyear.Place, c DatedChange) (*Enrolled, error) {
	c.Reason = text.Tidy(c.Reason)
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if err := w.guardSeats(acts.ChangeOn, c.Reason); err != nil {
		return nil, err
	}
	e, err := s.enrolled(ctx, w)
	if err != nil {
		return nil, err
	}
	switch {
	case e.Going != nil:
		return nil, problem.New(problem.ChangeUnderWay)
	case e.Away:
		return nil, problem.New(problem.AttendanceAway)
	}
	effect, err := e.try(&c)
	if err != nil {
		return nil, err
	}
	if effect.Why.Why != "" {
		return nil, &problem.Error{Code: problem.BadDate, Param: string(effect.Why.Why)}
	}
	if len(effect.Marks) > 0 && c.Settle != "move" && c.Settle != "delete" || c.As != "" && !slices.Contains(attendance.Marks, c.As) {
		return nil, problem.New(problem.NeedsSettling)
	}
	there, back := effect.settle(&c, rand.Text())
	stays := effect.write(&c)
	stays.By, stays.At = w.Actor.Name().Name, w.Now
	detail, err := json.Marshal(map[string]any{"marks": len(effect.Marks), "settle": c.Settle, "never": len(effect.Never)})
	if err != nil {
		return nil, err
	}
	row := &store.DatedRow{Place: at, Key: there.Key, Adds: store.JSON[[]string]{V: append([]string{}, c.Add...)},
		Stays: store.JSON[store.StayChange]{V: *stays}, MadeAt: w.Now, NextAt: w.Now.Add(datedLease)}
	row.Note.V = store.SeatAct{Kind: "change", Came: store.JSON[[]string]{V: append([]string{}, c.Add...)},
		Gone: store.JSON[[]string]{V: append([]string{}, c.Drop...)}, On: c.On, Detail: detail, Reason: c.Reason,
		ByID: w.Actor.ID, By: w.Actor.Name().Name, At: w.Now}
	for _, x := range e.Stays {
		row.Was.V = append(row.Was.V, x.Row)
	}
	if row.Asked.V, err = asMap(there); err == nil {
		row.Back.V, err = asMap(back)
	}
	if err != nil {
		return nil, err
	}
	asks := len(effect.Marks) > 0
	if err := s.noteDated(ctx, w, row, asks); err != nil {
		return nil, err
	}
	if asks { // also where anyone who asked has left: what is begun is carried out, or a job does it
		aside, stop := context.WithTimeout(context.WithoutCancel(ctx), datedLease/2)
		defer stop()
		if err := s.carryOut(aside, row); err != nil && !errors.Is(err, attendance.ErrAway) {
			return nil, err
		}
	}
	return s.Enrolled(ctx, by, at)
}

// settle is what becomes of the marks that a change concerns, and how that would be taken back.
func (x *DatedEffect) settle(c *DatedChange, key string) (there, back *attendance.Change) {
	there, back = &attendance.Change{Key: key, Move: []attendance.Move{},
		Delete: []attendance.Mark{}}, &attendance.Change{Key: key + "-back", Move: []attendance.Move{}, Delete: []attendance.Mark{}}
	moved := len(x.change.Move)
	for i, m := range x.Marks {
		back.Add = append(back.Add, m)
		if i < moved && c.Settle == "move" {
			to := x.Sections[x.change.Move[i].To].ID
			there.Move = append(there.Move, attendance.Move{Mark: m, To: to, As: c.As})
			back.Delete = append(back.Delete, attendance.Mark{Student: m.Student, Section: to, Date: m.Date})
		} else {
			there.Delete = append(there.Delete, m)
		}
	}
	return there, back
}

// write returns the enrollments that the change ends and begins.
func (x *DatedEffect) write(c *DatedChange) *store.StayChange {
	out := &store.StayChange{Ends: map[int64]string{}, Gone: []int64{}, Came: append([]string{}, c.Add...), On: c.On}
	kept := 0
	for i := range x.Stays {
		if slices.Contains(x.Never, i) {
			out.Gone = append(out.Gone, x.Stays[i].Row.ID)
			continue
		}
		if end := x.change.Stays[kept].End; end != x.Stays[i].Row.Ends {
			out.Ends[x.Stays[i].Row.ID] = end
		}
		kept++
	}
	return out
}
