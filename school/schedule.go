package school

import (
	"context"
	"fmt"

	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/placement"
)

// scheduleKey names a master schedule in a version.
type scheduleKey struct {
	yearKey
	roster int64
}

// schedule are the cells of each section of each course, where families are told what they mean for a sheet; nil: there are none, or they are not told.
type schedule map[int32][][]int32

// schedule reads the master schedule of a year.
func (s *Service) schedule(ctx context.Context, y *SchoolYear, roster int64) (schedule, error) {
	key := scheduleKey{yearKey{y.School, y.Start, y.CatalogVersion, y.PolicyVersion}, roster}
	if have, ok := s.cache.schedules.Get(key); ok {
		return have, nil
	}
	out, err, _ := s.cache.compile.Do(fmt.Sprint("schedule ", key), func() (any, error) {
		q := s.db.Queries()
		plan, err := q.YearPlan(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		rows, err := q.Classes(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		list := schedule{}
		if plan.Clashes && len(rows) > 0 {
			source, err := q.Source(ctx, y.School, y.Start, y.CatalogVersion, y.PolicyVersion)
			if err != nil {
				return nil, err
			}
			b, err := bundle.ReadFiles(append(sourceFiles(source), asFile("classes.csv", nil, rows)))
			if err != nil {
				return nil, fmt.Errorf("reading the master schedule: %w", err)
			}
			p, _ := b.Placement()
			for i := range p.Sections {
				if course, ok := y.Index(b.Sections[i].Course); ok {
					list[course] = append(list[course], p.Sections[i].Cells)
				}
			}
		}
		s.cache.schedules.Add(key, list)
		return list, nil
	})
	if err != nil {
		return nil, err
	}
	return out.(schedule), nil
}

// Clash gives the smallest set of requests that no choice of sections gives together, seats aside; none where all can be had, or that is not told. A sheet that is placed is beyond it.
func (d *Desk) Clash() (courses []int32) {
	if len(d.schedule) == 0 || acts.State(d.Row.State) == acts.Placed || len(d.Sheet.Requests) > placement.MaxTogether {
		return nil
	}
	sections := make([][][]int32, len(d.Sheet.Requests))
	for i, e := range d.Sheet.Requests {
		sections[i] = d.schedule[e.Course]
	}
	clash, known := placement.Together(sections)
	if !known {
		return nil
	}
	for _, i := range clash {
		courses = append(courses, d.Sheet.Requests[i].Course)
	}
	return courses
}
