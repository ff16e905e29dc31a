package account

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/account"
	"rubricon/web/server"
)

// accountRoutes are those of signing in and out, of who is signed in and where.
func (s *Routes) accountRoutes(api huma.API) {
	type credentials struct {
		Username string `json:"username" minLength:"1" maxLength:"200"`
		Password string `json:"password" minLength:"1" maxLength:"500"`
	}
	type signInIn struct {
		Device     http.Cookie `cookie:"device"`
		HostDevice http.Cookie `cookie:"__Host-device"`
		Body       credentials
	}
	type signInOut struct {
		SetCookie *http.Cookie `header:"Set-Cookie"`
		Body      *MeView
	}
	huma.Register(api, server.Operation("sign-in", http.MethodPost, "/api/session", "Sign in"),
		func(ctx context.Context, in *signInIn) (*signInOut, error) {
			device := in.Device.Value
			if s.TLS {
				device = in.HostDevice.Value
			}
			signed, err := s.cases.Account.SignIn(ctx, in.Body.Username, in.Body.Password,
				account.Client{Address: server.RequestOf(ctx).Address, Device: device, Agent: server.RequestOf(ctx).Agent})
			if err != nil {
				return nil, server.Answer(ctx, err)
			}
			view, err := s.begin(ctx, signed)
			if err != nil {
				return nil, err
			}
			return &signInOut{s.device(signed.Device), view}, nil
		})
	op := server.Operation("sign-out", http.MethodDelete, "/api/session", "Sign out")
	op.DefaultStatus = http.StatusNoContent
	huma.Register(api, op, func(ctx context.Context, _ *struct{}) (*struct{}, error) {
		return nil, s.Sessions.Destroy(ctx)
	})
	type meOut struct{ Body *MeView }
	huma.Register(api, server.Operation("get-me", http.MethodGet, "/api/me", "Who is signed in; nobody is no error"),
		func(ctx context.Context, _ *struct{}) (*meOut, error) {
			by, err := s.Account(ctx)
			var problem *server.Problem
			if errors.As(err, &problem) && problem.Status == http.StatusUnauthorized {
				return &meOut{&MeView{Persons: []PersonView{}}}, nil
			} else if err != nil {
				return nil, err
			}
			view, err := s.me(ctx, by)
			return &meOut{view}, err
		})
	type languageIn struct {
		Body struct {
			Language string `json:"language" minLength:"2" maxLength:"35" doc:"BCP 47"`
		}
	}
	op = server.Operation("set-language", http.MethodPut, "/api/me/language", "Choose the language one reads")
	op.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *languageIn) (*struct{}, error) {
		return nil, s.cases.Account.SetLanguage(ctx, by, in.Body.Language)
	})
}

// sessionRoutes registers the list of sessions and ending them.
func (s *Routes) sessionRoutes(api huma.API) {
	type sessionsOut struct{ Body []SessionView }
	server.SignedIn(s, api, server.Operation("get-sessions", http.MethodGet, "/api/sessions", "Where one is signed in, the latest first"),
		func(ctx context.Context, by int64, _ *struct{}) (*sessionsOut, error) {
			list, err := s.cases.Account.Sessions(ctx, by)
			if err != nil {
				return nil, err
			}
			here := s.here(ctx)
			out := &sessionsOut{Body: []SessionView{}}
			for _, x := range list {
				out.Body = append(out.Body, SessionView{ID: x.Token, Agent: x.Agent, BegunAt: x.BegunAt, SeenAt: x.SeenAt, Here: x.Token == here})
			}
			return out, nil
		})
	type sessionIn struct {
		ID string `path:"id" maxLength:"100"`
	}
	op := server.Operation("end-session", http.MethodDelete, "/api/sessions/{id}", "Sign out somewhere else")
	op.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *sessionIn) (*struct{}, error) {
		return nil, s.cases.Account.EndSession(ctx, by, in.ID)
	})
	op = server.Operation("end-sessions", http.MethodDelete, "/api/sessions", "Sign out everywhere else, also where a sign-in is under way")
	op.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, _ *struct{}) (*struct{}, error) {
		epoch, err := s.cases.Account.EndSessions(ctx, by, s.here(ctx))
		if err == nil {
			s.Sessions.Put(ctx, server.EpochKey, epoch)
		}
		return nil, err
	})
}

// passwordRoutes registers changing a password, and what the sign-in page shows.
func (s *Routes) passwordRoutes(api huma.API) {
	type passwordIn struct {
		Body struct {
			Old string `json:"old" minLength:"1" maxLength:"500"`
			New string `json:"new" minLength:"1" maxLength:"500"`
		}
	}
	op := server.Operation("change-password", http.MethodPost, "/api/password", "Change one's own password; all other sessions end")
	op.DefaultStatus = http.StatusNoContent
	// Also for anyone who has signed in with a password for one sign-in.
	huma.Register(api, op, func(ctx context.Context, in *passwordIn) (*struct{}, error) {
		by, err := s.Ready(ctx)
		if s.Sessions.GetBool(ctx, server.OnceKey) {
			by, err = s.Account(ctx)
		}
		if err != nil {
			return nil, err
		}
		epoch, err := s.cases.Account.ChangePassword(ctx, by, s.here(ctx), in.Body.Old, in.Body.New)
		if err != nil {
			return nil, server.Answer(ctx, err)
		}
		s.Sessions.Put(ctx, server.EpochKey, epoch)
		s.Sessions.Remove(ctx, server.OnceKey)
		return nil, nil
	})
	type welcomeOut struct{ Body Welcome }
	huma.Register(api, server.Operation("get-welcome", http.MethodGet, "/api/welcome", "What the sign-in page shows"),
		func(context.Context, *struct{}) (*welcomeOut, error) {
			out := &welcomeOut{Welcome{Demo: s.Demo, Mail: s.DemoMail}}
			for _, p := range s.SignOn.Providers() {
				out.Body.SignOn = append(out.Body.SignOn, SignOnChoice{p.School, p.Name})
			}
			if out.Body.Demo == nil {
				out.Body.Demo = []DemoSignIn{}
			}
			return out, nil
		})
}
