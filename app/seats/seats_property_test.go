package seats_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"rubricon/app/seats"
	"rubricon/attendance"
	"rubricon/internal/apptest"
)

// Whatever students choose and counselors change, in whatever order: no section has more students on any day than seats, no student is in two places at once, dates are school days without a gap, attendance lies inside
// the enrollments, and what is given out as a bundle says the same, judged on its own.
func TestNoOrderOfActsBreaksTheDates(t *testing.T) {
	p := apptest.NewPoint(t)
	marks := p.WithAttendance()
	r := rand.New(rand.NewPCG(14, 14))
	who := []int{1, 4, 7, 10, 13, 16} // of grade 10
	w := p.Week(1)
	for _, section := range p.Planted["sk001"][:3] { // few seats, so that some are gone
		p.SeatsOf(section, 3)
	}
	counselor := p.Who("ms.torvund")
	done, refused := map[string]int{}, map[string]int{}
	note := func(act string, err error) {
		if code := p.Said(err); code == "" {
			done[act]++
		} else {
			refused[act]++
		}
	}
	some := func() string { return w.Sections[r.IntN(len(w.Sections))].ID }
	for range 100 { // while seats are chosen
		at, account := p.Of(who[r.IntN(len(who))])
		c := seats.SeatsChange{}
		switch now := p.Week(numberOf(at.Student)); {
		case r.IntN(5) == 0:
			c.Undo = true
		case r.IntN(3) == 0 && len(now.Own) > 0:
			c.Give = []string{now.Sections[now.Own[r.IntN(len(now.Own))].Section].ID}
			if r.IntN(2) == 0 {
				c.Take = []string{some()}
			}
		case r.IntN(2) == 0:
			c.Take = []string{p.Planted[at.Student][r.IntN(len(p.Planted[at.Student]))]}
		default:
			c.Take = []string{some(), some()}
		}
		_, err := p.Seats.TakeSeats(t.Context(), account, at, c)
		note("take", err)
	}
	p.Holds(nil, who)
	p.At(time.Date(2027, 10, 20, 15, 0, 0, 0, time.UTC))
	p.Opens(time.Date(2027, 10, 20, 8, 0, 0, 0, time.UTC))
	if got := p.Takes(2, p.Planted["sk002"][0]); got != "section-begun "+p.Planted["sk002"][0] {
		t.Errorf("a seat is taken when the year has begun: %s", got)
	}
	for n := range 90 { // and during the year
		at, _ := p.Of(who[r.IntN(len(who))])
		e, err := p.Seats.Enrolled(t.Context(), counselor, at)
		if err != nil {
			t.Fatal(err)
		}
		if len(e.Stays) > 0 && r.IntN(3) == 0 { // attendance is taken
			x := &e.Stays[r.IntN(len(e.Stays))]
			if day := e.Days[r.IntN(60)]; x.Begin <= day && day < x.End {
				marks.Put(at.School, attendance.Mark{Student: at.Student, Section: x.Row.Section, Date: day, Mark: attendance.Marks[r.IntN(4)]})
			}
			continue
		}
		c := seats.DatedChange{On: e.Days[r.IntN(70)], Reason: "x", Settle: []string{"move", "delete"}[r.IntN(2)]}
		if r.IntN(8) == 0 {
			c.On = "2027-10-16" // a Saturday
		}
		if len(e.Stays) > 0 && r.IntN(3) > 0 {
			c.Drop = []string{e.Stays[r.IntN(len(e.Stays))].Row.Section}
		}
		if effect, err := p.Seats.TryChange(t.Context(), counselor, at, c); err == nil && len(effect.Fits) > 0 && r.IntN(4) > 0 {
			c.Add = []string{effect.Sections[effect.Fits[r.IntN(len(effect.Fits))]].ID}
		} else if r.IntN(3) == 0 {
			c.Add = []string{some()}
		}
		_, err = p.Seats.ChangeOn(t.Context(), counselor, at, c)
		note("change", err)
		if n%30 == 29 {
			p.Holds(marks, who)
		}
	}
	p.Holds(marks, who)
	for _, act := range []string{"take", "change"} {
		if done[act] < 15 || refused[act] < 8 {
			t.Errorf("%s: %d done, %d refused", act, done[act], refused[act])
		}
	}
}

func numberOf(student string) (n int) {
	_, _ = fmt.Sscanf(student, "sk%d", &n)
	return n
}
