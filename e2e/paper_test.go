package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"rubricon/core/receipt"
)

// TestASignatureOnPaper records what comes back signed on paper: a code that is typed wrong is refused, the right one finds the sheet, the signature
// counts, a picture of the page is kept, and the guardian is told so.
func TestASignatureOnPaper(t *testing.T) {
	s := newSite(t)
	d := s.handIn()
	code := receipt.Code(*d.Row.Receipt)
	picture := filepath.Join(t.TempDir(), "page.png")
	if err := os.WriteFile(picture, []byte("\x89PNG\r\n\x1a\n picture"), 0o600); err != nil {
		t.Fatal(err)
	}

	office := s.as("office", desk)
	office.press("nav a", "On paper")
	office.says("h1", "Signed on paper")
	office.accessible("signed on paper")
	office.MustElement("main input").MustInput(code[:len(code)-1] + "?")
	office.press("main button", "Find the sheet")
	office.says("[role=alert]", "This code was typed wrong")
	office.MustElement("main input").MustSelectAllText().MustInput(code)
	office.press("main button", "Find the sheet")
	office.says("main [role=status]", "Mara Quill, entering grade 10, asks for \\d+ courses; receipt "+*d.Row.Receipt)
	office.accessible("a sheet that was signed on paper")
	office.press("main label", "^Ilse Quill$")
	office.press("main button", "Record the signature")
	office.says("main [role=status]", "The signature of Ilse Quill is recorded.")
	office.MustElement("main input[type=file]").MustSetFiles(picture)
	office.says("main [role=status]", "The picture is kept.")
	office.press("main button", "The next page")
	office.MustElement("main input").MustInput(code)
	office.press("main button", "Find the sheet")
	office.says("main label", "Ilse Quill \\(has signed\\)")
	ilse := s.as("ilse.quill", phone)
	ilse.says("main p", "Ilse Quill signed on paper; Dagny Westerdale recorded it")
	ilse.accessible("a sheet signed on paper, for the family")
}
