package paper

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/bidi"
	"golang.org/x/text/unicode/norm"
)

// forms are the shapes of a letter of the Arabic script as Unicode has them: alone, at the end of a joined
// group, at its beginning, within it. A letter that joins to the one before it alone has the first two.
type forms []rune

// letters and ligatures are found in the block Arabic Presentation Forms-B, where the shapes of a letter
// stand together in that order (The Unicode Standard 15, section 9.2 and the code chart FE70): what each is a
// shape of is its compatibility decomposition.
var letters, ligatures = func() (map[rune]forms, map[rune]forms) {
	one, two := map[rune]forms{}, map[rune]forms{}
	for r := rune(0xFE80); r <= 0xFEFC; r++ {
		switch of := []rune(norm.NFKC.String(string(r))); len(of) {
		case 1:
			one[of[0]] = append(one[of[0]], r)
		case 2: // lam with an alef
			two[of[1]] = append(two[of[1]], r)
		}
	}
	return one, two
}()

const lam, tatweel = 'ل', 'ـ'

// joins reports whether a letter joins to the one after it, and to the one before it.
func joins(r rune) (after, before bool) {
	f := letters[r]
	return len(f) == 4 || r == tatweel, len(f) >= 2 || r == tatweel
}

// joined puts each Arabic letter of a text into the shape that it has next to its neighbours, in the order in
// which the text is read. Marks of vowels are left out, as everyday print has it (common practice).
func joined(text string) string {
	in := []rune(text)
	if !slices.ContainsFunc(in, func(r rune) bool { return unicode.Is(unicode.Arabic, r) }) {
		return text
	}
	in = slices.DeleteFunc(in, func(r rune) bool { return r >= 0x064B && r <= 0x0652 })
	out := make([]rune, 0, len(in))
	open := false // the letter before joins to this one
	for i := 0; i < len(in); i++ {
		r := in[i]
		if f := ligatures[at(in, i+1)]; r == lam && len(f) == 2 {
			out = append(out, f[place(open, false)])
			open = false
			i++
			continue
		}
		after, before := joins(r)
		_, takes := joins(at(in, i+1))
		if shape := place(open && before, after && takes); shape > 0 && r != tatweel {
			r = letters[r][shape]
		}
		out = append(out, r)
		open = after
	}
	return string(out)
}

func at(list []rune, i int) rune {
	if i < len(list) {
		return list[i]
	}
	return 0
}

// place is where the shape of a letter stands among its forms.
func place(before, after bool) (i int) {
	if before {
		i = 1
	}
	if after {
		i += 2
	}
	return i
}

// seen puts a line of text into the order in which its letters stand from left to right (Unicode Standard
// Annex #9), in a paragraph that is read from the right or from the left.
func seen(text string, fromRight bool) string {
	if !fromRight && !slices.ContainsFunc([]rune(text), func(r rune) bool { return unicode.In(r, unicode.Arabic, unicode.Hebrew) }) {
		return text
	}
	direction := bidi.LeftToRight
	if fromRight {
		direction = bidi.RightToLeft
	}
	var p bidi.Paragraph
	if _, err := p.SetString(text, bidi.DefaultDirection(direction)); err != nil {
		return text
	}
	order, err := p.Order()
	if err != nil {
		return text
	}
	runs := make([]string, order.NumRuns())
	for i := range runs {
		run := order.Run(i)
		runs[i] = run.String()
		if run.Direction() == bidi.RightToLeft {
			runs[i] = quotes.Replace(bidi.ReverseString(runs[i]))
		}
	}
	if fromRight {
		slices.Reverse(runs)
	}
	return strings.Join(runs, "")
}

// quotes are mirrored like brackets.
var quotes = strings.NewReplacer("«", "»", "»", "«", "‹", "›", "›", "‹")
