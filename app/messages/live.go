package messages

import (
	"context"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// What is changed by one person is heard by those who look at it, in whichever server process: a process
// tells of its changes some times a second, all at once, so that a change itself costs nothing more.

// toldEvery is how long changes are collected before they are told.
const toldEvery = 50 * time.Millisecond

// countedEvery is how often seats are counted at the most.
const countedEvery = 150 * time.Millisecond

// Heard is a sheet that has changed, or where seats are watched a student's choice of them (without a
// version), or how many seats are left in sections now. Without a student and such numbers something may have
// been missed: look at everything again.
type Heard struct {
	Student string
	Version int64
	Left    map[string]int // by section
}

// Watch hears of changes until it is closed.
type Watch struct {
	C       <-chan Heard
	May     func(context.Context) error // whether who watches still may; the error is that of beginning to
	in      chan Heard
	school  string
	year    int
	student string // "": all of the year
	seats   bool   // what is chosen in the master schedule, in the place of sheets
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

	count    func(schoolyear.YearOf, []string) map[string]int // counts the seats that are left in sections; nil where that cannot be
	changed  map[schoolyear.YearOf]map[string]bool            // sections whose seats are to be counted
	counting bool
}

func newHub() *hub {
	return &hub{watches: map[*Watch]bool{}, out: make(chan store.Told, 4096), changed: map[schoolyear.YearOf]map[string]bool{}}
}

func (h *hub) watch(school string, year int, student string, seats bool) *Watch {
	in := make(chan Heard, 64)
	w := &Watch{C: in, in: in, school: school, year: year, student: student, seats: seats, hub: h}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.watches[w] = true
	return w
}

// hear leads changes on. Who is too slow to take them hears that something was missed, once there is room.
func (h *hub) hear(list []store.Told) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, t := range list {
		at := schoolyear.YearOf{School: t.School, Year: t.Year}
		if t.Section != "" {
			if h.changed[at] == nil {
				h.changed[at] = map[string]bool{}
			}
			h.changed[at][t.Section] = true
			continue
		}
		for w := range h.watches {
			if at == (schoolyear.YearOf{School: w.school, Year: w.year}) && w.seats == t.Seats && (w.student == "" || w.student == t.Student) {
				w.put(Heard{Student: t.Student, Version: t.Version})
			}
		}
	}
	if len(h.changed) > 0 && !h.counting && h.count != nil {
		h.counting = true
		go h.countSeats()
	}
}

// countSeats counts the seats that are left in sections of which something was heard, and leads the numbers
// on, until nothing more is heard: one count a while for all who look, anyone who has changed how much.
func (h *hub) countSeats() {
	for {
		h.mu.Lock()
		changed := h.changed
		h.changed = map[schoolyear.YearOf]map[string]bool{}
		watched := map[schoolyear.YearOf]bool{}
		for w := range h.watches {
			if w.seats {
				watched[schoolyear.YearOf{School: w.school, Year: w.year}] = true
			}
		}
		if h.counting = len(changed) > 0; !h.counting {
			h.mu.Unlock()
			return
		}
		h.mu.Unlock()
		for at, sections := range changed {
			if !watched[at] {
				continue
			}
			left := h.count(at, slices.Sorted(maps.Keys(sections)))
			h.mu.Lock()
			for w := range h.watches {
				if w.seats && at == (schoolyear.YearOf{School: w.school, Year: w.year}) {
					w.put(Heard{Left: left}) // with nil: look again
				}
			}
			h.mu.Unlock()
		}
		time.Sleep(countedEvery)
	}
}

// put hands on what was heard without ever waiting: it is called under the hub's lock, while the reader takes
// from the other end. A watch whose buffer is full is emptied and gets one Heard{} instead.
func (w *Watch) put(heard Heard) {
	select {
	case w.in <- heard:
		return
	default:
	}
	drain(w.in)
	select {
	case w.in <- Heard{}:
	default: // unreachable while put is the only sender
	}
}

// drain returns what a channel has now, at most its capacity, without waiting for more.
func drain[T any](c <-chan T) (list []T) {
	for range cap(c) {
		select {
		case x := <-c:
			list = append(list, x)
		default:
			return list
		}
	}
	return list
}

// missed tells everyone that something may have been missed.
func (h *hub) missed() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watches {
		w.put(Heard{})
	}
}

// Missed tells everyone who watches that something may have changed that no single student is named for.
func (s *Service) Missed() { s.hub.missed() }

// Told notes that a sheet has changed.
func (s *Service) Told(at schoolyear.Place, version int64) {
	s.pass(store.Told{School: at.School, Year: at.Year, Student: at.Student, Version: version})
}

// ToldSeats notes that a student's choice of seats has changed, and the seats that are left in some sections.
func (s *Service) ToldSeats(at schoolyear.Place, sections []string) {
	s.pass(store.Told{School: at.School, Year: at.Year, Student: at.Student, Seats: true})
	for _, section := range sections {
		s.pass(store.Told{School: at.School, Year: at.Year, Section: section})
	}
}

func (s *Service) pass(t store.Told) {
	if !s.hub.listening.Load() {
		s.hub.hear([]store.Told{t}) // there is only this process to hear it
		return
	}
	select {
	case s.hub.out <- t:
	default: // screens look again now and then by themselves
	}
}

// WatchSeats hears of changes to a student's choice of seats, and of how many seats are left. The error is
// that of reading the sheet.
func (s *Service) WatchSeats(ctx context.Context, by int64, at schoolyear.Place) (*Watch, error) {
	return s.watch(ctx, at.School, at.Year, at.Student, true, s.mayRead(by, at))
}

// WatchChoosing hears of changes to everybody's choice of seats in a year. The error is that of reading the caseload.
func (s *Service) WatchChoosing(ctx context.Context, by int64, school string, year int) (*Watch, error) {
	return s.watch(ctx, school, year, "", true, s.mayReadAll(by, school, year))
}

// WatchSheet hears of changes to a sheet. The error is that of reading it.
func (s *Service) WatchSheet(ctx context.Context, by int64, at schoolyear.Place) (*Watch, error) {
	return s.watch(ctx, at.School, at.Year, at.Student, false, s.mayRead(by, at))
}

// WatchYear hears of changes to all sheets of a school year. The error is that of reading the caseload.
func (s *Service) WatchYear(ctx context.Context, by int64, school string, year int) (*Watch, error) {
	return s.watch(ctx, school, year, "", false, s.mayReadAll(by, school, year))
}

func (s *Service) watch(ctx context.Context, school string, year int, student string, seats bool,
	may func(context.Context) error) (*Watch, error) {
	if err := may(ctx); err != nil {
		return nil, err
	}
	w := s.hub.watch(school, year, student, seats)
	w.May = may
	return w, nil
}

// mayRead checks that someone may read a sheet. To hear of its changes is not to look at the student.
func (s *Service) mayRead(by int64, at schoolyear.Place) func(context.Context) error {
	return func(ctx context.Context) error {
		_, err := s.ports.Sheet.Unseen(ctx, by, at)
		return err
	}
}

func (s *Service) mayReadAll(by int64, school string, year int) func(context.Context) error {
	return func(ctx context.Context) error {
		_, _, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
		return err
	}
}

// Live tells the other server processes of changes and hears theirs, until the context ends. While the
// database cannot be reached nothing is heard; who watches then looks again.
func (s *Service) Live(ctx context.Context) {
	go s.tellOthers(ctx)
	for ctx.Err() == nil {
		err := s.base.DB.Listen(ctx, func() {
			s.hub.listening.Store(true)
			s.hub.missed() // what was said while no one listened
		}, s.hub.hear)
		s.hub.listening.Store(false)
		if ctx.Err() == nil {
			s.base.Log.WarnContext(ctx, "changes of other processes are not heard; trying again", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Service) tellOthers(ctx context.Context) {
	for {
		var list []store.Told
		select {
		case <-ctx.Done():
			return
		case first := <-s.hub.out:
			list = append(list, first)
		}
		time.Sleep(toldEvery)
		list = append(list, drain(s.hub.out)...)
		if err := s.base.DB.Aside().Messages.Tell(ctx, list); err != nil && ctx.Err() == nil {
			s.base.Log.WarnContext(ctx, "changes were not told", "error", err)
		}
	}
}
