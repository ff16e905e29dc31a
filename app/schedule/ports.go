package schedule

import (
	"context"

	"rubricon/app/actor"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/store"
)

// Background lists the acts of app/background that this area calls.
type Background interface {
	AddTask(ctx context.Context, q store.Queries, a *actor.Actor, task store.TaskRow, file []byte) (int64, error)
}

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	Missed()
	Told(at schoolyear.Place, version int64)
}

// Seats lists the acts of app/seats that this area calls.
type Seats interface {
	Offer(ctx context.Context, q store.Queries, d *appsheet.Desk, table *Timetable, section string) (offered []store.Place, err error)
	ToldOffers(section string, to []store.Place)
}

// Sheet lists the acts of app/sheet that this area calls.
type Sheet = appsheet.Reader
