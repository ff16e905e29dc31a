package bundle

import (
	"encoding/xml"
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// cellStyle is what a cell's format says of a number in it.
type cellStyle struct {
	kind numberKind
	wide int // zeroPadded: how many digits
}

type numberKind int

// A cellFault is what is wrong with one cell, whatever it means.
type cellFault struct {
	row, column int // from 1
	what        string
}

// builtInKind reports what the formats mean that have a number alone (section 18.8.30).
func builtInKind(id string) cellStyle {
	n, _ := strconv.Atoi(id)
	switch {
	case n == 9, n == 10:
		return cellStyle{kind: percentNumber}
	case n == 11, n == 48:
		return cellStyle{kind: scientificNumber}
	case n == 22:
		return cellStyle{kind: dateTimeNumber}
	case n >= 18 && n <= 21, n >= 45 && n <= 47:
		return cellStyle{kind: timeNumber}
	case n >= 14 && n <= 17, n >= 27 && n <= 36, n >= 50 && n <= 58:
		return cellStyle{kind: dateNumber}
	}
	return cellStyle{}
}

// formatKind reports what a format code means for a number (section 18.8.31).
func formatKind(code string) cellStyle {
	first, _, _ := strings.Cut(quotedFormat.ReplaceAllString(code, ""), ";")
	first = strings.ToLower(first)
	day, hour := strings.ContainsAny(first, "yd"), strings.ContainsAny(first, "hs")
	switch {
	case zeroFormat.MatchString(first):
		return cellStyle{zeroPadded, len(first)}
	case strings.Contains(first, "general"):
		return cellStyle{}
	case strings.Contains(first, "e+"), strings.Contains(first, "e-"):
		return cellStyle{kind: scientificNumber}
	case strings.Contains(first, "%"):
		return cellStyle{kind: percentNumber}
	case day && hour:
		return cellStyle{kind: dateTimeNumber}
	case day, strings.Contains(first, "mmm"):
		return cellStyle{kind: dateNumber}
	case hour:
		return cellStyle{kind: timeNumber}
	}
	return cellStyle{}
}

var escapedX = regexp.MustCompile(`_x([0-9A-Fa-f]{4})_`)

// unescapeX undoes how the format writes characters that XML has not (section 22.9.2.19).
func unescapeX(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	return escapedX.ReplaceAllStringFunc(text, func(match string) string {
		code, _ := strconv.ParseUint(match[2:6], 16, 32)
		return string(rune(code))
	})
}

// columnOf is the number of the column of a cell such as AB12, from 1; 0 where it is none.
func columnOf(cell string) (n int) {
	for _, c := range cell {
		if c < 'A' || c > 'Z' || n > 1<<15 {
			break
		}
		n = n*26 + int(c-'A') + 1
	}
	return n
}

// cell reads one cell to its end. Where what is in it is no text that can be taken, what says why.
func (x *xlsx) cell(in *xml.Decoder, e *xml.StartElement) (text, what string, err error) {
	kind, style := attribute(e, "t"), 0
	if s := attribute(e, "s"); s != "" {
		style, _ = strconv.Atoi(s)
	}
	value, inline, found := "", "", false
	for {
		token, err := in.Token()
		if err != nil {
			return "", "", err
		}
		switch t := token.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "v":
				var v strings.Builder
				for done := false; !done; {
					token, err := in.Token()
					if err != nil {
						return "", "", err
					}
					switch c := token.(type) {
					case xml.CharData:
						v.Write(c)
					case xml.EndElement:
						done = true
					}
				}
				value, found = v.String(), true
			case "is":
				if inline, err = richText(in); err != nil {
					return "", "", err
				}
				found = found || kind == "inlineStr"
			default:
				if err := in.Skip(); err != nil {
					return "", "", err
				}
			}
			continue
		case xml.EndElement:
		default:
			continue
		}
		break
	}
	if !found {
		return "", "", nil
	}
	switch kind {
	case "s":
		at, err := strconv.Atoi(value)
		if err != nil || at < 0 || at >= len(x.shared) {
			return "", "", errors.New("a cell refers to a text that is not there")
		}
		return x.shared[at], "", nil
	case "str":
		return unescapeX(value), "", nil
	case "inlineStr":
		return inline, "", nil
	case "b":
		return strconv.FormatBool(value == "1" || value == "true"), "", nil
	case "e":
		return "", "is an error of the workbook (" + value + "); mend its formula", nil
	case "d": // a date as ISO 8601 has it
		at, err := time.Parse("2006-01-02T15:04:05", strings.TrimSuffix(value, "Z"))
		if err != nil {
			return value, "", nil
		}
		return asDate(at), "", nil
	}
	text, what = x.number(value, style)
	return text, what, nil
}

// mostDigits is the size of numbers beyond which a workbook keeps not all their digits.
const mostDigits = 1e15

// number writes a number as a file of a bundle has it.
func (x *xlsx) number(raw string, style int) (text, what string) {
	v, err := strconv.ParseFloat(strings.TrimSpace(raw), 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return "", "is not a number that can be read"
	}
	var s cellStyle
	if style >= 0 && style < len(x.styles) {
		s = x.styles[style]
	}
	if s.kind == scientificNumber || math.Abs(v) >= mostDigits {
		return raw, "is a number in scientific notation; format the cell as text, and type it again"
	}
	switch s.kind {
	case dateNumber, timeNumber, dateTimeNumber:
		if v < 0 || v > 2_958_465 { // the end of the year 9999
			return raw, "is no date"
		}
		days := math.Floor(v)
		at := x.epoch.AddDate(0, 0, int(days)).Add(time.Duration(math.Round((v-days)*86400)) * time.Second)
		switch {
		case s.kind == timeNumber && days == 0:
			return at.Format("15:04"), ""
		case s.kind == dateNumber:
			return at.Format(time.DateOnly), ""
		}
		return asDate(at), ""
	case percentNumber:
		return decimal(v * 100), ""
	case zeroPadded:
		if v == math.Trunc(v) && v >= 0 {
			return fmt.Sprintf("%0*d", s.wide, int64(v)), ""
		}
	}
	return decimal(v), ""
}

// asDate writes a time as a file of a bundle has it: midnight is the day.
func asDate(at time.Time) string {
	if at.Hour() == 0 && at.Minute() == 0 {
		return at.Format(time.DateOnly)
	}
	return at.Format("2006-01-02T15:04")
}

// decimal writes a number with the fifteen digits that a workbook keeps.
func decimal(v float64) string {
	rounded, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 15, 64), 64)
	if err != nil {
		rounded = v
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}
