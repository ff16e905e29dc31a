package e2e

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	appcatalog "rubricon/app/catalog"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// withPolicy imports the demo school with a text of its policy replaced.
func (s *site) withPolicy(old, new string) {
	s.t.Helper()
	files := testdb.Files()
	for i := range files {
		if files[i].Name == "policy.json" {
			if !bytes.Contains(files[i].Text, []byte(old)) {
				s.t.Fatalf("the policy has no %q", old)
			}
			files[i].Text = bytes.Replace(files[i].Text, []byte(old), []byte(new), 1)
		}
	}
	b, err := bundle.ReadFiles(files)
	if err == nil {
		_, err = s.cases.Imports.Import(s.t.Context(), b, 0)
	}
	if err != nil {
		s.t.Fatal(err)
	}
}

// Pointing at a course shows on board and ledger what would change, without asking the server.
func TestPointingShowsWhatWouldChange(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science")
	mara.MustElement("input[type=search]").MustInput("tidal")
	row := mara.says("aside button[data-row=TID1]", "Tidal Ecology")
	mara.MustWaitRequestIdle("/live")()
	mara.MustEval(`() => { window.asked = 0; const f = window.fetch; window.fetch = (...a) => { window.asked++; return f(...a) } }`)
	row.MustHover()
	mara.says("[data-ghost=TID1]", "Tidal Ecology")
	mara.says("[data-preview=science-10]", "1 → 2 of 2")
	mara.says("[data-preview=credits]", "6.5 → 7.5")
	mara.MustElement("h1").MustHover()
	mara.gone("[data-ghost]")
	mara.gone("[data-preview]")
	// The same by keyboard; a level shows what it takes the place of.
	mara.MustElement("input[type=search]").MustSelectAllText().MustInput("english 10 adv")
	mara.says("aside button[data-row]", "English 10 Advanced")
	mara.MustElement("input[type=search]").MustFocus()
	mara.Keyboard.MustType(input.ArrowDown)
	mara.says("[data-ghost=ENG10A]", "English 10 Advanced")
	mara.says("#board button.line-through", "English 10")
	mara.accessible("a course pointed at")
	if asked := mara.MustEval(`() => window.asked`).Int(); asked > 0 {
		t.Errorf("pointing asked the server %d times", asked)
	}
}

// Any course is replaced in place in one act, with what it comes to shown first; one act takes it back.
func TestReplacingACourse(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.press("#board button[data-course=CER1]", "Ceramics")
	mara.press("[role=dialog] button", "Replace by another")
	mara.says("aside button[aria-pressed=true]", "in place of Ceramics I")
	mara.MustElement("input[type=search]").MustInput("tidal")
	mara.says("aside button[data-row=TID1]", "Takes the place of Ceramics I")
	mara.press("aside button[data-row=TID1]", "Tidal")
	mara.accessible("the finder in the place of a course")
	mara.press("aside button", "Take instead")
	mara.says("[data-testid=made]", "Tidal Ecology took the place of Ceramics I")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	mara.gone("#board button[data-course=CER1]")
	mara.press("[data-testid=made] button", "Undo")
	mara.says("#board button[data-course=CER1]", "Ceramics")
	mara.gone("#board button[data-course=TID1]")
}

// A level is exchanged in one act whose consequences are said first, and neither both nor none are left.
func TestExchangingALevel(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.says("#board button[data-course=ENG10]", "assigned by .* may be exchanged for English 10 Advanced")
	mara.press("#board button[data-course=ENG10]", "English 10")
	mara.says("[role=dialog] li", "English 10 Advanced · .*Takes the place of English 10")
	mara.press("[role=dialog] button", "^Exchange$")
	mara.says("#board button[data-course=ENG10A]", "English 10 Advanced")
	mara.gone("#board button[data-course=ENG10]")
	// Two halves are one bar, both of which stay buttons of their own.
	if left, right := mara.MustElement("#board button[data-course=HLT1]"), mara.MustElement("#board button[data-course=ROW1]"); !left.MustMatches("li > button") ||
		left.MustParent().MustHTML() != right.MustParent().MustHTML() {
		t.Error("the linked halves are not one bar")
	}
}

// What is recommended and not on the sheet is taken over, one or all in one act.
func TestTakingOverWhatIsRecommended(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.press("#board button[data-course=ALG2]", "Algebra II")
	mara.press("[role=dialog] button", "^Remove$")
	mara.says("[aria-labelledby=recommended] li", "Algebra II by Mr Tolland")
	mara.accessible("a recommended course")
	mara.press("[aria-labelledby=recommended] button", "Take it over")
	mara.says("#board button[data-course=ALG2]", "recommended by Mr Tolland")
	mara.gone("[aria-labelledby=recommended]")
}

// Where nothing else would do the sheet is filled in at the first visit, says so and why; what is taken off again stays off.
func TestWhatHasOneAnswerIsFilledIn(t *testing.T) {
	s := newSite(t)
	s.withPolicy(`{ "id": "study",`, `{ "id": "shore", "label": "The shore", "grades": [10], "of": { "courses": ["TID1"] }, "min": 1 }, { "id": "study",`)
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=made]", "Filled in for you, because nothing else would do: Tidal Ecology")
	mara.says("#board button[data-course=TID1]", "the only course that would do for The shore")
	mara.press("[data-testid=made] button", "Undo")
	mara.gone("#board button[data-course=TID1]")
	mara.MustReload()
	mara.says("[data-testid=todo]", "The shore")
	mara.MustWaitRequestIdle("/live")()
	mara.gone("#board button[data-course=TID1]")
}

// The list narrows by facets that count together, finds by teacher and requirement, and draws only what is in view.
func TestTheFinderNarrows(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.says("aside [role=status]", `\d\d+ courses`)
	if drawn := len(mara.MustElements("aside button[data-row]")); drawn > 40 || drawn < 5 {
		t.Errorf("%d rows are drawn", drawn)
	}
	mara.MustElement("aside select[aria-label='Subject area']").MustSelect("Science")
	science := mara.MustElement("aside select[aria-label='Subject area'] option[value=Science]").MustText()
	mara.says("aside [role=status]", "^"+strings.TrimPrefix(science, "Science · ")+" courses?")
	mara.press("aside button[aria-pressed]", "fits my year")
	mara.says("aside button[data-row]", "Tidal Ecology")
	mara.press("aside button", "all courses")
	mara.MustElement("input[type=search]").MustInput("tolland")
	mara.says("aside button[data-row], aside button[data-on-sheet]", "Algebra II|Statistics|Geometry")
	mara.MustElement("input[type=search]").MustSelectAllText().MustInput("cerámics") // an accent and a slip
	mara.says("aside button[data-on-sheet=CER1]", "Ceramics I")
	// The end of the list is reached by keys, and the focus stays in it.
	mara.press("aside button", "all courses")
	mara.says("aside [role=status]", `\d\d+ courses`)
	mara.MustElement("input[type=search]").MustFocus()
	for n := range 30 {
		mara.Keyboard.MustType(input.ArrowDown)
		mara.MustWait(`(n) => document.activeElement?.closest('li[data-index="' + n + '"]') != null`, n)
	}
	mara.accessible("the finder far down")
}

// On a phone the list scrolls with the page.
func TestTheFinderOnAPhone(t *testing.T) {
	mara := newSite(t).as("mara.quill", phone)
	mara.says("aside [role=status]", `\d\d+ courses`)
	first := mara.MustElement("aside button[data-row]").MustText()
	mara.MustEval(`() => window.scrollTo(0, document.documentElement.scrollHeight)`)
	mara.MustWait(`(first) => { const rows = [...document.querySelectorAll('aside button[data-row]')]; return rows.length > 0 && rows.every(r => r.innerText !== first) }`, first)
	mara.accessible("the finder's end on a phone")
}

// A course has a page of its own: its condition with the evidence, where it leads, what adding it does to the year and to both lists, and
// others next to it; a parent opens the link that the child copies.
func TestACoursesPage(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.find("Tidal Ecology")
	mara.press("aside a", "All about it")
	mara.says("h1", "Tidal Ecology")
	mara.says("aside dd", "6.5 credits become 7.5.*Completes Science")
	mara.says("aside dd", "Science: 2 becomes 3 of 3, complete")
	mara.says("article", "Marine Biology")
	mara.accessible("a course's page")
	mara.MustElement("aside select").MustSelect("Physics")
	mara.says("thead th", "Physics")
	mara.says("tbody td", "Algebra I at 70")
	mara.accessible("two courses side by side")
	mara.press("aside button", "Request it")
	mara.says("aside p", "Wanted 9 of 9")
	mara.press("header a", "Year")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	// What the condition rests on, part by part.
	mara.MustNavigate(s.url + "/course/PHY1")
	mara.says("article p", "Ms Arden has to confirm")
	mara.says("article p", "Algebra I at 70.*Mara Quill says it was met elsewhere")
	mara.MustNavigate(s.url + "/course/NOSUCH")
	mara.says("h1", "no course with the code NOSUCH")
	// The link that is copied is one for the family.
	ilse := s.as("ilse.quill", phone)
	ilse.MustNavigate(s.url + "/child/pellworth/s0001/course/BIO1")
	ilse.says("h1", "Biology")
	ilse.says("aside dd", "7.5 credits become 8.5")
	ilse.accessible("a course's page on a phone")
}

// The way through the school: what is open, what would fill it, planning a course and taking it off, which leaves the sheet alone.
func TestThePath(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("header a", "Path")
	mara.says("[data-testid=way]", "To graduate.*1.5 credits of Electives")
	mara.says("main button[data-stop=PHY1]", "waits for Ms Arden")
	mara.accessible("the path")
	mara.press("[data-testid=way] button", "Electives")
	mara.says("[role=dialog] h2", "What could fill Electives")
	mara.MustElement("[role=dialog] input").MustInput("sailing")
	mara.accessible("what could fill a requirement")
	mara.MustElement("[role=dialog] button[aria-label='Plan Sailing for grade 11']").MustClick()
	mara.gone("[role=dialog] button[aria-label='Plan Sailing for grade 11']")
	mara.press("[role=dialog] button", "^Close$")
	mara.says("[data-testid=way]", "1 credit of Electives")
	mara.press("main button[data-stop=SAI1]", "Sailing")
	mara.press("[role=dialog] button", "To grade 12")
	mara.says("main button[data-stop=SAI1]", "planned for grade 12")
	mara.gone("[role=dialog]")
	mara.press("main label", "For college entry")
	mara.says("h1", "For college entry")
	// It is kept, and no part of the sheet.
	mara.MustReload()
	mara.says("main button[data-stop=SAI1]", "planned for grade 12")
	mara.press("header a", "Year")
	mara.says("[data-testid=todo]", "one credit more in Science")
	mara.gone("#board button[data-course=SAI1]")
	ilse := s.as("ilse.quill", phone)
	ilse.MustNavigate(s.url + "/child/pellworth/s0001/path")
	ilse.says("main button[data-stop=SAI1]", "Sailing")
	ilse.accessible("the path on a phone")
}

// What the school lets through is acknowledged one by one before the sheet is handed in.
func TestAcknowledgingOnScreen(t *testing.T) {
	s := newSite(t)
	s.withPolicy(`{ "id": "study",`, `{ "id": "clay", "label": "Clay", "stance": "acknowledge", "of": { "courses": ["CER1"] }, "max": 0 }, { "id": "study",`)
	mara := s.as("mara.quill", desk)
	mara.find("Tidal Ecology")
	mara.press("aside button", "Request ⏎")
	mara.says("#board button[data-course=TID1]", "Tidal")
	mara.MustEval(`async () => { for (const course of ['WOO1', 'SAI1']) {
		const sheet = await (await fetch('/api/schools/pellworth/years/2027/students/s0001/sheet')).json()
		await fetch('/api/schools/pellworth/years/2027/students/s0001/sheet/changes', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({version: sheet.version, act: 'alternate', course})})
	} }`)
	mara.press("header a", "Hand in")
	mara.says("fieldset label", "Clay: 1 · up to 0. I know that this is not what the school advises.")
	mara.accessible("what is to be acknowledged")
	mara.press("button", "Submit to the school")
	mara.says("[role=alert]", "Agree to what is asked of you first")
	mara.MustElement("fieldset input[type=checkbox]").MustClick()
	mara.press("button", "Submit to the school")
	mara.says("[data-testid=receipt]", "Receipt PE-")
}

// What happens if a request cannot be given is tried without changing anything; the most useful further alternate is named and taken.
func TestWhatIfOnScreen(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.says("[aria-labelledby=alternates] p", "One more alternate would help most") // it comes on its own, and moves what is below
	mara.press("[aria-labelledby=alternates] button", "What if one is full")
	mara.says("[role=dialog] [role=status]", "Nothing is taken away yet")
	mara.press("[role=dialog] label", "Ceramics I")
	mara.says("[role=dialog] [role=status]", "Ceramics I is not given: Printmaking comes in")
	mara.says("[role=dialog] li", "Printmaking · came in")
	mara.press("[role=dialog] label", "English 10")
	mara.says("[role=dialog] [role=status]", "English 10 is not given: nothing stands in for it, and Credits and English would not hold")
	mara.accessible("what if")
	mara.press("[role=dialog] button", "^Close$")
	mara.says("#board button[data-course=CER1]", "Ceramics")
	mara.press("header a", "Hand in")
	mara.says("main", "Nothing stands in if these cannot be given: .*English 10")
	mara.press("header a", "Year")
	mara.says("[aria-labelledby=alternates] p", "One more alternate would help most")
	mara.press("[aria-labelledby=alternates] button", "Take it as an alternate")
	mara.says("[aria-labelledby=alternates] h2", "2 so far")
}

// A request becomes an alternate and back in one move each, and keeps its place.
func TestThereAndBack(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.press("#board button[data-course=NOR2]", "Norwegian 2")
	mara.says("[role=dialog]", "Wanted 5 of 8")
	mara.press("[role=dialog] button", "Make it an alternate")
	mara.press("[aria-labelledby=alternates] button[data-course=NOR2]", "Norwegian 2")
	mara.press("[role=dialog] button", "^Request$")
	mara.press("#board button[data-course=NOR2]", "Norwegian 2")
	mara.says("[role=dialog]", "Wanted 5 of 8")
}

// A draft is made, worked on, laid next to the sheet and put in its place; it never looks like the sheet and cannot be handed in.
func TestDraftsOnScreen(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("header a", "Drafts")
	mara.says("main", "A draft is a copy of your sheet")
	mara.MustElement("main input").MustInput("More sea")
	mara.press("main button[type=submit]", "Make it")
	mara.press("main a", "More sea")
	mara.says("[data-testid=status]", "Draft “More sea”")
	mara.says("p", "Draft “More sea”: a copy to try things on, not your sheet")
	if mara.MustHasR("header nav a", "Hand in") {
		t.Error("a draft can be handed in")
	}
	mara.find("Tidal Ecology")
	mara.press("aside button", "Request ⏎")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	mara.accessible("a draft")
	mara.press("header button", "Undo")
	mara.gone("#board button[data-course=TID1]")
	mara.press("header button", "Redo")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	mara.press("header a", "All drafts")
	mara.says("table td.font-semibold", "Tidal Ecology")
	mara.accessible("two sheets side by side")
	mara.press("main button", "Put it in place of the sheet")
	mara.says("[data-testid=made]", "The draft is the sheet now")
	mara.press("header a", "Year")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	mara.press("header button", "^Undo$")
	mara.gone("#board button[data-course=TID1]")
	// The family sees a draft that is shown, on a phone.
	mara.press("nav a", "Drafts")
	mara.press("main button", "Show it to the family")
	mara.says("main li", "your family sees it since")
	ilse := s.as("ilse.quill", phone)
	ilse.MustNavigate(s.url + "/child/pellworth/s0001/drafts")
	ilse.press("main a", "More sea")
	ilse.says("[data-testid=status]", "Draft “More sea”")
	ilse.says("#board button[data-course=TID1]", "Tidal Ecology")
	ilse.accessible("a draft on a phone")
}

// Errands stand in one list by date; a calendar reads them from a secret address, until that is taken away.
func TestErrandsOnScreen(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("main a", "all errands")
	mara.says("h1", "Next: Studio safety form, Fri 28 May")
	mara.says("main li", "Studio safety form.*Ceramics I")
	mara.says("main li", "Ms Arden ticks it off")
	mara.accessible("the errands")
	mara.press("main button", "Make a secret address")
	address := mara.MustElement("main input[readonly]").MustProperty("value").Str()
	mara.accessible("the errands with an address")
	answer, err := http.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	text, _ := io.ReadAll(answer.Body)
	_ = answer.Body.Close()
	if answer.StatusCode != 200 || !strings.Contains(strings.ReplaceAll(string(text), "\r\n ", ""), "Studio safety form") {
		t.Errorf("%d\n%s", answer.StatusCode, text)
	}
	mara.press("main button", "Take the address away")
	mara.gone("main input[readonly]")
	if answer, err = http.Get(address); err != nil || answer.StatusCode != 404 {
		t.Errorf("taken away: %v %v", answer, err)
	}
	_ = answer.Body.Close()
}

// What happened to the sheet stands there in words; an earlier state is looked at and brought back, which is undone like any change.
func TestHistoryOnScreen(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("#board button[data-course=CER1]", "Ceramics")
	mara.press("[role=dialog] button", "^Remove$")
	mara.gone("#board button[data-course=CER1]")
	mara.find("Tidal Ecology")
	mara.press("aside button", "Request ⏎")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
	mara.press("header a", "Hand in")
	mara.press("main a", "What happened to the sheet so far")
	mara.says("main li", "Mara Quill : Requested Tidal Ecology|Mara Quill: Requested Tidal Ecology")
	mara.says("main li", "Removed Ceramics I")
	mara.press("main li button", "What was on it")
	mara.says("main li", "No longer on it: Printmaking|8 requests|7 requests")
	mara.accessible("the history")
	mara.press("main button", "Bring this back")
	mara.says("[data-testid=made]", "An earlier state is the sheet now")
	mara.press("header a", "Year")
	mara.gone("#board button[data-course=TID1]")
	mara.gone("#board button[data-course=CER1]")
	mara.press("header button", "^Undo$")
	mara.says("#board button[data-course=TID1]", "Tidal Ecology")
}

// A question is asked where its course stands, and something wrong is said without stopping anything; the counselor answers, and the
// answer stays with it.
func TestAskingWhereOneLooks(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("#board button[data-course=PHY1]", "Physics")
	mara.press("[role=dialog] summary", "Ask or say something about it")
	mara.MustElement("[role=dialog] details input:not([type=radio])").MustInput("Is the lab on Fridays?")
	mara.accessible("asking about a course")
	mara.press("[role=dialog] details button", "Send")
	mara.says("[role=dialog] details li", "Mara Quill.*asks: “Is the lab on Fridays\\?”")
	mara.press("[role=dialog] button", "^Close$")
	mara.press("main summary", "Something to ask, or something wrong")
	mara.press("main details label", "not this year")
	mara.MustElement("main details select").MustSelect("Physical education")
	mara.MustElement("main details input:not([type=radio])").MustInput("I swim in summer.")
	mara.press("main details button", "Send")
	mara.says("main details li", "puts off · Physical education: “I swim in summer.”")
	mara.accessible("what is put off")
	arden := s.as("ms.arden", desk)
	arden.MustElement("input[type=search]").MustInput("Quill, Mara")
	arden.MustWait(`() => { const list = [...document.querySelectorAll("[id^=case-]")]; return list.length > 0 && list.every(b => b.innerText.includes("Quill, Mara")) }`)
	arden.press("#case-s0001", "Quill, Mara")
	arden.says("#student li", "Is the lab on Fridays")
	arden.MustElement("#student li form input").MustInput("On Tuesdays.")
	arden.accessible("answering")
	arden.press("#student li form button", "Answer")
	arden.says("#student li", "Ms Arden: “On Tuesdays.”")
	mara.says("main details li", "Ms Arden: “On Tuesdays.”")
	mara.says("main h2", "Answers from the school")
}

// TestTheSummerOnScreen finds a course of the summer round, requests it next to a year that stays as it is, and hands the summer in by
// itself.
func TestTheSummerOnScreen(t *testing.T) {
	s := newSite(t)
	round := appcatalog.Window{Round: appcatalog.OfTheSummer, Grade: -1, Opens: testdb.Now.AddDate(0, 0, -3), Families: testdb.Now.AddDate(0, 2, 0), Counselors: testdb.Now.AddDate(0, 3, 0)}
	if err := s.cases.Catalog.SetWindow(t.Context(), demo.SchoolID, 2027, round); err != nil {
		t.Fatal(err)
	}
	mara := s.as("mara.quill", desk)
	summer := "section[aria-labelledby=summer]"
	mara.says(summer, "a round of its own, open until")
	mara.says(summer, "Nothing is asked for")
	mara.press(summer+" button", "See the summer’s courses")
	mara.press("aside button[data-row]", "Physical Education, in summer")
	mara.press("aside button", "Request")
	mara.says(summer+" button", "Physical Education, in summer")
	mara.says(summer, "Not handed in yet")
	mara.accessible("the year with a summer round")
	mara.press(summer+" button", "Hand in the summer")
	mara.says(summer, "Handed in .*, receipt PE-")
	mara.says("[data-testid=status]", "In progress")
	mara.press(summer+" button[data-course]", "Physical Education, in summer")
	mara.press("[role=dialog] button", "Remove")
	mara.says(summer, "the school still has Physical Education, in summer")
	mara.press(summer+" button", "Hand in the summer again")
	mara.says(summer, "Handed in")
	mara.gone(summer + " button[data-course]")
}

// TestAllCoursesByKeyboard goes through all courses without a mouse: finds one, puts two side by side, requests one from there, takes the
// other as an alternate on its page, and comes back.
func TestAllCoursesByKeyboard(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science")
	mara.press("header nav a", "Courses")
	mara.says("h1", "All 1[0-9][0-9] courses, and what each would do to your sheet")
	mara.accessible("all courses")
	search := mara.MustElement("input[type=search]")
	search.MustInput("sail")
	mara.says("aside button[data-row=SAI1]", "Sailing")
	keys(mara, input.ArrowDown)
	mara.says("aside button[data-row=SAI1][aria-expanded=true]", "Sailing")
	keys(mara, input.KeyC)
	mara.says("[role=status]", "To be compared: Sailing")
	mara.MustElement("input[type=search]").MustSelectAllText().MustInput("tidal")
	mara.says("aside button[data-row=TID1]", "Tidal Ecology")
	mara.MustElement("input[type=search]").MustFocus()
	keys(mara, input.ArrowDown)
	mara.says("aside button[data-row=TID1][aria-expanded=true]", "Tidal Ecology")
	keys(mara, input.KeyC)
	mara.MustElementR("a", "Put them side by side").MustFocus()
	keys(mara, input.Enter)
	mara.says("h1", "Sailing")
	mara.says("table", "Tidal Ecology")
	keys(mara, input.KeyA)
	mara.says("[data-testid=made]", "Sailing is an alternate now")
	keys(mara, input.KeyC)
	mara.MustWait(`() => document.activeElement.tagName === 'SELECT'`) // what else it can be compared with
	mara.MustEval(`() => document.activeElement.blur()`)
	keys(mara, input.Escape)
	mara.says("h1", "All 1[0-9][0-9] courses")
}

// TestAfterTheWindow shows the same pages read-only once the window has closed for families: what was asked for, and since when; a draft
// can still be tried, and the school can be asked.
func TestAfterTheWindow(t *testing.T) {
	s := newSite(t)
	closed := appcatalog.Window{Grade: -1, Opens: testdb.Now.AddDate(0, -1, 0), Families: testdb.Now.AddDate(0, 0, -1), Counselors: testdb.Now.AddDate(0, 1, 0)}
	if err := s.cases.Catalog.SetWindow(t.Context(), demo.SchoolID, 2027, closed); err != nil {
		t.Fatal(err)
	}
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=status]", "closed since Mon.*1 Mar")
	mara.says("#board button", "Ceramics I")
	mara.find("Tidal Ecology")
	mara.says("aside", "All about it")
	for what, selector := range map[string]string{"a course can be requested": "aside button", "the order can be changed": "main button", "a change can be undone": "header button"} {
		if has, _, _ := mara.HasR(selector, "^(Request|As alternate|Order of wishes|Undo)"); has {
			t.Errorf("%s after the window", what)
		}
	}
	mara.press("#board button", "Ceramics I")
	mara.says("[role=dialog]", "CER1")
	if has, _, _ := mara.HasR("[role=dialog] button", "Remove|Alternate"); has {
		t.Error("a course can be taken off after the window")
	}
	mara.press("[role=dialog] button", "Close")
	mara.press("header nav a", "Hand in")
	mara.says("main", "closed since")
	mara.says("h1", "The request period has ended, and nothing was submitted. Ask Ms Arden.")
	if has, _, _ := mara.HasR("main button", "Submit"); has {
		t.Error("it can be submitted after the window")
	}
	open := closed
	open.Families = testdb.Now.AddDate(0, 0, 1)
	if err := s.cases.Catalog.SetWindow(t.Context(), demo.SchoolID, 2027, open); err != nil {
		t.Fatal(err)
	}
	s.handIn()
	accounts, err := s.cases.Account.Accounts(t.Context(), demo.SchoolID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.cases.Sheet.SendBack(t.Context(), accounts["k1"], schoolyear.Place{School: demo.SchoolID, Year: testdb.Year, Student: "s0001"}, 0, "Talk it over."); err != nil {
		t.Fatal(err)
	}
	if err := s.cases.Catalog.SetWindow(t.Context(), demo.SchoolID, 2027, closed); err != nil {
		t.Fatal(err)
	}
	mara.MustReload()
	mara.says("h1", "The request period has ended, and your requests were not submitted again. Ask Ms Arden.")
	mara.accessible("handing in after the window")
	mara.press("header nav a", "Drafts")
	mara.says("h1", "Drafts")
	mara.press("header nav a", "Path")
	mara.press("main button[data-stop]", "Physics")
	mara.says("[role=dialog]", "Leads to|No other course rests on it")
}

// TestSingleKeysCanBeSwitchedOff has the student switch single keys off under Account: they do nothing any more in this browser, until they are on again.
func TestSingleKeysCanBeSwitchedOff(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	searches := func(want bool) {
		t.Helper()
		mara.says("[data-testid=todo]", "one credit more in Science")
		mara.MustEval(`() => document.activeElement.blur()`)
		keys(mara, '/')
		if got := mara.MustEval(`() => document.activeElement.type === 'search'`).Bool(); got != want {
			t.Errorf("the key / leads to the search: %v", got)
		}
		mara.MustEval(`() => document.activeElement.blur()`)
		keys(mara, '?')
		if want {
			mara.says("[role=dialog]", "go to the finder")
			keys(mara, input.Escape)
			mara.gone("[role=dialog]")
		} else if has, _, _ := mara.Has("[role=dialog]"); has {
			t.Error("the key ? opens the keys")
		}
	}
	searches(true)
	for _, on := range []bool{false, true} {
		mara.press("header a", "Account")
		mara.MustElementR("main label", "Single keys do something").MustElement("input").MustFocus() // what loads above it may move it under a pointer
		keys(mara, input.Space)
		mara.MustWait(`(on) => document.activeElement.checked === on`, on)
		mara.accessible("the account with single keys")
		mara.MustNavigateBack()
		searches(on)
	}
}
