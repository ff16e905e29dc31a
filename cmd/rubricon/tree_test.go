package main

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// maxTracked is the size in bytes that a file of the repository may have, fonts excepted.
const maxTracked = 1 << 20

// TestTheTreeHoldsSources fails when a tracked file is a built program or over 1 MB.
func TestTheTreeHoldsSources(t *testing.T) {
	root := filepath.Join("..", "..")
	if _, err := os.Stat(filepath.Join(root, ".git")); err != nil {
		t.Log("not a git checkout: no file is tracked")
		return
	}
	list, err := exec.Command("git", "-C", root, "ls-files", "-z").Output()
	if err != nil {
		t.Fatal(err)
	}
	for name := range strings.SplitSeq(strings.TrimRight(string(list), "\x00"), "\x00") {
		if why := unfit(filepath.Join(root, name)); why != "" {
			t.Errorf("%s is tracked: %s", name, why)
		}
	}
}

// unfit returns why a file cannot be tracked, "" where it can. A file that is gone from the work tree can.
func unfit(path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	head := make([]byte, 4)
	n, _ := io.ReadFull(f, head)
	for _, magic := range []string{"\x7fELF", "MZ", "\xcf\xfa\xed\xfe", "!<ar"} {
		if bytes.HasPrefix(head[:n], []byte(magic)) {
			return "it is executable code"
		}
	}
	at, err := f.Stat()
	if err == nil && at.Size() > maxTracked && filepath.Ext(path) != ".ttf" && filepath.Ext(path) != ".woff2" {
		return "it is over 1 MB"
	}
	return ""
}

func TestUnfit(t *testing.T) {
	dir := t.TempDir()
	for _, c := range []struct {
		name string
		text []byte
		want string
	}{
		{"a.go", []byte("package a"), ""},
		{"font.ttf", make([]byte, maxTracked+1), ""},
		{"full", make([]byte, maxTracked), ""},
		{"big", make([]byte, maxTracked+1), "it is over 1 MB"},
		{"program", []byte("\x7fELF\x02"), "it is executable code"},
	} {
		path := filepath.Join(dir, c.name)
		if err := os.WriteFile(path, c.text, 0o600); err != nil {
			t.Fatal(err)
		}
		if got := unfit(path); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}
