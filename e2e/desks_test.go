package e2e

import (
	"testing"
)

// cases waits until so many students are in the list.
func (p *screen) cases(n int) {
	p.MustWait(`n => document.querySelectorAll("[id^=case-]").length === n`, n)
}

// TestTheCaseloadByException finds who waits for what, keeps the view by name, reminds them all, and takes it back; the family reads it.
func TestTheCaseloadByException(t *testing.T) {
	s := newSite(t)
	arden := s.as("ms.arden", desk)
	arden.says("h1", "need a word from you")
	arden.accessible("the caseload")
	arden.press("main button", "not begun")
	arden.says("main li button", "nothing begun, \\d+ days? left")
	arden.MustElement("input[aria-label='With a course']").MustInput("Physics")
	arden.says("main", "No student here")
	arden.press("main button", "in progress")
	arden.MustElement("input[type=search]").MustInput("quill mara")
	arden.cases(1)
	arden.says("main li button", "Quill, Mara[\\s\\S]*for Physics: “")
	arden.press("main button", "Keep this view")
	arden.MustElement("input[name=name]").MustInput("Mara alone")
	arden.press("form button", "^Keep$")
	arden.says("main button", "Forget this view")
	arden.press("main button", "Show who waits again")
	arden.says("main h2", "Says a condition was met elsewhere")
	arden.MustElement("select[aria-label='Kept views']").MustSelect("Mara alone")
	arden.cases(1)

	arden.press("main li button", "do something with all")
	arden.MustElement("#student select[name=name]").MustSelect("Choose courses for next year")
	arden.MustElement("#student textarea").MustInput("The window closes soon.")
	arden.press("#student button", "See what it would do")
	arden.says("#student h3", "It would concern 1 student")
	arden.accessible("what an act would do")
	arden.press("#student button", "Remind 1 student")
	arden.says("#student [role=status]", "Done for 1 student")
	mara := s.as("mara.quill", desk)
	mara.says("main li", "Ms Arden reminds you: Choose courses for next year. “The window closes soon.”")
	mara.accessible("a reminder")
	s.as("ilse.quill", phone).says("main li", "Ms Arden reminds you")

	arden.press("#student button", "Something else with them")
	arden.MustElement("#student select[name=name]").MustSelect("Choose courses for next year")
	arden.press("#student button", "See what it would do")
	arden.says("#student h3", "1 stays as it is")
	arden.says("#student section li", "were reminded of it today")
}

// TestPreparing assigns a course to everybody of whom a condition holds, by a list too, and takes it back as one.
func TestPreparing(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.press("nav a", "Prepare")
	office.says("h1", "Choose students")
	office.accessible("preparing")
	office.MustElement("input[name=condition]").MustInput("passed (")
	office.press("button", "Choose them")
	office.says("[role=alert]", "The condition cannot be read.")
	office.says("#condition-read", "At character 8: a name belongs after “passed”, not “\\(”")
	office.MustElement("input[name=condition]").MustSelectAllText().MustInput("grade 10")
	office.MustElement("form textarea").MustInput("Quill, Mara\nNobody Here\ns0001\n")
	office.press("button", "Choose them")
	office.says("h1", "1 student is chosen. Nothing has changed yet.")
	office.says("main li", "Line 2: Nobody Here nobody here")
	office.says("main li", "Line 3: s0001 the same student once more")
	what := "section[aria-label=What] "
	office.MustElement(what + "input[name=course]").MustInput("Astronomy")
	office.MustElement(what + "textarea[name=reason]").MustInput("Won a place.")
	office.press(what+"button", "See what it would do")
	office.says(what+"li", "Quill, Mara[\\s\\S]*\\+ Astronomy")
	office.accessible("whom it concerns")
	office.press(what+"button", "Assign it to 1 student")
	office.says(what+"[role=status]", "Done for 1 student")
	office.says(what+"li", "Assigned Astronomy · 1 student · Dagny Westerdale[\\s\\S]*“Won a place.”")
	mara := s.as("mara.quill", desk)
	mara.says("#board button", "Astronomy")
	office.press(what+"li button", "Take it back")
	office.MustElement("input[name=back]").MustInput("Another Mara.")
	office.press("form button", "^Take it back$")
	office.says(what+"[role=status]", "Taken back for 1 student")
	office.says(what+"li", "Taken back for 1 by Dagny Westerdale")
	mara.MustWait(`() => ![...document.querySelectorAll("#board button")].some(b => b.innerText.includes("Astronomy"))`)
}

// TestOneStudentOnOnePage decides next to the evidence, changes the sheet for the family with a reason, enters a record, and takes it back;
// the family reads all of it.
func TestOneStudentOnOnePage(t *testing.T) {
	s := newSite(t)
	arden := s.as("ms.arden", desk)
	arden.press("main li button", "Quill, Mara")
	arden.press("#student a", "everything about this student")
	arden.says("h1", "Mara Quill, entering grade 10")
	arden.says("section[aria-label=Transcript] tr", "Geometry\\s+being taken")
	arden.says("section[aria-label='What people have said'] li", "Recommended: Algebra II · Mr Tolland “Mara is ready for it.”")
	arden.says("section[aria-label='Family and signatures'] li", "Ilse Quill.*signs on screen")
	arden.accessible("one student")
	// A change for the family needs a reason, which goes with it.
	arden.press("#board button[data-course=CER1]", "Ceramics")
	arden.press("[role=dialog] button", "Remove")
	arden.says("[role=alert]", "Write the reason")
	arden.MustElement("input[aria-label^=Why]").MustInput("By telephone with Ilse Quill.")
	arden.press("#board button[data-course=CER1]", "Ceramics")
	arden.press("[role=dialog] button", "Remove")
	arden.gone("#board button[data-course=CER1]")
	arden.says("section[aria-label='What happened'] li", "Ms Arden.*Ceramics I.*“By telephone with Ilse Quill.”")

	more := "section[aria-label='Something more for this student'] "
	arden.MustElement(more + "select").MustSelect("Enter a record")
	arden.MustElement(more + "input[name=course]").MustInput("Algebra I")
	arden.MustElement(more + "input[name=mark]").MustInput("excellent")
	arden.MustElement(more + "textarea").MustInput("The report has come.")
	arden.press(more+"button", "See what it would do")
	arden.says("[role=alert]", "The mark is a number from 0 to 100")
	arden.MustElement(more + "input[name=mark]").MustSelectAllText().MustInput("83")
	arden.press(more+"button", "See what it would do")
	arden.press(more+"button", "Enter it for 1 student")
	arden.says("section[aria-label=Transcript] tr", "Algebra I · entered here\\s+earned elsewhere\\s+1\\s+83")
	arden.says("[data-testid=status]", "In progress")
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "Still to do: one credit more in Science and two alternates.")
	arden.press("section[aria-label='What was done before'] li button", "Take it back")
	arden.MustElement("input[name=back]").MustInput("Another Quill.")
	arden.press("form button", "^Take it back$")
	arden.says("section[aria-label='What was done before'] li", "Taken back for 1 by Ms Arden")
	arden.MustWait(`() => !document.querySelector("section[aria-label=Transcript]").innerText.includes("entered here")`)

	// The whole workspace of the family is there too.
	arden.press("aside button, #board button", "courses fit|see what fits")
	arden.says("header a", "Back to the student")
	arden.find("Tidal Ecology")
	arden.press("aside button", "Request")
	arden.says("#board button", "Tidal Ecology")
	mara.says("#board button", "Tidal Ecology")
	arden.press("header a", "Back to the student")
	arden.says("h1", "Mara Quill, entering grade 10")
	s.as("ms.arden", phone).accessible("the caseload on a phone")
}

// TestRecordsOfAnotherSchool enters records for many at once, each their own, from a list of which one row is no one's.
func TestRecordsOfAnotherSchool(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.press("nav a", "Prepare")
	office.press("summary", "Records of another school")
	office.MustElement("details[open] textarea").MustInput("student,courseCode,mark\nQuill Mara,AST1,88\nNobody,AST1,70\n")
	office.press("details[open] button", "See whose they are")
	office.says("details[open] [role=status]", "One record can be entered, for one student.")
	office.says("details[open] li", "Line 3: Nobody · AST1 nobody here")
	office.MustElement("details[open] textarea[name=reason]").MustInput("From the old school.")
	office.press("details[open] button", "See what it would do")
	office.says("details[open] li", "Quill, Mara")
	office.accessible("records of another school")
	office.press("details[open] button", "Enter it for 1 student|for 1 student")
	office.says("details[open] [role=status]", "Done for 1 student")
	office.MustNavigate(s.url + "/student/s0001")
	office.says("main tr, main li", "Astronomy[\\s\\S]*88")
}

// TestRulesOnScreen changes a rule in its sentence, sees how the real sheets would stand, is told of an error at its line, and puts the
// rules in force; the student has them at once, and the version before comes back as a draft.
func TestRulesOnScreen(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.press("nav a", "Rules")
	office.says("h1", "The rules in force")
	office.says("main li", "\\d+ hold, \\d+ short, 0 over")
	office.accessible("the rules")
	blank := func() {
		office.MustElement("input[aria-label='At least: Credits']").MustSelectAllText().MustInput("7.5")
	}
	blank()
	office.says("h1", "A draft: nothing is in force yet")
	office.says("main li", "\\(now in force: \\d+, \\d+, \\d+\\)")
	office.says("aside, section", "sheets? would no longer hold")
	office.accessible("a draft of the rules")
	office.press("main button", "as JSON")
	office.MustElement("textarea").MustInput(" x")
	office.says("[role=alert] li", "line \\d+")
	office.press("main button", "Leave the draft")
	office.press("main button", "as sentences")
	blank()
	office.MustElement("input[name=reason]").MustInput("By the board.")
	office.says("main li", "\\(now in force: \\d+, \\d+, \\d+\\)")
	office.press("main button", "Put it in force")
	office.says("section[aria-label=Versions] li", "Version 2.*Dagny Westerdale.*“By the board.”")
	s.as("mara.quill", desk).says("[data-testid=todo]", "Still to do: one credit more")
	office.press("section[aria-label=Versions] button", "draft from this one")
	office.says("h1", "A draft: nothing is in force yet")

	// A grade gets a window of its own, which holds at once.
	office.press("main nav a", "Windows and holidays")
	windows := "section[aria-label='When sheets are open'] "
	office.says(windows+"li", "All grades")
	office.press(windows+"button", "One more, for a grade or a student")
	office.MustElement(windows + "input[name=grade]").MustInput("10")
	for name, at := range map[string]string{"opens": "2027-03-05T08:00", "families": "2027-03-20T16:00", "counselors": "2027-03-30T16:00"} {
		office.MustElement(windows+"input[name="+name+"]").MustEval(`at => {
			Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(this, at)
			this.dispatchEvent(new Event("input", { bubbles: true }))
		}`, at)
	}
	office.press(windows+"button", "Set it")
	office.says(windows+"li", "Grade 10\\s*opens 2027-03-05 08:00, closes for families 2027-03-20 16:00")
	s.as("mara.quill", desk).says("[data-testid=status]", "opens Fri 5 Mar")
	office.press(windows+"li button", "take away")
	office.MustWait(`() => !document.querySelector("section[aria-label='When sheets are open'] ul").innerText.includes("Grade 10")`)

	office.press("nav a", "Catalog")
	office.says("h1", "courses are offered")
	office.MustElement("input[type=search]").MustInput("Astronomy")
	office.MustElement("textarea[id='cell-metadata.entry']").MustInput("passed")
	office.says("p[id='cell-metadata.entry-read']", "At character 7: a name belongs after “passed”, not “the end”.")
	office.accessible("a condition that cannot be read")
	office.MustElement("textarea[id='cell-metadata.entry']").MustSelectAllText().MustInput("passed ALG1 at 70")
	office.says("p[id='cell-metadata.entry-read']", "Asks for Algebra I at 70.")
	office.press("main button", "Take this course away")
	office.says("main", "Astronomy goes: \\d+ students? request")
	office.press("main button", "Let it stay after all")
	office.MustElement("input[name=reason]").MustInput("Too many without algebra.")
	office.gone("main button[disabled]")
	office.press("main button", "Put it in force")
	office.says("section[aria-label=Versions] li", "Version 2.*“Too many without algebra.”")
	office.accessible("the catalog")
}

// Two of the office change the catalog at a time: the second keeps what they did, on top of the other's, and is told where both changed the same.
func TestTwoChangeTheCatalog(t *testing.T) {
	s := newSite(t)
	edit := func(p *screen, column, text string) {
		p.MustElement("[id='" + column + "']").MustSelectAllText().MustInput(text)
	}
	first, second := s.as("office", desk), s.as("office", desk)
	for _, p := range []*screen{first, second} {
		p.press("nav a", "Catalog")
		p.says("h1", "courses are offered")
		p.MustElement("input[type=search]").MustInput("Astronomy")
		p.says("h2", "^Astronomy$")
	}
	edit(second, "cell-title", "Astronomy and Tides")
	edit(second, "cell-metadata.fee", "12")
	second.says("h1", "One course|1 course")
	edit(first, "cell-title", "The Night Sky")
	edit(first, "cell-metadata.note", "Bring a coat.")
	first.force("Next year's list.")
	first.says("section[aria-label=Versions] li", "Version 2")
	second.force("Next year's list.")
	second.says("[role=alert]", "Someone else put a change in force meanwhile. Your changes are kept.")
	second.accessible("somebody else was faster")
	second.press("[role=alert] button", "Load their version")
	second.says("section[aria-label='Both of you changed these'] li", "AST1, Title: theirs “The Night Sky”, yours “Astronomy and Tides”")
	second.accessible("what both changed")
	second.press("section[aria-label='Both of you changed these'] button", "Use theirs")
	second.gone("section[aria-label='Both of you changed these']")
	second.force("Next year's list.")
	second.says("section[aria-label=Versions] li", "Version 3")
	for id, want := range map[string]string{"cell-title": "The Night Sky", "cell-metadata.note": "Bring a coat.", "cell-metadata.fee": "12"} {
		if got := second.MustElement("[id='" + id + "']").MustProperty("value").Str(); got != want {
			t.Errorf("%s is %q, want %q", id, got, want)
		}
	}
	// One takes away what the other edits, and edits what the other takes away.
	find := func(p *screen, title string) {
		p.MustElement("input[type=search]").MustSelectAllText().MustInput(title)
		p.press("main li button", title)
		p.says("h2", "^"+title+"$")
	}
	first.MustReload()
	for p, gone := range map[*screen]string{first: "The Night Sky", second: "Woodwork"} {
		find(p, gone)
		p.press("main button", "Take this course away")
	}
	find(second, "The Night Sky")
	edit(second, "cell-metadata.fee", "15")
	find(first, "Woodwork")
	edit(first, "cell-metadata.note", "Tie your hair back.")
	first.force("Next year's list.")
	first.says("section[aria-label=Versions] li", "Version 4")
	second.force("Next year's list.")
	second.press("[role=alert] button", "Load their version")
	clashes := "section[aria-label='Both of you changed these'] li"
	second.says(clashes, "AST1 taken away by somebody else; your changes would bring it back")
	second.says(clashes, "WOO1 changed by somebody else; you take it away")
	second.accessible("one took away what the other changed")
	second.press("section[aria-label='Both of you changed these'] li:first-child button", "Use theirs")
	second.says("h1", "One course|1 course")
	second.force("Next year's list.")
	second.says("section[aria-label=Versions] li", "Version 5")
	for title, cells := range map[string]map[string]string{
		"The Night Sky": {"cell-metadata.note": "Bring a coat.", "cell-metadata.fee": "15"}, // it came back whole
		"Woodwork":      {"cell-metadata.note": "Tie your hair back."},
	} {
		find(second, title)
		for id, want := range cells {
			if got := second.MustElement("[id='" + id + "']").MustProperty("value").Str(); got != want {
				t.Errorf("%s of %s is %q, want %q", id, title, got, want)
			}
		}
	}
}
