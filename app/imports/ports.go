package imports

import (
	"context"
)

// Account lists the acts of app/account that this area calls.
type Account interface {
	Hash(ctx context.Context, password string) (hash string, err error)
}

// Office lists the acts of app/office that this area calls.
type Office interface {
	Schools(ctx context.Context) ([]string, error)
}

// People lists the acts of app/people that this area calls.
type People interface {
	GiveBackSeats(ctx context.Context, school string) error
}

// Seats lists the acts of app/seats that this area calls.
type Seats interface {
	ForgetTaken(school string, year int)
}
