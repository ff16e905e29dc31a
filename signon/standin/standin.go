// Package standin stands in for a provider of OpenID Connect in the demo and in tests: anyone who is chosen on
// its page is vouched for, without a password. It listens on this machine alone.
package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Person is someone who can be chosen.
type Person struct {
	ID, Name string // ID: as the school's data have it
}

// Fault is what the stand-in does wrong, for tests.
type Fault string

// What it can do wrong.
const (
	None       Fault = ""
	WrongNonce Fault = "nonce"    // of another try
	Expired    Fault = "expired"  // over since an hour
	WrongKey   Fault = "key"      // signed by someone else
	WrongAud   Fault = "audience" // for another application
	Down       Fault = "down"     // answers 503
	NoToken    Fault = "noToken"
)

// Server is the stand-in.
type Server struct {
	Issuer   string // its own address
	ClientID string
	Secret   string
	Back     string // the one address to which it sends browsers
	People   []Person

	mu    sync.Mutex
	fault Fault
	key   *rsa.PrivateKey
	codes map[string]code
}

type code struct {
	person, nonce, challenge string
	until                    time.Time
}

// New makes a stand-in with a key of its own.
func New(issuer, clientID, secret, back string, people []Person) (*Server, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return nil, err
	}
	return &Server{Issuer: issuer, ClientID: clientID, Secret: secret, Back: back, People: people, key: key, codes: map[string]code{}}, nil
}

// Do makes it do something wrong from now on.
func (s *Server) Do(f Fault) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.fault = f
}

func (s *Server) does() Fault {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.fault
}

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if s.does() == Down {
		http.Error(w, "down", http.StatusServiceUnavailable)
		return
	}
	switch r.Method + " " + r.URL.Path {
	case "GET /.well-known/openid-configuration":
		answer(w, http.StatusOK, map[string]any{"issuer": s.Issuer, "authorization_endpoint": s.Issuer + "/choose",
			"token_endpoint": s.Issuer + "/token", "jwks_uri": s.Issuer + "/keys",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
			"id_token_signing_alg_values_supported": []string{"RS256"}})
	case "GET /keys":
		answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: s.key.Public(), KeyID: "1", Algorithm: "RS256", Use: "sig"}}})
	case "GET /choose":
		s.choose(w, r.URL.Query())
	case "POST /choose":
		s.chosen(w, r)
	case "POST /token":
		s.token(w, r)
	default:
		http.NotFound(w, r)
	}
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body)
}

var page = template.Must(template.New("choose").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>School account (made up)</title>
<style>body{font:16px/1.5 system-ui,sans-serif;max-width:34rem;margin:3rem auto;padding:0 1rem;color:#1f2430;background:#faf8f3}button{font:inherit;display:block;width:100%;text-align:start;margin:.4rem 0;padding:.6rem .8rem;border:1px solid #857d6e;border-radius:4px;background:#fffdf9}</style></head>
<body><main><h1>Who are you?</h1><p>This page stands in for the sign-in of a school’s own accounts. Everybody here is made up.</p>
<form method="post">{{range $k, $v := .Query}}<input type="hidden" name="{{$k}}" value="{{index $v 0}}">{{end}}{{range .People}}<button name="person" value="{{.ID}}">{{.Name}}</button>{{end}}</form></main></body></html>
`))

// asked reports whether a question is one that it answers (OpenID Connect Core 1.0, section 3.1.2.1; RFC 7636,
// section 4.3).
func (s *Server) asked(q url.Values) bool {
	return q.Get("client_id") == s.ClientID && q.Get("redirect_uri") == s.Back && q.Get("response_type") == "code" &&
		q.Get("state") != "" && q.Get("nonce") != "" &&
		q.Get("code_challenge_method") == "S256" && q.Get("code_challenge") != ""
}

func (s *Server) choose(w http.ResponseWriter, q url.Values) {
	if !s.asked(q) {
		http.Error(w, "not a question of this application", http.StatusBadRequest)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = page.Execute(w, map[string]any{"Query": q, "People": s.People})
}

func (s *Server) chosen(w http.ResponseWriter, r *http.Request) {
	if err := r.ParseForm(); err != nil || !s.asked(r.PostForm) {
		http.Error(w, "not a question of this application", http.StatusBadRequest)
		return
	}
	key := rand.Text()
	s.mu.Lock()
	s.codes[key] = code{person: r.PostForm.Get("person"), nonce: r.PostForm.Get("nonce"),
		challenge: r.PostForm.Get("code_challenge"), until: time.Now().Add(time.Minute)}
	s.mu.Unlock()
	http.Redirect(w, r, s.Back+"?"+url.Values{"code": {key}, "state": {r.PostForm.Get("state")}}.Encode(), http.StatusSeeOther)
}

// token changes a code for a token, once.
func (s *Server) token(w http.ResponseWriter, r *http.Request) {
	id, secret, ok := r.BasicAuth()
	if !ok {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	if id != s.ClientID || subtle.ConstantTimeCompare([]byte(secret), []byte(s.Secret)) != 1 {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	}
	s.mu.Lock()
	c, ok := s.codes[r.PostFormValue("code")]
	delete(s.codes, r.PostFormValue("code"))
	s.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !ok || time.Now().After(c.until) || c.challenge != base64.RawURLEncoding.EncodeToString(sum[:]) {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	signed, err := s.signed(c)
	if err != nil {
		http.Error(w, "signing", http.StatusInternalServerError)
		return
	}
	body := map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 60, "id_token": signed}
	if s.does() == NoToken {
		delete(body, "id_token")
	}
	answer(w, http.StatusOK, body)
}

// signed is the token that vouches for a person.
func (s *Server) signed(c code) (string, error) {
	key, until, audience, nonce := s.key, time.Now().Add(time.Minute), s.ClientID, c.nonce
	switch s.does() {
	case WrongKey:
		other, err := rsa.GenerateKey(rand.Reader, 2048)
		if err != nil {
			return "", err
		}
		key = other
	case Expired:
		until = time.Now().Add(-time.Hour)
	case WrongAud:
		audience = "another application"
	case WrongNonce:
		nonce = rand.Text()
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: key}, (&jose.SignerOptions{}).WithHeader("kid", "1"))
	if err != nil {
		return "", err
	}
	claims := map[string]any{"iss": s.Issuer, "sub": c.person, "aud": audience, "exp": until.Unix(),
		"iat": time.Now().Add(-time.Second).Unix(), "nonce": nonce, "school_id": c.person, "email": "anybody@example.com"}
	return jwt.Signed(signer).Claims(claims).Serialize()
}
