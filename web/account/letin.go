package account

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/web/server"
)

// letInRoutes are those by which the office lets people in, and sees who tried.
func (s *Routes) letInRoutes(api huma.API) {
	type signInsIn struct {
		server.InYear
		server.Paged
		Person string `path:"person" maxLength:"100"`
	}
	type signInsOut struct{ Body []SignInView }
	server.SignedIn(s, api, server.Operation("list-sign-ins", http.MethodGet, server.YearPath+"/people/{person}/sign-ins",
		"The tries to sign in as a person, the latest first, at most 50 at once"),
		func(ctx context.Context, by int64, in *signInsIn) (*signInsOut, error) {
			list, err := s.cases.Account.SignIns(ctx, by, in.School, in.Year, in.Person, in.Skip)
			out := &signInsOut{Body: []SignInView{}}
			for _, x := range list {
				out.Body = append(out.Body, SignInView(x))
			}
			return out, err
		})
	type passwordIn struct {
		server.InYear
		Person string `path:"person" maxLength:"100"`
		Mail   bool   `query:"mail" doc:"Send it to the mail address on file"`
	}
	type passwordOut struct {
		Body struct {
			Password string `json:"password,omitempty" doc:"To be handed over; it is shown this once, and not where it goes by mail"`
		}
	}
	server.SignedIn(s, api, server.Operation("give-password", http.MethodPost,
		server.YearPath+"/people/{person}/password", "Give a person a new password; it ends their sessions"),
		func(ctx context.Context, by int64, in *passwordIn) (out *passwordOut, err error) {
			out = &passwordOut{}
			out.Body.Password, err = s.cases.Account.GivePassword(ctx, by, in.School, in.Year, in.Person, in.Mail)
			return out, err
		})
}
