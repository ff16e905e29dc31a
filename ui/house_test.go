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
	now["src/words"] = append(now["src/words"], "src/student/year")
	if len(circles(now)) == 0 {
		t.Error("a circle that is put in is not found")
	}
}

// Each person's screens are a folder of their own, loaded on demand; what is shared is in kit, which knows no person.
func TestEachPersonHasARoom(t *testing.T) {
	persons := []string{"student", "family", "counselor", "teacher", "office", "scheduler"}
	room := func(name string) string {
		part, _, _ := strings.Cut(strings.TrimPrefix(name, "src/"), "/")
		if slices.Contains(persons, part) {
			return part
		}
		return ""
	}
	now, later := graph(t)
	for name, list := range now {
		for _, to := range list {
			from, into := room(name), room(to)
			if into == "" || from == into {
				continue
			}
			t.Errorf("%s imports %s at once; load it on demand, or move what they share to kit", name, to)
		}
		if strings.HasPrefix(name, "src/kit/") {
			for _, to := range list {
				if !strings.HasPrefix(to, "src/kit/") && !strings.HasPrefix(to, "src/api/") && to != "src/i18n" {
					t.Errorf("%s imports %s; kit knows itself, the contract and the language alone", name, to)
				}
			}
		}
	}
	if !slices.Contains(later["src/app"], "src/student/student") || !slices.Contains(later["src/family/family"], "src/student/student") {
		t.Errorf("loaded on demand: %v", later)
	}
}
