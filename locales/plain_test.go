package locales_test

import (
	"math"
	"regexp"
	"strings"
	"testing"
	"unicode"

	"rubricon/locales"
)

// What families read is held to a reading level. English: Flesch, “A new readability yardstick”, Journal of Applied Psychology 32 (1948), where 60
// and more is plain English. Spanish: the adaptation by Fernández Huerta, “Medidas sencillas de lecturabilidad”, Consigna 214 (1959), with the same
// scale (both formulas from memory). Syllables are counted by vowels that stand together, which is near enough for a whole page of sentences.
func TestFamiliesReadPlainSentences(t *testing.T) {
	for _, c := range []struct {
		language string
		score    func(words, sentences, syllables float64) float64
		vowels   string
	}{
		{"en", func(w, s, y float64) float64 { return 206.835 - 1.015*w/s - 84.6*y/w }, "aeiouy"},
		{"es", func(w, s, y float64) float64 { return 206.84 - 60*y/w - 1.02*w/s }, "aeiouáéíóúü"},
	} {
		l := locales.Match(c.language)
		var text strings.Builder
		for _, key := range l.Keys() {
			section, _, _ := strings.Cut(key, ".")
			if section == "family" || section == "mail" || section == "letter" || section == "agree" || section == "since" {
				text.WriteString(place.ReplaceAllString(l.Text(key, nil), "Mara") + ". ")
			}
		}
		words, sentences, syllables := measured(text.String(), c.vowels, c.language == "en")
		if words < 500 {
			t.Fatalf("%s: %v words", c.language, words)
		}
		if score := c.score(words, sentences, syllables); score < 60 || math.IsNaN(score) {
			t.Errorf("%s: a reading ease of %.0f, 60 is wanted (%.1f words a sentence, %.2f syllables a word)", c.language, score, words/sentences, syllables/words)
		} else {
			t.Logf("%s: a reading ease of %.0f", c.language, score)
		}
	}
	// The formulas' own poles: a plain line is easy, an official one is not.
	easy, _, _ := measured("The cat sat on the mat.", "aeiouy", true)
	if easy != 6 {
		t.Errorf("%v words", easy)
	}
	w, s, y := measured("Notwithstanding administrative considerations, authorisation necessitates comprehensive documentation.", "aeiouy", true)
	if score := 206.835 - 1.015*w/s - 84.6*y/w; score > 0 {
		t.Errorf("an official sentence has %.0f", score)
	}
}

var (
	place    = regexp.MustCompile(`\{\{\w+\}\}`)
	sentence = regexp.MustCompile(`[.!?:;]+(\s|$)`)
)

// measured counts the words, sentences and syllables of a text; a silent e at the end of an English word is none.
func measured(text, vowels string, silent bool) (words, sentences, syllables float64) {
	for _, part := range sentence.Split(text, -1) {
		inside := 0.0
		for _, word := range strings.FieldsFunc(strings.ToLower(part), func(r rune) bool { return !unicode.IsLetter(r) && r != '’' && r != '-' }) {
			n, before := 0.0, false
			for _, r := range word {
				vowel := strings.ContainsRune(vowels, r)
				if vowel && !before {
					n++
				}
				before = vowel
			}
			if silent && n > 1 && strings.HasSuffix(word, "e") && !strings.HasSuffix(word, "le") {
				n--
			}
			inside++
			syllables += max(n, 1)
		}
		if words += inside; inside > 0 {
			sentences++
		}
	}
	return words, sentences, syllables
}
