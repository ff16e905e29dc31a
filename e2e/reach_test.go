package e2e

import (
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/proto"
)

// told is what a screen reader says of a page, in its order: the roles and names of the accessibility tree that the browser makes of it.
func (p *screen) told(roles ...string) (list []string) {
	p.t.Helper()
	tree, err := proto.AccessibilityGetFullAXTree{}.Call(p.Page)
	if err != nil {
		p.t.Fatal(err)
	}
	nodes := map[proto.AccessibilityAXNodeID]*proto.AccessibilityAXNode{}
	for _, n := range tree.Nodes {
		nodes[n.NodeID] = n
	}
	var walk func(n *proto.AccessibilityAXNode)
	walk = func(n *proto.AccessibilityAXNode) {
		if !n.Ignored && n.Role != nil && n.Name != nil && slices.Contains(roles, n.Role.Value.Str()) {
			list = append(list, n.Role.Value.Str()+" "+strings.Join(strings.Fields(n.Name.Value.Str()), " "))
		}
		for _, id := range n.ChildIDs {
			if child := nodes[id]; child != nil {
				walk(child)
			}
		}
	}
	walk(tree.Nodes[0])
	return list
}

// The family's page is told in the order in which it is read: the sentence, what is asked for with what can be done about each, what is agreed to, the
// signature last. Every button says what it is about.
func TestAFamilyIsToldInOrder(t *testing.T) {
	s := newSite(t)
	s.handIn()
	ilse := s.as("ilse.quill", phone)
	ilse.says("main h2", "0 of 2")
	got := ilse.told("heading", "button")
	want := []string{"button Sign out", "heading Mara waits for your signature until Fri 12 Mar, 06:42 GMT-4."}
	for _, course := range strings.Split("English 10|Algebra II|World History II|Physics|Norwegian 2|Health|Rowing|Ceramics I|Tidal Ecology", "|") {
		want = append(want, "button Ask for a change: "+course, "button Say something to Mara: "+course)
	}
	want = append(want, "heading If one cannot be given, in this order", "heading Errands", "heading What you agree to, one by one · 0 of 2",
		"button I agree: I pay the fee of US$35 for Ceramics I.", "button I agree: I pay the fee of US$35 for Tidal Ecology.", "button I do not sign this",
		"button Something to ask, or something wrong", "button Ask for a change", "button Sign for Mara")
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("it is told\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if links := ilse.told("link"); slices.Contains(links, "link ") {
		t.Errorf("a link has no name: %v", links)
	}
}

// Every main screen can be read at 320 CSS pixels, at 200 % and with text twice as large without scrolling sideways (WCAG 2.2, 1.4.10 Reflow and 1.4.4 Resize
// Text). Boards and tables of the school's own desks may scroll within themselves.
func TestNothingIsCutWhenItIsLarge(t *testing.T) {
	s := newSite(t)
	s.withSchedule()
	s.handIn()
	signedIn := map[string]*screen{}
	for _, c := range []struct{ username, path, selector string }{
		{"", "/", "form"},
		{"mara.quill", "/", "#board button"}, {"mara.quill", "/courses", "aside button[data-row]"}, {"mara.quill", "/hand-in", "[data-testid=receipt]"}, {"mara.quill", "/course/TID1", "h1"},
		{"mara.quill", "/path", "main button"}, {"mara.quill", "/history", "main li"}, {"mara.quill", "/errands", "main li"}, {"mara.quill", "/account", "main form"},
		{"ilse.quill", "/", "main button[data-open]"}, {"ms.arden", "/", "h1"}, {"ms.arden", "/paper", "main input"}, {"office", "/people", "h1"}, {"office", "/demand", "h1"}, {"office", "/sections", "h1"}, {"office", "/placement", "h1"}, {"mr.tolland", "/", "h1"},
	} {
		p := signedIn[c.username]
		if p == nil {
			if p = s.open(phone); c.username != "" {
				p.enter(c.username)
			}
			signedIn[c.username] = p
		}
		p.MustNavigate(s.url + c.path)
		for _, size := range []struct {
			what         string
			wide, high   int
			zoom, letter float64
		}{{"320 pixels wide", 320, 568, 1, 1}, {"at 200 %", 640, 400, 2, 1}, {"with letters twice as large", 1280, 800, 1, 2}} {
			p.MustSetViewport(size.wide, size.high, size.zoom, false)
			p.MustElement(c.selector)
			p.MustEval(`(n) => { document.documentElement.style.fontSize = n === 1 ? '' : 16 * n + 'px' }`, size.letter)
			wide := p.MustEval(`() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(document.scrollingElement.scrollWidth))))`).Int()
			if wide > size.wide {
				far := p.MustEval(`(w) => Array.from(document.querySelectorAll('body *')).filter((e) => e.getBoundingClientRect().right > w + 1 && !e.closest('.overflow-x-auto')).slice(0, 4).map((e) => e.tagName + ' ' + e.className).join('; ')`, size.wide).Str()
				t.Errorf("%s %s, %s: it is %d pixels wide: %s", c.username, c.path, size.what, wide, far)
			}
		}
	}
}
