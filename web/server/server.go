// Package server is what all routes share: sessions, cross-site protection, problems, limits, the log and the
// metrics. It knows no area.
package server

import (
	"cmp"
	"compress/gzip"
	"context"
	"log/slog"
	"net/http"
	"net/netip"
	"runtime/debug"
	"strings"
	"sync/atomic"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	gingzip "github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
	"golang.org/x/sync/semaphore"

	"rubricon/app/account"
	"rubricon/app/office"
	"rubricon/app/problem"
	"rubricon/ui"
)

// Options say how to serve; the zero value is for tests on loopback.
type Options struct {
	TLS       bool             // behind TLS: cookies are sent over it alone, and browsers are told to use nothing else
	Proxies   []netip.Prefix   // whose word on where a request comes from is trusted (X-Forwarded-For)
	Now       func() time.Time // nil: the clock
	Log       *slog.Logger     // nil: slog's default
	LiveCheck time.Duration    // how often it is checked that who hears a live stream still may; 0: every minute

	Accounts Accounts // keeps the sessions
	Health   Health   // says how the database is

	Detail func(*Problem, *problem.Error) // adds what an area says of an error; nil: nothing
}

// Accounts keeps sessions.
type Accounts interface {
	FindSession(ctx context.Context, token string) (data []byte, found bool, err error)
	BeginSession(ctx context.Context, n *account.NewSession) (begun bool, err error)
	UpdateSession(ctx context.Context, token string, data []byte, expiry time.Time) (kept bool, err error)
	DropSession(ctx context.Context, token string) (ended bool, err error)
	Until(life time.Duration) time.Time
}

// Health says how the database is.
type Health interface {
	Ready(ctx context.Context) error
	Backlog(ctx context.Context) (office.Backlog, error)
	PoolStats() office.PoolStats
}

// Server is what all routes share: sessions, limits, problems, the log and the metrics.
type Server struct {
	Sessions *scs.SessionManager
	TLS      bool
	Now      func() time.Time
	Log      *slog.Logger
	Meter    *meter

	LiveCheck time.Duration
	Streaming *gate
	Streams   context.Context // of the live streams; over when the server goes

	handler    http.Handler
	accounts   Accounts
	health     Health
	detail     func(*Problem, *problem.Error)
	proxies    []netip.Prefix
	limits     *limits
	uploads    [2]*uploads         // by share
	bodies     *semaphore.Weighted // bytes of bodies that are in memory
	working    atomic.Int64        // how many requests are worked on
	leaving    atomic.Bool
	endStreams context.CancelFunc
}

// New makes a server without routes.
func New(o Options) *Server {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.Default()
	}
	s := &Server{accounts: o.Accounts, health: o.Health, detail: o.Detail, TLS: o.TLS, proxies: o.Proxies, Now: o.Now,
		Log: o.Log, Sessions: newSessions(o.Accounts, o.TLS),
		uploads:   [...]*uploads{FamilyShare: newUploads(familyUploads), OfficeShare: newUploads(officeUploads)},
		Streaming: newGate(streamsOfOne, maxStreams),
		bodies:    semaphore.NewWeighted(maxBodies), LiveCheck: cmp.Or(o.LiveCheck, time.Minute)}
	s.Meter = newMeter(s)
	s.Streams, s.endStreams = context.WithCancel(context.Background())
	return s
}

// Serve begins to serve the routes of an engine, with those of a contract in their limits.
func (s *Server) Serve(engine *gin.Engine, contract *huma.OpenAPI) {
	s.limits = newLimits(contract)
	s.operateRoutes(engine)
	cop := http.NewCrossOriginProtection()
	cop.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p := NewProblem(http.StatusForbidden, Say(r.Context(), "other-site"))
		p.Code = "cross-site"
		sendProblem(w, p)
	}))
	withSession := s.Sessions.LoadAndSave(engine)
	s.handler = s.noted(secure(s.TLS, s.refuseText(within(cop.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") {
			w.Header().Set("Cache-Control", "no-store")
			s.bounded(withSession).ServeHTTP(w, r)
			return
		}
		engine.ServeHTTP(w, r)
	}))))))
}

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

func init() { gin.SetMode(gin.ReleaseMode) }

// Engine makes the engine that routes are registered with.
func (s *Server) Engine() *gin.Engine {
	engine := gin.New()
	engine.HandleMethodNotAllowed = true
	_ = engine.SetTrustedProxies(nil)
	engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, fault any) {
		ctx := c.Request.Context()
		s.Log.ErrorContext(ctx, "a panic", "fault", fault, "stack", string(debug.Stack()))
		if c.Writer.Written() { // half an answer: the connection says that it is no more
			panic(http.ErrAbortHandler)
		}
		writeProblem(c, NewProblem(http.StatusInternalServerError, Say(ctx, "internal")))
	}), withRoute)
	compress := gingzip.Gzip(gzip.BestSpeed)
	engine.Use(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") && !RequestOf(c.Request.Context()).limit.Live { // pages are compressed already
			compress(c)
		}
	})
	pages := newPages(ui.Files())
	notAllowed := func(c *gin.Context) {
		writeProblem(c, NewProblem(http.StatusMethodNotAllowed, Say(c.Request.Context(), "no-method")))
	}
	engine.NoRoute(func(c *gin.Context) {
		switch {
		case strings.HasPrefix(c.Request.URL.Path, "/api/"):
			writeProblem(c, NewProblem(http.StatusNotFound, Say(c.Request.Context(), "no-address")))
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
