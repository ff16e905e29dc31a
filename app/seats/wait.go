package seats

import (
	"context"
	"math/rand/v2"
	"time"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// maxWaits bounds for how many seats someone waits.
const maxWaits = 20

// WaitForSeat lets a student wait for a seat in a full section, or no longer. A seat that frees is offered to
// the first whom it fits, for a set time. The errors are NoSection, SeatFree, AtLimit, and those of taking
// it.
func (s *Service) WaitForSeat(ctx context.Context, by int64, at schoolyear.Place, section string, wait bool) (*Week, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, err
	}
	i, ok := w.table.At[section]
	if !ok {
		return nil, &problem.Error{Code: problem.NoSection, Param: section}
	}
	if a := w.SeatActs[acts.TakeSeats]; !a.Allowed {
		return nil, problem.New(problem.Code(a.Why))
	}
	if wait {
		switch x := &w.Lines[i]; {
		case x.May != "":
			return nil, &problem.Error{Code: x.May, Param: w.Sections[i].Course}
		case x.Own || x.Left > 0:
			return nil, problem.New(problem.SeatFree)
		}
	}
	var offered []store.Place
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		if wait {
			if err := q.Serialize(ctx, "waits", at.School, at.Year, at.Student); err != nil {
				return err
			}
			if n, err := q.Seats.Waits(ctx, at, section); err != nil {
				return err
			} else if n >= maxWaits {
				return problem.New(problem.AtLimit)
			}
		}
		if _, err := q.Seats.LockSections(ctx, at, []string{section}, w.Today(), w.Now); err != nil {
			return err
		}
		note := store.SeatAct{Kind: "wait", Came: store.JSON[[]string]{V: []string{section}}, ByID: w.Actor.ID,
			By: w.Actor.Name().Name, At: w.Now}
		if wait {
			if fresh, err := q.Seats.Wait(ctx, at, section, rand.IntN(1<<30), w.Now); err != nil || !fresh {
				return err
			}
		} else {
			if gone, err := q.Seats.Unwait(ctx, at, []string{section}); err != nil || len(gone) == 0 {
				return err
			}
			note.Kind, note.Came, note.Gone = "unwait", note.Gone, note.Came
		}
		if err := q.Seats.NoteSeats(ctx, at, &note); err != nil {
			return err
		}
		offered, err = s.Offer(ctx, q, w.Desk, w.table, section) // a seat that has come free in the meantime, or was offered to who waits no longer
		return err
	})
	if err != nil {
		return nil, err
	}
	s.ForgetTaken(at.School, at.Year)
	s.ToldOffers(section, offered)
	s.ports.Messages.ToldSeats(at, []string{section})
	return s.Seats(ctx, by, at)
}

// Offer offers the free seats of a section to those who wait for one, the first whom it fits first, and tells
// to whom. The desk is anybody's of the year.
func (s *Service) Offer(ctx context.Context, q store.Queries, d *appsheet.Desk, table *schedule.Timetable,
	section string) (offered []store.Place, err error) {
	at := d.Row.Place
	waiters, err := q.Seats.WaitersFor(ctx, at.School, at.Year, section)
	i, ok := table.At[section]
	if err != nil || len(waiters) == 0 || !ok {
		return nil, err
	}
	nobody := at
	nobody.Student = ""
	seats, err := q.Seats.LockSections(ctx, nobody, []string{section}, d.Today(), d.Now)
	if err != nil {
		return nil, err
	}
	rules, err := q.Seats.SeatRules(ctx, at.School, at.Year)
	if err != nil {
		return nil, err
	}
	free := seats[section].Seats - seats[section].Taken
	for _, x := range waiters {
		if free <= 0 {
			break
		}
		if x.Until != nil || x.In { // offered already, or nothing to be done with it
			continue
		}
		who := store.Place{School: at.School, Year: at.Year, Student: x.Student}
		pupil, err := q.Sheet.Pupil(ctx, who)
		if err != nil {
			return nil, err
		}
		if appsheet.SeatWindowOf(&pupil).Phase(d.Now) != acts.Open { // they could not take it
			continue
		}
		enrolled, err := q.Seats.Enrollments(ctx, who)
		if err != nil {
			return nil, err
		}
		var own []int
		for _, o := range table.Own(enrolled) {
			own = append(own, o.Section)
		}
		if table.Clash(own, i) >= 0 {
			continue
		}
		until := d.Now.Add(time.Duration(rules.Minutes) * time.Minute)
		if err := q.Seats.Offer(ctx, who, section, until); err != nil {
			return nil, err
		}
		if !s.noPost {
			if err := q.Messages.TellOffered(ctx, who, section, table.Sections[i].Course, until, d.Now); err != nil {
				return nil, err
			}
		}
		if err := q.Seats.NoteSeats(ctx, who, &store.SeatAct{Kind: "offer", Came: store.JSON[[]string]{V: []string{section}},
			At: d.Now}); err != nil {
			return nil, err
		}
		offered = append(offered, who)
		free--
	}
	return offered, nil
}

// ToldOffers notes that seats of a section are offered to some.
func (s *Service) ToldOffers(section string, to []store.Place) {
	for _, at := range to {
		s.countTaken(at, []string{section}, nil)
		s.ports.Messages.ToldSeats(at, nil)
	}
}

// Bounds of a round of looking for seats to offer: how many sections it looks at, and for how long.
const (
	waitedAtOnce = 500
	offerRound   = 20 * time.Second
	offerLease   = 30 * time.Second // longer than one section takes
)

// OfferSeats ends offers of seats whose time is over, and offers to those who wait what is free, however it
// has come free. One round runs at a time; what it does not reach comes first in the next. What goes wrong
// with one section is logged, and ends nothing for the others.
func (s *Service) OfferSeats(ctx context.Context) error {
	q := s.base.DB.Queries()
	lease := store.NewLease("offer seats", offerLease)
	if taken, err := lease.Take(ctx, q); err != nil || !taken {
		return err
	}
	defer func() { _ = lease.Leave(context.WithoutCancel(ctx), q) }() // else it ends on its own
	list, err := q.Seats.WaitedFor(ctx, s.base.Now(), waitedAtOnce)
	if err != nil {
		return err
	}
	for i, end := 0, time.Now().Add(offerRound); i < len(list) && time.Now().Before(end); i++ {
		if taken, err := lease.Take(ctx, q); err != nil || !taken {
			return err
		}
		x := &list[i]
		switch err := s.offerFreed(ctx, x); {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil && problem.Unavailable(err):
			return err
		case err != nil:
			s.base.Log.ErrorContext(ctx, "offering the seats of a section", "school", x.School, "year", x.Year, "section", x.Section, "error", err)
		}
		if err := q.Seats.LookedAtWaits(ctx, x, s.base.Now()); err != nil {
			return err
		}
	}
	return nil
}

// offerFreed ends the offers of one section whose time is over, and offers what is free.
func (s *Service) offerFreed(ctx context.Context, x *store.WaitedFor) error {
	row, err := s.base.DB.Queries().Sheet.Sheet(ctx, x.Place)
	if err != nil {
		return err
	}
	y, err := s.base.Years.Year(ctx, x.School, x.Year, row.Catalog, row.Policy)
	if err != nil {
		return err
	}
	table, err := s.ports.Schedule.Timetable(ctx, y, row.Roster)
	if err != nil {
		return err
	}
	d := &appsheet.Desk{Row: row, Year: y, Now: s.base.Now()}
	var offered []store.Place
	var lapsed []string
	err = s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		if _, err := q.Seats.LockSections(ctx, x.Place, []string{x.Section}, d.Today(), d.Now); err != nil {
			return err
		}
		if lapsed, err = q.Seats.Lapse(ctx, x.School, x.Year, x.Section, d.Now); err != nil {
			return err
		}
		for _, student := range lapsed {
			note := &store.SeatAct{Kind: "lapse", Gone: store.JSON[[]string]{V: []string{x.Section}}, At: d.Now}
			if err := q.Seats.NoteSeats(ctx, schoolyear.Place{School: x.School, Year: x.Year, Student: student}, note); err != nil {
				return err
			}
		}
		offered, err = s.Offer(ctx, q, d, table, x.Section)
		return err
	})
	if err != nil || len(lapsed)+len(offered) == 0 {
		return err
	}
	s.ForgetTaken(x.School, x.Year)
	s.ToldOffers(x.Section, offered)
	for _, student := range lapsed {
		s.ports.Messages.ToldSeats(schoolyear.Place{School: x.School, Year: x.Year, Student: student}, []string{x.Section})
	}
	return nil
}

// SeatRules are how seats go to those who wait.
type SeatRules = store.SeatRules

// SetSeatRules sets, as the office, whether those who wait come in the order of joining or by lottery, and
// for how many minutes a seat is offered. The error is BadWindow.
func (s *Service) SetSeatRules(ctx context.Context, by int64, school string, year int, r SeatRules) error {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageRules); err != nil {
		return err
	}
	if r.Waiting != "order" && r.Waiting != "lottery" || r.Minutes < 1 || r.Minutes > 7*24*60 {
		return problem.New(problem.BadWindow)
	}
	return s.base.DB.Queries().Seats.SetSeatRules(ctx, school, year, r)
}
