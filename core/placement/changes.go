package placement

// alone makes a model of one student, with the seats the others leave free.
func (p *Problem) alone(student int, taken []int) (*model, *pupil, error) {
	s := &p.Students[student]
	single := &Problem{Courses: p.Courses, Students: p.Students[student : student+1], Sections: make([]Section, len(p.Sections))}
	for i := range p.Sections {
		section := p.Sections[i]
		section.Seats = max(0, section.Seats-taken[i])
		single.Sections[i] = section
	}
	if err := single.validateStudent(s); err != nil {
		return nil, nil, err
	}
	m := compile(single)
	return m, &m.pupils[0], nil
}

// Change is one change that would have made room for a request that was not given.
type Change struct {
	Kind    ChangeKind
	Section int32 // Seat: one more seat in this section; Move: one in this section of another course that is asked for
	Drop    int32 // DropRequest: without the request at this place
}

// ChangeKind is what would have to change.
type ChangeKind string

// The kinds of change.
const (
	Seat        ChangeKind = "seat"
	Move        ChangeKind = "move"
	DropRequest ChangeKind = "drop"
)

// Changes lists single changes each of which would have let the student have the request at a place without
// giving up anything else they have: a seat in a section of its course, a seat in a section of another
// course, so that that one can move out of the way, or doing without another request, which is then given up.
// Taken is the occupancy without this student; at most so many are listed, in that order. The error is a
// *ProblemError.
func (p *Problem) Changes(student int, g *Given, request int32, taken []int, most int) (list []Change, err error) {
	s := &p.Students[student]
	wanted := s.Requests[request].Course
	have := s.Value(g)
	for _, kind := range []ChangeKind{Seat, Move} {
		for i := range p.Sections {
			course := p.Sections[i].Course
			if len(list) == most || taken[i] < p.Sections[i].Seats || (course == wanted) != (kind == Seat) || !s.asksFor(course) {
				continue
			}
			taken[i]--
			possible, err := p.couldHave(student, wanted, None, have, taken)
			taken[i]++
			if err != nil {
				return nil, err
			}
			if possible {
				list = append(list, Change{kind, int32(i), None})
			}
		}
	}
	for k, section := range g.Requests {
		if section == None || len(list) == most {
			continue
		}
		r := s.Requests[k]
		possible, err := p.couldHave(student, wanted, r.Course, have-int64(r.Value), taken)
		if err != nil {
			return nil, err
		}
		if possible {
			list = append(list, Change{DropRequest, None, int32(k)})
		}
	}
	return list, nil
}

func (s *Student) asksFor(course int32) bool {
	for _, r := range s.Requests {
		if r.Course == course {
			return true
		}
	}
	return false
}

// couldHave reports whether the student could have a course, without another one, and be worth more than before.
func (p *Problem) couldHave(student int, course, without int32, before int64, taken []int) (bool, error) {
	m, pupil, err := p.alone(student, taken)
	if err != nil {
		return false, err
	}
	price := make([]int64, len(m.pools))
	for k := range m.pools {
		switch m.pools[k].course {
		case course:
			price[k] = -takeIt
		case without:
			price[k] = closed
		}
	}
	s := searcher{limit: maxNodes}
	floor := before*scale + takeIt
	best, _ := s.search(pupil, price, floor)
	return best > floor, nil
}
