package e2e

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// TestPlanningSections has the office read what is asked for, plan sections by keys and take that back, say that a course does not run, and see a sheet that is handed
// in in the meantime; the student and her mother read what comes in.
func TestPlanningSections(t *testing.T) {
	s := newSite(t)
	s.handIn()
	office := s.as("office", desk)
	office.press("nav a", "Demand")
	office.says("h1", "To decide: .* courses are wanted by fewer than 12")
	office.accessible("the demand")
	office.MustElement("input[type=search]").MustInput("ceramics i")
	office.press("main button", "^AR\\s*Ceramics I\\b")
	office.says("#chosen h2", "^Ceramics I$")
	office.says("#chosen", "Wanted together with")
	was := office.MustElement("[data-testid=plan-CER1]").MustText()
	office.MustElement("[data-course=CER1]").MustFocus()
	keys(office, input.Key('+'))
	office.MustWait(`(was) => document.querySelector('[data-testid=plan-CER1]').textContent === String(Number(was) + 1)`, was)
	keys(office, input.Key('-'))
	office.MustWait(`(was) => document.querySelector('[data-testid=plan-CER1]').textContent === was`, was)
	office.press("main button", "Undo")
	office.MustWait(`(was) => document.querySelector('[data-testid=plan-CER1]').textContent === String(Number(was) + 1)`, was)

	// A number that cannot be is said to be wrong, stays to be mended, and holds no one in its field.
	size := office.MustElementR("label", "seats a section").MustElement("input")
	size.MustSelectAllText().MustInput("0")
	keys(office, input.Tab)
	office.says("[role=alert]", "A whole number from 1 to 1000")
	if at := office.MustEval(`() => document.activeElement.type`).Str(); at == "number" || size.MustText() != "0" {
		t.Errorf("the focus is at a field of the kind %q, the wrong number is now %q", at, size.MustText())
	}
	size.MustSelectAllText().MustInput("24")
	keys(office, input.Tab)
	office.gone("label + [role=alert]")

	office.press("#chosen button", "It does not run…")
	office.MustElement("[role=dialog] textarea").MustInput("The kiln is broken.")
	office.accessible("saying that a course does not run")
	office.press("[role=dialog] button", "It does not run")
	office.says("#chosen [role=status]", "told")
	office.says("#chosen", "It does not run: “The kiln is broken.”")
	s.as("mara.quill", desk).says("#board button", "does not run next year: “The kiln is broken.” · Printmaking comes in")
	ilse := s.as("ilse.quill", phone)
	ilse.says("main li", "does not run next year: “The kiln is broken.” · Printmaking comes in")
	ilse.accessible("a course that does not run, on a phone")

	office.press("#chosen button", "It runs after all")
	office.says("#chosen button", "It does not run…")
	for _, form := range []string{"csv", "xlsx", "json"} {
		if status := office.MustEval(`async (f) => (await fetch('/api/schools/pellworth/years/2027/demand/file/' + f)).status`, form).Int(); status != 200 {
			t.Errorf("%s: %d", form, status)
		}
	}
}
