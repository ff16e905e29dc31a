package seats

import (
	"context"
	"slices"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/placement"
	"rubricon/core/sheet"
)

// ProposeSeats proposes the sections that complete a student's week, next to the seats that they have: what
// the sheet asks for is placed into the seats that are left now, and what is open then is filled with what
// fits. Nothing is taken. The error is TooComplex.
func (s *Service) ProposeSeats(ctx context.Context, by int64, at schoolyear.Place) (*Week, []int, error) {
	w, err := s.Seats(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	list, err := w.propose(ctx)
	return w, list, err
}

func (w *Week) propose(ctx context.Context) ([]int, error) {
	own := w.own()
	left := make([]int, len(w.Lines))
	for i := range w.Lines {
		if x := &w.Lines[i]; x.Fits && x.May == "" { // next to what is there
			left[i] = x.Left
		}
	}
	asked := w.Sheet
	asked.Requests, asked.Alternates = slices.Clone(asked.Requests), slices.Clone(asked.Alternates)
	for _, i := range own { // they have it
		of := func(e sheet.Entry) bool { return e.Course == w.table.Meets[i].Course }
		asked.Requests, asked.Alternates = slices.DeleteFunc(asked.Requests, of), slices.DeleteFunc(asked.Alternates, of)
	}
	p := w.table.Placing(w.Year, w.Known.Facts, asked, left)
	found, err := placement.Solve(ctx, p, placement.Options{Workers: 1})
	if err != nil {
		return nil, problem.New(problem.TooComplex)
	}
	var list []int
	for _, section := range slices.Concat(found.Given[0].Requests, found.Given[0].Alternates) {
		if section != placement.None {
			list = append(list, int(section))
		}
	}
	more, err := w.Known.FillUp(&w.Sheet, w.table.Of(slices.Concat(own, list)), w.table.Meets, w.candidates())
	if err != nil {
		return nil, problem.New(problem.TooComplex)
	}
	list = append(list, more...)
	slices.Sort(list)
	return list, nil
}
