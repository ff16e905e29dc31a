package seats

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"rubricon/app/problem"
	"rubricon/attendance"
	"rubricon/store"
)

// A change with a date that concerns attendance goes through two systems. It is written down first
// (noteDated), with its seats kept; then the other system is asked under a key by which it makes it once;
// then it is made here (makeDated), or, where that cannot be any more, taken back there. No lock is held
// while the other system is asked. A process that ends between any two steps leaves the row, and a job goes
// on.

// Bounds of a change that is under way.
const (
	datedLease  = 30 * time.Second // for which anyone who has it goes on with it
	datedAtOnce = 20
	datedFor    = 15 * time.Minute // for which the other system is asked to make it; then it is taken back
)

// datedTries are the times after which the other system is asked again; the last one again and again.
var datedTries = []time.Duration{10 * time.Second, 30 * time.Second, time.Minute, 5 * time.Minute, 15 * time.Minute}

func asMap(c *attendance.Change) (out map[string]any, err error) {
	text, err := json.Marshal(c)
	if err != nil {
		return nil, err
	}
	return out, json.Unmarshal(text, &out)
}

func asChange(m map[string]any) (c *attendance.Change, err error) {
	text, err := json.Marshal(m)
	if err != nil {
		return nil, err
	}
	c = &attendance.Change{}
	return c, json.Unmarshal(text, c)
}

// noteDated writes a change down where it can be made now; where no one has to be asked, it makes it at once.
// The errors are Busy, SeatGone and ChangeUnderWay.
func (s *Service) noteDated(ctx context.Context, w *Week, row *store.DatedRow, asks bool) error {
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		choice, err := q.Seats.LockChoice(ctx, row.Place)
		switch {
		case err != nil:
			return err
		case choice.UnderWay:
			return problem.New(problem.ChangeUnderWay)
		case choice.Version != w.Choice.Version: // someone was quicker
			return problem.New(problem.Busy)
		}
		seats, err := q.Seats.LockSections(ctx, row.Place, slices.Concat(row.Adds.V, row.Note.V.Gone.V), row.Stays.V.On, w.Now)
		if err != nil {
			return err
		}
		for _, id := range row.Adds.V {
			if x := seats[id]; x.Taken >= x.Seats {
				return &problem.Error{Code: problem.SeatGone, Param: id}
			}
		}
		if asks {
			return q.Seats.NoteDated(ctx, row)
		}
		return s.writeDated(ctx, q, &choice, row)
	})
	if err == nil {
		s.toldDated(ctx, row, asks)
	}
	return err
}

// writeDated makes a change in the enrollments of a student whose choice is locked.
func (s *Service) writeDated(ctx context.Context, q store.Queries, choice *store.ChoiceRow, row *store.DatedRow) error {
	if err := q.Seats.ChangeStays(ctx, row.Place, &row.Stays.V); err != nil {
		return err
	}
	if err := q.Seats.NoteSeats(ctx, row.Place, &row.Note.V); err != nil {
		return err
	}
	return q.Seats.SaveChoice(ctx, row.Place, choice)
}

// toldDated lets others see what has changed; going: it is under way.
func (s *Service) toldDated(ctx context.Context, row *store.DatedRow, going bool) {
	s.ForgetTaken(row.School, row.Year)
	s.ports.Messages.ToldSeats(row.Place, slices.Concat(row.Adds.V, row.Note.V.Gone.V))
	if !going {
		s.base.Log.InfoContext(ctx, "enrollments were changed from a date on", "school", row.School, "year", row.Year, "by",
			row.Note.V.ByID, "sections", len(row.Adds.V)+len(row.Note.V.Gone.V))
		s.offerGone(ctx, row)
	}
}

// offerGone offers the seats that a change has freed to those who wait for them; where that fails the next round does.
func (s *Service) offerGone(ctx context.Context, row *store.DatedRow) {
	for _, id := range row.Note.V.Gone.V {
		if err := s.offerFreed(ctx, &store.WaitedFor{Place: row.Place, Section: id}); err != nil {
			s.base.Log.WarnContext(ctx, "a seat that came free is offered later", "school", row.School, "section", id, "error", err)
		}
	}
}

// carryOut goes on with a change that is written down: it asks the other system, and makes the change here or
// takes it back. The errors are attendance.ErrAway, after which a job goes on, MarksChanged and
// SectionChanged, after which nothing is changed.
func (s *Service) carryOut(ctx context.Context, row *store.DatedRow) error {
	if s.attendance == nil {
		return attendance.ErrAway
	}
	if !row.GoesBack {
		asked, err := asChange(row.Asked.V)
		if err == nil {
			err = s.attendance.Change(ctx, row.School, asked)
		}
		switch {
		case errors.Is(err, attendance.ErrRefused):
			if _, err := s.base.DB.Queries().Seats.EndDated(ctx, row); err != nil {
				return err
			}
			s.toldDated(ctx, row, true)
			return problem.New(problem.MarksChanged)
		case err != nil:
			return errors.Join(attendance.ErrAway, err, s.putOffDated(ctx, row, s.base.Now().Sub(row.MadeAt) > datedFor))
		}
		made, err := s.makeDated(ctx, row)
		if err != nil || made {
			return err
		}
		row.GoesBack = true // the enrollments are not those that it was decided on
		if err := s.base.DB.Queries().Seats.PutOffDated(ctx, row, true, s.base.Now().Add(datedLease)); err != nil {
			return err
		}
	}
	back, err := asChange(row.Back.V)
	if err == nil {
		err = s.attendance.Change(ctx, row.School, back)
	}
	if err != nil && !errors.Is(err, attendance.ErrRefused) {
		return errors.Join(attendance.ErrAway, err, s.putOffDated(ctx, row, true))
	}
	if err != nil {
		s.base.Log.ErrorContext(ctx, "attendance that was moved for a change that is not made cannot be moved back", "school",
			row.School, "year", row.Year, "key", row.Key, "error", err)
	}
	if err := s.endDated(ctx, row); err != nil {
		return err
	}
	return problem.New(problem.SectionChanged)
}

func (s *Service) putOffDated(ctx context.Context, row *store.DatedRow, goesBack bool) error {
	again := datedTries[min(row.Tries, len(datedTries)-1)]
	s.base.Log.WarnContext(ctx, "attendance does not answer; a change waits", "school", row.School, "year", row.Year, "key",
		row.Key, "tries", row.Tries+1, "goes back", goesBack)
	return s.base.DB.Queries().Seats.PutOffDated(ctx, row, goesBack, s.base.Now().Add(again))
}

// makeDated makes a change here for which the other system has made its part, and reports whether it did:
// where the enrollments are not those that it was decided on it does not. Doing it twice makes it once.
func (s *Service) makeDated(ctx context.Context, row *store.DatedRow) (made bool, err error) {
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		choice, err := q.Seats.LockChoice(ctx, row.Place)
		if err != nil {
			return err
		}
		there, err := q.Seats.EndDated(ctx, row)
		if err != nil || !there { // it is made already
			made = err == nil
			return err
		}
		is, err := q.Seats.Enrollments(ctx, row.Place)
		if err != nil {
			return err
		}
		same := func(a, b store.EnrollmentRow) bool { return a.ID == b.ID && a.Begins == b.Begins && a.Ends == b.Ends }
		if !slices.EqualFunc(is, row.Was.V, same) {
			return errOtherStays
		}
		made = true
		return s.writeDated(ctx, q, &choice, row)
	})
	if errors.Is(err, errOtherStays) {
		return false, nil
	}
	if err == nil {
		s.toldDated(ctx, row, false)
	}
	return made, err
}

var errOtherStays = errors.New("the enrollments are not those that the change was decided on")

// endDated notes that a change was taken back.
func (s *Service) endDated(ctx context.Context, row *store.DatedRow) error {
	err := s.base.DB.Tx(ctx, func(q store.Queries) error {
		if there, err := q.Seats.EndDated(ctx, row); err != nil || !there {
			return err
		}
		note := row.Note.V
		note.Kind, note.At = "changeBack", s.base.Now()
		return q.Seats.NoteSeats(ctx, row.Place, &note)
	})
	if err == nil {
		s.toldDated(ctx, row, true)
	}
	return err
}

// SettleChanges goes on with the changes with which no one does.
func (s *Service) SettleChanges(ctx context.Context) error {
	for ctx.Err() == nil {
		now := s.base.Now()
		list, err := s.base.DB.Queries().Seats.TakeDated(ctx, now, now.Add(datedLease), datedAtOnce)
		if err != nil || len(list) == 0 {
			return err
		}
		for i := range list {
			err := s.carryOut(ctx, &list[i])
			if code := problem.CodeOf(err); err != nil && !errors.Is(err, attendance.ErrAway) && code == "" {
				s.base.Log.ErrorContext(ctx, "a change with a date", "school", list[i].School, "year", list[i].Year, "key", list[i].Key, "error", err)
			}
		}
	}
	return ctx.Err()
}

// underWay refuses what would change a student's enrollments while a change with a date is under way.
func underWay(choice *store.ChoiceRow) error {
	if choice.UnderWay {
		return problem.New(problem.ChangeUnderWay)
	}
	return nil
}
