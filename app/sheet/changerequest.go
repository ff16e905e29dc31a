package sheet

import (
	"context"
	"slices"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// The kinds of change requests.
const (
	AskChange    = "ask"     // something is to be different
	RefuseToSign = "decline" // a guardian does not sign what was submitted
)

// maxChangeRequests bounds how many change requests of one sheet are open at once, keptAnswers how many
// answered ones stay to be read next to it; the history has all.
const maxChangeRequests, keptAnswers = 20, 10

// ChangeRequest is a change that someone in a family requests.
type ChangeRequest struct {
	Version int64
	Message string
	Course  string // the requested course that it is about, a code; empty: the whole
	Decline bool   // they refuse to sign what was submitted
}

// RequestChange sends what a guardian, or a student after the request period, asks to change, or that a
// guardian refuses to sign, to the student and the counselor. It stays open, whatever others ask or sign,
// until anyone who made it withdraws it or the school answers it. The errors are NeedsMessage, AtLimit, and
// NotOnSheet where the course is not requested.
func (s *Service) RequestChange(ctx context.Context, by int64, at schoolyear.Place, r ChangeRequest) (*Desk, error) {
	r.Message = text.Tidy(r.Message)
	return s.Act(ctx, by, at, r.Version, acts.Ask, "", func(d *Desk) (*store.Change, error) {
		if r.Message == "" {
			return nil, problem.New(problem.NeedsMessage)
		}
		text := r.Message
		if r.Course != "" {
			course, ok := d.Year.Index(r.Course)
			if !ok || !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == r.Course }) {
				return nil, &problem.Error{Code: problem.NotOnSheet, Param: r.Course}
			}
			text = d.Year.Courses[course].Title + ": " + text
		}
		kind := AskChange
		if r.Decline {
			kind = RefuseToSign
		}
		change := d.Change(kind, "", map[string]any{"message": text, "course": r.Course})
		list := d.Row.ChangeRequests.V
		if openRequests(list) >= maxChangeRequests {
			return nil, problem.New(problem.AtLimit)
		}
		name := d.Actor.Name()
		setChangeRequests(&change.State, append(slices.Clone(list),
			store.ChangeRequest{ID: change.Version, Person: name.ID, Name: name.Name, Kind: kind, Course: r.Course, Text: r.Message, At: d.Now}))
		return change, nil
	})
}

// WithdrawChangeRequest takes back what the reader has asked to change, or their refusal. The error is
// NotFound where it is not theirs or no longer open.
func (s *Service) WithdrawChangeRequest(ctx context.Context, by int64, at schoolyear.Place, id int64) (*Desk, error) {
	return s.Act(ctx, by, at, 0, acts.Remark, "", func(d *Desk) (*store.Change, error) {
		list := slices.Clone(d.Row.ChangeRequests.V)
		k := slices.IndexFunc(list, func(r store.ChangeRequest) bool {
			return r.ID == id && r.Person == d.Actor.ID && r.AnsweredAt == nil
		})
		if k < 0 {
			return nil, problem.New(problem.NotFound)
		}
		change := d.Change("withdraw", "", map[string]any{"course": list[k].Course, "message": list[k].Text})
		setChangeRequests(&change.State, slices.Delete(list, k, k+1))
		d.settle(&change.State, d.signatures())
		return change, nil
	})
}

// AnswerChangeRequest answers one change request or refusal, for anyone who decides; the requests stay as they
// are. The errors are NeedsMessage, and NotFound where it is no longer open.
func (s *Service) AnswerChangeRequest(ctx context.Context, by int64, at schoolyear.Place, id int64, answer string) (*Desk, error) {
	answer = text.Tidy(answer)
	return s.Act(ctx, by, at, 0, acts.Reply, "", func(d *Desk) (*store.Change, error) {
		list := slices.Clone(d.Row.ChangeRequests.V)
		k := slices.IndexFunc(list, func(r store.ChangeRequest) bool { return r.ID == id && r.AnsweredAt == nil })
		switch {
		case k < 0:
			return nil, problem.New(problem.NotFound)
		case answer == "":
			return nil, problem.New(problem.NeedsMessage)
		}
		change := d.Change("reply", "", map[string]any{"course": list[k].Course, "message": answer})
		d.answerOne(&list[k], answer)
		setChangeRequests(&change.State, list)
		d.settle(&change.State, d.signatures())
		return change, nil
	})
}

// IsReader reports whether a person is who reads the desk.
func (d *Desk) IsReader(person string) bool { return person == d.Actor.ID }

func (d *Desk) answerOne(r *store.ChangeRequest, answer string) {
	r.Answer, r.AnsweredBy, r.AnsweredAt = answer, d.Actor.Name().Name, &d.Now
}

// answerAll answers every open change request and refusal with the reason that an act of the school gives.
func (d *Desk) answerAll(state *store.SheetState, answer string) {
	list := slices.Clone(d.Row.ChangeRequests.V)
	for i := range list {
		if list[i].AnsweredAt == nil {
			d.answerOne(&list[i], answer)
		}
	}
	setChangeRequests(state, list)
}

// takeRefusal ends the refusal of a guardian who signs; what they ask to change stays.
func (d *Desk) takeRefusal(state *store.SheetState, person string) {
	setChangeRequests(state, slices.DeleteFunc(slices.Clone(d.Row.ChangeRequests.V), func(r store.ChangeRequest) bool {
		return r.Person == person && r.Kind == RefuseToSign && r.AnsweredAt == nil
	}))
}

func openRequests(list []store.ChangeRequest) (n int) {
	for i := range list {
		if list[i].AnsweredAt == nil {
			n++
		}
	}
	return n
}

// setChangeRequests writes the change requests of a sheet and what sums them up: the latest answered ones stay.
func setChangeRequests(state *store.SheetState, list []store.ChangeRequest) {
	for drop := len(list) - openRequests(list) - keptAnswers; drop > 0; drop-- {
		k := slices.IndexFunc(list, func(r store.ChangeRequest) bool { return r.AnsweredAt != nil })
		list = slices.Delete(list, k, k+1)
	}
	state.ChangeRequests.V, state.Asked, state.AskedAt = list, "", nil
	for i := range list {
		if list[i].AnsweredAt == nil {
			state.Asked, state.AskedAt = list[i].Text, &list[i].At
			return
		}
	}
}
