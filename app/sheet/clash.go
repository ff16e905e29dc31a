package sheet

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"

	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/placement"
)

// ScheduleKey names a master schedule in a version.
type ScheduleKey struct {
	schoolyear.Key
	Roster int64
}

// Sections are the cells of each section of each course, where families are told what they mean for a sheet;
// none where there are none, or they are not told.
type Sections struct {
	cells  map[int32][][]int32
	digest string // another where the cells are
}

// SectionsOf reads the master schedule of a year.
func (s *Service) SectionsOf(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*Sections, error) {
	key := ScheduleKey{Key: y.Key(), Roster: roster}
	if have, ok := s.schedules.Get(key); ok {
		return have, nil
	}
	return schoolyear.Together(ctx, &s.once, fmt.Sprint("schedule ", key), func(ctx context.Context) (*Sections, error) {
		q := s.base.DB.Queries()
		plan, err := q.Schedule.YearPlan(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		rows, err := q.Schedule.Sections(ctx, y.School, y.Start)
		if err != nil {
			return nil, err
		}
		list := &Sections{cells: map[int32][][]int32{}}
		sum := sha256.New()
		if plan.Clashes && len(rows) > 0 {
			b := y.Sections(rows)
			meets, _, _ := b.Takes()
			if len(b.Problems) > 0 { // nothing is told that may be false
				s.base.Log.WarnContext(ctx, "the master schedule cannot be placed into", "school", y.School, "year", y.Start, "problem",
					b.Problems[0].String())
				meets = nil
			}
			for i := range meets {
				if course, ok := y.Index(b.Sections[i].Course); ok {
					list.cells[course] = append(list.cells[course], meets[i].Cells)
					fmt.Fprintln(sum, course, meets[i].Cells)
				}
			}
		}
		list.digest = string(sum.Sum(nil))
		s.schedules.Add(key, list)
		return list, nil
	})
}

// Clash returns the smallest set of requests that no choice of sections gives together, seats aside; none where
// all can be had, or that is not told. A sheet that is placed is beyond it.
func (d *Desk) Clash() []int32 { return d.clash(-1, -1) }

// ClashWith returns the smallest set that no choice of sections would give together if a course were requested,
// in the place of another one (-1: of none), and that it is in; without the course itself.
func (d *Desk) ClashWith(course, instead int32) (others []int32) {
	set := d.clash(course, instead)
	if !slices.Contains(set, course) {
		return nil
	}
	return slices.DeleteFunc(set, func(c int32) bool { return c == course })
}

func (d *Desk) clash(also, instead int32) (courses []int32) {
	if d.schedule == nil || len(d.schedule.cells) == 0 || acts.State(d.Row.State) == acts.Placed {
		return nil
	}
	var list []int32
	for _, e := range d.Sheet.Requests {
		if e.Course != instead {
			list = append(list, e.Course)
		}
	}
	if also >= 0 {
		list = append(list, also)
	}
	if len(list) > placement.MaxTogether {
		return nil
	}
	sections := make([][][]int32, len(list))
	for i, course := range list {
		sections[i] = d.schedule.cells[course]
	}
	clash, known := placement.Together(sections)
	if !known {
		return nil
	}
	for _, i := range clash {
		courses = append(courses, list[i])
	}
	return courses
}
