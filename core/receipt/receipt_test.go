package receipt

import (
	"fmt"
	"testing"
)

// ISO/IEC 7064 MOD 37,36: the worked example of the Global Release Identifier standard, A1-2425G-ABC1234002-M (from memory); and what the
// standard promises.
func TestCheck(t *testing.T) {
	if got := Check("A1-2425G-ABC1234002"); got != 'M' {
		t.Errorf("the check character is %c, want M", got)
	}
	const code = "PE10734"
	right := Check(code)
	if Check("pe-10734") != right {
		t.Error("small letters and hyphens make a difference")
	}
	for i := range code {
		for _, other := range []byte(characters) {
			if wrong := code[:i] + string(other) + code[i+1:]; wrong != code && Check(wrong) == right {
				t.Errorf("%s has the check character of %s", wrong, code)
			}
		}
		if i > 0 && code[i] != code[i-1] {
			if wrong := code[:i-1] + string(code[i]) + string(code[i-1]) + code[i+1:]; Check(wrong) == right {
				t.Errorf("%s has the check character of %s", wrong, code)
			}
		}
	}
}

// A code is read however it is typed, and not where anything is wrong in it.
func TestParse(t *testing.T) {
	code := Code("PE-10734")
	for _, typed := range []string{code, "pe-10734-" + code[len(code)-1:], " PE 10734 " + code[len(code)-1:] + " ", "PE10734" + code[len(code)-1:]} {
		if number, ok := Parse(typed); !ok || number != "PE10734" {
			t.Errorf("%q is read as %q, %v", typed, number, ok)
		}
	}
	for _, typed := range []string{"", "P", "-", "PE-10743" + code[len(code)-2:], "PE-10734", code + "0", string(make([]byte, 100))} {
		if number, ok := Parse(typed); ok {
			t.Errorf("%q is read as %q", typed, number)
		}
	}
}

func ExampleCode() {
	fmt.Println(Code("A1-2425G-ABC1234002"))
	// Output: A1-2425G-ABC1234002-M
}

func FuzzParse(f *testing.F) {
	f.Add("PE-1041-V")
	f.Fuzz(func(t *testing.T, typed string) {
		if number, ok := Parse(typed); ok && (Code(number) == "" || Plain(number) != number) {
			t.Errorf("%q is read as %q", typed, number)
		}
	})
}
