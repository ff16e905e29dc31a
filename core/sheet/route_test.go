package sheet

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/policy"
)

// chained is a year of courses with conditions, written as CODE or CODE: condition; a / makes two courses count as the same both ways.
func chained(t *testing.T, lines ...string) *catalog.Year {
	t.Helper()
	var list []catalog.Course
	for _, line := range lines {
		code, text, has := strings.Cut(line, ": ")
		code, same, twin := strings.Cut(code, "/")
		c := catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: 100, Load: 100, Spans: []catalog.TermSet{1}}
		if has {
			entry, err := condition.Parse(text)
			if err != nil {
				t.Fatal(err)
			}
			c.Entry = entry
		}
		if twin {
			c.Excludes = []string{same}
		}
		list = append(list, c)
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1"}}, list, nil, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9, LastGrade: 12})
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	return y
}

func TestRoute(t *testing.T) {
	y := chained(t, "A", "B/B2: passed A at 70", "B2/B: passed A", "C: passed B or recommended", "D: passed C and alongside E", "E", "F: passed D", "G: passed C", "H: passed C", "I: passed C", "J: passed C")
	f := NewFacts(y, Student{ID: "s", Grade: 10, Records: []Record{{Code: "A", Year: 2025, Outcome: Failed, Mark: 5000, HasMark: true, Credits: 100}, {Code: "A", Year: 2026, Outcome: Earned, Mark: 7200, HasMark: true, Credits: 100},
		{Code: "B2", Year: 2026, Outcome: InProgress, Credits: 100}}})
	s := laidOut(t, y, []string{"C"}, []string{"G"})
	i, _ := y.Index("H")
	route := f.Route(&s, []Planned{{Grade: 11, Course: i}}, s.Requests[0].Course, 2)
	var got []string
	for _, stop := range route.Stops {
		line := fmt.Sprint(stop.Step, " ", y.Codes[stop.Course], " ", stop.Standing)
		if stop.HasMark {
			line += fmt.Sprint(" ", stop.Mark, " in ", stop.Year)
		}
		if stop.Grade > 0 {
			line += fmt.Sprint(" for ", stop.Grade)
		}
		got = append(got, line)
	}
	want := []string{"0 C requested", "-1 B2 taken", "-2 A earned 72 in 2026", "1 G alternate", "1 H planned for 11", "1 D open", "1 I open", "2 F open"}
	if !slices.Equal(got, want) {
		t.Errorf("the stops are\n%s, want\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	var legs []string
	for _, leg := range route.Legs {
		legs = append(legs, y.Codes[route.Stops[leg.From].Course]+y.Codes[route.Stops[leg.To].Course])
	}
	if want := []string{"B2C", "AB2", "CG", "CH", "CD", "CI", "DF"}; !slices.Equal(legs, want) || route.More != 1 {
		t.Errorf("the legs are %v and %d more, want %v and 1", legs, route.More, want)
	}
}

func TestOutline(t *testing.T) {
	y := chained(t, "A", "B", "C", "D: (passed A at 70 or passed B) and 2 of (passed C, grade 10, recommended)")
	f := NewFacts(y, Student{ID: "s", Grade: 10, Records: []Record{{Code: "A", Outcome: InProgress, Credits: 100}}, Signals: []Signal{{Kind: Claim, Code: "C"}}})
	s := laidOut(t, y, nil, nil)
	out, ok := f.Outline(&s, 3)
	var write func(o Outline) string
	write = func(o Outline) string {
		if o.Leaf >= 0 {
			return fmt.Sprint(o.Leaf, o.Verdict.String()[:3])
		}
		var parts []string
		for _, p := range o.Parts {
			parts = append(parts, write(p))
		}
		return fmt.Sprintf("%d of (%s) %s", o.N, strings.Join(parts, ", "), o.Verdict)
	}
	if got, want := write(out), "2 of (1 of (0exp, 1unm) expected, 2 of (2unv, 3met, 4unm) unverified) unverified"; !ok || got != want {
		t.Errorf("the outline is %s, want %s", got, want)
	}
	if _, ok := f.Outline(&s, 0); ok {
		t.Error("a course without a condition has an outline")
	}
}

// Every leg is a course that a condition names, or one that counts as the same; every stop but the first is on a leg, and leaves of an
// outline are those that Explain lists, with the same verdicts, of which the whole makes what Judge finds.
func TestRoutesAndOutlinesOfRandomYears(t *testing.T) {
	legs, outlines := 0, 0
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 23))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		s := randomSheet(r, y)
		for course := range int32(len(y.Courses)) {
			route := f.Route(&s, nil, course, 2)
			seen := map[int]bool{0: true}
			for _, leg := range route.Legs {
				legs++
				seen[leg.From], seen[leg.To] = true, true
				from, to := route.Stops[leg.From].Course, route.Stops[leg.To].Course
				same := func(list []int32) bool {
					return slices.ContainsFunc(list, func(named int32) bool { return named == from || slices.Contains(y.Courses[from].Mutual, named) })
				}
				twins := append([]int32{to}, y.Courses[to].Mutual...)
				if !slices.ContainsFunc(twins, func(c int32) bool { return same(f.namedBy(c)) }) {
					t.Fatalf("seed %d: %s does not lead to %s", seed, y.Codes[from], y.Codes[to])
				}
			}
			if len(seen) != len(route.Stops) {
				t.Fatalf("seed %d: of %d stops %d are on the way", seed, len(route.Stops), len(seen))
			}
			out, ok := f.Outline(&s, course)
			if !ok {
				continue
			}
			outlines++
			evidence, at := f.Explain(&s, course), 0
			var walk func(o *Outline)
			walk = func(o *Outline) {
				if o.Leaf >= 0 {
					if o.Leaf != at || evidence[at].Verdict != o.Verdict {
						t.Fatalf("seed %d: leaf %d of %s is %v, explained as %v", seed, o.Leaf, y.Codes[course], o.Verdict, evidence[at].Verdict)
					}
					at++
				}
				for i := range o.Parts {
					walk(&o.Parts[i])
				}
			}
			if walk(&out); at != len(evidence) {
				t.Fatalf("seed %d: %d leaves, %d explained", seed, at, len(evidence))
			}
		}
	}
	if legs < 2000 || outlines < 1000 {
		t.Errorf("%d legs, %d outlines: the schools are too plain", legs, outlines)
	}
}
