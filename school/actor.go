package school

import (
	"rubricon/core/acts"
	"rubricon/store"
)

// actor is somebody of a school who does something, with whom they counsel in a year.
type actor struct {
	store.Person
	account  int64
	roster   int64 // the version it was read in
	counsels map[string]bool
}

func (a *actor) name() store.Actor {
	return store.Actor{ID: a.ID, Name: a.GivenName + " " + a.FamilyName}
}

// to tells what the person is to a student.
func (a *actor) to(student string) acts.Relation {
	r := a.inSchool()
	r.Self = a.Role == "student" && a.ID == student
	r.Counsels = a.counsels[student]
	for _, child := range a.Children.V {
		r.Guardian = r.Guardian || child.ID == student
	}
	return r
}

// inSchool tells what the person is to the school.
func (a *actor) inSchool() acts.Relation {
	return acts.Relation{Counselor: a.Counsels, Office: a.Administers}
}
