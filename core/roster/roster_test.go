package roster

import (
	"fmt"
	"strings"
	"testing"
)

var people = []Person{
	{ID: "s1", Username: "mara.quill", Mail: "mara@school.test", GivenName: "Mara", FamilyName: "Quill"},
	{ID: "s2", GivenName: "Jo", FamilyName: "Pell"},
	{ID: "s3", GivenName: "Jo", FamilyName: "Pell"},
	{ID: "s4", GivenName: "Ana María", FamilyName: "Van der Meer"},
	{ID: "17", GivenName: "Quill", FamilyName: "Mara"},
}

func found(text string) string {
	var words []string
	for _, l := range Match(text, people, strings.ToLower) {
		word := fmt.Sprint(l.Number) + fmt.Sprint(l.People)
		if l.Twice {
			word += "again"
		}
		words = append(words, word)
	}
	return strings.Join(words, " ")
}

func TestMatch(t *testing.T) {
	for text, want := range map[string]string{
		"":                                     "",
		"\ufeffs1\r\n\r\n S2 ":                 "1[0] 3[1]",
		"Jo Pell":                              "1[1 2]",
		"Pell, Jo":                             "1[1 2]",
		"s1\nMARA.QUILL\nmara@school.test":     "1[0] 2[0]again 3[0]again",
		"Mara Quill":                           "1[0 4]", // either may be meant
		"Quill, Mara; s1":                      "1[0]",   // a number decides
		"10\tQuill\tMara\t17":                  "1[4]",
		`"Mara Quill" <mara@school.test>`:      "1[0]",
		"ana maría van  der meer":              "1[3]",
		"Van der Meer;Ana María;10":            "1[3]",
		"nobody":                               "1[]",
		"Student,Grade\ns1,10":                 "2[0]",
		"id;name\n17;x":                        "2[4]",
		"x\nname":                              "1[] 2[]", // a heading is first
		"s1, s2":                               "1[0]",
		strings.Repeat("x\n", MaxLines+5)[:12]: "1[] 2[] 3[] 4[] 5[] 6[]",
	} {
		if got := found(text); got != want {
			t.Errorf("%q names %s, want %s", text, got, want)
		}
	}
	if got := len(Match(strings.Repeat("x\n", MaxLines+5), people, strings.ToLower)); got != MaxLines {
		t.Errorf("%d lines are looked at", got)
	}
}

// FuzzMatch: whatever is dropped, each line names people that there are, in order, and no line comes twice.
func FuzzMatch(f *testing.F) {
	f.Add("s1;Quill\n\nPell, Jo")
	f.Fuzz(func(t *testing.T, text string) {
		before := 0
		for _, l := range Match(text, people, strings.ToLower) {
			if l.Number <= before {
				t.Fatalf("line %d after %d", l.Number, before)
			}
			before = l.Number
			for _, i := range l.People {
				if i < 0 || i >= len(people) {
					t.Fatalf("line %d names person %d", l.Number, i)
				}
			}
		}
	})
}
