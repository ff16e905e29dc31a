package paper

import (
	"bytes"
	"fmt"
	"os/exec"
	"regexp"
	"strings"
	"testing"
)

// text is what a reader sees of a PDF, by poppler's pdftotext.
func text(t *testing.T, pdf []byte) string {
	t.Helper()
	run := exec.Command("pdftotext", "-layout", "-", "-")
	run.Stdin = bytes.NewReader(pdf)
	out, err := run.Output()
	if err != nil {
		t.Fatalf("pdftotext (poppler-utils): %v", err)
	}
	return string(out)
}

func pages(pdf []byte) int { return len(regexp.MustCompile(`/Type /Page\b[^s]`).FindAll(pdf, -1)) }

func TestADocumentIsReadBack(t *testing.T) {
	d := &Document{Language: "es", Title: "Hoja de Mara Quill", Lead: []string{"Escuela Secundaria · 2027-28"}, Foot: "Rubricon", Page: "página", Code: "PE-17-X", CodeNote: "Este código…",
		Parts: []Part{
			{Head: "Solicitudes", Cols: []float64{0.1, 0.6, 0.3}, Heads: []string{"", "curso", "cuándo"}, Rows: [][]string{{"1", "Inglés 10", "todo el año"}, {"2", "Ecología de mareas", "todo el año"}}},
			{Head: "Acuerdos", Boxes: true, Cols: []float64{1}, Rows: [][]string{{strings.Repeat("El trabajo con barcos dura hasta la botadura. ", 6)}}},
		}, Sign: []string{"Estudiante, fecha", "Madre o padre, fecha"}}
	pdf, err := PDF(d)
	if err != nil {
		t.Fatal(err)
	}
	got := text(t, pdf)
	for _, want := range []string{"Hoja de Mara Quill", "Ecología de mareas", "todo el año", "Este código…", "PE-17-X", "página 1 / 1", "Madre o padre, fecha"} {
		if !strings.Contains(got, want) {
			t.Errorf("no %q in\n%s", want, got)
		}
	}
	if strings.Count(got, "botadura") != 6 {
		t.Errorf("a long cell is cut:\n%s", got)
	}
	if !bytes.HasPrefix(pdf, []byte("%PDF-")) || pages(pdf) != 1 || !bytes.Contains(pdf, []byte("/Lang (es)")) {
		t.Errorf("%d pages", pages(pdf))
	}
	for i := range 80 {
		d.Parts[0].Rows = append(d.Parts[0].Rows, []string{fmt.Sprint(i + 3), fmt.Sprint("Curso ", i), "S1"})
	}
	if pdf, err = PDF(d); err != nil || pages(pdf) < 2 || !strings.Contains(text(t, pdf), "Curso 79") || !strings.Contains(text(t, pdf), fmt.Sprintf("página 2 / %d", pages(pdf))) {
		t.Errorf("a long document: %d pages, %v", pages(pdf), err)
	}
}
