package seats

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"rubricon/app/messages"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/dated"
	"rubricon/store"
)

// SeatsChange is the seats to take and to give back, all at once or not at all. Sections are ids.
type SeatsChange struct {
	Take, Give []string
	Undo       bool   // take the latest back
	Reason     string // where it is done for the family
}

// maxAtOnce bounds how many seats are taken or given back at once.
const maxAtOnce = 60

// TakeSeats takes seats and gives seats back, all of it or nothing; the answer is the week as it is then.
// What is taken already and what is given back already stays so. A seat that is given back goes to who waits
// for it. The errors are NoSection, Barred, Earned and EntryOpen (the school may take it for the family),
// SeatClash, SectionBegun, SeatGone with what to take instead, and those of the acts.
func (s *Service) TakeSeats(ctx context.Context, by int64, at schoolyear.Place, c SeatsChange) (*Week, error) {
	d, err := s.ports.Sheet.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	d.Answer(0)
	w, err := s.week(ctx, d)
	if err != nil {
		return nil, err
	}
	c.Reason = text.Tidy(c.Reason)
	if len(c.Take)+len(c.Give) > maxAtOnce {
		return nil, problem.New(problem.TooMuch)
	}
	if err := w.guardSeats(acts.TakeSeats, c.Reason); err != nil {
		return nil, err
	}
	note := store.SeatAct{Kind: "take", Reason: c.Reason, ByID: w.Actor.ID, By: w.Actor.Name().Name, At: w.Now}
	if c.Undo {
		if w.others {
			return nil, problem.New(problem.Code(acts.OthersAct))
		}
		if w.Undoes == nil {
			return nil, problem.New(problem.Code(acts.NothingToUndo))
		}
		c.Take, c.Give = w.Undoes.Gone.V, w.Undoes.Came.V
		note.Kind, note.Undoes = "undo", &w.Undoes.ID
	}
	var take []int
	for _, id := range c.Take {
		i, ok := w.table.At[id]
		if !ok {
			return nil, &problem.Error{Code: problem.NoSection, Param: id}
		}
		line := w.line(i, w.own(), w.Known.AsRequest(&w.Sheet, w.table.Meets[i].Course))
		if why := line.May; why != "" && !line.Own && !w.SeatActs[acts.TakeSeats].Reason {
			return nil, &problem.Error{Code: why, Param: w.Sections[i].Course}
		}
		if !line.Own && line.Left <= 0 { // who is too late need not wait for a lock
			return nil, w.seatGone(i)
		}
		take = append(take, i)
	}
	changed, err := s.writeSeats(ctx, w, take, c.Give, &note)
	if err != nil {
		if problem.CodeOf(err) == problem.SeatGone {
			return nil, s.lost(ctx, by, at, err)
		}
		return nil, err
	}
	if len(changed) > 0 {
		s.ports.Messages.ToldSeats(at, changed)
		s.base.Log.InfoContext(ctx, "seats were taken or given back", "school", at.School, "year", at.Year, "account", by, "sections", len(changed))
	}
	if w, err = s.week(ctx, d); err == nil { // the sheet is as it was
		w.judgeSeats()
	}
	return w, err
}

// seatGone is the error of who asks for a seat that is gone.
func (w *Week) seatGone(section int) error {
	w.judgeSeats()
	e := &problem.Error{Code: problem.SeatGone, Param: w.Sections[section].ID}
	if next := w.nextBest(section); next >= 0 {
		e.Next = w.Sections[next].ID
	}
	return e
}

// lost reports what to take instead, as it is now.
func (s *Service) lost(ctx context.Context, by int64, at schoolyear.Place, err error) error {
	gone := err.(*problem.Error)
	s.ForgetTaken(at.School, at.Year)
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return err
	}
	return w.seatGone(w.table.At[gone.Param])
}

// writeSeats writes what is taken and given back where that can be, and lists the sections that have changed.
// The student's choice is locked before the sections, and those in one order, so that no one waits in a
// circle.
func (s *Service) writeSeats(ctx context.Context, w *Week, take []int, give []string, note *store.SeatAct) (changed []string, err error) {
	at := w.Row.Place
	offered := map[string][]store.Place{}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		row, err := q.Seats.LockChoice(ctx, at)
		if err != nil {
			return err
		}
		if err := underWay(&row); err != nil {
			return err
		}
		if acts.SeatState(row.State) != acts.Choosing { // handed in in the meantime
			return problem.New(problem.Code(acts.Locked))
		}
		own := w.Own
		if row.Version != w.Choice.Version { // someone else was at it in the meantime
			enrolled, err := q.Seats.Enrollments(ctx, at)
			if err != nil {
				return err
			}
			own = w.table.Own(enrolled)
		}
		var stay []int
		var came, gone []string
		for _, o := range own {
			i, e := o.Section, &o.Row
			switch {
			case slices.Contains(give, e.Section) && !slices.Contains(take, i):
				gone = append(gone, e.Section)
			default:
				stay = append(stay, i)
			}
		}
		for _, i := range take {
			if slices.Contains(stay, i) {
				continue
			}
			if k := w.table.Clash(stay, i); k >= 0 {
				return &problem.Error{Code: problem.SeatClash, Param: w.Sections[k].ID}
			}
			stay, came = append(stay, i), append(came, w.Sections[i].ID)
		}
		if len(came)+len(gone) == 0 && note.Undoes == nil { // what is taken back is, also where nothing of it is left
			return nil
		}
		for _, id := range slices.Concat(came, gone) { // what has begun may have been attended
			if begin, _ := dated.Filled(w.Year.Year, &w.table.Meets[w.table.At[id]], dated.Stay{}); begin <= w.Today() {
				return &problem.Error{Code: problem.SectionBegun, Param: id}
			}
		}
		changed = slices.Concat(came, gone)
		seats, err := q.Seats.LockSections(ctx, at, changed, w.Today(), w.Now)
		if err != nil {
			return err
		}
		for _, id := range came {
			if x, ok := seats[id]; !ok || x.Taken >= x.Seats {
				return &problem.Error{Code: problem.SeatGone, Param: id}
			}
		}
		note.Came.V, note.Gone.V = came, gone
		if err := q.Seats.MoveSeats(ctx, at, note); err != nil {
			return err
		}
		for _, id := range gone {
			if offered[id], err = s.Offer(ctx, q, w.Desk, w.table, id); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		s.countTaken(at, note.Came.V, note.Gone.V)
		for id, to := range offered {
			s.ToldOffers(id, to)
		}
	}
	return changed, err
}

// seatAct does something with a choice as a whole: it is locked, and do changes it unless that is refused.
// Doing again what is done changes nothing.
func (s *Service) seatAct(ctx context.Context, by int64, at schoolyear.Place, act acts.SeatAct, reason string,
	do func(q store.Queries, w *Week, row *store.ChoiceRow, note *store.SeatAct) error) (*Week, error) {
	reason = text.Tidy(reason)
	w, err := s.Seats(ctx, by, at)
	if err != nil || w.SeatActs[act].Why == acts.AlreadyDone {
		return w, err
	}
	if err := w.guardSeats(act, reason); err != nil {
		return nil, err
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		row, err := q.Seats.LockChoice(ctx, at)
		if err != nil {
			return err
		}
		if err := underWay(&row); err != nil {
			return err
		}
		if row.Version != w.Choice.Version { // someone was quicker
			return problem.New(problem.Busy)
		}
		note := store.SeatAct{Kind: act.String(), Reason: reason, ByID: w.Actor.ID, By: w.Actor.Name().Name, At: w.Now}
		note.Came.V = w.table.IDs(w.own())
		if err := do(q, w, &row, &note); err != nil {
			return err
		}
		if act.EndsWaiting() {
			waited, err := q.Seats.StopWaiting(ctx, at)
			if err != nil {
				return err
			}
			if note.Detail, err = json.Marshal(map[string]any{"waits": append([]string{}, waited...)}); err != nil {
				return err
			}
		}
		if err := q.Seats.NoteSeats(ctx, at, &note); err != nil {
			return err
		}
		return q.Seats.SaveChoice(ctx, at, &row)
	})
	if err != nil {
		return nil, err
	}
	s.ports.Messages.ToldSeats(at, nil)
	s.base.Log.InfoContext(ctx, "a choice of seats", "act", act.String(), "school", at.School, "year", at.Year, "account", by)
	return s.Seats(ctx, by, at)
}

// LookAtSeats agrees to what is chosen: before it is handed in, or after, as the school has it. The error is
// WeekOpen where something is still to be filled.
func (s *Service) LookAtSeats(ctx context.Context, by int64, at schoolyear.Place) (*Week, error) {
	return s.seatAct(ctx, by, at, acts.LookAtSeats, "", func(_ store.Queries, w *Week, row *store.ChoiceRow, note *store.SeatAct) error {
		row.Looked, row.LookedBy, row.LookedAt = &store.JSON[[]string]{V: note.Came.V}, note.By, &w.Now
		if acts.SeatState(row.State) == acts.SeatsIn {
			row.State = string(acts.SeatsDone)
		}
		return nil
	})
}

// SubmitSeats hands the choice in, with a receipt; twice gives the same. It ends waiting for seats: what was
// offered goes to the next in line. The errors are WeekOpen, and acts.NotLookedAt.
func (s *Service) SubmitSeats(ctx context.Context, by int64, at schoolyear.Place, reason string) (*Week, error) {
	return s.seatAct(ctx, by, at, acts.SubmitSeats, reason, func(q store.Queries, w *Week, row *store.ChoiceRow, note *store.SeatAct) error {
		number, err := q.Sheet.NextReceipt(ctx)
		if err != nil {
			return err
		}
		row.Receipt, row.HandedAt, row.State, row.Message = fmt.Sprintf("%s-%d", appsheet.Initials(at.School),
			number), &w.Now, string(w.seatCase().Submitted()), ""
		return q.Messages.TellOthers(ctx, at, store.Notice{Kind: messages.TellSubmitted,
			Detail: map[string]any{"receipt": row.Receipt, "seats": true}}, w.Now)
	})
}

// ReturnSeats opens a choice again that was handed in, with a message.
func (s *Service) ReturnSeats(ctx context.Context, by int64, at schoolyear.Place, message string) (*Week, error) {
	return s.seatAct(ctx, by, at, acts.ReturnSeats, message, func(_ store.Queries, _ *Week, row *store.ChoiceRow, note *store.SeatAct) error {
		row.State, row.Message, row.Looked, row.LookedBy, row.LookedAt = string(acts.Choosing), note.Reason, nil, "", nil
		return nil
	})
}
