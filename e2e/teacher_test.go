package e2e

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
)

// TestATeachersClass returns a class its word by keys alone: one apart, with a reason that the student reads at once, then the whole class,
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
	keys(p, input.Enter)
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

// TestTakingStudentsIn has the office give a course its leader, who takes anyone who tries out, changes the answer with a word, and enters a
// list; the student reads it at once, and may request the course.
func TestTakingStudentsIn(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.find("Ensemble, by audition")
	mara.press("aside button", "As alternate")
	mara.says("section[aria-labelledby=alternates]", "Ensemble, by audition")
	office := s.as("office", desk)
	office.MustNavigate(s.url + "/people")
	office.MustElement("input[type=search]").MustInput("tolland")
	office.press("main li button", "^Leads…")
	office.says("main li form", "Leads no course")
	office.accessible("which courses somebody leads")
	office.MustElement("main li form select").MustSelect("Chamber Voices (CHA1)")
	office.press("main li form button", "Let them lead it")
	office.says("main li form [role=alert]", "reason")
	office.MustElement("main li form input").MustInput("Conducts them.")
	office.press("main li form button", "Let them lead it")
	office.says("main li form p", "Chamber Voices")
	office.says("section li", "Dagny Westerdale let somebody lead a course: Mr Tolland · CHA1 “Conducts them.”")

	p := s.as("mr.tolland", desk)
	p.press("header nav a", "Auditions")
	p.says("h1", "wait.* for your answer")
	p.says("h2", "Chamber Voices · 0 taken|Chamber Voices · \\d+ taken")
	row := "li[data-student=s0001]"
	p.says(row, "Quill, Mara[\\s\\S]*tries out for it[\\s\\S]*no answer yet")
	p.accessible("auditions")
	p.press(row+" button", "^Take$")
	p.says(row, "taken by Mr Tolland")
	mara.find("Chamber Voices")
	mara.says("aside button", "Request|Put it")
	p.press(row+" button", "Words for the family")
	p.MustElement(row + " input").MustInput("A fine alto.")
	keys(p, input.Enter)
	p.says(row, "A fine alto.")
	mara.MustNavigate(s.url + "/history")
	mara.says("main li", "Mr Tolland[\\s\\S]*took the student into Chamber Voices[\\s\\S]*A fine alto.")
	p.press(row+" button", "Take back")
	p.says(row, "no answer yet")
	p.press(row+" button", "Not this year")
	p.says(row, "not taken, Mr Tolland")
	p.press("summary", "Enter a list")
	p.MustElement("textarea").MustInput("Nobody Here\nQuill, Mara\n")
	p.press("form button", "See whom it names")
	p.says("details [role=status]", "It names one student:[\\s\\S]*Quill, Mara \\(10\\)[\\s\\S]*Nobody Here names nobody")
	p.press("details button", "Take this student")
	p.says(row, "taken by Mr Tolland")
	phone := s.as("mr.tolland", phone)
	phone.language("es")
	phone.press("header nav a", "Audiciones")
	phone.says(row, "admitido por Mr Tolland")
	phone.accessible("auditions on a phone")
}

// TestAClassWithoutTheNetwork finds a student by letters, gives a word that waits while the network is away and is kept when it is back, and
// takes it back by Ctrl Z; a course next to the usual ones gets a column.
func TestAClassWithoutTheNetwork(t *testing.T) {
	s := newSite(t)
	p := s.as("mr.tolland", desk)
	p.press("main nav button", "^Geometry ·")
	p.MustElement("tbody tr").MustFocus()
	keys(p, 'q', 'u')
	p.MustWait(`() => document.activeElement.dataset.student === 's0001'`)
	if err := (proto.NetworkEnable{}).Call(p); err != nil {
		t.Fatal(err)
	}
	wire := proto.NetworkEmulateNetworkConditions{Offline: true, DownloadThroughput: -1, UploadThroughput: -1}
	if err := wire.Call(p); err != nil {
		t.Fatal(err)
	}
	keys(p, '2')
	p.says("header [role=status]", "1 waiting to be kept")
	p.says("tr[data-student=s0001] button[aria-pressed=true][aria-label^='Algebra II Advanced']", "your word")
	wire.Offline = false
	if err := wire.Call(p); err != nil {
		t.Fatal(err)
	}
	p.says("header [role=status]", "Kept")
	p.MustReload()
	p.press("main nav button", "^Geometry ·")
	p.says("tr[data-student=s0001] button[aria-pressed=true][aria-label^='Algebra II Advanced']", "your word")
	p.MustElement("select[aria-label='another…']").MustSelect("Statistics")
	p.says("thead th b", "Statistics")
	p.MustElement("tr[data-student=s0001]").MustFocus()
	keys(p, '1')
	p.says("tr[data-student=s0001] button[aria-pressed=true][aria-label^='Algebra II,']", "your word")
	p.MustElement("tr[data-student=s0001]").MustFocus()
	if err := p.Keyboard.Press(input.ControlLeft); err != nil {
		t.Fatal(err)
	}
	keys(p, 'z')
	_ = p.Keyboard.Release(input.ControlLeft)
	p.says("main [role=status]", "Taken back.")
	p.says("tr[data-student=s0001] button[aria-pressed=true][aria-label^='Algebra II Advanced']", "your word")
}
