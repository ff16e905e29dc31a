package locales_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"rubricon/locales"
)

var pluralForm = regexp.MustCompile(`_(zero|one|two|few|many|other)$`)

// forms returns the categories that a language uses for whole numbers, found by trying numbers (x/text has CLDR's rules).
func forms(l *locales.Locale) map[string]bool {
	used := map[string]bool{}
	for _, n := range []int{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 20, 21, 22, 25, 99, 100, 101, 102, 111, 1000, 100_000, 1_000_000, 2_000_000} {
		used[l.Form(n)] = true
	}
	// x/text has the rules of CLDR 32; browsers have later ones, in which Spanish counts millions apart (CLDR 38, plurals.xml; from memory).
	if base, _ := l.Tag.Base(); base.String() == "es" {
		used["many"] = true
	}
	return used
}

func holes(text string) []string {
	list := regexp.MustCompile(`{{\w+}}`).FindAllString(text, -1)
	slices.Sort(list)
	return slices.Compact(list)
}

// partial are the languages that only families and students have: their screens, mail and what is printed for them. Everything else is English in these.
var partial = []string{"ar"}

// staffAlone are the parts of the words that only the staff meet.
var staffAlone = []string{"teacher", "staff", "scheduler"}

// parts are the sections of the words by the screens that they come with.
func parts(t *testing.T) map[string][]string {
	t.Helper()
	config, err := os.ReadFile("../ui/vite.config.ts")
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]string{}
	for _, part := range regexp.MustCompile(`(?s)(student|later|account|changeRequests|family|signIn|talk|print|reminder|result|scheduler|seats|teacher|staff): \[(.*?)\]`).FindAllStringSubmatch(string(config), -1) {
		for _, name := range regexp.MustCompile(`'(\w+)'`).FindAllStringSubmatch(part[2], -1) {
			out[part[1]] = append(out[part[1]], name[1])
		}
	}
	if len(out) != 14 {
		t.Fatalf("%d parts in the build's configuration", len(out))
	}
	return out
}

// Every sentence is there in every language, with the same places to fill in, and with the plural forms that the language needs; in a language for
// families and students alone, every one that they meet.
func TestNoSentenceIsMissing(t *testing.T) {
	english := locales.All()[0]
	var others []string
	for _, part := range staffAlone {
		others = append(others, parts(t)[part]...)
	}
	for _, l := range locales.All() {
		need, some := forms(l), slices.Contains(partial, l.Tag.String())
		for _, key := range english.Keys() {
			if section, _, _ := strings.Cut(key, "."); some && slices.Contains(others, section) {
				continue
			}
			stem := pluralForm.ReplaceAllString(key, "")
			if stem == key {
				if !l.Has(key) {
					t.Errorf("%v lacks %s", l.Tag, key)
				} else if got, want := holes(l.Text(key, nil)), holes(english.Text(key, nil)); !slices.Equal(got, want) {
					t.Errorf("%v, %s: the places are %v, in English %v", l.Tag, key, got, want)
				}
				continue
			}
			for form := range need {
				if !l.Has(stem + "_" + form) {
					t.Errorf("%v lacks %s_%s", l.Tag, stem, form)
				}
			}
		}
		for _, key := range l.Keys() {
			if strings.TrimSpace(l.Text(key, nil)) == "" && key != "or" {
				t.Errorf("%v, %s is empty", l.Tag, key)
			}
			if stem := pluralForm.ReplaceAllString(key, ""); !english.Has(key) && (stem == key || !english.Has(stem+"_other")) {
				t.Errorf("%v has %s, which English has not", l.Tag, key)
			}
		}
	}
	if len(locales.All()) < 2 {
		t.Error("there is one language only")
	}
}

func sources(t *testing.T, visit func(name, text string)) {
	t.Helper()
	list, err := readSources()
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range list {
		visit(f[0], f[1])
	}
}

// readSources reads them once, each with its name.
var readSources = sync.OnceValues(func() (list [][2]string, err error) {
	err = filepath.WalkDir("../ui/src", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || strings.Contains(name, ".gen.") || !script.MatchString(name) {
			return err
		}
		text, err := os.ReadFile(name)
		list = append(list, [2]string{name, string(text)})
		return err
	})
	return list, err
})

var (
	script   = regexp.MustCompile(`\.tsx?$`)
	comment  = regexp.MustCompile(`(?s)/\*.*?\*/|(^|\s)//[^\n]*`)
	between  = regexp.MustCompile(`>\s*([^<>{}]*?\p{L}{2,}[^<>{}]*?)\s*</`)
	spoken   = regexp.MustCompile(`(?:aria-label|title|placeholder|alt|label)="([^"]*\p{L}{2,}[^"]*)"`)
	template = regexp.MustCompile("`([\\w.-]+)\\$\\{")
	joined   = regexp.MustCompile(`"([\w.-]+)" ?\+`)
	asked    = regexp.MustCompile(`\bt\(\s*'([\w.-]+)'`)
	notWords = []string{"Rubricon"}
)

// What people read is in the locale files, not in the source.
func TestNoSentenceIsInTheSource(t *testing.T) {
	looked := 0
	sources(t, func(name, text string) {
		text = comment.ReplaceAllString(text, "")
		for _, pattern := range []*regexp.Regexp{between, spoken} {
			for _, found := range pattern.FindAllStringSubmatch(text, -1) {
				looked++
				if strings.HasSuffix(name, ".tsx") && !slices.Contains(notWords, found[1]) && !strings.ContainsAny(found[1], "();=") {
					t.Errorf("%s: %q is not in the locale files", name, found[1])
				}
			}
		}
	})
	if looked == 0 {
		t.Error("nothing that people read was found at all, not even the product's name")
	}
}

// Every sentence that a screen asks for by its whole name is there, and every one that is there is asked for.
func TestKeysAreAskedFor(t *testing.T) {
	english := locales.All()[0]
	var every strings.Builder
	sources(t, func(name, text string) {
		every.WriteString(text)
		for _, found := range asked.FindAllStringSubmatch(text, -1) {
			if key := found[1]; !english.Has(key) && !english.Has(key+"_other") {
				t.Errorf("%s asks for %s, which is not there", name, key)
			}
		}
	})
	text := every.String()
	// What the server writes itself, such as calendars and mails, asks for its sentences too.
	server := []string{"locales.go"}
	for _, folder := range []string{"web", "web/*", "post", "jobs"} {
		list, err := filepath.Glob("../" + folder + "/*.go")
		if err != nil {
			t.Fatal(err)
		}
		server = append(server, list...)
	}
	var written strings.Builder
	for _, name := range server {
		source, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		written.Write(source)
	}
	// A key that is put together: its beginning stands before a place in a template.
	beginnings := map[string]bool{}
	for _, list := range [][][]string{template.FindAllStringSubmatch(text, -1), joined.FindAllStringSubmatch(written.String(), -1)} {
		for _, found := range list {
			beginnings[found[1]] = true
		}
	}
	for _, key := range english.Keys() {
		stem := pluralForm.ReplaceAllString(key, "")
		if strings.Contains(text, "'"+stem+"'") || strings.Contains(written.String(), `"`+stem+`"`) || strings.HasPrefix(stem, "error.") {
			continue
		}
		composed := false
		for cut := len(stem); cut > 3 && !composed; cut-- {
			composed = beginnings[stem[:cut]]
		}
		if !composed {
			t.Errorf("nothing asks for %s", key)
		}
	}
}

func TestTexts(t *testing.T) {
	for _, c := range []struct {
		wishes, key string
		args        map[string]any
		want        string
	}{
		{"en", "error.locked", nil, "The sheet is cleared; your counselor can reopen it or send it back to you."},
		{"es-MX,en;q=0.5", "error.fixed", nil, "La escuela ha fijado este curso; tu orientador puede cambiarlo."},
		{"nb", "close", nil, "Close"},
		{"not a language!", "close", nil, "Close"},
		{"", "close", nil, "Close"},
		{"es", "caseload.days", map[string]any{"count": 1}, "1 día"},
		{"es", "caseload.days", map[string]any{"count": 3}, "3 días"},
		{"en", "caseload.days", map[string]any{"count": 1}, "1 day"},
		{"en", "no.such.key", nil, "no.such.key"},
	} {
		if got := locales.Match(c.wishes).Text(c.key, c.args); got != c.want {
			t.Errorf("%s %s: %q, want %q", c.wishes, c.key, got, c.want)
		}
	}
}

// The sections that are cut from the shared words are asked for by their own screens alone, which bring them along.
func TestWordsComeWithTheirScreens(t *testing.T) {
	list := parts(t)
	own := map[string][]string{"student": {"/student/"}, "staff": {"/counselor/", "/office/", "/kit/pages.ts", "/shared/reading.tsx"}, "print": {"/kit/header.tsx"}, // of a translation, which comes whole
		"teacher": {"/teacher/"}, "scheduler": {"/scheduler/"}, "result": {"/shared/result.tsx", "/shared/week.tsx", "/scheduler/"},
		"account": {"/src/account.tsx", "/src/passkeys.tsx"}, "family": {"/family/"}, "talk": {"/shared/talk.tsx"}, "signIn": {"/src/signin.tsx"}, "changeRequests": {"/shared/changerequests.tsx"}, "seats": {"/student/seat"}, "reminder": {"/counselor/", "/shared/reminded.tsx"}}
	sources(t, func(file, text string) { // what comes later says so itself, or comes with what does
		for _, name := range []string{"overlays", "pathpage", "history", "errands", "coursepage", "summer", "drafts", "submit"} {
			if path := filepath.ToSlash(file); strings.HasSuffix(path, "/student/"+name+".tsx") && !strings.Contains(text, "import './laterwords'") {
				t.Errorf("%s does not bring its words along", file)
			}
		}
	})
	for _, name := range []string{"overlays", "pathpage", "history", "errands", "coursepage", "summer", "drafts", "submit", "planning", "route", "explain"} {
		own["later"] = append(own["later"], "/student/"+name+".tsx")
	}
	code := map[string]string{}
	sources(t, func(file, text string) { code[filepath.ToSlash(file)] = comment.ReplaceAllString(text, "") })
	sections := 0
	for part, names := range list {
		for _, name := range names {
			sections++
			wanted := regexp.MustCompile("[`']" + name + `\.[\w$]`)
			for file, text := range code {
				mine := slices.ContainsFunc(own[part], func(folder string) bool { return strings.Contains(file, folder) })
				if !mine && wanted.MatchString(text) {
					t.Errorf("%s asks for words of %s, which come with the screens of the %s alone", file, name, part)
				}
			}
		}
	}
	if sections < 10 {
		t.Errorf("%d sections only", sections)
	}
}
