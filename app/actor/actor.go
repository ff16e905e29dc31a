// Package actor says who does something in a school, and what they are to a student.
package actor

import (
	"rubricon/core/acts"
	"rubricon/store"
)

// Actor is a person of a school who does something, as seen from one school year.
type Actor struct {
	store.Person
	Account  int64
	Roster   int64           // the version it was read in
	Students map[string]bool // whom they counsel, by id
}

// Name returns the actor as history keeps them.
func (a *Actor) Name() store.Actor {
	return store.Actor{ID: a.ID, Name: a.GivenName + " " + a.FamilyName}
}

// To reports what the person is to a student.
func (a *Actor) To(student string) acts.Relation {
	r := a.InSchool()
	r.Self = a.Role == "student" && a.ID == student
	r.Counsels = a.Students[student]
	for _, child := range a.Children.V {
		r.Guardian = r.Guardian || child.ID == student
	}
	return r
}

// InSchool reports what the person is to the school.
func (a *Actor) InSchool() acts.Relation {
	return acts.Relation{Counselor: a.Counsels, Office: a.Administers}
}
