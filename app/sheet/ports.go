package sheet

import (
	"context"

	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	Announce(d *Desk, c *store.Change)
	Told(at schoolyear.Place, version int64)
}

// People lists the acts of app/people that this area calls.
type People interface {
	NoteLook(ctx context.Context, d *Desk, r acts.Relation)
}
