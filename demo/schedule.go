package demo

import (
	"fmt"
	"math/bits"
	"math/rand/v2"
	"slices"
	"sort"
	"strconv"
	"strings"

	"rubricon/core/catalog"
	"rubricon/core/placement"
	"rubricon/core/sheet"
)

// Schedule says what master schedule a school is given.
type Schedule string

// The schedules.
const (
	NoSchedule Schedule = ""
	Planted    Schedule = "planted"   // made from a full timetable of every student, so that everything can be placed
	Contested  Schedule = "contested" // seats are short by a few percent, and popular single sections meet at the same time
)

// Problem makes a school with a master schedule and gives the problem of placing its sheets.
func Problem(o Options) (*placement.Problem, error) {
	b, err := Read(o)
	if err != nil {
		return nil, err
	}
	p, bad := b.Placement()
	if len(bad) > 0 {
		return nil, fmt.Errorf("the generated school: %v", bad[0])
	}
	return p, nil
}

var classHeader = []string{"sourcedId", "status", "title", "courseSourcedId", "classType", "schoolSourcedId",
	"termSourcedIds", "periods", "metadata.days",
	"metadata.seats", "metadata.teacher", "location"}

// section is one of the master schedule being made. Cells has a bit for each term and period.
type section struct {
	course  string
	number  int
	terms   catalog.TermSet
	periods []int
	day     int // 0: every day
	seats   int
	cells   uint64
	teacher string
	room    string
}

const (
	demoPeriods = 8
	classSize   = 26
)

// scheduler makes the sections.
type scheduler struct {
	*maker
	r        *rand.Rand
	demand   map[string]int
	sections map[string][]*section
	taught   int // multi-section courses laid so far, so that they begin at different periods
}

func (m *maker) schedule() {
	if m.options.Schedule == NoSchedule {
		return
	}
	s := &scheduler{maker: m, r: rand.New(rand.NewPCG(m.options.Seed, 0xd1b54a32d192ed03)), demand: map[string]int{},
		sections: map[string][]*section{}}
	for _, p := range m.pupils {
		for _, code := range p.requests {
			s.demand[code]++
		}
	}
	for i := range m.courses {
		s.lay(&m.courses[i])
	}
	if m.options.Schedule == Planted {
		s.plant()
	} else {
		short := []float64{0, 0.02, 0.04, 0.06}[m.options.Hard]
		for i := range m.courses {
			list := s.sections[m.courses[i].code]
			for _, x := range list {
				x.seats = max(1, int(float64(s.demand[x.course])/float64(len(list))*(1-2*short*s.r.Float64())+0.999))
			}
		}
	}
	s.staffUp()
	for i := range m.courses {
		for _, x := range s.sections[m.courses[i].code] {
			m.classes = append(m.classes, s.row(x))
		}
	}
}

// mostTaught is how many of the cells of a year's periods and two days a teacher teaches: six of eight periods.
const mostTaught = 6 * 2 * 2

// staffUp gives every section that meets a teacher of its subject who is free then, and the room that is
// theirs; where no one is, someone more is hired. No one is in two places at once.
func (s *scheduler) staffUp() {
	type teacher struct {
		name, room string
		busy       uint64
	}
	named := map[string]bool{}
	staff := map[string][]*teacher{}
	rooms := 0
	hire := func(subject, name string) *teacher {
		rooms++
		named[name] = true
		t := &teacher{name: name, room: fmt.Sprintf("%c%d", 'A'+rooms/20, 1+rooms%20)}
		staff[subject] = append(staff[subject], t)
		return t
	}
	fresh := func() string {
		for n := 0; ; n++ {
			family := familyNames[(rooms*7+n)%len(familyNames)]
			for _, title := range []string{"Ms", "Mr", "Mx"} {
				if n >= len(familyNames) { // all are taken: with the letter of a given name
					title += fmt.Sprintf(" %c.", 'A'+(n/len(familyNames)-1)%26)
				}
				if name := title + " " + family; !named[name] {
					return name
				}
			}
		}
	}
	for i := range s.courses {
		c := &s.courses[i]
		subject := c.subjects[0]
		if staff[subject] == nil {
			for _, name := range s.teachers[subject] {
				if !named[name] {
					hire(subject, name)
				}
			}
		}
		for _, x := range s.sections[c.code] {
			if len(x.periods) == 0 {
				continue
			}
			at := slices.IndexFunc(staff[subject], func(t *teacher) bool {
				return t.busy&x.cells == 0 &&
					bits.OnesCount64(t.busy|x.cells) <= mostTaught
			})
			if at < 0 {
				hire(subject, fresh())
				at = len(staff[subject]) - 1
			}
			t := staff[subject][at]
			t.busy |= x.cells
			x.teacher, x.room = t.name, t.room
		}
	}
}

// lay makes the sections of a course for the demand: several spread over the day, a single one where chance,
// or in a hard school the crowd, puts it.
func (s *scheduler) lay(c *course) {
	demand := s.demand[c.code]
	if demand == 0 {
		return
	}
	n := max(1, (demand+classSize/2)/classSize)
	i, _ := s.year.Index(c.code)
	spans := s.year.Courses[i].Spans
	long := 1
	if c.load == "2" {
		long = 2
	}
	crowded := n == 1 && s.options.Schedule == Contested && s.r.IntN(4) < s.options.Hard
	start := s.r.IntN(demoPeriods)
	if n > 1 {
		start = s.taught * 3
		s.taught++
	}
	for k := range n {
		x := &section{course: c.code, number: k + 1, terms: spans[(k+start)%len(spans)]}
		period := (start + k*demoPeriods/n) % demoPeriods
		if n > demoPeriods {
			period = (start + k) % demoPeriods
		}
		if crowded {
			period = 1 + s.r.IntN(3)
		}
		if c.load != "0" {
			period = min(period, demoPeriods-long)
			for q := range long {
				x.periods = append(x.periods, period+q+1)
			}
		}
		if c.credits == "0.25" {
			x.day = 1 + k%2
		}
		x.setCells()
		s.sections[c.code] = append(s.sections[c.code], x)
	}
}

// setCells marks when the section meets; one day of two and the other are told apart.
func (x *section) setCells() {
	for term := range 2 {
		if x.terms>>term&1 == 0 {
			continue
		}
		for _, period := range x.periods {
			for day := range 2 {
				if x.day == 0 || x.day == day+1 {
					x.cells |= 1 << ((term*demoPeriods+period-1)*2 + day)
				}
			}
		}
	}
}

func (s *scheduler) row(x *section) []string {
	terms := "sy27"
	if x.terms != 3 {
		terms = fmt.Sprintf("sy27-%d", x.terms)
	}
	periods := make([]string, len(x.periods))
	for i, p := range x.periods {
		periods[i] = strconv.Itoa(p)
	}
	day := ""
	if x.day > 0 {
		day = strconv.Itoa(x.day)
	}
	c := s.byCode[x.course]
	return []string{fmt.Sprintf("%s-%d", strings.ToLower(x.course), x.number), "active",
		fmt.Sprintf("%s, group %d", c.title, x.number), "c-" + strings.ToLower(x.course),
		"scheduled", SchoolID, terms, strings.Join(periods, ","), day, strconv.Itoa(x.seats), x.teacher, x.room}
}

// plant gives every student a timetable, in which the emptiest sections are taken first; what does not fit is
// not asked for after all, and something else that does is. Seats are what that takes, and a few more where
// the school is not to be hard.
func (s *scheduler) plant() {
	order := s.r.Perm(len(s.pupils))
	for _, n := range order {
		p := s.pupils[n]
		l := &layout{scheduler: s, best: -1}
		l.codes = slices.Clone(p.requests)
		sort.SliceStable(l.codes, func(i, j int) bool { return len(s.sections[l.codes[i]]) < len(s.sections[l.codes[j]]) })
		l.try(0, 0)
		used := uint64(0)
		for _, x := range l.found {
			used |= x.cells
			x.seats++
		}
		kept := make([]string, 0, len(p.requests))
		for _, code := range p.requests {
			if slices.ContainsFunc(l.found, func(x *section) bool { return x.course == code }) {
				kept = append(kept, code)
			}
		}
		p.requests = s.whole(kept, l.found)
		s.fillUp(p, used)
	}
	for i := range s.courses {
		for _, x := range s.sections[s.courses[i].code] {
			x.seats += s.r.IntN(3) * (3 - s.options.Hard) / 2
		}
	}
}

// whole leaves out courses whose linked half did not fit, and gives their seats back.
func (s *scheduler) whole(codes []string, found []*section) (kept []string) {
	for _, code := range codes {
		if links := split(s.byCode[code].links); len(links) > 0 && !slices.Contains(codes, links[0]) {
			for _, x := range found {
				if x.course == code {
					x.seats--
				}
			}
			continue
		}
		kept = append(kept, code)
	}
	return kept
}

// fillUp adds courses that the student may take and that meet when there is time.
func (s *scheduler) fillUp(p *pupil, used uint64) {
	f := sheet.NewFacts(s.year, p.student)
	for _, i := range s.r.Perm(len(s.courses))[:60] {
		c := &s.courses[i]
		if c.links != "" || has(p.requests, c.code) || p.taking[c.code] {
			continue
		}
		for _, x := range s.sections[c.code] {
			if len(x.periods) > 0 && x.cells&used == 0 && p.tryRequest(f, c.code) {
				used |= x.cells
				x.seats++
				break
			}
		}
	}
	p.alternates = slices.DeleteFunc(p.alternates, func(code string) bool { return has(p.requests, code) })
}

// layout looks for sections for a student's courses, as many as fit.
type layout struct {
	*scheduler
	codes  []string
	chosen []*section
	found  []*section
	best   int
	tries  int
}

func (l *layout) try(k int, used uint64) {
	if len(l.chosen) > l.best {
		l.best, l.found = len(l.chosen), slices.Clone(l.chosen)
	}
	if l.tries++; k == len(l.codes) || l.best == len(l.codes) || len(l.chosen)+len(l.codes)-k <= l.best || l.tries > 3000 {
		return
	}
	options := slices.Clone(l.sections[l.codes[k]])
	sort.SliceStable(options, func(i, j int) bool { return options[i].seats < options[j].seats })
	for _, x := range options {
		if x.cells&used == 0 {
			l.chosen = append(l.chosen, x)
			l.try(k+1, used|x.cells)
			l.chosen = l.chosen[:len(l.chosen)-1]
		}
	}
	l.try(k+1, used)
}
