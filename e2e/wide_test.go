package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	appcatalog "rubricon/app/catalog"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// language chooses one in the head of the page.
func (p *screen) language(tag string) {
	p.t.Helper()
	p.MustElement("select[aria-label=Language], select[aria-label=Idioma], select[aria-label=اللغة]").MustEval(`(tag) => {
		const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set;
		set.call(this, tag);
		this.dispatchEvent(new Event('change', { bubbles: true }));
	}`, tag)
	p.MustWait(`(tag) => document.documentElement.lang === tag`, tag)
}

// The language is chosen on any screen, and is the person's own from then on, in every browser.
func TestTwoLanguages(t *testing.T) {
	s := newSite(t)
	p := s.open(desk)
	p.language("es")
	p.says("h1", "Los cursos del próximo año")
	p.accessible("the sign-in page in Spanish")
	p.enter("mara.quill")
	p.says("[data-testid=todo]", "Falta: un crédito más en Ciencias, dos alternativas y una palabra de Ms Arden sobre Física")
	p.says("#board button", "Historia universal II")
	p.accessible("the year in Spanish")
	p.language("en")
	p.says("[data-testid=todo]", "one credit more in Science")
	p.language("es")
	p.press("nav a", "Entregar")
	p.says("h1", "Antes de entregarla")
	p.accessible("handing in, in Spanish")
	// In another browser, which asks for English.
	small := s.as("mara.quill", phone)
	small.says("[data-testid=todo]", "un crédito más en Ciencias")
	small.accessible("the year in Spanish on a phone")
	for username, words := range map[string]string{"ilse.quill": "Mara todavía no ha entregado", "ms.arden": "necesitan? tu palabra"} {
		for _, width := range []int{desk, phone} {
			other := s.as(username, width)
			other.language("es")
			other.says("h1", words)
			other.accessible(username + "'s screen in Spanish")
		}
	}
	// What a refusal says is in the reader's language too.
	office := s.as("office", desk)
	office.language("es")
	office.press("nav a", "Personas")
	office.says("h1", "Las personas de la escuela")
	office.accessible("people in Spanish")
}

// A family reads Arabic from the right: the letter, agreeing, signing, talking, the printed sheet. So does a student her sheet, her path and a
// course. What only the staff have stays English and is read from the left.
func TestArabicFromTheRight(t *testing.T) {
	s := newSite(t)
	s.handIn()
	ilse := s.open(phone)
	ilse.language("ar")
	ilse.says("h1", "مواد السنة القادمة")
	ilse.says("main", "لم ينظر في هذه الترجمة بعدُ قارئ")
	ilse.accessible("the sign-in page in Arabic")
	ilse.enter("ilse.quill")
	ilse.language("ar") // the school's data say English of her
	ilse.says("h1", "ينتظر Mara توقيعكم حتى")
	if dir := ilse.MustEval(`() => getComputedStyle(document.querySelector('main')).direction + ' ' + document.documentElement.lang`).Str(); dir != "rtl ar" {
		t.Errorf("the family's page is %s", dir)
	}
	if left := ilse.MustElement("main li button[data-open]").MustEval(`() => this.getBoundingClientRect().left`).Num(); left > 100 {
		t.Error("what is pressed to agree is not on the left, where a line ends")
	}
	ilse.accessible("the family's page in Arabic")
	for n := range 2 {
		ilse.press("main button[data-open]", "أوافق")
		ilse.says("main h2", fmt.Sprintf("%d من 2", n+1))
	}
	ilse.press("main button[aria-label^='قولوا شيئاً'][aria-label$='Ceramics I']", "قولوا شيئاً لـ Mara")
	ilse.MustElement("main li form input").MustInput("أما زال يعجبك؟")
	ilse.press("main form button", "إرسال")
	ilse.says("main li", "“أما زال يعجبك؟”")
	ilse.press("button", "وقّعوا لـ Mara")
	ilse.says("main", "وقّع Ilse Quill")
	if a := ilse.says("main a", "طباعة الورقة").MustAttribute("href"); a == nil || !strings.HasSuffix(*a, "language=ar") {
		t.Errorf("the printed sheet is at %v", a)
	}
	ilse.accessible("a signed sheet in Arabic")
	s.as("ilse.quill", desk).says("h1", "اعتُمدت|Mara") // it is her own language from now on, in every browser

	mara := s.as("mara.quill", desk)
	mara.language("ar")
	mara.says("#board button", "Physics")
	mara.MustWait(`() => document.documentElement.dir === 'rtl'`)
	mara.says("[data-testid=talk]", "أما زال يعجبك؟")
	mara.says("main h2", "كشف المتطلبات")
	mara.accessible("the year in Arabic")
	mara.press("#board button", "Physics")
	mara.says("[role=dialog]", "ما تتطلبه")
	mara.press("[role=dialog] button", "إغلاق")
	mara.press("header a", "المسار")
	mara.says("main b", "الصف 12")
	mara.accessible("the path in Arabic")
	mara.press("header a", "المواد")
	mara.says("h1", "كل المواد")
	mara.accessible("the courses in Arabic")

	arden := s.as("ms.arden", desk)
	arden.language("ar")
	arden.says("main", "Mara")
	arden.MustWait(`() => document.documentElement.dir === 'ltr'`)
}

// withTarn brings the second school.
func (s *site) withTarn() {
	s.t.Helper()
	b, err := bundle.ReadFiles(demo.Tarn(testdb.Files(), 7))
	if err == nil {
		_, err = s.cases.Imports.Import(s.t.Context(), b, 0)
	}
	if err == nil {
		err = s.cases.Catalog.SetWindow(s.t.Context(), demo.TarnID, testdb.Year, appcatalog.Window{Grade: -1, Opens: testdb.Now.AddDate(0, 0, -7), Families: testdb.Now.AddDate(0, 0, 10),
			Counselors: testdb.Now.AddDate(0, 1, 0)})
	}
	if err != nil {
		s.t.Fatal(err)
	}
}

// A mother of children in two schools sees both, edits where the school lets her, and each sheet speaks of its own school.
func TestTwoSchools(t *testing.T) {
	s := newSite(t)
	s.withTarn()
	ilse := s.as("ilse.quill", phone)
	ilse.says("h1", "Jonah has not submitted next year’s courses yet. Mara has not submitted") // where she may edit comes first
	ilse.says("[data-testid=where]", "Jonah Quill · grade 7 · Tarn Ridge Lower School · 2027-28")
	ilse.says("section[aria-label='Jonah Quill'] li", "English 7")
	ilse.says("section[aria-label='Mara Quill'] li", "English 10")
	ilse.accessible("children in two schools")
	ilse.press("main li a", "Mara")
	ilse.says("[data-testid=where]", "Mara Quill · grade 10 · Pellworth Sound Secondary School · 2027-28")
	ilse.press("main a", "Edit Jonah’s sheet")
	ilse.says("[data-testid=todo]", "2 units more and one course more in Exploratory terms, with music")
	ilse.accessible("a child's year of trimesters on a phone")
	ilse.press("[data-testid=todo] a", "one course more")
	ilse.press("aside button[data-row]", "Chess and Puzzles")
	ilse.press("aside button", "Request")
	ilse.says("#board button", "Chess and Puzzles")
	ilse.says("h1", "All that the school asks for is here")
	ilse.press("nav a", "Family")
	ilse.says("h1", "Mara has not submitted|Jonah")

	jonah := s.as("jonah", desk)
	jonah.says("[data-testid=where]", "Tarn Ridge Lower School · 2027-28")
	jonah.says("#board", "Third trimester")
	jonah.says("#board button", "Chess and Puzzles")
	jonah.accessible("a year of trimesters")
	// One more is refused where the school refuses it, and offered as an alternate.
	jonah.MustElement("input[type=search]").MustInput("clay")
	jonah.says("aside button[data-row]", "There would be more than .* allows. Take it as an alternate.")

	both := s.as("ms.bellweather", desk)
	both.says("[data-testid=where]", "Pellworth Sound")
	both.accessible("a counselor of two schools")
	both.press("header nav a", "Counselor, Tarn Ridge Lower School")
	both.says("[data-testid=where]", "Tarn Ridge")
	both.says("h1", "need")
	two := s.as("mr.tolland", desk)
	two.says("[data-testid=where]", "Signe Tolland · grade 8 · Tarn Ridge")
	two.press("header nav a", "Teacher, Pellworth Sound Secondary School")
	two.says("h1", "(has|have) your word")
}

// What a course asks for was met elsewhere: it is said where it is asked, and waits for the counselor.
func TestAClaimOnScreen(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.MustElement("input[type=search]").MustInput("film")
	mara.says("aside button[data-row]", "Film Studies")
	if other := mara.MustHas("button[data-row=MET1]"); other {
		t.Error("“film” finds Metalwork")
	}
	mara.MustElement("input[type=search]").MustSelectAllText().MustInput("programming")
	mara.press("aside button", "more you may not take")
	mara.says("aside button[data-row=CMP2]", "You can request it and say where you met this; Ms Arden decides.")
	mara.press("aside button[data-row=CMP2]", "Programming")
	mara.press("aside button", "Request")
	mara.says("[data-testid=made]", "Requested Programming.")
	mara.says("aside button[data-on-sheet]", "On your sheet, wish 9.")
	mara.press("aside button[data-on-sheet]", "Programming")
	mara.press("[role=dialog] button", "It was met elsewhere")
	mara.accessible("saying where something was met")
	mara.MustElement("input[name=where]").MustInput("the harbour school")
	mara.MustElement("select[name=schoolYear]").MustSelect("2024-25")
	mara.MustElement("input[name=term]").MustInput("S2")
	mara.MustElement("input[name=mark]").MustInput("90")
	mara.MustElement("textarea").MustInput("The report is beside it.")
	report := filepath.Join(t.TempDir(), "report.pdf")
	if err := os.WriteFile(report, []byte("%PDF-1.7\n%%EOF\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	mara.MustElement("input[name=file]").MustSetFiles(report)
	mara.press("[role=dialog] button[type=submit]", "Send")
	mara.gone("textarea")
	mara.says("[role=dialog]", "At the harbour school, 2024-25 S2, mark 90, The report is beside it.")
	if href := mara.says("[role=dialog] a[download]", "report.pdf").MustAttribute("href"); !strings.HasSuffix(*href, "/file") {
		t.Errorf("the file is at %s", *href)
	}
	mara.says("[role=dialog]", "Mara Quill says it was met elsewhere")
	page := filepath.Join(t.TempDir(), "scan.pdf")
	if err := os.WriteFile(page, []byte("%PDF-1.7\n%%EOF\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	mara.MustElementR("[role=dialog] label", "Put another file in its place").MustElement("input").MustSetFiles(page)
	mara.says("[role=dialog] a[download]", "scan.pdf")
	mara.accessible("a file beside a claim")
	mara.press("[role=dialog] button", "Remove scan.pdf")
	mara.says("[role=dialog] label", "Put a file beside it")
	mara.gone("[role=dialog] a[download]")
	mara.press("[role=dialog] button", "Close")
	mara.says("[data-testid=todo]", "a word from Ms Arden about Programming")
	// The counselor finds in the dialog what was said, and confirms it with what the report has.
	arden := s.as("ms.arden", desk)
	arden.MustElement("input[type=search]").MustInput("Quill, Mara")
	arden.MustWait(`() => { const list = [...document.querySelectorAll("[id^=case-]")]; return list.length > 0 && list.every(b => b.innerText.includes("Quill, Mara")) }`)
	arden.press("#case-s0001", "Quill, Mara")
	arden.MustElementR("#student div", "^Programming needs").MustElementR("button", "Confirm: earned elsewhere").MustClick()
	for name, want := range map[string]string{"schoolYear": "2024-25", "term": "S2", "mark": "90", "credits": "0.5"} {
		if got := arden.MustElement("[role=dialog] [name=" + name + "]").MustProperty("value").Str(); got != want {
			t.Errorf("%s is %q before anybody has typed, want %q", name, got, want)
		}
	}
	arden.accessible("confirming what was earned elsewhere")
	arden.MustElement("[role=dialog] textarea").MustInput("Report seen.")
	arden.press("[role=dialog] button", "Decide")
	arden.gone("[role=dialog]")
	mara.says("#board button", "Programming")
	mara.MustWait(`() => !document.querySelector("[data-testid=todo]").innerText.includes("Programming")`)
}

// Each change says what it did, also on its own, and is taken back where one looks.
func TestUndoWhereOneLooks(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", phone)
	mara.press("#board button", "Health")
	mara.press("[role=dialog] button", "Remove")
	mara.says("[data-testid=made]", "Removed Health. With it left Rowing.")
	mara.accessible("after a change, on a phone")
	mara.press("[data-testid=made] button", "Undo")
	mara.says("#board button", "Rowing")
	mara.says("[data-testid=made]", "Taken back.")
	mara.press("[data-testid=made] button", "^Redo$")
	mara.says("[data-testid=made]", "again")
	if mara.MustHas("#board button[aria-label*=Rowing]") {
		t.Error("what was taken back is not made again")
	}
}

// Where an alternate is what is to do, the first action makes one.
func TestAnAlternateIsWhatIsToDo(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.press("[data-testid=todo] a", "alternate")
	mara.find("Photography")
	mara.says("aside li div button:first-of-type", "As alternate")
	keys(mara, input.Enter)
	mara.says("section[aria-labelledby=alternates]", "Photography")
}

// Before a change would void what the school has, the student is told; a sheet that equals what was handed in counts as handed in.
func TestASignedSheetIsNotVoidedUnawares(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	for _, c := range []struct{ act, course string }{{"request", "Tidal Ecology"}, {"alternate", "Photography"}, {"alternate", "Astronomy"}} {
		mara.find(c.course)
		if c.act == "request" {
			mara.press("aside button", "Request")
			mara.says("#board button", c.course)
		} else {
			mara.press("aside button", "As alternate")
			mara.says("ol li", c.course)
		}
	}
	mara.press("nav a", "Hand in")
	mara.says("[data-testid=whose]", "Mara Quill · entering grade 10 · Pellworth Sound Secondary School · 2027-28")
	mara.press("button", "Submit to the school")
	mara.says("[data-testid=receipt]", "Receipt")
	mara.press("nav a", "Year")
	remove := func() {
		mara.press("#board button", "Ceramics I")
		mara.press("[role=dialog] button", "Remove")
		mara.says("[role=dialog]", "After a change the school keeps what you handed in")
	}
	remove()
	mara.accessible("the warning before a change")
	mara.press("[role=dialog] button", "Leave it as it is")
	mara.gone("[role=dialog]")
	mara.says("[data-testid=status]", "Submitted")
	remove()
	mara.press("[role=dialog] button", "Change it")
	mara.says("[data-testid=status]", "Changed since submitted")
	mara.press("nav a", "Hand in")
	mara.says("[data-testid=since]", "the school still has what was submitted. No longer asked for: Ceramics I. Alternates stand in for others.")
	mara.press("header button", "^Undo$")
	mara.says("[data-testid=status]", "^Submitted")
}

// Many sheets are cleared after it was seen whose, some are left out, and it is taken back as one.
func TestClearingMany(t *testing.T) {
	s := newSite(t)
	if err := demo.Play(t.Context(), s.cases, readMade(t), 7); err != nil {
		t.Fatal(err)
	}
	office := s.as("office", desk)
	office.press("main button", "complete and signed")
	office.press("main li button", "do something with all")
	office.press("#student button", "See what it would do")
	office.says("#student h3", "It would concern")
	office.accessible("whom to clear")
	boxes := office.MustElements("#student input[type=checkbox]")
	if len(boxes) < 2 {
		t.Fatalf("%d sheets can be cleared", len(boxes))
	}
	boxes[0].MustClick()
	office.press("#student button", fmt.Sprintf("^Clear %d sheets?$", len(boxes)-1))
	office.says("#student [role=status]", fmt.Sprintf("Done for %d student", len(boxes)-1))
	office.press("#student button", "Take it back")
	office.MustElement("input[name=back]").MustInput("Too early.")
	office.press("#student form button", "^Take it back$")
	office.says("#student [role=status]", fmt.Sprintf("Taken back for %d student", len(boxes)-1))
}

func readMade(t *testing.T) *bundle.Bundle {
	t.Helper()
	b, err := bundle.ReadFiles(testdb.Files())
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// TestEveryPageOfAStudent looks at each page of a student of either school, by day and by night, at the desk and on a phone, in either
// language: it says what it is about, is as wide as the screen, and axe finds nothing.
func TestEveryPageOfAStudent(t *testing.T) {
	s := newSite(t)
	s.withTarn()
	for _, c := range []struct {
		username, tag string
		width         int
		night         bool
		says          map[string]string // by address: the first head
	}{
		{"mara.quill", "es", desk, true, map[string]string{"/": "Falta: un crédito más en Ciencias", "/courses": "Los 1.. cursos", "/path": "para «Para graduarse» falta", "/drafts": "Borradores",
			"/errands": "Lo próximo: Studio safety form", "/history": "Qué ha pasado con la hoja", "/hand-in": "Antes de entregarla", "/course/TID1": "Ecología de mareas"}},
		{"jonah", "en", phone, false, map[string]string{"/": "Still to do: 2 units more", "/courses": "All [0-9]+ courses, and what", "/path": "With this plan|Your path", "/drafts": "Drafts",
			"/errands": "There is nothing to do outside the sheet", "/history": "What happened to the sheet", "/hand-in": "Before you hand it in", "/course/XCH": "Chess and Puzzles"}},
	} {
		p := s.as(c.username, c.width)
		if c.night {
			if err := (proto.EmulationSetEmulatedMedia{Features: []*proto.EmulationMediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}}).Call(p.Page); err != nil {
				t.Fatal(err)
			}
		}
		p.language(c.tag)
		for at, head := range c.says {
			p.MustNavigate(s.url + at)
			p.says("main h1", head)
			p.MustWaitRequestIdle("/live")()
			p.accessible(c.username + " at " + at)
		}
	}
}
