package main

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/demo"
)

// On the school placed by hand PE meets with Health, and Drawing with Biology: with one of each elsewhere more is given. What is written can be read and placed again, and is worth what was said.
func TestImproveOnAHandWorkedSchool(t *testing.T) {
	dir, out := folder(t, toPlace), filepath.Join(t.TempDir(), "out")
	stdout, stderr, code := run(t, "improve", dir, "--out", out)
	if code != 0 || stdout != "" || !strings.Contains(stderr, "value 287 → ") {
		t.Fatalf("exit %d, stdout %q, stderr %q", code, stdout, stderr)
	}
	var r improveReport
	if err := json.Unmarshal([]byte(read(t, out, "improve.json")), &r); err != nil {
		t.Fatal(err)
	}
	// Cleo gets PE and Health, 100 each since they are required, and Clay, 57, of four courses in three periods; Ada has 59 + 58, Ben both alternates, 29 + 28. More there is not.
	if r.Before.Value != 287 || r.After.Value != 431 || len(r.Moves) == 0 {
		t.Errorf("%+v", r)
	}
	changed := maps.Clone(toPlace)
	changed["classes.csv"] = read(t, out, "classes.csv")
	again := filepath.Join(t.TempDir(), "again")
	if _, stderr, code := run(t, "place", folder(t, changed), "--out", again); code != 0 {
		t.Fatalf("exit %d, %s", code, stderr)
	}
	if p := reportIn(t, again); p.Value != r.After.Value || p.Value != reportIn(t, out).Value {
		t.Errorf("placed again it is worth %d, said to be %d", p.Value, r.After.Value)
	}
	if stdout, _, code := run(t, "improve", dir); code != 2 || stdout != "" {
		t.Errorf("without a folder to write into: exit %d", code)
	}
	if _, stderr, code := run(t, "improve", dir, "--out", out, "--moves", "0"); code != 0 || !strings.Contains(stderr, "0 moves: value 287 → 287") {
		t.Errorf("without moves: exit %d, %s", code, stderr)
	}
}

// On a generated school only sections of courses with one section move, only to other periods, and the placement is valid in the sections that are written, as anyone who reads the files sees it.
func TestImproveOnAGeneratedSchool(t *testing.T) {
	dir, out := filepath.Join(t.TempDir(), "in"), filepath.Join(t.TempDir(), "out")
	if _, stderr, code := run(t, "demo-bundle", dir, "--students", "120", "--contested", "--seed", "5"); code != 0 {
		t.Fatal(stderr)
	}
	if _, stderr, code := run(t, "improve", dir, "--out", out, "--seconds", "20"); code != 0 {
		t.Fatal(stderr)
	}
	var r improveReport
	if err := json.Unmarshal([]byte(read(t, out, "improve.json")), &r); err != nil {
		t.Fatal(err)
	}
	if r.After.Value <= r.Before.Value || len(r.Moves) == 0 {
		t.Errorf("nothing is better: %+v", r)
	}
	was, err := bundle.Read(os.DirFS(dir))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "classes.csv"), []byte(read(t, out, "classes.csv")), 0o600); err != nil {
		t.Fatal(err)
	}
	now, err := bundle.Read(os.DirFS(dir))
	if err != nil || len(now.Problems) > 0 || len(now.Sections) != len(was.Sections) {
		t.Fatalf("%v, %v", err, now.Problems)
	}
	of, moved := map[string]int{}, 0
	for _, s := range was.Sections {
		of[s.Course]++
	}
	for i := range was.Sections {
		a, b := was.Sections[i], now.Sections[i]
		if !slices.Equal(a.Periods, b.Periods) {
			if moved++; of[a.Course] != 1 || len(a.Periods) != len(b.Periods) {
				t.Errorf("%s has moved from %v to %v", a.ID, a.Periods, b.Periods)
			}
		}
		if a.ID != b.ID || a.Course != b.Course || a.Terms != b.Terms || a.Seats != b.Seats || a.Teacher != b.Teacher || !slices.Equal(a.Days, b.Days) {
			t.Errorf("something else of %s has changed: %+v", a.ID, b)
		}
	}
	if moved != len(r.Moves) {
		t.Errorf("%d sections have moved, %d are said to have", moved, len(r.Moves))
	}
	// No one is in two places, and no section is overfull, by the rows that are written.
	at := map[string]bundle.Section{}
	for _, s := range now.Sections {
		at[s.ID] = s
	}
	busy, taken := map[string]bool{}, map[string]int{}
	for _, line := range strings.Split(strings.TrimSpace(read(t, out, "enrollments.csv")), "\n")[1:] {
		cells := strings.Split(line, ",")
		s := at[cells[3]]
		taken[s.ID]++
		for term := range 2 {
			for _, p := range s.Periods {
				for _, d := range s.Days {
					key := strings.Join([]string{cells[5], string(rune('0' + term)), string(rune('0' + p)), string(rune('0' + d))}, " ")
					if s.Terms>>term&1 == 1 && busy[key] {
						t.Fatalf("%s is in two places: %s", cells[5], s.ID)
					}
					busy[key] = busy[key] || s.Terms>>term&1 == 1
				}
			}
		}
	}
	for id, n := range taken {
		if n > at[id].Seats {
			t.Errorf("%s has %d students and %d seats", id, n, at[id].Seats)
		}
	}
}

// BenchmarkHelps looks for the 20 single changes that help most in contested schools of 600: one seat, one section more, one section at another time, any section.
func BenchmarkHelps(b *testing.B) {
	for _, seed := range []uint64{11, 12, 13, 14, 15} {
		b.Run(fmt.Sprint("seed ", seed), func(b *testing.B) {
			school, err := demo.Read(demo.Options{Students: 600, Seed: seed, Schedule: demo.Contested, Hard: 3})
			if err != nil {
				b.Fatal(err)
			}
			p, bad := school.Placement()
			if len(bad) > 0 {
				b.Fatal(bad)
			}
			found, err := placement.Solve(b.Context(), p, placement.Options{Seed: 1, Effort: 20})
			if err != nil {
				b.Fatal(err)
			}
			for b.Loop() {
				list, err := placement.Helps(b.Context(), p, school.Rooms(true), found, placement.Options{Seed: 1}, 20)
				if err != nil || len(list) == 0 {
					b.Fatal(len(list), err)
				}
				b.ReportMetric(float64(list[0].Value-found.Value), "value-best")
				b.ReportMetric(float64(list[0].Complete-p.Complete(found.Given)), "complete-best")
			}
		})
	}
}
