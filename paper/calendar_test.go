package paper

import (
	"bytes"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

// What RFC 5545 asks of a calendar: CRLF at every line's end (3.1), lines of at most 75 octets (3.1) that break no character, PRODID and
// VERSION (3.6), UID and DTSTAMP in each event (3.6.1), dates without a time as VALUE=DATE (3.3.4), others in UTC with a Z (3.3.5), and
// commas, semicolons and line ends written with a backslash (3.3.11).
func TestCalendarIsAsTheStandardHasIt(t *testing.T) {
	at := time.Date(2027, 5, 12, 13, 0, 0, 0, time.UTC)
	note := "Bring a pencil, no calculator; doors at 8:45.\nPregunta en la oficina: " + strings.Repeat("mañana ", 20)
	out := Calendar("Errands of Mara Quill", "pellworth", at, []Event{
		{ID: "test-1", Title: "Placement test, mathematics", Note: note, Place: "The hall; room 2", At: at},
		{ID: "form-2", Title: "Boat form", At: time.Date(2027, 4, 16, 0, 0, 0, 0, time.UTC), Whole: true},
	})
	text := string(out)
	if !utf8.Valid(out) || strings.Count(text, "\n") != strings.Count(text, "\r\n") || !strings.HasSuffix(text, "END:VCALENDAR\r\n") {
		t.Error("not every line ends with CRLF")
	}
	for _, line := range bytes.Split(out, []byte("\r\n")) {
		if len(line) > 75 || !utf8.Valid(line) {
			t.Errorf("a line of %d octets: %q", len(line), line)
		}
	}
	whole := strings.ReplaceAll(text, "\r\n ", "") // unfolded
	for _, want := range []string{"BEGIN:VCALENDAR\r\n", "VERSION:2.0\r\n", "PRODID:", "METHOD:PUBLISH\r\n", "UID:test-1@pellworth\r\n", "DTSTAMP:20270512T130000Z\r\n", "DTSTART:20270512T130000Z\r\n",
		"DTSTART;VALUE=DATE:20270416\r\n", `SUMMARY:Placement test\, mathematics`, `LOCATION:The hall\; room 2`, `DESCRIPTION:Bring a pencil\, no calculator\; doors at 8:45.\nPregunta`} {
		if !strings.Contains(whole, want) {
			t.Errorf("no %q in\n%s", want, whole)
		}
	}
	if strings.Count(whole, "BEGIN:VEVENT") != 2 || strings.Count(whole, "END:VEVENT") != 2 {
		t.Error("there are not two events")
	}
}
