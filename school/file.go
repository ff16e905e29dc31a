package school

import (
	"context"

	"rubricon/core/acts"
	"rubricon/store"
)

// File is what is on record of a student.
type File struct {
	Desk      *Desk
	Guardians []store.GuardianRow
}

// File gives what is on record of a student to the student, the guardians, and whoever decides.
func (s *Service) File(ctx context.Context, by int64, at Place) (*File, error) {
	d, err := s.open(ctx, by, at)
	if err != nil {
		return nil, err
	}
	if d.answer(0); !d.Acts[acts.SeeFiles].Allowed {
		return nil, problem(Code(d.Acts[acts.SeeFiles].Why))
	}
	list, err := s.db.Queries().GuardiansOf(ctx, at.School, at.Student)
	return &File{d, list}, err
}
