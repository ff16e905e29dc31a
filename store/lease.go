package store

import (
	"context"
	"crypto/rand"
	"time"
)

// Lease is the right to run something of which one run at a time is enough, in whichever process. It ends by
// itself, so that what a process has left undone another one takes up.
type Lease struct {
	name, holder string
	lasts        time.Duration
}

// NewLease names a right, and how long it lasts each time it is taken.
func NewLease(name string, lasts time.Duration) *Lease { return &Lease{name, rand.Text(), lasts} }

// Take takes the right, or keeps it on, and reports whether no one else has it.
func (l *Lease) Take(ctx context.Context, q Queries) (taken bool, err error) {
	n, err := q.changed(ctx, `INSERT INTO lease AS l (name, holder, until) VALUES ($1, $2, now() + make_interval(secs => $3))
		ON CONFLICT (name) DO UPDATE SET holder = excluded.holder, until = excluded.until WHERE l.holder = excluded.holder OR l.until < now()`,
		l.name, l.holder, l.lasts.Seconds())
	return n > 0, err
}

// Leave gives the right back.
func (l *Lease) Leave(ctx context.Context, q Queries) error {
	return q.exec(ctx, `DELETE FROM lease WHERE name = $1 AND holder = $2`, l.name, l.holder)
}
