package account

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rubricon/app/account"
)

// What a call of OneRoster asks for: which fields, which rows, in which order, which page of them.

func (k *rosterKind) has(field string) bool {
	return slices.Contains(rosterAlways, field) || slices.ContainsFunc(k.fields, func(f rosterField) bool { return f.name == field })
}

// wanted reads the fields that are wanted; nil: all.
func (k *rosterKind) wanted(list string) ([]string, error) {
	if list == "" {
		return nil, nil
	}
	fields := commaList(list)
	for _, f := range fields {
		if !k.has(f) && f != "metadata" {
			return nil, &rosterFault{http.StatusBadRequest, "invalid_selection_field", fmt.Sprintf("%q is no field of %s", f, k.Plural)}
		}
	}
	return fields, nil
}

// rosterComparison is one comparison of a filter.
var rosterComparison = regexp.MustCompile(`^\s*([A-Za-z.]+?)\s*(!=|>=|<=|=|>|<|~)\s*'((?:[^']|'')*)'\s*(?:(AND|OR)\s+(.+))?$`)

// chosen returns the rows that a filter leaves: one comparison, or two joined by AND or OR, as the standard allows.
func (k *rosterKind) chosen(rows []account.Cells, filter string) ([]account.Cells, error) {
	if filter == "" {
		return rows, nil
	}
	if len(filter) > 1000 {
		return nil, &rosterFault{http.StatusBadRequest, "invalid_filter_field", "the filter is too long"}
	}
	var tests []func(account.Cells) bool
	either := false
	for rest := filter; rest != ""; {
		m := rosterComparison.FindStringSubmatch(rest)
		if m == nil || len(tests) == 2 {
			return nil, &rosterFault{http.StatusBadRequest, "invalid_filter_field",
				"a filter is field='value', with = != > >= < <= or ~, and at most two of them joined by AND or OR"}
		}
		field, predicate, value := m[1], m[2], strings.ReplaceAll(m[3], "''", "'")
		if !k.has(field) {
			return nil, &rosterFault{http.StatusBadRequest, "invalid_filter_field", fmt.Sprintf("%q is no field of %s", field, k.Plural)}
		}
		many := slices.Contains(rosterMany, field)
		compare := strings.Compare
		if field == "dateLastModified" {
			if _, ok := moment(value); !ok && predicate != "~" {
				return nil, &rosterFault{http.StatusBadRequest, "invalid_filter_field",
					"dateLastModified is compared with a date or a moment: 2027-03-01, or 2027-03-01T08:00:00.000Z"}
			}
			compare = compareMoments
		}
		tests = append(tests, func(r account.Cells) bool {
			cell := k.cell(r, field)
			switch order := compare(cell, value); predicate {
			case "=":
				return order == 0 || many && slices.Contains(commaList(cell), value)
			case "!=":
				return order != 0 && !(many && slices.Contains(commaList(cell), value))
			case ">":
				return order > 0
			case ">=":
				return order >= 0
			case "<":
				return order < 0
			case "<=":
				return order <= 0
			}
			return strings.Contains(strings.ToLower(cell), strings.ToLower(value))
		})
		either, rest = either || m[4] == "OR", m[5]
	}
	return slices.DeleteFunc(slices.Clone(rows), func(r account.Cells) bool {
		left := tests[0](r)
		switch {
		case len(tests) == 1:
			return !left
		case either:
			return !left && !tests[1](r)
		}
		return !left || !tests[1](r)
	}), nil
}

// moment reads a date, or a date and time with its zone (ISO 8601); a date is its first moment, of UTC.
func moment(text string) (time.Time, bool) {
	for _, layout := range []string{time.RFC3339, time.DateOnly} {
		if at, err := time.Parse(layout, text); err == nil {
			return at, true
		}
	}
	return time.Time{}, false
}

// compareMoments compares when two things were.
func compareMoments(a, b string) int {
	x, _ := moment(a)
	y, _ := moment(b)
	return x.Compare(y)
}

// sorted puts the rows into the order that is asked for; those that are equal stay in the order of the school's data.
func (k *rosterKind) sorted(rows []account.Cells, field, order string) error {
	if order != "" && order != "asc" && order != "desc" || order != "" && field == "" {
		return &rosterFault{http.StatusBadRequest, "invalid_sort_field", "orderBy is asc or desc, beside sort"}
	}
	if field == "" {
		return nil
	}
	if !k.has(field) {
		return &rosterFault{http.StatusBadRequest, "invalid_sort_field", fmt.Sprintf("%q is no field of %s", field, k.Plural)}
	}
	slices.SortStableFunc(rows, func(a, b account.Cells) int {
		if order == "desc" {
			a, b = b, a
		}
		return cmp.Compare(k.cell(a, field), k.cell(b, field))
	})
	return nil
}

func paging(c *gin.Context) (limit, offset int, err error) {
	number := func(name string, otherwise, least, most int) int {
		text := c.Query(name)
		if text == "" {
			return otherwise
		}
		n, bad := strconv.Atoi(text)
		if bad != nil || n < least || n > most {
			err = &rosterFault{http.StatusBadRequest, "invaliddata", fmt.Sprintf("%s is a number from %d to %d", name, least, most)}
		}
		return n
	}
	limit, offset = number("limit", rosterPage, 1, rosterMost), number("offset", 0, 0, 10_000_000)
	return limit, offset, err
}

// pageLinks are the links to other pages (RFC 8288).
func pageLinks(base string, at *url.URL, limit, offset, total int) string {
	var out []string
	add := func(rel string, offset int) {
		query := at.Query()
		query.Set("limit", strconv.Itoa(limit))
		query.Set("offset", strconv.Itoa(offset))
		out = append(out, fmt.Sprintf(`<%s%s?%s>; rel="%s"`, base, at.Path, query.Encode(), rel))
	}
	if offset+limit < total {
		add("next", offset+limit)
	}
	if offset > 0 {
		add("prev", max(0, offset-limit))
	}
	add("first", 0)
	add("last", max(0, (total-1)/limit*limit))
	return strings.Join(out, ", ")
}
