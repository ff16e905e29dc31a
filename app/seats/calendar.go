package seats

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	"rubricon/store"
)

// The calendars of a student.
const (
	errandCalendar = "errands"
	weekCalendar   = "week"
)

// Closes is the end of the id of the date on which the request period ends.
const Closes = "-closes"

// ErrandDate is a date in the calendar of a student's errands.
type ErrandDate struct {
	store.CalendarDate
	Errand  int  // its place among those of the year; -1: the date is the end of the request period, or gone
	Settled bool // the errand is
}

// ErrandDates are the dates of a student's errands, and the end of the request period. An errand is known by
// its course, kind and title, whatever row of its file it is in and whenever it is due. A date that is gone
// and still to come is there as such.
func (s *Service) ErrandDates(ctx context.Context, d *appsheet.Desk) ([]ErrandDate, error) {
	list := errandDates(d)
	if d.Draft != nil { // no one takes the dates of a draft into a calendar
		return list, nil
	}
	dates := make([]store.CalendarDate, len(list))
	for i := range list {
		dates[i] = list[i].CalendarDate
	}
	dates, err := s.keepDates(ctx, d, errandCalendar, dates)
	for i := range dates {
		if i == len(list) {
			list = append(list, ErrandDate{Errand: -1})
		}
		list[i].CalendarDate = dates[i]
	}
	return list, err
}

// errandDates are those of the sheet as it is.
func errandDates(d *appsheet.Desk) (list []ErrandDate) {
	y := d.Year
	seen := map[string]int{}
	for _, r := range d.Known.Errands(&d.Sheet) {
		e := &y.Errands[r.Errand]
		at, whole, ok := e.Moment(y.Zone())
		if !ok {
			continue
		}
		id := fmt.Sprintf("%s-%s-%s", d.Row.Student, e.Kind, digestOf(y.Codes[e.Course], string(e.Kind), e.Title)[:12])
		if seen[id]++; seen[id] > 1 { // another one that is known by the same
			id = fmt.Sprintf("%s-%d", id, seen[id])
		}
		if whole { // the day of no zone
			at = time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, time.UTC)
		}
		date := ErrandDate{Errand: r.Errand, Settled: r.Settled}
		date.ID, date.Title, date.At, date.Whole = id, e.Title, at, whole
		date.Digest = digestOf(at.UTC().Format(time.RFC3339), fmt.Sprint(whole, r.Settled), e.Place, e.Note)
		list = append(list, date)
	}
	if w := d.Window(); !w.Opens.IsZero() {
		date := ErrandDate{Errand: -1}
		date.ID, date.At, date.Digest = d.Row.Student+Closes, w.Families, digestOf(w.Families.UTC().Format(time.RFC3339))
		list = append(list, date)
	}
	return list
}

// WeekDate is a day of school in the calendar of a student's week.
type WeekDate struct {
	store.CalendarDate
	Day     int                     // of the cycle; 0: the day is gone
	Meets   []schedule.GivenSection // in the order of periods, once for each
	Periods []int                   // that of each
}

// WeekDates are the days of school with what meets on each, in a week that is shown to the family. A day that
// is gone and still to come is there as such.
func (s *Service) WeekDates(ctx context.Context, d *appsheet.Desk, week *schedule.Shown) ([]WeekDate, error) {
	y := d.Year
	var list []WeekDate
	var dates []store.CalendarDate
	for _, day := range y.SchoolDays() {
		date := WeekDate{Day: day.Day}
		for period := 1; period <= y.Policy.Periods; period++ {
			for _, g := range week.Given {
				if slices.Contains(g.Periods, period) && slices.Contains(g.Terms, y.Terms[day.Term]) &&
					(len(g.Days) == 0 || slices.Contains(g.Days, day.Day)) {
					date.Meets, date.Periods = append(date.Meets, g), append(date.Periods, period)
				}
			}
		}
		says, err := json.Marshal([]any{date.Day, date.Meets, date.Periods})
		if err != nil {
			return nil, err
		}
		list = append(list, date)
		dates = append(dates, store.CalendarDate{ID: d.Row.Student + "-" + day.Date.Format(time.DateOnly),
			Digest: digestOf(string(says)), At: day.Date, Whole: true})
	}
	dates, err := s.keepDates(ctx, d, weekCalendar, dates)
	for i := range dates {
		if i == len(list) {
			list = append(list, WeekDate{})
		}
		list[i].CalendarDate = dates[i]
	}
	return list, err
}

func digestOf(parts ...string) string {
	return fmt.Sprintf("%x", sha256.Sum256([]byte(strings.Join(parts, "\x1f"))))
}

// keepDates returns the dates of a calendar with how often and when each was changed since it was first given
// out, and behind them those that are gone and still to come. Most calendars are read again and again as they
// were: only where something differs is anything locked and written.
func (s *Service) keepDates(ctx context.Context, d *appsheet.Desk, calendar string,
	dates []store.CalendarDate) ([]store.CalendarDate, error) {
	ctx = store.Within(ctx, d.Row.School)
	before, err := s.base.DB.Queries().Seats.CalendarDates(ctx, d.Row.Place, calendar)
	if err != nil {
		return nil, err
	}
	out, changed := compareDates(before, dates, d.Now)
	if len(changed) == 0 {
		return out, nil
	}
	return out, s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Seats.LockCalendars(ctx, d.Row.Place); err != nil {
			return err
		}
		if before, err = q.Seats.CalendarDates(ctx, d.Row.Place, calendar); err != nil {
			return err
		}
		out, changed = compareDates(before, dates, d.Now) // someone else may have written some in the meantime
		return q.Seats.KeepCalendarDates(ctx, d.Row.Place, calendar, changed)
	})
}

// compareDates compares the dates of a calendar with those that it has had, and lists them, what is gone and
// still to come behind them; and those that are new or changed.
func compareDates(before map[string]store.CalendarDate, dates []store.CalendarDate, now time.Time) (out, changed []store.CalendarDate) {
	left := maps.Clone(before)
	for _, date := range dates {
		was, known := left[date.ID]
		delete(left, date.ID)
		date.Modified, date.Sequence = was.Modified, was.Sequence
		if !known || was.Gone || was.Digest != date.Digest {
			if date.Modified = now; known {
				date.Sequence++
			}
			changed = append(changed, date)
		}
		out = append(out, date)
	}
	for _, id := range slices.Sorted(maps.Keys(left)) {
		gone := left[id]
		if !gone.Gone {
			gone.Gone, gone.Modified, gone.Sequence = true, now, gone.Sequence+1
			changed = append(changed, gone)
		}
		if gone.At.After(now.AddDate(0, 0, -1)) {
			out = append(out, gone)
		}
	}
	return out, changed
}
