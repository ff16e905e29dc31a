package main

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// directions say which packages of the project a package may import beside core and itself; a name with /* stands for every package below it.
var directions = map[string][]string{
	"core/*": {}, "store": {}, "bundle": {}, "locales": {}, "signon": {}, "attendance": {}, "paper": {"locales"}, "post": {"locales"},

	"app/text": {}, "app/secret": {},
	"app/problem":    {"store"},
	"app/actor":      {"store"},
	"app/year":       {"store", "bundle", "app/actor", "app/problem"},
	"app/sheet":      {"store", base},
	"app/messages":   {"store", base, "app/sheet"},
	"app/background": {"store", "bundle", base},
	"app/account":    {"store", base},
	"app/office":     {"store", base},
	"app/schedule":   {"store", "bundle", base, "app/sheet", "app/messages", "app/background"},
	"app/seats":      {"store", "attendance", base, "app/sheet", "app/messages", "app/schedule"},
	"app/people":     {"store", base, "app/sheet", "app/schedule"},
	"app/caseload":   {"store", "bundle", base, "app/sheet", "app/people"},
	"app/catalog":    {"store", "bundle", base, "app/sheet", "app/people", "app/background"},
	"app/imports":    {"store", "bundle", base, "app/sheet", "app/background", "app/account"},
	"app":            {"store", "app/*"},

	"web/server":   {"locales", "ui", "app/problem", "app/year", "app/account", "app/office"},
	"web/sheet":    {"app", "app/*", "locales", "paper", "web/server"},
	"web/imports":  {"app", "app/*", "web/server"},
	"web/account":  {"app", "app/*", "locales", "paper", "signon", "web/server", "web/sheet"},
	"web/seats":    {"app", "app/*", "locales", "paper", "web/server", "web/sheet"},
	"web/messages": {"app", "app/*", "locales", "web/server", "web/seats"},
	"web/schedule": {"app", "app/*", "bundle", "web/server", "web/imports"},
	"web/caseload": {"app", "app/*", "web/server", "web/sheet", "web/imports"},
	"web/catalog":  {"app", "app/*", "web/server", "web/sheet", "web/imports", "web/caseload"},
	"web/people":   {"app", "app/*", "web/server", "web/account"},
	"web/office":   {"app", "app/*", "web/server", "web/account"},
	"web":          {"app", "signon", "web/*"},

	"jobs": {"app", "app/*", "store", "post", "hook", "locales"},
}

// base are the packages that every area of app stands on.
const base = "base"

var bases = []string{"app/text", "app/secret", "app/problem", "app/actor", "app/year"}

// mayImport reports whether one package may import another by directions.
func mayImport(from, to string) bool {
	if from == to || strings.HasPrefix(to, "core/") {
		return true
	}
	allowed, known := directions[from]
	if folder, _, below := strings.Cut(from, "/"); !known && below {
		allowed = directions[folder+"/*"]
	}
	for _, a := range allowed {
		folder, all := strings.CutSuffix(a, "/*")
		if a == to || all && strings.HasPrefix(to, folder+"/") || a == base && slices.Contains(bases, to) {
			return true
		}
	}
	return false
}

// Every import within the project goes a way that the table has, and every way in it is gone.
func TestImportsPointOneWay(t *testing.T) {
	looked, gone := 0, map[[2]string]bool{}
	err := filepath.WalkDir("../..", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && slices.Contains([]string{"node_modules", ".git", ".data"}, e.Name()) {
			return fs.SkipDir
		}
		from := path.Dir(strings.TrimPrefix(filepath.ToSlash(name), "../../"))
		top, _, _ := strings.Cut(from, "/")
		_, known := directions[top]
		if _, below := directions[top+"/*"]; !known && !below || slices.Contains([]string{"contracttest", "standin", "sink", "local", "beside"}, path.Base(from)) {
			return nil
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		looked++
		for _, i := range file.Imports {
			to, _ := strconv.Unquote(i.Path.Value)
			if to, own := strings.CutPrefix(to, "rubricon/"); own {
				gone[[2]string{from, to}] = true
				if !mayImport(from, to) {
					t.Errorf("%s imports %s", name, to)
				}
			}
		}
		return nil
	})
	if err != nil || looked < 200 {
		t.Fatalf("%d files: %v", looked, err)
	}
	for from, list := range directions {
		for _, to := range list {
			if !strings.HasSuffix(to, "/*") && to != base && !gone[[2]string{from, to}] {
				t.Errorf("%s may import %s and does not", from, to)
			}
		}
	}
}
