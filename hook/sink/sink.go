// Package sink is a stand-in for another system that is told of what happens: it takes messages, checks their
// signatures by the secret that it was given on its page, and shows them there. It can be told to be away.
package sink

import (
	"html/template"
	"io"
	"net/http"
	"slices"
	"sync"
	"time"

	"rubricon/hook"
)

// Message is one that has come.
type Message struct {
	At   time.Time
	Body string
	Sign string // what is said of its signature; empty: it holds
}

// In is where messages come to.
const In = "/messages"

// kept is how many messages are kept, the latest; maxMessage bounds one, in bytes.
const (
	kept       = 500
	maxMessage = 64 << 10
	maxAge     = 5 * time.Minute
)

// Sink takes messages.
type Sink struct {
	mu     sync.Mutex
	secret string
	away   bool
	list   []Message
	mux    *http.ServeMux
}

// New makes one that knows no secret yet.
func New() *Sink {
	s := &Sink{mux: http.NewServeMux()}
	s.mux.HandleFunc("GET /{$}", s.page)
	s.mux.HandleFunc("POST /{$}", s.set)
	s.mux.HandleFunc("POST "+In, s.take)
	return s
}

func (s *Sink) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.mux.ServeHTTP(w, r) }

// Know gives it a secret.
func (s *Sink) Know(secret string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.secret = secret
}

// Away lets it answer that it cannot take anything, or again as it should.
func (s *Sink) Away(away bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.away = away
}

// Messages lists what has come, the first first.
func (s *Sink) Messages() []Message {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.list)
}

func (s *Sink) take(w http.ResponseWriter, r *http.Request) {
	content, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxMessage))
	if err != nil {
		http.Error(w, "too long", http.StatusRequestEntityTooLarge)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.away {
		http.Error(w, "not now", http.StatusServiceUnavailable)
		return
	}
	m := Message{At: time.Now(), Body: string(content)}
	if err := hook.Verify(r, content, s.secret, m.At, maxAge); s.secret == "" {
		m.Sign = "no secret is known here"
	} else if err != nil {
		m.Sign = err.Error()
	}
	if s.list = append(s.list, m); len(s.list) > kept {
		s.list = s.list[1:]
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *Sink) set(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 4<<10)
	switch r.FormValue("do") {
	case "secret":
		s.Know(r.FormValue("secret"))
	case "away":
		s.Away(true)
	case "back":
		s.Away(false)
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

func (s *Sink) page(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	known, away := s.secret != "", s.away
	s.mu.Unlock()
	list := s.Messages()
	slices.Reverse(list)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_ = shown.Execute(w, map[string]any{"Known": known, "Away": away, "List": list})
}

var shown = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Messages to another system</title>
<style>body{font:16px/1.5 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem}pre{white-space:pre-wrap;overflow-wrap:anywhere;margin:.2rem 0 1rem}form{display:inline}</style>
<h1>Messages to another system</h1>
<p>A stand-in for a system that is told of what happens. Make a subscription on the page Data of the office with the address of this page and <code>` +
	In + `</code>, and give the secret here.</p>
<form method="post"><input type="hidden" name="do" value="secret"><label>Secret <input name="secret" size="60" maxlength="200" autocomplete="off"></label> <button>Keep</button></form>
<p>{{if .Known}}It knows a secret.{{else}}It knows no secret.{{end}} {{if .Away}}It is away, and takes nothing.{{else}}It takes messages.{{end}}
<form method="post"><input type="hidden" name="do" value="{{if .Away}}back{{else}}away{{end}}"><button>{{if .Away}}Come back{{else}}Go away{{end}}</button></form></p>
{{range .List}}<p><b>{{.At.Format "15:04:05"}}</b> {{if .Sign}}not to be trusted: {{.Sign}}{{else}}the signature holds{{end}}</p><pre>{{.Body}}</pre>{{else}}<p>Nothing has come yet.</p>{{end}}`))
