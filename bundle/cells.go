package bundle

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rubricon/core/credit"
)

func (b *Bundle) bad(t *Table, r *Row, column, format string, args ...any) {
	switch {
	case b.Filled(t.Name) && ofPeople[t.Name] && t.Name != "users.csv": // of someone or something that goes
	case column != "" && !t.has(column):
		if missing := lacks(t.Name, column); !slices.Contains(b.lacking, missing) {
			b.lacking = append(b.lacking, missing)
		}
	default:
		b.problem(Problem{File: t.Name, Line: r.Line, Column: column, What: fmt.Sprintf(format, args...)})
	}
}

// lacks is a column that is missing: one finding, and not one for each row.
func lacks(file, column string) Problem {
	return Problem{File: file, Line: 0, Column: "", What: "column " + column + " is missing"}
}

func (b *Bundle) notice(t *Table, r *Row, column, format string, args ...any) {
	b.Notices = append(b.Notices, Problem{File: t.Name, Line: r.Line, Column: column, What: fmt.Sprintf(format, args...)})
}

// needed reports whether a required cell has text, and says so where it has not.
func (b *Bundle) needed(t *Table, r *Row, columns ...string) bool {
	ok := true
	for _, column := range columns {
		if t.Cell(r, column) == "" {
			b.bad(t, r, column, "is empty")
			ok = false
		}
	}
	return ok
}

// unique notes an id and says where it stands a second time.
func (b *Bundle) unique(t *Table, r *Row, column string, seen map[string]int) bool {
	id := t.Cell(r, column)
	if line, twice := seen[id]; twice {
		b.bad(t, r, column, "“%s” is already on line %d", id, line)
		return false
	}
	seen[id] = r.Line
	return true
}

func (b *Bundle) amount(t *Table, r *Row, column string, fallback credit.Amount) credit.Amount {
	text := t.Cell(r, column)
	if text == "" {
		return fallback
	}
	value, err := credit.Parse(text)
	if err != nil {
		b.bad(t, r, column, "“%s” %v", text, err)
		return fallback
	}
	if value < 0 {
		b.bad(t, r, column, "must not be negative")
		return fallback
	}
	return value
}

func oneOf[T ~string](b *Bundle, t *Table, r *Row, column string, fallback T, allowed ...T) T {
	text := T(t.Cell(r, column))
	if text == "" && fallback != "" {
		return fallback
	}
	names := make([]string, len(allowed))
	for i, a := range allowed {
		if a == text {
			return text
		}
		names[i] = string(a)
	}
	b.bad(t, r, column, "“%s” is not one of %s", text, strings.Join(names, ", "))
	return fallback
}

func parseGrade(text string) (int, bool) {
	if text == "KG" {
		return 0, true
	}
	g, err := strconv.Atoi(text)
	return g, err == nil && g >= 0 && g <= 20
}

func (b *Bundle) grades(t *Table, r *Row, column string) (grades []int) {
	for _, item := range list(t.Cell(r, column)) {
		g, ok := parseGrade(item)
		if !ok {
			b.bad(t, r, column, "“%s” is not a grade; write KG or a number such as 09", item)
			continue
		}
		grades = append(grades, g)
	}
	return grades
}

func (b *Bundle) numbers(t *Table, r *Row, column string, limit int) (numbers []int) {
	for _, item := range list(t.Cell(r, column)) {
		n, err := strconv.Atoi(item)
		if err != nil || n < 1 || n > limit {
			b.bad(t, r, column, "“%s” is not a number from 1 to %d", item, limit)
			continue
		}
		numbers = append(numbers, n)
	}
	return numbers
}
