package caseload

import (
	"context"
	"slices"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// RemarkRow is something asked or said about a sheet, with the school's answer.
type RemarkRow = store.RemarkRow

// maxRemarks bounds what is said about one sheet.
const maxRemarks = 100

// Remarks lists what was asked and said about a sheet, for anyone who may see it.
func (s *Service) Remarks(ctx context.Context, by int64, at schoolyear.Place) (*appsheet.Desk, []store.RemarkRow, error) {
	d, err := s.ports.Sheet.Open(ctx, by, at)
	if err != nil {
		return nil, nil, err
	}
	d.Answer(0)
	list, err := s.base.DB.Queries().Caseload.Remarks(ctx, at)
	if !InFamily(d) {
		list = slices.DeleteFunc(list, func(r store.RemarkRow) bool { return r.Kind == RemarkFamily })
	}
	return d, list, err
}

// RemarkFamily is the kind of what student and guardians say to each other, which the school does not read.
const RemarkFamily = "family"

// InFamily reports whether the reader is the student or a guardian.
func InFamily(d *appsheet.Desk) bool {
	r := d.Actor.To(d.Row.Student)
	return r.Self || r.Guardian
}

// Remark asks or says something about a sheet, or one course or rule of it, which is kept with it: a
// question, a comment, that something is wrong or missing, or that a rule is put off; or what a family says
// to each other, about the sheet or a draft that they see. The errors are NeedsMessage, NoCourse, AtLimit,
// and acts.NotYours where someone else would speak in a family.
func (s *Service) Remark(ctx context.Context, by int64, at schoolyear.Place, r store.RemarkRow) (*appsheet.Desk, error) {
	r.Text = text.Tidy(r.Text)
	if r.Draft = at.Draft; r.Draft != 0 {
		if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
			return nil, err
		}
	}
	sheet := at
	sheet.Draft = 0
	return s.ports.Sheet.Act(ctx, by, sheet, 0, acts.Remark, "", func(d *appsheet.Desk) (*store.Change, error) {
		if family := r.Kind == RemarkFamily; family && !InFamily(d) || !family && r.Draft != 0 {
			return nil, problem.New(problem.Code(acts.NotYours))
		}
		if r.Text == "" {
			return nil, problem.New(problem.NeedsMessage)
		}
		if _, ok := d.Year.Index(r.Course); r.Course != "" && !ok {
			return nil, &problem.Error{Code: problem.NoCourse, Param: r.Course}
		}
		list, err := s.base.DB.Queries().Caseload.Remarks(ctx, at)
		if err != nil {
			return nil, err
		}
		if len(list) >= maxRemarks {
			return nil, problem.New(problem.AtLimit)
		}
		kind, detail := "remark", map[string]any{"course": r.Course, "message": r.Text}
		if r.Kind == RemarkFamily { // the history is read by the school too
			kind, detail = "talk", map[string]any{"course": r.Course}
		}
		change := d.Change(kind, "", detail)
		change.Remark = &r
		return change, nil
	})
}

// AnswerRemark answers what a family asked or said, once. The errors are NeedsMessage, NotFound and AlreadyDone.
func (s *Service) AnswerRemark(ctx context.Context, by int64, at schoolyear.Place, id int64, answer string) (*appsheet.Desk, error) {
	answer = text.Tidy(answer)
	return s.ports.Sheet.Act(ctx, by, at, 0, acts.Reply, "", func(d *appsheet.Desk) (*store.Change, error) {
		list, err := s.base.DB.Queries().Caseload.Remarks(ctx, at)
		if err != nil {
			return nil, err
		}
		k := slices.IndexFunc(list, func(r store.RemarkRow) bool { return r.ID == id })
		switch {
		case k < 0:
			return nil, problem.New(problem.NotFound)
		case list[k].Kind == RemarkFamily: // which the school does not read
			return nil, problem.New(problem.NotFound)
		case list[k].Answer != "":
			return nil, problem.New(problem.Code(acts.AlreadyDone))
		case answer == "":
			return nil, problem.New(problem.NeedsMessage)
		}
		change := d.Change("reply", "", map[string]any{"course": list[k].Course, "message": answer})
		change.Answer = &store.RemarkRow{ID: id, Answer: answer}
		return change, nil
	})
}
