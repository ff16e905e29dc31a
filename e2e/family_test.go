package e2e

import (
	"testing"

	"rubricon/school"
	"rubricon/store/storetest"
)

// handIn finishes Mara's sheet and hands it in.
func (s *site) handIn() *school.Desk {
	s.t.Helper()
	accounts, err := s.cases.Accounts(s.t.Context(), "pellworth")
	if err != nil {
		s.t.Fatal(err)
	}
	at := school.Place{School: "pellworth", Year: storetest.Year, Student: "s0001"}
	for _, e := range []school.Edit{{Act: "request", Course: "TID1"}, {Act: "alternate", Course: "PHO1"}, {Act: "alternate", Course: "AST1"}} {
		d, err := s.cases.Sheet(s.t.Context(), accounts["s0001"], at)
		if err != nil {
			s.t.Fatal(err)
		}
		e.Version = d.Row.Version
		if _, err := s.cases.Change(s.t.Context(), accounts["s0001"], at, e); err != nil {
			s.t.Fatal(err)
		}
	}
	d, err := s.cases.Submit(s.t.Context(), accounts["s0001"], at, 0, "")
	if err != nil {
		s.t.Fatal(err)
	}
	return d
}

// TestAFamilyAsks has a mother ask for a change of one course, then not sign with a reason, and say something about the sheet; the student and the
// counselor read each.
func TestAFamilyAsks(t *testing.T) {
	s := newSite(t)
	s.handIn()
	ilse := s.as("ilse.quill", phone)
	ilse.says("h1", "Mara waits for your signature until")
	ilse.says("ol li[aria-current=step]", "A guardian signs, on the screen or on paper")
	ilse.says("main li", "Mara chooses and hands in, until [\\s\\S]*· done")
	ilse.press("main li button[aria-label='Ask for a change: Ceramics I']", "Ask for a change")
	ilse.says("main label", "What should be different about Ceramics I?")
	ilse.accessible("asking for a change of one course")
	ilse.MustElement("main textarea").MustInput("She works until December.")
	ilse.press("main form button", "Send")
	ilse.says("main p", "You asked: “Ceramics I: She works until December.”")
	s.as("ms.arden", desk).says("main li button", "Quill, Mara[\\s\\S]*Ceramics I: She works until December.")

	ilse.press("button", "I do not sign this")
	ilse.says("main label", "Why do you not sign\\? Mara and the counselor read this.")
	ilse.MustElement("main textarea").MustInput("Two of these meet in the evening.")
	ilse.press("main form button", "Send")
	ilse.says("main p", "You asked: “Two of these meet in the evening.”")
	mara := s.as("mara.quill", desk)
	mara.MustNavigate(s.url + "/history")
	mara.says("main li", "Ilse Quill[\\s\\S]*does not sign what was handed in[\\s\\S]*Two of these meet in the evening.")

	ilse.gone("main textarea")
	ilse.press("main button", "Something to ask, or something wrong")
	ilse.MustElement("main input[maxlength='1000']").MustInput("Are the boat trips on Saturdays?")
	ilse.press("main form button", "Send")
	ilse.says("main li", "Ilse Quill[\\s\\S]*asks[\\s\\S]*“Are the boat trips on Saturdays\\?”")
	ilse.accessible("the family's page with what was said")
	if a := ilse.says("main a", "Print the sheet").MustAttribute("href"); a == nil || *a != "/api/schools/pellworth/years/2027/students/s0001/sheet/paper.pdf?language=en" {
		t.Errorf("the printed sheet is at %v", a)
	}
}
