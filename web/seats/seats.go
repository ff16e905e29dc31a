package seats

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/schedule"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// SeatsIn is the path of a student's choice of seats.
type SeatsIn struct {
	server.InYear
	Student string `path:"student" maxLength:"100"`
}

// Place names the student whose sections they are.
func (in *SeatsIn) Place() schoolyear.Place {
	return schoolyear.Place{School: in.School, Year: in.Year, Student: in.Student}
}

// SeatsPath is the path of a choice of sections.
const SeatsPath = server.StudentPath + "/seats"

type seatsOut struct{ Body *SeatsView }

// seatRoutes are those of choosing seats in the finished master schedule.
func (s *Routes) seatRoutes(api huma.API) {
	answered := func(w *seats.Week, err error) (*seatsOut, error) {
		if err != nil {
			return nil, err
		}
		return &seatsOut{newSeats(w)}, nil
	}
	server.SignedIn(s, api, server.Operation("get-seats", http.MethodGet, SeatsPath,
		"A student's choice of seats in the finished master schedule"), func(ctx context.Context, by int64, in *SeatsIn) (*seatsOut, error) {
		return answered(s.cases.Seats.Seats(ctx, by, in.Place()))
	})
	type putIn struct {
		SeatsIn
		Body SeatsPut
	}
	server.SignedIn(s, api, server.Operation("take-seats", http.MethodPost, SeatsPath,
		"Take seats and give seats back, all of it or nothing"), func(ctx context.Context, by int64, in *putIn) (*seatsOut, error) {
		return answered(s.cases.Seats.TakeSeats(ctx, by, in.Place(),
			seats.SeatsChange{Take: in.Body.Take, Give: in.Body.Give, Undo: in.Body.Undo, Reason: in.Body.Reason}))
	})
	type reasonIn struct {
		SeatsIn
		Body struct {
			Reason string `json:"reason,omitempty" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.Operation("look-at-seats", http.MethodPost, SeatsPath+"/look",
		"Agree to what is chosen"), func(ctx context.Context, by int64, in *SeatsIn) (*seatsOut, error) {
		return answered(s.cases.Seats.LookAtSeats(ctx, by, in.Place()))
	})
	server.SignedIn(s, api, server.Operation("submit-seats", http.MethodPost, SeatsPath+"/submission",
		"Hand the choice in; twice gives the same receipt"), func(ctx context.Context, by int64, in *reasonIn) (*seatsOut, error) {
		return answered(s.cases.Seats.SubmitSeats(ctx, by, in.Place(), in.Body.Reason))
	})
	server.SignedIn(s, api, server.Operation("return-seats", http.MethodPost, SeatsPath+"/return",
		"Open a choice again that was handed in, with a message"), func(ctx context.Context, by int64, in *reasonIn) (*seatsOut, error) {
		return answered(s.cases.Seats.ReturnSeats(ctx, by, in.Place(), in.Body.Reason))
	})
	type waitIn struct {
		SeatsIn
		Section string `path:"section" maxLength:"200"`
	}
	server.SignedIn(s, api, server.Operation("wait-for-seat", http.MethodPut, SeatsPath+"/waits/{section}",
		"Wait for a seat in a full section"), func(ctx context.Context, by int64, in *waitIn) (*seatsOut, error) {
		return answered(s.cases.Seats.WaitForSeat(ctx, by, in.Place(), in.Section, true))
	})
	server.SignedIn(s, api, server.Operation("wait-no-longer", http.MethodDelete, SeatsPath+"/waits/{section}",
		"Wait no longer for a seat, or leave one that is offered"), func(ctx context.Context, by int64, in *waitIn) (*seatsOut, error) {
		return answered(s.cases.Seats.WaitForSeat(ctx, by, in.Place(), in.Section, false))
	})
}

// seatWaysRoutes registers what helps with choosing seats, and what was done.
func (s *Routes) seatWaysRoutes(api huma.API) {
	type waysIn struct {
		SeatsIn
		Period int   `query:"period" minimum:"1" maximum:"40" required:"true"`
		Terms  []int `query:"terms" maxItems:"12" doc:"Positions; none: all"`
		Days   []int `query:"days" maxItems:"40" doc:"Of the cycle; none: all"`
	}
	type waysOut struct{ Body *WaysView }
	server.SignedIn(s, api, server.Operation("get-ways", http.MethodGet, SeatsPath+"/ways",
		"How what is open of a period could be filled"), func(ctx context.Context, by int64, in *waysIn) (*waysOut, error) {
		w, ways, err := s.cases.Seats.Ways(ctx, by, in.Place(), seats.Opening{Period: in.Period, Terms: in.Terms, Days: in.Days})
		if err != nil {
			return nil, err
		}
		return &waysOut{newWays(w, ways)}, nil
	})
	type proposalOut struct{ Body ProposalView }
	server.SignedIn(s, api, server.Operation("propose-seats", http.MethodGet, SeatsPath+"/proposal",
		"A proposal of the whole week from what the sheet asks for, with the seats that are left now"),
		func(ctx context.Context, by int64, in *SeatsIn) (*proposalOut, error) {
			w, list, err := s.cases.Seats.ProposeSeats(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			out := &proposalOut{ProposalView{Sections: ids(w, list)}}
			for _, i := range list {
				if w.Lines[i].Rank > 0 {
					out.Body.Asked++
				}
			}
			return out, nil
		})
	type seatActsIn struct {
		SeatsIn
		server.Paged
	}
	type actsOut struct{ Body []SeatActView }
	server.SignedIn(s, api, server.Operation("list-seat-acts", http.MethodGet, SeatsPath+"/acts",
		"What was done with a student's seats and enrollments, the latest first, at most 100 at once"),
		func(ctx context.Context, by int64, in *seatActsIn) (*actsOut, error) {
			list, err := s.cases.Seats.SeatHistory(ctx, by, in.Place(), in.Skip)
			out := &actsOut{Body: []SeatActView{}}
			for i := range list {
				out.Body = append(out.Body, *newSeatAct(&list[i]))
			}
			return out, err
		})
	s.choosingRoutes(api)
}

// choosingRoutes are those of a year's choice of seats, apart from any one student.
func (s *Routes) choosingRoutes(api huma.API) {
	type tableIn struct {
		server.InYear
		Language string `query:"language" maxLength:"35" doc:"BCP 47"`
	}
	type tableOut struct{ Body *SeatTable }
	server.SignedIn(s, api, server.Operation("get-seat-table", http.MethodGet, server.YearPath+"/seat-table",
		"The finished master schedule, for who chooses seats in it"), func(ctx context.Context, by int64, in *tableIn) (*tableOut, error) {
		y, sections, rules, err := s.cases.Seats.SeatTable(ctx, by, in.School, in.Year)
		if err != nil {
			return nil, err
		}
		return &tableOut{newSeatTable(y, sections, rules, in.Language)}, nil
	})
	type listOut struct{ Body []ChoosingView }
	server.SignedIn(s, api, server.Operation("list-choosing", http.MethodGet, server.YearPath+"/seats",
		"The students of a year who choose seats, with how far they are"),
		func(ctx context.Context, by int64, in *server.InYear) (*listOut, error) {
			list, err := s.cases.Seats.Choosing(ctx, by, in.School, in.Year)
			out := &listOut{Body: []ChoosingView{}}
			for i := range list {
				x := &list[i]
				out.Body = append(out.Body, ChoosingView{ID: x.Student, Name: x.Family + ", " + x.Given, Grade: x.Grade,
					State: x.State, Begun: x.Begun, Open: x.Open, Complete: x.Complete, Next: nextOf(x.Next, x.Nothing),
					Look: websheet.NewAct(x.Look), Receipt: x.Receipt, HandedAt: x.HandedAt})
			}
			return out, err
		})
	type rulesIn struct {
		server.InYear
		Body SeatRulesView
	}
	server.SignedIn(s, api, server.Operation("set-seat-rules", http.MethodPut, server.YearPath+"/seat-rules",
		"Set how seats go to those who wait"), func(ctx context.Context, by int64, in *rulesIn) (*struct{}, error) {
		return &struct{}{}, s.cases.Seats.SetSeatRules(ctx, by, in.School, in.Year,
			seats.SeatRules{Waiting: in.Body.Waiting, Minutes: in.Body.Minutes})
	})
}

func newSeatTable(y *schoolyear.SchoolYear, sections []schedule.TableSection, rules seats.SeatRules, language string) *SeatTable {
	t := &SeatTable{Periods: y.Policy.Periods, Days: y.Policy.Days, Fill: []int{}, Rules: []SeatRule{},
		Sections: []TableSectionView{}, Waiting: rules.Waiting, Minutes: rules.Minutes}
	for i := range sections {
		x := &sections[i]
		t.Sections = append(t.Sections, TableSectionView{ID: x.ID, Course: x.Course, Teacher: x.Teacher, Room: x.Room,
			Seats: x.Seats, Terms: x.Terms, Periods: x.Periods, Days: x.Days})
	}
	if y.Policy.Fill == nil {
		return t
	}
	t.Fill = append(t.Fill, y.Policy.Fill.Periods...)
	for i := range y.Fill {
		r := &y.Fill[i]
		rule := SeatRule{ID: r.ID, Label: policy.Text{Own: r.Label, By: r.Labels}.In(language), Courses: []string{}}
		seen := map[string]bool{}
		for k := range sections {
			if c, ok := y.Index(sections[k].Course); ok && !seen[sections[k].Course] && r.Count.HasSection(&y.Courses[c], sections[k].Periods) {
				seen[sections[k].Course] = true
				rule.Courses = append(rule.Courses, sections[k].Course)
			}
		}
		t.Rules = append(t.Rules, rule)
	}
	return t
}

func ids(w *seats.Week, places []int) []string {
	list := []string{}
	for _, i := range places {
		list = append(list, w.Sections[i].ID)
	}
	return list
}

func nextOf(act acts.SeatAct, nothing bool) string {
	if nothing {
		return "nothing"
	}
	return act.String()
}

var looks = map[policy.Look]string{policy.LookAfter: "after", policy.LookBefore: "before", policy.LookNone: "none"}

// newSeats shows a choice of seats.
func newSeats(w *seats.Week) *SeatsView {
	y, c := w.Year, &w.Choice
	v := &SeatsView{Student: websheet.NewStudent(w.Desk), Version: c.Version,
		Table: fmt.Sprintf("%d.%d.%d", w.Row.Catalog, w.Row.Policy, w.Row.Roster), State: c.State,
		Next: nextOf(w.SeatNext, w.Nothing), Looked: w.Looked(),
		Message: c.Message, Receipt: c.Receipt, HandedAt: c.HandedAt, Complete: w.Found.Complete, Open: []OpenView{},
		Rules: []websheet.RuleState{}, Own: []OwnSeatView{}, Lines: []SeatLine{}, Entries: []SeatEntry{},
		Waits: []WaitView{}, Look: looks[y.Policy.Settings.Look], Counsel: w.Pupil.CounselorName}
	if v.Looked {
		v.LookedBy, v.LookedAt = c.LookedBy, c.LookedAt
	}
	if window := w.SeatWindow(); !window.Opens.IsZero() {
		v.Window, v.Phase = &websheet.Window{Opens: window.Opens, Families: window.Families, Counselors: window.Counselors,
			Zone: y.Policy.Settings.TimeZone}, websheet.Phases[w.SeatPhase()]
	}
	a := &w.SeatActs
	v.Acts = SeatActs{Take: websheet.NewAct(a[acts.TakeSeats]), Look: websheet.NewAct(a[acts.LookAtSeats]),
		Submit: websheet.NewAct(a[acts.SubmitSeats]), Return: websheet.NewAct(a[acts.ReturnSeats])}
	if fill := y.Policy.Fill; fill != nil {
		v.Cells = len(y.Terms) * len(fill.Periods) * y.Policy.Days
	}
	v.Filled = v.Cells
	for _, o := range w.Found.Open {
		v.Open = append(v.Open, OpenView{o.Term, o.Period, o.Days})
		v.Filled -= len(o.Days)
	}
	for _, r := range w.Found.Rules {
		rule := &y.Fill[r.Rule]
		v.Rules = append(v.Rules, websheet.RuleState{ID: rule.ID, Measured: r.Measured, Min: rule.Min, Max: rule.Max, Holds: r.Holds})
	}
	for _, own := range w.Own {
		v.Own = append(v.Own, OwnSeatView{Section: w.Sections[own.Section].ID, Left: max(0, w.Lines[own.Section].Left),
			At: own.Row.At, By: own.Row.By})
	}
	shown := map[int32]bool{}
	for i := range w.Lines {
		x := &w.Lines[i]
		if !shown[x.Course] && (x.HasEntry || x.Repeat || x.Barred) {
			shown[x.Course] = true
			v.Entries = append(v.Entries, newSeatEntry(w, &x.RequestResult))
		}
		if !x.Own {
			v.Lines = append(v.Lines, SeatLine{Section: w.Sections[i].ID, Left: max(0, x.Left), Fits: x.Fits,
				Clash: ids(w, x.Clash), May: string(x.May), Fills: x.Fills, Rank: x.Rank})
		}
	}
	for _, x := range w.Waits {
		v.Waits = append(v.Waits, WaitView{Section: x.Section, At: x.At, Before: x.Before, Until: x.Until})
	}
	if w.Undoes != nil {
		v.Undoes = newSeatAct(w.Undoes)
	}
	return v
}

func newSeatEntry(w *seats.Week, r *sheet.RequestResult) SeatEntry {
	e := SeatEntry{Course: w.Year.Codes[r.Course], Entry: websheet.Verdict(r.HasEntry, r.Entry), Repeat: r.Repeat, Barred: r.Barred}
	if r.Waiver >= 0 {
		e.Waived = w.Known.Said[r.Waiver]
	}
	if r.HasEntry {
		evidence := w.Known.Explain(&w.Sheet, r.Course)
		for i := range evidence {
			e.Needs = append(e.Needs, websheet.NewProof(w.Known, &evidence[i]))
		}
	}
	return e
}

func newSeatAct(a *seats.SeatAct) *SeatActView {
	return &SeatActView{Kind: a.Kind, Came: append([]string{}, a.Came.V...), Gone: append([]string{}, a.Gone.V...),
		On: a.On, Reason: a.Reason, By: a.By, At: a.At}
}

func newWays(w *seats.Week, ways *seats.Ways) *WaysView {
	v := &WaysView{Cells: []OpenView{}, Fill: [][]string{}, More: ways.More, Parts: ids(w, ways.Parts),
		Collide: []CollisionView{}, Full: ids(w, ways.Full)}
	for _, c := range ways.Cells {
		if n := len(v.Cells); n > 0 && v.Cells[n-1].Term == c.Term {
			v.Cells[n-1].Days = append(v.Cells[n-1].Days, c.Day)
		} else {
			v.Cells = append(v.Cells, OpenView{c.Term, c.Period, []int{c.Day}})
		}
	}
	for _, f := range ways.Fill {
		v.Fill = append(v.Fill, ids(w, f))
	}
	for _, c := range ways.Collide {
		x := CollisionView{Section: w.Sections[c.Section].ID, Pushes: []PushedView{}}
		for _, p := range c.Pushes {
			x.Pushes = append(x.Pushes, PushedView{w.Sections[p.Own].ID, ids(w, p.Instead)})
		}
		v.Collide = append(v.Collide, x)
	}
	return v
}
