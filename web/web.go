// Package web serves the interface over HTTP: routes, sign-in, problem details. It holds no rule of the job.
package web

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"io/fs"
	"log/slog"
	"mime"
	"net"
	"net/http"
	"path"
	"reflect"
	"strings"
	"time"

	"github.com/alexedwards/scs/postgresstore"
	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	gingzip "github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"

	"rubricon/core/credit"
	"rubricon/school"
	"rubricon/store"
	"rubricon/ui"
)

// Options say how to serve.
type Options struct {
	Secure bool         // behind TLS: cookies are sent over it alone
	Demo   []DemoSignIn // listed on the sign-in page; empty outside the demo

	// More adds routes behind the same session, headers and limits; the load script compares with bare statements so.
	More func(*gin.Engine)
}

// DemoSignIn is a sign-in of the demo school.
type DemoSignIn struct {
	Username string `json:"username"`
	Password string `json:"password"`
	Who      string `json:"who"`
}

// Server is the HTTP handler and what it needs.
type Server struct {
	handler  http.Handler
	sessions *scs.SessionManager
	store    *postgresstore.PostgresStore
	cases    *school.Service
	demo     []DemoSignIn
}

// New makes a server.
func New(db *store.DB, cases *school.Service, o Options) *Server {
	s := &Server{cases: cases, demo: o.Demo, sessions: scs.New()}
	s.store = postgresstore.NewWithConfig(db.DB.DB, postgresstore.Config{CleanUpInterval: 10 * time.Minute, TableName: "session"})
	s.sessions.Store = s.store
	s.sessions.Lifetime = 12 * time.Hour
	s.sessions.IdleTimeout = 0 // an idle time would write the session at every request
	s.sessions.HashTokenInStore = true
	s.sessions.Cookie.Name = "rubricon"
	s.sessions.Cookie.Secure = o.Secure
	s.sessions.Cookie.SameSite = http.SameSiteStrictMode
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		slog.Error("reading a session", "request", requestID(r.Context()), "error", err)
		http.Error(w, "something went wrong on our side; try again", http.StatusInternalServerError)
	}
	engine := s.engine()
	api := newAPI(engine)
	s.routes(api)
	if o.More != nil {
		o.More(engine)
	}
	cop := http.NewCrossOriginProtection()
	cop.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		_, _ = w.Write([]byte(`{"type":"about:blank","title":"Forbidden","status":403,"code":"cross-site","detail":"requests from other sites are refused"}`))
	}))
	withSession := s.sessions.LoadAndSave(engine)
	s.handler = numbered(secure(cop.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") {
			w.Header().Set("Cache-Control", "no-store")
			withSession.ServeHTTP(w, r)
			return
		}
		engine.ServeHTTP(w, r)
	}))))
	return s
}

// Close ends what runs in the background.
func (s *Server) Close() { s.store.StopCleanup() }

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// OpenAPI is the contract, as indented JSON; it needs no database.
func OpenAPI() ([]byte, error) {
	s := &Server{sessions: scs.New()}
	api := newAPI(gin.New())
	s.routes(api)
	text, err := api.OpenAPI().MarshalJSON()
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, text, "", " "); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

func init() { gin.SetMode(gin.ReleaseMode) }

func newAPI(engine *gin.Engine) huma.API {
	config := huma.DefaultConfig("Rubricon", "1")
	config.DocsPath, config.OpenAPIPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[credit.Amount](), reflect.TypeFor[float64]())
	return humagin.New(engine, config)
}

func (s *Server) engine() *gin.Engine {
	engine := gin.New()
	engine.HandleMethodNotAllowed = true
	_ = engine.SetTrustedProxies(nil)
	engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, fault any) {
		slog.Error("a panic", "request", requestID(c.Request.Context()), "fault", fault)
		writeProblem(c, newProblem(http.StatusInternalServerError, "something went wrong on our side; nothing was changed"))
	}))
	compress := gingzip.Gzip(gzip.BestSpeed)
	engine.Use(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") { // pages are compressed already
			compress(c)
		}
	})
	pages := newPages(ui.Files())
	engine.NoRoute(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			writeProblem(c, newProblem(http.StatusNotFound, "there is no such address"))
			return
		}
		pages.ServeHTTP(c.Writer, c.Request)
	})
	engine.NoMethod(func(c *gin.Context) {
		writeProblem(c, newProblem(http.StatusMethodNotAllowed, "this address does not take "+c.Request.Method))
	})
	return engine
}

func writeProblem(c *gin.Context, p *Problem) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(p.Status, p)
}

type requestKey struct{}

func requestID(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// numbered gives each request a number that its answer and the log carry, and logs it without its body or its query.
func numbered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw := make([]byte, 8)
		_, _ = rand.Read(raw)
		id := hex.EncodeToString(raw)
		w.Header().Set("X-Request-Id", id)
		start := time.Now()
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), requestKey{}, id)))
		slog.Debug("request", "request", id, "method", r.Method, "path", r.URL.Path, "took", time.Since(start))
	})
}

func secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		// Radix inserts style elements for its scroll lock, hence unsafe-inline for styles alone.
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), microphone=()")
		next.ServeHTTP(w, r)
	})
}

// page is a built file, also in a compressed form where that is smaller.
type page struct {
	kind        string
	plain, zipp []byte
}

type pages map[string]page

func newPages(files fs.FS) pages {
	all := pages{}
	_ = fs.WalkDir(files, ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		p := page{kind: mime.TypeByExtension(path.Ext(name)), plain: text}
		var out bytes.Buffer
		w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
		_, _ = w.Write(text)
		_ = w.Close()
		if path.Ext(name) != ".woff2" && out.Len() < len(text) {
			p.zipp = out.Bytes()
		}
		all["/"+name] = p
		return nil
	})
	return all
}

// ServeHTTP serves built files, and the page for every other address, where the front end finds its way.
func (all pages) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name := path.Clean(r.URL.Path)
	p, found := all[name]
	switch {
	case found && strings.HasPrefix(name, "/assets/"):
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	case strings.HasPrefix(name, "/assets/"):
		http.Error(w, "there is no such file", http.StatusNotFound)
		return
	default:
		if !found || name == "/.gitkeep" {
			p, found = all["/index.html"]
		}
		w.Header().Set("Cache-Control", "no-cache")
	}
	if !found {
		http.Error(w, "the front end is not built; run make build", http.StatusServiceUnavailable)
		return
	}
	w.Header().Set("Content-Type", p.kind)
	w.Header().Set("Vary", "Accept-Encoding")
	body := p.plain
	if p.zipp != nil && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		w.Header().Set("Content-Encoding", "gzip")
		body = p.zipp
	}
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(body)
	}
}

// address is the client's address, for counting failed sign-ins.
func address(remote string) string {
	host, _, err := net.SplitHostPort(remote)
	if err != nil {
		return remote
	}
	return host
}
