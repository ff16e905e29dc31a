// Package web serves the interface over HTTP: it puts the routes of the areas together, and describes them. It holds no rule of the job.
package web

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/netip"
	"rubricon/app"
	"rubricon/signon"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
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

// New makes a server.
func New(cases *app.App, o Options) *Server {
	if o.SignOn == nil {
		o.SignOn = signon.New(nil, "")
	}
	s := newServer(serverOptions{TLS: o.TLS, Proxies: o.Proxies, Now: o.Now, Log: o.Log, LiveCheck: o.LiveCheck, Accounts: cases.Account, Health: cases.Office, Detail: withSheet})
	engine := s.Engine()
	api := routes(s, engine, cases, o)
	referenceRoutes(engine, api.OpenAPI())
	if o.More != nil {
		o.More(engine)
	}
	s.Serve(engine, api.OpenAPI())
	return s
}

// Contract describes all routes; it needs no database.
func Contract() *huma.OpenAPI {
	return routes(&Server{Sessions: scs.New()}, gin.New(), &app.App{}, Options{}).OpenAPI()
}

// OpenAPI is the contract, as indented JSON.
func OpenAPI() ([]byte, error) {
	text, err := Contract().MarshalJSON()
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, text, "", " "); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// routes registers those of all areas, and describes them.
func routes(s *Server, engine *gin.Engine, cases *app.App, o Options) huma.API {
	s.cases, s.demo, s.demoMail, s.signOn, s.base = cases, o.Demo, o.DemoMail, o.SignOn, o.Base
	api := newAPI(engine)
	s.accountRoutes(api)
	s.catalogRoutes(api)
	s.peopleRoutes(api)
	s.letInRoutes(api)
	s.officeRoutes(api)
	s.caseloadRoutes(api)
	s.sheetRoutes(api)
	s.actRoutes(api)
	s.pathRoutes(api)
	s.fileRoutes(api)
	s.whatIfRoutes(api)
	s.draftRoutes(api)
	s.calendarRoutes(api)
	s.paperRoutes(api)
	s.remarkRoutes(api)
	s.agreementRoutes(api)
	s.signOnRoutes(api)
	s.passkeyRoutes(api)
	s.demandRoutes(api)
	s.placementRoutes(api)
	s.scheduleRoutes(api)
	s.handRoutes(api)
	s.weekRoutes(api)
	s.seatRoutes(api)
	s.tokenRoutes(api)
	s.hookRoutes(api)
	s.changeRoutes(api)
	s.liveRoutes(api)
	s.taskRoutes(api)
	s.rulesRoutes(api)
	s.teacherRoutes(api)
	s.tryoutRoutes(api)
	s.pageRoutes(api)
	s.codeRoutes(api)
	s.mailRoutes(api)
	s.recordRoutes(api)
	s.conditionRoutes(api)
	s.rosterRoutes(engine)
	describeProblem(api.OpenAPI())
	describe(api.OpenAPI())
	return api
}
