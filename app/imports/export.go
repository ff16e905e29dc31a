package imports

import (
	"context"
	"errors"
	"slices"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/store"
)

// Export returns a school year as a bundle, as it is at one moment; year 0 is the newest. Requests are what was
// submitted, or where nothing was, the sheet as it is. Left are the requests of courses that the catalog has
// no longer, which no bundle can hold.
func (s *Service) Export(ctx context.Context, school string, year int) (files []bundle.File, left []string, err error) {
	ctx = s.base.DB.Reading(ctx)
	var out store.Outgoing
	err = s.base.DB.Snapshot(ctx, func(q store.Queries) (err error) {
		if year == 0 {
			if year, err = q.Year.Newest(ctx, school); err != nil {
				return err
			}
		}
		out, err = q.Imports.Export(ctx, school, year)
		return err
	})
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, problem.New(problem.NotFound)
	} else if err != nil {
		return nil, nil, err
	}
	codes := map[string]bool{}
	courses := out.Source.Files["courses.csv"]
	if at := slices.Index(courses.Header, "courseCode"); at >= 0 {
		for _, row := range courses.Rows {
			codes[row[at]] = true
		}
	}
	files = []bundle.File{{Name: "policy.json", Text: []byte(out.Source.Policy)}}
	for _, name := range bundle.Names() {
		if f, ok := out.Source.Files[name]; ok {
			files = append(files, bundle.File{Name: name, Header: f.Header, Rows: f.Rows})
			continue
		}
		rows := out.Rows[name]
		if name == "requests.csv" {
			rows = slices.DeleteFunc(rows, func(c store.Cells) bool {
				if !codes[c["courseCode"]] {
					left = append(left, c["student"]+" "+c["courseCode"])
					return true
				}
				if !codes[c["standsFor"]] {
					c["standsFor"] = ""
				}
				return false
			})
		}
		if header, ok := out.Headers[name]; ok || len(rows) > 0 {
			files = append(files, schoolyear.AsFile(name, header, rows))
		}
	}
	if rows := out.Rows["enrollments.csv"]; len(rows) > 0 {
		f := (&bundle.Bundle{}).EnrollmentFile()
		files = append(files, schoolyear.AsFile(f.Name, f.Header, rows))
	}
	s.base.Log.InfoContext(ctx, "an export", "school", school, "year", year)
	return files, left, nil
}
