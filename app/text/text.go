package text

import (
	"strings"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// Fold makes names comparable: without accents and capitals.
func Fold(text string) string {
	plain, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn))), text)
	if err != nil {
		plain = text
	}
	return strings.ToLower(plain)
}

// ShortName returns a name in one line, cut to 60 characters.
func ShortName(name string) string {
	runes := []rune(Tidy(name))
	return string(runes[:min(len(runes), 60)])
}

// Tidy is a text that a person has written: without space around it, with line ends as the files have them.
func Tidy(text string) string {
	return strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))
}
