// Package locales holds the sentences that people read, a file for each language: the front end and the
// server use the same ones. A further language is a further file.
//
//	locales.Match("es-MX, en;q=0.8").Text("error.locked", nil)
//
// Keys are nested names joined by dots. Where a text depends on a number, args has it as count, and the key's
// forms end in _ and the plural category of CLDR (one, few, many, other…).
package locales

import (
	"embed"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
)

//go:embed *.json
var files embed.FS

// Locale is one language with its texts, by key.
type Locale struct {
	Tag   language.Tag
	texts map[string]string
}

var (
	all     = read()
	matcher = language.NewMatcher(tags())
)

// read reads the files, English first: it is what stands where nothing else fits.
func read() (list []*Locale) {
	entries, err := files.ReadDir(".")
	if err != nil {
		panic(err) // they are part of the program
	}
	for _, entry := range entries {
		text, err := files.ReadFile(entry.Name())
		if err != nil {
			panic(err)
		}
		var nested map[string]any
		if err := json.Unmarshal(text, &nested); err != nil {
			panic(fmt.Sprintf("locales/%s: %v", entry.Name(), err))
		}
		l := &Locale{Tag: language.MustParse(strings.TrimSuffix(entry.Name(), ".json")), texts: map[string]string{}}
		l.flatten("", nested)
		if l.Tag == language.English {
			list = slices.Insert(list, 0, l)
		} else {
			list = append(list, l)
		}
	}
	return list
}

func (l *Locale) flatten(prefix string, nested map[string]any) {
	for key, value := range nested {
		if inner, ok := value.(map[string]any); ok {
			l.flatten(prefix+key+".", inner)
		} else {
			l.texts[prefix+key] = value.(string)
		}
	}
}

func tags() []language.Tag {
	list := make([]language.Tag, len(all))
	for i, l := range all {
		list[i] = l.Tag
	}
	return list
}

// Day writes a date with its weekday.
func (l *Locale) Day(at time.Time) string {
	return l.Text("date.day", map[string]any{"weekday": strings.Split(l.Text("date.weekdays", nil), " ")[at.Weekday()], "day": at.Day(),
		"month": strings.Split(l.Text("date.months", nil), " ")[at.Month()-1], "year": at.Year()})
}

// Direction is ltr, or rtl for a language that is written from the right, as HTML has it.
func (l *Locale) Direction() string {
	if script, _ := l.Tag.Script(); slices.Contains([]string{"Arab", "Hebr", "Thaa", "Syrc", "Nkoo", "Adlm"}, script.String()) {
		return "rtl"
	}
	return "ltr"
}

// All lists the locales, English first.
func All() []*Locale { return all }

// Match returns the locale that serves a list of wishes best, written as in the header Accept-Language (RFC
// 9110, section 12.5.4); where none does, English.
func Match(wishes string) *Locale {
	wanted, _, err := language.ParseAcceptLanguage(wishes)
	if err != nil {
		return all[0]
	}
	_, at, _ := matcher.Match(wanted...)
	return all[at]
}

// Keys lists all keys, plural forms by their whole names.
func (l *Locale) Keys() []string { return slices.Sorted(maps.Keys(l.texts)) }

// Has reports whether there is a text, or a plural form, of that very key.
func (l *Locale) Has(key string) bool { _, ok := l.texts[key]; return ok }

// Text returns a text with its places filled in. A key that there is not is given back, so that it is seen.
func (l *Locale) Text(key string, args map[string]any) string {
	text, ok := l.texts[key]
	if n, counted := args["count"].(int); counted && !ok {
		if text, ok = l.texts[key+"_"+l.Form(n)]; !ok {
			text, ok = l.texts[key+"_other"]
		}
	}
	if !ok && l != all[0] {
		return all[0].Text(key, args)
	}
	if !ok {
		return key
	}
	for name, value := range args {
		text = strings.ReplaceAll(text, "{{"+name+"}}", fmt.Sprint(value))
	}
	return text
}

var forms = map[plural.Form]string{plural.Zero: "zero", plural.One: "one", plural.Two: "two", plural.Few: "few",
	plural.Many: "many", plural.Other: "other"}

// Form is the plural category of a whole number.
func (l *Locale) Form(n int) string {
	return forms[plural.Cardinal.MatchPlural(l.Tag, n, 0, 0, 0, 0)]
}
