package paper

import (
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
)

// The square on a printed sheet is read by another library as the code next to it.
func TestTheSquareIsRead(t *testing.T) {
	pdf, err := PDF(&Document{Language: "en", Title: "Sheet", Code: "PE-1041-V", CodeNote: "Give this page back."})
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "x")
	if err := os.WriteFile(file+".pdf", pdf, 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.CommandContext(t.Context(), "pdftoppm", "-png", "-singlefile", "-r", "150", file+".pdf", file).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	picture, err := os.Open(file + ".png")
	if err != nil {
		t.Fatal(err)
	}
	defer picture.Close()
	img, err := png.Decode(picture)
	if err != nil {
		t.Fatal(err)
	}
	bitmap, err := gozxing.NewBinaryBitmapFromImage(img)
	if err != nil {
		t.Fatal(err)
	}
	read, err := qrcode.NewQRCodeReader().Decode(bitmap, map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true})
	if err != nil || read.GetText() != "PE-1041-V" {
		t.Errorf("it is read as %v, %v", read, err)
	}
}
