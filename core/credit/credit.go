// Package credit holds the amounts of the trade (credits, loads, marks, fees, scores) as whole hundredths,
// so that sums are exact:
//
//	a, _ := credit.Parse("6.5")   // 650
//	fmt.Println(a + 25)           // 6.75
package credit

import (
	"errors"
	"strconv"
)

// Amount is a number of hundredths: 650 is 6.5. Sums and differences are exact.
type Amount int64

// One is the amount 1.
const One Amount = 100

// Limit is the largest magnitude Parse accepts, 9,999,999.99; sums of a million of them do not overflow.
const Limit Amount = 999_999_999

// What can be wrong with the text of an amount.
var (
	ErrSyntax   = errors.New("is not a number; write digits with an optional decimal point, like 0.5")
	ErrDecimals = errors.New("has more than two decimals")
	ErrRange    = errors.New("is larger than 9999999.99")
)

// Parse reads a decimal with at most two decimals and an optional minus sign. The error is ErrSyntax,
// ErrDecimals or ErrRange.
func Parse(text string) (Amount, error) {
	digits, sign := text, Amount(1)
	if len(digits) > 0 && digits[0] == '-' {
		digits, sign = digits[1:], -1
	}
	var value Amount
	whole, decimals, point := 0, 0, false
	for i := 0; i < len(digits); i++ {
		switch c := digits[i]; {
		case c == '.' && !point && whole > 0:
			point = true
		case c < '0' || c > '9':
			return 0, ErrSyntax
		default:
			if point {
				decimals++
			} else {
				whole++
			}
			if decimals <= 2 && value <= Limit {
				value = value*10 + Amount(c-'0')
			}
		}
	}
	if whole == 0 || point && decimals == 0 {
		return 0, ErrSyntax
	}
	if decimals > 2 {
		return 0, ErrDecimals
	}
	for ; decimals < 2; decimals++ {
		value *= 10
	}
	if value > Limit {
		return 0, ErrRange
	}
	return sign * value, nil
}

// String writes the amount without needless zeros: 6, 6.5, 0.25.
func (a Amount) String() string { return string(a.Append(nil)) }

// Append appends the text of String to b.
func (a Amount) Append(b []byte) []byte {
	if a < 0 {
		b, a = append(b, '-'), -a
	}
	b = strconv.AppendInt(b, int64(a/100), 10)
	if rest := a % 100; rest != 0 {
		b = append(b, '.', byte('0'+rest/10))
		if rest%10 != 0 {
			b = append(b, byte('0'+rest%10))
		}
	}
	return b
}

// MarshalJSON writes the amount as a JSON number without trailing zeros.
func (a Amount) MarshalJSON() ([]byte, error) { return a.Append(nil), nil }

// UnmarshalJSON reads a JSON number by the rules of Parse.
func (a *Amount) UnmarshalJSON(text []byte) error {
	value, err := Parse(string(text))
	if err != nil {
		return &NumberError{Text: string(text), Err: err}
	}
	*a = value
	return nil
}

// NumberError tells which JSON number was refused, and why.
type NumberError struct {
	Text string
	Err  error
}

func (e *NumberError) Error() string { return e.Text + " " + e.Err.Error() }
func (e *NumberError) Unwrap() error { return e.Err }
