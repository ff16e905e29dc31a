// Command shots takes the pictures in docs/screenshots from a running demo: go run ./e2e/shots [OUT]. It
// signs in as the demo's people and changes nothing but that the office places what is handed in.
package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/e2e/browser"
)

const address = "http://127.0.0.1:7270"

type shot struct {
	name, user, path string
	phone, dark      bool
	wait             string // a selector that shows when the screen is there
	click            string // then this is clicked
	until            string // and this is waited for: work that takes long, which stays there
	leaves           string // what is left from a date on
	upload           bool   // the demo school with some other records is sent, looked at and left
}

var shots = []shot{
	{name: "sign-in", path: "/", wait: "form"},
	{name: "year", user: "mara.quill", path: "/", wait: "#board"},
	{name: "demand", user: "office", path: "/demand", wait: "#chosen h3", dark: true},
	{name: "year-phone", user: "mara.quill", path: "/", wait: "#board", phone: true},
	{name: "hand-in", user: "mara.quill", path: "/hand-in", wait: "h1"},
	{name: "courses", user: "mara.quill", path: "/courses", wait: "aside button[data-row]", click: "aside input[type=checkbox]"},
	{name: "path", user: "mara.quill", path: "/path", wait: "main button[data-stop]"},
	{name: "course", user: "mara.quill", path: "/course/TID1?with=BIO1,AST1", wait: "tbody td"},
	{name: "family-phone", user: "ilse.quill", path: "/", wait: "h1", phone: true},
	{name: "caseload", user: "ms.arden", path: "/", wait: "#student h2"},
	{name: "student", user: "ms.arden", path: "/student/s0001", wait: "section li"},
	{name: "change", user: "ms.torvund", path: "/student/sk001/changes", wait: "[data-testid=stays] li", leaves: "1 · English 10"},
	{name: "rules", user: "office", path: "/rules", wait: "main li"},
	{name: "teacher", user: "mr.tolland", path: "/d/teacher-pellworth", wait: "tbody tr", click: "main nav button:nth-of-type(4)"},
	{name: "settings", user: "office", path: "/rules?part=settings", wait: "select[aria-labelledby=setting-late]"},
	{name: "placement", user: "office", path: "/placement", wait: "form button[type=submit]",
		click: "form button[type=submit]", until: "section[aria-label=Students] table"},
	{name: "sections", user: "office", path: "/sections", wait: "[data-section]", click: "tbody tr:nth-of-type(7) [data-section]"},
	{name: "seats", user: "runa.sandaker", path: "/seats", wait: "[data-open]", click: "[data-open]", until: "[data-fit]"},
	{name: "data", user: "office", path: "/data", wait: "h1", upload: true},
}

func main() {
	out := "docs/screenshots"
	if len(os.Args) > 1 {
		out = os.Args[1]
	}
	if err := run(out, os.Args[min(2, len(os.Args)):]); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func run(out string, only []string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	b, stop, err := browser.Start()
	if err != nil {
		return err
	}
	defer stop()
	for _, s := range shots {
		wanted := len(only) == 0
		for _, name := range only {
			wanted = wanted || name == s.name
		}
		if !wanted {
			continue
		}
		if err := rod.Try(func() { take(b, s, filepath.Join(out, s.name+".png")) }); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
	}
	return nil
}

func take(b *rod.Browser, s shot, file string) {
	width, height := 1280, 800
	if s.phone {
		width, height = 390, 844
	}
	page, err := browser.Page(b, width, height)
	if err != nil {
		panic(err)
	}
	defer func() { _ = page.Browser().Close() }()
	page = page.Timeout(150 * time.Second)
	if s.dark {
		_ = proto.EmulationSetEmulatedMedia{Features: []*proto.EmulationMediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}}.Call(page)
	}
	page.MustNavigate(address).MustWaitLoad()
	if s.user != "" {
		page.MustElement("input[name=username]").MustInput(s.user)
		page.MustElement("input[name=password]").MustInput(demo.Password)
		page.MustElement("button[type=submit]").MustClick()
		page.MustElement("header")
		if s.path != "/" {
			page.MustNavigate(address + s.path)
		}
	}
	page.MustElement(s.wait)
	if s.click != "" {
		page.MustElement(s.click).MustScrollIntoView().MustClick()
	}
	if s.until != "" {
		page.Timeout(2 * time.Minute).MustElement(s.until)
	}
	if s.leaves != "" {
		page.MustElement("main select").MustSelect(s.leaves)
		page.MustElement("[data-testid=fits] button").MustClick()
		page.MustElement("[data-testid=settle]")
		page.MustElement("input[type=range]").MustFocus()
		for range 31 { // some weeks into the year
			page.Keyboard.MustType(input.ArrowRight)
		}
		page.MustElementR("h1", "14 Oct")
	}
	if s.upload {
		folder, err := os.MkdirTemp("", "rubricon-shot")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(folder)
		page.MustElement("input[type=file]").MustSetFiles(changed(folder))
		page.MustElementR("h1", "would change")
		defer func() { page.MustElementR("button", "Leave it").MustClick(); page.MustElementR("h1", "stopped") }()
	}
	page.WaitRequestIdle(300*time.Millisecond, nil, []string{"/live"}, nil)()
	page.MustEval(`() => document.fonts.ready.then(() => true)`)
	page.MustWaitStable()
	page.MustScreenshot(file)
}

// changed writes the demo school with some other records as a zip file.
func changed(folder string) string {
	files := demo.Bundle(demo.Options{Students: 1200, Seed: 7})
	for i := range files {
		if f := &files[i]; f.Name == "records.csv" {
			for n := range 300 {
				f.Rows[n][slices.Index(f.Header, "title")] += " (revised)"
			}
		}
	}
	var out bytes.Buffer
	if err := bundle.WriteZip(&out, files); err != nil {
		panic(err)
	}
	name := filepath.Join(folder, "pellworth-spring.zip")
	if err := os.WriteFile(name, out.Bytes(), 0o600); err != nil {
		panic(err)
	}
	return name
}
