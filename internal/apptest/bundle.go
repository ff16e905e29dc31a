package apptest

import (
	"errors"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"rubricon/app/imports"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/internal/testdb"
)

// Written are a bundle's files as they are written, by name.
func Written(t *testing.T, list []bundle.File) map[string]string {
	t.Helper()
	dir := t.TempDir()
	if err := bundle.Write(dir, list); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		text, err := os.ReadFile(dir + "/" + e.Name())
		if err != nil {
			t.Fatal(err)
		}
		out[e.Name()] = string(text)
	}
	return out
}

// Read reads a bundle that must be good.
func Read(t *testing.T, files map[string]string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for name, text := range files {
		fsys[name] = &fstest.MapFile{Data: []byte(text)}
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Export returns the files of the school, by name.
func (h *House) Export() map[string]string {
	h.T.Helper()
	list, left, err := h.Imports.Export(h.T.Context(), Mara.School, 0)
	if err != nil || len(left) > 0 {
		h.T.Fatal(left, err)
	}
	return Written(h.T, list)
}

// FirstDifference returns the first line in which two texts differ.
func FirstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range x {
		if i >= len(y) || x[i] != y[i] {
			return fmt.Sprintf("line %d: %q, then %q", i+1, x[i], append(y, "")[min(i, len(y))])
		}
	}
	return "lines were added"
}

// Same fails the test if two exports differ.
func Same(t *testing.T, what string, before, after map[string]string) {
	t.Helper()
	for name := range before {
		if before[name] != after[name] {
			t.Errorf("%s: %s changed: %s", what, name, FirstDifference(before[name], after[name]))
		}
	}
	if len(before) != len(after) {
		t.Errorf("%s: %d files, then %d", what, len(before), len(after))
	}
}

// UnusedBy is a course that a student has not got.
func UnusedBy(t *testing.T, h *House, student string) string {
	t.Helper()
	d := h.Must(h.Sheet.Sheet(t.Context(), h.Who("office"), schoolyear.Place{School: Mara.School, Year: Mara.Year, Student: student}))
	for _, code := range d.Year.Codes {
		if !strings.Contains(" "+Requests(d)+" "+Alternates(d)+" ", " "+code+" ") {
			return code
		}
	}
	t.Fatal("no course is unused")
	return ""
}

// Without reads the school's data as it is without some files, which are taken from what is there.
func (h *House) Without(names ...string) *bundle.Bundle {
	h.T.Helper()
	files, _, err := h.Imports.Export(h.T.Context(), Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	files = slices.DeleteFunc(files, func(f bundle.File) bool { return slices.Contains(names, f.Name) })
	b, err := bundle.ReadFiles(files, bundle.Fill(h.Imports.Existing(h.T.Context())))
	if err != nil || len(b.Problems) > 0 {
		h.T.Fatal(err, b.Problems)
	}
	return b
}

// Takes lets the school place requests that have come so far.
func Takes(what string) func([]bundle.File) {
	return func(files []bundle.File) {
		for i := range files {
			if f := &files[i]; f.Name == "policy.json" {
				f.Text = regexp.MustCompile(`"placement": \{[^}]*\}`).ReplaceAll(f.Text, []byte(`"placement": {"seniority": true, "take": "`+what+`"}`))
			}
		}
	}
}

// BundleWith is the demo school as the template has it, with texts replaced in its files.
func BundleWith(t *testing.T, changes ...string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for _, f := range testdb.Files() {
		text, err := f.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		fsys[f.Name] = &fstest.MapFile{Data: text}
	}
	for i := 0; i < len(changes); i += 3 {
		f := fsys[changes[i]]
		if !strings.Contains(string(f.Data), changes[i+1]) {
			t.Fatalf("%s has no %q", changes[i], changes[i+1])
		}
		f.Data = []byte(strings.ReplaceAll(string(f.Data), changes[i+1], changes[i+2]))
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// WithoutCourse is the demo school without one course, wherever that stands.
func WithoutCourse(t *testing.T, code string) *bundle.Bundle {
	t.Helper()
	files := testdb.Files()
	for i := range files {
		f := &files[i]
		if !slices.Contains([]string{"courses.csv", "requests.csv", "plans.csv", "errands.csv"}, f.Name) {
			continue
		}
		at := slices.Index(f.Header, "courseCode")
		f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return row[at] == code })
		for _, row := range f.Rows {
			for k, cell := range row {
				codes := strings.Split(cell, ",")
				if slices.Contains(codes, code) {
					row[k] = strings.Join(slices.DeleteFunc(codes, func(c string) bool { return c == code }), ",")
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatalf("%v %v", err, b.Problems)
	}
	return b
}

// Bring imports a bundle.
func (h *House) Bring(b *bundle.Bundle) *imports.ImportResult {
	h.T.Helper()
	result, err := h.Imports.Import(h.T.Context(), b, 0)
	var much *imports.MuchGoes
	if errors.As(err, &much) {
		result, err = h.Imports.Import(h.T.Context(), b, much.Tally.Sum().Removed)
	}
	if err != nil {
		h.T.Fatal(err)
	}
	return result
}
