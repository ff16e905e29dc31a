package policy

import (
	"encoding/json"
	"strings"
)

// Settings are the choices on which schools differ. The zero value of each is its default.
type Settings struct {
	Editors      Editors      // who may change a sheet
	Signing      Signing      // how many guardians must sign
	NoPaper      bool         // the office may not record a signature given on the printed form
	Look         Look         // the counselor's look
	Counselors   Reach        // whose sheets a counselor may decide on
	BelowMinimum BelowMinimum // whether a sheet may be submitted although block rules are below their minimum
	Late         Late         // what families may do after the window has closed for them
}

// Editors says who may change a sheet; the others look on.
type Editors uint8

// The editors.
const (
	StudentEdits Editors = iota
	FamilyEdits          // the guardians
	EitherEdits
)

// Signing says how many guardians must sign what was submitted.
type Signing uint8

// The kinds of signing.
const (
	OneSigns Signing = iota
	NoneSigns
	AllSign
)

// Look says when a counselor looks at a sheet.
type Look uint8

// The looks.
const (
	LookAfter  Look = iota // after submitting; it clears the sheet
	LookBefore             // submitting needs it, then nothing more
	LookNone               // complete and signed is cleared by itself
)

// Reach says whose sheets a counselor may decide on; the rest of the school they see.
type Reach uint8

// The reaches.
const (
	Caseload Reach = iota
	WholeSchool
)

// BelowMinimum says what a block rule below its minimum does to submitting.
type BelowMinimum uint8

// The values.
const (
	RefuseBelow BelowMinimum = iota
	NoteBelow                // the counselor is told
)

// Late says whether families may ask for changes after the window has closed for them.
type Late uint8

// The values.
const (
	AskLate Late = iota
	NotLate
)

// choices are the settings that are one word of a few, with the words in the order of their values.
var choices = []struct {
	key   string
	words []string
	set   func(s *Settings, value int)
}{
	{"editors", []string{"student", "family", "either"}, func(s *Settings, v int) { s.Editors = Editors(v) }},
	{"signing", []string{"one", "none", "all"}, func(s *Settings, v int) { s.Signing = Signing(v) }},
	{"look", []string{"after", "before", "none"}, func(s *Settings, v int) { s.Look = Look(v) }},
	{"counselors", []string{"caseload", "school"}, func(s *Settings, v int) { s.Counselors = Reach(v) }},
	{"belowMinimum", []string{"refuse", "note"}, func(s *Settings, v int) { s.BelowMinimum = BelowMinimum(v) }},
	{"late", []string{"ask", "no"}, func(s *Settings, v int) { s.Late = Late(v) }},
}

func (r *reader) settings(top object) {
	raw, there := top["settings"]
	if !there || string(raw) == "null" {
		return
	}
	line := r.line(raw)
	var o object
	if json.Unmarshal(raw, &o) != nil {
		r.bad(line, "settings", "must be an object")
		return
	}
	known := map[string]bool{"paper": true}
	for _, c := range choices {
		known[c.key] = true
		var word string
		if !r.get(o, line, "settings.", c.key, &word, "one of "+strings.Join(c.words, ", ")) {
			continue
		}
		value := -1
		for i, w := range c.words {
			if w == word {
				value = i
			}
		}
		if value < 0 {
			r.bad(line, "settings."+c.key, "“%s” is not one of %s", word, strings.Join(c.words, ", "))
			continue
		}
		c.set(&r.out.Settings, value)
	}
	paper := true
	r.get(o, line, "settings.", "paper", &paper, "true or false")
	r.out.Settings.NoPaper = !paper
	for _, key := range sortedKeys(o) {
		if !known[key] {
			r.bad(line, "settings."+key, "is not a setting")
		}
	}
}
