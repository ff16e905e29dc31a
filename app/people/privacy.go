package people

import (
	"context"
	"encoding/json"
	"time"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

type lookKey struct {
	store.Place
	person, day string
}

// NoteLook notes, once a day, that someone of the school looks at a student's sheet; the student and the
// family do not count. That it cannot be noted keeps no one from their work, and is logged.
func (s *Service) NoteLook(ctx context.Context, d *appsheet.Desk, r acts.Relation) {
	if r.Self || r.Guardian {
		return
	}
	key := lookKey{store.Place{School: d.Row.School, Year: d.Row.Year, Student: d.Row.Student}, d.Actor.ID,
		d.Now.In(d.Year.Zone()).Format(time.DateOnly)}
	if _, noted := s.looks.Get(key); noted {
		return
	}
	if err := s.base.DB.Queries().People.NoteLook(ctx, key.Place, d.Actor.Name(), key.day, d.Now); err != nil {
		s.base.Log.WarnContext(ctx, "a look was not noted", "school", d.Row.School, "account", d.Actor.Account, "error", err)
		return
	}
	s.looks.Add(key, struct{}{})
}

// maxLooks is how many looks at a sheet are listed.
const maxLooks = 200

// Looks lists who of the school looked at a student's sheet on which day, the latest first, for anyone who
// decides on the sheet.
func (s *Service) Looks(ctx context.Context, by int64, at schoolyear.Place, skip int) ([]store.Look, error) {
	if _, err := s.ports.Sheet.OpenFor(ctx, by, at, acts.Reply); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().People.Looks(ctx, at, skip, maxLooks)
}

// Everything gives the office all that is kept about a person, table by table, to be handed to them. It is
// logged. The error is NotFound.
func (s *Service) Everything(ctx context.Context, by int64, school string, year int, person string) (map[string]json.RawMessage, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	all, err := s.base.DB.Queries().People.Everything(ctx, school, person)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	s.base.Log.InfoContext(ctx, "all that is kept about somebody was given out", "school", school, "account", by)
	return all, nil
}

// erasedAtOnce is how many people are looked for in one go.
const erasedAtOnce = 500

// Erase takes away all that is kept about those whom a school's data has not named since a moment, one after
// the other, and tells how many they were; the service must work as the owner of the tables. With do false it
// takes nothing away, and tells how many they are, at most erasedAtOnce; more says that they may be more.
func (s *Service) Erase(ctx context.Context, school string, before time.Time, do bool) (n int, more bool, err error) {
	for {
		list, err := s.base.DB.Queries().People.LeftBefore(ctx, school, before, erasedAtOnce)
		if err != nil {
			return n, false, err
		}
		if !do {
			return len(list), len(list) == erasedAtOnce, nil
		}
		for _, who := range list {
			if err := s.base.DB.Tx(ctx, func(q store.Queries) error { return q.People.Erase(ctx, school, who) }); err != nil {
				return n, false, err
			}
			n++
		}
		if len(list) < erasedAtOnce {
			return n, false, nil
		}
	}
}
