package imports

import (
	"context"
	"errors"

	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/store"
)

// MuchGoes is an import that would remove so much that someone must say the number first; nothing was changed.
type MuchGoes struct{ Tally bundle.Tally }

func (e *MuchGoes) Error() string { return "would have " + e.Tally.String() }

// Existing returns what is there of a school year for a bundle that does not have all files (bundle.Fill).
func (s *Service) Existing(ctx context.Context) func(school string, year int) ([]bundle.File, error) {
	return func(school string, year int) ([]bundle.File, error) {
		if school == "" {
			ids, err := s.ports.Office.Schools(ctx)
			if err != nil || len(ids) != 1 {
				return nil, err
			}
			school = ids[0]
		}
		files, _, err := s.Export(ctx, school, year)
		if problem.CodeOf(err) == problem.NotFound {
			return nil, nil
		}
		return files, err
	}
}

// tally counts what an import adds, changes and removes.
func (s *Service) tally(ctx context.Context, in *prepared, have []bundle.File) (bundle.Tally, error) {
	rows, err := s.base.DB.Queries().Imports.Own(ctx, in.SchoolID, in.year)
	if err != nil {
		return bundle.Tally{}, err
	}
	own := bundle.Own{Records: map[string]bool{}, Requests: map[string]bool{}, Enrollments: map[string]bool{}}
	for _, r := range rows {
		switch r.Kind {
		case "record":
			own.Records[bundle.OwnRecord(r.Cells.V)] = true
		case "requests":
			own.Requests[r.Student] = true
		case "enrollments":
			own.Enrollments[r.Student] = true
		}
	}
	return in.Count(have, own, !in.newest), nil
}

// stillThere reads what is there of the school year; the error is Busy where that is no longer what absent
// files were taken from. What is written of such a file must be what is there, or someone's change of a
// moment ago would be undone.
func (s *Service) stillThere(ctx context.Context, in *prepared) ([]bundle.File, error) {
	row, err := s.base.DB.Queries().Year.YearRow(ctx, in.SchoolID, in.year)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	have, _, err := s.Export(ctx, in.SchoolID, in.year)
	if err != nil {
		return nil, err
	}
	if !in.Holds("users.csv", have) {
		return nil, problem.New(problem.Busy)
	}
	for _, name := range catalogFiles {
		if in.Filled(name) {
			in.looked = row.Catalog
		}
		if !in.Holds(name, have) {
			return nil, problem.New(problem.Busy)
		}
	}
	return have, nil
}
