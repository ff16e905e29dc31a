package account

import (
	"sync"
	"time"
)

// line admits, one after the other in the order in which they first came, those who want something of which
// only so much can be done. Some wait inside; who comes when there is no room is told when it is their turn,
// and keeps that place: anyone who comes back then is let in before those who came later. It is one process's;
// who comes back to another one gets a place there too.
type line struct {
	room int // how many may be inside: being served, or waiting a moment for it

	mu     sync.Mutex
	inside int
	takes  time.Duration // one after the other, on average
	end    time.Time     // when it is the turn of anyone who comes next to the end of the line
	places map[string]time.Time
	swept  time.Time
}

const (
	// placeKept is how long a place is kept for someone whose turn has come.
	placeKept = 10 * time.Minute
	// maxPlaces bounds how many places are kept; those beyond them are told to come back when the line ends, and
	// are not known then.
	maxPlaces = 20_000
	// learns is the part that one turn has in what a turn takes on average.
	learns = 0.1
)

func newLine(room int, takes time.Duration) *line {
	return &line{room: room, takes: takes, places: map[string]time.Time{}}
}

// enter admits someone (0; leave must be called), or tells how long it is until their turn.
func (l *line) enter(who string, now time.Time) time.Duration {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.sweep(now)
	at, known := l.places[who]
	switch {
	case l.inside < l.room && (!now.Before(l.end) || known && !now.Before(at) || l.inside == 0): // no one is before them, or no one has come
		delete(l.places, who)
		l.inside++
		return 0
	case known && now.Before(at):
		return at.Sub(now)
	case known: // their turn has come, and there is no room for a moment
		return time.Duration(l.room) * l.takes
	}
	// when half of those inside are gone, so that someone always waits there
	if first := now.Add(time.Duration((l.room+1)/2) * l.takes); l.end.Before(first) {
		l.end = first
	}
	at = l.end
	if len(l.places) < maxPlaces {
		l.places[who] = at
		l.end = at.Add(l.takes)
	}
	return at.Sub(now)
}

// leave records that someone who was let in is gone, and what serving them took; 0: they were not served.
func (l *line) leave(took time.Duration) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.inside--
	if took > 0 {
		l.takes += time.Duration(learns * float64(took-l.takes))
	}
}

// sweep forgets, now and then, the places of those who have not come back.
func (l *line) sweep(now time.Time) {
	if now.Sub(l.swept) < time.Minute {
		return
	}
	l.swept = now
	for who, at := range l.places {
		if now.Sub(at) > placeKept {
			delete(l.places, who)
		}
	}
}
