// Package receipt writes the number of a receipt as a code that can be typed or scanned from paper, with a
// character that checks the others.
//
//	receipt.Code("PE-1041")        // "PE-1041-V"
//	receipt.Parse(" pe 1041 v ")   // "PE1041", true
package receipt

import "strings"

const characters = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"

// Code is the number of a receipt with its check character.
func Code(number string) string { return number + "-" + string(Check(number)) }

// Check is the check character of a number by ISO/IEC 7064, MOD 37,36: it notices any one wrong character and
// any two neighbours that have changed places. Other characters than letters and digits are passed over.
func Check(number string) byte {
	const m = 36
	p := m
	for _, r := range strings.ToUpper(number) {
		at := strings.IndexRune(characters, r)
		if at < 0 {
			continue
		}
		s := (p + at) % m
		if s == 0 {
			s = m
		}
		p = s * 2 % (m + 1)
	}
	return characters[(m+1-p)%m]
}

// Parse reads a code however it was typed: in capitals or not, with hyphens, spaces or neither. It gives the
// letters and digits of the number; not ok where the last of them does not check the others.
func Parse(code string) (number string, ok bool) {
	number = Plain(code)
	if len(number) < 2 || len(number) > 60 {
		return "", false
	}
	number, check := number[:len(number)-1], number[len(number)-1]
	return number, Check(number) == check
}

// Plain is a number without all that is neither a letter nor a digit, in capitals.
func Plain(number string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(characters, r) {
			return r
		}
		return -1
	}, strings.ToUpper(number))
}
