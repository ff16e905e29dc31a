package main

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"

	"rubricon/web"
)

// documents returns the text of each document by its path from the root.
func documents(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, pattern := range []string{"*.md", "docs/*.md", "docs/*/*.md", "ops/*"} {
		names, err := filepath.Glob("../../" + pattern)
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range names {
			text, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			out[strings.TrimPrefix(filepath.ToSlash(name), "../../")] = string(text)
		}
	}
	if len(out) < 10 {
		t.Fatalf("%d documents", len(out))
	}
	return out
}

// tracked lists the files of the repository: all but what .gitignore leaves out, and links.
func tracked(t *testing.T) (list []string) {
	t.Helper()
	left := []string{".git", ".data", "bin", "ui/dist", "ui/fonts", "ui/node_modules"}
	err := filepath.WalkDir("../..", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name = strings.TrimPrefix(filepath.ToSlash(name), "../../")
		switch ext := filepath.Ext(name); {
		case e.IsDir() && slices.Contains(left, name):
			return fs.SkipDir
		case e.Type().IsRegular() && ext != ".test" && ext != ".prof" && ext != ".tsbuildinfo":
			list = append(list, name)
		}
		return nil
	})
	if err != nil || len(list) < 500 {
		t.Fatalf("%d files: %v", len(list), err)
	}
	return list
}

// sources is all that the program is made of, in one text.
func sources(t *testing.T) string {
	t.Helper()
	var all strings.Builder
	for _, name := range tracked(t) {
		if ext := filepath.Ext(name); (ext == ".go" || ext == ".sql") && !strings.HasSuffix(name, "_test.go") {
			text, err := os.ReadFile("../../" + name)
			if err != nil {
				t.Fatal(err)
			}
			all.Write(text)
		}
	}
	return all.String()
}

// Whatever a document calls by name is there: settings, metrics, routes, commands with their flags, targets of make, and files.
func TestWhatDocumentsNameExists(t *testing.T) {
	program := sources(t)
	makefile, err := os.ReadFile("../../Makefile")
	if err != nil {
		t.Fatal(err)
	}
	byName := map[string]*cobra.Command{}
	for _, c := range commands() {
		byName[c.Name()] = c
	}
	hasFlag := func(c *cobra.Command, name string) bool {
		return name == "help" || name == "version" || c.Flags().Lookup(name) != nil || c.PersistentFlags().Lookup(name) != nil
	}
	var (
		named   = regexp.MustCompile(`\b(?:RUBRICON|OTEL)_[A-Z_]+[A-Z]\b|\brubricon_[a-z_]+[a-z]\b`)
		route   = regexp.MustCompile(`\b(GET|POST|PUT|PATCH|DELETE) (…?)(/[^\s\x60]+)`)
		command = regexp.MustCompile(`(?m)(?:\x60|^|; |&& |[a-z0-9_]@?… )(?:bin/)?rubricon ([a-z][a-z-]*)([^\x60\n;#]*)`)
		flag    = regexp.MustCompile(`--([a-z][a-z-]*)`)
		target  = regexp.MustCompile(`\x60make ([a-z-]+)|(?m)^make ([a-z-]+)`)
		file    = regexp.MustCompile(`\x60([a-z]+(?:/[A-Za-z0-9_-]+)+\.(?:go|md|json|sql|tsx?|png|service))\x60`)
		any     = regexp.MustCompile(`\{[^}]+\}`)
	)
	contract := web.Contract()
	found := 0
	for name, text := range documents(t) {
		if name == "CHANGELOG.md" { // it names what is gone, too
			continue
		}
		wrong := func(what string) { t.Errorf("%s names %s, which there is not", name, what) }
		for _, x := range named.FindAllString(text, -1) {
			if found++; !strings.Contains(program, x) && !strings.Contains(string(makefile), x) {
				wrong(x)
			}
		}
		for _, x := range route.FindAllStringSubmatch(text, -1) {
			found++
			there := false
			want := any.ReplaceAllString(x[3], "{}")
			for path, item := range contract.Paths {
				op := map[string]bool{"GET": item.Get != nil, "POST": item.Post != nil, "PUT": item.Put != nil, "PATCH": item.Patch != nil, "DELETE": item.Delete != nil}[x[1]]
				path = any.ReplaceAllString(path, "{}")
				there = there || op && (path == want || x[2] != "" && strings.HasSuffix(path, want))
			}
			if !there {
				wrong(x[0])
			}
		}
		for _, x := range command.FindAllStringSubmatch(text, -1) {
			c := byName[x[1]]
			if found++; c == nil {
				wrong("the command " + x[1])
				continue
			}
			for _, f := range flag.FindAllStringSubmatch(x[2], -1) {
				if !hasFlag(c, f[1]) {
					wrong("the flag --" + f[1] + " of " + x[1])
				}
			}
		}
		for _, x := range target.FindAllStringSubmatch(text, -1) {
			goal := x[1] + x[2]
			if found++; !bytes.Contains(makefile, []byte("\n"+goal+":")) && !strings.HasPrefix(goal, "test-") {
				wrong("make " + goal)
			}
		}
		for _, x := range file.FindAllStringSubmatch(text, -1) {
			if _, err := os.Stat("../../" + x[1]); err != nil {
				found++
				wrong("the file " + x[1])
			}
		}
	}
	if found < 100 {
		t.Errorf("only %d names were looked at", found)
	}
}

// No file in the repository is huge or a built program; fonts and lists that ship may be large.
func TestNoBuiltProgramIsInTheTree(t *testing.T) {
	const most = 1 << 20
	for _, name := range tracked(t) {
		info, err := os.Stat("../../" + name)
		if err != nil {
			t.Fatal(err)
		}
		if info.Size() > most && filepath.Ext(name) != ".ttf" {
			t.Errorf("%s has %d bytes", name, info.Size())
		}
		f, err := os.Open("../../" + name)
		if err != nil {
			t.Fatal(err)
		}
		head := make([]byte, 4)
		_, _ = f.Read(head)
		_ = f.Close()
		for _, magic := range []string{"\x7fELF", "MZ", "\xcf\xfa\xed\xfe", "\xfe\xed\xfa\xcf", "\xca\xfe\xba\xbe"} {
			if bytes.HasPrefix(head, []byte(magic)) && !strings.HasSuffix(name, ".go") {
				t.Errorf("%s is executable code", name)
			}
		}
	}
}
