package sheet

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	appsheet "rubricon/app/sheet"
	"rubricon/web/server"
)

// AgreementsView are what a guardian agrees to before signing.
type AgreementsView struct {
	Agreements []AgreementView `json:"agreements" doc:"Each by itself, fees first"`
	SignedAt   *time.Time      `json:"signedAt,omitempty" doc:"When the reader signed what was handed in before"`
	Since      *Since          `json:"since,omitempty" doc:"What is different from that"`
}

// AgreementView is a fee or a commitment.
type AgreementView struct {
	Kind string     `json:"kind" enum:"fee,commitment"`
	Ref  string     `json:"ref" doc:"A course, or the commitment's id"`
	What string     `json:"what" doc:"The fee in hundredths, or the commitment's text in the school's language"`
	At   *time.Time `json:"at,omitempty" doc:"Since when the reader agrees"`
}

// Agreeing says that a guardian agrees to something, or no longer.
type Agreeing struct {
	Kind  string `json:"kind" enum:"fee,commitment"`
	Ref   string `json:"ref" minLength:"1" maxLength:"200"`
	What  string `json:"what" maxLength:"4000" doc:"As it was shown: where it is something else by now, it is refused"`
	Agree bool   `json:"agree"`
}

func (s *Routes) agreementRoutes(api huma.API) {
	type agreementsOut struct{ Body *AgreementsView }
	server.SignedIn(s, api, server.Operation("get-agreements", http.MethodGet, server.SheetPath+"/agreements",
		"What a guardian agrees to before signing, and what of it they agree to already"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*agreementsOut, error) {
			list, err := s.cases.Sheet.Agreements(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			return &agreementsOut{newAgreements(list)}, nil
		})
	type agreeIn struct {
		server.OnSheet
		Body Agreeing
	}
	server.SignedIn(s, api, server.Operation("set-agreement", http.MethodPut, server.SheetPath+"/agreements",
		"Agree to a fee or a commitment as a guardian, or withdraw that before signing"),
		func(ctx context.Context, by int64, in *agreeIn) (*agreementsOut, error) {
			b := &in.Body
			list, err := s.cases.Sheet.SetAgreement(ctx, by, in.Place(), appsheet.Agreement{Kind: b.Kind, Ref: b.Ref, What: b.What}, b.Agree)
			if err != nil {
				return nil, err
			}
			return &agreementsOut{newAgreements(list)}, nil
		})
}

func newAgreements(a *appsheet.Agreements) *AgreementsView {
	v := &AgreementsView{Agreements: []AgreementView{}, SignedAt: a.Signed}
	for _, x := range a.List {
		v.Agreements = append(v.Agreements, AgreementView(x))
	}
	if a.Since != nil {
		since := Since(*a.Since)
		v.Since = &since
	}
	return v
}
