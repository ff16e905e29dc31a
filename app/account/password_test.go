package account

import (
	"slices"
	"strings"
	"testing"

	"rubricon/app/problem"
)

func TestWeakPasswords(t *testing.T) {
	if list := commonPasswords(); len(list) < 3000 || !slices.IsSorted(list) {
		t.Fatalf("%d common passwords, sorted: %v", len(list), slices.IsSorted(list))
	}
	for password, want := range map[string]problem.Code{
		"short pw":                    problem.BadPassword,
		strings.Repeat("é", 251):      problem.BadPassword,
		"1234567890":                  problem.CommonPassword,
		"1q2w3e4r5t":                  problem.CommonPassword,
		"Password123":                 problem.CommonPassword,
		"!!iloveyou!!":                problem.CommonPassword,
		"aaaaaaaaaaaa":                problem.CommonPassword,
		"xy7xy7xy7xy7x":               problem.CommonPassword,
		"mara.quill":                  problem.CommonPassword,
		"Quill-Mara 27":               problem.CommonPassword,
		"Rubricon2027":                problem.CommonPassword,
		"iloveyou and the lighthouse": "",
		"iloveyou12345":               "", // five more are a guess more than many
		"a heron over the sound":      "",
		"tidal ecology":               "",
		"quill writes with the tide":  "",
		"пароль от моря":              "",
		"zk7f0q2m1x":                  "",
	} {
		if got := WeakPassword(password, "mara.quill", "Mara", "Quill"); got != want {
			t.Errorf("%q: %q; %q is wanted", password, got, want)
		}
	}
}
