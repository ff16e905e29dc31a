package main

import (
	"encoding/json"
	"os"
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
