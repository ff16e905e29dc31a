package policy_test

import (
	"fmt"
	"testing"

	"rubricon/core/policy"
)

// TestRemoved takes each part away in turn, and all of them at once.
func TestRemoved(t *testing.T) {
	parse := func(text string) *policy.Policy {
		t.Helper()
		p, problems, _ := policy.Parse([]byte(`{"schoolYear": "2027-28", "periods": 8` + text + `}`))
		if len(problems) > 0 {
			t.Fatal(problems)
		}
		return p
	}
	parts := map[string]string{
		`, "rules": [{"id": "a", "label": "English"}]`:                                             "[{rule English}]",
		`, "audits": [{"id": "g", "label": "Graduation", "entries": [{"id": "e", "credits": 1}]}]`: "[{audit Graduation}]",
		`, "commitments": [{"id": "c", "text": "I stay."}]`:                                        "[{commitment I stay.}]",
		`, "groups": {"core": {"tags": ["x"]}}`:                                                    "[{group core}]",
		`, "fill": {"periods": [1]}`:                                                               "[{fill }]",
		`, "welcome": [{"text": "Welcome"}]`:                                                       "[{welcome Welcome}]",
		`, "settings": {"stages": [{"from": "2027-03-12", "text": "It opens"}]}`:                   "[{stage It opens}]",
		`, "settings": {"contacts": [{"for": "courses", "name": "Ms A"}]}`:                         "[{contact Ms A}]",
		`, "marks": {"A": 90}`:                                                                     "[{mark A}]",
		`, "holidays": ["2027-11-25"]`:                                                             "[{holiday 2027-11-25}]",
	}
	empty := parse("")
	for text, want := range parts {
		was := parse(text)
		if got := fmt.Sprint(policy.Removed(was, empty)); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
		if got := policy.Removed(empty, was); got != nil {
			t.Errorf("%s added: %v", text, got)
		}
		if got := policy.Removed(was, was); got != nil {
			t.Errorf("%s unchanged: %v", text, got)
		}
	}
	one := parse(`, "audits": [{"id": "g", "label": "Graduation", "entries": [{"id": "e", "label": "English", "credits": 1}]}], "fill": {"rules": [{"id": "f", "label": "Clubs"}]}`)
	other := parse(`, "audits": [{"id": "g", "entries": []}], "fill": {}`)
	if got := fmt.Sprint(policy.Removed(one, other)); got != "[{entry Graduation: English} {rule Clubs}]" {
		t.Errorf("inside of what stays: %s", got)
	}
}
