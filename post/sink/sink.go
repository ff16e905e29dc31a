// Package sink is a stand-in for a mail server: it takes every mail, sends none on, and shows them on a page.
// It can be told to misbehave, as mail servers do.
package sink

import (
	"context"
	"errors"
	"html/template"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Mail is one that was taken.
type Mail struct {
	ID         string // of the message
	To         string
	Subject    string
	Text, HTML string
	Header     mail.Header
	At         time.Time
}

// Trouble is how it misbehaves with the next mail.
type Trouble uint8

// The troubles.
const (
	Refuses     Trouble = iota + 1 // for good: 550
	NotNow                         // 451
	HangsUp                        // in the middle of a mail
	Forgets                        // takes a mail and hangs up without a word
	SaysNothing                    // until the other side gives up
)

// Sink takes mails.
type Sink struct {
	mu       sync.Mutex
	mails    []Mail
	troubles []Trouble
	server   *smtp.Server
	silence  chan struct{}
	once     sync.Once
}

// kept is how many mails are shown, the latest.
const kept = 2000

// maxMail bounds a mail, in bytes.
const maxMail = 4 << 20

// New makes a sink.
func New() *Sink {
	s := &Sink{silence: make(chan struct{})}
	s.server = smtp.NewServer(smtp.BackendFunc(func(c *smtp.Conn) (smtp.Session, error) { return &session{sink: s, conn: c}, nil }))
	s.server.Domain, s.server.MaxMessageBytes = "localhost", maxMail
	s.server.ErrorLog = quiet{}
	return s
}

type quiet struct{}

func (quiet) Printf(string, ...any) {}
func (quiet) Println(...any)        {}

// Serve takes mails at an address until the context ends.
func (s *Sink) Serve(ctx context.Context, l net.Listener) error {
	go func() {
		<-ctx.Done()
		s.once.Do(func() { close(s.silence) })
		_ = s.server.Close()
	}()
	if err := s.server.Serve(l); err != nil && !errors.Is(err, smtp.ErrServerClosed) && ctx.Err() == nil {
		return err
	}
	return nil
}

// Misbehave sets what goes wrong with the next mails, one after the other.
func (s *Sink) Misbehave(list ...Trouble) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.troubles = list
}

// Mails lists what was taken, the first first.
func (s *Sink) Mails() []Mail {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Mail(nil), s.mails...)
}

func (s *Sink) next() (t Trouble) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.troubles) > 0 {
		t, s.troubles = s.troubles[0], s.troubles[1:]
	}
	return t
}

type session struct {
	sink    *Sink
	conn    *smtp.Conn
	to      string
	trouble Trouble
}

func (s *session) Mail(string, *smtp.MailOptions) error {
	s.trouble = s.sink.next()
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	switch s.to = to; s.trouble {
	case Refuses:
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "there is no such mailbox"}
	case NotNow:
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "try again later"}
	case SaysNothing:
		<-s.sink.silence
	}
	return nil
}

func (s *session) Data(r io.Reader) error {
	if s.trouble == HangsUp {
		_, _ = io.CopyN(io.Discard, r, 100)
		_ = s.conn.Conn().Close()
		return errors.New("hung up")
	}
	m, err := read(r)
	if err != nil {
		return err
	}
	m.To, m.At = s.to, time.Now()
	s.sink.mu.Lock()
	s.sink.mails = append(s.sink.mails, *m)
	s.sink.mails = s.sink.mails[max(0, len(s.sink.mails)-kept):]
	s.sink.mu.Unlock()
	if s.trouble == Forgets {
		_ = s.conn.Conn().Close()
	}
	return nil
}

func (s *session) Reset()        {}
func (s *session) Logout() error { return nil }

// read reads a mail with its two bodies.
func read(r io.Reader) (*Mail, error) {
	msg, err := mail.ReadMessage(r)
	if err != nil {
		return nil, err
	}
	m := &Mail{ID: strings.Trim(msg.Header.Get("Message-Id"), "<>"), Header: msg.Header}
	if m.Subject, err = new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject")); err != nil {
		return nil, err
	}
	kind, params, err := mime.ParseMediaType(msg.Header.Get("Content-Type"))
	if err != nil || !strings.HasPrefix(kind, "multipart/") {
		text, err := io.ReadAll(msg.Body)
		m.Text = string(text)
		return m, err
	}
	for parts := multipart.NewReader(msg.Body, params["boundary"]); ; {
		part, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			return m, nil
		}
		if err != nil {
			return nil, err
		}
		var body io.Reader = part
		if strings.EqualFold(part.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
			body = quotedprintable.NewReader(part)
		}
		text, err := io.ReadAll(body)
		if err != nil {
			return nil, err
		}
		if strings.HasPrefix(part.Header.Get("Content-Type"), "text/html") {
			m.HTML = string(text)
		} else {
			m.Text = string(text)
		}
	}
}

// ServeHTTP shows what was taken: a list, and each mail by its place in it.
func (s *Sink) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'; frame-ancestors 'self'")
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	mails := s.Mails()
	if at, err := strconv.Atoi(strings.TrimPrefix(r.URL.Path, "/mail/")); err == nil && at >= 0 && at < len(mails) {
		_, _ = io.WriteString(w, mails[at].HTML)
		return
	}
	if r.URL.Path != "/" {
		http.Error(w, "there is nothing at this address", http.StatusNotFound)
		return
	}
	search := strings.ToLower(r.URL.Query().Get("to"))
	var rows []row
	for i := len(mails) - 1; i >= 0 && len(rows) < 200; i-- {
		if m := &mails[i]; search == "" || strings.Contains(strings.ToLower(m.To+" "+m.Subject), search) {
			rows = append(rows, row{At: i, Time: m.At.Format("2 Jan 15:04:05"), To: m.To, Subject: m.Subject, Text: m.Text})
		}
	}
	_ = page.Execute(w, struct {
		Search string
		All    int
		Rows   []row
	}{r.URL.Query().Get("to"), len(mails), rows})
}

type row struct {
	At                      int
	Time, To, Subject, Text string
}

var page = template.Must(template.New("sink").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>Mail of the demo</title>
<style>body{margin:0;padding:24px;background:#FAF8F3;color:#1F2430;font:15px/1.45 Georgia,serif}main{max-width:52em;margin:0 auto}h1{font-size:1.5em;font-weight:500}
details{border-top:1px solid #DDD6C8;padding:.5em 0}summary{cursor:pointer}small{color:#5A606E}pre{white-space:pre-wrap;font:14px/1.45 ui-monospace,monospace;border-inline-start:3px solid #DDD6C8;padding-inline-start:1em}
input{font:inherit;padding:.3em .5em}a{color:inherit}</style></head>
<body><main><h1>{{.All}} mails were sent in this demo. None of them has left this machine.</h1>
<form><label>To or about <input name="to" value="{{.Search}}"></label> <button>Find</button></form>
{{range .Rows}}<details><summary><b>{{.Subject}}</b> <small>{{.To}} · {{.Time}}</small></summary><pre>{{.Text}}</pre><a href="/mail/{{.At}}">as HTML</a></details>
{{else}}<p>There is none yet.</p>{{end}}</main></body></html>
`))
