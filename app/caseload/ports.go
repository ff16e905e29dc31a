package caseload

import (
	"context"

	"rubricon/app/actor"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/roster"
	"rubricon/store"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	Announce(d *appsheet.Desk, c *store.Change)
	Told(at schoolyear.Place, version int64)
}

// People lists the acts of app/people that this area calls.
type People interface {
	Roll(ctx context.Context, school string, heads []store.HeadRow) ([]roster.Person, error)
	SetForRoster(ctx context.Context, a *actor.Actor, note string, give bool, school string, set func(q store.Queries) (bool, error)) error
}

// Sheet lists the acts of app/sheet that this area calls.
type Sheet interface {
	appsheet.Reader
	Act(ctx context.Context, by int64, at schoolyear.Place, version int64, act acts.Act, reason string,
		do func(d *appsheet.Desk) (*store.Change, error)) (*appsheet.Desk, error)
	Lay(ctx context.Context, row store.SheetRow, a *actor.Actor) (*appsheet.Desk, error)
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
	Refused(ctx context.Context, d *appsheet.Desk, act acts.Act, err error)
}
