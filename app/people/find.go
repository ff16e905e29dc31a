package people

import (
	"context"
	"strings"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/app/text"
	"rubricon/core/acts"
	"rubricon/store"
)

// FoundPerson is a person found by name.
type FoundPerson = store.Found

// MaxFound is how many people are found at the most.
const MaxFound = 50

// FindPeople lists people of a school by words of their names.
func (s *Service) FindPeople(ctx context.Context, by int64, school string, year int, text string) ([]FoundPerson, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	words := strings.Fields(strings.ReplaceAll(text, ",", " "))
	return s.base.DB.Queries().People.FindPeople(ctx, school, words, MaxFound)
}

// SetRight lets a person of the staff administer the school, or takes that back, with a reason. The errors
// are NeedsReason; AlreadyDone where nothing changes, also where the right comes with the school's data,
// which alone take it; and NotYours for one's own.
func (s *Service) SetRight(ctx context.Context, by int64, school string, year int, person string, give bool, reason string) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return err
	}
	if reason = text.Tidy(reason); reason == "" {
		return problem.New(problem.NeedsReason)
	}
	if person == a.ID {
		return problem.New(problem.Code(acts.NotYours))
	}
	set := store.OfficeQueries.TakeRight
	if give {
		set = store.OfficeQueries.GiveRight
	}
	return s.SetForRoster(ctx, a, "a right was set", give, school, func(q store.Queries) (bool, error) {
		return set(q.Office, ctx, school, person, a.Name().Name, reason, s.base.Now())
	})
}

// SetForRoster does what changes who may do what in a school. The error is AlreadyDone where nothing changes.
func (s *Service) SetForRoster(ctx context.Context, a *actor.Actor, note string, give bool, school string,
	set func(q store.Queries) (bool, error)) error {
	done := false
	err := s.base.DB.Tx(ctx, func(q store.Queries) (err error) {
		if done, err = set(q); err != nil || !done {
			return err
		}
		return q.Year.RaiseRoster(ctx, school, 0)
	})
	if err == nil && !done {
		err = problem.New(problem.Code(acts.AlreadyDone))
	}
	if err == nil {
		s.base.Log.InfoContext(ctx, note, "school", school, "account", a.Account, "give", give)
	}
	return err
}
