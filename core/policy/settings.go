package policy

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// Settings are the choices on which schools differ. The zero value of each is its default.
type Settings struct {
	Editors      Editors      // who may change a sheet
	Signing      Signing      // how many guardians must sign
	NoPaper      bool         // the office may not record a signature given on the printed form
	Look         Look         // the counselor's look
	Counselors   Reach        // whose sheets a counselor may decide on
	BelowMinimum BelowMinimum // whether a sheet may be submitted although block rules are below their minimum
	OverMaximum  OverMaximum  // whether adding is refused when it would raise a block rule above its maximum
	Late         Late         // what families may do after the window has closed for them
	NoExchange   bool         // the family may not exchange a replaceable assigned course
	SummerCounts bool         // what is requested for the summer counts for the year

	TimeZone  string   // IANA name; default UTC
	Language  string   // of the school, a BCP 47 tag; default en
	Languages []string // offered to families; default the school's alone
	Currency  string   // ISO 4217; default USD
	One, Many Text     // what the school calls one credit, and several; empty: credit, credits
	Contacts  []Contact
	Stages    []Stage
}

// Contact is someone to ask.
type Contact struct {
	For                     string // courses, readiness or technical
	Name, Phone, Mail, Book string // Book is an https address
}

// Stage is what happens when.
type Stage struct {
	From string // YYYY-MM-DD, or with THH:MM, in the school's time zone
	Text Text
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
	LookNone               // complete and signed is cleared on its own
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

// OverMaximum says what an addition does that would raise a block rule above its maximum.
type OverMaximum uint8

// The values.
const (
	FlagOver   OverMaximum = iota
	RefuseOver             // the answer offers the alternate
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
	{"overMaximum", []string{"flag", "refuse"}, func(s *Settings, v int) { s.OverMaximum = OverMaximum(v) }},
	{"late", []string{"ask", "no"}, func(s *Settings, v int) { s.Late = Late(v) }},
}

// switches are the settings that are true or false, with their defaults.
var switches = []struct {
	key string
	set func(s *Settings, on bool)
}{
	{"paper", func(s *Settings, on bool) { s.NoPaper = !on }},
	{"exchange", func(s *Settings, on bool) { s.NoExchange = !on }},
	{"summerCounts", func(s *Settings, on bool) { s.SummerCounts = on }},
}

// Text is a text in the school's language, and in others where it is given in them.
type Text struct {
	Own string
	By  map[string]string
}

// In returns the text in a language, or in the school's where that one lacks. A text for a language serves its
// regions too.
func (t Text) In(language string) string {
	own := t.Own
	for _, tag := range Tags(language) {
		if text, ok := t.By[tag]; ok {
			own = text
		}
	}
	return own
}

// Tags lists the tags under which a text for a language may stand, the closest last: es, then es-MX (RFC
// 4647, section 3.4).
func Tags(language string) []string {
	if language == "" {
		return nil
	}
	parts := strings.Split(language, "-")
	tags := make([]string, len(parts))
	for i := range parts {
		tags[i] = strings.Join(parts[:i+1], "-")
	}
	return tags
}

// words reads a text, which is a string, or an object of languages and strings.
func (r *reader) words(o object, line int, path, key string, target *Text) bool {
	raw, there := o[key]
	if !there || string(raw) == "null" {
		return false
	}
	if json.Unmarshal(raw, &target.Own) == nil {
		return true
	}
	if err := json.Unmarshal(raw, &target.By); err != nil || len(target.By) == 0 {
		r.bad(line, path+key, "must be a text, or an object of languages and texts")
		return false
	}
	for _, language := range slices.Sorted(maps.Keys(target.By)) {
		if !IsLanguage(language) {
			r.bad(line, path+key+"."+language, "is not a language tag; write it like en or es-MX (BCP 47)")
		}
	}
	target.Own = r.own(target.By, line, path+key)
	return true
}

// own returns the text in the school's language, or where that one lacks, which is a notice, another.
func (r *reader) own(by map[string]string, line int, path string) string {
	if text, ok := by[r.out.Settings.Language]; ok {
		return text
	}
	if len(by) == 0 {
		return ""
	}
	first := slices.Min(slices.Collect(maps.Keys(by)))
	notice := Problem{line, path, fmt.Sprintf("lacks the school's language, %s; the text in %s stands for it",
		r.out.Settings.Language, first)}
	if !slices.Contains(r.notices, notice) {
		r.notices = append(r.notices, notice)
	}
	return by[first]
}

// IsLanguage reports whether a text has the form of a BCP 47 tag (RFC 5646): letters, then parts of letters and digits.
func IsLanguage(tag string) bool {
	for i, part := range strings.Split(tag, "-") {
		if len(part) < 1 || len(part) > 8 || i == 0 && len(part) < 2 {
			return false
		}
		for _, c := range part {
			letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
			if !letter && (i == 0 || c < '0' || c > '9') {
				return false
			}
		}
	}
	return true
}

// IsMoment reports whether a text is a date, or a date and time, as they are written here: 2027-03-12 or
// 2027-03-12T16:00.
func IsMoment(text string) bool {
	layout := time.DateOnly
	if len(text) == len("2006-01-02T15:04") { // an hour of one digit would do for the layout alone
		layout = "2006-01-02T15:04"
	}
	_, err := time.Parse(layout, text)
	return err == nil
}

func (r *reader) settings(top object) {
	s := &r.out.Settings
	s.TimeZone, s.Language, s.Currency = "UTC", "en", "USD"
	defer func() {
		if s.Languages == nil {
			s.Languages = []string{s.Language}
		}
	}()
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
	known := map[string]bool{"timeZone": true, "language": true, "languages": true, "currency": true, "unit": true,
		"contacts": true, "stages": true}
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
	for _, s := range switches {
		known[s.key] = true
		var on bool
		if r.get(o, line, "settings.", s.key, &on, "true or false") {
			s.set(&r.out.Settings, on)
		}
	}
	r.local(o, line)
	r.people(o, line)
	for _, key := range sortedKeys(o) {
		if !known[key] {
			r.bad(line, "settings."+key, "is not a setting")
		}
	}
}

// local reads where and in which languages the school is.
func (r *reader) local(o object, line int) {
	s := &r.out.Settings
	if r.get(o, line, "settings.", "timeZone", &s.TimeZone, "an IANA name such as Europe/Oslo") &&
		(s.TimeZone == "" || s.TimeZone == "Local") {
		r.bad(line, "settings.timeZone", "“%s” is not a time zone; write it like Europe/Oslo", s.TimeZone)
	}
	if r.get(o, line, "settings.", "language", &s.Language, "a language tag such as en") && !IsLanguage(s.Language) {
		r.bad(line, "settings.language", "“%s” is not a language tag; write it like en or es-MX (BCP 47)", s.Language)
	}
	if r.get(o, line, "settings.", "languages", &s.Languages, "a list of language tags") {
		for _, tag := range s.Languages {
			if !IsLanguage(tag) {
				r.bad(line, "settings.languages", "“%s” is not a language tag; write it like en or es-MX (BCP 47)", tag)
			}
		}
		if len(s.Languages) == 0 {
			s.Languages = nil
		}
	}
	if r.get(o, line, "settings.", "currency", &s.Currency, "a currency such as USD") &&
		(len(s.Currency) != 3 || strings.Trim(s.Currency, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "") {
		r.bad(line, "settings.currency", "“%s” is not a currency; write it like USD (ISO 4217)", s.Currency)
	}
	r.unit(o, line)
}

// unit reads what the school calls its credits: an object of one and other, or an object of such by language.
func (r *reader) unit(o object, line int) {
	var unit object
	if !r.get(o, line, "settings.", "unit", &unit, "an object such as {\"one\": \"credit\", \"other\": \"credits\"}") {
		return
	}
	s := &r.out.Settings
	forms := func(from object, path string) (one, many string) {
		for _, key := range sortedKeys(from) {
			if key != "one" && key != "other" {
				r.bad(line, path+key, "is not known here; a unit has one and other")
			}
		}
		r.get(from, line, path, "one", &one, "a text")
		r.get(from, line, path, "other", &many, "a text")
		if one == "" || many == "" {
			r.bad(line, strings.TrimSuffix(path, "."), "needs one and other")
		}
		return one, many
	}
	if _, plain := unit["one"]; plain {
		s.One.Own, s.Many.Own = forms(unit, "settings.unit.")
		return
	}
	s.One.By, s.Many.By = map[string]string{}, map[string]string{}
	for _, language := range sortedKeys(unit) {
		var from object
		if !IsLanguage(language) {
			r.bad(line, "settings.unit."+language, "is not a language tag; write it like en or es-MX (BCP 47)")
		} else if r.get(unit, line, "settings.unit.", language, &from, "an object such as {\"one\": \"credit\", \"other\": \"credits\"}") {
			s.One.By[language], s.Many.By[language] = forms(from, "settings.unit."+language+".")
		}
	}
	if len(unit) == 0 {
		r.bad(line, "settings.unit", "needs one and other")
		return
	}
	s.One.Own, s.Many.Own = r.own(s.One.By, line, "settings.unit"), r.own(s.Many.By, line, "settings.unit")
}

// people reads whom to ask, and what happens when.
func (r *reader) people(o object, line int) {
	s := &r.out.Settings
	each := func(key string, known []string, read func(item object, path string)) {
		var list []json.RawMessage
		r.get(o, line, "settings.", key, &list, "a list")
		for i, raw := range list {
			var item object
			path := fmt.Sprintf("settings.%s.%d.", key, i+1)
			if json.Unmarshal(raw, &item) != nil {
				r.bad(line, strings.TrimSuffix(path, "."), "must be an object")
				continue
			}
			r.only(item, line, path, known...)
			read(item, path)
		}
	}
	each("contacts", []string{"for", "name", "phone", "mail", "book"}, func(item object, path string) {
		var c Contact
		r.get(item, line, path, "for", &c.For, "courses, readiness or technical")
		if c.For != "courses" && c.For != "readiness" && c.For != "technical" {
			r.bad(line, path+"for", "“%s” is not one of courses, readiness, technical", c.For)
		}
		r.get(item, line, path, "name", &c.Name, "a text")
		r.get(item, line, path, "phone", &c.Phone, "a text")
		r.get(item, line, path, "mail", &c.Mail, "a text")
		if r.get(item, line, path, "book", &c.Book, "an https address") && !strings.HasPrefix(c.Book, "https://") {
			r.bad(line, path+"book", "must be an https address")
		}
		s.Contacts = append(s.Contacts, c)
	})
	each("stages", []string{"from", "text"}, func(item object, path string) {
		var stage Stage
		r.get(item, line, path, "from", &stage.From, "a date or time")
		if !IsMoment(stage.From) {
			r.bad(line, path+"from", "“%s” is not a date or time; write it like 2027-03-12 or 2027-03-12T16:00", stage.From)
		}
		if !r.words(item, line, path, "text", &stage.Text) {
			r.missing(item, line, path, "text")
		}
		s.Stages = append(s.Stages, stage)
	})
}

// only refuses keys that an object does not have.
func (r *reader) only(o object, line int, path string, known ...string) {
	for _, key := range sortedKeys(o) {
		found := false
		for _, k := range known {
			found = found || k == key
		}
		if !found {
			r.bad(line, path+key, "is not known here")
		}
	}
}
