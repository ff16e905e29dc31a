package e2e

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// TestMasterSchedule has the office make a section, see at once that its teacher is elsewhere then, move it by keys, take that back, change its seats and take it away.
func TestMasterSchedule(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.press("nav a", "Sections")
	office.says("h1", "There is no section yet.")
	office.accessible("no section")
	s.withSchedule()
	office.MustReload()
	office.says("h1", `^11 sections of 11 courses\. `)
	office.says("[data-testid=twice] li", `Ms Saltmarsh teaches two sections in period 7:\s+Health\s+Ceramics I`)
	office.accessible("the master schedule")

	office.press("main button", "Make a section…")
	office.MustElementR("#section label", "^course").MustElement("input").MustInput("ceramics i")
	office.MustElementR("#section legend", "periods").MustParent().MustElementR("label", "5").MustClick()
	fill := func(label, text string) {
		t.Helper()
		office.MustElementR("#section label", "^"+label).MustElement("input").MustSelectAllText().MustInput(text)
	}
	fill("teacher", "ms saltmarsh")
	office.says("#section [role=status]", "ms saltmarsh has .* in period 5 then")
	fill("teacher", "Mr Eastry")
	fill("room", "K4")
	office.accessible("a new section")
	office.press("#section button", "Make it")
	office.says("h1", `^12 sections of 11 courses`)
	office.says("#section h2", "^Ceramics I$")
	at := func(period string) {
		t.Helper()
		office.MustWait(`(period) => [...document.querySelectorAll('[data-section=cer1-2]')].some(b => b.closest('table').tHead.rows[0].cells[b.closest('td').cellIndex].textContent === period)`, period)
	}
	at("5")
	office.MustElement("[data-section=cer1-2]").MustFocus()
	office.KeyActions().Press(input.ShiftLeft).Type(input.ArrowRight).MustDo()
	at("6")
	office.press("main button", "^Undo$")
	at("5")
	fill("seats", "9")
	office.press("#section button", "Keep it so")
	office.says("[data-section=cer1-2]", `\s9\s`)

	// Someone else changes it in the meantime.
	other := s.as("office", desk)
	other.press("nav a", "Sections")
	other.press("[data-section=cer1-2]", `\s9\s`)
	other.says("#section h2", "Ceramics I")
	other.MustElementR("#section label", "^room").MustElement("input").MustSelectAllText().MustInput("K9")
	fill("seats", "8")
	office.press("#section button", "Keep it so")
	office.says("[data-section=cer1-2]", `\s8\s`)
	other.says("#section [role=status]", "Somebody else has changed this section meanwhile") // and what was written is still there
	if room := other.MustElementR("#section label", "^room").MustElement("input").MustText(); room != "K9" {
		t.Errorf("the room that was being written is %q", room)
	}
	other.accessible("a section that somebody else has changed")
	other.press("#section button", "Keep it so")
	other.says("main [role=alert]", "Somebody else has changed this section meanwhile, or taken it away")
	other.press("#section button", "Show it as it is now")
	other.MustWait(`() => [...document.querySelectorAll('#section input[type=number]')].some(i => i.value === '8')`)
	office.press("#section button", "Take it away")
	office.says("h1", `^11 sections of 11 courses`)
	other.says("#section [role=status]", "Somebody else has taken this section away meanwhile.")
	other.press("#section button", "Make it")
	other.says("h1", `^12 sections of 11 courses`)
	office.press("main button", "^Undo$")
	office.says("h1", `^13 sections of 11 courses`)
}
