package e2e

import (
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/store/storetest"
)

// withSchedule gives the school a master schedule in which Ceramics I meets at the same time as Health and Rowing.
func (s *site) withSchedule() {
	s.t.Helper()
	f := bundle.File{Name: "classes.csv", Header: strings.Split("sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher", ",")}
	for _, c := range strings.Fields("eng10/sy27/1 alg2/sy27/2 wld2/sy27/3 phy1/sy27/4 nor2/sy27/5 tid1/sy27/6 hlt1/sy27-1/7 row1/sy27-2/7 cer1/sy27-1/7 pri1/sy27-1/8 pho1/sy27-2/8") {
		x := strings.Split(c, "/")
		f.Rows = append(f.Rows, []string{x[0] + "-1", "active", "Section 1", "c-" + x[0], "scheduled", "pellworth", x[1], x[2], "", "30", "Ms Saltmarsh"})
	}
	b, err := bundle.ReadFiles(append(storetest.Files(), f))
	if err != nil {
		s.t.Fatal(err)
	}
	if _, err := s.cases.Import(s.t.Context(), b); err != nil {
		s.t.Fatal(err)
	}
}

// TestPlacingAndPublishing has the office place what is handed in, read why something is not given beside one student's week, publish it to a grade, and take it back; the student and her mother
// see what was given, what was not and why.
func TestPlacingAndPublishing(t *testing.T) {
	s := newSite(t)
	s.withSchedule()
	s.handIn()
	first := s.as("mara.quill", desk)
	first.says("[data-testid=clash]", "No choice of sections gives these together: Health and Ceramics I")
	first.accessible("what cannot be had together")
	office := s.as("office", desk)
	office.press("nav a", "Placement")
	office.says("h1", "No placement yet.")
	office.accessible("before the first placement")
	office.press("main button", "Place what is handed in")
	office.says("[data-testid=run-A]", "waits for its turn")
	accounts, err := s.cases.Accounts(t.Context(), "pellworth")
	if err != nil {
		t.Fatal(err)
	}
	runs, err := s.cases.Runs(t.Context(), accounts["office"], "pellworth", storetest.Year)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.cases.RunTask(t.Context(), "pellworth", runs[0].Task); err != nil {
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

	office.press("main button", "Take back…")
	office.MustElement("[role=dialog] textarea").MustInput("A section was forgotten.")
	office.press("[role=dialog] button", "Take back…")
	office.says("main li", "taken back by Dagny Westerdale[\\s\\S]*“A section was forgotten.”")
	mara.gone("[data-testid=result]")
	mara.says("[data-testid=status]", "Submitted")
}
