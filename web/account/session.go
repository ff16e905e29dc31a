package account

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"net/http"

	"rubricon/app/account"
	"rubricon/web/server"
)

// newMe shows who is signed in.
func newMe(me *account.Me) *MeView {
	v := &MeView{Username: me.Username, Language: me.Language, Persons: []PersonView{}}
	for _, p := range me.Persons {
		out := PersonView{School: p.School, Name: p.SchoolName, ID: p.ID, Given: p.GivenName, Family: p.FamilyName,
			Job: p.Job, Language: p.Language, Year: p.Year,
			Years: append([]int{}, p.Years...), Children: []ChildView{}, Seats: p.Seats}
		for _, c := range p.Children {
			out.Children = append(out.Children, ChildView{ID: c.ID, Given: c.Given, Family: c.Family, Grade: c.Grade,
				Year: c.Year, Years: append([]int{}, c.Years...)})
		}
		v.Persons = append(v.Persons, out)
	}
	return v
}

// begin begins the session of someone who has signed in. What it was before is not what it becomes.
func (s *Routes) begin(ctx context.Context, signed *account.SignedIn) (*MeView, error) {
	second, err := s.cases.Account.Second(ctx, signed.Account)
	if err != nil {
		return nil, server.Answer(ctx, err)
	}
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return nil, err
	}
	server.RequestOf(ctx).Session = server.LoadedSession{} // the sign-in goes on from no session
	s.Sessions.Put(ctx, server.AccountKey, signed.Account)
	s.Sessions.Put(ctx, server.EpochKey, signed.Epoch)
	s.Sessions.Put(ctx, server.BegunKey, s.Now().Unix())
	s.Sessions.Put(ctx, server.SeenKey, s.Now().Unix())
	s.Sessions.Put(ctx, server.OnceKey, signed.Once)
	s.Sessions.Put(ctx, server.SecondKey, string(second))
	return s.me(ctx, signed.Account)
}

// renew gives a session another token, as it comes to be trusted with more. The error is that of a session
// that has ended in the meantime.
func (s *Routes) renew(ctx context.Context) error {
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	if server.RequestOf(ctx).Session.Lost {
		return server.NewProblem(http.StatusUnauthorized, server.Say(ctx, "session-over"))
	}
	return nil
}

// me shows who is signed in; while a second step is to be done, the username alone.
func (s *Routes) me(ctx context.Context, by int64) (*MeView, error) {
	me, err := s.cases.Account.Me(ctx, by)
	if err != nil {
		return nil, server.Answer(ctx, err)
	}
	view := newMe(me)
	view.Once, view.Second = s.Sessions.GetBool(ctx, server.OnceKey), s.Sessions.GetString(ctx, server.SecondKey)
	if view.Second != "" {
		view.Persons = []PersonView{}
	}
	return view, nil
}

// device is the cookie by which a device is known that has signed in before.
func (s *Routes) device(token string) *http.Cookie {
	return &http.Cookie{Name: server.CookieName("device", s.TLS), Value: token, Path: "/",
		MaxAge: int(server.DeviceLife.Seconds()), HttpOnly: true, Secure: s.TLS, SameSite: http.SameSiteStrictMode}
}

// here is the id of the session that a request belongs to: its token, hashed as it is kept.
func (s *Routes) here(ctx context.Context) string {
	sum := sha256.Sum256([]byte(s.Sessions.Token(ctx)))
	return base64.RawURLEncoding.EncodeToString(sum[:])
}
