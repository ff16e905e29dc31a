package school

import (
	"context"
	"crypto/sha256"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"rubricon/store"
)

// CalendarDate is a date of a student's calendar.
type CalendarDate struct {
	store.CalendarDate
	Errand  int  // of the year; -1: it is the end of the request period, or gone
	Settled bool // the errand is
}

// Closes is the end of the id of the date on which the request period ends.
const Closes = "-closes"

// Calendar gives the dates of a student's calendar: those of errands, and the end of the request period. Each says how often and when it was
// changed since it was first given out; one that is gone and still to come is there as such. A date is known by what it is, whenever it is.
func (s *Service) Calendar(ctx context.Context, d *Desk) ([]CalendarDate, error) {
	dates := d.dates()
	if d.Draft != nil { // nobody has its dates but who looks at it
		return dates, nil
	}
	ctx = store.Within(ctx, d.Row.School)
	return dates, s.db.Tx(ctx, func(q store.Queries) error {
		before, err := q.CalendarDates(ctx, d.Row.Place)
		if err != nil {
			return err
		}
		var changed []store.CalendarDate
		for i := range dates {
			now := &dates[i].CalendarDate
			was, known := before[now.ID]
			delete(before, now.ID)
			switch {
			case !known:
				now.Modified = d.now
			case was.Gone || was.Digest != now.Digest:
				now.Modified, now.Sequence = d.now, was.Sequence+1
			default:
				now.Modified, now.Sequence = was.Modified, was.Sequence
				continue
			}
			changed = append(changed, *now)
		}
		for _, id := range slices.Sorted(maps.Keys(before)) { // what is left is gone
			was := before[id]
			if !was.Gone {
				was.Gone, was.Modified, was.Sequence = true, d.now, was.Sequence+1
				changed = append(changed, was)
			}
			if was.At.After(d.now.AddDate(0, 0, -1)) {
				dates = append(dates, CalendarDate{CalendarDate: was, Errand: -1})
			}
		}
		if len(changed) == 0 {
			return nil
		}
		return q.KeepCalendarDates(ctx, d.Row.Place, changed)
	})
}

// dates are those of a student's calendar as it is now.
func (d *Desk) dates() (dates []CalendarDate) {
	y := d.Year
	zone := y.Zone()
	digest := func(parts ...string) string {
		return fmt.Sprintf("%x", sha256.Sum256([]byte(strings.Join(parts, "\x1f"))))
	}
	seen := map[string]int{}
	for _, r := range d.Known.Errands(&d.Sheet) {
		e := &y.Errands[r.Errand]
		at, whole, ok := e.Moment(zone)
		if !ok {
			continue
		}
		// An errand is known by its course, kind and title, whatever row of its file it is in; a second such by its number among them.
		id := fmt.Sprintf("%s-%s-%s", d.Row.Student, e.Kind, digest(y.Codes[e.Course], string(e.Kind), e.Title)[:12])
		if seen[id]++; seen[id] > 1 {
			id = fmt.Sprintf("%s-%d", id, seen[id])
		}
		if whole { // the day of no zone
			at = time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, time.UTC)
		}
		dates = append(dates, CalendarDate{store.CalendarDate{ID: id, Digest: digest(at.UTC().Format(time.RFC3339), fmt.Sprint(whole, r.Settled), e.Place, e.Note), Title: e.Title, At: at, Whole: whole}, r.Errand, r.Settled})
	}
	if w := d.Window(); !w.Opens.IsZero() {
		dates = append(dates, CalendarDate{store.CalendarDate{ID: d.Row.Student + Closes, Digest: digest(w.Families.UTC().Format(time.RFC3339)), At: w.Families}, -1, false})
	}
	return dates
}
