package school

import (
	"context"
	"time"

	"rubricon/core/dated"
	"rubricon/store"
)

// giveBackSeats ends the enrollments of students whom the school's data no longer names, with today as their last day; what they never attended leaves no trace. They wait for no seat any more.
func (s *Service) giveBackSeats(ctx context.Context, school string) error {
	list, err := s.db.Queries().Leavers(ctx, school, s.now().UTC().AddDate(0, 0, 2).Format(time.DateOnly)) // after tomorrow, whatever the time zone
	if err != nil {
		return err
	}
	for _, at := range list {
		row, err := s.db.Queries().Sheet(ctx, at)
		if err != nil {
			return err
		}
		y, err := s.year(ctx, at.School, at.Year, row.Catalog, row.Policy)
		if err != nil {
			return err
		}
		table, err := s.timetable(ctx, y, row.Roster)
		if err != nil {
			return err
		}
		now := s.now()
		today, on := now.In(y.Zone()).Format(time.DateOnly), ""
		for _, d := range y.SchoolDays() {
			if date := d.Date.Format(time.DateOnly); date > today {
				on = date
				break
			}
		}
		var given []string
		err = s.db.Tx(ctx, func(q store.Queries) error {
			given = nil
			choice, err := q.LockChoice(ctx, at)
			if err != nil {
				return err
			}
			stays, err := q.Enrollments(ctx, at)
			if err != nil {
				return err
			}
			change := &store.StayChange{Ends: map[int64]string{}, Gone: []int64{}, Came: []string{}, On: on}
			for _, x := range stays {
				i, ok := table.at[x.Section]
				if !ok || on == "" { // the year is over
					continue
				}
				begin, end := dated.Filled(y.Year, &table.meets[i], dated.Stay{Begin: x.Begins, End: x.Ends})
				switch {
				case begin >= on:
					change.Gone = append(change.Gone, x.ID)
				case end > on:
					change.Ends[x.ID] = on
				default:
					continue
				}
				given = append(given, x.Section)
			}
			if err := q.StopWaiting(ctx, at); err != nil || len(given) == 0 {
				return err
			}
			if err := q.ChangeStays(ctx, at, change); err != nil {
				return err
			}
			if err := q.NoteSeats(ctx, at, &store.SeatAct{Kind: "change", Gone: store.JSON[[]string]{V: given}, On: on, At: now}); err != nil {
				return err
			}
			return q.SaveChoice(ctx, at, &choice)
		})
		if err != nil {
			return err
		}
		s.forgetTaken(at.School, at.Year)
		s.toldSeats(at, given)
	}
	return nil
}
