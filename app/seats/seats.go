package seats

import (
	"cmp"
	"context"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Week is a student's choice of seats in the finished master schedule, in front of someone. Sections are
// named by their places in Sections.
type Week struct {
	*appsheet.Desk
	Choice   store.ChoiceRow
	Sections []schedule.TableSection
	Own      []schedule.OwnSeat
	Found    *sheet.Choice
	Lines    []SeatLine // one for each section
	Waits    []store.WaitRow
	SeatActs acts.SeatAnswers
	SeatNext acts.SeatAct
	Nothing  bool           // nothing is to be done
	Undoes   *store.SeatAct // the reader's own act that undoing takes back; nil: none, or somebody else's is the latest
	others   bool           // somebody else's act is the latest
	Waiting  store.SeatRules

	table *schedule.Timetable
	taken map[string]int
}

// SeatLine is one section as the student can or cannot take it.
type SeatLine struct {
	sheet.RequestResult
	Own   bool
	Left  int   // may be negative
	Clash []int // own sections that meet at the same time or are of its course
	Fits  bool
	Fills int          // open cells
	May   problem.Code // why the family may not take it, whether it fits or not; empty: it may
	Rank  int          // among what the sheet asks for, from 1; alternates come after requests; 0: it does not
}

// Shown is the choice as a published week is shown.
func (w *Week) Shown() *schedule.Shown {
	out := &schedule.Shown{Given: []schedule.GivenSection{}, Lacking: []schedule.Lacking{}}
	for _, own := range w.Own {
		x := &w.Sections[own.Section]
		g := schedule.GivenSection{Course: x.Course, Section: x.ID, Title: x.Title, Teacher: x.Teacher,
			Terms: w.Year.TermNames(w.table.Meets[own.Section].Terms), Periods: x.Periods, Days: []int{}}
		if len(x.Days) < w.Year.Policy.Days {
			g.Days = x.Days
		}
		out.Given = append(out.Given, g)
	}
	return out
}

// Seats returns a student's choice of seats to anyone who may see the sheet.
func (s *Service) Seats(ctx context.Context, by int64, at schoolyear.Place) (*Week, error) {
	d, err := s.ports.Sheet.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	d.Answer(0)
	w, err := s.week(ctx, d)
	if err == nil {
		w.judgeSeats()
	}
	return w, err
}

// SeatAct is something that was done with seats and enrollments.
type SeatAct = store.SeatAct

// mostSeatActs bounds how much of what was done is listed.
const mostSeatActs = 100

// SeatHistory lists what was done with a student's seats and enrollments, the latest first, to anyone who may
// see the sheet.
func (s *Service) SeatHistory(ctx context.Context, by int64, at schoolyear.Place, skip int) ([]SeatAct, error) {
	if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Seats.SeatActs(ctx, at, skip, mostSeatActs)
}

// SeatTable returns the finished master schedule of a year to anybody of the school, with how seats go to those who wait.
func (s *Service) SeatTable(ctx context.Context, by int64, school string,
	year int) (*schoolyear.SchoolYear, []schedule.TableSection, SeatRules, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCatalog)
	if err != nil {
		return nil, nil, SeatRules{}, err
	}
	table, err := s.ports.Schedule.Timetable(ctx, y, a.Roster)
	if err != nil {
		return nil, nil, SeatRules{}, err
	}
	rules, err := s.base.DB.Queries().Seats.SeatRules(ctx, school, year)
	return y, table.Sections, rules, err
}

// week reads a choice of seats; what each section would be is found where it is asked for.
func (s *Service) week(ctx context.Context, d *appsheet.Desk) (*Week, error) {
	at := d.Row.Place
	table, err := s.ports.Schedule.Timetable(ctx, d.Year, d.Row.Roster)
	if err != nil {
		return nil, err
	}
	row, err := s.base.DB.Queries().Seats.Week(ctx, at)
	if err != nil {
		return nil, err
	}
	w := &Week{Desk: d, Sections: table.Sections, Choice: row.Choice.V, Waits: row.Waits.V, Waiting: row.SeatRules, table: table}
	if x := row.Undoes.V; x != nil {
		if w.others = x.ByID != d.Actor.ID; !w.others {
			w.Undoes = x
		}
	}
	taken, err := s.taken(ctx, at.School, at.Year, d.Today())
	if err != nil {
		return nil, err
	}
	w.Own = table.Own(row.Enrolled.V)
	w.taken = taken
	w.Sheet, w.Gone = appsheet.Laid(w.Year.Year, w.Row.Entries)
	if w.Found, err = w.Known.Choose(&w.Sheet, table.Of(w.own())); err != nil {
		return nil, problem.New(problem.TooComplex)
	}
	w.answerSeats()
	return w, nil
}

func (w *Week) own() []int {
	list := make([]int, len(w.Own))
	for i := range w.Own {
		list[i] = w.Own[i].Section
	}
	slices.Sort(list)
	return list
}

// judgeSeats finds what each section would be to the student.
func (w *Week) judgeSeats() {
	if w.Lines != nil {
		return
	}
	results, ranks := map[int32]sheet.RequestResult{}, map[int32]int{}
	for i, e := range slices.Concat(w.Sheet.Requests, w.Sheet.Alternates) {
		ranks[e.Course] = i + 1
	}
	own := w.own()
	w.Lines = make([]SeatLine, len(w.Sections))
	for i := range w.Sections {
		course := w.table.Meets[i].Course
		r, ok := results[course]
		if !ok {
			r = w.Known.AsRequest(&w.Sheet, course)
			results[course] = r
		}
		w.Lines[i] = w.line(i, own, r)
		w.Lines[i].Rank = ranks[course]
	}
}

// line reports what one section would be.
func (w *Week) line(i int, own []int, r sheet.RequestResult) SeatLine {
	x := &w.table.Meets[i]
	line := SeatLine{RequestResult: r, Own: slices.Contains(own, i), Left: w.Sections[i].Seats - w.taken[w.Sections[i].ID], May: w.mayTake(&r)}
	if line.Own {
		return line
	}
	if slices.ContainsFunc(w.Waits, func(wait store.WaitRow) bool { return wait.Section == w.Sections[i].ID && w.offered(&wait) }) {
		line.Left++ // it is kept for them
	}
	for _, k := range own {
		if w.table.Meets[k].Collides(x) {
			line.Clash = append(line.Clash, k)
		}
	}
	line.Fits, line.Fills = len(line.Clash) == 0 && line.Left > 0, w.Found.Fills(x)
	return line
}

func (w *Week) offered(wait *store.WaitRow) bool { return wait.Until != nil && wait.Until.After(w.Now) }

// mayTake reports why a course cannot be taken by a family whatever its seats; empty: it can.
func (w *Week) mayTake(r *sheet.RequestResult) problem.Code {
	switch {
	case r.Barred:
		return problem.Barred
	case r.Repeat:
		return problem.Earned
	case !w.Known.MayTake(r):
		return problem.EntryOpen
	}
	return ""
}

func (w *Week) seatCase() *acts.SeatCase {
	ids := w.table.IDs(w.own())
	return &acts.SeatCase{Relation: w.Actor.To(w.Row.Student), Settings: w.Year.Policy.Settings, Window: w.SeatWindow(),
		Now: w.Now, State: acts.SeatState(w.Choice.State),
		Complete: w.Found.Complete, Looked: same(w.Choice.Looked, ids)}
}

func (w *Week) answerSeats() {
	c := w.seatCase()
	w.SeatActs = acts.OfSeats(c)
	w.SeatNext, w.Nothing = c.Next()
}

// same reports whether a counselor has agreed to just these sections.
func same(looked *store.JSON[[]string], ids []string) bool {
	return looked != nil && slices.Equal(looked.V, ids)
}

// Looked reports whether a counselor has agreed to what is chosen now.
func (w *Week) Looked() bool { return w.seatCase().Looked }

// guardSeats refuses an act that is not allowed, or that lacks the reason it needs.
func (w *Week) guardSeats(act acts.SeatAct, reason string) error {
	switch a := w.SeatActs[act]; {
	case !a.Allowed && a.Why == acts.NotReady:
		return problem.New(problem.WeekOpen)
	case !a.Allowed:
		return problem.New(problem.Code(a.Why))
	case a.Reason && reason == "":
		return problem.New(problem.NeedsReason)
	}
	return nil
}

// candidates lists the sections that may be taken and have a seat, what the sheet asks for first, then those
// with the most seats left.
func (w *Week) candidates() (list []int) {
	for i := range w.Lines {
		if x := &w.Lines[i]; !x.Own && x.Left > 0 && x.May == "" {
			list = append(list, i)
		}
	}
	rank := func(i int) int {
		if w.Lines[i].Rank == 0 {
			return len(w.Lines) + 1
		}
		return w.Lines[i].Rank
	}
	slices.SortStableFunc(list, func(a, b int) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(w.Lines[b].Left, w.Lines[a].Left))
	})
	return list
}

// Opening is the time to fill: a period, in some terms (none: all) and on some days (none: all).
type Opening struct {
	Period int
	Terms  []int // positions
	Days   []int
}

// Ways are the ways to fill an opening. Sections are named by their places.
type Ways struct {
	Cells   []sheet.Cell    // what is open of it
	Fill    []sheet.Filling // ways to fill all of it
	Parts   []int           // sections that fit and fill some of it
	Collide []Collision
	Full    []int // that would fill all of it or a part, and have no seat left
	More    int   // ways to fill it that are not listed
}

// Collision is a section that meets in an opening, and what it would push out.
type Collision struct {
	Section int
	Pushes  []Pushed
}

// Pushed is an own section that is pushed out, with the sections of its course that could be taken in its
// place, the emptiest first.
type Pushed struct {
	Own     int
	Instead []int
}

// The bounds of what is listed.
const (
	mostWays    = 24
	mostParts   = 24
	mostCounted = 1000 // ways
)

// Ways reports how an opening of a student's week could be filled; where nothing is open there are none.
func (s *Service) Ways(ctx context.Context, by int64, at schoolyear.Place, o Opening) (*Week, *Ways, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	return w, w.ways(o), nil
}

func (w *Week) ways(o Opening) *Ways {
	out := &Ways{}
	for _, open := range w.Found.Open {
		if open.Period == o.Period && (len(o.Terms) == 0 || slices.Contains(o.Terms, open.Term)) {
			for _, c := range open.Cells() {
				if len(o.Days) == 0 || slices.Contains(o.Days, c.Day) {
					out.Cells = append(out.Cells, c)
				}
			}
		}
	}
	own, candidates := w.own(), w.candidates()
	all := sheet.Fillings(out.Cells, w.table.Of(own), w.table.Meets, candidates, mostCounted)
	out.Fill, out.More = all[:min(len(all), mostWays)], max(0, len(all)-mostWays)
	meets := func(i int) int {
		n := 0
		for _, c := range out.Cells {
			if c.In(&w.table.Meets[i]) {
				n++
			}
		}
		return n
	}
	alone := map[int]bool{}
	for _, f := range all {
		if len(f) == 1 {
			alone[f[0]] = true
		}
	}
	for _, i := range candidates {
		switch x := &w.Lines[i]; {
		case meets(i) == 0:
		case x.Fits && !alone[i]:
			out.Parts = append(out.Parts, i)
		case !x.Fits:
			out.Collide = append(out.Collide, w.collision(own, i))
		}
	}
	slices.SortStableFunc(out.Parts, func(a, b int) int { return meets(b) - meets(a) })
	out.Parts = out.Parts[:min(len(out.Parts), mostParts)]
	slices.SortStableFunc(out.Collide, func(a, b Collision) int { return a.lost() - b.lost() })
	out.Collide = out.Collide[:min(len(out.Collide), mostParts)]
	for i := range w.Lines {
		if x := &w.Lines[i]; !x.Own && x.Left <= 0 && x.May == "" && len(x.Clash) == 0 && meets(i) > 0 {
			out.Full = append(out.Full, i)
		}
	}
	return out
}

func (w *Week) collision(own []int, section int) Collision {
	c := Collision{Section: section}
	for _, d := range sheet.Displaces(w.table.Of(own), w.table.Meets, section, func(i int) bool {
		return i != section && !w.Lines[i].Own && w.Lines[i].Left > 0 && w.Lines[i].May == ""
	}) {
		p := Pushed{Own: own[d.Own], Instead: d.Instead}
		slices.SortStableFunc(p.Instead, func(a, b int) int { return w.Lines[b].Left - w.Lines[a].Left })
		c.Pushes = append(c.Pushes, p)
	}
	return c
}

// lost counts what has no other section.
func (c *Collision) lost() (n int) {
	for _, p := range c.Pushes {
		if len(p.Instead) == 0 {
			n++
		}
	}
	return n
}

// nextBest is what to take when a section has no seat left: another one of its course that fits, else the
// best that fills what it would have; -1: nothing.
func (w *Week) nextBest(section int) int {
	best := -1
	for _, i := range w.candidates() {
		switch x := &w.Lines[i]; {
		case i == section || !x.Fits:
		case w.Sections[i].Course == w.Sections[section].Course:
			return i
		case best < 0 && x.Fills > 0 && w.table.Meets[i].Shares(&w.table.Meets[section]):
			best = i
		}
	}
	return best
}
