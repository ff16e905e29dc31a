package main

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// What check prints of random schools, field by field, against a plain reading of the text that defines it.
func TestCheckAgainstAPlainReading(t *testing.T) {
	compareCheck(t, newRandomBundle, 1965) // in which two alternates would mend a request, were they not too heavy
	for seed := range uint64(600) {
		compareCheck(t, newRandomBundle, seed)
	}
}

func TestCheckOfWideSchoolsAgainstAPlainReading(t *testing.T) {
	seen := map[string]int{}
	for seed := range uint64(600) {
		for key := range compareCheck(t, newWideBundle, seed) {
			seen[key]++
		}
	}
	if seen["summer"] < 100 || seen["plan"] < 100 || seen["errands"] < 100 {
		t.Errorf("these keys came up: %v", seen)
	}
}

// compareCheck returns the keys that came up.
func compareCheck(t *testing.T, generate func(*testing.T, uint64) *randomBundle, seed uint64) (keys map[string]bool) {
	t.Helper()
	b := generate(t, seed)
	p := readPlain(t, b.files, b.entries)
	p.settle = b.settle
	out, stderr, code := run(t, "check", folder(t, b.files))
	if code != 0 {
		t.Fatalf("school %d: exit %d, %s", seed, code, stderr)
	}
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if len(lines) != len(p.tables["users.csv"]) {
		t.Fatalf("school %d: %d lines for %d students", seed, len(lines), len(p.tables["users.csv"]))
	}
	keys = map[string]bool{}
	for i, u := range p.tables["users.csv"] {
		var got map[string]any
		if err := json.Unmarshal([]byte(lines[i]), &got); err != nil {
			t.Fatal(err)
		}
		want := p.line(u)
		for key := range want {
			keys[key] = true
			if !reflect.DeepEqual(got[key], want[key]) {
				t.Fatalf("school %d, %s, %s:\ngot  %v\nwant %v", seed, u["sourcedId"], key, got[key], want[key])
			}
		}
		if len(got) != len(want) {
			t.Fatalf("school %d: %d keys, want %d", seed, len(got), len(want))
		}
	}
	return keys
}

// What sections and attendance print of random schools, against the plain reading.
func TestSectionsAndAttendanceAgainstAPlainReading(t *testing.T) {
	found, complete := 0, 0
	for seed := range uint64(400) {
		b := newWideBundle(t, seed)
		p := readPlain(t, b.files, b.entries)
		dir := folder(t, b.files)
		for _, date := range []string{"", "2027-09-01", "2027-10-04"} {
			for _, u := range p.tables["users.csv"] {
				args := []string{"sections", dir, "--student", u["sourcedId"]}
				if date != "" {
					args = append(args, "--on", date)
				}
				out, stderr, code := run(t, args...)
				if code != 0 {
					t.Fatalf("school %d: exit %d, %s", seed, code, stderr)
				}
				var got map[string]any
				if err := json.Unmarshal([]byte(out), &got); err != nil {
					t.Fatal(err)
				}
				if want := p.sectionsOf(u, date); !reflect.DeepEqual(got, want) {
					t.Fatalf("school %d, %s on %q:\ngot  %v\nwant %v", seed, u["sourcedId"], date, got, want)
				}
				if got["complete"] == true {
					complete++
				}
			}
		}
		out, stderr, code := run(t, "attendance", dir)
		var got []string
		for _, line := range strings.Split(stderr, "\n") {
			if at := strings.Split(line, ": "); line != "" && at[0] != "notice" {
				got = append(got, at[0]+": "+at[1])
			}
		}
		slices.Sort(got)
		got = slices.Compact(got)
		want := p.wrongDates()
		if !slices.Equal(got, want) || out != "" || (code == 1) != (len(want) > 0) {
			t.Fatalf("school %d, attendance, exit %d:\ngot  %v\nwant %v\n%s", seed, code, got, want, stderr)
		}
		found += len(want)
	}
	if found < 500 || complete < 100 {
		t.Errorf("%d wrong dates, %d complete choices", found, complete)
	}
}

// What place writes for random schools, against a plain reading of the text that defines it and, for the value and the bound, against
// trying everything.
func TestPlaceAgainstAPlainReading(t *testing.T) {
	seen := map[string]int{}
	for seed := range uint64(400) {
		b := newRandomBundle(t, seed)
		p := readPlain(t, b.files, b.entries)
		out := t.TempDir()
		if _, stderr, code := run(t, "place", folder(t, b.files), "--out", out, "--seed", fmt.Sprint(seed)); code != 0 {
			t.Fatalf("school %d: exit %d, %s", seed, code, stderr)
		}
		rows, err := csv.NewReader(strings.NewReader(read(t, out, "enrollments.csv"))).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		taken, total := map[string]int{}, 0
		given := map[string]map[string]string{}
		for _, r := range rows[1:] {
			student, section := r[5], r[3]
			if given[student] == nil {
				given[student] = map[string]string{}
			}
			code := p.sections()[section].code
			if given[student][code] != "" {
				t.Errorf("school %d: %s has two sections of %s", seed, student, code)
			}
			given[student][code] = section
			taken[section]++
		}
		for id, n := range taken {
			if n > p.sections()[id].seats {
				t.Errorf("school %d: %d in %s", seed, n, id)
			}
		}
		report := reportIn(t, out)
		want := placementReport{Value: report.Value, Bound: report.Bound, Seconds: report.Seconds, Seed: seed, Draw: report.Draw, Unplaced: []unplacedLine{}}
		if want.Bound > 0 {
			want.Gap = math.Round(float64(want.Bound-want.Value)/float64(want.Bound)*1e6) / 1e6
		}
		for _, u := range p.tables["users.csv"] {
			w := p.wisher(u)
			if problem := w.invalid(given[w.student]); problem != "" {
				t.Errorf("school %d: %s has %s", seed, w.student, problem)
			}
			total += w.worth(given[w.student])
			w.tell(&want, given[w.student], taken)
		}
		if !reflect.DeepEqual(report, want) {
			t.Errorf("school %d:\ngot  %+v\nwant %+v", seed, report, want)
		}
		if best := p.best(); int64(total) != report.Value || total != best || report.Bound < int64(best) {
			t.Errorf("school %d: worth %d, it says %d of %d, the best is %d", seed, total, report.Value, report.Bound, best)
		}
		for _, line := range report.Unplaced {
			seen[string(line.Why)]++
		}
		if t.Failed() {
			return
		}
	}
	if len(seen) < 4 {
		t.Errorf("only these reasons came up: %v", seen)
	}
}
