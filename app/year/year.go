package year

import (
	"context"
	"slices"
	"time"

	"golang.org/x/sync/singleflight"

	"rubricon/bundle"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/policy"
	"rubricon/store"
)

// SchoolYear is a school year as the computation works on it, with the versions of catalog and policy it was
// compiled from. It is immutable.
type SchoolYear struct {
	*catalog.Year
	Catalog                       *bundle.Bundle // what Year is compiled from; not to be changed
	School, Name                  string
	CatalogVersion, PolicyVersion int64
}

// compileTimeout bounds a compilation, which goes on when the request that began it has ended: others wait for it too.
const compileTimeout = 30 * time.Second

// Together does something once for all who ask for it at the same time by one name. It is detached from
// anyone who asked first, and bounded on its own; who asks waits no longer than their own context.
func Together[T any](ctx context.Context, group *singleflight.Group, name string,
	work func(context.Context) (T, error)) (out T, err error) {
	done := group.DoChan(name, func() (any, error) {
		ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), compileTimeout)
		defer stop()
		return work(ctx)
	})
	select {
	case r := <-done:
		if r.Err != nil {
			return out, r.Err
		}
		return r.Val.(T), nil
	case <-ctx.Done():
		return out, ctx.Err()
	}
}

// Zone is the time zone of the school.
func (y *SchoolYear) Zone() *time.Location {
	zone, err := time.LoadLocation(y.Policy.Settings.TimeZone)
	if err != nil {
		return time.UTC // a bundle with another is refused
	}
	return zone
}

// Moment returns a time that can be missing; the zero time if it is.
func Moment(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// AsFile makes a file of rows by column. Columns that rows entered here have and the file had not are added
// to its header.
func AsFile(name string, header []string, rows []store.Cells) bundle.File {
	used := map[string]bool{}
	for _, row := range rows {
		for column, cell := range row {
			used[column] = used[column] || cell != ""
		}
	}
	fresh := header == nil
	for i, column := range bundle.Columns(name) {
		if !slices.Contains(header, column) && (used[column] || fresh && i < bundle.Required(name)) {
			header = append(header, column)
		}
	}
	f := bundle.File{Name: name, Header: header}
	for _, row := range rows {
		cells := make([]string, len(header))
		for i, column := range header {
			cells[i] = row[column]
		}
		f.Rows = append(f.Rows, cells)
	}
	return f
}

// Sections reads sections next to the catalog.
func (y *SchoolYear) Sections(rows []store.ClassRow) *bundle.Bundle {
	cells := make([]map[string]string, len(rows))
	for i := range rows {
		cells[i] = rows[i].Cells.V
	}
	return y.Catalog.WithSections(cells)
}

// YearLabel writes the school year that begins in a calendar year: 2027-28.
func YearLabel(start int) string { return policy.YearLabel(start) }

// SourceFiles makes of a version's source the files of a bundle without people.
func SourceFiles(s store.Source) []bundle.File {
	files := []bundle.File{{Name: "policy.json", Text: []byte(s.Policy)}, {Name: "users.csv", Header: bundle.Columns("users.csv")}}
	for name, f := range s.Files {
		files = append(files, bundle.File{Name: name, Header: f.Header, Rows: f.Rows})
	}
	return files
}

// YearOf names a school year.
type YearOf struct {
	School string
	Year   int
}

// Place names a sheet: a student's, in a school year, which is the calendar year in which that begins.
type Place = store.Place

// Within holds what is done with a context to one school, by the database itself, whatever is asked of it.
func Within(ctx context.Context, school string) context.Context { return store.Within(ctx, school) }

// About reports whether a claim speaks for a leaf of the condition of a course.
func (c *Claim) About(leaf *condition.Leaf, course string) bool {
	switch leaf.Kind {
	case condition.Passed, condition.Alongside:
		return c.Course == leaf.Name
	case condition.Recommended:
		return c.Name == "recommended" && c.Course == course
	}
	return c.Name != "" && c.Name == leaf.Name
}

// Key names the year in the versions it was compiled from.
func (y *SchoolYear) Key() Key {
	return Key{School: y.School, Year: y.Start, Catalog: y.CatalogVersion, Policy: y.PolicyVersion}
}
