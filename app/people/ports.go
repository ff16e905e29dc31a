package people

import (
	"context"

	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	ToldSeats(at schoolyear.Place, sections []string)
}

// Schedule lists the acts of app/schedule that this area calls.
type Schedule interface {
	Timetable(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*schedule.Timetable, error)
}

// Seats lists the acts of app/seats that this area calls.
type Seats interface {
	ForgetTaken(school string, year int)
}

// Sheet lists the acts of app/sheet that this area calls.
type Sheet interface {
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
	OpenFor(ctx context.Context, by int64, at schoolyear.Place, act acts.Act) (*appsheet.Desk, error)
}
