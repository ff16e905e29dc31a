package e2e

import (
	"regexp"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/internal/testdb"
)

// withSchedule returns the school a master schedule in which Ceramics I meets at the same time as Health and Rowing, and lets it place what is submitted.
func (s *site) withSchedule() {
	s.t.Helper()
	f := bundle.File{Name: "classes.csv", Header: strings.Split("sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher", ",")}
	for _, c := range strings.Fields("eng10/sy27/1 alg2/sy27/2 wld2/sy27/3 phy1/sy27/4 nor2/sy27/5 tid1/sy27/6 hlt1/sy27-1/7 row1/sy27-2/7 cer1/sy27-1/7 pri1/sy27-1/8 pho1/sy27-2/8") {
		x := strings.Split(c, "/")
		f.Rows = append(f.Rows, []string{x[0] + "-1", "active", "Section 1", "c-" + x[0], "scheduled", "pellworth", x[1], x[2], "", "30", "Ms Saltmarsh"})
	}
	files := testdb.Files()
	for i := range files {
		if files[i].Name == "policy.json" {
			files[i].Text = regexp.MustCompile(`"placement": \{[^}]*\}`).ReplaceAll(files[i].Text, []byte(`"placement": {"seniority": true, "take": "submitted"}`))
		}
	}
	b, err := bundle.ReadFiles(append(files, f))
	if err != nil {
		s.t.Fatal(err)
	}
	if _, err := s.cases.Imports.Import(s.t.Context(), b, 0); err != nil {
		s.t.Fatal(err)
	}
}

// TestPlacingAndPublishing has the office place what is handed in, read why something is not given next to one student's week, publish it to a grade, and take it back; the student and her mother
// see what was given, what was not and why.
func TestPlacingAndPublishing(t *testing.T) {
	s := newSite(t)
	s.withSchedule()
	s.handIn()
	first := s.as("mara.quill", desk)
	first.says("[data-testid=clash]", "No choice of sections gives these together: Health and Ceramics I")
	first.accessible("what cannot be had together")
	ms := s.as("ms.arden", desk)
	ms.says("main", "Health and 1 more cannot be had together")
	office := s.as("office", desk)
	office.press("nav a", "Placement")
	office.says("h1", "No placement yet.")
	office.accessible("before the first placement")
	office.press("main button", "Place what is handed in")
	office.says("[data-testid=run-A]", "waits for its turn")
	accounts, err := s.cases.Account.Accounts(t.Context(), "pellworth")
	if err != nil {
		t.Fatal(err)
	}
	runs, err := s.cases.Schedule.Runs(t.Context(), accounts["office"], "pellworth", testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.cases.Background.RunTask(t.Context(), "pellworth", runs[0].Task); err != nil {
		t.Fatal(err)
	}
	office.says("h1", "1 of 1 student has all they asked for or an alternate; no timetable of these sections can do better")
	office.MustElement("input[type=search]").MustInput("quill, mara")
	office.press("main button", "Mara Quill")
	office.says("h2", "^Mara Quill$")
	office.says("main li", "Ceramics I[\\s\\S]*wish 8 · it meets at the same time as something else that was given[\\s\\S]*Printmaking comes in.")
	office.says("main td", "Printmaking Ms Saltmarsh · an alternate")
	office.accessible("a placement")

	mara, ilse := s.as("mara.quill", desk), s.as("ilse.quill", phone)
	mara.gone("[data-testid=result]")
	office.MustElement("main section select").MustSelect("grade 10")
	office.press("main button", "Publish to families…")
	office.says("[role=dialog] p", "Every student and guardian sees what was given, what was not and why")
	office.accessible("publishing")
	office.press("[role=dialog] button", "Publish")
	office.says("[role=status]", "told")
	mara.says("[data-testid=result] h2", "9 courses are given; one that was asked for is not.")
	mara.says("[data-testid=result] td", "Printmaking")
	mara.says("[data-testid=result] li", "Ceramics I[\\s\\S]*Printmaking comes in.")
	mara.says("[data-testid=status]", "Placed")
	mara.accessible("the result")
	ilse.says("[data-testid=result] h2", "9 courses are given; one that was asked for is not.")
	ilse.accessible("the result on a phone")
	ilse.language("ar")
	ilse.says("[data-testid=result] li", "تحل محلها Printmaking")
	ilse.language("es")
	ilse.says("[data-testid=result] li", "Entra Grabado|Entra Printmaking")

	// The week as a file, for those who may see it.
	for who, want := range map[*screen]int{mara: 200, ilse: 200, s.as("mr.tolland", desk): 404} {
		for file, text := range map[string]string{"week.pdf": "%PDF", "week.ics": "BEGIN:VCALENDAR"} {
			got := who.MustEval(`async (f) => { const r = await fetch('/api/schools/pellworth/years/2027/students/s0001/' + f + '?language=ar'); return [r.status, await r.text()] }`, file).Arr()
			if body := got[1].Str(); got[0].Int() != want || strings.HasPrefix(body, text) != (want == 200) {
				t.Errorf("%s: %d, %.40q", file, got[0].Int(), body)
			} else if n := strings.Count(body, "BEGIN:VEVENT"); file == "week.ics" && want == 200 && (n < 150 || n > 200 || !strings.Contains(body, "Ms Saltmarsh")) {
				t.Errorf("the calendar has %d days", n)
			}
		}
	}
	mara.says("[data-testid=result] a", "As a PDF")

	office.press("main button", "Take back…")
	office.MustElement("[role=dialog] textarea").MustInput("A section was forgotten.")
	office.press("[role=dialog] button", "Take back…")
	office.says("main li", "taken back by Dagny Westerdale[\\s\\S]*“A section was forgotten.”")
	mara.gone("[data-testid=result]")
	mara.says("[data-testid=status]", "Submitted")
}

// TestChangingARun has the office take and give places by hand, hold a week, change the sections under a run and place that again, and set two runs next to each other.
func TestChangingARun(t *testing.T) {
	s := newSite(t)
	s.withSchedule()
	s.handIn()
	accounts, err := s.cases.Account.Accounts(t.Context(), "pellworth")
	if err != nil {
		t.Fatal(err)
	}
	office := s.as("office", desk)
	office.press("nav a", "Placement")
	run := func(name, button string) {
		t.Helper()
		office.press("main button", button)
		office.says("[data-testid=run-"+name+"]", "waits for its turn")
		runs, err := s.cases.Schedule.Runs(t.Context(), accounts["office"], "pellworth", testdb.Year)
		if err != nil {
			t.Fatal(err)
		}
		if err := s.cases.Background.RunTask(t.Context(), "pellworth", runs[0].Task); err != nil {
			t.Fatal(err)
		}
		office.says("[data-testid=run-"+name+"]", "complete, within")
	}
	run("A", "Place what is handed in")
	office.says("h2", "^Mara Quill$")

	// What would help most, tried as a run that changes nothing yet, then used.
	office.press("main button", "Look for what would help")
	office.says("main [role=status]", "waits for its turn")
	runs, err := s.cases.Schedule.Runs(t.Context(), accounts["office"], "pellworth", testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.cases.Background.RunTask(t.Context(), "pellworth", *runs[0].Help); err != nil {
		t.Fatal(err)
	}
	office.says("[data-testid=helps] li", "Ceramics I, cer1-1, from period 7 to 8\\s+worth")
	office.accessible("what would help")
	office.press("[data-testid=helps] button", "Try as a run")
	office.says("[data-testid=run-B]", "waits for its turn")
	if runs, err = s.cases.Schedule.Runs(t.Context(), accounts["office"], "pellworth", testdb.Year); err != nil {
		t.Fatal(err)
	}
	if err := s.cases.Background.RunTask(t.Context(), "pellworth", runs[0].Task); err != nil {
		t.Fatal(err)
	}
	office.says("#tried", "Run B tries another section")
	office.says("main li", "meets at another time: one student is in it")
	office.MustElementR("main label", "Run B beside").MustElement("select").MustSelect("A")
	office.says("[data-testid=beside]", "Sections: (Health, hlt1-1|Ceramics I, cer1-1), in period 8 instead of period 7")
	office.accessible("a run that tries another section")
	office.press("main button", "^A ")

	// By hand: what cannot be is refused with what would make it possible, what was written stays, and what is done is told.
	office.press("main button", "Give or take by hand")
	office.says("[role=dialog] option", "Ceramics I · wish 8 · not given")
	office.says("[role=dialog] label", "30 seats taken · at the time of Health")
	office.press("[role=dialog] label", "Section 1")
	office.MustElementR("[role=dialog] label", "^Why").MustElement("input").MustInput("She builds kilns.")
	office.accessible("by hand")
	office.press("[role=dialog] button", "^Give it$")
	office.says("[role=dialog] [role=alert]", "The student has something else at that time; take that away first")
	office.MustElement("[role=dialog] select").MustSelect("Printmaking · alternate 1 · given")
	office.press("[role=dialog] label", "Take it away")
	office.press("[role=dialog] button", "^Take it away$")
	office.gone("[role=dialog]")
	office.says("h1", "after changes since the run|after 1 changes")
	office.press("main summary", "Since it ended: one change")
	office.says("[data-testid=acts] li", "Printmaking was taken from Mara Quill: “She builds kilns.”")
	office.press("main summary", "Later runs keep one thing as it is")
	office.says("[data-testid=holds] li", "Mara Quill: Printmaking, taken away by hand")
	office.press("main button", "Hold this week")
	office.says("main button[aria-pressed=true]", "Held; let go")
	office.says("[data-testid=holds] li", "Mara Quill: all 8 places are held")
	office.accessible("what later runs keep")

	// A section that goes while a run uses it is said, and what was in it placed again.
	office.press("nav a", "Sections")
	office.press("[data-section=tid1-1]", "Tidal Ecology")
	office.says("#section p", "Run B has placed one student here")
	office.press("#section button", "Take it away")
	office.gone("[data-section=tid1-1]")
	office.press("nav a", "Placement")
	office.press("main button", "^A ")
	office.says("main li", "Tidal Ecology, section tid1-1, is gone: one student was in it.")
	office.accessible("what has changed since a run")
	office.press("main button", "Place this anew")
	office.says("[data-testid=touched] li", "Mara Quill · a section is gone · without Tidal Ecology")
	office.gone("#since")

	// A second run without the section, next to the first.
	run("C", "Run again")
	office.MustElementR("main label", "Run C beside").MustElement("select").MustSelect("A")
	office.says("[data-testid=beside]", "As many have all or an alternate. Lottery seed 1 in both.")
	office.accessible("a run beside another")
}
