package people

import (
	"context"

	"rubricon/core/roster"
	"rubricon/store"
)

// Member is a student who is chosen.
type Member struct {
	Student, GivenName, FamilyName string
	Grade                          int
	Version                        int64
}

// MaxRoster is how long a list may be, in bytes.
const MaxRoster = 512 << 10

// MemberOf returns a student as lists show them.
func MemberOf(h *store.HeadRow) Member {
	return Member{Student: h.Student, GivenName: h.GivenName, FamilyName: h.FamilyName, Grade: h.Grade, Version: h.Version}
}

// Roll returns the names and numbers by which lists can name students.
func (s *Service) Roll(ctx context.Context, school string, heads []store.HeadRow) ([]roster.Person, error) {
	names, err := s.base.DB.Queries().People.NamesOf(ctx, school)
	people := make([]roster.Person, len(heads))
	for i := range heads {
		n := names[heads[i].Student]
		people[i] = roster.Person{ID: heads[i].Student, Username: n.Username, Mail: n.Mail, GivenName: heads[i].GivenName,
			FamilyName: heads[i].FamilyName}
	}
	return people, err
}
