package seats

import (
	"context"

	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	ToldSeats(at schoolyear.Place, sections []string)
}

// Schedule lists the acts of app/schedule that this area calls.
type Schedule interface {
	Timetable(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*schedule.Timetable, error)
}

// Sheet lists the acts of app/sheet that this area calls.
type Sheet interface {
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
}
