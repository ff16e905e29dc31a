package people

import (
	"context"
	"time"

	"rubricon/core/dated"
	"rubricon/store"
)

// GiveBackSeats ends the enrollments of students whom the school's data no longer names, with today as their
// last day; what they never attended leaves no trace. They wait for no seat any more.
func (s *Service) GiveBackSeats(ctx context.Context, school string) error {
	// after tomorrow, whatever the time zone
	list, err := s.base.DB.Queries().Seats.Leavers(ctx, school, s.base.Now().UTC().AddDate(0, 0, 2).Format(time.DateOnly))
	if err != nil {
		return err
	}
	for _, at := range list {
		row, err := s.base.DB.Queries().Sheet.Sheet(ctx, at)
		if err != nil {
			return err
		}
		y, err := s.base.Years.Year(ctx, at.School, at.Year, row.Catalog, row.Policy)
		if err != nil {
			return err
		}
		table, err := s.ports.Schedule.Timetable(ctx, y, row.Roster)
		if err != nil {
			return err
		}
		now := s.base.Now()
		today := now.In(y.Zone()).Format(time.DateOnly)
		var given []string
		err = s.base.DB.Tx(ctx, func(q store.Queries) error {
			given = nil
			choice, err := q.Seats.LockChoice(ctx, at)
			if err != nil {
				return err
			}
			rows, err := q.Seats.Enrollments(ctx, at)
			if err != nil {
				return err
			}
			var stays []dated.Stay
			var of []store.EnrollmentRow
			for _, x := range rows {
				if i, ok := table.At[x.Section]; ok {
					stays, of = append(stays, dated.Stay{Section: i, Begin: x.Begins, End: x.Ends}), append(of, x)
				}
			}
			on, ends, never := dated.Leave(y.Year, table.Meets, stays, today)
			change := &store.StayChange{Ends: map[int64]string{}, Gone: []int64{}, Came: []string{}, On: on}
			for _, i := range ends {
				change.Ends[of[i].ID] = on
				given = append(given, of[i].Section)
			}
			for _, i := range never {
				change.Gone = append(change.Gone, of[i].ID)
				given = append(given, of[i].Section)
			}
			if _, err := q.Seats.StopWaiting(ctx, at); err != nil || len(given) == 0 {
				return err
			}
			if err := q.Seats.ChangeStays(ctx, at, change); err != nil {
				return err
			}
			if err := q.Seats.NoteSeats(ctx, at, &store.SeatAct{Kind: "change", Gone: store.JSON[[]string]{V: given}, On: on, At: now}); err != nil {
				return err
			}
			return q.Seats.SaveChoice(ctx, at, &choice)
		})
		if err != nil {
			return err
		}
		s.ports.Seats.ForgetTaken(at.School, at.Year)
		s.ports.Messages.ToldSeats(at, given)
	}
	return nil
}
