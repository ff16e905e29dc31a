package school

import (
	"slices"
	"strings"
	"testing"
)

func TestWeakPasswords(t *testing.T) {
	if list := commonPasswords(); len(list) < 3000 || !slices.IsSorted(list) {
		t.Fatalf("%d common passwords, sorted: %v", len(list), slices.IsSorted(list))
	}
	for password, want := range map[string]Code{
		"short pw":                    BadPassword,
		strings.Repeat("é", 251):      BadPassword,
		"1234567890":                  CommonPassword,
		"1q2w3e4r5t":                  CommonPassword,
		"Password123":                 CommonPassword,
		"!!iloveyou!!":                CommonPassword,
		"aaaaaaaaaaaa":                CommonPassword,
		"xy7xy7xy7xy7x":               CommonPassword,
		"mara.quill":                  CommonPassword,
		"Quill-Mara 27":               CommonPassword,
		"Rubricon2027":                CommonPassword,
		"iloveyou and the lighthouse": "",
		"iloveyou12345":               "", // five more are a guess more than many
		"a heron over the sound":      "",
		"tidal ecology":               "",
		"quill writes with the tide":  "",
		"пароль от моря":              "",
		"zk7f0q2m1x":                  "",
	} {
		if got := weakPassword(password, "mara.quill", "Mara", "Quill"); got != want {
			t.Errorf("%q: %q; %q is wanted", password, got, want)
		}
	}
}
