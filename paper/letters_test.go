package paper

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Each letter is a page with what is typed on it, letters with accents too.
func TestLetters(t *testing.T) {
	var list []Letter
	for i := range 3 {
		list = append(list, Letter{Language: "es", Head: "Escuela", Hello: fmt.Sprintf("Hola, Persona %d:", i+1), Lines: []string{"¿Qué?"}, Fields: [][2]string{{"Código", fmt.Sprintf("abcd-efgh-jkm%d", i)}}, Foot: []string{"Guárdalo."}})
	}
	pdf, err := Letters("Cartas", list)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "x.pdf")
	if err := os.WriteFile(file, pdf, 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.CommandContext(t.Context(), "pdftotext", "-layout", file, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	pages := strings.Split(strings.TrimSuffix(string(out), "\f"), "\f")
	if len(pages) != 3 {
		t.Fatalf("%d pages", len(pages))
	}
	for i, page := range pages {
		for _, want := range []string{"Escuela", fmt.Sprintf("Hola, Persona %d:", i+1), "¿Qué?", "Código", fmt.Sprintf("abcd-efgh-jkm%d", i), "Guárdalo."} {
			if !strings.Contains(page, want) {
				t.Errorf("page %d does not say %s: %s", i+1, want, page)
			}
		}
	}
}

// BenchmarkLetters writes the letters of a large grade.
func BenchmarkLetters(b *testing.B) {
	list := make([]Letter, 400)
	for i := range list {
		list[i] = Letter{Language: "en", Head: "School", Hello: "Dear Somebody,", Lines: []string{"This letter has what you need.", "Type both as they stand here."}, Fields: [][2]string{{"Username", "some.body"}, {"Code", "abcd-efgh-jkmn"}}}
	}
	for b.Loop() {
		if _, err := Letters("Letters", list); err != nil {
			b.Fatal(err)
		}
	}
}
