package e2e

import (
	"fmt"
	"strings"
	"testing"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/internal/testdb"
)

// mara is her sheet.
var mara = schoolyear.Place{School: "pellworth", Year: testdb.Year, Student: "s0001"}

// edit changes Mara's sheet and hands it in, as she would.
func (s *site) edit(edits ...appsheet.Edit) *appsheet.Desk {
	s.t.Helper()
	accounts, err := s.cases.Account.Accounts(s.t.Context(), "pellworth")
	if err != nil {
		s.t.Fatal(err)
	}
	for _, e := range edits {
		d, err := s.cases.Sheet.Sheet(s.t.Context(), accounts["s0001"], mara)
		if err != nil {
			s.t.Fatal(err)
		}
		e.Version = d.Row.Version
		if _, err := s.cases.Sheet.Change(s.t.Context(), accounts["s0001"], mara, e); err != nil {
			s.t.Fatal(err)
		}
	}
	d, err := s.cases.Sheet.Submit(s.t.Context(), accounts["s0001"], mara, 0, "")
	if err != nil {
		s.t.Fatal(err)
	}
	return d
}

// handIn finishes Mara's sheet and hands it in.
func (s *site) handIn() *appsheet.Desk {
	s.t.Helper()
	return s.edit(appsheet.Edit{Act: "request", Course: "TID1"}, appsheet.Edit{Act: "alternate", Course: "PHO1"}, appsheet.Edit{Act: "alternate", Course: "AST1"})
}

// TestAFamilyAsks has a mother ask for a change of one course, then not sign with a reason, and say something about the sheet; the student and the
// counselor read each.
func TestAFamilyAsks(t *testing.T) {
	s := newSite(t)
	s.handIn()
	ilse := s.as("ilse.quill", phone)
	ilse.says("h1", "Mara waits for your signature until")
	ilse.says("ol li[aria-current=step]", "A guardian signs, on the screen or on paper")
	ilse.says("main li", "Mara submitted the requests · done")
	ilse.press("main li button[aria-label='Ask for a change: Ceramics I']", "Ask for a change")
	ilse.says("main label", "What should be different about Ceramics I?")
	ilse.accessible("asking for a change of one course")
	ilse.MustElement("main textarea").MustInput("She works until December.")
	ilse.press("main form button", "Send")
	ilse.says("main li", "You asked for a change · Ceramics I · .*“She works until December.”")
	s.as("ms.arden", desk).says("main li button", "Quill, Mara[\\s\\S]*wants a change to Ceramics I: “She works until December.”")

	ilse.press("button", "I do not sign this")
	ilse.says("main label", "Why do you not sign\\? Mara and the counselor read this.")
	ilse.MustElement("main textarea").MustInput("Two of these meet in the evening.")
	ilse.press("main form button", "Send")
	ilse.says("main li", "You refused to sign · .*“Two of these meet in the evening.”")
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

// agreeToAll presses one agreement after the other.
func (w *screen) agreeToAll() {
	w.t.Helper()
	w.says("main h2", "0 of 2")
	for n := range 2 {
		w.press("main button[data-open]", "I agree")
		w.says("main h2", fmt.Sprintf("%d of 2", n+1))
	}
}

// TestAgreeingOneByOne has a mother agree, withdraw, find that signing leads to what is left, and sign; after a change she is told what is different from
// what she signed and agrees to what is new alone.
func TestAgreeingOneByOne(t *testing.T) {
	s := newSite(t)
	s.handIn()
	ilse := s.as("ilse.quill", phone)
	ilse.agreeToAll()
	ilse.says("main li", "I pay the fee of .*35 for Ceramics I.[\\s\\S]*agreed Tue")
	ilse.press("main li button[aria-label*='Ceramics I']", "Withdraw")
	ilse.says("main h2", "1 of 2")
	ilse.press("button", "Sign for Mara")
	ilse.says("#left", "One thing is left to agree to; then you can sign.")
	ilse.accessible("agreeing one by one")
	ilse.press("main button[data-open]", "I agree")
	ilse.says("main h2", "2 of 2")
	ilse.press("button", "Sign for Mara")
	ilse.says("main", "Signed by Ilse Quill")

	s.edit(appsheet.Edit{Act: "replace", Course: "SCU1", Instead: "CER1"}) // which has a fee
	ilse.says("[data-testid=since-signed]", "You signed what was handed in before, [\\s\\S]*Sculpture in Wood[\\s\\S]*Ceramics I")
	ilse.says("main h2", "1 of 2")
	ilse.press("button", "Sign for Mara")
	ilse.says("#left", "One thing is left to agree to; then you can sign.")
	ilse.press("main button[data-open]", "I agree")
	ilse.says("main h2", "2 of 2")
	ilse.gone("#left:not(:empty)") // what was left no longer is
	ilse.press("button", "Sign for Mara")
	ilse.says("main", "Signed by Ilse Quill")
}

// TestAFamilyTalks has mother and daughter say something to each other about a course and a draft, before anything is handed in; the school reads neither.
func TestAFamilyTalks(t *testing.T) {
	s := newSite(t)
	ilse := s.as("ilse.quill", phone)
	ilse.press("main button[aria-label='Say something to Mara: Ceramics I']", "Say something to Mara")
	ilse.says("main label", "To Mara about Ceramics I; the school does not read it")
	ilse.MustElement("main li input").MustInput("Do you still like it?")
	ilse.press("main form button", "Send")
	ilse.says("main li", "Ilse Quill[\\s\\S]*“Do you still like it\\?”")
	ilse.accessible("talking about a course")

	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=talk]", "What your family says[\\s\\S]*Ilse Quill[\\s\\S]*Ceramics I:[\\s\\S]*“Do you still like it\\?”")
	mara.MustElement("[data-testid=talk] input").MustInput("Very much.")
	mara.press("[data-testid=talk] button", "Send")
	mara.says("[data-testid=talk] li", "Mara Quill[\\s\\S]*“Very much.”")
	mara.accessible("what the family says")
	ilse.says("main li", "“Very much.”")

	mara.press("nav a", "Drafts")
	mara.MustElement("main input").MustInput("More sea")
	mara.press("main button", "Make it")
	mara.press("main button", "Show it to the family")
	mara.says("main li", "your family sees it since")
	ilse.says("[data-testid=draft]", "Mara shows you a draft: More sea[\\s\\S]*It asks for the same as the sheet.")
	ilse.MustElement("[data-testid=draft] input").MustInput("And the boat trips?")
	ilse.press("[data-testid=draft] button", "Send")
	mara.says("main li li", "Ilse Quill[\\s\\S]*“And the boat trips\\?”")
	mara.accessible("a draft that is shown")

	arden := s.as("ms.arden", desk)
	arden.press("main button", "Quill, Mara")
	if text := arden.says("#student", "Mara Quill").MustText(); strings.Contains(text, "still like it") {
		t.Error("the counselor reads what a family says to each other")
	}
	mara.press("main button", "Show it no longer")
	ilse.gone("[data-testid=draft]")
}

// What the school declines is said with its reason where the course stands, and an answer to a question where the year is, to the student and the guardian.
func TestWhatTheSchoolAnswersIsSeen(t *testing.T) {
	s := newSite(t)
	mara, ilse, arden := s.as("mara.quill", desk), s.as("ilse.quill", phone), s.as("ms.arden", desk)
	ilse.press("main button", "Something to ask, or something wrong")
	ilse.MustElement("main input[maxlength='1000']").MustInput("Are the boat trips on Saturdays?")
	ilse.press("main form button", "Send")
	ilse.says("main li", "Are the boat trips on Saturdays")
	arden.press("main li button", "Quill, Mara")
	arden.press("main button", "^Not met")
	arden.MustElement("[role=dialog] textarea").MustInput("The report says 58.")
	arden.MustElement("[role=dialog] button[type=submit]").MustClick()
	arden.gone("[role=dialog]")
	mara.says("#board button", "Physics[\\s\\S]*Ms Arden did not confirm it: “The report says 58.”")
	ilse.says("main p", "Ms Arden did not confirm it: “The report says 58.”")
	arden.MustElement("main input[maxlength='1000']").MustInput("On Sundays.")
	arden.press("main form button", "Answer")
	mara.MustReload()
	mara.says("main h2", "Answers from the school")
	mara.says("main li", "Are the boat trips on Saturdays[\\s\\S]*Ms Arden: “On Sundays.”")
	mara.accessible("what the school has answered")
}
