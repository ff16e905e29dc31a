package e2e

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
)

// TestAllThatTheSchoolDecides changes every part of what a school decides on the screen, in one draft, is told of what is wrong at its place,
// and puts it in force; the student has it at once, and it is the JSON that one would have written.
func TestAllThatTheSchoolDecides(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.press("nav a", "Rules")
	part := func(name, sign string) {
		t.Helper()
		office.press("main nav a", "^"+name+"$")
		office.says("main", sign)
		office.accessible(name)
	}

	office.says("main li", "\\d+ hold")
	office.press("main button", "Add a rule")
	office.says("main ol > li:last-child", "courses among the requests")
	office.press("main ol > li:last-child button", "all of it")
	office.MustElementR("main ol > li:last-child label", "^Counts").MustElement("select").MustSelect("credits")
	office.MustElementR("main ol > li:last-child label", "Which courses").MustElement("select").MustSelect("the group creative")
	office.MustElementR("main ol > li:last-child label", "For grades").MustElement("input").MustInput("11, 12")
	office.MustElementR("main ol > li:last-child label", "Only where another").MustElement("input").MustClick()
	office.says("main ol > li:last-child", "credits of creative among the requests\\s*for grades 11, 12\\s*where courses among the requests lie from 1")
	office.accessible("all of a rule")

	part("Requirements", "Each list is counted by itself")
	office.press("section[aria-label='To graduate'] button", "Add a requirement")
	office.MustElement("section[aria-label='To graduate'] li:last-child input[placeholder]").MustSelectAllText().MustInput("Practical work")
	office.press("section[aria-label='To graduate'] li:last-child button", "all of it")
	office.MustElementR("section[aria-label='To graduate'] li:last-child label", "Which courses").MustElement("select").MustSelect("the group creative")
	office.says("section[aria-label='To graduate'] li:last-child", "credits of creative")

	part("Groups", "Courses that belong together")
	office.MustElementR("main label", "Name of the group").MustElement("input").MustInput("afloat")
	office.press("main button", "Add a group")
	office.MustElementR("main ul > li:last-child label", "Tags").MustElement("input").MustInput("maritime")
	office.says("main ul > li:last-child", "of maritime")

	part("Settings", "Who may change a sheet")
	office.MustElement("select[aria-labelledby=setting-late]").MustSelect("nothing more can be asked")
	office.MustElementR("main label", "Names of marks").MustElement("input").MustInput(", C- = 71.5")
	office.press("main button", "Add a date")
	office.says("[role=alert] li", "settings.stages.5.from")
	office.MustElementR("main ul > li:last-child label", "From").MustElement("input").MustInput("2027-05-01")
	office.MustElementR("main ul > li:last-child label", "Text \\(English\\)").MustElement("input").MustInput("May day")

	part("Agreements and texts", "Agreed to one by one")
	office.press("main button", "Add a text")
	office.MustElementR("main ul:last-of-type > li:last-child label", "Text \\(English\\)").MustElement("textarea").MustSelectAllText().MustInput("Hello to those who come to grade ten.")
	office.MustElementR("main ul:last-of-type > li:last-child label", "For grades").MustElement("input").MustInput("10")

	part("Windows and holidays", "Days without school")
	for label, day := range map[string]string{"^From": "2028-05-04", "^to ": "2028-05-08"} {
		office.MustElementR("section[aria-label='Days without school'] label", label).MustElement("input").MustEval(`day => {
			Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(this, day)
			this.dispatchEvent(new Event("input", { bubbles: true }))
		}`, day)
	}
	office.press("main button", "Add these days")
	office.says("section[aria-label='Days without school'] ul", "Thu 4 May[\\s\\S]*Fri 5 May[\\s\\S]*Mon 8 May")

	part("Errands", "What the choice of a course brings")
	office.press("main button", "Add an errand")
	last := "main ul > li:last-child "
	office.MustElementR(last+"label", "^Course").MustElement("select").MustSelect("Ceramics I (CER1)")
	office.MustElementR(last+"label", "What is to be done").MustElement("input").MustSelectAllText().MustInput("Bring an apron")
	office.MustElementR(last+"label", "By \\(date").MustElement("input").MustInput("soon")
	office.says(last+"label", "“soon” is not a date or time")
	office.accessible("an errand that cannot be read")
	office.MustElementR(last+"label", "By \\(date").MustElement("input").MustSelectAllText().MustInput("2027-06-03")

	part("Choice of sections", "Where students choose seats")
	office.press("main button", "Say what must be filled")
	office.says("main label", "Periods to be filled")

	office.MustElement("input[name=reason]").MustInput("For next year.")
	office.gone("aside button[disabled]")
	office.press("main button", "Put it in force")
	office.says("section[aria-label=Versions] li", "Version 2.*“For next year.”")
	office.says("h1", "What the school decides, as it is in force")
	office.press("main button", "as JSON")
	text := office.MustElement("textarea").MustProperty("value").Str()
	for _, want := range []string{`"of": "group:creative",`, `"label": "Practical work"`, `"afloat": {`, `"late": "no"`, `"C-": 71.5`, `"from": "2027-05-01"`,
		`"2028-05-04",`, `"2028-05-08"`, `"fill": {`, `"min": 1`} {
		if !strings.Contains(text, want) {
			t.Errorf("policy.json does not have %s:\n%s", want, text)
		}
	}
	mara := s.as("mara.quill", desk)
	mara.says("main", "Hello to those who come to grade ten.")
	mara.says("section[aria-labelledby=errands] li", "Bring an apron[\\s\\S]*by Thu 3 Jun")
}

// Two of the office change the rules at a time: the second's draft goes on on top of what the first has put in force, and where both changed the
// same the second is told and may take the other's.
func TestTwoChangeTheRules(t *testing.T) {
	s := newSite(t)
	const file = "main textarea[rows='36']"
	edit := func(p *screen, pairs ...string) {
		t.Helper()
		area := p.MustElement(file)
		text := area.MustProperty("value").Str()
		for i := 0; i < len(pairs); i += 2 {
			if !strings.Contains(text, pairs[i]) {
				t.Fatalf("the rules have no %q", pairs[i])
			}
			text = strings.Replace(text, pairs[i], pairs[i+1], 1)
		}
		area.MustSelectAllText().MustInput(text)
	}
	first, second := s.as("office", desk), s.as("office", desk)
	for _, p := range []*screen{first, second} {
		p.press("nav a", "Rules")
		p.press("main button", "as JSON")
	}
	edit(second, `"en": "Study periods"`, `"en": "Periods of study"`, `"en": "Alternates"`, `"en": "Second wishes"`)
	second.says("h1", "A draft: nothing is in force yet")
	edit(first, `"en": "Study periods"`, `"en": "Study halls"`, `"en": "Credits"`, `"en": "Credit points"`)
	first.force("Next year's rules.")
	first.says("section[aria-label=Versions] li", "Version 2")
	second.force("Next year's rules.")
	second.says("[role=alert]", "Someone else put a change in force meanwhile. Your changes are kept.")
	second.press("[role=alert] button", "Load their version")
	clashes := "section[aria-label='Both of you changed these'] li"
	second.says(clashes, "rules · study · label · en.*theirs “Study halls”, yours “Periods of study”")
	second.accessible("rules that both changed")
	// What both changed stays listed when the rules are changed once more.
	edit(first, `"en": "Senior project"`, `"en": "Final work"`)
	first.force("Next year's rules.")
	first.says("section[aria-label=Versions] li", "Version 3")
	second.force("Next year's rules.")
	second.says("[role=alert]", "Someone else put a change in force meanwhile.")
	second.press("[role=alert] button", "Load their version")
	second.gone("[role=alert] button")
	second.says(clashes, "rules · study · label · en.*theirs “Study halls”, yours “Periods of study”")
	second.press(clashes+" button", "Use theirs")
	second.gone(clashes)
	second.force("Next year's rules.")
	second.says("section[aria-label=Versions] li", "Version 4")
	var policy struct {
		Rules []struct {
			ID    string
			Label map[string]string
		}
	}
	if err := json.Unmarshal([]byte(second.MustElement(file).MustProperty("value").Str()), &policy); err != nil {
		t.Fatal(err)
	}
	labels := map[string]string{}
	for _, r := range policy.Rules {
		labels[r.ID] = r.Label["en"]
	}
	if got := []string{labels["study"], labels["alternates"], labels["project"]}; len(policy.Rules) != 15 || !slices.Equal(got, []string{"Study halls", "Second wishes", "Final work"}) {
		t.Errorf("%d rules are in force, with %q", len(policy.Rules), got)
	}
}
