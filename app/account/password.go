package account

import (
	_ "embed"
	"slices"
	"strings"
	"sync"
	"unicode"

	"rubricon/app/problem"
)

// Bounds of a password, in bytes. What it is made of no one prescribes (NIST SP 800-63B, section 3.1.1.2).
const (
	MinPassword = 10
	MaxPassword = 500
)

//go:embed common/passwords.txt
var commonText string

var commonPasswords = sync.OnceValue(func() []string { return strings.Split(strings.TrimSpace(commonText), "\n") })

// added is how many characters around a common password make no better one of it.
const added = 4

// WeakPassword reports why a password may not be chosen: BadPassword for its length, CommonPassword where many
// people have it, also with a few digits or signs around it, where it is one thing over and over, or where it
// is made of one's own names; "" where it may.
func WeakPassword(password string, names ...string) problem.Code {
	if len(password) < MinPassword || len(password) > MaxPassword {
		return problem.BadPassword
	}
	text := strings.ToLower(password)
	core := strings.TrimFunc(text, func(r rune) bool { return !unicode.IsLetter(r) })
	if len(text)-len(core) > added {
		core = text
	}
	for _, t := range []string{text, core} {
		if _, found := slices.BinarySearch(commonPasswords(), t); found {
			return problem.CommonPassword
		}
	}
	for n := 1; n <= len(text)/3; n++ {
		if strings.Repeat(text[:n], len(text)/n+1)[:len(text)] == text {
			return problem.CommonPassword
		}
	}
	rest := text
	for _, name := range append(names, "rubricon") {
		for part := range strings.FieldsFuncSeq(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
			if len(part) >= 3 {
				rest = strings.ReplaceAll(rest, part, "")
			}
		}
	}
	if rest != text && len(rest) <= added {
		return problem.CommonPassword
	}
	return ""
}
