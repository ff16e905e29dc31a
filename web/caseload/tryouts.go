package caseload

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	appcaseload "rubricon/app/caseload"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// TryoutView is a course into which the reader takes students, with those who ask for it or have an answer.
type TryoutView struct {
	Course string       `json:"course"`
	Title  string       `json:"title"`
	Due    string       `json:"due,omitempty" doc:"When they are heard, as the school writes it: YYYY-MM-DD, or with THH:MM, in its time zone"`
	Place  string       `json:"place,omitempty" doc:"Where"`
	Turns  bool         `json:"turns" doc:"They are heard, so that somebody can be turned down"`
	Pupils []TryingView `json:"pupils" doc:"By name"`
}

// TryingView is what a leader sees of a student.
type TryingView struct {
	Student string       `json:"student"`
	Given   string       `json:"given"`
	Family  string       `json:"family"`
	Grade   int          `json:"grade" doc:"The grade being entered"`
	Asks    string       `json:"asks,omitempty" enum:"request,alternate,placeholder" doc:"How the student asks for it; placeholder: for one that may become it"`
	Answer  string       `json:"answer" enum:"open,taken,not"`
	By      string       `json:"by,omitempty" doc:"Who answered"`
	Note    string       `json:"note,omitempty" doc:"Words beside, for the student and the family"`
	May     websheet.Act `json:"may" doc:"Whether the leader may answer now"`
}

// Taking is a leader's answer.
type Taking struct {
	Students []string `json:"students" minItems:"1" maxItems:"500"`
	Answer   string   `json:"answer" enum:"open,taken,not" doc:"open: what was answered is taken back"`
	Note     string   `json:"note,omitempty" maxLength:"120"`
}

// tryoutRoutes are those of who leads a course.
func (s *Routes) tryoutRoutes(api huma.API) {
	type listOut struct{ Body []TryoutView }
	server.SignedIn(s, api, server.Operation("list-tryouts", http.MethodGet, server.YearPath+"/tryouts",
		"The courses into which the reader takes students, each with who asks for it"),
		func(ctx context.Context, by int64, in *server.InYear) (*listOut, error) {
			list, err := s.cases.Caseload.Tryouts(ctx, by, in.School, in.Year)
			if err != nil {
				return nil, err
			}
			out := &listOut{Body: []TryoutView{}}
			for i := range list {
				out.Body = append(out.Body, newTryout(&list[i], server.RequestOf(ctx).Reads))
			}
			return out, nil
		})
	type takeIn struct {
		server.InYear
		Course string `path:"course" maxLength:"100"`
		Body   Taking
	}
	type takeOut struct{ Body TryoutView }
	server.SignedIn(s, api, server.Operation("take-students", http.MethodPost,
		server.YearPath+"/tryouts/{course}/answers", "Take students into a course that the reader leads, turn them down, or take that back"),
		func(ctx context.Context, by int64, in *takeIn) (*takeOut, error) {
			t, err := s.cases.Caseload.Take(ctx, by, in.School, in.Year, in.Course,
				appcaseload.Taking{Students: in.Body.Students, Answer: appcaseload.TryoutAnswer(in.Body.Answer), Note: in.Body.Note})
			if err != nil {
				return nil, err
			}
			return &takeOut{newTryout(t, server.RequestOf(ctx).Reads)}, nil
		})
	type namedIn struct {
		server.InYear
		Course string `path:"course" maxLength:"100"`
		Body   struct {
			Roster string `json:"roster" maxLength:"524288" doc:"A student a line: by number, username, mail or name"`
		}
	}
	type namedOut struct{ Body *CohortView }
	named := server.Operation("name-students", http.MethodPost, server.YearPath+"/tryouts/{course}/named",
		"The students whom a list names, for a course that the reader leads")
	named.MaxBodyBytes = maxManyBody
	server.SignedIn(s, api, named, func(ctx context.Context, by int64, in *namedIn) (*namedOut, error) {
		c, err := s.cases.Caseload.Named(ctx, by, in.School, in.Year, in.Course, in.Body.Roster)
		if err != nil {
			return nil, err
		}
		return &namedOut{newCohort(c)}, nil
	})
	type leadIn struct {
		server.InYear
		Person string `path:"person" maxLength:"100"`
		Body   struct {
			Course string `json:"course" minLength:"1" maxLength:"100" doc:"Its code"`
			Give   bool   `json:"give"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.Operation("set-lead", http.MethodPost, server.YearPath+"/people/{person}/leads",
		"Let a person of the staff lead a course, or take that back, with a reason"),
		func(ctx context.Context, by int64, in *leadIn) (*struct{}, error) {
			return &struct{}{}, s.cases.Caseload.SetLead(ctx, by, in.School, in.Year, in.Person, in.Body.Course, in.Body.Give, in.Body.Reason)
		})
}

func newTryout(t *appcaseload.Tryout, language string) TryoutView {
	y := t.Year
	v := TryoutView{Course: y.Codes[t.Course], Title: titleOf(y, y.Codes[t.Course], language),
		Turns: len(t.Auditions) > 0, Pupils: []TryingView{}}
	for _, i := range t.Auditions {
		if e := &y.Errands[i]; v.Due == "" {
			v.Due, v.Place = e.Due, e.Place
		}
	}
	for i := range t.Pupils {
		p := &t.Pupils[i]
		v.Pupils = append(v.Pupils, TryingView{Student: p.Student, Given: p.GivenName, Family: p.FamilyName, Grade: p.Grade,
			Asks: string(p.Asks), Answer: string(p.Answer), By: p.By, Note: p.Note, May: websheet.NewAct(p.May)})
	}
	return v
}
