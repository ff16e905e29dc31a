// Package e2e drives the application in Chromium as its users do.
package e2e

import (
	"encoding/json"
	"fmt"
	"maps"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"rubricon/app"
	"rubricon/demo"
	"rubricon/e2e/browser"
	"rubricon/internal/testdb"
	"rubricon/signon"
	"rubricon/store"
	"rubricon/web"
	webaccount "rubricon/web/account"
	"rubricon/web/contracttest"
)

var chromium *rod.Browser

func TestMain(m *testing.M) {
	b, stop, err := browser.Start()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	chromium = b
	defer stop()
	testdb.Main(contracttest.Run{M: &stopping{m, stop}})
}

// stopping ends the browser before the test binary exits.
type stopping struct {
	*testing.M
	stop func()
}

func (s *stopping) Run() int {
	defer s.stop()
	return s.M.Run()
}

const (
	desk  = 1280
	phone = 390
)

// site is a running application with a database of its own; its test runs next to others.
type site struct {
	t     *testing.T
	url   string
	db    *store.DB
	cases *app.App
	http  *httptest.Server

	accounts *signon.Client // of the school's own; nil: none
}

func newSite(t *testing.T) *site {
	t.Helper()
	t.Parallel()
	db := testdb.New(t).Open(t)
	cases := testdb.Service(db)
	s := &site{t: t, db: db, cases: cases}
	s.serve("127.0.0.1:0")
	s.url = s.http.URL
	t.Cleanup(func() { s.http.Close() })
	return s
}

// serve starts a server of the application at an address.
func (s *site) serve(address string) {
	s.t.Helper()
	l, err := net.Listen("tcp", address)
	if err != nil {
		s.t.Fatal(err)
	}
	s.http = &httptest.Server{Listener: l, Config: &http.Server{Handler: contracttest.Hold(web.New(s.cases, web.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, SignOn: s.accounts,
		Demo: []webaccount.DemoSignIn{{Username: "mara.quill", Password: demo.Password, Who: "Mara Quill"}}}))}}
	s.http.Start()
}

// away stops the server; back starts another at its address.
func (s *site) away() {
	s.http.CloseClientConnections()
	s.http.Close()
}

func (s *site) back() {
	s.t.Helper()
	s.serve(strings.TrimPrefix(s.url, "http://"))
}

// screen is a page in someone's hands.
type screen struct {
	*rod.Page
	t *testing.T
}

func (s *site) open(width int) *screen {
	s.t.Helper()
	height := 800
	if width == phone {
		height = 844
	}
	page, err := browser.Page(chromium, width, height)
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { _ = page.Browser().Close() })
	page = page.Timeout(4 * time.Minute).WithPanic(s.fails) // a bound for the whole of a test, so that a hang ends
	page.MustEvalOnNewDocument(`window.against = []; addEventListener('securitypolicyviolation', (e) => window.against.push(e.violatedDirective + ' ' + e.blockedURI + ' ' + e.sourceFile))`)
	page.MustNavigate(s.url).MustWaitLoad()
	return &screen{page, s.t}
}

// fails ends a test, and no other, for what a browser does not do; it says from which line of the test.
func (s *site) fails(fault any) {
	where := ""
	for skip := 1; ; skip++ {
		_, file, line, ok := runtime.Caller(skip)
		if !ok {
			s.t.Fatalf("%s: %v", where, fault)
		}
		if strings.HasSuffix(file, "_test.go") {
			where = fmt.Sprintf("%s:%d", filepath.Base(file), line)
		}
	}
}

func (s *site) as(username string, width int) *screen {
	s.t.Helper()
	p := s.open(width)
	p.enter(username)
	return p
}

// enter signs in.
func (p *screen) enter(username string) {
	p.t.Helper()
	p.MustElement("input[name=username]").MustInput(username)
	p.MustElement("input[name=password]").MustInput(demo.Password)
	p.MustElement("button[type=submit]").MustClick()
	p.MustElement("header")
}

// says waits until the page shows a text; what is there instead is part of the failure.
func (p *screen) says(selector, text string) *rod.Element {
	p.t.Helper()
	timed := p.Timeout(time.Minute)
	el, err := timed.ElementR(selector, text)
	for err != nil && timed.GetContext().Err() == nil { // a page that is being left is looked at no longer; the next one is
		el, err = timed.ElementR(selector, text)
	}
	if err != nil {
		body, _ := p.CancelTimeout().MustElement("body").Text()
		p.t.Fatalf("no %s says %q on:\n%s", selector, text, body)
	}
	return el.CancelTimeout()
}

func (p *screen) press(selector, text string) {
	p.t.Helper()
	el := p.says(selector, text).Timeout(time.Minute)
	var err error
	for missed := true; missed && err == nil; {
		if err = el.WaitStableRAF(); err == nil { // what loads above it may still move it
			missed, err = p.click(el)
		}
	}
	if err != nil {
		body, _ := p.MustElement("body").Text()
		p.t.Fatalf("%s %q cannot be pressed: %v; on:\n%s", selector, text, err, body)
	}
}

// click clicks an element, and reports whether it had moved from under the mouse.
func (p *screen) click(el *rod.Element) (missed bool, err error) {
	if _, err := el.Eval(`() => { window.missed = true; this.addEventListener('click', () => { window.missed = false }, {capture: true, once: true}) }`); err != nil {
		return false, err
	}
	if err := el.Click(proto.InputMouseButtonLeft, 1); err != nil {
		return false, err
	}
	told, err := p.Eval(`() => window.missed === true`)
	if err != nil { // it has led to another page
		return false, nil
	}
	return told.Value.Bool(), nil
}

// force puts a draft of the rules or the catalog in force.
func (p *screen) force(reason string) {
	p.t.Helper()
	p.MustElement("input[name=reason]").MustSelectAllText().MustInput(reason)
	p.gone("main button[disabled]")
	p.press("main button", "Put it in force")
}

// find opens a course in the finder.
func (p *screen) find(course string) {
	p.t.Helper()
	p.MustElement("input[type=search]").MustSelectAllText().MustInput(course)
	p.press("aside button[data-row]", course)
}

// keys presses keys, one after the other.
func keys(p *screen, list ...input.Key) {
	p.t.Helper()
	for _, k := range list {
		p.Keyboard.MustType(k)
	}
}

// gone waits until nothing of a kind is left.
func (p *screen) gone(selector string) {
	p.t.Helper()
	p.MustWait(`(s) => document.querySelector(s) === null`, selector)
}

// unsaid finds the name of a sentence in a text.
var unsaid = func() *regexp.Regexp {
	var words map[string]json.RawMessage
	text, err := os.ReadFile("../locales/en.json")
	if err == nil {
		err = json.Unmarshal(text, &words)
	}
	if err != nil {
		panic(err)
	}
	return regexp.MustCompile(`(?:^|[^\w.])(?:` + strings.Join(slices.Sorted(maps.Keys(words)), "|") + `)\.[a-z]\w+`)
}()

// accessible runs axe-core on the page at WCAG 2.2 AA.
func (p *screen) accessible(name string) {
	p.t.Helper()
	if !p.MustEval(`() => 'axe' in window`).Bool() {
		source, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
		if err != nil {
			p.t.Fatal(err)
		}
		if _, err := (proto.RuntimeEvaluate{Expression: string(source)}).Call(p.Page); err != nil {
			p.t.Fatal(err)
		}
	}
	found := p.MustEval(`async () => JSON.stringify((await axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'], resultTypes: ['violations'], selectors: false, preload: false})).violations
		.map(v => v.id + ': ' + v.nodes.map(n => n.html + ' ' + (n.failureSummary || '')).slice(0, 3).join(' | ')))`).Str()
	var violations []string
	if err := json.Unmarshal([]byte(found), &violations); err != nil {
		p.t.Fatal(err)
	}
	for _, v := range violations {
		p.t.Errorf("axe on %s: %s", name, v)
	}
	// Sentences whose words have not come along stand there by their names.
	for _, found := range unsaid.FindAllString(p.MustElement("body").MustText(), -1) {
		if !slices.Contains([]string{".csv", ".json", ".ics", ".pdf"}, path.Ext(found)) {
			p.t.Errorf("%s shows the name of a sentence: %s", name, found)
		}
	}
	if against := p.MustEval(`() => JSON.stringify(window.against)`).Str(); against != "[]" {
		p.t.Errorf("%s is against the content security policy: %s", name, against)
	}
	if wide := p.MustEval(`() => document.documentElement.scrollWidth - document.documentElement.clientWidth`).Int(); wide > 0 {
		p.t.Errorf("%s is %d pixels wider than the screen", name, wide)
	}
}

func TestAxeIsAwake(t *testing.T) {
	p := newSite(t).open(desk)
	p.MustEval(`() => { document.body.innerHTML = '<img src="/mark.svg"><button></button>' }`)
	probe := &testing.T{}
	watch := &screen{p.Page, probe}
	watch.accessible("a page with faults")
	if !probe.Failed() {
		t.Error("axe finds nothing wrong with an image and a button without names")
	}
}

// TestTheWholeLoop goes from an unfinished sheet to a cleared one, each person in turn.
func TestTheWholeLoop(t *testing.T) {
	s := newSite(t)
	s.open(desk).accessible("the sign-in page")
	s.open(phone).accessible("the sign-in page on a phone")

	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science, two alternates and a word from Ms Arden about Physics")
	mara.says("[data-testid=status]", "In progress")
	mara.accessible("the year")
	small := s.as("mara.quill", phone)
	small.says("[data-testid=todo]", "one credit more in Science")
	small.accessible("the year on a phone")

	// Handing in too early is refused with what to mend, each a link to its place.
	mara.press("nav a", "Hand in")
	mara.accessible("handing in")
	mara.press("button", "Submit to the school")
	mara.says("[role=alert]", "cannot be done yet")
	mara.press("main a", "one credit more in Science")

	// The link has led to the finder, with the courses that mend it.
	mara.says("aside button", "mends Science")
	mara.press("aside button[data-row]", "Tidal Ecology")
	mara.accessible("the finder with a course open")
	mara.press("aside button", "Request")
	mara.says("#board button", "Tidal Ecology")
	mara.says("[data-testid=status]", "kept")
	mara.says("[data-testid=todo]", "Still to do: two alternates and")
	mara.press("[data-testid=todo] a", "two alternates")
	for i, course := range []string{"Photography", "Astronomy"} {
		mara.find(course)
		mara.press("aside button", fmt.Sprintf("As alternate %d", i+2))
		mara.says("ol li", fmt.Sprintf("%d · %s", i+2, course))
	}
	mara.press("#board button", "Physics")
	mara.says("[role=dialog]", "Mara Quill says it was met elsewhere")
	mara.accessible("a course's details")
	mara.press("[role=dialog] button", "Close")
	mara.gone("[role=dialog]")
	mara.press("main a", "Only Ms Arden")
	mara.press("button", "Submit to the school")
	receipt := mara.says("[data-testid=receipt]", `Receipt PE-\d+`).MustText()
	mara.says("[data-testid=status]", "a guardian signs next")
	mara.accessible("the receipt")

	ilse := s.as("ilse.quill", phone)
	ilse.says("h1", "Mara waits for your signature until")
	ilse.says("main", "Algebra I at 70")
	ilse.accessible("the family's page")
	ilse.agreeToAll()
	ilse.press("button", "Sign for Mara")
	ilse.says("main", "Signed by Ilse Quill")
	s.as("ilse.quill", desk).accessible("the family's page on a desk")

	arden := s.as("ms.arden", desk)
	arden.says("h1", "need a word from you|needs a word from you")
	arden.press("main button", "Quill, Mara")
	arden.says("#student h2", "Mara Quill")
	arden.accessible("the caseload")
	arden.press("#student button", "Confirm: earned elsewhere")
	arden.accessible("a decision")
	arden.MustElement("select[name=schoolYear]").MustSelect("2025-26")
	arden.MustElement("input[name=mark]").MustInput("83")
	arden.MustElement("textarea").MustInput("The report is here.")
	arden.press("[role=dialog] button", "^Decide$")
	arden.gone("[role=dialog]")
	arden.says("#student", "Everything holds; the sheet can be cleared")
	arden.press("#student button", "^Clear$")
	arden.says("#student", "cleared · 8.5 credits|cleared · 7.5 credits")
	s.as("ms.arden", phone).accessible("the caseload on a phone")

	mara.MustReload()
	mara.says("[data-testid=status]", "Cleared")
	mara.says("[data-testid=receipt]", receipt)
}

// TestVariantsAreOneCourse finds a course with its variant as one entry, and chooses between the two there.
func TestVariantsAreOneCourse(t *testing.T) {
	mara := newSite(t).as("mara.quill", desk)
	mara.says("aside button[data-row]", "Biology")
	mara.MustElement("input[type=search]").MustInput("biology")
	mara.MustWait(`() => document.querySelectorAll('aside button[data-row]').length === 1`)
	mara.says("aside button[data-row]", "Also as Biology Advanced")
	mara.press("aside button[data-row]", "Biology")
	mara.accessible("a course with a variant")
	mara.press("aside label", "Biology Advanced")
	mara.says("aside button[data-row]", "BIO1A")
	mara.press("aside button", "Request")
	mara.says("#board button", "Biology Advanced")
	mara.says("[data-testid=status]", "kept")
}

// TestByNight checks the dark theme, whose colours are others.
func TestByNight(t *testing.T) {
	s := newSite(t)
	for _, who := range []struct{ username, selector, text string }{
		{"mara.quill", "[data-testid=todo]", "one credit more in Science"}, {"ilse.quill", "h1", "Mara"}, {"ms.arden", "#student h2", "."},
	} {
		p := s.as(who.username, desk)
		p.says(who.selector, who.text)
		if err := (proto.EmulationSetEmulatedMedia{Features: []*proto.EmulationMediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}}).Call(p.Page); err != nil {
			t.Fatal(err)
		}
		p.accessible("the dark theme for " + who.username)
	}
}

// TestByKeyboardAlone does the same loop without a pointer.
func TestByKeyboardAlone(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science")
	find := func(course string) {
		mara.MustEval(`() => document.activeElement.blur()`)
		keys(mara, '/')
		mara.MustWait(`() => document.activeElement.type === 'search'`)
		mara.MustEval(`() => document.activeElement.select()`)
		mara.MustInsertText(course)
		mara.MustWait(`(c) => document.querySelector('button[data-row]')?.textContent.includes(c)`, course)
		keys(mara, input.ArrowDown)
		mara.MustWait(`() => document.activeElement.dataset.row !== undefined && document.activeElement.getAttribute('aria-expanded') === 'true'`)
	}
	find("Tidal Ecology")
	keys(mara, input.Enter)
	mara.says("#board button", "Tidal Ecology")
	for i, course := range []string{"Photography", "Astronomy"} {
		find(course)
		keys(mara, input.KeyA)
		mara.says("ol li", fmt.Sprintf("%d · %s", i+2, course))
	}
	// An alternate moves up with Alt and the arrow.
	mara.MustElement("ol [data-course=AST1]").MustFocus()
	mara.KeyActions().Press(input.AltLeft).Type(input.ArrowUp).MustDo()
	mara.says("ol li", "2 · Astronomy")
	// And back by undoing.
	mara.KeyActions().Press(input.ControlLeft).Type(input.KeyZ).MustDo()
	mara.says("ol li", "3 · Astronomy")
	// The drag handle works by Space and arrows.
	mara.MustElement("button[aria-label='Move Astronomy']").MustFocus()
	keys(mara, input.Space)
	said := `(words) => document.querySelector('[id^=DndLiveRegion]').textContent.includes(words)`
	mara.MustWait(said, "Astronomy is at place 3 of 3")
	// What was picked up listens to keys from the next turn of the event loop on, and knows its places after the next paint.
	mara.MustEval(`() => new Promise(done => setTimeout(() => requestAnimationFrame(() => setTimeout(done))))`)
	keys(mara, input.ArrowLeft)
	mara.MustWait(said, "Astronomy is at place 2 of 3")
	keys(mara, input.Space)
	mara.says("ol li", "2 · Astronomy")
	mara.MustEval(`() => document.activeElement.blur()`)
	keys(mara, '?')
	mara.says("[role=dialog]", "go to the finder")
	mara.accessible("the keys")
	keys(mara, input.Escape)
	mara.gone("[role=dialog]")
	tab := func(p *screen, text string) {
		for range 200 {
			keys(p, input.Tab)
			if strings.Contains(p.MustEval(`() => document.activeElement.textContent`).Str(), text) {
				return
			}
		}
		t.Fatalf("Tab never reaches %q", text)
	}
	mara.MustEval(`() => window.scrollTo(0, 0)`)
	mara.MustElement("nav a").MustFocus()
	tab(mara, "Hand in")
	keys(mara, input.Enter)
	mara.says("h1", "Ready to hand in")
	tab(mara, "Submit to the school")
	keys(mara, input.Enter)
	mara.says("[data-testid=receipt]", "Receipt")

	ilse := s.as("ilse.quill", phone)
	ilse.says("h1", "Mara waits for your signature until")
	ilse.says("main li", "not agreed yet")
	for n := range 2 { // pressed too early, it leads to what is open
		tab(ilse, "Sign for Mara")
		keys(ilse, input.Enter)
		ilse.says("#left", []string{"2 things are left to agree to", "One thing is left to agree to"}[n])
		keys(ilse, input.Enter)
		ilse.says("main h2", fmt.Sprintf("%d of 2", n+1))
	}
	tab(ilse, "Sign for Mara")
	keys(ilse, input.Enter)
	ilse.says("main", "Signed by Ilse Quill")

	arden := s.as("ms.arden", desk)
	tab(arden, "Quill, Mara")
	keys(arden, input.Enter)
	arden.says("#student h2", "Mara Quill")
	tab(arden, "Waive for Physics")
	keys(arden, input.Enter)
	arden.says("[role=dialog] h2", "Waive the condition")
	arden.MustElement("[role=dialog] textarea").MustFocus().MustInput("Spoke with the other school.")
	tab(arden, "Decide")
	keys(arden, input.Enter)
	arden.gone("[role=dialog]")
	arden.says("#student", "Everything holds")
	arden.MustElement("#student section[aria-label=Errands] button").MustFocus()
	tab(arden, "Clear")
	keys(arden, input.Enter)
	arden.says("#student", "cleared ·")
}

// TestTwoWindows changes one sheet in two windows: what is done in one is seen in the other at once; and where it was not heard,
// neither change is lost, and the second window says what happened.
func TestTwoWindows(t *testing.T) {
	s := newSite(t)
	one, two, deaf := s.as("mara.quill", desk), s.as("mara.quill", desk), s.open(desk)
	if err := (proto.NetworkEnable{}).Call(deaf.Page); err != nil {
		t.Fatal(err)
	}
	if err := (proto.NetworkSetBlockedURLs{Urls: []string{"*/live*"}}).Call(deaf.Page); err != nil {
		t.Fatal(err)
	}
	deaf.enter("mara.quill")
	for _, p := range []*screen{one, two, deaf} {
		p.says("[data-testid=todo]", "one credit more in Science")
	}
	add := func(p *screen, course string) {
		p.find(course)
		p.press("aside button", "Request")
		p.says("#board button", course)
	}
	add(one, "Tidal Ecology")
	two.says("#board button", "Tidal Ecology")
	add(deaf, "Astronomy")
	deaf.says("[role=alert]", "changed in another window")
	deaf.says("#board button", "Tidal Ecology")
	// What no longer means what it meant is not made unasked.
	one.find("Dance I")
	one.press("aside button", "As alternate")
	one.says("section[aria-labelledby=alternates]", "Dance I")
	deaf.find("Dance I")
	deaf.press("aside button", "Request")
	deaf.says("[data-testid=waiting] [role=alert]", "Request Dance I.*changed in another window")
	if has, _, _ := deaf.HasR("#board button", "Dance I"); has {
		t.Error("it is made unasked")
	}
	deaf.press("[data-testid=waiting] button", "Leave it")
	deaf.gone("[data-testid=waiting]")
}

// TestALostPassword gives a student a new password as the office, who signs in with it, sees where they are signed in, and changes it.
func TestALostPassword(t *testing.T) {
	s := newSite(t)
	before := s.as("mara.quill", phone)
	before.says("[data-testid=todo]", "one credit more in Science")
	office := s.as("office", desk)
	office.press("nav a", "People")
	office.says("h1", "The people of the school")
	office.MustElement("input[type=search]").MustInput("quill, mara")
	office.says("li", "Mara Quill mara.quill · student · has a password")
	office.accessible("the people")
	office.press("li button", "Give a code")
	office.says("[role=dialog] h2", "Replace the password of Mara Quill")
	office.accessible("before a password is replaced")
	office.press("[role=dialog] button", "Cancel")
	office.gone("[role=dialog]")
	office.press("li button", "Give a code")
	office.press("[role=dialog] button", "Replace it with a code")
	office.says("[role=status]", "Code for Mara Quill")
	password := office.MustElement("code").MustText()
	// Anyone who is signed in with the old one is signed out, and said so.
	before.MustReload()
	before.says("h1", "Next year’s courses")

	// The code is good once: a password of one's own comes first.
	first := s.open(phone)
	first.MustElement("input[name=username]").MustInput("mara.quill")
	first.MustElement("input[name=password]").MustInput(password)
	first.MustElement("button[type=submit]").MustClick()
	first.says("h1", "Choose a password of your own")
	first.accessible("a first sign-in")
	first.MustElement("input[name=old]").MustInput(password)
	password = "three boats at anchor"
	first.MustElement("input[name=new]").MustInput(password)
	first.press("button", "Change it")
	first.says("[data-testid=todo]", "one credit more in Science")
	office.says("section[aria-label='What the office has done'] li", "Dagny Westerdale gave Mara Quill a code")
	office.MustElement("input[type=search]").MustSelectAllText().MustInput("tolland")
	office.press("li button", "Let administer")
	office.MustElement("[role=dialog] textarea").MustInput("While Dagny is away.")
	office.press("[role=dialog] button", "Let administer")
	office.says("li", "mr.tolland.*administers the school")
	s.as("mr.tolland", desk).says("nav a", "Rules")
	office.press("li button", "Take the right back")
	office.MustElement("[role=dialog] textarea").MustInput("She is back.")
	office.press("[role=dialog] button", "Take the right back")
	office.says("section[aria-label='What the office has done'] li", "took the right to administer from Mr Tolland “She is back.”")

	signIn := func() *screen {
		page := s.open(phone)
		page.MustElement("input[name=username]").MustInput("mara.quill")
		page.MustElement("input[name=password]").MustInput(password)
		page.MustElement("button[type=submit]").MustClick()
		page.says("[data-testid=todo]", "one credit more in Science")
		return page
	}
	library, lab, mara := signIn(), signIn(), signIn()
	mara.press("header a", "Account")
	mara.says("li", "here, now")
	mara.accessible("the account")
	mara.press("button", "Sign out everywhere else")
	mara.MustWait(`() => document.querySelectorAll('main li').length === 1`)
	for _, there := range []*screen{library, lab} {
		there.MustReload()
		there.says("h1", "Next year’s courses")
	}
	mara.MustElement("input[name=old]").MustInput("not it, I fear")
	mara.MustElement("input[name=new]").MustInput("a harbour of my own")
	mara.press("button", "Change it")
	mara.says("[role=alert]", "The username or the password is not right")
	mara.MustElement("input[name=old]").MustSelectAllText().MustInput(password)
	mara.press("button", "Change it")
	mara.says("[role=status]", "Changed. You are signed out everywhere else.")
}

// TestForTheFamily signs a sheet from paper as the office, reopens it after it was cleared, and sends it back.
func TestForTheFamily(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	for _, course := range []string{"TID1", "PHO1", "AST1"} {
		mara.MustElement("input[type=search]").MustSelectAllText().MustInput(course)
		mara.MustWait(`(c) => document.querySelector('button[data-row]')?.dataset.row === c`, course)
		mara.MustElement("aside button[data-row]").MustFocus()
		key := input.KeyA
		if course == "TID1" {
			key = input.Enter
		}
		mara.Keyboard.MustType(key)
		mara.says("[data-course="+course+"]", ".")
	}
	mara.press("nav a", "Hand in")
	mara.press("button", "Submit to the school")
	mara.says("[data-testid=receipt]", "Receipt")
	arden := s.as("ms.arden", desk)
	arden.press("main button", "Quill, Mara")
	arden.says("#student", "It waits for a guardian’s signature")
	arden.press("#student button", "Sign for the family")
	arden.MustElement("[role=dialog] textarea").MustInput("Signed on paper, seen today.")
	arden.accessible("signing for the family")
	arden.press("[role=dialog] button[type=submit]", "Sign for the family")
	arden.gone("[role=dialog]")
	arden.press("#student button", "Waive for Physics")
	arden.MustElement("[role=dialog] textarea").MustInput("Report seen.")
	arden.press("[role=dialog] button", "^Decide$")
	arden.gone("[role=dialog]")
	arden.says("#student", "Everything holds")
	arden.press("#student button", "^Clear$")
	arden.says("#student", "cleared ·")
	arden.press("#student button", "Reopen")
	arden.MustElement("[role=dialog] textarea").MustInput("Too early.")
	arden.press("[role=dialog] button[type=submit]", "Take the clearance back")
	arden.gone("[role=dialog]")
	arden.says("#student", "signed ·")
	ilse := s.as("ilse.quill", phone)
	ilse.says("main", "Signed for the family by Ms Arden of the school")
	// It goes back with a message about one course, which leads there.
	arden.press("#student button", "Send back with a message")
	arden.MustElement("[role=dialog] textarea").MustInput("Rather something without a fee.")
	arden.press("[role=dialog] label", "Ceramics I")
	arden.accessible("what a message is about")
	arden.press("[role=dialog] button[type=submit]", "Send the sheet back")
	arden.gone("[role=dialog]")
	mara.MustNavigate(s.url)
	mara.says("main p", "Rather something without a fee.")
	mara.press("main p button", "^Ceramics I$")
	mara.says("[role=dialog] h2", "Ceramics I")
}

// TestAnAnswerThatIsLost loses the answer to a change: it is sent again on its own, and made once.
func TestAnAnswerThatIsLost(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science")
	mara.MustEval(`() => {
		const real = window.fetch;
		let lost = false;
		window.fetch = async (request, ...rest) => {
			const answer = await real(request, ...rest);
			if (!lost && String(request.url ?? request).includes('/changes')) { lost = true; throw new TypeError('the line is cut'); }
			return answer;
		};
	}`)
	mara.MustElement("input[type=search]").MustInput("Tidal")
	mara.press("aside button[data-row]", "Tidal Ecology")
	mara.press("aside button", "Request")
	mara.says("#board button", "Tidal Ecology")
	mara.says("[data-testid=status]", "kept")
	if has, _, _ := mara.HasR("[role=alert]", "."); has {
		t.Error("something is said to have gone wrong")
	}
	mara.press("header button", "Undo")
	mara.says("[data-testid=todo]", "one credit more in Science")
	if !mara.MustElementR("header button", "Undo").MustProperty("disabled").Bool() {
		t.Error("the change was made twice: there is one more to undo")
	}
}

// TestTheServerIsAway stops the server while a student works: what is changed waits, is shown as waiting and not as kept, can be taken
// back, is there after a reload, and is made when the server is back.
func TestTheServerIsAway(t *testing.T) {
	s := newSite(t)
	mara := s.as("mara.quill", desk)
	mara.says("[data-testid=todo]", "one credit more in Science")
	mara.press("header button", "Keys")
	mara.press("[role=dialog] button", "Close")
	mara.MustEval(`async () => {
		while (!(await caches.match('/')) || !(sessionStorage.getItem('shown') ?? '').includes('effects')) await new Promise(requestAnimationFrame);
	}`)
	s.away()
	mara.find("Tidal Ecology")
	mara.press("aside button", "Request")
	mara.says("[data-testid=waiting]", "One change waits: the school’s server cannot be reached.")
	mara.says("[data-testid=status]", "waits for the connection")
	if has, _, _ := mara.HasR("#board button", "Tidal Ecology"); has {
		t.Error("a change that was not kept is shown as if it were")
	}
	mara.find("Astronomy")
	mara.press("aside button", "As alternate")
	mara.says("[data-testid=waiting]", "2 changes wait")
	mara.accessible("the year while changes wait")
	mara.press("header button", "Undo")
	mara.says("[data-testid=waiting]", "One change waits")
	mara.find("Astronomy")
	mara.press("aside button", "As alternate")
	mara.says("[data-testid=waiting]", "2 changes wait")
	mara.MustReload()
	mara.says("[data-testid=waiting]", "2 changes wait")
	mara.says("#board button", "Ceramics I")
	s.back()
	mara.gone("[data-testid=waiting]")
	mara.says("#board button", "Tidal Ecology")
	mara.says("section[aria-labelledby=alternates]", "Astronomy")
	mara.MustReload()
	mara.says("#board button", "Tidal Ecology")
	if has, _, _ := mara.Has("[data-testid=waiting]"); has {
		t.Error("what was made is still said to wait")
	}
}

// TestWhatWaitedMeetsWhatChanged lets two windows change one sheet while one of them is cut off: what still means the same is added, and
// about the rest the student decides.
func TestWhatWaitedMeetsWhatChanged(t *testing.T) {
	s := newSite(t)
	cut, other := s.as("mara.quill", desk), s.as("mara.quill", desk)
	offline := func(is bool) {
		if err := (proto.NetworkEmulateNetworkConditions{Offline: is, DownloadThroughput: -1, UploadThroughput: -1}).Call(cut.Page); err != nil {
			t.Fatal(err)
		}
	}
	if err := (proto.NetworkEnable{}).Call(cut.Page); err != nil {
		t.Fatal(err)
	}
	cut.says("[data-testid=todo]", "one credit more in Science")
	other.says("[data-testid=todo]", "one credit more in Science")
	offline(true)
	cut.find("Tidal Ecology")
	cut.press("aside button", "Request")
	cut.says("[data-testid=waiting]", "One change waits")
	cut.find("Astronomy")
	cut.press("aside button", "As alternate")
	cut.says("[data-testid=waiting]", "2 changes wait")
	other.find("Tidal Ecology")
	other.press("aside button", "As alternate")
	other.says("section[aria-labelledby=alternates]", "Tidal Ecology")
	offline(false)
	cut.says("[data-testid=waiting] [role=alert]", "Tidal Ecology.*was changed in another window")
	cut.says("section[aria-labelledby=alternates]", "Astronomy")
	cut.says("section[aria-labelledby=alternates]", "Tidal Ecology")
	// Signing out asks before what waits is lost.
	signOut := func(sure bool) {
		wait, handle := cut.MustHandleDialog()
		go cut.MustElementR("header button", "Sign out").MustClick()
		if asked := wait(); !strings.Contains(asked.Message, "they are lost") {
			t.Errorf("signing out asks %q", asked.Message)
		}
		handle(sure, "")
	}
	signOut(false)
	cut.press("[data-testid=waiting] button", "Make it now")
	cut.says("#board button", "Tidal Ecology")
	cut.gone("[data-testid=waiting]")
	other.says("#board button", "Tidal Ecology")
	offline(true)
	cut.find("Dance I")
	cut.press("aside button", "Request")
	cut.says("[data-testid=waiting]", "One change waits")
	other.find("Dance I")
	other.press("aside button", "As alternate")
	other.says("section[aria-labelledby=alternates]", "Dance I")
	offline(false)
	cut.says("[data-testid=waiting] [role=alert]", "Dance I")
	signOut(true)
	cut.says("button[type=submit]", "Sign in")
	if kept := cut.MustEval(`() => Object.keys(localStorage).filter(k => k.startsWith('waiting')).length + Object.keys(sessionStorage).length`).Int(); kept != 0 {
		t.Errorf("%d things stay in the browser after signing out", kept)
	}
}

// TestFirstLoadIsSmall counts what the student's page transfers, compressed, fonts and data included.
// The first load of a person, signed in and with nothing cached: at most so many bytes, fonts and answers included.
func TestFirstLoadIsSmall(t *testing.T) {
	s := newSite(t)
	for _, c := range []struct {
		username, selector, text string
		most                     float64
	}{{"mara.quill", "[data-testid=todo]", "one credit more in Science", 220_000}, {"ilse.quill", "h1", "Mara", 160_000}} {
		total, files := s.load(c.username, c.selector, c.text)
		t.Logf("%s: %.1f kB in %d answers", c.username, total/1000, files)
		if total > c.most || files < 5 {
			t.Errorf("the first load of %s transfers %.0f bytes in %d answers; at most %.0f are wanted", c.username, total, files, c.most)
		}
	}
}

// load opens the application again for someone who is signed in, and tells what is transferred.
func (s *site) load(username, selector, text string) (total float64, files int) {
	s.t.Helper()
	p := s.as(username, desk)
	fresh, err := p.Browser().Page(proto.TargetCreateTarget{}) // signed in, nothing cached
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { _ = fresh.Close() })
	again := &screen{fresh.Timeout(4 * time.Minute).WithPanic(s.fails), s.t}
	if err := (proto.NetworkEnable{}).Call(again.Page); err != nil {
		s.t.Fatal(err)
	}
	if err := (proto.NetworkSetCacheDisabled{CacheDisabled: true}).Call(again.Page); err != nil {
		s.t.Fatal(err)
	}
	done := make(chan struct{})
	ctx, stop := again.WithCancel()
	wait := ctx.EachEvent(func(e *proto.NetworkLoadingFinished) {
		total += e.EncodedDataLength
		files++
	})
	go func() {
		defer close(done)
		wait()
	}()
	idle := again.WaitRequestIdle(300*time.Millisecond, nil, []string{"/live"}, nil) // what is heard never ends
	again.MustNavigate(s.url)
	again.says(selector, text)
	again.MustEval(`() => document.fonts.ready.then(() => true)`)
	idle()
	stop()
	<-done
	return total, files
}
