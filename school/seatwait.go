package school

import (
	"context"
	"math/rand/v2"
	"time"

	"rubricon/core/acts"
	"rubricon/store"
)

// maxWaits bounds for how many seats somebody waits.
const maxWaits = 20

// WaitForSeat lets a student wait for a seat in a full section, or no longer. A seat that frees is offered to the first whom it fits, for a set time. The errors are NoSection, SeatFree, Full, and those of taking it.
func (s *Service) WaitForSeat(ctx context.Context, by int64, at Place, section string, wait bool) (*Week, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, err
	}
	i, ok := w.table.at[section]
	if !ok {
		return nil, &Error{Code: NoSection, Param: section}
	}
	if a := w.SeatActs[acts.TakeSeats]; !a.Allowed {
		return nil, problem(Code(a.Why))
	}
	if wait {
		switch x := &w.Lines[i]; {
		case x.May != "":
			return nil, &Error{Code: x.May, Param: w.Sections[i].Course}
		case x.Own || x.Left > 0:
			return nil, problem(SeatFree)
		case len(w.Waits) >= maxWaits:
			return nil, problem(Full)
		}
	}
	var offered []store.Place
	err = s.db.Tx(ctx, func(q store.Queries) error {
		note := store.SeatAct{Kind: "wait", Came: store.JSON[[]string]{V: []string{section}}, ByID: w.actor.ID, By: w.actor.name().Name, At: w.now}
		if wait {
			if fresh, err := q.Wait(ctx, at, section, rand.IntN(1<<30), w.now); err != nil || !fresh {
				return err
			}
			return q.NoteSeats(ctx, at, &note)
		}
		if _, err := q.LockSections(ctx, at, []string{section}, w.today(), w.now); err != nil {
			return err
		}
		if gone, err := q.Unwait(ctx, at, []string{section}); err != nil || len(gone) == 0 {
			return err
		}
		note.Kind, note.Came, note.Gone = "unwait", note.Gone, note.Came
		if err := q.NoteSeats(ctx, at, &note); err != nil {
			return err
		}
		offered, err = s.offer(ctx, q, w.Desk, w.table, section) // what was offered to them is offered to the next
		return err
	})
	if err != nil {
		return nil, err
	}
	if !wait {
		s.forgetTaken(at.School, at.Year)
	}
	s.toldOffers(section, offered)
	s.toldSeats(at, []string{section})
	return s.Seats(ctx, by, at)
}

// offer offers the free seats of a section to those who wait for one, the first whom it fits first, and tells to whom. The desk is anybody's of the year.
func (s *Service) offer(ctx context.Context, q store.Queries, d *Desk, table *timetable, section string) (offered []store.Place, err error) {
	at := d.Row.Place
	waiters, err := q.WaitersFor(ctx, at.School, at.Year, section)
	i, ok := table.at[section]
	if err != nil || len(waiters) == 0 || !ok {
		return nil, err
	}
	nobody := at
	nobody.Student = ""
	seats, err := q.LockSections(ctx, nobody, []string{section}, d.today(), d.now)
	if err != nil {
		return nil, err
	}
	rules, err := q.SeatRules(ctx, at.School, at.Year)
	if err != nil {
		return nil, err
	}
	free := seats[section].Seats - seats[section].Taken
	for _, x := range waiters {
		if free <= 0 {
			break
		}
		if x.Until != nil { // offered already
			continue
		}
		who := store.Place{School: at.School, Year: at.Year, Student: x.Student}
		enrolled, err := q.Enrollments(ctx, who)
		if err != nil {
			return nil, err
		}
		var own []int
		for _, e := range enrolled {
			if k, ok := table.at[e.Section]; ok && e.Ends == "" {
				own = append(own, k)
			}
		}
		if table.clash(own, i) >= 0 {
			continue
		}
		if err := q.Offer(ctx, who, section, d.now.Add(time.Duration(rules.Minutes)*time.Minute)); err != nil {
			return nil, err
		}
		if err := q.NoteSeats(ctx, who, &store.SeatAct{Kind: "offer", Came: store.JSON[[]string]{V: []string{section}}, At: d.now}); err != nil {
			return nil, err
		}
		offered = append(offered, who)
		free--
	}
	return offered, nil
}

// toldOffers notes that seats of a section are offered to some.
func (s *Service) toldOffers(section string, to []store.Place) {
	for _, at := range to {
		s.countTaken(at, []string{section}, nil)
		s.toldSeats(at, nil)
	}
}

// lapsedAtOnce bounds how many offers are looked at in one go.
const lapsedAtOnce = 500

// LapseOffers ends offers of seats whose time is over, and offers the seats to the next.
func (s *Service) LapseOffers(ctx context.Context) error {
	list, err := s.db.Queries().LapsedOffers(ctx, s.now(), lapsedAtOnce)
	if err != nil {
		return err
	}
	for _, x := range list {
		row, err := s.db.Queries().Sheet(ctx, x.Place)
		if err != nil {
			return err
		}
		y, err := s.year(ctx, x.School, x.Year, row.Catalog, row.Policy)
		if err != nil {
			return err
		}
		table, err := s.timetable(ctx, y, row.Roster)
		if err != nil {
			return err
		}
		d := &Desk{Row: row, Year: y, now: s.now()}
		var offered []store.Place
		err = s.db.Tx(ctx, func(q store.Queries) (err error) {
			if _, err := q.LockSections(ctx, x.Place, []string{x.Section}, d.today(), d.now); err != nil {
				return err
			}
			if gone, err := q.Lapse(ctx, x.Place, x.Section, d.now); err != nil || !gone {
				return err // taken, or given up, meanwhile
			}
			if err := q.NoteSeats(ctx, x.Place, &store.SeatAct{Kind: "lapse", Gone: store.JSON[[]string]{V: []string{x.Section}}, At: d.now}); err != nil {
				return err
			}
			offered, err = s.offer(ctx, q, d, table, x.Section)
			return err
		})
		if err != nil {
			return err
		}
		s.forgetTaken(x.School, x.Year)
		s.toldOffers(x.Section, offered)
		s.toldSeats(x.Place, []string{x.Section})
	}
	return nil
}

// SeatRules are how seats go to those who wait.
type SeatRules = store.SeatRules

// SetSeatRules sets, as the office, whether those who wait come in the order of joining or by lottery, and for how many minutes a seat is offered. The error is BadWindow.
func (s *Service) SetSeatRules(ctx context.Context, by int64, school string, year int, r SeatRules) error {
	if _, _, err := s.reader(ctx, by, school, year, acts.ManageRules); err != nil {
		return err
	}
	if r.Waiting != "order" && r.Waiting != "lottery" || r.Minutes < 1 || r.Minutes > 7*24*60 {
		return problem(BadWindow)
	}
	return s.db.Queries().SetSeatRules(ctx, school, year, r)
}
