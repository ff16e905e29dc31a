package sheet

import (
	"context"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/web/server"
)

// PaperView is a sheet that comes back signed on paper.
type PaperView struct {
	Student   string          `json:"student"`
	Given     string          `json:"given"`
	Family    string          `json:"family"`
	Grade     int             `json:"grade"`
	Receipt   string          `json:"receipt"`
	Requests  int             `json:"requests" doc:"How many courses it asks for"`
	State     string          `json:"state"`
	Act       Act             `json:"act" doc:"Whether a signature may be recorded now"`
	Guardians []PaperGuardian `json:"guardians"`
	Boxes     []PaperBox      `json:"boxes" doc:"What can be ticked on the page, in its order"`
}

// PaperBox is a box on a printed page.
type PaperBox struct {
	Kind string `json:"kind" enum:"fee,commitment"`
	Ref  string `json:"ref" doc:"A course, or the id of an agreement"`
	What string `json:"what" doc:"The fee in hundredths, or the agreement's text"`
}

// PaperGuardian is a guardian who may have signed it.
type PaperGuardian struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Signed bool   `json:"signed" doc:"Under what stands, on paper or on the screen"`
}

// pageRoutes are those of what comes back on paper.
func (s *Routes) pageRoutes(api huma.API) {
	type paperOut struct{ Body *PaperView }
	type findIn struct {
		server.InYear
		Body struct {
			Code string `json:"code" minLength:"1" maxLength:"100" doc:"As it stands on the page, typed or scanned"`
		}
	}
	server.SignedIn(s, api, server.Operation("find-page", http.MethodPost, server.YearPath+"/pages", "The sheet of a code on a printed page"),
		func(ctx context.Context, by int64, in *findIn) (*paperOut, error) {
			p, err := s.cases.Sheet.Papers().Find(ctx, by, in.School, in.Year, in.Body.Code)
			if err != nil {
				return nil, err
			}
			return &paperOut{newPaper(p)}, nil
		})
	type signIn struct {
		server.InYear
		Body struct {
			Code     string `json:"code" minLength:"1" maxLength:"100"`
			Guardian string `json:"guardian" maxLength:"100" doc:"Who has signed it"`

			Agreed      []string `json:"agreed" maxItems:"100" doc:"The courses whose fee is ticked"`
			Commitments []string `json:"commitments" maxItems:"200" doc:"The ids of the agreements that are ticked"`
		}
	}
	server.SignedIn(s, api, server.Operation("sign-page", http.MethodPost, server.YearPath+"/pages/signature",
		"Record the signature that a guardian has given on a printed page"),
		func(ctx context.Context, by int64, in *signIn) (*paperOut, error) {
			p, err := s.cases.Sheet.Papers().Sign(ctx, by, in.School, in.Year, appsheet.PaperSignature(in.Body))
			if err != nil {
				return nil, err
			}
			return &paperOut{newPaper(p)}, nil
		})
	type keepIn struct {
		server.OnSheet
		Guardian string `path:"guardian" maxLength:"100"`
		RawBody  []byte `contentType:"application/octet-stream"`
	}
	keep := s.Upload(server.Operation("keep-page", http.MethodPut, server.StudentPath+"/pages/{guardian}",
		"Keep a picture of the page that a guardian has signed: a PDF, a JPEG, PNG or HEIC picture; at most 10 MB"),
		appsheet.MaxAttachment, server.OfficeShare, s.cases.Sheet.Papers().MayKeepPages)
	keep.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, keep, func(ctx context.Context, by int64, in *keepIn) (*struct{}, error) {
		return nil, s.cases.Sheet.Papers().KeepPage(ctx, by, in.Place(), in.Guardian, in.RawBody)
	})
	type pageIn struct {
		server.OnSheet
		Guardian string `path:"guardian" maxLength:"100"`
	}
	type pageOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Policy             string `header:"Content-Security-Policy"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-page", http.MethodGet,
		server.StudentPath+"/pages/{guardian}", "The picture of the page that a guardian has signed"), "application/octet-stream"),
		func(ctx context.Context, by int64, in *pageIn) (*pageOut, error) {
			page, err := s.cases.Sheet.Papers().Page(ctx, by, in.Place(), in.Guardian)
			if err != nil {
				return nil, err
			}
			name := "page." + map[string]string{"application/pdf": "pdf", "image/jpeg": "jpg", "image/png": "png", "image/heic": "heic"}[page.Kind]
			// It is given out to be kept, never to be shown by the browser, whatever is in it.
			return &pageOut{ContentType: "application/octet-stream",
				ContentDisposition: mime.FormatMediaType("attachment", map[string]string{"filename": name}),
				Policy:             "sandbox; default-src 'none'", Body: page.Content}, nil
		})
}

func newPaper(p *appsheet.OnPaper) *PaperView {
	v := &PaperView{Student: p.Row.Student, Given: p.Pupil.GivenName, Family: p.Pupil.FamilyName, Grade: p.Row.Grade,
		Requests: len(p.AsSubmitted().Sheet.Requests), State: p.Row.State,
		Act: NewAct(p.Acts[acts.Sign]), Guardians: []PaperGuardian{}, Boxes: []PaperBox{}}
	if p.Row.Receipt != nil {
		v.Receipt = *p.Row.Receipt
	}
	for _, g := range p.Guardians {
		v.Guardians = append(v.Guardians, PaperGuardian(g))
	}
	for _, a := range p.Boxes {
		v.Boxes = append(v.Boxes, PaperBox{a.Kind, a.Ref, a.What})
	}
	return v
}
