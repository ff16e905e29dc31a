package school

import (
	"context"
	"slices"

	"rubricon/core/placement"
	"rubricon/core/sheet"
)

// ProposeSeats proposes the sections that complete a student's week, beside the seats that they have: what the sheet asks for is placed into the seats that are left now, and what is open then is filled with what fits.
// Nothing is taken. The error is TooComplex.
func (s *Service) ProposeSeats(ctx context.Context, by int64, at Place) (*Week, []int, error) {
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
		if x := &w.Lines[i]; x.Fits && x.May == "" { // beside what is there
			left[i] = x.Left
		}
	}
	asked := w.Sheet
	asked.Requests, asked.Alternates = slices.Clone(asked.Requests), slices.Clone(asked.Alternates)
	for _, i := range own { // they have it
		of := func(e sheet.Entry) bool { return e.Course == w.table.meets[i].Course }
		asked.Requests, asked.Alternates = slices.DeleteFunc(asked.Requests, of), slices.DeleteFunc(asked.Alternates, of)
	}
	p := w.table.placing(w.Year, w.Known.Facts, asked, left)
	found, err := placement.Solve(ctx, p, placement.Options{Workers: 1})
	if err != nil {
		return nil, problem(TooComplex)
	}
	var list []int
	for _, section := range slices.Concat(found.Given[0].Requests, found.Given[0].Alternates) {
		if section != placement.None {
			list = append(list, int(section))
		}
	}
	list = slices.DeleteFunc(list, func(i int) bool { return w.table.clash(slices.Concat(own, list), i) >= 0 })
	return w.fillUp(own, list)
}

// fillUp adds, to what is proposed, sections that fill what is open then: a period in all its terms at once where that can be, else term by term.
func (w *Week) fillUp(own, list []int) ([]int, error) {
	candidates := w.candidates()
	for _, whole := range []bool{true, false} {
		for period := 1; period <= w.Year.Policy.Periods; period++ {
			found, err := w.Known.Choose(&w.Sheet, w.table.of(slices.Concat(own, list)))
			if err != nil {
				return nil, problem(TooComplex)
			}
			openings := map[int][]sheet.Cell{}
			for _, open := range found.Open {
				if open.Period != period {
					continue
				}
				key := 0
				if !whole {
					key = open.Term
				}
				openings[key] = append(openings[key], open.Cells()...)
			}
			for key := range len(w.Year.Terms) {
				for _, way := range sheet.Fillings(openings[key], w.table.of(slices.Concat(own, list)), w.table.meets, candidates, 1) {
					list = append(list, way...)
				}
			}
		}
	}
	slices.Sort(list)
	return list, nil
}
