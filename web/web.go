// Package web serves the interface over HTTP: it puts the routes of the areas together, and describes them.
// It holds no rule of the job.
package web

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/netip"
	"reflect"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"rubricon/app"
	"rubricon/core/credit"
	"rubricon/signon"
	webaccount "rubricon/web/account"
	webcaseload "rubricon/web/caseload"
	webcatalog "rubricon/web/catalog"
	webimports "rubricon/web/imports"
	webmessages "rubricon/web/messages"
	weboffice "rubricon/web/office"
	webpeople "rubricon/web/people"
	webschedule "rubricon/web/schedule"
	webseats "rubricon/web/seats"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// Options say how to serve; the zero value is for tests on loopback.
type Options struct {
	TLS      bool                    // behind TLS: cookies are sent over it alone, and browsers are told to use nothing else
	Proxies  []netip.Prefix          // whose word on where a request comes from is trusted (X-Forwarded-For)
	Demo     []webaccount.DemoSignIn // listed on the sign-in page; empty outside the demo
	Base     string                  // the address of the application, as letters name it; may be empty
	SignOn   *signon.Client          // the schools' own accounts; nil: none
	DemoMail string                  // where the demo shows the mails it has sent; empty outside the demo
	Now      func() time.Time        // nil: the clock
	Log      *slog.Logger            // nil: slog's default

	LiveCheck time.Duration // how often it is checked that who hears a live stream still may; 0: every minute

	// More adds routes behind the same session, headers and limits; the load script compares with bare statements so.
	More func(*gin.Engine)
}

// New makes a server.
func New(cases *app.App, o Options) *server.Server {
	if o.SignOn == nil {
		o.SignOn = signon.New(nil, "")
	}
	s := server.New(server.Options{TLS: o.TLS, Proxies: o.Proxies, Now: o.Now, Log: o.Log, LiveCheck: o.LiveCheck,
		Accounts: cases.Account, Health: cases.Office, Detail: websheet.WithSheet})
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
	return routes(&server.Server{Sessions: scs.New()}, gin.New(), &app.App{}, Options{}).OpenAPI()
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
func routes(s *server.Server, engine *gin.Engine, cases *app.App, o Options) huma.API {
	api := newAPI(engine)
	accounts := webaccount.New(s, cases, webaccount.Options{Demo: o.Demo, DemoMail: o.DemoMail, Base: o.Base, SignOn: o.SignOn})
	for _, area := range []interface{ Register(huma.API) }{accounts, webcaseload.New(s, cases), webcatalog.New(s, cases),
		webimports.New(s, cases), webmessages.New(s, cases),
		weboffice.New(s, cases), webpeople.New(s, cases), webschedule.New(s, cases), webseats.New(s, cases), websheet.New(s, cases)} {
		area.Register(api)
	}
	accounts.RosterRoutes(engine)
	websheet.DescribeProblem(api.OpenAPI())
	describe(api.OpenAPI())
	return api
}

func newAPI(engine *gin.Engine) huma.API {
	config := huma.DefaultConfig("Rubricon", "1")
	config.DocsPath, config.OpenAPIPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[credit.Amount](), reflect.TypeFor[float64]())
	return humagin.New(engine, config)
}
