package school

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"rubricon/core/acts"
	"rubricon/store"
)

// What is changed by one person is heard by those who look at it, in whichever server process: a process tells of its changes some
// times a second, all at once, so that a change itself costs nothing more.

// toldEvery is how long changes are collected before they are told.
const toldEvery = 50 * time.Millisecond

// Heard is a sheet that has changed. Without a student something may have been missed: look at everything again.
type Heard struct {
	Student string
	Version int64
}

// Watch hears of changes until it is closed.
type Watch struct {
	C       <-chan Heard
	in      chan Heard
	school  string
	year    int
	student string // "": all of the year
	hub     *hub
}

// Close ends it.
func (w *Watch) Close() {
	w.hub.mu.Lock()
	defer w.hub.mu.Unlock()
	delete(w.hub.watches, w)
}

// hub leads what is heard to those who watch.
type hub struct {
	mu        sync.Mutex
	watches   map[*Watch]bool
	out       chan store.Told // of this process
	listening atomic.Bool     // what is told comes back
}

func newHub() *hub {
	return &hub{watches: map[*Watch]bool{}, out: make(chan store.Told, 4096)}
}

func (h *hub) watch(school string, year int, student string) *Watch {
	in := make(chan Heard, 64)
	w := &Watch{C: in, in: in, school: school, year: year, student: student, hub: h}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.watches[w] = true
	return w
}

// hear leads changes on. Who is too slow to take them hears that something was missed, once there is room.
func (h *hub) hear(list []store.Told) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watches {
		for _, t := range list {
			if t.School == w.school && t.Year == w.year && (w.student == "" || w.student == t.Student) {
				w.put(Heard{t.Student, t.Version})
			}
		}
	}
}

func (w *Watch) put(heard Heard) {
	select {
	case w.in <- heard:
	default: // full: what is in it is as good as one word
		for len(w.in) > 0 {
			<-w.in
		}
		w.in <- Heard{}
	}
}

// missed tells everybody that something may have been missed.
func (h *hub) missed() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watches {
		w.put(Heard{})
	}
}

// told notes that a sheet has changed.
func (s *Service) told(at Place, version int64) {
	t := store.Told{School: at.School, Year: at.Year, Student: at.Student, Version: version}
	if !s.hub.listening.Load() {
		s.hub.hear([]store.Told{t}) // there is only this process to hear it
		return
	}
	select {
	case s.hub.out <- t:
	default: // screens look again now and then by themselves
	}
}

// WatchSheet hears of changes to a sheet. The error is that of reading it.
func (s *Service) WatchSheet(ctx context.Context, by int64, at Place) (*Watch, error) {
	if _, err := s.open(ctx, by, at); err != nil {
		return nil, err
	}
	return s.hub.watch(at.School, at.Year, at.Student), nil
}

// WatchYear hears of changes to all sheets of a school year. The error is that of reading the caseload.
func (s *Service) WatchYear(ctx context.Context, by int64, school string, year int) (*Watch, error) {
	if _, _, err := s.reader(ctx, by, school, year, acts.SeeCaseload); err != nil {
		return nil, err
	}
	return s.hub.watch(school, year, ""), nil
}

// Live tells the other server processes of changes and hears theirs, until the context ends. While the database cannot be reached
// nothing is heard; who watches then looks again.
func (s *Service) Live(ctx context.Context) {
	go s.tell(ctx)
	for ctx.Err() == nil {
		err := s.db.Listen(ctx, func() {
			s.hub.listening.Store(true)
			s.hub.missed() // what was said while nobody listened
		}, s.hub.hear)
		s.hub.listening.Store(false)
		if ctx.Err() == nil {
			s.log.WarnContext(ctx, "changes of other processes are not heard; trying again", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Service) tell(ctx context.Context) {
	for {
		var list []store.Told
		select {
		case <-ctx.Done():
			return
		case first := <-s.hub.out:
			list = append(list, first)
		}
		time.Sleep(toldEvery)
		for len(s.hub.out) > 0 {
			list = append(list, <-s.hub.out)
		}
		if err := s.db.Queries().Tell(ctx, list); err != nil && ctx.Err() == nil {
			s.log.WarnContext(ctx, "changes were not told", "error", err)
		}
	}
}
