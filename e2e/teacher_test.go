package e2e

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// TestATeachersClass gives a class its word by keys alone: one apart, with a reason that the student reads at once, then the whole class,
// and takes it back; on a phone by touch, in Spanish.
func TestATeachersClass(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("#board button", "recommended by Mr Tolland")
	p := s.as("mr.tolland", desk)
	p.press("main nav button", "^Geometry ·")
	p.says("[data-testid=words]", "2 of your 2 students of Geometry have your word.")
	p.says("tr[data-student=s0001]", "Quill, Mara")
	p.accessible("a teacher's class")
	p.MustElement("tr[data-student=s0001]").MustFocus()
	keys(p, '2')
	p.says("tr[data-student=s0001] button[aria-pressed=true]", "your word")
	mara.says("aside button[data-row]", "Algebra II Advanced")
	p.MustElement("tr[data-student=s0001]").MustFocus()
	keys(p, 'r')
	p.MustWait(`() => document.activeElement.tagName === 'INPUT'`)
	p.MustElement("tr[data-student=s0001] input").MustSelectAllText().MustInput("You saw the proof.")
	keys(p, input.Enter)
	p.says("tr[data-student=s0001]", "You saw the proof.")
	mara.find("Algebra II Advanced")
	mara.MustNavigate(s.url + "/history")
	mara.says("main li", "recommended Algebra II Advanced .You saw the proof.")
	p.MustElement("tr[data-student=s0001]").MustFocus()
	p.press("thead button", "give it to all who may")
	p.says("[role=status]", "Given to the whole class: Algebra II")
	p.says("tr[data-student=s0001] button[aria-pressed=true][aria-label^='Algebra II Advanced']", "your word") // set apart before, and so it stays
	p.MustElement("tr[data-student=s0001]").MustFocus()
	keys(p, '0')
	p.MustWait(`() => document.querySelector('tr[data-student=s0001] button[aria-pressed=true]') === null`)
	phone := s.as("mr.tolland", phone)
	phone.language("es")
	phone.press("main nav button", "^Geometr")
	phone.says("[data-testid=words]", "tienen? tu palabra")
	phone.accessible("a teacher's class on a phone")
}

// TestTickingOffAnErrand has the counselor tick off an errand with a reason; the student sees it at once.
func TestTickingOffAnErrand(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("section[aria-labelledby=errands] li", "Studio safety form[\\s\\S]*by Fri 28 May")
	arden := s.as("ms.arden", desk)
	arden.press("main button", "Quill, Mara")
	arden.says("section[aria-label=Errands] li", "Studio safety form")
	arden.press("section[aria-label=Errands] button", "Tick it off")
	arden.MustElement("[role=dialog] textarea").MustInput("Seen on paper.")
	arden.press("[role=dialog] button", "Decide")
	arden.says("section[aria-label=Errands] button", "Not done after all")
	arden.accessible("a student's errands beside the caseload")
	mara.says("section[aria-labelledby=errands] li", "Studio safety form[\\s\\S]*settled")
}
