package caseload

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	appcaseload "rubricon/app/caseload"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// RemarksView is what was asked and said about a sheet.
type RemarksView struct {
	Remark  websheet.Act `json:"remark" doc:"Whether the reader may ask and say something"`
	Answer  bool         `json:"answer" doc:"Whether the reader answers"`
	Remarks []RemarkView `json:"remarks" doc:"The oldest first"`
}

// RemarkView is something asked or said, with its answer.
type RemarkView struct {
	ID         int64      `json:"id"`
	Kind       string     `json:"kind" enum:"question,comment,wrong,later,family"`
	Draft      int64      `json:"draft,omitempty"`
	Course     string     `json:"course,omitempty"`
	Rule       string     `json:"rule,omitempty"`
	Text       string     `json:"text"`
	By         string     `json:"by"`
	At         time.Time  `json:"at"`
	Answer     string     `json:"answer,omitempty"`
	AnsweredBy string     `json:"answeredBy,omitempty"`
	AnsweredAt *time.Time `json:"answeredAt,omitempty"`
}

// Remarking asks or says something.
type Remarking struct {
	Kind   string `json:"kind" enum:"question,comment,wrong,later,family" doc:"wrong: something on record is wrong or missing; later: a rule or group is put off; family: said to each other, not to the school"`
	Course string `json:"course,omitempty" maxLength:"100"`
	Rule   string `json:"rule,omitempty" maxLength:"100"`
	Text   string `json:"text" maxLength:"1000"`
}

// remarkRoutes are those of what is asked and said about a sheet.
func (s *Routes) remarkRoutes(api huma.API) {
	type remarksOut struct{ Body *RemarksView }
	list := func(ctx context.Context, by int64, at schoolyear.Place) (*remarksOut, error) {
		d, rows, err := s.cases.Caseload.Remarks(ctx, by, at)
		if err != nil {
			return nil, err
		}
		v := &RemarksView{Remark: websheet.NewAct(d.Acts[acts.Remark]), Answer: d.Acts[acts.Reply].Allowed, Remarks: []RemarkView{}}
		for _, r := range rows {
			v.Remarks = append(v.Remarks, RemarkView(r))
		}
		return &remarksOut{v}, nil
	}
	server.SignedIn(s, api, server.Operation("get-remarks", http.MethodGet, server.StudentPath+"/remarks",
		"What was asked and said about a sheet"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*remarksOut, error) {
			return list(ctx, by, in.Place())
		})
	type remarkIn struct {
		server.OnSheet
		Body Remarking
	}
	server.SignedIn(s, api, server.Operation("make-remark", http.MethodPost, server.StudentPath+"/remarks",
		"Ask or say something about a sheet, or one course or rule of it"),
		func(ctx context.Context, by int64, in *remarkIn) (*remarksOut, error) {
			b := &in.Body
			if _, err := s.cases.Caseload.Remark(ctx, by, in.Place(),
				appcaseload.RemarkRow{Kind: b.Kind, Course: b.Course, Rule: b.Rule, Text: b.Text}); err != nil {
				return nil, err
			}
			return list(ctx, by, in.Place())
		})
	type answerIn struct {
		server.OnSheet
		ID   int64 `path:"id" minimum:"1"`
		Body struct {
			Answer string `json:"answer" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.Operation("answer-remark", http.MethodPost, server.StudentPath+"/remarks/{id}/answer",
		"Answer what a family asked or said, once"),
		func(ctx context.Context, by int64, in *answerIn) (*remarksOut, error) {
			if _, err := s.cases.Caseload.AnswerRemark(ctx, by, in.Place(), in.ID, in.Body.Answer); err != nil {
				return nil, err
			}
			return list(ctx, by, in.Place())
		})
}
