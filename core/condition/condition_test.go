package condition

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
)

// fixed is a witness that knows the verdict of each leaf by its canonical text.
type fixed map[string]Verdict

func (f fixed) Leaf(l *Leaf) Verdict { return f[l.String()] }

func TestCanonicalText(t *testing.T) {
	for text, want := range map[string]string{
		"passed ALG1":                              "passed ALG1",
		" passed  ALG1  at 70.50 ":                 "passed ALG1 at 70.5",
		`passed "ALG1" at 070`:                     "passed ALG1 at 70",
		`permission "or"`:                          `permission "or"`,
		`program "late start"`:                     `program "late start"`,
		"passed A or passed B and passed C":        "passed A or passed B and passed C",
		"(passed A or passed B) and grade 10":      "(passed A or passed B) and grade 10",
		"2 of(recommended,grade 9 , score X at 3)": "2 of (recommended, grade 9, score X at 3)",
		"credits Maths at 2 and (alongside B)":     "credits Maths at 2 and alongside B",
		"passed 101 at 7":                          "passed 101 at 7",
	} {
		c, err := Parse(text)
		if err != nil {
			t.Errorf("%q: %v", text, err)
			continue
		}
		if got := c.String(); got != want {
			t.Errorf("%q prints as %q, want %q", text, got, want)
		}
	}
}

func TestSyntaxErrorsSayWhere(t *testing.T) {
	for text, offset := range map[string]int{
		"":                         0,
		"passed":                   6,
		"passed and":               7,
		"passed A at":              11,
		"passed A at 7.123":        12,
		"passed A or":              11,
		"(passed A":                9,
		"passed A)":                8,
		"3 of (grade 9, grade 10)": 0,
		"0 of (grade 9)":           0,
		"2 grade 9":                2,
		"score X 70":               8,
		`passed "A`:                7,
		`passed ""`:                7,
		"grade ten":                6,
		"Passed A":                 0,
		"passed A & passed B":      9,
		strings.Repeat("(", 101):   100,
	} {
		_, err := Parse(text)
		var syntax *SyntaxError
		if !errors.As(err, &syntax) {
			t.Errorf("%q: error %v, want a SyntaxError", text, err)
		} else if syntax.Offset != offset {
			t.Errorf("%q: error at %d (%v), want %d", text, syntax.Offset, err, offset)
		}
	}
}

func TestVerdicts(t *testing.T) {
	know := fixed{"passed A": Met, "passed B": Expected, "passed C": Unverified, "passed D": Unmet}
	for text, want := range map[string]Verdict{
		"passed A and passed B":                             Expected,
		"passed A and passed D":                             Unmet,
		"passed B or passed C":                              Expected,
		"passed D or passed C":                              Unverified,
		"passed A or passed B and passed D":                 Met,
		"(passed A or passed B) and passed C":               Unverified,
		"1 of (passed A, passed B, passed C, passed D)":     Met,
		"2 of (passed A, passed B, passed C, passed D)":     Expected,
		"3 of (passed A, passed B, passed C, passed D)":     Unverified,
		"4 of (passed A, passed B, passed C, passed D)":     Unmet,
		"2 of (passed A and passed B, passed D or grade 1)": Unmet,
	} {
		c, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		if got := c.Judge(know); got != want {
			t.Errorf("%s is %v, want %v", text, got, want)
		}
	}
}

func TestMissingListsLeavesUnderFailingPartsOnce(t *testing.T) {
	know := fixed{"passed A": Met, "passed B": Expected, "passed C": Unverified}
	for text, want := range map[string][]string{
		"passed A":                             nil,
		"passed D and passed C and passed D":   {"passed D", "passed C"},
		"(passed A or passed D) and passed E":  {"passed E"},
		"passed D or passed E and passed A":    {"passed D", "passed E"},
		"2 of (passed D, passed B, passed C)":  {"passed D", "passed C"},
		"passed D or passed B":                 nil,
		"(passed D or passed C) and passed B":  {"passed D", "passed C"},
		"1 of (passed F at 70, passed F at 7)": {"passed F at 70", "passed F at 7"},
	} {
		c, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, leaf := range c.Missing(know, nil) {
			got = append(got, leaf.String())
		}
		if !reflect.DeepEqual(got, want) {
			t.Errorf("%s misses %q, want %q", text, got, want)
		}
	}
}

// naive evaluates by sorting, as the definition reads.
func naive(c *Condition, w Witness) Verdict {
	if c.Op == Single {
		return w.Leaf(&c.Leaf)
	}
	var sorted []Verdict
	for _, p := range c.Parts {
		v := naive(p, w)
		i := 0
		for i < len(sorted) && sorted[i] >= v {
			i++
		}
		sorted = append(sorted[:i], append([]Verdict{v}, sorted[i:]...)...)
	}
	switch c.Op {
	case And:
		return sorted[len(sorted)-1]
	case Or:
		return sorted[0]
	}
	return sorted[c.N-1]
}

func random(r *rand.Rand, depth int) string {
	names := []string{"A", "B", "C-1", `"and"`, `"two words"`}
	if depth == 0 || r.IntN(3) == 0 {
		name := names[r.IntN(len(names))]
		return []string{"passed " + name, "passed " + name + " at 70", "alongside " + name, "grade 10", "score " + name + " at 3.5",
			"recommended", "permission " + name, "program " + name, "credits " + name + " at 2"}[r.IntN(9)]
	}
	parts := make([]string, 1+r.IntN(3))
	for i := range parts {
		parts[i] = random(r, depth-1)
	}
	switch r.IntN(3) {
	case 0:
		return "(" + strings.Join(parts, " and ") + ")"
	case 1:
		return "(" + strings.Join(parts, " or ") + ")"
	}
	return string(rune('1'+r.IntN(len(parts)))) + " of (" + strings.Join(parts, ", ") + ")"
}

func TestRandomConditionsAgainstDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		c, err := Parse(random(r, 4))
		if err != nil {
			t.Fatal(err)
		}
		know := fixed{}
		c.Leaves(func(l *Leaf) bool { know[l.String()] = Verdict(r.IntN(4)); return true })
		if got, want := c.Judge(know), naive(c, know); got != want {
			t.Fatalf("%s is %v, want %v", c, got, want)
		}
		again, err := Parse(c.String())
		if err != nil || again.String() != c.String() {
			t.Fatalf("%s does not round-trip: %v, %v", c, again, err)
		}
		if missing := c.Missing(know, nil); (len(missing) > 0) != (c.Judge(know) < Expected) {
			t.Fatalf("%s is %v and misses %q", c, c.Judge(know), missing)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("passed ALG1 at 70 and (recommended or 2 of (grade 9, score X at 3, program P))")
	f.Add(`permission "a b" or credits Science at 2.5`)
	f.Fuzz(func(t *testing.T, text string) {
		c, err := Parse(text)
		if err != nil {
			return
		}
		again, err := Parse(c.String())
		if err != nil {
			t.Fatalf("%q parses, but its canonical text %q does not: %v", text, c, err)
		}
		if again.String() != c.String() {
			t.Fatalf("canonical text changes from %q to %q", c, again)
		}
		c.Judge(fixed{})
	})
}

// A mark may be asked for by its name; a quoted string after "at" is always a name, a number never is.
func TestMarksByName(t *testing.T) {
	for text, want := range map[string]string{
		"passed A at B":                       "passed A at B",
		`passed A at "B+"`:                    `passed A at "B+"`,
		`passed A at "B"`:                     "passed A at B",
		`passed A at "or"`:                    `passed A at "or"`,
		`passed A at "70"`:                    "passed A at 70x",
		"passed A at 70":                      "passed A at 70",
		"passed A at 070.50":                  "passed A at 70.5",
		"passed A at 5x and passed B at -5":   "passed A at 5x and passed B at -5",
		"2 of (passed A at B, passed A at P)": "2 of (passed A at B, passed A at P)",
	} {
		c, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if text == `passed A at "70"` { // a name that looks like a number can be written in quotes alone; no policy has it
			if c.Leaf.Mark != "70" {
				t.Errorf("%s is read as %+v", text, c.Leaf)
			}
			continue
		}
		if c.String() != want {
			t.Errorf("%s is written %s, want %s", text, c, want)
		}
		again, err := Parse(c.String())
		if err != nil || again.String() != want {
			t.Errorf("%s parses back to %v, %v", c, again, err)
		}
	}
	for text, at := range map[string]int{"passed A at or": 12, "passed A at": 11, "passed A at (": 12, "alongside A at B": 12, "score A at B": 11, "credits A at B": 13, "grade B": 6, `score A at "B"`: 11, "passed A at 0.555": 12} {
		_, err := Parse(text)
		var syntax *SyntaxError
		if !errors.As(err, &syntax) || syntax.Offset != at {
			t.Errorf("%s: %v, want an error at %d", text, err, at)
		}
	}
	for text, want := range map[string]bool{"7": true, "70": true, "0.5": true, "007.250": true, "": false, ".5": false, "5.": false, "B": false, "-5": false, "5x": false, "1.2.3": false, "٣": false} {
		if IsNumber(text) != want {
			t.Errorf("%q is a number: %v", text, !want)
		}
	}
	// Missing tells leaves apart by their text.
	c, err := Parse("passed A at B or passed A at 85 or passed A at B")
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range c.Parts {
		part.Leaf.At = 8500
	}
	var got []string
	for _, l := range c.Missing(nothing{}, nil) {
		got = append(got, l.String())
	}
	if len(got) != 2 || got[0] != "passed A at B" || got[1] != "passed A at 85" {
		t.Errorf("missing: %v", got)
	}
}

// nothing is on file.
type nothing struct{}

func (nothing) Leaf(*Leaf) Verdict { return Unmet }

// What is wrong with a text is said by its parts too, so that it can be said in any language.
func TestFaults(t *testing.T) {
	for text, want := range map[string]string{
		"passed":                        `7 wantsName "passed" ""`,
		"passed (":                      `8 wantsName "passed" "("`,
		"grade ten":                     `7 badNumber "ten" "ten"`,
		"grade":                         `6 wantsNumber "" ""`,
		"grade 10 grade 11":             `10 wantsJoin "" "grade"`,
		`passed "A`:                     `8 unclosed "" ""`,
		`passed ""`:                     `8 noName "" ""`,
		"passed A; grade 9":             `9 badSign ";" ";"`,
		"passed at":                     `8 keyword "at" "at"`,
		"(grade 9":                      `9 wantsPunct ")" ""`,
		"or":                            `1 wantsPart "" "or"`,
		"2 (grade 9)":                   `3 wantsOf "" "("`,
		"score math":                    `11 wantsAt "" ""`,
		"passed A at":                   `12 wantsMark "" ""`,
		"passed A at and":               `13 keyword "and" "and"`,
		"3 of (grade 9, grade 10)":      `1 badCount "2" ""`,
		strings.Repeat("(", 101):        `101 tooDeep "100" "("`,
		strings.Repeat(" ", MaxBytes+1): `16385 tooLong "16384" ""`,
		"\xff":                          `1 notText "" ""`,
	} {
		_, err := Parse(text)
		var e *SyntaxError
		if !errors.As(err, &e) {
			t.Fatalf("%q: %v", text, err)
		}
		if got := fmt.Sprintf("%d %s %q %q", e.Offset+1, e.Fault, e.Name, e.Found); got != want {
			t.Errorf("%q: %s, want %s", text, got, want)
		}
	}
}
