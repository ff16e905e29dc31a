package people

import (
	"context"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
)

// Messages is what this area needs of app/messages.
type Messages interface {
	ToldSeats(at schoolyear.Place, sections []string)
}

// Schedule is what this area needs of app/schedule.
type Schedule interface {
	Timetable(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*schedule.Timetable, error)
}

// Seats is what this area needs of app/seats.
type Seats interface {
	ForgetTaken(school string, year int)
}

// Sheet is what this area needs of app/sheet.
type Sheet interface {
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
	OpenFor(ctx context.Context, by int64, at schoolyear.Place, act acts.Act) (*appsheet.Desk, error)
}
