// Package signon lets people sign in by the account that their school gives them, by OpenID Connect (OpenID
// Connect Core 1.0): the authorization code flow with PKCE (RFC 7636), a state and a nonce. A person is known
// by the school's own identifier, never by an address that they can change.
//
//	client := signon.New(list, "https://courses.school.example/api/sign-on/back")
//	try := signon.NewTry("pellworth")
//	address, err := client.Address(ctx, try) // where the browser goes
//	id, err := client.Identify(ctx, try, code) // when it has come back
package signon

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strings"
	"sync/atomic"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
	"golang.org/x/sync/singleflight"
)

// Provider is who vouches for the people of a school.
type Provider struct {
	School     string `json:"school"`   // its id
	Name       string `json:"name"`     // as people know it: "Pellworth Sound account"
	Issuer     string `json:"issuer"`   // its address; discovery begins there (OpenID Connect Discovery 1.0)
	ClientID   string `json:"clientId"` // by which it knows the application
	SecretFile string `json:"secretFile"`
	Claim      string `json:"claim"` // that has the person's id in the school's data; empty: sub

	Secret string `json:"-"`
}

// The errors of Identify and Address. Nothing that came from the provider is in their texts but the code of an error.
var (
	ErrDown    = errors.New("the provider cannot be reached")
	ErrRefused = errors.New("the provider's answer does not hold")
	ErrUnknown = errors.New("no such provider")
)

// Try is one try to sign in: what ties the answer to the question.
type Try struct {
	School   string
	State    string // of the browser
	Nonce    string // of the token
	Verifier string // of the code (PKCE)
}

// NewTry makes a try with secrets of its own, 128 bits or more each.
func NewTry(school string) Try {
	return Try{School: school, State: rand.Text(), Nonce: rand.Text(), Verifier: oauth2.GenerateVerifier()}
}

// Read reads the providers from a JSON file, a list of them, and each one's secret from a file of its own.
func Read(name string) ([]Provider, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("reading who vouches for people: %w", err)
	}
	var list []Provider
	if err := json.Unmarshal(text, &list); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	for i := range list {
		p := &list[i]
		if at, err := url.Parse(p.Issuer); err != nil || at.Host == "" || p.School == "" || p.Name == "" ||
			p.ClientID == "" || p.SecretFile == "" {
			return nil, fmt.Errorf("%s, provider %d: it needs school, name, issuer (an address), clientId and secretFile", name, i+1)
		}
		secret, err := os.ReadFile(p.SecretFile)
		if err != nil {
			return nil, fmt.Errorf("%s, provider %d: %w", name, i+1, err)
		}
		p.Secret = strings.TrimSpace(string(secret))
	}
	return list, nil
}

// patience bounds what is asked of a provider while someone waits.
const patience = 5 * time.Second

// atOnce bounds how many requests wait for one provider at the same time, so that one that is slow does not
// take the place of everybody else's requests. Those beyond it get ErrDown at once.
const atOnce = 50

// Client talks to the providers of schools. Nothing that one provider does holds up another.
type Client struct {
	providers map[string]Provider // by school
	list      []Provider
	back      string
	http      *http.Client
	issuers   map[string]*issuer
}

// issuer is what is known about one provider's address.
type issuer struct {
	found    atomic.Pointer[oidc.Provider] // nil until it is discovered
	discover singleflight.Group
	waiting  chan struct{} // a place for each request that waits for it
}

// New makes a client; back is the address to which providers send the browser.
func New(list []Provider, back string) *Client {
	c := &Client{providers: map[string]Provider{}, list: list, back: back, http: &http.Client{Timeout: patience},
		issuers: map[string]*issuer{}}
	for _, p := range list {
		c.providers[p.School] = p
		c.issuers[p.Issuer] = &issuer{waiting: make(chan struct{}, atOnce)}
	}
	return c
}

// Providers lists the providers.
func (c *Client) Providers() []Provider { return c.list }

// Trusting lists the schools for which the provider of a school vouches too.
func (c *Client) Trusting(school string) (schools []string) {
	for _, p := range c.list {
		if p.Issuer == c.providers[school].Issuer {
			schools = append(schools, p.School)
		}
	}
	return schools
}

// enter takes a place among those who wait for a provider; leave gives it back. The error is ErrDown where
// too many wait already.
func (i *issuer) enter() (leave func(), err error) {
	select {
	case i.waiting <- struct{}{}:
		return func() { <-i.waiting }, nil
	default:
		return nil, fmt.Errorf("%w: %d requests wait for it", ErrDown, atOnce)
	}
}

// discovered returns a provider's addresses and keys, asking for them once for all who wait. A failure is not
// remembered. The error is ErrDown; it comes within patience, or when the context ends.
func (c *Client) discovered(ctx context.Context, address string) (*oidc.Provider, error) {
	at := c.issuers[address]
	if p := at.found.Load(); p != nil {
		return p, nil
	}
	asked := at.discover.DoChan("", func() (any, error) {
		// The context lives on in the provider, which fetches keys with it; each of its requests is bounded by the client.
		p, err := oidc.NewProvider(oidc.ClientContext(context.Background(), c.http), address)
		if err == nil {
			at.found.Store(p)
		}
		return p, err
	})
	select {
	case <-ctx.Done():
		return nil, ErrDown
	case got := <-asked:
		if got.Err != nil {
			return nil, ErrDown
		}
		return got.Val.(*oidc.Provider), nil
	}
}

// way returns how to sign in at a school's provider. The errors are ErrUnknown and ErrDown.
func (c *Client) way(ctx context.Context, school string) (*oauth2.Config, *oidc.Provider, error) {
	p, ok := c.providers[school]
	if !ok {
		return nil, nil, ErrUnknown
	}
	found, err := c.discovered(ctx, p.Issuer)
	if err != nil {
		return nil, nil, err
	}
	return &oauth2.Config{ClientID: p.ClientID, ClientSecret: p.Secret, Endpoint: found.Endpoint(), RedirectURL: c.back,
		Scopes: []string{oidc.ScopeOpenID}}, found, nil
}

// Address returns where the browser is sent to sign in. The errors are ErrUnknown and ErrDown.
func (c *Client) Address(ctx context.Context, try Try) (string, error) {
	at := c.issuers[c.providers[try.School].Issuer]
	if at == nil {
		return "", ErrUnknown
	}
	leave, err := at.enter()
	if err != nil {
		return "", err
	}
	defer leave()
	config, _, err := c.way(ctx, try.School)
	if err != nil {
		return "", err
	}
	return config.AuthCodeURL(try.State, oidc.Nonce(try.Nonce), oauth2.S256ChallengeOption(try.Verifier)), nil
}

var plainCode = regexp.MustCompile(`^[a-z_]{1,40}$`)

// Identify changes the code with which the browser came back for the person's id in the school's data. The
// errors are ErrUnknown, ErrDown, and ErrRefused where the code is not good, or the token is not signed by
// the provider, not for this application, over, or of another try.
func (c *Client) Identify(ctx context.Context, try Try, code string) (id string, err error) {
	at := c.issuers[c.providers[try.School].Issuer]
	if at == nil {
		return "", ErrUnknown
	}
	leave, err := at.enter()
	if err != nil {
		return "", err
	}
	defer leave()
	config, found, err := c.way(ctx, try.School)
	if err != nil {
		return "", err
	}
	token, err := config.Exchange(oidc.ClientContext(ctx, c.http), code, oauth2.VerifierOption(try.Verifier))
	var refused *oauth2.RetrieveError
	if errors.As(err, &refused) && refused.Response.StatusCode < http.StatusInternalServerError {
		why := "no code"
		if plainCode.MatchString(refused.ErrorCode) {
			why = refused.ErrorCode
		}
		return "", fmt.Errorf("%w: %s", ErrRefused, why)
	}
	if err != nil {
		return "", ErrDown
	}
	raw, ok := token.Extra("id_token").(string)
	if !ok {
		return "", fmt.Errorf("%w: there is no token", ErrRefused)
	}
	signed, err := found.VerifierContext(oidc.ClientContext(ctx, c.http), &oidc.Config{ClientID: config.ClientID}).Verify(ctx, raw)
	if err != nil {
		return "", fmt.Errorf("%w: the token", ErrRefused)
	}
	if signed.Nonce != try.Nonce {
		return "", fmt.Errorf("%w: it is of another try", ErrRefused)
	}
	claim := c.providers[try.School].Claim
	if claim == "" || claim == "sub" {
		return signed.Subject, nil
	}
	claims := map[string]any{}
	if err := signed.Claims(&claims); err != nil {
		return "", fmt.Errorf("%w: its claims", ErrRefused)
	}
	if id, ok = claims[claim].(string); !ok || id == "" {
		return "", fmt.Errorf("%w: it lacks the claim %s", ErrRefused, claim)
	}
	return id, nil
}
