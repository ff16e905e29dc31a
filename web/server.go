// Package web serves the interface over HTTP: routes, sign-in, contract, problem details, static files. It holds no rule of the job.
package web

import (
	"cmp"
	"compress/gzip"
	"context"
	"log/slog"
	"net/http"
	"net/netip"
	"reflect"
	"rubricon/app"
	"runtime/debug"
	"strings"
	"sync/atomic"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	gingzip "github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
	"golang.org/x/sync/semaphore"

	"rubricon/core/credit"
	"rubricon/signon"
	"rubricon/ui"
)

// Options say how to serve; the zero value is for tests on loopback.
type Options struct {
	TLS      bool             // behind TLS: cookies are sent over it alone, and browsers are told to use nothing else
	Proxies  []netip.Prefix   // whose word on where a request comes from is trusted (X-Forwarded-For)
	Demo     []DemoSignIn     // listed on the sign-in page; empty outside the demo
	Base     string           // the address of the application, as letters name it; may be empty
	SignOn   *signon.Client   // the schools' own accounts; nil: none
	DemoMail string           // where the demo shows the mails it has sent; empty outside the demo
	Now      func() time.Time // nil: the clock
	Log      *slog.Logger     // nil: slog's default

	LiveCheck time.Duration // how often it is checked that who hears a live stream still may; 0: every minute

	// More adds routes behind the same session, headers and limits; the load script compares with bare statements so.
	More func(*gin.Engine)
}

// Server is the HTTP handler and what it needs.
type Server struct {
	handler  http.Handler
	Sessions *scs.SessionManager
	cases    *app.App
	demo     []DemoSignIn
	demoMail string
	signOn   *signon.Client
	base     string
	TLS      bool
	proxies  []netip.Prefix
	Now      func() time.Time
	Log      *slog.Logger

	limits  *limits
	uploads [2]*uploads         // by share
	bodies  *semaphore.Weighted // bytes of bodies that are in memory
	working atomic.Int64        // how many requests are worked on
	Meter   *meter
	leaving atomic.Bool

	LiveCheck  time.Duration
	Streaming  *gate
	Streams    context.Context // of the live streams; over when the server goes
	endStreams context.CancelFunc
}

// New makes a server.
func New(cases *app.App, o Options) *Server {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.Default()
	}
	if o.SignOn == nil {
		o.SignOn = signon.New(nil, "")
	}
	s := &Server{signOn: o.SignOn, cases: cases, demo: o.Demo, demoMail: o.DemoMail, base: o.Base, TLS: o.TLS, proxies: o.Proxies, Now: o.Now, Log: o.Log, Sessions: newSessions(cases, o.TLS), uploads: [...]*uploads{familyShare: newUploads(familyUploads), officeShare: newUploads(officeUploads)}, Streaming: newGate(streamsOfOne, maxStreams), bodies: semaphore.NewWeighted(maxBodies)}
	s.LiveCheck = cmp.Or(o.LiveCheck, time.Minute)
	s.Meter = newMeter(s)
	s.Streams, s.endStreams = context.WithCancel(context.Background())
	engine := s.engine()
	api := newAPI(engine)
	s.routes(api)
	s.limits = newLimits(api.OpenAPI())
	describe(api.OpenAPI())
	s.operateRoutes(engine)
	s.rosterRoutes(engine)
	s.referenceRoutes(engine, api.OpenAPI())
	if o.More != nil {
		o.More(engine)
	}
	cop := http.NewCrossOriginProtection()
	cop.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p := newProblem(http.StatusForbidden, say(r.Context(), "other-site"))
		p.Code = "cross-site"
		sendProblem(w, p)
	}))
	withSession := s.Sessions.LoadAndSave(engine)
	s.handler = s.noted(secure(o.TLS, s.refuseText(within(cop.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") {
			w.Header().Set("Cache-Control", "no-store")
			s.bounded(withSession).ServeHTTP(w, r)
			return
		}
		engine.ServeHTTP(w, r)
	}))))))
	return s
}

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

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
		ctx := c.Request.Context()
		s.Log.ErrorContext(ctx, "a panic", "fault", fault, "stack", string(debug.Stack()))
		if c.Writer.Written() { // half an answer: the connection says that it is no more
			panic(http.ErrAbortHandler)
		}
		writeProblem(c, newProblem(http.StatusInternalServerError, say(ctx, "internal")))
	}), withRoute)
	compress := gingzip.Gzip(gzip.BestSpeed)
	engine.Use(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") && !requestOf(c.Request.Context()).limit.live { // pages are compressed already
			compress(c)
		}
	})
	pages := newPages(ui.Files())
	notAllowed := func(c *gin.Context) {
		writeProblem(c, newProblem(http.StatusMethodNotAllowed, say(c.Request.Context(), "no-method")))
	}
	engine.NoRoute(func(c *gin.Context) {
		switch {
		case strings.HasPrefix(c.Request.URL.Path, "/api/"):
			writeProblem(c, newProblem(http.StatusNotFound, say(c.Request.Context(), "no-address")))
		case c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
			c.Header("Allow", "GET, HEAD")
			notAllowed(c)
		default:
			pages.ServeHTTP(c.Writer, c.Request)
		}
	})
	engine.NoMethod(notAllowed)
	return engine
}
