package sheet

import (
	"context"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// Messages is what this area needs of app/messages.
type Messages interface {
	Announce(d *Desk, c *store.Change)
	Told(at schoolyear.Place, version int64)
}

// People is what this area needs of app/people.
type People interface {
	NoteLook(ctx context.Context, d *Desk, r acts.Relation)
}
