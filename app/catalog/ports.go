package catalog

import (
	"context"

	"rubricon/app/actor"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	Missed()
}

// Sheet lists the acts of app/sheet that this area calls.
type Sheet interface {
	Desks(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, students []string) ([]*appsheet.Desk, error)
}
