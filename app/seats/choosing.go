package seats

import (
	"context"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/store"
)

// Choosing is a student who chooses seats, for the list of the school.
type Choosing struct {
	store.ChoosingRow
	Open     int  // cells
	Complete bool // nothing is open, and every rule over the sections holds
	Looked   bool // a counselor has agreed to what is chosen now
	Next     acts.SeatAct
	Nothing  bool        // nothing is to be done
	Look     acts.Answer // whether the reader may agree to it
}

// Choosing lists the students of a year who choose seats, by name, with how far they are.
func (s *Service) Choosing(ctx context.Context, by int64, school string, year int) ([]Choosing, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	q := s.base.DB.Queries()
	rows, err := q.Seats.Choosing(ctx, school, year)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	table, err := s.ports.Schedule.Timetable(ctx, y, a.Roster)
	if err != nil {
		return nil, err
	}
	list := make([]Choosing, len(rows))
	var ids []string
	for i := range rows {
		ids = append(ids, rows[i].Student)
	}
	cases, err := q.Caseload.Cases(ctx, school, year, ids)
	if err != nil {
		return nil, err
	}
	sheets, place := make([]*store.SheetRow, len(cases)), map[string]int{}
	for i := range cases {
		sheets[i], place[cases[i].Student] = &cases[i].SheetRow, i
	}
	known, err := s.base.Years.KnownOf(ctx, y, sheets)
	if err != nil {
		return nil, err
	}
	for i := range rows {
		list[i].ChoosingRow = rows[i]
		at, ok := place[rows[i].Student]
		if !ok { // gone in the meantime
			continue
		}
		own := table.Places(rows[i].Own.V)
		asked, _ := appsheet.Laid(y.Year, sheets[at].Entries)
		found, err := known[at].Choose(&asked, table.Of(own))
		if err != nil {
			return nil, problem.New(problem.TooComplex)
		}
		for _, open := range found.Open {
			list[i].Open += len(open.Days)
		}
		c := acts.SeatCase{Relation: a.To(rows[i].Student), Settings: y.Policy.Settings,
			Window: acts.Window{Opens: rows[i].Opens, Families: rows[i].Families, Counselors: rows[i].Counselors}, Now: s.base.Now(),
			State: acts.SeatState(rows[i].State), Complete: found.Complete, Looked: same(rows[i].Looked, table.IDs(own))}
		list[i].Complete, list[i].Looked, list[i].Look = c.Complete, c.Looked, acts.OfSeats(&c)[acts.LookAtSeats]
		list[i].Next, list[i].Nothing = c.Next()
	}
	return list, nil
}
