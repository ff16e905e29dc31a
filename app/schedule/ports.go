package schedule

import (
	"context"
	"rubricon/app/actor"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/store"
)

// Background is what this area needs of app/background.
type Background interface {
	AddTask(ctx context.Context, q store.Queries, a *actor.Actor, task store.TaskRow, file []byte) (int64, error)
}

// Imports is what this area needs of app/imports.
type Imports interface {
	Export(ctx context.Context, school string, year int) (files []bundle.File, left []string, err error)
}

// Messages is what this area needs of app/messages.
type Messages interface {
	Missed()
	Told(at schoolyear.Place, version int64)
}

// Seats is what this area needs of app/seats.
type Seats interface {
	Offer(ctx context.Context, q store.Queries, d *appsheet.Desk, table *Timetable, section string) (offered []store.Place, err error)
	ToldOffers(section string, to []store.Place)
}

// Sheet is what this area needs of app/sheet.
type Sheet = appsheet.Reader
