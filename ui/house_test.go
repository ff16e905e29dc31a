package ui_test

import (
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

var (
	imports = regexp.MustCompile(`(?m)(?:^import|^export)\s[^;]*?from '(\.[^']+)'|^import '(\.[^']+)'`)
	lazily  = regexp.MustCompile(`import\('(\.[^']+)'\)`)
)

// graph returns for each source file those it imports at once, and those it loads on demand.
func graph(t *testing.T) (now, later map[string][]string) {
	t.Helper()
	now, later = map[string][]string{}, map[string][]string{}
	files := map[string]string{}
	err := filepath.WalkDir("src", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(name, ".ts") && !strings.HasSuffix(name, ".tsx") {
			return err
		}
		text, err := os.ReadFile(name)
		files[strings.TrimSuffix(strings.TrimSuffix(name, "x"), ".ts")] = string(text)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range files {
		now[name] = nil
		for _, found := range imports.FindAllStringSubmatch(text, -1) {
			if to := path.Join(path.Dir(name), found[1]+found[2]); files[to] != "" {
				now[name] = append(now[name], to)
			}
		}
		for _, found := range lazily.FindAllStringSubmatch(text, -1) {
			later[name] = append(later[name], path.Join(path.Dir(name), found[1]))
		}
	}
	return now, later
}

// circles lists the first circle found from each file.
func circles(now map[string][]string) (found []string) {
	done := map[string]bool{}
	var walk func(name string, way []string)
	walk = func(name string, way []string) {
		if at := slices.Index(way, name); at >= 0 {
			found = append(found, strings.Join(append(way[at:], name), " → "))
			return
		}
		if done[name] {
			return
		}
		for _, to := range now[name] {
			walk(to, append(slices.Clip(way), name))
		}
		done[name] = true
	}
	names := []string{}
	for name := range now {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		walk(name, nil)
	}
	return found
}

// No file imports itself by way of others.
func TestNoCircles(t *testing.T) {
	now, _ := graph(t)
	if len(now) < 20 || len(now["src/student/year"]) == 0 {
		t.Fatalf("only %d files, and %v in the year", len(now), now["src/student/year"])
	}
	for _, circle := range circles(now) {
		t.Errorf("a circle: %s", circle)
	}
	now["src/shared/words"] = append(now["src/shared/words"], "src/student/year")
	if len(circles(now)) == 0 {
		t.Error("a circle that is put in is not found")
	}
}

// directions say which folders a folder of src may import at once, beside itself; "" is src itself. A person's screens are loaded on demand.
var directions = map[string][]string{
	"api":       {},
	"kit":       {"api", "i18n"},
	"shared":    {"api", "kit", "i18n"},
	"student":   {"api", "kit", "shared", "i18n"},
	"family":    {"api", "kit", "shared", "i18n"},
	"counselor": {"api", "kit", "shared"},
	"teacher":   {"api", "kit", "shared", "i18n"},
	"office":    {"api", "kit", "shared", "i18n"},
	"scheduler": {"api", "kit", "shared", "i18n"},
	"":          {"api", "kit", "shared"},
}

// Every import goes a way that the table has, and every way in it is gone.
func TestImportsPointOneWay(t *testing.T) {
	folder := func(name string) string {
		part, _, below := strings.Cut(strings.TrimPrefix(name, "src/"), "/")
		if below || part == "i18n" {
			return part
		}
		return ""
	}
	gone := map[[2]string]bool{}
	now, later := graph(t)
	for name, list := range now {
		for _, to := range list {
			from, into := folder(name), folder(to)
			if from == "i18n" || from == into || from == "" && into == "i18n" {
				continue
			}
			if gone[[2]string{from, into}] = true; !slices.Contains(directions[from], into) {
				t.Errorf("%s imports %s at once; load it on demand, or move what they share to shared", name, to)
			}
		}
	}
	for from, list := range directions {
		for _, to := range list {
			if !gone[[2]string{from, to}] {
				t.Errorf("%q may import %s and does not", from, to)
			}
		}
	}
	if !slices.Contains(later["src/app"], "src/student/student") || !slices.Contains(later["src/family/family"], "src/student/student") {
		t.Errorf("loaded on demand: %v", later)
	}
}
