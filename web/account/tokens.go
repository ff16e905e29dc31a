package account

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/web/server"
)

// TokenView is a token of another system, without its secret.
type TokenView struct {
	ID      int64      `json:"id"`
	Name    string     `json:"name" doc:"Of the system that has it"`
	Purpose string     `json:"purpose" enum:"courses,people" doc:"courses: orgs, academic sessions, courses and classes; people: also users and enrollments"`
	By      string     `json:"by" doc:"Who made it"`
	MadeAt  time.Time  `json:"madeAt"`
	Expires time.Time  `json:"expires"`
	UsedAt  *time.Time `json:"usedAt,omitempty" doc:"To five minutes"`
	EndedAt *time.Time `json:"endedAt,omitempty" doc:"Taken back"`
	EndedBy string     `json:"endedBy,omitempty"`
}

// TokenMaking is what a token is made for.
type TokenMaking struct {
	Name    string `json:"name" minLength:"1" maxLength:"100"`
	Purpose string `json:"purpose" enum:"courses,people"`
	Days    int    `json:"days" minimum:"1" maximum:"366"`
}

// TokenMade is a token that was made; it is said once.
type TokenMade struct {
	Token string `json:"token" doc:"To be shown as Authorization: Bearer …"`
}

// tokenRoutes are those of what other systems show to say who they are.
func (s *Routes) tokenRoutes(api huma.API) {
	type listOut struct{ Body []TokenView }
	server.SignedIn(s, api, server.Operation("list-tokens", http.MethodGet, server.YearPath+"/tokens",
		"The tokens of other systems, the latest first"),
		func(ctx context.Context, by int64, in *server.InYear) (*listOut, error) {
			list, err := s.cases.Account.Tokens(ctx, by, in.School, in.Year)
			out := &listOut{Body: []TokenView{}}
			for _, t := range list {
				out.Body = append(out.Body, TokenView{ID: t.ID, Name: t.Name, Purpose: t.Purpose, By: t.By, MadeAt: t.MadeAt,
					Expires: t.Expires, UsedAt: t.UsedAt, EndedAt: t.EndedAt, EndedBy: t.EndedBy})
			}
			return out, err
		})
	type makeIn struct {
		server.InYear
		Body TokenMaking
	}
	type makeOut struct{ Body TokenMade }
	server.SignedIn(s, api, server.Operation("make-token", http.MethodPost, server.YearPath+"/tokens",
		"Make a token for another system; it is said once"),
		func(ctx context.Context, by int64, in *makeIn) (*makeOut, error) {
			token, err := s.cases.Account.MakeToken(ctx, by, in.School, in.Year, in.Body.Name, in.Body.Purpose, in.Body.Days)
			return &makeOut{TokenMade{token}}, err
		})
	type endIn struct {
		server.InYear
		Token int64 `path:"token"`
	}
	end := server.Operation("end-token", http.MethodDelete, server.YearPath+"/tokens/{token}", "Take a token back, at once")
	end.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, end, func(ctx context.Context, by int64, in *endIn) (*struct{}, error) {
		return &struct{}{}, s.cases.Account.EndToken(ctx, by, in.School, in.Year, in.Token)
	})
}
