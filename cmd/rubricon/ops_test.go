package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// The unit and the image that ship start the server with flags that it knows.
func TestShippedSetUpsStart(t *testing.T) {
	read := func(name, pattern string) string {
		text, err := os.ReadFile("../../ops/" + name)
		if err != nil {
			t.Fatal(err)
		}
		found := regexp.MustCompile(pattern).FindSubmatch(text)
		if found == nil {
			t.Fatalf("%s starts nothing", name)
		}
		return string(found[1])
	}
	unit := strings.Fields(read("rubricon.service", `(?m)^ExecStart=/usr/local/bin/rubricon serve (.*)$`))
	var image []string
	if err := json.Unmarshal([]byte(read("Containerfile", `(?m)^CMD (.*)$`)), &image); err != nil || image[0] != "serve" {
		t.Fatalf("the image starts %v: %v", image, err)
	}
	for name, args := range map[string][]string{"unit": unit, "image": image[1:]} {
		if err := serveCommand().ParseFlags(args); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Every test that docs/security.md names is there.
func TestSecurityNamesTests(t *testing.T) {
	text, err := os.ReadFile("../../docs/security.md")
	if err != nil {
		t.Fatal(err)
	}
	there := map[string]bool{}
	var files []string
	for _, depth := range []string{"../../*/*_test.go", "../../*/*/*_test.go"} {
		found, err := filepath.Glob(depth)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, found...)
	}
	here := regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)\(`)
	for _, name := range files {
		code, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, found := range here.FindAllSubmatch(code, -1) {
			there[string(found[1])] = true
		}
	}
	commands, err := os.ReadDir(".")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range commands {
		if strings.HasSuffix(f.Name(), "_test.go") {
			code, err := os.ReadFile(f.Name())
			if err != nil {
				t.Fatal(err)
			}
			for _, found := range here.FindAllSubmatch(code, -1) {
				there[string(found[1])] = true
			}
		}
	}
	named := regexp.MustCompile(`\b(Test|Fuzz)[A-Z]\w+`).FindAllString(string(text), -1)
	if len(named) < 30 {
		t.Fatalf("it names %d tests", len(named))
	}
	for _, name := range named {
		if !there[name] {
			t.Errorf("there is no %s", name)
		}
	}
}
