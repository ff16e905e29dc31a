package imports

import (
	"context"
)

// Account is what this area needs of app/account.
type Account interface {
	Hash(ctx context.Context, password string) (hash string, err error)
}

// Office is what this area needs of app/office.
type Office interface {
	Schools(ctx context.Context) ([]string, error)
}

// People is what this area needs of app/people.
type People interface {
	GiveBackSeats(ctx context.Context, school string) error
}

// Seats is what this area needs of app/seats.
type Seats interface {
	ForgetTaken(school string, year int)
}
