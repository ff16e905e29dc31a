package messages

import (
	"context"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
)

// Sheet lists the acts of app/sheet that this area calls.
type Sheet interface {
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
	OpenFor(ctx context.Context, by int64, at schoolyear.Place, act acts.Act) (*appsheet.Desk, error)
	Unseen(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
}
