package seats

import (
	"context"
	"fmt"
	"maps"
	"sync"
	"time"

	schoolyear "rubricon/app/year"
)

// takenFor is how long a count of taken seats serves all who look: a seat itself is taken only where one is
// left when it is counted under a lock.
const takenFor = 150 * time.Millisecond

// seatCounts are the seats taken in each year, as they were counted last.
type seatCounts struct {
	mu        sync.Mutex
	taken     map[schoolyear.YearOf]*takenSeats
	forgotten map[schoolyear.YearOf]int64
}

func newSeatCounts() *seatCounts {
	return &seatCounts{taken: map[schoolyear.YearOf]*takenSeats{}, forgotten: map[schoolyear.YearOf]int64{}}
}

type takenSeats struct {
	day    string
	at     time.Time
	taken  map[string]int
	serial int64 // of what this process had forgotten by then
}

// taken counts the seats that are taken in each section of a year on a day or later; many who look at once count once.
func (s *Service) taken(ctx context.Context, school string, year int, day string) (map[string]int, error) {
	at := schoolyear.YearOf{School: school, Year: year}
	c := s.counts
	c.mu.Lock()
	serial := c.forgotten[at]
	if have := c.taken[at]; have != nil && have.day == day && have.serial == serial && time.Since(have.at) < takenFor {
		c.mu.Unlock()
		return have.taken, nil
	}
	c.mu.Unlock()
	return schoolyear.Together(ctx, &s.once, fmt.Sprint("taken ", at, day, serial), func(ctx context.Context) (map[string]int, error) {
		began := time.Now()
		taken, err := s.base.DB.Queries().Seats.Taken(ctx, school, year, day, s.base.Now())
		if err == nil {
			c.mu.Lock()
			c.taken[at] = &takenSeats{day: day, at: began, taken: taken, serial: serial}
			c.mu.Unlock()
		}
		return taken, err
	})
}

// countTaken counts seats that were taken and given back, so that who has done it sees it at once.
func (s *Service) countTaken(where schoolyear.Place, came, gone []string) {
	c, at := s.counts, schoolyear.YearOf{School: where.School, Year: where.Year}
	c.mu.Lock()
	defer c.mu.Unlock()
	have := c.taken[at]
	if have == nil {
		return
	}
	next := *have
	next.taken = maps.Clone(have.taken)
	for _, section := range came {
		next.taken[section]++
	}
	for _, section := range gone {
		next.taken[section]--
	}
	c.taken[at] = &next
}

// ForgetTaken lets seats be counted again by anyone who looks next in this process.
func (s *Service) ForgetTaken(school string, year int) {
	c := s.counts
	c.mu.Lock()
	defer c.mu.Unlock()
	c.forgotten[schoolyear.YearOf{School: school, Year: year}]++
}

// CountLeft counts the seats that are left in some sections, by one statement; nil where that cannot be.
func (s *Service) CountLeft(at schoolyear.YearOf, sections []string) map[string]int {
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	day := s.base.Now().UTC().Format(time.DateOnly)
	s.counts.mu.Lock()
	if have := s.counts.taken[at]; have != nil { // in the school's time zone
		day = have.day
	}
	s.counts.mu.Unlock()
	left, err := s.base.DB.Aside().Seats.Left(ctx, at.School, at.Year, sections, day, s.base.Now())
	if err != nil {
		return nil
	}
	return left
}
