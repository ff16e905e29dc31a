package seats

import (
	"context"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
)

// Messages is what this area needs of app/messages.
type Messages interface {
	ToldSeats(at schoolyear.Place, sections []string)
}

// Schedule is what this area needs of app/schedule.
type Schedule interface {
	Timetable(ctx context.Context, y *schoolyear.SchoolYear, roster int64) (*schedule.Timetable, error)
}

// Sheet is what this area needs of app/sheet.
type Sheet interface {
	Open(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, error)
}
