package account

import (
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"rubricon/app/account"
	"rubricon/app/problem"
	"rubricon/core/acts"
	"rubricon/web/server"
)

// What a session remembers of passkeys.
const (
	ceremonyKey = "ceremony" // what was asked of the browser's keys
)

// PasskeyView is one of an account's passkeys.
type PasskeyView struct {
	ID     string     `json:"id"`
	Name   string     `json:"name"`
	MadeAt time.Time  `json:"madeAt"`
	UsedAt *time.Time `json:"usedAt,omitempty"`
}

// PasskeysView are an account's passkeys.
type PasskeysView struct {
	May      bool          `json:"may" doc:"Whether the account may have some: the staff's may"`
	Passkeys []PasskeyView `json:"passkeys"`
}

// owner is whose passkeys they are, as the library asks for it.
type owner struct {
	account  int64
	username string
	keys     []webauthn.Credential
}

func (o *owner) WebAuthnID() []byte                         { return binary.BigEndian.AppendUint64(nil, uint64(o.account)) }
func (o *owner) WebAuthnName() string                       { return o.username }
func (o *owner) WebAuthnDisplayName() string                { return o.username }
func (o *owner) WebAuthnCredentials() []webauthn.Credential { return o.keys }

func (s *Routes) owner(ctx context.Context, by int64) (*owner, error) {
	username, list, err := s.cases.Account.Passkeys(ctx, by)
	if err != nil {
		return nil, err
	}
	o := &owner{account: by, username: username}
	for i := range list {
		var c webauthn.Credential
		if err := json.Unmarshal(list[i].Credential, &c); err != nil {
			return nil, err
		}
		o.keys = append(o.keys, c)
	}
	return o, nil
}

// relying is the application as keys know it: by the host of its address, or, on this machine, of the request's.
func (s *Routes) relying(ctx context.Context) (*webauthn.WebAuthn, error) {
	origin := s.Base
	if at, err := url.Parse(origin); err != nil || at.Hostname() == "" || loopback(at.Hostname()) {
		scheme := "http://"
		if s.TLS {
			scheme = "https://"
		}
		origin = scheme + server.RequestOf(ctx).Host
	}
	at, err := url.Parse(origin)
	if err != nil || net.ParseIP(at.Hostname()) != nil { // keys know names alone
		return nil, badPasskey(ctx)
	}
	return webauthn.New(&webauthn.Config{RPID: at.Hostname(), RPDisplayName: "Rubricon", RPOrigins: []string{strings.TrimSuffix(origin, "/")}})
}

func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// keep keeps what was asked of the browser's keys until the answer.
func (s *Routes) keep(ctx context.Context, asked *webauthn.SessionData) error {
	text, err := json.Marshal(asked)
	if err == nil {
		s.Sessions.Put(ctx, ceremonyKey, string(text))
	}
	return err
}

// answered returns that, once, with the answer that has come.
func (s *Routes) answered(ctx context.Context, credential map[string]any) (asked webauthn.SessionData, text []byte, err error) {
	kept := s.Sessions.PopString(ctx, ceremonyKey)
	if text, err = json.Marshal(credential); err != nil || kept == "" || json.Unmarshal([]byte(kept), &asked) != nil {
		return asked, nil, badPasskey(ctx)
	}
	return asked, text, nil
}

// ceremony is who is asked, and by whom.
func (s *Routes) ceremony(ctx context.Context, by int64) (*owner, *webauthn.WebAuthn, error) {
	o, err := s.owner(ctx, by)
	if err != nil {
		return nil, nil, server.Answer(ctx, err)
	}
	rp, err := s.relying(ctx)
	return o, rp, err
}

func badPasskey(ctx context.Context) error {
	p := server.NewProblem(http.StatusForbidden, server.Say(ctx, "bad-passkey"))
	p.Code = "bad-passkey"
	return p
}

type (
	passkeysOut       struct{ Body *PasskeysView }
	passkeyOptionsOut struct {
		Body json.RawMessage `doc:"As PublicKeyCredential.parseCreationOptionsFromJSON and parseRequestOptionsFromJSON take them"`
	}
)

func asOptions(of any) (*passkeyOptionsOut, error) {
	text, err := json.Marshal(of)
	return &passkeyOptionsOut{text}, err
}

// passkeys returns the passkeys of an account.
func (s *Routes) passkeys(ctx context.Context, by int64) (*passkeysOut, error) {
	_, keys, err := s.cases.Account.Passkeys(ctx, by)
	if err != nil {
		return nil, err
	}
	v := &PasskeysView{Passkeys: []PasskeyView{}}
	if v.May, err = s.cases.Account.MayHavePasskeys(ctx, by); err != nil {
		return nil, err
	}
	for _, k := range keys {
		v.Passkeys = append(v.Passkeys, PasskeyView{ID: k.ID, Name: k.Name, MadeAt: k.MadeAt, UsedAt: k.UsedAt})
	}
	return &passkeysOut{v}, nil
}

// makes returns the account that makes a passkey: one that is wholly signed in, or has still to make its first.
func (s *Routes) makes(ctx context.Context) (int64, error) {
	if s.Sessions.GetString(ctx, server.SecondKey) == string(account.MakeOne) && !s.Sessions.GetBool(ctx, server.OnceKey) {
		return s.Account(ctx)
	}
	return s.Ready(ctx)
}

// passkeyRoutes registers the passkeys of one's own account (Web Authentication, Level 2).
func (s *Routes) passkeyRoutes(api huma.API) {
	server.SignedIn(s, api, server.Operation("list-passkeys", http.MethodGet, "/api/passkeys", "One's own passkeys"),
		func(ctx context.Context, by int64, _ *struct{}) (*passkeysOut, error) {
			return s.passkeys(ctx, by)
		})
	type passkeyDropIn struct {
		ID string `path:"id" minLength:"1" maxLength:"2000"`
	}
	server.SignedIn(s, api, server.Operation("drop-passkey", http.MethodDelete, "/api/passkeys/{id}",
		"Take one of one's own passkeys away"), func(ctx context.Context, by int64, in *passkeyDropIn) (*passkeysOut, error) {
		if err := s.cases.Account.DropPasskey(ctx, by, in.ID); err != nil {
			return nil, err
		}
		return s.passkeys(ctx, by)
	})
}

// passkeyMakingRoutes registers making a passkey.
func (s *Routes) passkeyMakingRoutes(api huma.API) {
	huma.Register(api, server.Operation("ask-for-passkey", http.MethodPost, "/api/passkeys/creation",
		"Begin to make a passkey"), func(ctx context.Context, _ *struct{}) (*passkeyOptionsOut, error) {
		by, err := s.makes(ctx)
		if err != nil {
			return nil, err
		}
		if may, err := s.cases.Account.MayHavePasskeys(ctx, by); err != nil || !may {
			return nil, server.Answer(ctx, errors.Join(err, &problem.Error{Code: problem.Code(acts.NotYours)}))
		}
		o, rp, err := s.ceremony(ctx, by)
		if err != nil {
			return nil, err
		}
		creation, asked, err := rp.BeginRegistration(o,
			webauthn.WithExclusions(webauthn.Credentials(o.keys).CredentialDescriptors()),
			webauthn.WithConveyancePreference(protocol.PreferNoAttestation),
			webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{UserVerification: protocol.VerificationRequired}))
		if err != nil {
			return nil, err
		}
		if err := s.keep(ctx, asked); err != nil {
			return nil, err
		}
		return asOptions(creation.Response)
	})
	type passkeyMakeIn struct {
		Body struct {
			Name       string         `json:"name" minLength:"1" maxLength:"60" doc:"By which its owner knows it"`
			Credential map[string]any `json:"credential" doc:"As PublicKeyCredential.toJSON gives it"`
		}
	}
	huma.Register(api, server.Operation("make-passkey", http.MethodPost, "/api/passkeys", "Make a passkey"),
		func(ctx context.Context, in *passkeyMakeIn) (*passkeysOut, error) {
			by, err := s.makes(ctx)
			if err != nil {
				return nil, err
			}
			o, rp, err := s.ceremony(ctx, by)
			if err != nil {
				return nil, err
			}
			asked, text, err := s.answered(ctx, in.Body.Credential)
			if err != nil {
				return nil, err
			}
			parsed, err := protocol.ParseCredentialCreationResponseBytes(text)
			if err != nil {
				return nil, badPasskey(ctx)
			}
			made, err := rp.CreateCredential(o, asked, parsed)
			if err != nil {
				return nil, badPasskey(ctx)
			}
			key, err := json.Marshal(made)
			if err != nil {
				return nil, err
			}
			if err := s.cases.Account.AddPasskey(ctx, by,
				account.Passkey{ID: base64.RawURLEncoding.EncodeToString(made.ID), Name: in.Body.Name, Credential: key}); err != nil {
				return nil, server.Answer(ctx, err)
			}
			if err := s.renew(ctx); err != nil {
				return nil, err
			}
			s.Sessions.Remove(ctx, server.SecondKey)
			return s.passkeys(ctx, by)
		})
}

// passkeyAnswerRoutes registers a passkey as the second step of signing in.
func (s *Routes) passkeyAnswerRoutes(api huma.API) {
	huma.Register(api, server.Operation("ask-passkey", http.MethodPost, "/api/passkeys/question",
		"Begin to answer with a passkey, as the second step of signing in"), func(ctx context.Context, _ *struct{}) (*passkeyOptionsOut, error) {
		by, err := s.Account(ctx)
		if err != nil {
			return nil, err
		}
		o, rp, err := s.ceremony(ctx, by)
		if err != nil {
			return nil, err
		}
		if len(o.keys) == 0 {
			return nil, badPasskey(ctx)
		}
		assertion, asked, err := rp.BeginLogin(o, webauthn.WithUserVerification(protocol.VerificationRequired))
		if err != nil {
			return nil, err
		}
		if err := s.keep(ctx, asked); err != nil {
			return nil, err
		}
		return asOptions(assertion.Response)
	})
	type passkeyAnswerIn struct {
		Body struct {
			Credential map[string]any `json:"credential" doc:"As PublicKeyCredential.toJSON gives it"`
		}
	}
	type meOut struct{ Body *MeView }
	huma.Register(api, server.Operation("answer-passkey", http.MethodPost, "/api/passkeys/answer",
		"Answer with a passkey: the session is whole"), func(ctx context.Context, in *passkeyAnswerIn) (*meOut, error) {
		by, err := s.Account(ctx)
		if err != nil {
			return nil, err
		}
		if err := s.cases.Account.TryPasskey(ctx, by); err != nil {
			return nil, server.Answer(ctx, err)
		}
		o, rp, err := s.ceremony(ctx, by)
		if err != nil {
			return nil, err
		}
		asked, text, err := s.answered(ctx, in.Body.Credential)
		if err != nil {
			return nil, err
		}
		parsed, err := protocol.ParseCredentialRequestResponseBytes(text)
		if err != nil {
			return nil, badPasskey(ctx)
		}
		used, err := rp.ValidateLogin(o, asked, parsed)
		if err != nil || used.Authenticator.CloneWarning { // its counter has gone back: there may be two of it
			s.Log.WarnContext(ctx, "a passkey was refused", "account", by)
			return nil, badPasskey(ctx)
		}
		key, err := json.Marshal(used)
		if err != nil {
			return nil, err
		}
		if err := s.cases.Account.UsedPasskey(ctx, by,
			account.Passkey{ID: base64.RawURLEncoding.EncodeToString(used.ID), Credential: key}); err != nil {
			return nil, server.Answer(ctx, err)
		}
		if err := s.renew(ctx); err != nil {
			return nil, err
		}
		s.Sessions.Remove(ctx, server.SecondKey)
		me, err := s.me(ctx, by)
		return &meOut{me}, err
	})
}

// secondStepRoutes registers what the office decides about passkeys.
func (s *Routes) secondStepRoutes(api huma.API) {
	type forgetIn struct {
		server.InYear
		Person string `path:"person" maxLength:"100"`
		Body   struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}
	forget := server.Operation("forget-passkeys", http.MethodPost, server.YearPath+"/people/{person}/passkeys",
		"Take away the passkeys of a person who has lost them, with a reason")
	forget.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, forget, func(ctx context.Context, by int64, in *forgetIn) (*struct{}, error) {
		return nil, s.cases.Account.ForgetPasskeys(ctx, by, in.School, in.Year, in.Person, in.Body.Reason)
	})
	type secondStepOut struct {
		Body struct {
			Wanted bool `json:"wanted"`
		}
	}
	server.SignedIn(s, api, server.Operation("get-second-step", http.MethodGet, server.YearPath+"/second-step",
		"Whether the staff of the school need a passkey"), func(ctx context.Context, by int64, in *server.InYear) (*secondStepOut, error) {
		wanted, err := s.cases.Account.WantsSecond(ctx, by, in.School, in.Year)
		out := &secondStepOut{}
		out.Body.Wanted = wanted
		return out, err
	})
	type secondStepIn struct {
		server.InYear
		Body struct {
			Wanted bool   `json:"wanted"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}
	set := server.Operation("set-second-step", http.MethodPut, server.YearPath+"/second-step",
		"Have the staff of the school need a passkey, from the next sign-in on, or not")
	set.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, set, func(ctx context.Context, by int64, in *secondStepIn) (*struct{}, error) {
		return nil, s.cases.Account.SetSecond(ctx, by, in.School, in.Year, in.Body.Wanted, in.Body.Reason)
	})
}
