// Package roster finds the people that the lines of a pasted or dropped list name: by number, username, mail
// or name, whatever else stands in the line.
//
//	found := roster.Match("s0012; Quill, Mara\nnobody", people)
//	found[0].People // [4]
//	found[1].People // []
package roster

import (
	"slices"
	"strings"
)

// Person is someone who may be named. What is empty names no one.
type Person struct {
	ID, Username, Mail    string
	GivenName, FamilyName string
}

// Line is a line of a list with whom it names: no one, one, or several of whom one must be chosen. Twice
// tells that the one it names is named by a line before.
type Line struct {
	Number int // from 1
	Text   string
	People []int // their places
	Twice  bool
}

// MaxLines bounds a list.
const MaxLines = 5000

// Match reports whom each line names that is not blank; at most MaxLines are looked at. A number, username or
// mail in any cell of the line decides; else its name does, whichever part comes first. Fold makes texts
// comparable. A first line that names no one and has a word for a column in it is a heading, and is left out.
func Match(text string, people []Person, fold func(string) string) (lines []Line) {
	keys, names := map[string][]int{}, map[string][]int{}
	for i, p := range people {
		for _, key := range []string{p.ID, p.Username, p.Mail} {
			if key = fold(strings.TrimSpace(key)); key != "" && !slices.Contains(keys[key], i) {
				keys[key] = append(keys[key], i)
			}
		}
		given, family := words(fold(p.GivenName)), words(fold(p.FamilyName))
		for _, name := range []string{given + " " + family, family + " " + given} {
			if name = strings.TrimSpace(name); name != "" && !slices.Contains(names[name], i) {
				names[name] = append(names[name], i)
			}
		}
	}
	seen, number := map[int]bool{}, 0
	for line := range strings.Lines(strings.TrimPrefix(text, "\ufeff")) {
		if number++; len(lines) == MaxLines {
			break
		}
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		l := Line{Number: number, Text: line, People: named(fold(line), keys, names)}
		if len(lines) == 0 && number == 1 && len(l.People) == 0 && heading(fold(line)) {
			continue
		}
		if len(l.People) == 1 {
			l.Twice = seen[l.People[0]]
			seen[l.People[0]] = true
		}
		lines = append(lines, l)
	}
	return lines
}

// words puts single spaces between the words of a name, hyphens and apostrophes staying.
func words(text string) string { return strings.Join(strings.Fields(text), " ") }

func separates(r rune) bool { return r == ',' || r == ';' || r == '\t' || r == '|' }

// named finds whom a folded line names.
func named(line string, keys, names map[string][]int) []int {
	cells := strings.FieldsFunc(line, separates)
	for i := range cells {
		cells[i] = words(strings.Trim(strings.TrimSpace(cells[i]), `"'<>()`))
	}
	for _, cell := range cells {
		if found := keys[cell]; len(found) > 0 {
			return found
		}
	}
	// Mara Quill <mara@…>
	for _, word := range strings.FieldsFunc(line, func(r rune) bool { return separates(r) || strings.ContainsRune(" \"<>()", r) }) {
		if found := keys[word]; len(found) > 0 {
			return found
		}
	}
	for i, cell := range cells {
		if found := names[cell]; len(found) > 0 {
			return found
		}
		if i+1 < len(cells) {
			if found := names[words(cell+" "+cells[i+1])]; len(found) > 0 {
				return found
			}
		}
	}
	return nil
}

// heading reports whether a line has a word for a column in it.
func heading(line string) bool {
	return slices.ContainsFunc(strings.FieldsFunc(line,
		func(r rune) bool { return separates(r) || r == ' ' || r == '"' }), func(word string) bool {
		return slices.Contains([]string{"name", "id", "number", "student", "mail", "email", "username", "sourcedid",
			"nombre", "apellido", "apellidos", "correo", "estudiante", "numero"}, word)
	})
}
