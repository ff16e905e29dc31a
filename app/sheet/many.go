package sheet

import (
	"context"
	"runtime"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/errgroup"

	"rubricon/app/actor"
	schoolyear "rubricon/app/year"
	"rubricon/store"
)

// FoundKey names a sheet in a version, with all that it was judged by.
type FoundKey struct {
	schoolyear.FactsKey
	version int64
	apart   bool   // the summer round is handed in on its own
	classes string // the digest of the master schedule, as far as it is told
}

// Reader reads the sheets of many students.
type Reader interface {
	SectionsOf(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*Sections, error)
	Desks(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, students []string) ([]*Desk, error)
}

// OfMany returns something of each sheet, which is worked out where it is not cached by its key; nothing of a
// sheet that is gone.
func OfMany[K comparable, V any](ctx context.Context, s Reader, y *schoolyear.SchoolYear, a *actor.Actor,
	heads []store.HeadRow, hand *lru.Cache[K, *V], key func(FoundKey) K, workOut func(*Desk) *V) ([]*V, error) {
	sections, err := s.SectionsOf(ctx, y, a.Roster)
	if err != nil {
		return nil, err
	}
	out := make([]*V, len(heads))
	keys := make([]K, len(heads))
	at := map[string]int{}
	var missing []string
	for i := range heads {
		h := &heads[i]
		keys[i] = key(FoundKey{FactsKey: schoolyear.FactsKey{Key: y.Key(), Student: h.Student, Facts: h.Facts},
			version: h.Version, apart: h.SummerOpens != nil, classes: sections.digest})
		if have, ok := hand.Get(keys[i]); ok {
			out[i] = have
			continue
		}
		at[h.Student] = i
		missing = append(missing, h.Student)
	}
	if len(missing) == 0 {
		return out, nil
	}
	desks, err := s.Desks(ctx, y, a, missing)
	if err != nil {
		return nil, err
	}
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	for _, d := range desks {
		i := at[d.Row.Student]
		d.schedule = sections
		work.Go(func() error {
			out[i] = workOut(d)
			return nil
		})
	}
	_ = work.Wait() // nothing of it fails
	for _, d := range desks {
		i := at[d.Row.Student]
		// else it has changed in the meantime, and what is cached goes by the versions
		if d.Row.Version == heads[i].Version && d.Row.Facts == heads[i].Facts {
			hand.Add(keys[i], out[i])
		}
	}
	return out, nil
}

// Desks reads the sheets of some students of a year.
func (s *Service) Desks(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, students []string) ([]*Desk, error) {
	list, err := s.base.DB.Queries().Caseload.Cases(ctx, y.School, y.Start, students)
	if err != nil {
		return nil, err
	}
	sheets := make([]*store.SheetRow, len(list))
	for i := range list {
		sheets[i] = &list[i].SheetRow
	}
	known, err := s.base.Years.KnownOf(ctx, y, sheets)
	if err != nil {
		return nil, err
	}
	desks, now := make([]*Desk, len(list)), s.base.Now()
	for i := range list {
		desks[i] = &Desk{Row: list[i].SheetRow, Pupil: list[i].Pupil, Year: y, Known: known[i], Actor: a, Now: now}
	}
	return desks, nil
}
