package catalog

import (
	"context"
	"rubricon/app/actor"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Messages is what this area needs of app/messages.
type Messages interface {
	Missed()
}

// Sheet is what this area needs of app/sheet.
type Sheet interface {
	Desks(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, students []string) ([]*appsheet.Desk, error)
}
