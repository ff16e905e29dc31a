package account

import (
	"bytes"
	"context"
	"crypto/subtle"
	"errors"
	"html/template"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/account"
	"rubricon/app/problem"
	"rubricon/locales"
	"rubricon/signon"
	"rubricon/web/server"
)

// SignOnBack is where providers send the browser back to, under the application's address.
const SignOnBack = "/api/sign-on/back"

// SignOnChoice is a school's own accounts, by which its people can sign in.
type SignOnChoice struct {
	School string `json:"school"`
	Name   string `json:"name" doc:"As people know them"`
}

var landing = template.Must(template.New("landing").Parse(`<!doctype html>
<html lang="{{.Language}}" dir="{{.Direction}}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>{{.Head}}</title>{{if .Done}}<meta http-equiv="refresh" content="0;url=/">{{end}}</head>
<body><main><h1>{{.Head}}</h1>{{if .Note}}<p>{{.Note}}</p>{{end}}<p><a href="/">{{.Back}}</a></p></main></body></html>
`))

type landingOut struct {
	Status      int
	ContentType string       `header:"Content-Type"`
	Policy      string       `header:"Content-Security-Policy"`
	SetCookie   *http.Cookie `header:"Set-Cookie"`
	Location    string       `header:"Location"`
	Body        []byte
}

// landsOn declares of an operation that it answers with such a page, also where it refuses, or sends the browser on.
func landsOn(api huma.API, op huma.Operation) huma.Operation {
	op = server.Gives(op, "text/html")
	op.Responses["303"] = &huma.Response{Description: "The browser is sent on",
		Headers: map[string]*huma.Param{"Location": {Schema: &huma.Schema{Type: huma.TypeString}}},
		Content: op.Responses["200"].Content}
	op.Responses["default"] = server.Problems(api)
	op.Responses["default"].Content["text/html"] = op.Responses["200"].Content["text/html"]
	return op
}

// landed is the page on which a browser lands that comes from a provider. The cookie of the session is sent
// within this site alone, so that a redirect, which still belongs to the other site's, would not have it: the
// page goes on on its own.
func landed(ctx context.Context, status int, note string) *landingOut {
	l := locales.Match(server.RequestOf(ctx).Reads)
	page := struct {
		Language, Direction, Head, Note, Back string
		Done                                  bool
	}{Language: l.Tag.String(), Direction: l.Direction(), Head: l.Text("signOn.done", nil), Note: "",
		Back: l.Text("signOn.on", nil), Done: true}
	if note != "" {
		page.Head, page.Note, page.Back, page.Done = l.Text("signOn.head", nil), note, l.Text("signOn.back", nil), false
	}
	var out bytes.Buffer
	if err := landing.Execute(&out, page); err != nil {
		panic(err) // it is part of the program
	}
	return &landingOut{Status: status, ContentType: "text/html; charset=utf-8",
		Policy: "default-src 'none'; frame-ancestors 'none'", Body: out.Bytes()}
}

// tryCookie ties a try to the browser that begins it. It comes along when the provider sends the browser
// back, for which it has to be lax.
func (s *Routes) tryCookie(state string) *http.Cookie {
	return &http.Cookie{Name: server.CookieName("try", s.TLS), Value: state, Path: "/", MaxAge: 600, HttpOnly: true,
		Secure: s.TLS, SameSite: http.SameSiteLaxMode}
}

// signOnText returns a sentence about signing in by an account of the school, in the language of the request.
func signOnText(ctx context.Context, key string) string {
	return locales.Match(server.RequestOf(ctx).Reads).Text("signOn."+key, nil)
}

// refuseSignOn returns the page that says why a sign-in by an account of the school did not work; other errors come back as they are.
func (s *Routes) refuseSignOn(ctx context.Context, name string, err error) (*landingOut, error) {
	var known *problem.Error
	switch {
	case errors.Is(err, signon.ErrDown):
		s.Log.WarnContext(ctx, "a provider cannot be reached", "school", name)
		return landed(ctx, http.StatusServiceUnavailable, signOnText(ctx, "down")), nil
	case errors.Is(err, signon.ErrUnknown):
		return landed(ctx, http.StatusNotFound, signOnText(ctx, "none")), nil
	case errors.Is(err, signon.ErrRefused):
		s.Log.WarnContext(ctx, "a sign-on was refused", "school", name, "why", err.Error())
		return landed(ctx, http.StatusForbidden, signOnText(ctx, "refused")), nil
	case !errors.As(err, &known):
		return nil, err
	case known.Code == problem.NotFound:
		return landed(ctx, http.StatusForbidden, signOnText(ctx, "unknown")), nil
	}
	return landed(ctx, http.StatusForbidden, server.Say(ctx, string(known.Code))), nil
}

// signOnRoutes are those of signing in by an account of the school.
func (s *Routes) signOnRoutes(api huma.API) {
	type signOnBeginIn struct {
		School string `path:"school" maxLength:"100"`
	}
	huma.Register(api, landsOn(api, server.Operation("begin-sign-on", http.MethodGet, "/api/sign-on/{school}",
		"Sign in by an account of the school: the browser is sent there")),
		func(ctx context.Context, in *signOnBeginIn) (*landingOut, error) {
			try := signon.NewTry(in.School)
			address, err := s.SignOn.Address(ctx, try)
			if err == nil {
				err = s.cases.Account.KeepTry(ctx, account.Client{Address: server.RequestOf(ctx).Address}, try.State,
					account.SignOnTry{School: try.School, Nonce: try.Nonce, Verifier: try.Verifier})
			}
			if err != nil {
				page, err := s.refuseSignOn(ctx, "", err)
				if err != nil {
					return nil, server.Answer(ctx, err)
				}
				return page, nil
			}
			return &landingOut{Status: http.StatusSeeOther, ContentType: "text/html; charset=utf-8",
				SetCookie: s.tryCookie(try.State), Location: address}, nil
		})
	type signOnBackIn struct {
		Try        http.Cookie `cookie:"try"`
		HostTry    http.Cookie `cookie:"__Host-try"`
		Device     http.Cookie `cookie:"device"`
		HostDevice http.Cookie `cookie:"__Host-device"`
		State      string      `query:"state" maxLength:"200"`
		Code       string      `query:"code" maxLength:"4000"`
	}
	huma.Register(api, landsOn(api, server.Operation("end-sign-on", http.MethodGet, SignOnBack,
		"Where the browser comes back to from an account of the school")),
		func(ctx context.Context, in *signOnBackIn) (*landingOut, error) {
			mine, device := in.Try.Value, in.Device.Value
			if s.TLS {
				mine, device = in.HostTry.Value, in.HostDevice.Value
			}
			// Anyone who sends a browser here with a state of their own would sign its owner in as someone else.
			if in.State == "" || subtle.ConstantTimeCompare([]byte(mine), []byte(in.State)) != 1 {
				return s.refuseSignOn(ctx, "", errOtherState)
			}
			kept, err := s.cases.Account.TakeTry(ctx, in.State)
			if problem.CodeOf(err) == problem.NotFound {
				return s.refuseSignOn(ctx, "", errNoTry)
			}
			if err != nil {
				return nil, server.Answer(ctx, err)
			}
			if in.Code == "" { // they did not want to, or could not
				return s.refuseSignOn(ctx, kept.School, errNoCode)
			}
			id, err := s.SignOn.Identify(ctx, signon.Try{School: kept.School, State: in.State, Nonce: kept.Nonce, Verifier: kept.Verifier}, in.Code)
			if err != nil {
				return s.refuseSignOn(ctx, kept.School, err)
			}
			signed, err := s.cases.Account.SignInAs(ctx, kept.School, id, s.SignOn.Trusting(kept.School),
				account.Client{Address: server.RequestOf(ctx).Address, Device: device, Agent: server.RequestOf(ctx).Agent})
			if err == nil {
				_, err = s.begin(ctx, signed)
			}
			if err != nil {
				page, err := s.refuseSignOn(ctx, kept.School, err)
				if err != nil {
					return nil, server.Answer(ctx, err)
				}
				return page, nil
			}
			out := landed(ctx, http.StatusOK, "")
			out.SetCookie = s.device(signed.Device)
			return out, nil
		})
}

var (
	errOtherState = wrapped("the state is of another browser")
	errNoTry      = wrapped("there is no such try, or it is over")
	errNoCode     = wrapped("there is no code")
)

func wrapped(why string) error { return errors.Join(signon.ErrRefused, errors.New(why)) }
