package main

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// Imports point one way: to core from everywhere, from web to school, from school to store, and from nothing but the commands to web.
func TestImportsPointOneWay(t *testing.T) {
	may := map[string][]string{ // of the project's own, beside core and what is in their own folder
		"core": {}, "store": {}, "bundle": {}, "locales": {}, "signon": {}, "attendance": {}, "paper": {"locales"}, "post": {"locales"},
		"school": {"store", "bundle", "attendance"}, "web": {"school", "bundle", "signon", "locales", "paper", "ui"}, "jobs": {"school", "store", "post", "hook", "locales"},
	}
	looked := 0
	err := filepath.WalkDir("../..", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && slices.Contains([]string{"node_modules", ".git", ".data"}, e.Name()) {
			return fs.SkipDir
		}
		folder, _, _ := strings.Cut(strings.TrimPrefix(filepath.ToSlash(name), "../../"), "/")
		allowed, known := may[folder]
		if !known || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") || strings.Contains(name, "/testdb/") || strings.Contains(name, "/standin/") || strings.Contains(name, "/sink/") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		looked++
		for _, i := range file.Imports {
			path, _ := strconv.Unquote(i.Path.Value)
			own, ok := strings.CutPrefix(path, "rubricon/")
			if !ok {
				continue
			}
			if to, _, _ := strings.Cut(own, "/"); to != folder && to != "core" && !slices.Contains(allowed, to) {
				t.Errorf("%s imports %s", name, path)
			}
		}
		return nil
	})
	if err != nil || looked < 100 {
		t.Fatalf("%d files: %v", looked, err)
	}
}
