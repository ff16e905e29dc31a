package school

import (
	"context"
	"fmt"
	"strings"

	"rubricon/store"
)

// Submit hands the sheet in: it is refused with the list of what to mend, or accepted with a receipt number and time.
// Submitting the same sheet twice gives the same receipt.
func (s *Service) Submit(ctx context.Context, username, school, student string, version int64) (*SheetView, error) {
	return s.act(ctx, username, school, student, SubmitSheet, "submit", func(q store.Queries, sub *subject) (map[string]any, error) {
		if sub.SubmittedVersion >= sub.ContentVersion && (sub.State == "submitted" || sub.State == "signed" || sub.State == "cleared") {
			return nil, nil
		}
		if err := s.checkOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, version); err != nil {
			return nil, err
		}
		j, err := judge(sub.known, sub.Entries)
		if err != nil {
			return nil, err
		}
		if !j.submittable() {
			return nil, &Error{Code: NotReady, Detail: "the sheet cannot be submitted yet; mend what is listed", Todo: todos(sub.known.Year, j.todo)}
		}
		number, err := q.NextReceipt(ctx, school)
		if err != nil {
			return nil, err
		}
		at := s.now()
		sub.State, sub.SubmittedAt, sub.SubmittedVersion = "submitted", &at, sub.Version+1
		sub.Receipt = fmt.Sprintf("%s-%d", initials(school), number)
		sub.SignedAt, sub.SignedBy, sub.Message, sub.Asked = nil, "", "", ""
		return map[string]any{"receipt": sub.Receipt, "entries": sub.Entries}, nil
	})
}

func initials(school string) string {
	return strings.ToUpper(school[:min(2, len(school))])
}
