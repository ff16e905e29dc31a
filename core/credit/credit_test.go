package credit

import (
	"encoding/json"
	"errors"
	"fmt"
	"testing"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]Amount{"0": 0, "6": 600, "6.5": 650, "0.25": 25, "007": 700, "-1.5": -150, "9999999.99": Limit} {
		if got, err := Parse(text); err != nil || got != want {
			t.Errorf("Parse(%q) = %d, %v; want %d", text, got, err, want)
		}
	}
	for text, want := range map[string]error{"": ErrSyntax, ".5": ErrSyntax, "5.": ErrSyntax, "1,5": ErrSyntax, "1e3": ErrSyntax, " 1": ErrSyntax,
		"-": ErrSyntax, "1.234": ErrDecimals, "1.500": ErrDecimals, "10000000": ErrRange, "99999999999999999999999": ErrRange} {
		if _, err := Parse(text); !errors.Is(err, want) {
			t.Errorf("Parse(%q) gives %v, want %v", text, err, want)
		}
	}
}

func TestJSONKeepsNoNeedlessZeros(t *testing.T) {
	text, err := json.Marshal([]Amount{600, 650, 25, 5, -5, 0})
	if err != nil || string(text) != "[6,6.5,0.25,0.05,-0.05,0]" {
		t.Fatalf("%s, %v", text, err)
	}
	var back []Amount
	if err := json.Unmarshal(text, &back); err != nil || fmt.Sprint(back) != "[6 6.5 0.25 0.05 -0.05 0]" {
		t.Fatalf("%v, %v", back, err)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("12.34")
	f.Fuzz(func(t *testing.T, text string) {
		a, err := Parse(text)
		if err != nil {
			return
		}
		if b, err := Parse(a.String()); err != nil || a != b {
			t.Fatalf("%q reads as %v, which reads as %v, %v", text, a, b, err)
		}
	})
}

func ExampleParse() {
	a, _ := Parse("6.5")
	fmt.Println(a, a+25)
	// Output: 6.5 6.75
}
