package people

import (
	"context"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// File is the record of a student.
type File struct {
	Desk      *appsheet.Desk
	Guardians []store.GuardianRow
}

// File returns what is on record of a student to the student, the guardians, and anyone who decides.
func (s *Service) File(ctx context.Context, by int64, at schoolyear.Place) (*File, error) {
	d, err := s.ports.Sheet.Open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if d.Answer(0); !d.Acts[acts.SeeFiles].Allowed {
		return nil, problem.New(problem.Code(d.Acts[acts.SeeFiles].Why))
	}
	list, err := s.base.DB.Queries().People.GuardiansOf(ctx, at.School, at.Student)
	return &File{d, list}, err
}
