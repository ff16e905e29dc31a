package server

import (
	"context"
	"net/http"
	"time"

	"github.com/alexedwards/scs/v2"

	"rubricon/app/account"
)

// How long a session lasts.
const (
	sessionLife = 12 * time.Hour
	sessionIdle = 2 * time.Hour   // without a request
	seenEvery   = 5 * time.Minute // a request is noted at most so often, so that most write nothing
	DeviceLife  = 180 * 24 * time.Hour
)

// What a session remembers.
const (
	AccountKey = "account"
	BegunKey   = "begun"
	SeenKey    = "seen"
	OnceKey    = "once"   // signed in with a password for one sign-in
	SecondKey  = "second" // what is still to be done before anything else
	EpochKey   = "epoch"  // of the account's sessions, which ending them raises
)

// LoadedSession is the session that a request began with. A session that has ended in the meantime stays ended: a
// request that goes on after that writes none, whatever it does.
type LoadedSession struct {
	Token string // hashed; empty: none
	Lost  bool   // it has ended since
}

// sessionStore keeps sessions where app/account keeps them, with whose they are.
type sessionStore struct {
	accounts Accounts
	codec    scs.Codec
}

func (s sessionStore) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	data, found, err := s.accounts.FindSession(ctx, token)
	if found {
		RequestOf(ctx).Session.Token = token
	}
	return data, found, err
}

func (s sessionStore) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	_, values, err := s.codec.Decode(data)
	if err != nil {
		return err
	}
	here := &RequestOf(ctx).Session
	if here.Lost {
		return nil
	}
	expiry = s.accounts.Until(time.Until(expiry))
	var there bool
	if token == here.Token {
		there, err = s.accounts.UpdateSession(ctx, token, data, expiry)
	} else {
		by, _ := values[AccountKey].(int64)
		epoch, _ := values[EpochKey].(int64)
		there, err = s.accounts.BeginSession(ctx, &account.NewSession{Token: token, Account: by, Epoch: epoch, Data: data,
			Agent: RequestOf(ctx).Agent, Expiry: expiry})
	}
	here.Lost = err == nil && !there
	return err
}

// shortAgent is what is kept of what a browser calls itself.
func shortAgent(agent string) string {
	text := []rune(agent)
	return string(text[:min(len(text), 300)])
}

func (s sessionStore) DeleteCtx(ctx context.Context, token string) error {
	ended, err := s.accounts.DropSession(ctx, token)
	if here := &RequestOf(ctx).Session; err == nil && !ended && token == here.Token {
		here.Lost = true
	}
	return err
}

// scs asks for the methods without a context too, and calls those with one.
func (s sessionStore) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}
func (s sessionStore) Commit(token string, data []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, data, expiry)
}
func (s sessionStore) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

// newSessions makes the session manager. Cookies end with the browser; behind TLS their names bind them to this host.
func newSessions(accounts Accounts, tls bool) *scs.SessionManager {
	m := scs.New()
	m.Store = sessionStore{accounts, m.Codec}
	m.Lifetime = sessionLife
	m.HashTokenInStore = true
	m.Cookie.Persist = false
	m.Cookie.Name = CookieName("rubricon", tls)
	m.Cookie.Secure = tls
	m.Cookie.SameSite = http.SameSiteStrictMode
	m.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		for _, name := range []string{"Content-Encoding", "Content-Length", "Set-Cookie"} { // of the answer that was to come
			w.Header().Del(name)
		}
		sendProblem(w, internal(r.Context(), "a session", err))
		if out, ok := w.(*recorder); ok {
			out.sealed = true
		}
	}
	return m
}

// CookieName is a cookie's name; with the prefix __Host- browsers take it from this very host alone, over TLS
// (RFC 6265bis).
func CookieName(name string, tls bool) string {
	if tls {
		return "__Host-" + name
	}
	return name
}

// Account returns who is signed in. A session that has not been used for long is over.
func (s *Server) Account(ctx context.Context) (int64, error) {
	account, _ := s.Sessions.Get(ctx, AccountKey).(int64)
	if account == 0 {
		return 0, NewProblem(http.StatusUnauthorized, Say(ctx, "sign-in-first"))
	}
	now := s.Now()
	since := func(key string) time.Duration { return now.Sub(time.Unix(s.Sessions.GetInt64(ctx, key), 0)) }
	switch idle := since(SeenKey); {
	case idle > sessionIdle, since(BegunKey) > sessionLife:
		if err := s.Sessions.Destroy(ctx); err != nil {
			return 0, err
		}
		return 0, NewProblem(http.StatusUnauthorized, Say(ctx, "session-over"))
	case idle > seenEvery:
		s.Sessions.Put(ctx, SeenKey, now.Unix())
	}
	RequestOf(ctx).account = account
	return account, nil
}

// Ready returns who is signed in, with a password of their own and the second step done: with a password for
// one sign-in nothing can be done but choosing another, and before the second step nothing but that.
func (s *Server) Ready(ctx context.Context) (int64, error) {
	account, err := s.Account(ctx)
	if err == nil && s.Sessions.GetBool(ctx, OnceKey) {
		p := NewProblem(http.StatusForbidden, Say(ctx, "choose-password"))
		p.Code = "choose-password"
		return 0, p
	}
	if err == nil && s.Sessions.GetString(ctx, SecondKey) != "" {
		p := NewProblem(http.StatusForbidden, Say(ctx, "second-step"))
		p.Code = "second-step"
		return 0, p
	}
	return account, err
}
