package seats

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/seats"
	"rubricon/core/acts"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// changeRoutes are those of changing what a student is enrolled in, with dates.
func (s *Routes) changeRoutes(api huma.API) {
	type enrolledOut struct{ Body *EnrolledView }
	answered := func(e *seats.Enrolled, err error) (*enrolledOut, error) {
		if err != nil {
			return nil, err
		}
		return &enrolledOut{newEnrolled(e)}, nil
	}
	server.SignedIn(s, api, server.Operation("get-enrollments", http.MethodGet, server.StudentPath+"/enrollments",
		"All that a student is or was enrolled in, with dates"), func(ctx context.Context, by int64, in *SeatsIn) (*enrolledOut, error) {
		return answered(s.cases.Seats.Enrolled(ctx, by, in.Place()))
	})
	type changeIn struct {
		SeatsIn
		Body DatedPut
	}
	change := func(b *DatedPut) seats.DatedChange {
		return seats.DatedChange{Drop: b.Drop, Add: b.Add, On: b.On, Settle: b.Settle, As: b.As, Reason: b.Reason}
	}
	type effectOut struct{ Body *DatedEffectView }
	server.SignedIn(s, api, server.Operation("try-change", http.MethodPost, server.StudentPath+"/enrollments/trial",
		"What a change from a date on would do; nothing is changed"), func(ctx context.Context, by int64, in *changeIn) (*effectOut, error) {
		e, err := s.cases.Seats.TryChange(ctx, by, in.Place(), change(&in.Body))
		if err != nil {
			return nil, err
		}
		return &effectOut{newDatedEffect(e)}, nil
	})
	server.SignedIn(s, api, server.Operation("change-enrollments", http.MethodPost, server.StudentPath+"/enrollments",
		"Change what a student is enrolled in from a date on"), func(ctx context.Context, by int64, in *changeIn) (*enrolledOut, error) {
		return answered(s.cases.Seats.ChangeOn(ctx, by, in.Place(), change(&in.Body)))
	})
}

func markViews(list []seats.Mark) []MarkView {
	out := []MarkView{}
	for _, m := range list {
		out = append(out, MarkView{m.Section, m.Date, m.Mark})
	}
	return out
}

func newEnrolled(e *seats.Enrolled) *EnrolledView {
	v := &EnrolledView{Student: websheet.NewStudent(e.Desk),
		Table: fmt.Sprintf("%d.%d.%d", e.Row.Catalog, e.Row.Policy, e.Row.Roster), Days: append([]string{}, e.Days...),
		Stays: []StayView{}, Away: e.Away, May: websheet.NewAct(e.SeatActs[acts.ChangeOn])}
	if x := e.Going; x != nil {
		v.Going = &GoingView{On: x.Note.V.On, Add: x.Note.V.Came.V, Drop: x.Note.V.Gone.V, Since: x.MadeAt, Back: x.GoesBack}
	}
	for i := range e.Stays {
		x := &e.Stays[i]
		at := &e.Sections[x.Section]
		v.Stays = append(v.Stays, StayView{Section: at.ID, Begin: x.Begin, End: x.End, Ended: x.Row.Ends != "",
			Marks: markViews(x.Marks), At: x.Row.At, By: x.Row.By, Course: at.Course, When: SectionWhen{at.Terms, at.Periods, at.Days}})
	}
	return v
}

func newDatedEffect(e *seats.DatedEffect) *DatedEffectView {
	v := &DatedEffectView{Why: string(e.Why.Why), Date: e.Why.Date, Never: []string{}, Marks: markViews(e.Marks), Fits: []DatedFitView{}}
	if v.Why != "" && e.Why.Section >= 0 {
		v.Section = e.Sections[e.Why.Section].ID
	}
	if v.Why != "" && e.Why.Other >= 0 {
		v.Other = e.Sections[e.Why.Other].ID
	}
	for _, i := range e.Never {
		v.Never = append(v.Never, e.Sections[e.Stays[i].Section].ID)
	}
	for _, i := range e.Fits {
		x := &e.Lines[i]
		v.Fits = append(v.Fits, DatedFitView{Section: e.Sections[i].ID, Left: x.Left, May: string(x.May),
			Entry: newSeatEntry(e.Week, &x.RequestResult)})
	}
	return v
}
