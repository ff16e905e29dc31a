package web_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"rubricon/bundle"
	"rubricon/internal/testdb"
)

// The published week is a page with a row for each period and a column for each semester, what was not given below; and a calendar with an entry for each day of school, with what meets on that day. No one
// gets either before it is published.
func TestTheWeekAsAFile(t *testing.T) {
	s := newSite(t)
	mara, ilse := s.person("mara.quill"), s.person("ilse.quill")
	path := strings.TrimSuffix(maraSheet, "/sheet")
	for _, file := range []string{"/week.pdf", "/week.ics"} {
		if got := said(s.call(mara, "GET", path+file, "")); got != "404 not-found" {
			t.Errorf("%s before it is published: %s", file, got)
		}
	}
	s.db.Exec(t, `UPDATE sheet SET state = 'placed', version = version + 1, placed = jsonb_build_object('run', 1, 'at', '2027-06-01T12:00:00Z', 'was', 'cleared', 'given', jsonb_build_array(
			jsonb_build_object('course', 'ENG10', 'section', 'eng10-1', 'title', 'x', 'teacher', 'Ms Saltmarsh', 'terms', '["S1","S2"]'::jsonb, 'periods', '[1]'::jsonb, 'days', '[]'::jsonb),
			jsonb_build_object('course', 'PRI1', 'section', 'pri1-1', 'title', 'x', 'terms', '["S2"]'::jsonb, 'periods', '[3]'::jsonb, 'days', '[2]'::jsonb, 'alternate', true)),
		'lacking', jsonb_build_array(jsonb_build_object('course', 'CER1', 'rank', 8, 'why', 'full', 'instead', 'PRI1'))) WHERE student_id = 's0001'`)
	res, body := s.send(ilse, "GET", path+"/week.pdf?language=en", "", nil)
	if res.StatusCode != 200 || res.Header.Get("Content-Type") != "application/pdf" || !strings.Contains(res.Header.Get("Content-Disposition"), "week.pdf") {
		t.Fatalf("%d %v", res.StatusCode, res.Header)
	}
	page := strings.Join(strings.Fields(printedText(t, body)), " ")
	for _, want := range []string{"Week of Mara Quill", "Published Tue 1 Jun", "first semester second semester", "1 English 10, Ms Saltmarsh English 10, Ms Saltmarsh", "2 open open", "3 open Printmaking (day 2)", "Not given",
		"Ceramics I what would fit is full Printmaking comes in."} {
		if !strings.Contains(page, want) {
			t.Errorf("the page does not say %q: %s", want, page)
		}
	}
	_, body = s.send(mara, "GET", path+"/week.ics?language=es", "", nil)
	text := strings.ReplaceAll(string(body), "\r\n ", "")
	days := strings.Split(text, "BEGIN:VEVENT")[1:]
	first, second, print := 0, 0, 0
	for _, day := range days {
		if strings.Contains(day, "SUMMARY:Escuela\\, día 1") {
			first++
		} else if strings.Contains(day, "SUMMARY:Escuela\\, día 2") {
			second++
		}
		if strings.Contains(day, "3  ") {
			print++
			if !strings.Contains(day, "día 2") || !strings.Contains(day, "DTSTART;VALUE=DATE:2028") {
				t.Errorf("Printmaking meets on day 2 of the second semester: %s", day)
			}
		}
		if !strings.Contains(day, "1  ") {
			t.Errorf("no English on %s", day)
		}
	}
	// Holidays and weekends are no days of school; the cycle alternates.
	if len(days) < 150 || first-second > 1 || second > first || print < 30 || strings.Contains(text, "DATE:20271125") || strings.Contains(text, "DATE:20270904") {
		t.Errorf("%d days, %d and %d, Printmaking on %d", len(days), first, second, print)
	}
	// A day says when it was changed, in whichever language it is read, and one that becomes a holiday is cancelled.
	says := func(day string) string {
		t.Helper()
		_, body := s.send(mara, "GET", path+"/week.ics?language=en", "", nil)
		for _, event := range strings.Split(strings.ReplaceAll(string(body), "\r\n", "\n"), "BEGIN:VEVENT")[1:] {
			if strings.Contains(event, "DTSTART;VALUE=DATE:"+day+"\n") {
				var out []string
				for line := range strings.Lines(event) {
					if name, value, _ := strings.Cut(strings.TrimSpace(line), ":"); name == "SEQUENCE" || name == "LAST-MODIFIED" || name == "STATUS" {
						out = append(out, value)
					}
				}
				return strings.Join(out, " ")
			}
		}
		return "none"
	}
	expect := func(day, want string) {
		t.Helper()
		if got := says(day); got != want {
			t.Errorf("%s says %q, want %q", day, got, want)
		}
	}
	expect("20271020", "0 20270302T104200Z")
	expect("20280301", "0 20270302T104200Z")
	s.at(s.clock().Add(time.Hour))
	s.db.Exec(t, `UPDATE sheet SET version = version + 1, placed = jsonb_set(placed, '{given,1,periods}', '[4]') WHERE student_id = 's0001'`)
	for day, want := range map[string]string{"20271020": "0 20270302T104200Z", "20280301": "0 20270302T104200Z", "20280302": "0 20270302T104200Z"} { // of two days in a row one has Printmaking
		if strings.Contains(dayOf(days, day), "3  ") { // only what has Printmaking has moved
			want = "1 20270302T114200Z"
		}
		expect(day, want)
	}
	files := testdb.Files()
	for i := range files {
		if f := &files[i]; f.Name == "policy.json" {
			f.Text = bytes.Replace(f.Text, []byte(`"holidays": [`), []byte(`"holidays": ["2027-10-20", `), 1)
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.cases.Imports.Import(t.Context(), b, 0); err != nil {
		t.Fatal(err)
	}
	expect("20271020", "1 20270302T114200Z CANCELLED")
}

// dayOf is the event of a day.
func dayOf(events []string, day string) string {
	for _, event := range events {
		if strings.Contains(event, "DTSTART;VALUE=DATE:"+day) {
			return event
		}
	}
	return ""
}
