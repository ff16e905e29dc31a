package school

import (
	"context"
	"slices"

	"rubricon/core/acts"
	"rubricon/store"
)

// RemarkRow is something asked or said about a sheet, with the school's answer.
type RemarkRow = store.RemarkRow

// maxRemarks bounds what is said about one sheet.
const maxRemarks = 100

// Remarks lists what was asked and said about a sheet, for whoever may see it.
func (s *Service) Remarks(ctx context.Context, by int64, at Place) (*Desk, []store.RemarkRow, error) {
	d, err := s.open(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	d.answer(0)
	list, err := s.db.Queries().Remarks(ctx, at)
	return d, list, err
}

// Remark asks or says something about a sheet, or one course or rule of it, which is kept with it: a question, a comment, that something is
// wrong or missing, or that a rule is put off. The errors are NeedsMessage, NoCourse, and Full.
func (s *Service) Remark(ctx context.Context, by int64, at Place, r store.RemarkRow) (*Desk, error) {
	r.Text = tidy(r.Text)
	return s.act(ctx, by, at, 0, acts.Remark, "", func(d *Desk) (*store.Change, error) {
		if r.Text == "" {
			return nil, problem(NeedsMessage)
		}
		if _, ok := d.Year.Index(r.Course); r.Course != "" && !ok {
			return nil, &Error{Code: NoCourse, Param: r.Course}
		}
		list, err := s.db.Queries().Remarks(ctx, at)
		if err != nil {
			return nil, err
		}
		if len(list) >= maxRemarks {
			return nil, problem(Full)
		}
		change := d.change("remark", "", map[string]any{"course": r.Course, "message": r.Text})
		change.Remark = &r
		return change, nil
	})
}

// AnswerRemark answers what a family asked or said, once. The errors are NeedsMessage, NotFound and AlreadyDone.
func (s *Service) AnswerRemark(ctx context.Context, by int64, at Place, id int64, answer string) (*Desk, error) {
	answer = tidy(answer)
	return s.act(ctx, by, at, 0, acts.Reply, "", func(d *Desk) (*store.Change, error) {
		list, err := s.db.Queries().Remarks(ctx, at)
		if err != nil {
			return nil, err
		}
		k := slices.IndexFunc(list, func(r store.RemarkRow) bool { return r.ID == id })
		switch {
		case k < 0:
			return nil, problem(NotFound)
		case list[k].Answer != "":
			return nil, problem(Code(acts.AlreadyDone))
		case answer == "":
			return nil, problem(NeedsMessage)
		}
		change := d.change("reply", "", map[string]any{"course": list[k].Course, "message": answer})
		change.Answer = &store.RemarkRow{ID: id, Answer: answer}
		return change, nil
	})
}
