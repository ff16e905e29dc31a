package account

import (
	"container/heap"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
)

// arrival is someone who comes to a line, at a time.
type arrival struct {
	who int
	at  time.Time
}

type arrivals []arrival

func (a arrivals) Len() int           { return len(a) }
func (a arrivals) Less(i, k int) bool { return a[i].at.Before(a[k].at) }
func (a arrivals) Swap(i, k int)      { a[i], a[k] = a[k], a[i] }
func (a *arrivals) Push(x any)        { *a = append(*a, x.(arrival)) }
func (a *arrivals) Pop() any {
	old := *a
	x := old[len(old)-1]
	*a = old[:len(old)-1]
	return x
}

// Many come within a time that is much too short for all: everybody who comes back when told is let in, before those who came later, and hardly anybody is told more than a few times; anyone who serves them has always someone to serve.
func TestALine(t *testing.T) {
	const serves = 300 * time.Millisecond
	for _, x := range []struct {
		name        string
		guess       time.Duration // of what a turn takes
		people      int
		within      time.Duration
		gone        int // in a hundred: who do not come back
		most        int // how often anybody is told, at most
		long, early time.Duration
	}{
		{"as expected", serves, 3000, 5 * time.Minute, 0, 4, 16 * time.Minute, 10 * time.Second},
		{"slower than expected", serves / 4, 3000, 5 * time.Minute, 0, 40, 17 * time.Minute, 2 * time.Minute},
		{"faster than expected", serves * 3, 1000, 2 * time.Minute, 0, 4, 8 * time.Minute, time.Minute},   // until that is learnt, who comes when no one is inside is let in
		{"some never come back", serves, 3000, 5 * time.Minute, 20, 4, 16 * time.Minute, 3 * time.Minute}, // the same: better someone early than no one
		{"nobody need wait", serves, 300, 5 * time.Minute, 0, 2, 6 * time.Minute, 10 * time.Second},
	} {
		t.Run(x.name, func(t *testing.T) {
			random := rand.New(rand.NewPCG(7, 7))
			begin := time.Date(2027, 3, 1, 8, 0, 0, 0, time.UTC)
			l := newLine(signInRoom, x.guess)
			var coming arrivals
			first, served, told := make([]time.Time, x.people), make([]time.Time, x.people), make([]int, x.people)
			for who := range x.people {
				first[who] = begin.Add(time.Duration(random.Float64() * float64(x.within)))
				coming = append(coming, arrival{who, first[who]})
			}
			heap.Init(&coming)
			var inside []arrival // in the order in which they were let in; the first is being served until its time
			free := begin
			settle := func(now time.Time) {
				for len(inside) > 0 && !inside[0].at.After(now) {
					served[inside[0].who] = inside[0].at
					l.leave(serves)
					inside = inside[1:]
				}
			}
			for len(coming) > 0 {
				a := heap.Pop(&coming).(arrival)
				settle(a.at)
				wait := l.enter(fmt.Sprint(a.who), a.at)
				if wait == 0 {
					if free.Before(a.at) {
						free = a.at
					}
					free = free.Add(serves)
					inside = append(inside, arrival{a.who, free})
					if len(inside) > signInRoom {
						t.Fatalf("%d are inside", len(inside))
					}
					continue
				}
				if told[a.who]++; told[a.who] > x.most {
					t.Fatalf("somebody is told %d times to come back", told[a.who])
				}
				if random.IntN(100) >= x.gone { // in whole seconds, as it is said, and a little later
					coming.Push(arrival{a.who, a.at.Add(wait.Truncate(time.Second) + time.Second + time.Duration(random.IntN(500))*time.Millisecond)})
					heap.Fix(&coming, len(coming)-1)
				}
			}
			settle(free)
			if took := free.Sub(begin); took > x.long {
				t.Errorf("all are served after %v", took)
			}
			ahead := time.Duration(0)
			for i := range first {
				if served[i].IsZero() {
					if x.gone == 0 {
						t.Fatalf("somebody is never served")
					}
					continue
				}
				for k := range first {
					if !served[k].IsZero() && first[i].Before(first[k]) && served[k].Before(served[i]) {
						ahead = max(ahead, min(first[k].Sub(first[i]), served[i].Sub(served[k])))
					}
				}
			}
			if ahead > x.early {
				t.Errorf("somebody who came %v later is served that much earlier", ahead)
			}
		})
	}
}

// Places are bounded, and forgotten when no one comes for them.
func TestALineForgets(t *testing.T) {
	now := time.Date(2027, 3, 1, 8, 0, 0, 0, time.UTC)
	l := newLine(1, time.Second)
	if l.enter("first", now) != 0 {
		t.Fatal("nobody is there, and one is not let in")
	}
	for n := range maxPlaces + 10 {
		if wait := l.enter(fmt.Sprint(n), now); wait < time.Second || wait > (maxPlaces+10)*time.Second {
			t.Fatalf("the %dth waits %v", n, wait)
		}
	}
	if len(l.places) != maxPlaces {
		t.Errorf("%d places are kept", len(l.places))
	}
	if a, b := l.enter("7", now), l.enter("7", now); a != b || a > 9*time.Second {
		t.Errorf("asking again, the eighth waits %v, then %v", a, b)
	}
	later := now.Add(maxPlaces*time.Second + placeKept + time.Minute)
	l.leave(0)
	if l.enter("another", later) != 0 || len(l.places) != 0 {
		t.Errorf("%d places are kept for those who have not come", len(l.places))
	}
}
