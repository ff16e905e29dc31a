// Package paper makes what leaves the application as a file of its own. It knows no rule of the job: what is
// to stand in a file is given to it, in the reader's language.
package paper

import (
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
)

// Event is one date of a calendar.
type Event struct {
	ID  string // the same as long as it is the same thing, whenever it is
	Rev int    // greater where it was changed since (RFC 5545, section 3.8.7.4)

	Modified  time.Time // when it was last changed (section 3.8.7.3); the zero Time: it is not said
	Cancelled bool      // it is not to be any more (section 3.8.1.11)

	Title string
	Note  string
	Place string
	Link  string
	At    time.Time // when it is, to the minute; a whole day where Whole is set
	Whole bool
}

// Calendar writes events as iCalendar (RFC 5545), lines ending with CRLF. Stamp is when it is written; host
// makes ids the world's own.
func Calendar(name, host string, stamp time.Time, events []Event) []byte {
	cal := ics.NewCalendarFor("Rubricon")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName(name)
	cal.SetXWRCalName(name)
	for i := range events {
		e := &events[i]
		v := cal.AddEvent(e.ID + "@" + host)
		v.SetDtStampTime(stamp)
		v.SetSequence(e.Rev)
		v.SetSummary(e.Title)
		if !e.Modified.IsZero() {
			v.SetModifiedAt(e.Modified)
		}
		if e.Cancelled {
			v.SetStatus(ics.ObjectStatusCancelled)
		}
		if e.Whole {
			v.SetAllDayStartAt(e.At)
		} else {
			v.SetStartAt(e.At)
		}
		if e.Note != "" {
			v.SetDescription(e.Note)
		}
		if e.Place != "" {
			v.SetLocation(e.Place)
		}
		if e.Link != "" {
			v.SetURL(e.Link)
		}
	}
	var out strings.Builder
	_ = cal.SerializeTo(&out, ics.WithNewLineWindows) // a builder takes everything
	return []byte(out.String())
}
