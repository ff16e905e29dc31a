package server

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"encoding/hex"
	"io"
	"log/slog"
	mathrand "math/rand/v2"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/trace"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
)

// schoolsPath is what all that is of one school begins with; the database holds such a request to it.
const schoolsPath = "/api/schools/"

type requestKey struct{}

// request is what is known of a request next to what it asks for; parts of it are found on the way.
type request struct {
	id      string
	Address string // the network address that failed sign-ins are counted by
	Agent   string
	Host    string // that it was sent to, with the port
	route   string // as a pattern, so that no name gets into the log
	account int64
	log     *slog.Logger
	Reads   string // the languages that the sender reads, as the header has them
	limit   *Limit
	Head    bool            // only the headers are wanted (HEAD)
	client  context.Context // over when anyone who asked has left
	Session LoadedSession
	detail  func(*Problem, *problem.Error) // adds what an area says of an error
}

// left reports whether anyone who asked has gone, so that no one reads an answer.
func (r *request) left() bool { return r.client != nil && r.client.Err() != nil }

// RequestOf returns what is known of the request of a context.
func RequestOf(ctx context.Context) *request {
	r, _ := ctx.Value(requestKey{}).(*request)
	if r == nil {
		return &request{log: slog.Default(), limit: usual}
	}
	return r
}

func requestID(ctx context.Context) string { return RequestOf(ctx).id }

// statusLeft is how an answer is counted that no one waited for (common practice; it is in no standard, and
// never sent).
const statusLeft = 499

// recorder notes the status of an answer. Once it is sealed the answer is complete, and what is written after
// that goes nowhere.
type recorder struct {
	http.ResponseWriter
	status, bytes int
	sealed        bool
}

func (r *recorder) WriteHeader(status int) {
	if r.sealed {
		return
	}
	if r.status == 0 {
		r.status = status
	}
	r.ResponseWriter.WriteHeader(status)
}

func (r *recorder) Write(text []byte) (int, error) {
	if r.sealed {
		return len(text), nil
	}
	if r.status == 0 {
		r.status = http.StatusOK
	}
	n, err := r.ResponseWriter.Write(text)
	r.bytes += n
	return n, err
}

// Unwrap lets http.ResponseController reach the writer below.
func (r *recorder) Unwrap() http.ResponseWriter { return r.ResponseWriter }

// noted gives each request a number, which its answer and every line of the log carry, and a deadline, and
// logs it when it is done: by its route, without path, query or body.
func (s *Server) noted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw := make([]byte, 8)
		_, _ = rand.Read(raw) // never fails
		note := &request{id: hex.EncodeToString(raw), Address: s.address(r), Agent: shortAgent(r.UserAgent()), Host: r.Host,
			detail: s.detail, route: "a page", log: s.Log, Reads: r.Header.Get("Accept-Language")}
		if strings.HasPrefix(r.URL.Path, "/api/") {
			note.route = "unknown"
		}
		w.Header().Set("X-Request-Id", note.id)
		note.limit, note.client, note.Head = s.limits.find(r), r.Context(), r.Method == http.MethodHead
		ctx := context.WithValue(r.Context(), requestKey{}, note)
		if rest, ok := strings.CutPrefix(r.URL.Path, schoolsPath); ok {
			at, _, _ := strings.Cut(rest, "/")
			ctx = schoolyear.Within(ctx, at)
		}
		ctx, span := s.span(ctx, r)
		method, start, out := r.Method, time.Now(), &recorder{ResponseWriter: w}
		defer func() {
			if note.left() && (out.status == 0 || out.status >= http.StatusInternalServerError) {
				out.status = statusLeft
			}
			if !note.limit.Live {
				s.Meter.done(known(method), note.route, out.status, time.Since(start))
			}
			span.SetName(known(method) + " " + note.route)
			span.SetAttributes(attribute.String("http.request.method", known(method)),
				attribute.String("http.route", note.route), attribute.Int("http.response.status_code", out.status),
				attribute.String("rubricon.request", note.id))
			span.End()
			s.Log.InfoContext(ctx, "request", "method", known(method), "route", note.route, "status", out.status, "bytes",
				out.bytes, "took", time.Since(start), "account", note.account)
		}()
		r = r.WithContext(ctx)
		if note.Head { // net/http sends the headers of the answer alone
			r.Method = http.MethodGet
		}
		next.ServeHTTP(out, r)
	})
}

// MostAtOnce is how many requests a process works on at the same time: each would only wait longer for the
// same connections and cores. Live streams, which wait for others, and uploads, which have a bound of their
// own, are not counted.
const MostAtOnce = 400

// bounded answers at once that there is too much to do, and when to come back, where it is so.
func (s *Server) bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if at := RequestOf(r.Context()).limit; !at.Live && !at.upload {
			defer s.working.Add(-1)
			if s.working.Add(1) > MostAtOnce {
				p := Unavailable(r.Context())
				p.Wait += mathrand.IntN(4) // not all of them at the same moment
				sendProblem(w, p)
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

// span begins a trace of a request, where requests are traced, or goes on with that of a proxy that is trusted.
func (s *Server) span(ctx context.Context, r *http.Request) (context.Context, trace.Span) {
	if from, err := netip.ParseAddrPort(r.RemoteAddr); err == nil && s.trusts(from.Addr().Unmap()) {
		ctx = otel.GetTextMapPropagator().Extract(ctx, propagation.HeaderCarrier(r.Header))
	}
	return otel.Tracer("rubricon/web").Start(ctx, "a request", trace.WithSpanKind(trace.SpanKindServer))
}

func known(method string) string {
	switch method {
	case http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions:
		return method
	}
	return "other"
}

// LogHandler adds the number of the request to every line that is logged for it.
func LogHandler(next slog.Handler) slog.Handler { return logHandler{next} }

type logHandler struct{ slog.Handler }

func (h logHandler) Handle(ctx context.Context, line slog.Record) error {
	if id := requestID(ctx); id != "" {
		line.AddAttrs(slog.String("request", id))
	}
	return h.Handler.Handle(ctx, line)
}

func (h logHandler) WithAttrs(attrs []slog.Attr) slog.Handler {
	return logHandler{h.Handler.WithAttrs(attrs)}
}

func (h logHandler) WithGroup(name string) slog.Handler { return logHandler{h.Handler.WithGroup(name)} }

// address is the address a request comes from, as far as it is told by proxies that are trusted: of
// X-Forwarded-For the last that is not one of theirs. Of an IPv6 address the network counts, which one
// household has as a whole.
func (s *Server) address(r *http.Request) string {
	from, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	at := from.Addr().Unmap()
	if s.trusts(at) {
		told := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		for i := len(told) - 1; i >= 0; i-- {
			a, err := netip.ParseAddr(strings.TrimSpace(told[i]))
			if err != nil {
				break
			}
			if at = a.Unmap(); !s.trusts(at) {
				break
			}
		}
	}
	if at.Is6() {
		if prefix, err := at.WithZone("").Prefix(64); err == nil {
			return prefix.String()
		}
	}
	return at.String()
}

func (s *Server) trusts(a netip.Addr) bool {
	for _, p := range s.proxies {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// secure sets the headers that every answer has.
func secure(tls bool, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), microphone=()")
		if tls {
			h.Set("Strict-Transport-Security", "max-age=31536000; includeSubDomains")
		}
		next.ServeHTTP(w, r)
	})
}

// refuseText reads the body of a request, and refuses what no text can be: NUL, bytes that are not UTF-8,
// halves of surrogate pairs. Everything else that a person can paste is taken.
func (s *Server) refuseText(next http.Handler) http.Handler {
	refuse := func(w http.ResponseWriter, where, what string) {
		p := NewProblem(http.StatusBadRequest, "the "+where+" "+what+"; take it out")
		p.Code = "bad-text"
		sendProblem(w, p)
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		query, err := url.QueryUnescape(r.URL.RawQuery)
		if err != nil {
			refuse(w, "address", "has a character that is not written as it must be")
			return
		}
		for _, text := range []string{r.URL.Path, query} {
			if what := badText(text); what != "" {
				refuse(w, "address", what)
				return
			}
		}
		if r.Body != nil && r.Body != http.NoBody && strings.HasPrefix(r.URL.Path, "/api/") {
			if encoding := r.Header.Get("Content-Encoding"); encoding != "" && encoding != "identity" {
				sendProblem(w, NewProblem(http.StatusUnsupportedMediaType, Say(r.Context(), "no-encoding")))
				return
			}
			if at := RequestOf(r.Context()).limit; !at.upload {
				most := at.body + 1
				if r.ContentLength >= 0 {
					most = min(most, r.ContentLength)
				}
				if !s.bodies.TryAcquire(most) {
					sendProblem(w, Unavailable(r.Context()))
					return
				}
				defer s.bodies.Release(most)
				body, problem := s.readBody(w, r, at.body)
				if problem != nil {
					sendProblem(w, problem)
					return
				}
				if what := cmp.Or(badText(string(body)), badEscapes(body)); what != "" {
					refuse(w, "body", what)
					return
				}
				r.Body = io.NopCloser(bytes.NewReader(body))
			}
		}
		next.ServeHTTP(w, r)
	})
}

func badText(text string) string {
	switch {
	case strings.ContainsRune(text, 0):
		return "has a NUL character"
	case !utf8.ValidString(text):
		return "is not UTF-8 text"
	}
	return ""
}

// badEscapes looks for \u escapes of JSON that stand for NUL or for half of a surrogate pair.
func badEscapes(body []byte) string {
	for i := 0; i < len(body); i++ {
		if body[i] != '\\' {
			continue
		}
		if i++; i >= len(body) || body[i] != 'u' {
			continue // an escaped backslash is passed over with what it escapes
		}
		code, ok := hexCode(body, i+1)
		i += 4
		switch {
		case !ok: // not JSON, which is said later
		case code == 0:
			return "has a NUL character"
		case code >= 0xD800 && code < 0xDC00:
			low, ok := uint64(0), false
			if i+2 < len(body) && body[i+1] == '\\' && body[i+2] == 'u' {
				low, ok = hexCode(body, i+3)
			}
			if !ok || low < 0xDC00 || low > 0xDFFF {
				return "has half of a character (an unpaired surrogate)"
			}
			i += 6
		case code >= 0xDC00 && code <= 0xDFFF:
			return "has half of a character (an unpaired surrogate)"
		}
	}
	return ""
}

func hexCode(body []byte, at int) (uint64, bool) {
	if at+4 > len(body) {
		return 0, false
	}
	code, err := strconv.ParseUint(string(body[at:at+4]), 16, 32)
	return code, err == nil
}

// withRoute notes the pattern of the route that serves a request.
func withRoute(c *gin.Context) {
	if path := c.FullPath(); path != "" {
		RequestOf(c.Request.Context()).route = path
	}
}

// EndStreams ends all live streams, so that the server can go; browsers come back to the next one.
func (s *Server) EndStreams() { s.endStreams() }
