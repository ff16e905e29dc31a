package paper

import (
	"bytes"
	"slices"
	"strings"
	"testing"
	"unicode"

	"github.com/go-text/typesetting/di"
	"github.com/go-text/typesetting/font"
	"github.com/go-text/typesetting/language"
	"github.com/go-text/typesetting/shaping"
	"golang.org/x/image/math/fixed"

	"rubricon/locales"
)

// The shapes are those that HarfBuzz chooses (github.com/go-text/typesetting, a port of it), for every word of the Arabic sentences.
func TestLettersAreJoinedAsByHarfBuzz(t *testing.T) {
	face, err := font.ParseTTF(bytes.NewReader(plainFont))
	if err != nil {
		t.Fatal(err)
	}
	var shaper shaping.HarfbuzzShaper
	glyphs := func(text string, d di.Direction, s language.Script) (list []font.GID) {
		runes := []rune(text)
		out := shaper.Shape(shaping.Input{Text: runes, RunEnd: len(runes), Direction: d, Face: face, Size: fixed.I(10), Script: s, Language: "ar"})
		for _, g := range out.Glyphs {
			list = append(list, g.GlyphID)
		}
		return list
	}
	arabic := locales.Match("ar")
	if arabic.Direction() != "rtl" {
		t.Fatal("there is no Arabic")
	}
	words := map[string]bool{"لا": true, "الأولى": true, "سلامٌ": true, "إلآ": true, "مدرسة": true, "ئءؤ": true}
	for _, key := range arabic.Keys() {
		for _, word := range strings.FieldsFunc(arabic.Text(key, nil), func(r rune) bool { return r < 0x0620 || r > 0x0652 }) {
			words[word] = true
		}
	}
	if len(words) < 400 {
		t.Errorf("%d words only", len(words))
	}
	for word := range words {
		var mine []font.GID
		for _, r := range joined(word) {
			gid, ok := face.NominalGlyph(r)
			if !ok {
				t.Errorf("%s: the font lacks %U", word, r)
			}
			mine = append(mine, gid)
		}
		want := glyphs(plain.Replace(word), di.DirectionRTL, language.Arabic)
		slices.Reverse(want) // it gives them from left to right
		if !slices.Equal(mine, want) {
			t.Errorf("%s is joined as %v, by HarfBuzz %v", word, mine, want)
		}
	}
}

// plain takes the marks of vowels away.
var plain = strings.NewReplacer("\u064b", "", "\u064c", "", "\u064d", "", "\u064e", "", "\u064f", "", "\u0650", "", "\u0651", "", "\u0652", "")

// A line stands as Unicode Standard Annex #9 has it: what is read from the left stays so within what is read from the right, and brackets turn.
func TestALineAsItIsSeen(t *testing.T) {
	for _, c := range []struct {
		text      string
		fromRight bool
		want      string
	}{
		{"English 10", false, "English 10"},
		{"English 10", true, "English 10"},
		{"אבג 123", true, "123 גבא"},
		{"אבג PE-17-X דה", true, "הד PE-17-X גבא"},
		{"אב (ג)", true, "(ג) בא"},
		{"אב «ג»", true, "«ג» בא"},
		{"car אבג bus", false, "car גבא bus"},
		{"", true, ""},
	} {
		if got := seen(c.text, c.fromRight); got != c.want {
			t.Errorf("%q is seen as %q, want %q", c.text, got, c.want)
		}
	}
	if got := joined("Mara Quill"); got != "Mara Quill" {
		t.Errorf("Latin letters are changed: %q", got)
	}
}

// A sheet in Arabic can be read back, and stands on the right.
func TestADocumentFromTheRight(t *testing.T) {
	d := &Document{Language: "ar", Title: "ورقة Mara Quill", Lead: []string{"لم تُسلَّم بعد. هذه للاطلاع."}, Foot: "Rubricon", Page: "صفحة", Code: "PE-17-X", CodeNote: "أعيدوا هذه الصفحة موقّعة.",
		Parts: []Part{{Head: "الطلبات", Boxes: true, Cols: []float64{0.1, 0.6, 0.3}, Rows: [][]string{{"1", "English 10", "السنة كلها"}}}}, Sign: []string{"ولي الأمر: الاسم، التوقيع، التاريخ"}}
	pdf, err := PDF(d)
	if err != nil {
		t.Fatal(err)
	}
	got := text(t, pdf)
	for _, want := range []string{"Mara Quill", "English 10", "PE-17-X"} {
		if !strings.Contains(got, want) {
			t.Errorf("no %q in\n%s", want, got)
		}
	}
	row := ""
	for line := range strings.Lines(got) {
		if strings.Contains(line, "English 10") {
			row = strings.TrimSpace(strings.Map(func(r rune) rune { // without the marks of direction
				if unicode.Is(unicode.Cf, r) {
					return -1
				}
				return r
			}, line))
		}
	}
	if !strings.HasSuffix(row, "1") || strings.HasPrefix(row, "1") || !bytes.Contains(pdf, []byte("/Lang (ar)")) {
		t.Errorf("the row does not begin on the right: %q", row)
	}
}
