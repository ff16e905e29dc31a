package school

import (
	"context"
	"slices"
	"strings"

	"rubricon/store"
)

// MaxMessage is the most characters of a message, a reason or a remark.
const MaxMessage = 1000

// Sign is a guardian's signature under what was submitted; agreed names each requested course whose fee is agreed to, and all
// that have one must be among them. Signing what is signed already changes nothing.
func (s *Service) Sign(ctx context.Context, username, school, student string, version int64, agreed []string) (*SheetView, error) {
	return s.act(ctx, username, school, student, SignSheet, "sign", func(_ store.Queries, sub *subject) (map[string]any, error) {
		if sub.State == "signed" {
			return nil, nil
		}
		if sub.State != "submitted" || changedSince(&sub.SheetRow) {
			return nil, problem(WrongState, "there is nothing to sign: the sheet must be submitted first")
		}
		if err := s.checkOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, version); err != nil {
			return nil, err
		}
		y := sub.known.Year
		for _, e := range sub.Entries {
			if i, ok := y.Index(e.Course); ok && !e.Alternate && y.Courses[i].Fee > 0 && !slices.Contains(agreed, e.Course) {
				return nil, problem(BadInput, "agree to the fee for %s before you sign", y.Courses[i].Title)
			}
		}
		at := s.now()
		sub.State, sub.SignedAt, sub.SignedBy, sub.Asked = "signed", &at, sub.actor.GivenName+" "+sub.actor.FamilyName, ""
		return map[string]any{"signed": sub.SubmittedVersion, "agreed": agreed}, nil
	})
}

// AskForChange sends a family's wish to the student and the counselor; the sheet waits until the student submits again or a
// counselor answers.
func (s *Service) AskForChange(ctx context.Context, username, school, student string, version int64, message string) (*SheetView, error) {
	message = strings.TrimSpace(message)
	return s.act(ctx, username, school, student, AskForChange, "ask", func(_ store.Queries, sub *subject) (map[string]any, error) {
		if message == "" {
			return nil, problem(BadInput, "write what you would like to change")
		}
		if sub.Asked == message {
			return nil, nil
		}
		if sub.State != "submitted" && sub.State != "signed" {
			return nil, problem(WrongState, "the sheet is not with the family now")
		}
		if err := s.checkOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, version); err != nil {
			return nil, err
		}
		sub.State, sub.SignedAt, sub.SignedBy, sub.Asked = "submitted", nil, "", message
		return map[string]any{"message": message}, nil
	})
}
