package sheet

import (
	"context"
	"errors"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/sheet"
)

// Effects is the effect that adding each course would have on a sheet.
type Effects struct {
	Desk    *Desk
	Effects []sheet.Effect
	Instead int32 // the course whose place is meant; -1: none
}

// Clash is what no choice of sections gives together with a course, if it were requested.
func (e *Effects) Clash(course int32) []int32 { return e.Desk.ClashWith(course, e.Instead) }

// Effects tells anyone who may see a sheet what adding each course would do to it: in the place of a requested
// course where its code is given. The error is NotOnSheet where that is not requested.
func (s *Service) Effects(ctx context.Context, by int64, at schoolyear.Place, instead string) (*Effects, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, err
	}
	var effects []sheet.Effect
	place := int32(-1)
	if instead == "" {
		effects, err = d.Known.Effects(&d.Sheet, d.instead(acts.Edit))
	} else {
		course, ok := d.Year.Index(instead)
		if !ok {
			return nil, problem.New(problem.NotOnSheet)
		}
		place = course
		effects, err = d.Known.EffectsInstead(&d.Sheet, course, d.instead(acts.Edit))
	}
	if errors.Is(err, sheet.ErrNotOnSheet) {
		return nil, problem.New(problem.NotOnSheet)
	}
	if err != nil {
		return nil, problem.New(problem.TooComplex)
	}
	return &Effects{d, effects, place}, nil
}

// Only lists what an untouched sheet lacks and only one course can answer, for anyone who may fill it in as its family.
func (d *Desk) Only() []sheet.Only {
	if d.Row.Begun || !d.Acts[acts.Edit].Allowed || d.instead(acts.Edit) {
		return nil
	}
	return d.Known.Only(&d.Sheet)
}

// WhatIf tells anyone who may see a sheet what year results when some requests cannot be given. The errors are
// NoCourse, NotOnSheet and TooComplex.
func (s *Service) WhatIf(ctx context.Context, by int64, at schoolyear.Place, lost []string) (*Desk, *sheet.WhatIf, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	var list []int32
	for _, code := range lost {
		course, ok := d.Year.Index(code)
		if !ok {
			return nil, nil, &problem.Error{Code: problem.NoCourse, Param: code}
		}
		list = append(list, course)
	}
	out, err := d.Known.WhatIf(&d.Sheet, list)
	switch {
	case errors.Is(err, sheet.ErrNotOnSheet):
		return nil, nil, problem.New(problem.NotOnSheet)
	case err != nil:
		return nil, nil, problem.New(problem.TooComplex)
	}
	return d, &out, nil
}

// Hints tells anyone who may see a sheet which courses would be the most useful as one more alternate; none
// where that is beyond judging.
func (s *Service) Hints(ctx context.Context, by int64, at schoolyear.Place) (*Desk, []sheet.Hint, error) {
	d, err := s.Sheet(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	hints, err := d.Known.Hints(&d.Sheet)
	if err != nil {
		return d, nil, nil
	}
	return d, hints, nil
}
