package catalog

import (
	"context"
	"slices"

	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// NotRunning is a course that does not run, since when and why.
type NotRunning = store.SectionPlan

// Catalog is a school year with who teaches what now.
type Catalog struct {
	*schoolyear.SchoolYear
	Teachers map[string][]string // by course code: names
	Stopped  []NotRunning
}

// Catalog returns a school year to anyone of the school.
func (s *Service) Catalog(ctx context.Context, by int64, school string, year int) (*Catalog, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCatalog)
	if err != nil {
		return nil, err
	}
	plans, err := s.base.DB.Queries().Schedule.SectionPlans(ctx, school, year)
	if err != nil {
		return nil, err
	}
	out := &Catalog{SchoolYear: y, Stopped: slices.DeleteFunc(plans, func(p NotRunning) bool { return p.Runs })}
	key := rosterKey{school, year, a.Roster}
	var ok bool
	if out.Teachers, ok = s.teachers.Get(key); ok {
		return out, nil
	}
	list, err := s.base.DB.Queries().People.Teachings(ctx, school, year)
	if err != nil {
		return nil, err
	}
	out.Teachers = map[string][]string{}
	for _, x := range list {
		out.Teachers[x.Course] = append(out.Teachers[x.Course], x.Name)
	}
	s.teachers.Add(key, out.Teachers)
	return out, nil
}

// rosterKey names who is at a school in a version.
type rosterKey struct {
	school string
	year   int
	roster int64
}
